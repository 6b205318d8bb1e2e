#pragma once

#include "core/system/applied_loads.hpp"
#include "draw/label_placer.hpp"
#include "draw/view.hpp"

namespace ulterix {

/// What a frame is drawn of, as the trade draws it. All sizes in px.
void draw_undeformed(Canvas& canvas, const View& view, const Model& model, const Stroke& stroke);
void draw_supports(Canvas& canvas, const View& view, const Model& model);
/// Small open circles off the joint at hinged ends, a filled one at end springs.
void draw_hinges(Canvas& canvas, const View& view, const Model& model);
/// Arrows that end where the load acts; lengths in proportion within the set.
/// Labels then keep away from them.
void draw_loads(Canvas& canvas, const View& view, const Variant& variant, const AppliedLoads& loads,
                LabelPlacer& labels);
/// From, to, with a head at the end.
void draw_arrow(Canvas& canvas, const Vector2d& from, const Vector2d& to, const Stroke& stroke);

}  // namespace ulterix
