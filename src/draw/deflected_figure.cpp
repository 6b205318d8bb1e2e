#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/parallel.hpp"
#include "core/results/comparison.hpp"
#include "draw/figure_parts.hpp"
#include "draw/symbols.hpp"
#include "units/for_people.hpp"

namespace ulterix {

namespace {

/// Largest displacement as a part of the frame's size.
constexpr double kDeflectedShare = 1.0 / 20;
/// A deflection from the chord that is drawn smaller than this is not written, px.
constexpr double kShownBow = 4;

/// Largest displacement of the axes shown, between the nodes too.
double largest_deflection(const Recovery& r, const std::vector<MemberId>& members) {
  std::vector<double> largest(members.size(), 0);
  for_each_index(static_cast<int>(members.size()), [&](int i) {
    const auto at = static_cast<std::size_t>(i);
    const MemberLine& line = r.line(members[at]);
    for (const MemberLine::Span& span : line.spans()) {
      for (const double xi : {0.0, 0.25, 0.5, 0.75, 1.0}) {
        largest[at] = std::max(largest[at], span.at(xi).displacement.norm());
      }
    }
  });
  return largest.empty() ? 0 : *std::max_element(largest.begin(), largest.end());
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

/// Where a member leaves the chord between its ends furthest.
struct Bow {
  MemberId member;
  int direction = 2;
  double x = 0, value = 0;
};

Bow largest_bow(const Recovery& recovery, const std::vector<MemberId>& members) {
  std::vector<Bow> all(members.size());
  for_each_index(static_cast<int>(members.size()), [&](int i) {
    Bow& own = all[static_cast<std::size_t>(i)];
    own.member = members[static_cast<std::size_t>(i)];
    const MemberLine& line = recovery.line(own.member);
    for (const int d : {1, 2}) {
      const Extreme e = line.displacement_extremes(Vector3d::Unit(d), true);
      for (const auto& [x, value] : {std::pair(e.x_min, e.min), std::pair(e.x_max, e.max)}) {
        if (std::abs(value) > std::abs(own.value)) own = {own.member, d, x, value};
      }
    }
  });
  Bow bow;
  for (const Bow& own : all) {
    if (std::abs(own.value) > std::abs(bow.value) * (1 + 1e-9)) bow = own;
  }
  return bow;
}

/// "R1 dz = -12.3 mm, span/420", from the chord.
std::string bow_text(const Model& model, const Bow& bow, const UnitSystem& units) {
  return fmt::format("{} d{} = {} {}, span/{:.0f}", model.members[bow.member].name,
                     kAxisNames[static_cast<std::size_t>(bow.direction)],
                     significant(units.from_si(Quantity::displacement, bow.value), 3),
                     units.label(Quantity::displacement),
                     model.length(bow.member) / std::abs(bow.value));
}

}  // namespace

double automatic_scale(const DrawnSteps& steps, const FigureSettings& settings) {
  const Model& model = steps.back().recovery->frame().model();
  double u = 0;
  for (const DrawnStep& s : steps) {
    u = std::max(
        u, largest_deflection(*s.recovery, standing(shown_members(model, settings), *s.recovery)));
  }
  return u > 0 ? round_scale(kDeflectedShare * model.size() / u) : 1;
}

void draw_deflected(Canvas& canvas, const DrawnSteps& steps, const UnitSystem& units,
                    const FigureSettings& settings) {
  const Recovery& main = *steps.back().recovery;
  const Model& model = main.frame().model();
  const std::vector<MemberId> members = shown_members(model, settings);
  const double scale = settings.scale.value_or(automatic_scale(steps, settings));
  std::vector<Vector3d> extent = corners(model, members);
  for (const DrawnStep& s : steps) {
    for (const auto& axis : deflected_axes(*s.recovery, standing(members, *s.recovery), scale, 4)) {
      extent.insert(extent.end(), axis.begin(), axis.end());
    }
  }
  const bool loads = shows_loads(model, settings);
  const int d = main_direction(main);
  draw_heading(
      canvas, title_of(model),
      fmt::format("deflected shape, {}: displacements x {:g}", what_of(steps, settings), scale));
  draw_panels(canvas, steps, settings, extent, [&](Scene& scene, const DrawnSteps& own) {
    scene.draw_undeformed(kUndeformedStroke);
    const Recovery& shown = *own.back().recovery;
    if (loads) draw_loads(scene, shown.frame().situation(), shown.loads());
    scene.avoid_frame();
    std::vector<std::vector<Vector2d>> curves;
    for (std::size_t i = 0; i < own.size(); ++i) {
      const auto axes = deflected_axes(*own[i].recovery, scene.members(), scale, scene.pieces(16));
      curves = scene.draw_curves(axes, stroke_of(own, i));
      for (const auto& line : curves) scene.labels().avoid(line);
    }
    draw_supports(scene);
    draw_hinges(scene, curves);
    const NodeId n = furthest_node((settings.sheet.empty() ? main : shown).step(), d);
    std::string text = largest_text(own, n, d, units);
    if (scene.shows(n) && settings.sheet.empty()) {  // else the caption says it
      const Vector3d at =
          model.nodes[n].position + scale * own.back().recovery->step().state.nodes[n].translation;
      scene.labels().place(scene(at), text, {14, true, palette::kSecondOrder}, true);
    }
    const Recovery& last = *own.back().recovery;
    const Bow bow = largest_bow(last, scene.members());
    if (std::abs(bow.value) * scale * scene.view().scale() > kShownBow) {
      const auto axis = deflected_axis(last, bow.member, scale);
      const double part = bow.x / model.length(bow.member);
      const auto at = static_cast<std::size_t>(std::lround(part * double(axis.size() - 1)));
      scene.labels().place(scene(axis[at]), bow_text(model, bow, units),
                           {12.5, false, palette::kInk}, true);
    }
    const double first = displacement_of(*steps[0].recovery, n, d);
    const bool second_panel =
        settings.sheet.empty() && own.size() < steps.size() && own[0].recovery != steps[0].recovery;
    if (second_panel && first != 0) {
      text += fmt::format(", ratio {:.2f}", displacement_of(*own[0].recovery, n, d) / first);
    }
    return text;
  });
  std::vector<LegendEntry> legend = {{kUndeformedStroke, "undeformed"}};
  for (const LegendEntry& e : legend_of(steps, settings)) legend.push_back(e);
  if (loads) legend.push_back({{palette::kLoad, 1.3, {}}, "loads"});
  draw_legend(canvas, legend);
}

}  // namespace ulterix
