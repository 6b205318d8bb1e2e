#include "draw/page.hpp"

#include <cmath>

namespace ulterix {

namespace {

constexpr double kMargin = 36, kFoot = Canvas::kHeight - 22;

}  // namespace

void draw_heading(Canvas& canvas, const std::string& title, const std::string& line) {
  canvas.text({kMargin, 38}, title, {21, true, palette::kInk});
  canvas.text({kMargin, 62}, line, {14.5, false, palette::kInk});
}

void draw_legend(Canvas& canvas, const std::vector<LegendEntry>& entries) {
  double x = kMargin;
  for (const LegendEntry& entry : entries) {
    canvas.line({{x, kFoot - 5}, {x + 40, kFoot - 5}}, entry.stroke);
    canvas.text({x + 48, kFoot}, entry.text, {13, false, palette::kInk});
    x += 48 + canvas.measure(entry.text, {13, false, palette::kInk})[0] + 32;
  }
}

void draw_note(Canvas& canvas, const std::string& note) {
  if (note.empty()) return;
  const TextStyle style{12, false, palette::kSupport};
  canvas.text({Canvas::kWidth - kMargin - canvas.measure(note, style)[0], kFoot}, note, style);
}

double round_scale(double value) {
  if (!(value > 0) || !std::isfinite(value)) return 1;
  const double power = std::pow(10, std::floor(std::log10(value)));
  for (const double step : {5.0, 2.0}) {
    if (step * power <= value) return step * power;
  }
  return power;
}

}  // namespace ulterix
