#include "draw/canvas.hpp"

#include <cairo-pdf.h>
#include <cairo-svg.h>
#include <cairo.h>
#include <png.h>

#include <csetjmp>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <ios>
#include <sstream>

namespace ulterix {

namespace {

constexpr const char* kFont = "DejaVu Sans";

cairo_t* context(void* cairo) {
  return static_cast<cairo_t*>(cairo);
}

bool ends_with(const std::string& text, const std::string& end) {
  return text.size() >= end.size() && text.compare(text.size() - end.size(), end.size(), end) == 0;
}

[[noreturn]] void cannot_write(const std::string& path) {
  throw std::ios_base::failure(path, std::make_error_code(std::errc::io_error));
}

/// Puts <title> first into an SVG, for readers that speak it.
void add_title(const std::string& path, const std::string& alt) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream all;
  all << in.rdbuf();
  std::string svg = all.str();
  const auto start = svg.find("<svg");
  const auto end = start == std::string::npos ? start : svg.find('>', start);
  if (end == std::string::npos) cannot_write(path);
  svg.insert(end + 1, "\n<title>" + escaped(alt) + "</title>");
  std::ofstream out(path, std::ios::binary);
  out << svg;
  out.close();
  if (!out) cannot_write(path);
}

using Surface = std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)>;

Surface make_surface(const std::string& path, double scale) {
  cairo_surface_t* s = nullptr;
  if (ends_with(path, ".svg")) {
    s = cairo_svg_surface_create(path.c_str(), Canvas::kWidth, Canvas::kHeight);
  } else if (ends_with(path, ".pdf")) {
    s = cairo_pdf_surface_create(path.c_str(), Canvas::kWidth, Canvas::kHeight);
    // Without a date the same picture gives the same bytes.
    cairo_pdf_surface_set_metadata(s, CAIRO_PDF_METADATA_CREATE_DATE, "2000-01-01T00:00:00Z");
  } else {
    s = cairo_image_surface_create(CAIRO_FORMAT_RGB24, static_cast<int>(Canvas::kWidth * scale),
                                   static_cast<int>(Canvas::kHeight * scale));
    cairo_surface_set_device_scale(s, scale, scale);
  }
  return {s, cairo_surface_destroy};
}

/// As libpng writes it at its lowest compression: most of the time of a figure went into the usual
/// one, for a tenth of the size.
void write_png(cairo_surface_t* surface, const std::string& path) {
  cairo_surface_flush(surface);
  const int width = cairo_image_surface_get_width(surface);
  const int height = cairo_image_surface_get_height(surface);
  const int stride = cairo_image_surface_get_stride(surface);
  const unsigned char* data = cairo_image_surface_get_data(surface);
  if (data == nullptr) cannot_write(path);
  std::vector<unsigned char> rgb(std::size_t(width) * std::size_t(height) * 3);
  for (int y = 0; y < height; ++y) {
    for (int x = 0; x < width; ++x) {
      std::uint32_t pixel = 0;  // 00RRGGBB of this machine
      std::memcpy(&pixel, data + std::ptrdiff_t(y) * stride + std::ptrdiff_t(x) * 4, 4);
      unsigned char* to = &rgb[(std::size_t(y) * std::size_t(width) + std::size_t(x)) * 3];
      to[0] = static_cast<unsigned char>(pixel >> 16U);
      to[1] = static_cast<unsigned char>(pixel >> 8U);
      to[2] = static_cast<unsigned char>(pixel);
    }
  }
  const std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(path.c_str(), "wb"),
                                                             std::fclose);
  if (!file) cannot_write(path);
  png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
  png_infop info = png != nullptr ? png_create_info_struct(png) : nullptr;
  std::vector<png_bytep> rows;
  for (int y = 0; y < height; ++y) rows.push_back(&rgb[std::size_t(y) * std::size_t(width) * 3]);
  const bool failed = info == nullptr || setjmp(png_jmpbuf(png)) != 0;
  if (!failed) {
    png_init_io(png, file.get());
    png_set_compression_level(png, 1);
    png_set_filter(png, 0, PNG_FILTER_NONE);
    png_set_IHDR(png, info, static_cast<png_uint_32>(width), static_cast<png_uint_32>(height), 8,
                 PNG_COLOR_TYPE_RGB, PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT,
                 PNG_FILTER_TYPE_DEFAULT);
    png_write_info(png, info);
    png_write_image(png, rows.data());
    png_write_end(png, nullptr);
  }
  png_destroy_write_struct(&png, &info);
  if (failed || std::fflush(file.get()) != 0) cannot_write(path);
}

/// What was drawn once, into a file of its own kind.
void write_file(cairo_surface_t* drawing, const std::string& path, const std::string& alt) {
  Surface surface = make_surface(path, 1);
  cairo_t* cr = cairo_create(surface.get());
  cairo_set_source_surface(cr, drawing, 0, 0);
  cairo_paint(cr);
  cairo_destroy(cr);
  const bool image = !ends_with(path, ".svg") && !ends_with(path, ".pdf");
  if (image && cairo_surface_status(surface.get()) == CAIRO_STATUS_SUCCESS) {
    write_png(surface.get(), path);
  }
  cairo_surface_finish(surface.get());
  if (cairo_surface_status(surface.get()) != CAIRO_STATUS_SUCCESS) cannot_write(path);
  if (ends_with(path, ".svg")) add_title(path, alt);
}

}  // namespace

void Canvas::draw_fast() {
  cairo_set_antialias(context(cairo_), CAIRO_ANTIALIAS_FAST);
}

void Canvas::path(const std::vector<Vector2d>& points) {
  cairo_t* cr = context(cairo_);
  cairo_new_path(cr);
  for (const Vector2d& p : points) cairo_line_to(cr, p[0], p[1]);
}

void Canvas::use(const Stroke& stroke) {
  cairo_t* cr = context(cairo_);
  const Colour& c = stroke.colour;
  cairo_set_source_rgba(cr, c.r, c.g, c.b, c.a);
  cairo_set_line_width(cr, stroke.width);
  cairo_set_line_join(cr, CAIRO_LINE_JOIN_ROUND);
  cairo_set_line_cap(cr, stroke.dashes.empty() ? CAIRO_LINE_CAP_ROUND : CAIRO_LINE_CAP_BUTT);
  cairo_set_dash(cr, stroke.dashes.data(), static_cast<int>(stroke.dashes.size()), 0);
}

void Canvas::line(const std::vector<Vector2d>& points, const Stroke& stroke) {
  path(points);
  use(stroke);
  cairo_stroke(context(cairo_));
}

void Canvas::lines(const std::vector<std::vector<Vector2d>>& all, const Stroke& stroke) {
  cairo_t* cr = context(cairo_);
  cairo_new_path(cr);
  for (const std::vector<Vector2d>& points : all) {
    cairo_new_sub_path(cr);
    for (const Vector2d& p : points) cairo_line_to(cr, p[0], p[1]);
  }
  use(stroke);
  cairo_stroke(cr);
}

void Canvas::polygon(const std::vector<Vector2d>& points, const Colour& fill) {
  path(points);
  cairo_close_path(context(cairo_));
  cairo_set_source_rgba(context(cairo_), fill.r, fill.g, fill.b, fill.a);
  cairo_fill(context(cairo_));
}

void Canvas::circle(const Vector2d& centre, double radius, const Colour& fill,
                    const Stroke& stroke) {
  cairo_t* cr = context(cairo_);
  cairo_new_path(cr);
  cairo_arc(cr, centre[0], centre[1], radius, 0, 6.28318530717958648);
  cairo_set_source_rgba(cr, fill.r, fill.g, fill.b, fill.a);
  cairo_fill_preserve(cr);
  use(stroke);
  cairo_stroke(cr);
}

void Canvas::arc(const Vector2d& centre, double radius, double from, double to,
                 const Stroke& stroke) {
  cairo_t* cr = context(cairo_);
  cairo_new_path(cr);
  cairo_arc(cr, centre[0], centre[1], radius, from, to);
  use(stroke);
  cairo_stroke(cr);
}

namespace {

void use_font(cairo_t* cr, const TextStyle& style) {
  cairo_select_font_face(cr, kFont, CAIRO_FONT_SLANT_NORMAL,
                         style.bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
  cairo_set_font_size(cr, style.size);
}

}  // namespace

void Canvas::text(const Vector2d& at, const std::string& words, const TextStyle& style) {
  cairo_t* cr = context(cairo_);
  use_font(cr, style);
  cairo_set_source_rgba(cr, style.colour.r, style.colour.g, style.colour.b, style.colour.a);
  cairo_move_to(cr, at[0], at[1]);
  cairo_show_text(cr, words.c_str());
}

Vector2d Canvas::measure(const std::string& words, const TextStyle& style) {
  cairo_t* cr = context(cairo_);
  use_font(cr, style);
  cairo_text_extents_t extents;
  cairo_text_extents(cr, words.c_str(), &extents);
  return {extents.x_advance, style.size};
}

bool is_picture(const std::string& path) {
  const std::string ending = std::filesystem::path(path).extension().string();
  return ending == ".svg" || ending == ".png" || ending == ".pdf";
}

void draw_files(const std::vector<std::string>& paths, const std::string& alt,
                const std::function<void(Canvas&)>& draw) {
  const cairo_rectangle_t page{0, 0, Canvas::kWidth, Canvas::kHeight};
  const Surface drawing(cairo_recording_surface_create(CAIRO_CONTENT_COLOR, &page),
                        cairo_surface_destroy);
  cairo_t* cr = cairo_create(drawing.get());
  cairo_set_source_rgb(cr, 1, 1, 1);
  cairo_paint(cr);
  Canvas canvas(cr);
  draw(canvas);
  cairo_destroy(cr);
  for (const std::string& path : paths) write_file(drawing.get(), path, alt);
}

std::string escaped(const std::string& text) {
  std::string result;
  for (const char c : text) {
    if (c == '<') {
      result += "&lt;";
    } else if (c == '&') {
      result += "&amp;";
    } else {
      result += c;
    }
  }
  return result;
}

}  // namespace ulterix
