#include "draw/scene.hpp"

#include <algorithm>

namespace ulterix {

namespace {

/// The furthest line keeps this part of its ink and of its width.
constexpr double kInkBehind = 0.42, kWidthBehind = 0.55;
/// With more members on a page, curves and edges are drawn coarser.
constexpr std::size_t kMany = 150;

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
  const double ink = 1 - (1 - kInkBehind) * view_.depth(where);
  const auto paler = [ink](double c) { return 1 - ink * (1 - c); };
  return {paler(colour.r), paler(colour.g), paler(colour.b), colour.a};
}

Stroke Scene::at_depth(const Stroke& stroke, const Vector3d& where) const {
  Stroke result = stroke;
  result.colour = at_depth(stroke.colour, where);
  result.width *= 1 - (1 - kWidthBehind) * view_.depth(where);
  return result;
}

void Scene::draw_undeformed(const Stroke& stroke) {
  for (const MemberId id : members_) {
    const Member& m = model_->members[id];
    canvas_->line({view_(model_->nodes[m.start].position), view_(model_->nodes[m.end].position)},
                  at_depth(stroke, middle_of(*model_, id)));
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
