#pragma once

#include <string>
#include <vector>

#include "draw/canvas.hpp"

namespace ulterix {

/// Title of the model and one line below it: what is drawn, analysis, load, scale.
void draw_heading(Canvas& canvas, const std::string& title, const std::string& line);

struct LegendEntry {
  Stroke stroke;
  std::string text;
};
/// At the foot of the page, left to right.
void draw_legend(Canvas& canvas, const std::vector<LegendEntry>& entries);
/// A short note at the right of the foot.
void draw_note(Canvas& canvas, const std::string& note);

/// The largest of 1, 2, 5 times a power of ten that is not above `value`.
double round_scale(double value);

}  // namespace ulterix
