#pragma once

#include "core/system/applied_loads.hpp"
#include "draw/scene.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// What a frame is drawn of, as the trade draws it. All sizes in px.
void draw_supports(Scene& scene);
/// Small open circles off the joint at hinged ends, a filled one at end springs.
void draw_hinges(Scene& scene, const std::vector<std::vector<Vector2d>>& curves = {});
/// Arrows that end where the load acts; lengths in proportion within the set. Labels then keep away
/// from them. With `values`, each is written beside its arrow.
void draw_loads(Scene& scene, const Situation& situation, const AppliedLoads& loads,
                const UnitSystem* values = nullptr);
/// From, to, with a head at the end.
void draw_arrow(Canvas& canvas, const Vector2d& from, const Vector2d& to, const Stroke& stroke);
/// Curved arrow about a point of the page.
void draw_moment_arrow(Canvas& canvas, const Vector2d& at, bool clockwise, const Stroke& stroke);
/// True if a positive moment about a global axis turns clockwise for the reader of a plane frame.
bool positive_turns_clockwise(const Model& model);

}  // namespace ulterix
