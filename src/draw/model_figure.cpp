#include "draw/model_figure.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/model/local_axes.hpp"
#include "draw/figure_parts.hpp"
#include "draw/section_outline.hpp"
#include "draw/symbols.hpp"

namespace ulterix {

namespace {

constexpr double kAxisLength = 26;  // px
/// Larger side of a section's outline, px.
constexpr double kOutlineSize = 19;
/// With more members than this, names and axes would only be a blur.
constexpr int kMostNamed = 150;

Vector3d along(const Model& model, MemberId id, double part) {
  const Member& m = model.members[id];
  return (1 - part) * model.nodes[m.start].position + part * model.nodes[m.end].position;
}

/// Local x along, z up the web, y across; an axis seen end-on is left out.
void draw_local_axes(Scene& scene, MemberId id) {
  const Matrix3d R = local_axes(scene.model(), id);
  const Vector2d at = scene(along(scene.model(), id, 0.5));
  const std::array<Colour, 3> colours = {palette::kInk, palette::kFirstOrder,
                                         palette::kSecondOrder};
  for (int axis = 0; axis < 3; ++axis) {
    const Vector2d d = scene.view().direction(R.row(axis).transpose());
    if (d.norm() < 0.15) continue;
    const Vector2d tip = at + d * kAxisLength;
    draw_arrow(scene.canvas(), at, tip, {colours[axis], 1.3, {}});
    scene.labels().avoid({at, tip});
  }
  for (int axis = 0; axis < 3; ++axis) {
    const Vector2d d = scene.view().direction(R.row(axis).transpose());
    if (d.norm() < 0.15) continue;
    scene.labels().place(at + d * kAxisLength, std::string(kAxisNames[axis]),
                         {10.5, false, colours[axis]});
  }
}

/// Directions on the page of the section's y and z: as they are seen, and in a plane frame, whose
/// sections stand edge-on, turned into the drawing plane about the direction across the member.
std::pair<Vector2d, Vector2d> section_directions(const Scene& scene, const Matrix3d& R) {
  const View& view = scene.view();
  Vector2d y = view.direction(R.row(1).transpose()), z = view.direction(R.row(2).transpose());
  const Vector2d x = view.direction(R.row(0).transpose());
  if (scene.model().plane == Plane::space) return {y, z};
  if (y.norm() < 0.1) y = x;
  if (z.norm() < 0.1) z = x;
  return {y, z};
}

void draw_outline(Scene& scene, MemberId id) {
  const Section& section = scene.model().sections[scene.model().members[id].section];
  const auto outline = section_outline(section);
  if (outline.empty()) return;
  double size = 0;
  for (const Vector2d& p : outline.front()) size = std::max({size, 2 * p.cwiseAbs().maxCoeff()});
  const auto [y, z] = section_directions(scene, local_axes(scene.model(), id));
  const Vector3d where = along(scene.model(), id, 0.75);
  const Vector2d at = scene(where);
  bool outer = true;
  for (const auto& ring : outline) {
    std::vector<Vector2d> page;
    for (const Vector2d& p : ring)
      page.emplace_back(at + (p[0] * y + p[1] * z) * kOutlineSize / size);
    scene.canvas().polygon(page, outer ? palette::kFaint : palette::kWhite);
    scene.canvas().line(page, scene.at_depth({palette::kSupport, 1, {}}, where));
    scene.labels().avoid(page);
    outer = false;
  }
}

}  // namespace

void draw_model(Canvas& canvas, const Model& model, const UnitSystem& units,
                const FigureSettings& settings, const LoadSet* loads) {
  const std::vector<MemberId> members = shown_members(model, settings);
  Scene scene(canvas, View(model, corners(model, members), view_of(model, settings)), model,
              settings.members);
  draw_heading(
      canvas, title_of(model),
      loads == nullptr
          ? fmt::format("model as drawn: {} nodes, {} members; coordinates in {}",
                        model.nodes.size(), model.members.size(), units.label(Quantity::length))
          : fmt::format("model with the loads of {}", loads->name));
  draw_key_plan(scene, settings);
  scene.draw_undeformed({palette::kInk, 1.6, {}});
  const bool named = members.size() <= kMostNamed;
  for (const MemberId id : scene.members()) {
    if (named && loads == nullptr) draw_outline(scene, id);
  }
  draw_supports(scene);
  draw_hinges(scene);
  scene.avoid_frame();
  const Situation situation(model);
  if (loads != nullptr) {
    draw_loads(scene, situation, AppliedLoads(situation, *loads), named ? &units : nullptr);
  }
  if (named) {
    for (const NodeId n : model.nodes.ids()) {
      if (!scene.shows(n)) continue;
      scene.labels().place(scene(model.nodes[n].position), model.nodes[n].name,
                           {12, true, palette::kInk});
    }
    for (const MemberId id : scene.members()) {
      if (loads == nullptr) draw_local_axes(scene, id);
    }
    for (const MemberId id : scene.members()) {
      scene.labels().place(scene(along(model, id, 0.3)), model.members[id].name,
                           {11, false, palette::kSupport});
    }
  }
  std::vector<LegendEntry> legend;
  if (loads == nullptr) {
    legend = {{{palette::kInk, 1.6, {}}, "x: start to end"},
              {{palette::kSecondOrder, 1.6, {}}, "z: along the web"}};
    const LegendEntry y = {{palette::kFirstOrder, 1.6, {}}, "y: the major axis, bending about it"};
    if (model.plane == Plane::space) legend.push_back(y);
  } else {
    legend = {{{palette::kLoad, 1.3, {}}, "loads, factors of the combination in"}};
  }
  draw_legend(canvas, legend);
  std::string note;
  if (!named) note = "names and local axes left out: too many members";
  if (named && scene.labels().dropped() > 0) {
    note = fmt::format("{} labels left out for room", scene.labels().dropped());
  } else if (named && loads == nullptr && model.plane != Plane::space) {
    note = "sections turned into the drawing plane";
  }
  draw_note(canvas, note);
}

}  // namespace ulterix
