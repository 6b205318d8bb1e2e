#pragma once

#include <functional>

#include "draw/figure.hpp"
#include "draw/page.hpp"
#include "draw/scene.hpp"

namespace ulterix {

/// What the figures of results share.

inline const Stroke kUndeformedStroke{palette::kUndeformed, 1.1, {}};

/// First-order blue and dashed under the other, which is red and solid; one alone is solid.
Stroke stroke_of(const DrawnSteps& steps, std::size_t index);

std::string title_of(const Model& model);
/// "first-order and p-delta, U1"; of a sheet its own words.
std::string what_of(const DrawnSteps& steps, const FigureSettings& settings);
/// Panels in rows, as square as the page lets them be.
std::vector<Area> panels(std::size_t count);
/// Those of the members that stand in a step.
std::vector<MemberId> standing(const std::vector<MemberId>& members, const Recovery& recovery);

std::vector<Vector3d> corners(const Model& model, const std::vector<MemberId>& members);
/// The members that a figure shows.
std::vector<MemberId> shown_members(const Model& model, const FigureSettings& settings);
ViewDirection view_of(const Model& model, const FigureSettings& settings);
/// Loads are drawn on plane frames and planes, and in space where they are asked for.
bool shows_loads(const Model& model, const FigureSettings& settings);

/// Where a figure shows one plane of a frame: in the corner the plan of the frame (for a floor its
/// front) with the plane as a bold line, and its name. Labels then keep away from it.
void draw_key_plan(Scene& scene, const FigureSettings& settings);

/// Points of a member's deflected axis in the frame, the true curve in so many pieces.
std::vector<Vector3d> deflected_axis(const Recovery& recovery, MemberId id, double scale,
                                     int pieces = 16);

/// The deflected axes of members, made on all cores.
std::vector<std::vector<Vector3d>> deflected_axes(const Recovery& recovery,
                                                  const std::vector<MemberId>& members,
                                                  double scale, int pieces = 16);

/// Text under a panel, in its middle; `foot`: its base line.
struct Caption {
  Area area;
  double foot = 0;
  std::string text;
};
/// All of a page in one size, in which the longest fits its panel.
void draw_captions(Canvas& canvas, const std::vector<Caption>& captions);

/// Calls draw(scene, steps) once for the whole page, or for each step on its half of it, with a
/// caption underneath. All scenes have the same view and scale; `extent` is what has to fit.
void draw_panels(Canvas& canvas, const DrawnSteps& steps, const FigureSettings& settings,
                 const std::vector<Vector3d>& extent,
                 const std::function<std::string(Scene&, const DrawnSteps&)>& draw);

/// Legend of the steps: nothing where a single one needs none.
std::vector<LegendEntry> legend_of(const DrawnSteps& steps, const FigureSettings& settings);

}  // namespace ulterix
