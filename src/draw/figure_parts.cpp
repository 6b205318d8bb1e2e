#include "draw/figure_parts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

#include "core/parallel.hpp"

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

std::string what_of(const DrawnSteps& steps, const FigureSettings& settings) {
  if (!settings.sheet.empty()) return settings.sheet;
  const std::string& loads = steps.back().recovery->step().loads.name;
  return steps.size() == 1 ? fmt::format("{}, {}", steps[0].name, loads)
                           : fmt::format("{} and {}, {}", steps[0].name, steps[1].name, loads);
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

FigureSettings in_plane(FigureSettings settings, const Model& model, const FramePlane& plane) {
  std::vector<MemberId> members;
  for (const MemberId id : plane.members) {
    const bool chosen =
        settings.members.empty() ||
        std::find(settings.members.begin(), settings.members.end(), id) != settings.members.end();
    if (chosen) members.push_back(id);
  }
  settings.members = std::move(members);
  if (!settings.view) settings.view = plane.view(model);
  settings.plane = plane;
  return settings;
}

FigureSettings in_plane_of(MemberId member, FigureSettings settings, const Model& model,
                           const UnitSystem& units) {
  constexpr int kWholeFrame = 40;
  if (model.members.size() <= kWholeFrame || !member.valid()) return settings;
  const auto planes = find_planes(model, units);
  const FramePlane* plane = plane_of(planes, member);
  return plane != nullptr ? in_plane(std::move(settings), model, *plane) : settings;
}

ViewDirection view_of(const Model& model, const FigureSettings& settings) {
  return settings.view.value_or(default_view(model));
}

bool shows_loads(const Model& model, const FigureSettings& settings) {
  return settings.loads.value_or(model.plane != Plane::space || settings.plane.has_value());
}

void draw_key_plan(Scene& scene, const FigureSettings& settings) {
  if (!settings.plane) return;
  Canvas& canvas = scene.canvas();
  const Model& model = scene.model();
  const FramePlane& plane = *settings.plane;
  const Area corner{{Canvas::kWidth - 176, 14}, {Canvas::kWidth - 36, 84}};
  const ViewDirection direction = plane.floor ? ViewDirection{0, 0} : ViewDirection{0, M_PI / 2};
  const View view(model, corners(model, model.members.ids()), direction, corner);
  // Columns seen end-on, and beams above each other, are one line.
  std::set<std::array<long, 4>> drawn;
  const auto key = [](const Vector2d& a, const Vector2d& b) {
    return std::array<long, 4>{std::lround(a[0]), std::lround(a[1]), std::lround(b[0]),
                               std::lround(b[1])};
  };
  for (const MemberId id : model.members.ids()) {
    const Member& m = model.members[id];
    const Vector2d a = view(model.nodes[m.start].position), b = view(model.nodes[m.end].position);
    if ((a - b).norm() < 1.5 || !drawn.insert(key(a, b)).second) continue;
    canvas.line({a, b}, {palette::kFaint, 1, {}});
  }
  for (const MemberId id : plane.members) {
    const Member& m = model.members[id];
    const Vector2d a = view(model.nodes[m.start].position), b = view(model.nodes[m.end].position);
    if ((a - b).norm() >= 1.5) canvas.line({a, b}, {palette::kSecondOrder, 2.6, {}});
  }
  const TextStyle style{12.5, true, palette::kInk};
  const std::string name = plane.name + (plane.floor ? " (front)" : " (plan)");
  const Vector2d at(corner.high[0] - canvas.measure(name, style)[0], corner.high[1] + 20);
  canvas.text(at, name, style);
  scene.labels().avoid_box(corner.low.cwiseMin(at), {Canvas::kWidth, at[1] + 6});
}

std::vector<Vector3d> deflected_axis(const Recovery& recovery, MemberId id, double scale,
                                     int pieces) {
  const MemberFrame& system = recovery.frame();
  const Matrix3d& R = system.axes(id);
  const Vector3d start = system.situation().position(system.model().members[id].start);
  std::vector<Vector3d> points;
  const MemberLine& line = recovery.line(id);
  for (const MemberLine::Span& span : line.spans()) {
    const int own =
        std::max(2, static_cast<int>(std::lround(pieces * (span.to - span.from) / line.length())));
    for (int i = points.empty() ? 0 : 1; i <= own; ++i) {
      const LinePoint p = span.at(double(i) / own);
      points.emplace_back(start + R.transpose() * (Vector3d(p.x, 0, 0) + scale * p.displacement));
    }
  }
  return points;
}

std::vector<std::vector<Vector3d>> deflected_axes(const Recovery& recovery,
                                                  const std::vector<MemberId>& members,
                                                  double scale, int pieces) {
  std::vector<std::vector<Vector3d>> axes(members.size());
  for_each_index(static_cast<int>(members.size()), [&](int i) {
    const auto at = static_cast<std::size_t>(i);
    axes[at] = deflected_axis(recovery, members[at], scale, pieces);
  });
  return axes;
}

std::vector<Area> panels(std::size_t count) {
  const std::size_t columns = count <= 3 ? count : (count + 1) / 2;
  const std::size_t rows = (count + columns - 1) / columns;
  const Area page = whole_page();
  const Vector2d size = page.high - page.low;
  constexpr double kGap = 46, kCaption = 62;
  std::vector<Area> areas;
  for (std::size_t i = 0; i < count; ++i) {
    const std::size_t down = i / columns;
    const auto column = double(i % columns), row = double(down);
    const Vector2d low(page.low[0] + size[0] * column / double(columns),
                       page.low[1] + size[1] * row / double(rows));
    const Vector2d high(page.low[0] + size[0] * (column + 1) / double(columns) - kGap,
                        page.low[1] + size[1] * (row + 1) / double(rows) - kCaption);
    areas.push_back({low, high});
  }
  return areas;
}

namespace {

/// Room for labels beside the frame in a panel of a sheet.
constexpr double kPanelMargin = 30;

/// Members of a figure that stand in a step, as a scene needs them: never an empty list.
std::vector<MemberId> members_of(const DrawnSteps& steps, const FigureSettings& settings) {
  const Recovery& main = *steps.back().recovery;
  return standing(shown_members(main.frame().model(), settings), main);
}

/// What does not stand in a step, or not yet.
void draw_absent(Scene& scene, const FigureSettings& settings, const DrawnSteps& steps) {
  const Model& model = scene.model();
  for (const MemberId id : shown_members(model, settings)) {
    if (stands_in(steps.back().recovery->step(), id)) continue;
    const Member& m = model.members[id];
    scene.canvas().line({scene(model.nodes[m.start].position), scene(model.nodes[m.end].position)},
                        {palette::kFaint, 0.9, {3, 4}});
  }
}

}  // namespace

void draw_captions(Canvas& canvas, const std::vector<Caption>& captions) {
  TextStyle style{14, true, palette::kInk};
  for (const Caption& c : captions) {
    const double room = c.area.high[0] - c.area.low[0] + 40;
    while (style.size > 9 && canvas.measure(c.text, style)[0] > room) style.size -= 0.5;
  }
  for (const Caption& c : captions) {
    const double middle = (c.area.low[0] + c.area.high[0]) / 2;
    canvas.text({middle - canvas.measure(c.text, style)[0] / 2, c.foot}, c.text, style);
  }
}

std::vector<MemberId> standing(const std::vector<MemberId>& members, const Recovery& recovery) {
  std::vector<MemberId> all;
  for (const MemberId id : members) {
    if (stands_in(recovery.step(), id)) all.push_back(id);
  }
  return all;
}

void draw_panels(Canvas& canvas, const DrawnSteps& steps, const FigureSettings& settings,
                 const std::vector<Vector3d>& extent,
                 const std::function<std::string(Scene&, const DrawnSteps&)>& draw) {
  const Model& model = steps.front().recovery->frame().model();
  const ViewDirection direction = view_of(model, settings);
  const bool apart = !settings.sheet.empty() || (settings.side_by_side && steps.size() > 1);
  if (!apart) {
    Scene scene(canvas, View(model, extent, direction), model, members_of(steps, settings));
    draw_absent(scene, settings, steps);
    draw_key_plan(scene, settings);
    draw(scene, steps);
    return;
  }
  const bool above = is_wide(model, extent, direction);
  const std::vector<Area> sheet = panels(steps.size());
  std::vector<Caption> captions;
  for (std::size_t i = 0; i < steps.size(); ++i) {
    const DrawnSteps own = {steps[i]};
    Area area = settings.sheet.empty() ? half_page(i == 0, above) : sheet[i];
    if (!settings.sheet.empty()) {
      area.low[0] += kPanelMargin;
      area.high[0] -= kPanelMargin;
    }
    Scene scene(canvas, View(model, extent, direction, area), model, members_of(own, settings));
    draw_absent(scene, settings, own);
    draw_key_plan(scene, settings);
    const std::string caption = draw(scene, own);
    const double foot = !settings.sheet.empty() ? area.high[1] + 44
                        : above && i == 0       ? area.high[1] + 40
                                                : Canvas::kHeight - 52;
    captions.push_back(
        {area, foot,
         caption.empty() ? steps[i].name : fmt::format("{}: {}", steps[i].name, caption)});
  }
  draw_captions(canvas, captions);
}

std::vector<LegendEntry> legend_of(const DrawnSteps& steps, const FigureSettings& settings) {
  std::vector<LegendEntry> entries;
  if (!settings.sheet.empty() || (settings.side_by_side && steps.size() > 1)) return entries;
  for (std::size_t i = 0; i < steps.size(); ++i) {
    entries.push_back({stroke_of(steps, i), steps[i].name});
  }
  return entries;
}

}  // namespace ulterix
