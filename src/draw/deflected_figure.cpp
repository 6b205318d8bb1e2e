#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/results/comparison.hpp"
#include "draw/figure_parts.hpp"
#include "draw/symbols.hpp"
#include "units/for_people.hpp"

namespace ulterix {

namespace {

/// Largest displacement as a part of the frame's size.
constexpr double kShare = 1.0 / 20;

/// Largest displacement of the axes shown, between the nodes too.
double largest_deflection(const Recovery& r, const std::vector<MemberId>& members) {
  double u = 0;
  for (const MemberId id : members) {
    for (const LinePoint& p : r.line(id).stations(5)) u = std::max(u, p.displacement.norm());
  }
  return u;
}

/// The displacement that the figure is about: the sway if there is one, else the largest.
int main_direction(const Recovery& recovery) {
  const Model& model = recovery.frame().model();
  int best = 0;
  double largest = -1;
  for (int d = 0; d < 3; ++d) {
    const NodeId n = furthest_node(recovery.step(), d);
    double u = std::abs(recovery.step().state.nodes[n].translation[d]);
    if (d != model.vertical) u *= 3;  // a sway says more than a shortening
    if (u > largest) {
      largest = u;
      best = d;
    }
  }
  return best;
}

double displacement_of(const Recovery& r, NodeId n, int direction) {
  return r.step().state.nodes[n].translation[direction];
}

/// "A5 ux = 73.4 mm", with the first-order value and the ratio where two are drawn.
std::string largest_text(const DrawnSteps& steps, NodeId n, int d, const UnitSystem& units) {
  const Recovery& main = *steps.back().recovery;
  const auto value = [&](const Recovery& r) {
    return significant(units.from_si(Quantity::displacement, displacement_of(r, n, d)), 3);
  };
  std::string text =
      fmt::format("{} {} = {} {}", main.frame().model().nodes[n].name, kDisplacementNames[d],
                  value(main), units.label(Quantity::displacement));
  if (steps.size() < 2) return text;
  const double first = displacement_of(*steps[0].recovery, n, d);
  const double second = displacement_of(main, n, d);
  text += fmt::format("  ({} {}", steps[0].name, value(*steps[0].recovery));
  return text + (first != 0 ? fmt::format(", ratio {:.2f})", second / first) : ")");
}

}  // namespace

void draw_deflected(Canvas& canvas, const DrawnSteps& steps, const UnitSystem& units,
                    const FigureSettings& settings) {
  const Recovery& main = *steps.back().recovery;
  const Model& model = main.frame().model();
  const std::vector<MemberId> members = shown_members(model, settings);
  double u = 0;
  for (const DrawnStep& s : steps) u = std::max(u, largest_deflection(*s.recovery, members));
  const double size = model.size();
  const double scale = settings.scale.value_or(u > 0 ? round_scale(kShare * size / u) : 1);
  std::vector<Vector3d> extent = corners(model, members);
  for (const DrawnStep& s : steps) {
    for (const MemberId id : members) {
      const auto axis = deflected_axis(*s.recovery, id, scale);
      extent.insert(extent.end(), axis.begin(), axis.end());
    }
  }
  const int d = main_direction(main);
  const NodeId n = furthest_node(main.step(), d);
  draw_heading(canvas, title_of(model),
               fmt::format("deflected shape, {}, {}: displacements x {:g}", names_of(steps),
                           main.step().loads.name, scale));
  draw_panels(canvas, steps, settings, extent, [&](Scene& scene, const DrawnSteps& own) {
    scene.draw_undeformed(kUndeformedStroke);
    draw_loads(scene, main.frame().variant(), main.loads());
    scene.avoid_frame();
    for (std::size_t i = 0; i < own.size(); ++i) {
      for (const MemberId id : scene.members()) {
        const auto axis = deflected_axis(*own[i].recovery, id, scale);
        const auto line = scene.on_page(axis);
        canvas.line(line, scene.at_depth(stroke_of(own, i), axis[axis.size() / 2]));
        scene.labels().avoid(line);
      }
    }
    draw_supports(scene);
    draw_hinges(scene);
    std::string text = largest_text(own, n, d, units);
    if (scene.shows(n)) {
      const Vector3d at =
          model.nodes[n].position + scale * own.back().recovery->step().state.nodes[n].translation;
      scene.labels().place(scene(at), text, {14, true, palette::kSecondOrder});
    }
    const double first = displacement_of(*steps[0].recovery, n, d);
    const bool second_panel = own.size() < steps.size() && own[0].recovery != steps[0].recovery;
    if (second_panel && first != 0) {
      text += fmt::format(", ratio {:.2f}", displacement_of(*own[0].recovery, n, d) / first);
    }
    return text;
  });
  std::vector<LegendEntry> legend = {{kUndeformedStroke, "undeformed"}};
  for (const LegendEntry& e : legend_of(steps, settings)) legend.push_back(e);
  legend.push_back({{palette::kLoad, 1.3, {}}, "loads"});
  draw_legend(canvas, legend);
}

}  // namespace ulterix
