#include "draw/model_figure.hpp"

#include <fmt/format.h>

#include "core/model/local_axes.hpp"
#include "draw/label_placer.hpp"
#include "draw/page.hpp"
#include "draw/symbols.hpp"

namespace ulterix {

namespace {

constexpr double kAxisLength = 26;  // px
/// With more members than this, names and axes would only be a blur.
constexpr int kMostNamed = 150;

std::vector<Vector3d> all_positions(const Model& model) {
  std::vector<Vector3d> points;
  for (const Node& n : model.nodes) points.push_back(n.position);
  return points;
}

/// Local x along, z up the web, y across; an axis seen end-on is a dot.
void draw_local_axes(Canvas& canvas, const View& view, const Model& model, MemberId id,
                     LabelPlacer& labels) {
  const Member& m = model.members[id];
  const Vector3d middle = (model.nodes[m.start].position + model.nodes[m.end].position) / 2;
  const Matrix3d R = local_axes(model, id);
  const Vector2d at = view(middle);
  const std::array<Colour, 3> colours = {palette::kInk, palette::kFirstOrder,
                                         palette::kSecondOrder};
  for (int axis = 0; axis < 3; ++axis) {
    const Vector2d d = view.direction(R.row(axis).transpose());
    if (d.norm() < 0.15) continue;
    const Vector2d tip = at + d * kAxisLength;
    draw_arrow(canvas, at, tip, {colours[axis], 1.3, {}});
    labels.avoid({at, tip});
  }
  for (int axis = 0; axis < 3; ++axis) {
    const Vector2d d = view.direction(R.row(axis).transpose());
    if (d.norm() < 0.15) continue;
    labels.place(at + d * kAxisLength, std::string(kAxisNames[axis]), {10.5, false, colours[axis]});
  }
}

void draw_page(Canvas& canvas, const Model& model, const UnitSystem& units) {
  const View view(model, all_positions(model));
  LabelPlacer labels(canvas);
  draw_heading(
      canvas, model.title.empty() ? "(no title)" : model.title,
      fmt::format("model as drawn: {} nodes, {} members; coordinates in {}", model.nodes.size(),
                  model.members.size(), units.label(Quantity::length)));
  draw_undeformed(canvas, view, model, {palette::kInk, 1.6, {}});
  draw_supports(canvas, view, model);
  draw_hinges(canvas, view, model);
  for (const Member& m : model.members) {
    labels.avoid({view(model.nodes[m.start].position), view(model.nodes[m.end].position)});
  }
  for (const Support& s : model.supports) {
    const Vector2d at = view(model.nodes[s.node].position);
    labels.avoid_box(at + Vector2d(-15, 1), at + Vector2d(15, 24));
  }
  const bool named = model.members.size() <= kMostNamed;
  if (named) {
    for (const Node& n : model.nodes) {
      labels.place(view(n.position), n.name, {12, true, palette::kInk});
    }
    for (const MemberId id : model.members.ids()) draw_local_axes(canvas, view, model, id, labels);
    for (const Member& m : model.members) {
      const Vector3d at = 0.7 * model.nodes[m.start].position + 0.3 * model.nodes[m.end].position;
      labels.place(view(at), m.name, {11, false, palette::kSupport});
    }
  }
  std::vector<LegendEntry> legend = {{{palette::kInk, 1.6, {}}, "x: start to end"},
                                     {{palette::kSecondOrder, 1.6, {}}, "z: along the web"}};
  const LegendEntry y = {{palette::kFirstOrder, 1.6, {}}, "y: the major axis, bending about it"};
  if (model.plane == Plane::space) legend.push_back(y);
  draw_legend(canvas, legend);
  std::string note;
  if (!named) note = "names and local axes left out: too many members";
  if (named && labels.dropped() > 0) note = fmt::format("{} names left out", labels.dropped());
  draw_note(canvas, note);
}

}  // namespace

void draw_model(const Model& model, const UnitSystem& units, const std::string& path) {
  draw_files({path}, model.title + ": the model with its local axes",
             [&](Canvas& canvas) { draw_page(canvas, model, units); });
}

}  // namespace ulterix
