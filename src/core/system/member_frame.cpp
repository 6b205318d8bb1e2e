#include "core/system/member_frame.hpp"

#include <cmath>

#include "core/model/local_axes.hpp"
#include "core/system/twist_runs.hpp"

namespace ulterix {

namespace {

IndexedVector<MemberId, Matrix3d> all_axes(const Situation& situation) {
  const Model& model = *situation.model;
  IndexedVector<MemberId, Matrix3d> axes(model.members.size(), Matrix3d::Zero());
  for (const MemberId id : model.members.ids()) axes[id] = local_axes(situation, id);
  return axes;
}

std::vector<std::vector<MemberId>> members_at(const Situation& situation) {
  const Model& model = *situation.model;
  std::vector<std::vector<MemberId>> at(static_cast<std::size_t>(model.nodes.size()));
  for (const MemberId id : model.members.ids()) {
    if (!situation.present[id]) continue;
    at[static_cast<std::size_t>(model.members[id].start.value)].push_back(id);
    at[static_cast<std::size_t>(model.members[id].end.value)].push_back(id);
  }
  return at;
}

/// Makes properties that act both ways those of a one-way member, with its slack; others stay.
void act_one_way(const Member& member, bool idle, ElementProperties& p) {
  const int sign = one_way_sign(member.kind);
  if (sign == 0) return;
  p.initial_force -= sign * p.EA * member.slack / p.length;
  p.idle = idle;
  if (p.idle) p.EA = p.initial_force = 0;
}

}  // namespace

Matrix12d to_global(const Matrix12d& K, const Matrix3d& R) {
  Matrix12d result;
  for (int i = 0; i < 4; ++i) {
    for (int j = 0; j <= i; ++j) {
      const Matrix3d block = R.transpose() * K.block<3, 3>(3 * i, 3 * j) * R;
      result.block<3, 3>(3 * i, 3 * j) = block;
      if (i != j) result.block<3, 3>(3 * j, 3 * i) = block.transpose();
    }
  }
  return result;
}

Vector12d to_global(const Vector12d& v, const Matrix3d& R) {
  Vector12d result;
  for (int i = 0; i < 4; ++i) result.segment<3>(3 * i) = R.transpose() * v.segment<3>(3 * i);
  return result;
}

MemberFrame::MemberFrame(const Situation& situation)
    : situation_(situation),
      axes_(all_axes(situation_)),
      supports_(supports_by_node(situation_)),
      members_at_(members_at(situation_)),
      warping_relief_(warping_relief(situation_, supports_, members_at_)) {}

void MemberFrame::take_histories(const Situation& situation) {
  situation_ = situation;
  supports_ = supports_by_node(situation_);
}

Vector6d MemberFrame::springs(NodeId id) const {
  Vector6d stiffness = Vector6d::Zero();
  for (int d = 0; d < kDirections; ++d) {
    const double k = support(id)[d].stiffness;
    if (k != kRigid) stiffness[d] = k;
  }
  return stiffness;
}

Vector6d MemberFrame::spring_force(NodeId id, const Vector6d& ground, const Vector6d& u) const {
  Vector6d settled;
  for (int d = 0; d < kDirections; ++d) settled[d] = support(id)[d].settle;
  return springs(id).cwiseProduct(settled + ground - u);
}

ElementProperties MemberFrame::properties(MemberId id) const {
  ElementProperties p = element_properties(situation_, id);
  p.r2 *= warping_relief_[id];
  return p;
}

ElementProperties element_properties(const Situation& situation, MemberId id) {
  const Model& model = *situation.model;
  const Member& m = model.members[id];
  const Section& section = model.sections[m.section];
  const Material& material = model.materials[m.material];
  const SectionProperties& s = section.properties;
  const StiffnessFactors &a = section.stiffness, &b = situation.factors[id];
  const auto flexibility = [&](double Av) {
    const double GAv = material.G * Av * a.Av * b.Av;
    return GAv > 0 ? 1 / GAv : 0;
  };
  ElementProperties p;
  p.kind = m.kind;
  p.length = (situation.position(m.end) - situation.position(m.start)).norm();
  p.EA = material.E * s.A * a.A * b.A;
  p.EIy = material.E * s.Iy * a.Iy * b.Iy;
  p.EIz = material.E * s.Iz * a.Iz * b.Iz;
  p.GJ = material.G * s.J * a.J * b.J;
  p.shear_flexibility_y = flexibility(s.Avy);
  p.shear_flexibility_z = flexibility(s.Avz);
  p.r2 = s.r2();
  p.joints = m.joints;
  p.bow = m.bow;
  if (situation.strained) p.initial_force = m.preload + p.EA * m.lack_of_fit / p.length;
  if (!situation.permanent.empty()) p.initial_force -= p.EA * situation.permanent[id] / p.length;
  if (const Aged* aged = situation.aged_of(id)) {
    for (double* k : {&p.EA, &p.EIy, &p.EIz, &p.GJ}) *k /= aged->softer;
    p.shear_flexibility_y *= aged->softer;
    p.shear_flexibility_z *= aged->softer;
  }
  if (!situation.one_way) return p;
  const bool yields = situation.failed_as(id) == Activity::yields;
  if (yields && m.kind != MemberKind::cable) {
    p.EA = 0;
    p.initial_force = m.breaks_at;
    return p;
  }
  act_one_way(m, situation.idle[id] != 0, p);
  if (m.kind == MemberKind::cable) {
    p.cable_length = m.cut_length;
    const Birth* birth = situation.birth(id);
    if (birth != nullptr && m.cut_in_place) {
      // Pulled to its force, or cut to fit, where it is built in: the chord is another there.
      const Vector3d drawn = situation.position(m.end) - situation.position(m.start);
      const Vector3d moved = birth->end.translation - birth->start.translation;
      p.cable_length *= (drawn + moved).norm() / drawn.norm();
    }
    if (!situation.cable_rests.empty() && situation.cable_rests[id]) {
      p.cable_length = situation.cable_rests[id]->length;
      p.cable_load = situation.cable_rests[id]->load;
      p.cable_reach = situation.cable_rests[id]->reach;
      p.cable_placed = true;
    } else if (m.weighs) {
      p.cable_load = local_axes(situation, id) * model.weight(id);
    }
    p.initial_force = 0;
    if (!situation.permanent.empty()) p.cable_length += situation.permanent[id];
    if (yields) p.cable_limit = m.breaks_at;
  }
  return p;
}

bool MemberFrame::bends(MemberId id, bool z_plane) const {
  if (model().plane == Plane::space) return true;
  const int normal = model().plane == Plane::xz ? 1 : 2;
  const bool about_y = std::abs(axes_[id](1, normal)) > 0.5;
  return about_y == z_plane;
}

Element MemberFrame::element(MemberId id, const MemberLoading& loading, const State& state,
                             int split) const {
  GeometricEffect effect;
  effect.acts = state.geometric;
  if (effect.acts) {
    effect.axial_start = state.members[id].axial_start;
    effect.between_nodes = state.between_nodes;
    effect.follows_loads = !state.axial_given;
    effect.bends_in_z = bends(id, true);
    effect.bends_in_y = bends(id, false);
    effect.twists = model().plane == Plane::space;
  }
  effect.reach = state.members[id].reach;
  effect.slack_resists = state.slack_resists;
  return {properties(id), loading, effect, split};
}

IndexedVector<MemberId, double> MemberFrame::axial_forces(const AppliedLoads& loads,
                                                          const State& state) const {
  IndexedVector<MemberId, double> forces(model().members.size(), 0.0);
  for (const MemberId id : model().members.ids()) {
    if (!situation_.present[id]) continue;
    const MemberLoading& loading = loads.on_member(id);
    const EndMotion ends = end_motion(id, state);
    const auto& joints = model().members[id].joints;
    const bool joined = joints[0][0] == kRigid && joints[1][0] == kRigid;
    forces[id] = joined ? axial_force_at_start(element_properties(situation_, id), loading, ends)
                        : element(id, loading, state).axial_force_at_start(ends);
  }
  return forces;
}

IndexedVector<MemberId, double> MemberFrame::mean_axial_forces(const AppliedLoads& loads,
                                                               const State& state) const {
  IndexedVector<MemberId, double> forces = axial_forces(loads, state);
  for (const MemberId id : model().members.ids()) {
    if (situation_.present[id]) forces[id] += mean_axial_load(loads.on_member(id));
  }
  return forces;
}

std::vector<MemberId> MemberFrame::cables() const {
  std::vector<MemberId> all;
  for (const MemberId id : model().members.ids()) {
    const bool hangs = situation_.one_way && model().members[id].kind == MemberKind::cable;
    if (hangs && situation_.present[id] != 0) all.push_back(id);
  }
  return all;
}

EndMotion MemberFrame::end_motion(MemberId id, const State& state) const {
  EndMotion motion = end_motion_since_drawn(id, state);
  if (situation_.birth(id) == nullptr && situation_.aged_of(id) == nullptr) return motion;
  motion.born = birth_motion(id);
  motion.deformed -= motion.born;
  return motion;
}

EndMotion MemberFrame::end_motion_since_birth(MemberId id, const State& state) const {
  EndMotion motion = end_motion(id, state);
  const Aged* aged = situation_.aged_of(id);
  if (aged == nullptr) return motion;
  motion.born -= aged->shift;
  motion.deformed += aged->shift;
  return motion;
}

EndMotion MemberFrame::end_motion_since_drawn(MemberId id, const State& state) const {
  const Member& m = model().members[id];
  return motion_between(id, state.nodes[m.start], state.nodes[m.end]);
}

Vector12d MemberFrame::birth_motion(MemberId id) const {
  Vector12d motion = Vector12d::Zero();
  if (const Birth* birth = situation_.birth(id)) {
    motion = motion_between(id, birth->start, birth->end).deformed;
  }
  if (const Aged* aged = situation_.aged_of(id)) motion += aged->shift;
  return motion;
}

EndMotion MemberFrame::motion_between(MemberId id, const NodeMotion& start,
                                      const NodeMotion& end) const {
  const Member& m = model().members[id];
  const Matrix3d& R = axes_[id];
  const auto local = [&R](const NodeMotion& node) {
    NodeMotionParts global, parts;
    for (int j = 0; j < 3; ++j) {
      global[j] = exact_sum(node.translation[j], node.rest[j]);
      global[j + 3] = exact_sum(node.rotation[j], node.rest[j + 3]);
    }
    for (int i = 0; i < 3; ++i) {
      for (int j = 0; j < 3; ++j) {
        const double c = R(i, j);
        if (c == 0) continue;
        for (const int d : {0, 3}) {
          // Of most members axes lie along those of the model: nothing to multiply.
          const TwoDouble& u = global[j + d];
          parts[i + d] = parts[i + d] + (c == 1 ? u : c == -1 ? -u : c * u);
        }
      }
    }
    return parts;
  };
  const double length = (situation_.position(m.end) - situation_.position(m.start)).norm();
  return end_motion_of(local(start), local(end), length);
}

}  // namespace ulterix
