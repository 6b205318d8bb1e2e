#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "draw/figure_parts.hpp"
#include "draw/symbols.hpp"
#include "units/for_people.hpp"

namespace ulterix {

namespace {

constexpr double kLongestReaction = 78, kShortestReaction = 16, kOff = 26;
/// Smaller ones than this part of the largest of their kind are not drawn.
constexpr double kUndrawn = 0.005;
/// Of the frame's size.
constexpr double kRoomBelow = 0.11;

double largest_part(const DrawnSteps& steps, bool moments) {
  double largest = 0;
  for (const DrawnStep& s : steps) {
    for (const Vector6d& r : s.recovery->step().reactions) {
      const Vector3d part = moments ? r.tail<3>() : r.head<3>();
      largest = std::max(largest, part.cwiseAbs().maxCoeff());
    }
  }
  return largest;
}

/// "fz 812 kN", beside the first-order value where two are drawn.
std::string value_text(const DrawnSteps& steps, NodeId node, int d, const UnitSystem& units) {
  const Quantity q = d < 3 ? Quantity::force : Quantity::moment;
  const auto value = [&](std::size_t i) {
    return significant(units.from_si(q, steps[i].recovery->step().reactions[node][d]), 3);
  };
  std::string text =
      fmt::format("{} {}", kForceNames[static_cast<std::size_t>(d)], value(steps.size() - 1));
  if (steps.size() > 1) text += fmt::format(" ({})", value(0));
  return text;
}

/// Arrows push on the node from outside; a vertical one stands below the support's symbol.
void draw_force(Scene& scene, const Vector2d& at, const Vector3d& force, double part,
                bool vertical) {
  const Vector2d seen = scene.view().direction(force.normalized());
  if (seen.norm() < 0.1) return;
  const Vector2d d = seen.normalized();
  const double length = std::max(kShortestReaction, kLongestReaction * part);
  const Vector2d tip = vertical && d[1] < 0 ? at + Vector2d(0, kOff) : Vector2d(at - d * 6);
  const Stroke stroke{palette::kSecondOrder, 2, {}};
  draw_arrow(scene.canvas(), tip - d * length, tip, stroke);
  scene.labels().avoid({Vector2d(tip - d * length), tip});
}

}  // namespace

void draw_reactions(Canvas& canvas, const DrawnSteps& steps, const UnitSystem& units,
                    const FigureSettings& settings) {
  const Recovery& main = *steps.back().recovery;
  const Model& model = main.frame().model();
  const double forces = largest_part(steps, false), moments = largest_part(steps, true);
  draw_heading(canvas, title_of(model),
               fmt::format("reactions, {}: of the ground on the structure, in {} and {}",
                           what_of(steps, settings), units.label(Quantity::force),
                           units.label(Quantity::moment)));
  const bool loads = shows_loads(model, settings);
  const auto panel = [&](Scene& scene, const DrawnSteps& own) -> std::string {
    scene.draw_undeformed({palette::kInk, 1.4, {}});
    if (loads) draw_loads(scene, main.frame().situation(), main.loads());
    draw_supports(scene);
    draw_hinges(scene);
    scene.avoid_frame();
    struct Label {
      Vector2d at;
      std::string text;
    };
    std::vector<Label> labels;
    const Step& step = own.back().recovery->step();
    for (const Support& s : model.supports) {
      if (!scene.shows(s.node)) continue;
      const Vector2d at = scene(model.nodes[s.node].position);
      for (int d = 0; d < 6; ++d) {
        const double value = step.reactions[s.node][d], largest = d < 3 ? forces : moments;
        if (std::abs(value) <= kUndrawn * largest) continue;
        if (d < 3) {
          draw_force(scene, at, Vector3d::Unit(d) * value, std::abs(value) / forces,
                     d == model.vertical);
        } else {
          draw_moment_arrow(canvas, at, (value > 0) == positive_turns_clockwise(model),
                            {palette::kSecondOrder, 1.6, {}});
        }
        labels.push_back(
            {at + Vector2d(0, d == model.vertical ? 52 : 14), value_text(own, s.node, d, units)});
      }
    }
    for (const Label& l : labels) scene.labels().place(l.at, l.text, {12.5, true, palette::kInk});
    Vector3d total = Vector3d::Zero();
    for (const Vector6d& r : step.reactions) total += r.head<3>();
    std::string text = "sum";
    for (int d = 0; d < 3; ++d) {
      if (!model.uses_direction(d)) continue;
      text += fmt::format("  {} {}", kForceNames[static_cast<std::size_t>(d)],
                          significant(units.from_si(Quantity::force, total[d]), 4));
    }
    return text;
  };
  // Room for the arrows and values below the supports.
  std::vector<Vector3d> extent = corners(model, shown_members(model, settings));
  for (const Support& s : model.supports) {
    extent.emplace_back(model.nodes[s.node].position -
                        kRoomBelow * model.size() * Vector3d::Unit(model.vertical));
  }
  std::string sum;
  draw_panels(canvas, steps, settings, extent,
              [&](Scene& scene, const DrawnSteps& own) { return sum = panel(scene, own); });
  std::vector<LegendEntry> legend = {{{palette::kSecondOrder, 2, {}}, "reactions"}};
  if (loads) legend.push_back({{palette::kLoad, 1.3, {}}, "loads"});
  draw_legend(canvas, legend);
  const bool both = steps.size() > 1 && !settings.side_by_side;
  draw_note(canvas, both ? fmt::format("in brackets: {}; {}", steps[0].name, sum) : sum);
}

}  // namespace ulterix
