#pragma once

#include <string>

#include "core/system/applied_loads.hpp"
#include "draw/figure.hpp"

namespace ulterix {

/// The model as read: members with their local axes and the outline of their sections as they are
/// turned, names, supports, hinges; with `loads` those too, their values written.
void draw_model(Canvas& canvas, const Model& model, const UnitSystem& units,
                const FigureSettings& settings = {}, const LoadSet* loads = nullptr);

}  // namespace ulterix
