#include "draw/scene.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace ulterix {

namespace {

/// The furthest line keeps this part of its ink and of its width.
constexpr double kInkBehind = 0.42, kWidthBehind = 0.55;
/// With more members on a page, curves and edges are drawn coarser.
constexpr std::size_t kMany = 150;

/// Shades of depth: what is as far is drawn at once.
constexpr std::size_t kDepths = 17;
/// A point of a curve this near to a straight line between others is left out, px.
constexpr double kStraight = 0.1;

/// The points of a curve that it needs to look the same.
std::vector<Vector2d> without_straight_points(const std::vector<Vector2d>& points) {
  std::vector<Vector2d> kept;
  std::size_t last = 0;
  // A point is kept where the line on to the next would leave one of those between.
  const auto straight = [&](std::size_t end) {
    const Vector2d chord = points[end] - points[last];
    const double length = chord.norm();
    for (std::size_t i = last + 1; i < end; ++i) {
      const Vector2d d = points[i] - points[last];
      const double along = length > 0 ? d.dot(chord) / length : 0;
      const double off =
          length > 0 ? std::abs(chord[0] * d[1] - chord[1] * d[0]) / length : d.norm();
      if (off > kStraight || along < -kStraight || along > length + kStraight) return false;
    }
    return true;
  };
  for (std::size_t i = 0; i < points.size(); ++i) {
    if (i == 0 || i + 1 == points.size() || !straight(i + 1)) {
      kept.push_back(points[i]);
      last = i;
    }
  }
  return kept;
}

Vector3d middle_of(const Model& model, MemberId id) {
  const Member& m = model.members[id];
  return (model.nodes[m.start].position + model.nodes[m.end].position) / 2;
}

}  // namespace

Scene::Scene(Canvas& canvas, const View& view, const Model& model, std::vector<MemberId> members)
    : canvas_(&canvas),
      view_(view),
      model_(&model),
      labels_(canvas),
      members_(std::move(members)),
      shown_(model.nodes.size(), 0) {
  if (members_.empty()) members_ = model.members.ids();
  for (const MemberId id : members_) {
    shown_[model.members[id].start] = shown_[model.members[id].end] = 1;
  }
  if (members_.size() > kMany) canvas.draw_fast();
  std::stable_sort(members_.begin(), members_.end(), [this](MemberId a, MemberId b) {
    return view_.depth(middle_of(*model_, a)) > view_.depth(middle_of(*model_, b)) + 1e-9;
  });
}

int Scene::pieces(int fine) const {
  return members_.size() <= kMany ? fine : std::max(6, fine / 3);
}

std::vector<Vector2d> Scene::on_page(const std::vector<Vector3d>& points) const {
  std::vector<Vector2d> page;
  page.reserve(points.size());
  for (const Vector3d& p : points) page.push_back(view_(p));
  return page;
}

Colour Scene::at_depth(const Colour& colour, const Vector3d& where) const {
  return faded({colour, 1, {}}, view_.depth(where)).colour;
}

Stroke Scene::at_depth(const Stroke& stroke, const Vector3d& where) const {
  return faded(stroke, view_.depth(where));
}

Stroke Scene::faded(const Stroke& stroke, double depth) {
  const double ink = 1 - (1 - kInkBehind) * depth;
  const auto paler = [ink](double c) { return 1 - ink * (1 - c); };
  const Colour& c = stroke.colour;
  return {{paler(c.r), paler(c.g), paler(c.b), c.a},
          stroke.width * (1 - (1 - kWidthBehind) * depth),
          stroke.dashes};
}

void Scene::draw_undeformed(const Stroke& stroke) {
  std::vector<std::vector<Vector2d>> lines;
  std::vector<double> depths;
  for (const MemberId id : members_) {
    const Member& m = model_->members[id];
    lines.push_back({view_(model_->nodes[m.start].position), view_(model_->nodes[m.end].position)});
    depths.push_back(view_.depth(middle_of(*model_, id)));
  }
  draw_at_depths(lines, depths, stroke);
}

std::vector<std::vector<Vector2d>> Scene::draw_curves(
    const std::vector<std::vector<Vector3d>>& curves, const Stroke& stroke) {
  std::vector<std::vector<Vector2d>> lines;
  std::vector<double> depths;
  for (const std::vector<Vector3d>& curve : curves) {
    lines.push_back(without_straight_points(on_page(curve)));
    depths.push_back(view_.depth(curve[curve.size() / 2]));
  }
  draw_at_depths(lines, depths, stroke);
  return lines;
}

void Scene::draw_at_depths(const std::vector<std::vector<Vector2d>>& lines,
                           const std::vector<double>& depths, const Stroke& stroke) {
  std::array<std::vector<std::vector<Vector2d>>, kDepths> at;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const double depth = std::clamp(depths[i], 0.0, 1.0) * (kDepths - 1);
    at[static_cast<std::size_t>(std::lround(depth))].push_back(lines[i]);
  }
  for (std::size_t k = kDepths; k-- > 0;) {
    if (!at[k].empty()) canvas_->lines(at[k], faded(stroke, double(k) / (kDepths - 1)));
  }
}

void Scene::avoid_frame() {
  for (const MemberId id : members_) {
    const Member& m = model_->members[id];
    labels_.avoid({view_(model_->nodes[m.start].position), view_(model_->nodes[m.end].position)});
  }
  for (const Support& s : model_->supports) {
    if (!shows(s.node)) continue;
    const Vector2d at = view_(model_->nodes[s.node].position);
    labels_.avoid_box(at + Vector2d(-15, 1), at + Vector2d(15, 24));
  }
}

}  // namespace ulterix
