#pragma once

#include <Eigen/Core>
#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace ulterix {

using Eigen::Vector2d;

struct Colour {
  double r = 0, g = 0, b = 0, a = 1;
};

/// Our palette; the two analyses differ by stroke as well, and stay apart in grey.
namespace palette {
inline constexpr Colour kInk{0.13, 0.15, 0.19};
inline constexpr Colour kFaint{0.86, 0.88, 0.90};
inline constexpr Colour kUndeformed{0.62, 0.66, 0.70};
inline constexpr Colour kFirstOrder{0.13, 0.42, 0.62};
inline constexpr Colour kSecondOrder{0.74, 0.22, 0.05};
inline constexpr Colour kTint{0.96, 0.84, 0.77};
inline constexpr Colour kLoad{0.45, 0.46, 0.48};
inline constexpr Colour kSupport{0.27, 0.30, 0.35};
inline constexpr Colour kWhite{1, 1, 1};
}  // namespace palette

struct Stroke {
  Colour colour;
  double width = 1;
  std::vector<double> dashes;  ///< px on, off, …; empty: solid
};

struct TextStyle {
  double size = 13;
  bool bold = false;
  Colour colour = palette::kInk;
};

/// A page of 1280 x 800 points, y downwards, drawn by Cairo into SVG, PNG or PDF.
class Canvas {
 public:
  static constexpr double kWidth = 1280, kHeight = 800;

  void line(const std::vector<Vector2d>& points, const Stroke& stroke);
  /// All as one path, which takes a fraction of the time and size of many.
  void lines(const std::vector<std::vector<Vector2d>>& all, const Stroke& stroke);
  void polygon(const std::vector<Vector2d>& points, const Colour& fill);
  void circle(const Vector2d& centre, double radius, const Colour& fill, const Stroke& stroke);
  void arc(const Vector2d& centre, double radius, double from, double to, const Stroke& stroke);
  /// Baseline at the left end.
  void text(const Vector2d& at, const std::string& text, const TextStyle& style);
  Vector2d measure(const std::string& text, const TextStyle& style);

  /// Coarser edges of lines and areas, for figures of very many of them.
  void draw_fast();

  explicit Canvas(void* cairo) : cairo_(cairo) {}

 private:
  void path(const std::vector<Vector2d>& points);
  void use(const Stroke& stroke);
  void* cairo_;  // cairo_t*; the header stays free of Cairo
};

/// True for a path that ends in .svg, .png or .pdf.
bool is_picture(const std::string& path);

/// Draws the same picture into each file; the format follows the ending (.svg, .png, .pdf). `alt`
/// is the text for who cannot see it. Throws std::ios_base::failure where a file cannot be written.
void draw_files(const std::vector<std::string>& paths, const std::string& alt,
                const std::function<void(Canvas&)>& draw);

/// The text as SVG writes it.
std::string escaped(const std::string& text);

}  // namespace ulterix
