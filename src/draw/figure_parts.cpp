#include "draw/figure_parts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace ulterix {

namespace {

const Stroke kFirstStroke{palette::kFirstOrder, 1.9, {7, 4}};
const Stroke kSecondStroke{palette::kSecondOrder, 2.4, {}};

}  // namespace

Stroke stroke_of(const DrawnSteps& steps, std::size_t index) {
  const bool last = index + 1 == steps.size();
  if (steps.size() > 1 && !last) return kFirstStroke;
  if (steps.size() > 1 || steps[index].recovery->step().state.geometric) return kSecondStroke;
  return {palette::kFirstOrder, 2.2, {}};
}

std::string title_of(const Model& model) {
  return model.title.empty() ? "(no title)" : model.title;
}

std::string names_of(const DrawnSteps& steps) {
  return steps.size() == 1 ? steps[0].name : fmt::format("{} and {}", steps[0].name, steps[1].name);
}

std::vector<Vector3d> corners(const Model& model, const std::vector<MemberId>& members) {
  std::vector<Vector3d> points;
  for (const MemberId id : members) {
    points.push_back(model.nodes[model.members[id].start].position);
    points.push_back(model.nodes[model.members[id].end].position);
  }
  return points;
}

std::vector<MemberId> shown_members(const Model& model, const FigureSettings& settings) {
  return settings.members.empty() ? model.members.ids() : settings.members;
}

std::vector<Vector3d> deflected_axis(const Recovery& recovery, MemberId id, double scale) {
  const MemberFrame& system = recovery.frame();
  const Matrix3d& R = system.axes(id);
  const Vector3d start = system.variant().position(system.model().members[id].start);
  std::vector<Vector3d> points;
  const MemberLine line = recovery.line(id);
  for (const MemberLine::Span& span : line.spans()) {
    const int pieces =
        std::max(2, static_cast<int>(std::lround(16 * (span.to - span.from) / line.length())));
    for (int i = points.empty() ? 0 : 1; i <= pieces; ++i) {
      const LinePoint p = span.at(double(i) / pieces);
      points.emplace_back(start + R.transpose() * (Vector3d(p.x, 0, 0) + scale * p.displacement));
    }
  }
  return points;
}

void draw_panels(Canvas& canvas, const DrawnSteps& steps, const FigureSettings& settings,
                 const std::vector<Vector3d>& extent,
                 const std::function<std::string(Scene&, const DrawnSteps&)>& draw) {
  const Model& model = steps.front().recovery->frame().model();
  const ViewDirection direction = settings.view.value_or(default_view(model));
  if (!settings.side_by_side || steps.size() < 2) {
    Scene scene(canvas, View(model, extent, direction), model, settings.members);
    draw(scene, steps);
    return;
  }
  for (std::size_t i = 0; i < steps.size(); ++i) {
    const Area area = half_page(i == 0);
    Scene scene(canvas, View(model, extent, direction, area), model, settings.members);
    const std::string caption = draw(scene, {steps[i]});
    const TextStyle style{14, true, palette::kInk};
    const std::string text =
        caption.empty() ? steps[i].name : fmt::format("{}: {}", steps[i].name, caption);
    const double middle = (area.low[0] + area.high[0]) / 2;
    canvas.text({middle - canvas.measure(text, style)[0] / 2, Canvas::kHeight - 52}, text, style);
  }
}

std::vector<LegendEntry> legend_of(const DrawnSteps& steps, const FigureSettings& settings) {
  std::vector<LegendEntry> entries;
  if (settings.side_by_side && steps.size() > 1) return entries;
  for (std::size_t i = 0; i < steps.size(); ++i) {
    entries.push_back({stroke_of(steps, i), steps[i].name});
  }
  return entries;
}

}  // namespace ulterix
