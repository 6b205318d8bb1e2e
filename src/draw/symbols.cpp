#include "draw/symbols.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/model/local_axes.hpp"
#include "units/for_people.hpp"

namespace ulterix {

namespace {

constexpr double kSupportSize = 13;
/// With more supports in sight each is a dash, since its symbol would hide the frame.
constexpr int kMostSymbols = 16;
constexpr double kHingeOff = 8, kHingeRadius = 3.2;
constexpr double kLongestNodalArrow = 46, kShortestArrow = 12, kLongestLineArrow = 24;
constexpr double kArrowSpacing = 16;

const Stroke kSupportStroke{palette::kSupport, 1.4, {}};

Vector2d turned(const Vector2d& v, double angle) {
  return {v[0] * std::cos(angle) - v[1] * std::sin(angle),
          v[0] * std::sin(angle) + v[1] * std::cos(angle)};
}

/// A ground line across `away` at its distance, hatched on the far side.
void draw_ground(Canvas& canvas, const Vector2d& at, const Vector2d& away, double half_width) {
  const Vector2d along = turned(away, std::numbers::pi / 2);
  canvas.line({at - along * half_width, at + along * half_width}, {palette::kSupport, 1.8, {}});
  for (double s = -half_width + 2; s <= half_width; s += 4.5) {
    const Vector2d foot = at + along * s;
    canvas.line({foot, foot + away * 5 - along * 4}, {palette::kSupport, 0.9, {}});
  }
}

void draw_triangle(Canvas& canvas, const Vector2d& at, const Vector2d& away, bool roller) {
  const Vector2d along = turned(away, std::numbers::pi / 2);
  const Vector2d a = at + away * kSupportSize - along * kSupportSize * 0.7;
  const Vector2d b = at + away * kSupportSize + along * kSupportSize * 0.7;
  canvas.polygon({at, a, b}, palette::kWhite);
  canvas.line({at, a, b, at}, kSupportStroke);
  const double gap = roller ? 5 : 0;
  draw_ground(canvas, at + away * (kSupportSize + gap), away, kSupportSize);
}

void draw_spring(Canvas& canvas, const Vector2d& at, const Vector2d& away) {
  const Vector2d along = turned(away, std::numbers::pi / 2);
  std::vector<Vector2d> zigzag = {at, at + away * 4};
  for (int i = 0; i < 6; ++i) {
    zigzag.emplace_back(at + away * (6 + 2.5 * i) + along * (i % 2 == 0 ? 5 : -5));
  }
  zigzag.emplace_back(at + away * 21);
  zigzag.emplace_back(at + away * 24);
  canvas.line(zigzag, kSupportStroke);
  draw_ground(canvas, at + away * 24, away, 9);
}

void draw_rotation_spring(Canvas& canvas, const Vector2d& at) {
  std::vector<Vector2d> spiral;
  for (int i = 0; i <= 40; ++i) {
    const double t = i / 40.0;
    spiral.emplace_back(at + turned(Vector2d(3 + 8 * t, 0), 4 * std::numbers::pi * t));
  }
  canvas.line(spiral, kSupportStroke);
}

/// Where a support in one direction stands: below, beside, or behind the node.
Vector2d ground_side(const View& view, int direction, int vertical) {
  const Vector2d d = view.direction(Vector3d::Unit(direction));
  if (d.norm() < 1e-9) return {0, 1};
  return direction == vertical ? Vector2d(0, 1) : Vector2d(-d.normalized());
}

void draw_support(Canvas& canvas, const View& view, const Model& model, const Support& s) {
  const Vector2d at = view(model.nodes[s.node].position);
  int held_translations = 0, translations = 0, held_rotations = 0, rotations = 0, last = -1;
  bool spring = false;
  for (int d = 0; d < 6; ++d) {
    if (!model.uses_direction(d)) continue;
    (d < 3 ? translations : rotations) += 1;
    const double k = s.directions[d].stiffness;
    if (k == kRigid) {
      (d < 3 ? held_translations : held_rotations) += 1;
      if (d < 3) last = d;
    } else if (k > 0) {
      spring = true;
      if (d < 3) draw_spring(canvas, at, ground_side(view, d, model.vertical));
      if (d >= 3) draw_rotation_spring(canvas, at);
    }
  }
  const Vector2d down(0, 1);
  if (held_translations == translations && held_rotations == rotations) {
    draw_ground(canvas, at, down, kSupportSize);
  } else if (held_translations == translations) {
    draw_triangle(canvas, at, down, false);
    if (held_rotations > 0) canvas.circle(at, 3, palette::kSupport, kSupportStroke);
  } else if (held_translations > 0) {
    const bool vertical = s.directions[model.vertical].stiffness == kRigid;
    draw_triangle(canvas, at, ground_side(view, vertical ? model.vertical : last, model.vertical),
                  true);
  } else if (held_rotations > 0 && !spring) {
    canvas.line({at + Vector2d(-5, -5), at + Vector2d(5, -5), at + Vector2d(5, 5),
                 at + Vector2d(-5, 5), at + Vector2d(-5, -5)},
                kSupportStroke);
  }
}

double arrow_length(double force, double largest) {
  return std::max(kShortestArrow, kLongestNodalArrow * force / largest);
}

/// A value waiting for its place, which is found when all arrows are drawn.
struct LoadLabel {
  Vector2d at;
  std::string text;
};
using LoadLabels = std::vector<LoadLabel>;

std::string with_unit(const UnitSystem& units, Quantity quantity, double value) {
  return fmt::format("{} {}", significant(units.from_si(quantity, value), 3),
                     units.label(quantity));
}

void draw_nodal_loads(Scene& scene, const Situation& situation, const AppliedLoads& loads,
                      const Stroke& stroke, const UnitSystem* values, LoadLabels& labels) {
  const Model& model = scene.model();
  double largest = 0;
  for (const NodeId n : model.nodes.ids()) {
    largest = std::max(largest, loads.on_node(n).head<3>().cwiseAbs().maxCoeff());
  }
  for (const NodeId n : model.nodes.ids()) {
    if (!scene.shows(n)) continue;
    const Vector6d& f = loads.on_node(n);
    const Vector2d at = scene(situation.position(n));
    for (int d = 0; d < 3; ++d) {
      // What is too small to draw in proportion stays away rather than lie about its size.
      if (std::abs(f[d]) < 0.02 * largest || f[d] == 0) continue;
      const Vector2d seen = scene.view().direction(Vector3d::Unit(d) * (f[d] > 0 ? 1 : -1));
      if (seen.norm() < 0.1) continue;
      const Vector2d direction = seen.normalized();
      const Vector2d tip = at - direction * 3;
      const Vector2d tail = tip - direction * arrow_length(std::abs(f[d]), largest);
      draw_arrow(scene.canvas(), tail, tip, stroke);
      scene.labels().avoid({tail, tip});
      if (values != nullptr) {
        labels.push_back({tail, with_unit(*values, Quantity::force, std::abs(f[d]))});
      }
    }
    const Vector3d m = f.tail<3>();
    if (m.isZero(0)) continue;
    int axis = 0;
    m.cwiseAbs().maxCoeff(&axis);
    draw_moment_arrow(scene.canvas(), at, (m[axis] > 0) == positive_turns_clockwise(model), stroke);
    if (values != nullptr) {
      labels.push_back({at + Vector2d(15, -15), with_unit(*values, Quantity::moment, m.norm())});
    }
  }
}

Vector3d force_at(const LoadSpan& span, double x) {
  return span.at(x).head<3>();
}

double largest_line_load(const Model& model, const AppliedLoads& loads) {
  double largest = 0;
  for (const MemberId id : model.members.ids()) {
    for (const LoadSpan& s : loads.on_member(id).spans) {
      largest = std::max({largest, force_at(s, s.from).norm(), force_at(s, s.to).norm()});
    }
  }
  return largest;
}

void draw_line_load(Scene& scene, const Vector3d& start, const Matrix3d& R, const LoadSpan& span,
                    double largest, const Stroke& stroke, const UnitSystem* values,
                    LoadLabels& labels) {
  const auto tip_at = [&](double x) { return scene(start + R.transpose() * Vector3d(x, 0, 0)); };
  const auto tail_of = [&](double x) {
    const Vector3d q = R.transpose() * force_at(span, x);
    const Vector2d d = scene.view().direction(q);
    if (d.norm() == 0) return tip_at(x);
    return Vector2d(tip_at(x) - d.normalized() * (kLongestLineArrow * q.norm() / largest + 3));
  };
  const double length = (tip_at(span.to) - tip_at(span.from)).norm();
  const int count = std::max(1, static_cast<int>(std::lround(length / kArrowSpacing)));
  std::vector<Vector2d> tails;
  for (int i = 0; i <= count; ++i) {
    const double x = span.from + (span.to - span.from) * i / count;
    const Vector2d tip = tip_at(x), tail = tail_of(x);
    tails.push_back(tail);
    if ((tip - tail).norm() > 4) {
      draw_arrow(scene.canvas(), tail, tip - (tip - tail).normalized() * 2,
                 {stroke.colour, 0.7, {}});
      scene.labels().avoid({tail, tip});
    }
  }
  scene.canvas().line(tails, {stroke.colour, 0.8, {}});
  if (values == nullptr) return;
  const double from = force_at(span, span.from).norm(), to = force_at(span, span.to).norm();
  const Quantity q = Quantity::force_per_length;
  if (std::abs(from - to) <= 1e-9 * largest) {
    labels.push_back({tails[tails.size() / 2], with_unit(*values, q, from)});
  } else {
    labels.push_back({tails.front(), with_unit(*values, q, from)});
    labels.push_back({tails.back(), with_unit(*values, q, to)});
  }
}

void draw_member_loads(Scene& scene, const Situation& situation, const AppliedLoads& loads,
                       const Stroke& stroke, const UnitSystem* values, LoadLabels& labels) {
  const Model& model = scene.model();
  const double largest = largest_line_load(model, loads);
  double largest_point = 0;
  for (const MemberId id : model.members.ids()) {
    for (const Vector6d& a : loads.on_member(id).actions) {
      largest_point = std::max(largest_point, a.head<3>().norm());
    }
  }
  for (const MemberId id : scene.members()) {
    const Member& m = model.members[id];
    const Vector3d start = situation.position(m.start);
    const Matrix3d R = local_axes(start, situation.position(m.end), m.roll, model.vertical);
    const MemberLoading& loading = loads.on_member(id);
    for (const LoadSpan& s : loading.spans) {
      const double own = std::max(force_at(s, s.from).norm(), force_at(s, s.to).norm());
      // Along a member (a column's own weight) a row of arrows would only thicken its line.
      const Vector2d along = scene.view().direction(R.row(0).transpose()).normalized();
      const Vector2d push =
          scene.view().direction(R.transpose() * force_at(s, (s.from + s.to) / 2));
      const bool across = push.norm() > 0 && std::abs(along.dot(push.normalized())) < 0.95;
      if (own > 0.05 * largest && across) {
        draw_line_load(scene, start, R, s, largest, stroke, values, labels);
      }
    }
    for (std::size_t i = 0; i < loading.actions.size(); ++i) {
      const Vector3d f = R.transpose() * loading.actions[i].head<3>();
      if (f.norm() < 0.02 * largest_point || f.norm() == 0) continue;
      const double x = i == 0 ? 0 : loading.spans[i - 1].to;
      const Vector2d at = scene(start + R.transpose() * Vector3d(x, 0, 0));
      const Vector2d seen = scene.view().direction(f);
      if (seen.norm() < 0.1 * f.norm()) continue;
      const Vector2d d = seen.normalized();
      const Vector2d tail = at - d * (arrow_length(f.norm(), largest_point) + 3);
      draw_arrow(scene.canvas(), tail, at - d * 3, stroke);
      scene.labels().avoid({tail, at});
      if (values != nullptr)
        labels.push_back({tail, with_unit(*values, Quantity::force, f.norm())});
    }
  }
}

}  // namespace

void draw_arrow(Canvas& canvas, const Vector2d& from, const Vector2d& to, const Stroke& stroke) {
  const Vector2d d = (to - from).normalized();
  const double head = std::min(7.0, 0.55 * (to - from).norm());
  const Vector2d side(-d[1], d[0]);
  canvas.line({from, to - d * head * 0.8}, stroke);
  canvas.polygon({to, to - d * head + side * head * 0.38, to - d * head - side * head * 0.38},
                 stroke.colour);
}

void draw_moment_arrow(Canvas& canvas, const Vector2d& at, bool clockwise, const Stroke& stroke) {
  const double radius = 15, from = -0.75 * std::numbers::pi, to = 0.6 * std::numbers::pi;
  canvas.arc(at, radius, from, to, stroke);
  const double end = clockwise ? to : from;
  const Vector2d tip = at + radius * Vector2d(std::cos(end), std::sin(end));
  const Vector2d along = turned(Vector2d(std::cos(end), std::sin(end)),
                                clockwise ? std::numbers::pi / 2 : -std::numbers::pi / 2);
  canvas.polygon({tip + along * 7, tip + turned(along, std::numbers::pi / 2) * 3.5,
                  tip - turned(along, std::numbers::pi / 2) * 3.5},
                 stroke.colour);
}

bool positive_turns_clockwise(const Model& model) {
  // y points away from the reader of an x–z picture, z towards that of an x–y picture.
  return model.plane != Plane::xy;
}

void draw_supports(Scene& scene) {
  const auto& supports = scene.model().supports;
  const auto shown = std::count_if(supports.begin(), supports.end(),
                                   [&scene](const Support& s) { return scene.shows(s.node); });
  for (const Support& s : supports) {
    if (!scene.shows(s.node)) continue;
    if (shown <= kMostSymbols) {
      draw_support(scene.canvas(), scene.view(), scene.model(), s);
      continue;
    }
    const Vector3d& where = scene.model().nodes[s.node].position;
    const Vector2d at = scene(where);
    scene.canvas().line({at - Vector2d(4, 0), at + Vector2d(4, 0)},
                        scene.at_depth(Stroke{palette::kSupport, 2.4, {}}, where));
  }
}

namespace {

/// So far along a line from its first point.
Vector2d point_along(const std::vector<Vector2d>& line, double distance) {
  for (std::size_t i = 0; i + 1 < line.size(); ++i) {
    const Vector2d d = line[i + 1] - line[i];
    if (d.norm() >= distance) return line[i] + d.normalized() * distance;
    distance -= d.norm();
  }
  return line.back();
}

}  // namespace

void draw_hinges(Scene& scene, const std::vector<std::vector<Vector2d>>& curves) {
  const Model& model = scene.model();
  for (std::size_t i = 0; i < scene.members().size(); ++i) {
    const Member& m = model.members[scene.members()[i]];
    if (m.kind != MemberKind::frame) continue;
    std::vector<Vector2d> line =
        curves.empty() ? scene.on_page({model.nodes[m.start].position, model.nodes[m.end].position})
                       : curves[i];
    if ((line.back() - line.front()).norm() < 3 * kHingeOff) continue;
    for (int end = 0; end < 2; ++end, std::reverse(line.begin(), line.end())) {
      bool free = false, sprung = false;
      for (int d = 0; d < 6; ++d) {
        free = free || m.joints[end][d] == 0;
        sprung = sprung || (m.joints[end][d] > 0 && m.joints[end][d] != kRigid);
      }
      if (!free && !sprung) continue;
      scene.canvas().circle(point_along(line, kHingeOff), kHingeRadius,
                            free ? palette::kWhite : palette::kUndeformed,
                            {palette::kInk, 1.2, {}});
    }
  }
}

void draw_loads(Scene& scene, const Situation& situation, const AppliedLoads& loads,
                const UnitSystem* values) {
  const Stroke stroke{palette::kLoad, 1.3, {}};
  LoadLabels labels;
  draw_member_loads(scene, situation, loads, stroke, values, labels);
  draw_nodal_loads(scene, situation, loads, stroke, values, labels);
  for (const LoadLabel& l : labels) {
    scene.labels().place(l.at, l.text, {11.5, false, palette::kLoad});
  }
}

}  // namespace ulterix
