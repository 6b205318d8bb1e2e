#pragma once

#include <vector>

#include "core/model/section.hpp"
#include "draw/canvas.hpp"

namespace ulterix {

/// Outline of a section in its own axes (y, z), m, closed; the inner edge of a hollow one follows
/// the outer one. Empty for a section given by numbers.
std::vector<std::vector<Vector2d>> section_outline(const Section& section);

}  // namespace ulterix
