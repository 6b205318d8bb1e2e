#include "draw/frame_figure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <sstream>

#include "core/results/comparison.hpp"
#include "draw/page.hpp"
#include "draw/symbols.hpp"
#include "units/for_people.hpp"

namespace ulterix {

namespace {

const Stroke kFirstStroke{palette::kFirstOrder, 1.9, {7, 4}};
const Stroke kSecondStroke{palette::kSecondOrder, 2.4, {}};
const Stroke kUndeformedStroke{palette::kUndeformed, 1.1, {}};
/// Largest displacement or moment as a part of the frame's size.
constexpr double kDisplacementShare = 1.0 / 20, kMomentShare = 1.0 / 14;
/// Moments below this part of the largest are not written.
constexpr double kUnwritten = 0.05;
constexpr int kMostLabelled = 400;

std::vector<Vector3d> corners(const Model& model) {
  std::vector<Vector3d> points;
  for (const Node& n : model.nodes) points.push_back(n.position);
  return points;
}

/// Points of a member's deflected axis in the frame, true curve.
std::vector<Vector3d> deflected_axis(const Recovery& recovery, MemberId id, double scale) {
  const FrameSystem& system = recovery.system();
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

std::vector<Vector2d> on_page(const View& view, const std::vector<Vector3d>& points) {
  std::vector<Vector2d> page;
  for (const Vector3d& p : points) page.push_back(view(p));
  return page;
}

double largest_translation(const Recovery& r) {
  double u = 0;
  for (const NodeMotion& n : r.step().state.nodes) u = std::max(u, n.translation.norm());
  return u;
}

/// Largest displacement of any axis, members between their nodes too.
double largest_deflection(const Recovery& r) {
  double u = largest_translation(r);
  for (const MemberId id : r.system().model().members.ids()) {
    for (const LinePoint& p : r.line(id).stations(5)) u = std::max(u, p.displacement.norm());
  }
  return u;
}

std::string title_of(const Model& model) {
  return model.title.empty() ? "(no title)" : model.title;
}

std::string names_of(const Pair& pair) {
  return pair.second != nullptr ? "first-order and P-Delta" : "first-order";
}

void avoid_frame(LabelPlacer& labels, const View& view, const Model& model) {
  for (const Member& m : model.members) {
    labels.avoid({view(model.nodes[m.start].position), view(model.nodes[m.end].position)});
  }
  for (const Support& s : model.supports) {
    const Vector2d at = view(model.nodes[s.node].position);
    labels.avoid_box(at + Vector2d(-15, 1), at + Vector2d(15, 24));
  }
}

std::vector<LegendEntry> legend_of(const Pair& pair) {
  std::vector<LegendEntry> entries = {{kUndeformedStroke, "undeformed"},
                                      {kFirstStroke, "first-order"}};
  if (pair.second != nullptr) entries.push_back({kSecondStroke, "P-Delta"});
  return entries;
}

/// The displacement that the figure is about: the sway if there is one, else the largest.
int main_direction(const Pair& pair) {
  const Model& model = pair.main().system().model();
  int best = 0;
  double largest = -1;
  for (int d = 0; d < 3; ++d) {
    const NodeId n = furthest_node(pair.main().step(), d);
    double u = std::abs(pair.main().step().state.nodes[n].translation[d]);
    if (d != model.vertical) u *= 3;  // a sway says more than a shortening
    if (u > largest) {
      largest = u;
      best = d;
    }
  }
  return best;
}

void label_largest_displacement(const Pair& pair, const UnitSystem& units, const View& view,
                                double scale, LabelPlacer& labels) {
  const Model& model = pair.main().system().model();
  const int d = main_direction(pair);
  const NodeId n = furthest_node(pair.main().step(), d);
  const auto value = [&](const Recovery& r) {
    return significant(
        units.from_si(Quantity::displacement, r.step().state.nodes[n].translation[d]), 3);
  };
  std::string text = fmt::format("{} {} = {} {}", model.nodes[n].name, kDisplacementNames[d],
                                 value(pair.main()), units.label(Quantity::displacement));
  if (pair.second != nullptr) {
    const double first = pair.first->step().state.nodes[n].translation[d];
    const double second = pair.second->step().state.nodes[n].translation[d];
    text += fmt::format("  (first-order {}", value(*pair.first));
    text += first != 0 ? fmt::format(", ratio {:.2f})", second / first) : ")";
  }
  const Vector3d at =
      model.nodes[n].position + scale * pair.main().step().state.nodes[n].translation;
  labels.place(view(at), text, {14, true, palette::kSecondOrder});
}

}  // namespace

void draw_deflected(Canvas& canvas, const Pair& pair, const UnitSystem& units) {
  const FrameSystem& system = pair.main().system();
  const Model& model = system.model();
  const double u = std::max(largest_deflection(pair.main()), largest_deflection(*pair.first));
  const double scale = u > 0 ? round_scale(kDisplacementShare * model.size() / u) : 1;
  std::vector<Vector3d> extent = corners(model);
  for (const MemberId id : model.members.ids()) {
    const auto axis = deflected_axis(pair.main(), id, scale);
    extent.insert(extent.end(), axis.begin(), axis.end());
  }
  const View view(model, extent);
  draw_heading(canvas, title_of(model),
               fmt::format("deflected shape, {}, {}: displacements x {:g}", names_of(pair),
                           pair.main().step().loads.name, scale));
  draw_undeformed(canvas, view, model, kUndeformedStroke);
  LabelPlacer labels(canvas);
  draw_loads(canvas, view, system.variant(), pair.main().loads(), labels);
  avoid_frame(labels, view, model);
  for (const auto& [recovery, stroke] :
       {std::pair(pair.first, kFirstStroke), std::pair(pair.second, kSecondStroke)}) {
    if (recovery == nullptr) continue;
    for (const MemberId id : model.members.ids()) {
      const auto line = on_page(view, deflected_axis(*recovery, id, scale));
      canvas.line(line, stroke);
      labels.avoid(line);
    }
  }
  draw_supports(canvas, view, model);
  draw_hinges(canvas, view, model);
  label_largest_displacement(pair, units, view, scale, labels);
  std::vector<LegendEntry> legend = legend_of(pair);
  legend.push_back({{palette::kLoad, 1.3, {}}, "loads"});
  draw_legend(canvas, legend);
}

namespace {

/// Diagram of one bending moment along a member: offsets from the axis, in the frame.
struct Diagram {
  std::vector<Vector3d> axis, edge;
  struct Peak {
    Vector3d at;
    double moment, x;
    MemberId member;
  };
  std::vector<Peak> peaks;
};

/// Positive My has tension on the −z face, positive Mz on the −y face: that side is drawn.
Diagram moment_diagram(const Recovery& recovery, MemberId id, int component, double scale) {
  const FrameSystem& system = recovery.system();
  const Matrix3d& R = system.axes(id);
  const Vector3d start = system.variant().position(system.model().members[id].start);
  const Vector3d side = -R.row(component == kMy ? 2 : 1).transpose();
  const MemberLine line = recovery.line(id);
  Diagram d;
  for (const LinePoint& p : line.stations(15)) {
    const Vector3d foot = start + R.transpose() * Vector3d(p.x, 0, 0);
    d.axis.push_back(foot);
    d.edge.emplace_back(foot + scale * p.forces[component] * side);
  }
  const Extreme e = line.extremes()[component];
  std::vector<std::pair<double, double>> peaks = {{e.x_min, e.min}, {e.x_max, e.max}};
  peaks.emplace_back(0, line.at(0).forces[component]);
  peaks.emplace_back(line.length(), line.at(line.length()).forces[component]);
  for (const auto& [x, m] : peaks) {
    const Vector3d at = start + R.transpose() * Vector3d(x, 0, 0) + scale * m * side;
    d.peaks.push_back({at, m, x, id});
  }
  return d;
}

/// Bending moments that a frame of this model can have.
std::vector<int> moment_components(const Model& model, const FrameSystem& system, MemberId id) {
  if (model.members[id].kind != MemberKind::frame) return {};
  if (model.plane == Plane::space) return {kMy, kMz};
  const int normal = model.plane == Plane::xz ? 1 : 2;
  return {std::abs(system.axes(id)(1, normal)) > 0.5 ? kMy : kMz};
}

double largest_moment(const Recovery& recovery) {
  double largest = 0;
  const Model& model = recovery.system().model();
  for (const MemberId id : model.members.ids()) {
    const auto extremes = recovery.line(id).extremes();
    for (const int c : moment_components(model, recovery.system(), id)) {
      largest = std::max({largest, std::abs(extremes[c].min), std::abs(extremes[c].max)});
    }
  }
  return largest;
}

using Peaks = std::vector<Diagram::Peak>;

/// Peaks worth a number, the largest first, near doubles left out.
Peaks worth_writing(Peaks peaks, double largest, const View& view) {
  std::stable_sort(peaks.begin(), peaks.end(), [](const auto& a, const auto& b) {
    return std::abs(a.moment) > std::abs(b.moment) * (1 + 1e-9);
  });
  Peaks kept;
  for (const Diagram::Peak& p : peaks) {
    if (std::abs(p.moment) < kUnwritten * largest) break;
    const bool double_of = std::any_of(kept.begin(), kept.end(), [&](const Diagram::Peak& k) {
      return k.member == p.member && (view(k.at) - view(p.at)).norm() < 12;
    });
    if (!double_of) kept.push_back(p);
  }
  return kept;
}

}  // namespace

void draw_moments(Canvas& canvas, const Pair& pair, const UnitSystem& units) {
  const FrameSystem& system = pair.main().system();
  const Model& model = system.model();
  double largest = largest_moment(*pair.first);
  if (pair.second != nullptr) largest = std::max(largest, largest_moment(*pair.second));
  const double scale = largest > 0 ? kMomentShare * model.size() / largest : 0;
  const View view(model, corners(model));
  const std::string& unit = units.label(Quantity::moment);
  draw_heading(
      canvas, title_of(model),
      fmt::format("bending moment in {}, {}, {}: on the tension side, {} tall at the largest ({})",
                  unit, names_of(pair), pair.main().step().loads.name,
                  fmt::format("{:.2g} {}", units.from_si(Quantity::length, scale * largest),
                              units.label(Quantity::length)),
                  significant(units.from_si(Quantity::moment, largest), 3)));
  LabelPlacer labels(canvas);
  avoid_frame(labels, view, model);
  Peaks peaks;
  std::vector<std::vector<Vector2d>> first_edges, second_edges;
  for (const Recovery* recovery : {&pair.main(), pair.second != nullptr ? pair.first : nullptr}) {
    if (recovery == nullptr) continue;
    const bool main = recovery == &pair.main();
    for (const MemberId id : model.members.ids()) {
      for (const int component : moment_components(model, system, id)) {
        const Diagram d = moment_diagram(*recovery, id, component, scale);
        const auto axis = on_page(view, d.axis), edge = on_page(view, d.edge);
        std::vector<Vector2d> outline = {axis.front()};
        outline.insert(outline.end(), edge.begin(), edge.end());
        outline.push_back(axis.back());
        if (main) {
          canvas.polygon(outline, palette::kTint);
          peaks.insert(peaks.end(), d.peaks.begin(), d.peaks.end());
        }
        (main ? second_edges : first_edges).push_back(outline);
        labels.avoid(outline);
      }
    }
  }
  const bool both = pair.second != nullptr;
  for (const auto& edge : second_edges)
    canvas.line(edge, both ? Stroke{palette::kSecondOrder, 1.5, {}} : kFirstStroke);
  for (const auto& edge : first_edges) canvas.line(edge, {palette::kFirstOrder, 1.3, {6, 4}});
  draw_undeformed(canvas, view, model, {palette::kInk, 1.4, {}});
  draw_supports(canvas, view, model);
  draw_hinges(canvas, view, model);
  int unwritten = 0;
  if (model.members.size() <= kMostLabelled) {
    const Peaks written = worth_writing(peaks, largest, view);
    for (std::size_t i = 0; i < written.size(); ++i) {
      const std::string value = significant(units.from_si(Quantity::moment, written[i].moment), 3);
      const TextStyle style = i == 0 ? TextStyle{14, true, palette::kSecondOrder}
                                     : TextStyle{11.5, false, palette::kInk};
      const std::string place =
          i == 0 ? fmt::format(" ({} x {:.2f})", model.members[written[i].member].name,
                               units.from_si(Quantity::length, written[i].x))
                 : "";
      labels.place(view(written[i].at), value + place, style);
    }
    unwritten = labels.dropped();
  }
  std::vector<LegendEntry> legend = {{{palette::kFirstOrder, 1.3, {6, 4}}, "first-order"}};
  if (both) legend.push_back({{palette::kSecondOrder, 1.5, {}}, "P-Delta, with values"});
  draw_legend(canvas, legend);
  std::string note = "values under 5 % of the largest are not written";
  if (unwritten > 0) note += fmt::format("; {} more left out for room", unwritten);
  draw_note(canvas, note);
}

void draw_mechanism(Canvas& canvas, const FrameSystem& system, const Mechanism& mechanism,
                    int number, int count) {
  const Model& model = system.model();
  double u = 0, turn = 0;
  for (const NodeMotion& n : mechanism.motion) {
    u = std::max(u, n.translation.norm());
    turn = std::max(turn, n.rotation.norm());
  }
  const double scale = u > 0 ? 0.08 * model.size() / u : 0.3 / std::max(turn, 1e-12);
  Step step;
  step.state = State(model);
  for (const NodeId n : model.nodes.ids()) step.state.nodes[n] = mechanism.motion[n];
  step.has_state = true;
  const Recovery motion(system, step);
  const View view(model, corners(model));
  draw_heading(canvas, title_of(model),
               fmt::format("mechanism {} of {}: the motion that nothing resists, size arbitrary",
                           number, count));
  draw_undeformed(canvas, view, model, kUndeformedStroke);
  LabelPlacer labels(canvas);
  avoid_frame(labels, view, model);
  for (const MemberId id : model.members.ids()) {
    const auto line = on_page(view, deflected_axis(motion, id, scale));
    canvas.line(line, kSecondStroke);
    labels.avoid(line);
  }
  draw_supports(canvas, view, model);
  draw_hinges(canvas, view, model);
  for (std::size_t i = 0; i < mechanism.nodes.size() && i < 12; ++i) {
    const NodeId n = mechanism.nodes[i];
    const Vector2d from = view(model.nodes[n].position);
    const Vector2d to =
        view(Vector3d(model.nodes[n].position + scale * mechanism.motion[n].translation));
    if ((to - from).norm() > 6) draw_arrow(canvas, from, to, {palette::kInk, 1.2, {}});
    labels.place(to, model.nodes[n].name, {13, true, palette::kInk});
  }
  // The sentence, broken to the page.
  const TextStyle style{14, false, palette::kInk};
  std::string line;
  double y = Canvas::kHeight - 62;
  std::istringstream words(mechanism.words);
  for (std::string word; words >> word;) {
    std::string longer = line;
    longer.append(" ").append(word);
    if (canvas.measure(longer, style)[0] > Canvas::kWidth - 80) {
      canvas.text({36, y}, line, style);
      line.clear();
      y += 19;
    }
    if (!line.empty()) line += ' ';
    line += word;
  }
  canvas.text({36, y}, line, style);
}

}  // namespace ulterix
