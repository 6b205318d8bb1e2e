#include "draw/canvas.hpp"

#include <cairo-pdf.h>
#include <cairo-svg.h>
#include <cairo.h>

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

void draw_file(const std::string& path, const std::string& alt,
               const std::function<void(Canvas&)>& draw) {
  Surface surface = make_surface(path, 1);
  cairo_t* cr = cairo_create(surface.get());
  cairo_set_source_rgb(cr, 1, 1, 1);
  cairo_paint(cr);
  Canvas canvas(cr);
  draw(canvas);
  cairo_destroy(cr);
  cairo_status_t status = CAIRO_STATUS_SUCCESS;
  const bool image = !ends_with(path, ".svg") && !ends_with(path, ".pdf");
  if (image) status = cairo_surface_write_to_png(surface.get(), path.c_str());
  cairo_surface_finish(surface.get());
  if (status == CAIRO_STATUS_SUCCESS) status = cairo_surface_status(surface.get());
  if (status != CAIRO_STATUS_SUCCESS) cannot_write(path);
  if (ends_with(path, ".svg")) add_title(path, alt);
}

}  // namespace

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
  for (const std::string& path : paths) draw_file(path, alt, draw);
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
