#include "core/analysis/displaced_frame.hpp"

namespace ulterix {

namespace {

/// The turn of a member, between those of its ends.
Quaterniond turn_of(const MemberPoses& member) {
  return member.poses.front().rotation.slerp(0.5, member.poses.back().rotation);
}

}  // namespace

Situation displaced(const Step& state) {
  Situation situation = state.frame->situation();
  const Model& model = *situation.model;
  situation.strained = false;
  situation.births = {};
  for (const NodeId n : model.nodes.ids()) {
    if (situation.standing[n] != 0) situation.offsets[n] += state.state.nodes[n].translation;
  }
  situation.turned =
      IndexedVector<MemberId, Quaterniond>(model.members.size(), Quaterniond::Identity());
  for (const MemberId id : model.members.ids()) {
    situation.idle[id] = state.state.members[id].activity == Activity::idle ? 1 : 0;
    const bool bends = model.members[id].kind == MemberKind::frame;
    const MemberPoses& own = state.state.poses[id];
    if (!bends || own.poses.empty() || situation.present[id] == 0) continue;
    situation.turned[id] = turn_of(own);
  }
  situation.open = state.state.open;
  return situation;
}

std::optional<ChordError> largest_chord_error(const Step& state) {
  const Situation& drawn = state.frame->situation();
  const Model& model = *drawn.model;
  std::optional<ChordError> worst;
  for (const MemberId id : model.members.ids()) {
    const MemberPoses& own = state.state.poses[id];
    if (drawn.present[id] == 0 || own.poses.size() < 3) continue;
    const Member& m = model.members[id];
    const Vector3d start = drawn.position(m.start), axis = drawn.position(m.end) - start;
    const double L = axis.norm();
    const auto place = [&](std::size_t i) -> Vector3d {
      return start + own.x[i] / L * axis + own.poses[i].displacement;
    };
    const Vector3d first = place(0), chord = place(own.poses.size() - 1) - first;
    const Vector3d along = chord.normalized();
    const Matrix3d R = state.frame->axes(id) * turn_of(own).toRotationMatrix().transpose();
    const ElementProperties p = state.frame->properties(id);
    ChordError error{id, 0, 0};
    for (std::size_t i = 1; i + 1 < own.poses.size(); ++i) {
      const Vector3d off = place(i) - first;
      const Vector3d across = off - off.dot(along) * along;
      const double y = across.dot(R.row(1)), z = across.dot(R.row(2));
      error.sag = std::max(error.sag, across.norm());
      const double bends = (p.EIz > 0 ? y * y / p.EIz : 0) + (p.EIy > 0 ? z * z / p.EIy : 0);
      error.softens = std::max(error.softens, 8.0 / 15 * p.EA * bends);
    }
    if (!worst || error.softens > worst->softens) worst = error;
  }
  return worst;
}

}  // namespace ulterix
