#include "core/system/frame_system.hpp"

#include <algorithm>
#include <cmath>

#include "core/parallel.hpp"

namespace ulterix {

namespace {

bool fully_joined(const Member& m) {
  return m.kind == MemberKind::frame && !m.has_hinges();
}

}  // namespace

FrameSystem::FrameSystem(const Situation& situation, const std::shared_ptr<const Topology>& near)
    : MemberFrame(situation),
      topology_(
          topology_of(this->situation(), DofMap(this->situation(), rotation_stiffness()), near)) {}

IndexedVector<NodeId, NodeRotationStiffness> FrameSystem::rotation_stiffness() const {
  const Model& m = model();
  IndexedVector<NodeId, NodeRotationStiffness> result(m.nodes.size());
  for (const NodeId n : m.nodes.ids()) {
    const auto& around = members_at_nodes()[static_cast<std::size_t>(n.value)];
    NodeRotationStiffness& node = result[n];
    const bool held = std::any_of(around.begin(), around.end(),
                                  [&m](MemberId id) { return fully_joined(m.members[id]); });
    if (held) {  // one member without hinges holds all three rotations
      node.stiffness.setIdentity();
      node.scale = 1;
      continue;
    }
    for (const MemberId id : around) {
      const ElementProperties p = element_properties(situation(), id);
      if (p.kind != MemberKind::frame) continue;
      const Element element(p, MemberLoading::none(p.length), {});
      const int at = m.members[id].start == n ? 3 : 9;
      node.stiffness += axes(id).transpose() * element.stiffness().block<3, 3>(at, at) * axes(id);
      node.scale = std::max({node.scale, p.EIy / p.length, p.EIz / p.length, p.GJ / p.length});
    }
    for (int d = 0; d < 3; ++d) {
      const double spring = support(n)[3 + d].stiffness;
      if (spring > 0 && spring != kRigid) {
        node.stiffness(d, d) += spring;
        // A spring that is alone at its node is as stiff as it needs to be.
        if (node.scale == 0) node.scale = spring;
      }
    }
  }
  return result;
}

FrameSystem::MemberPart FrameSystem::member_part(MemberId id, const AppliedLoads& loads,
                                                 const State& state, int split,
                                                 bool with_stiffness) const {
  MemberPart part;
  if (!situation().present[id]) return part;
  const Element e = element(id, loads.on_member(id), state, split);
  const Member& m = model().members[id];
  Vector12d own = e.fixed_end_forces();
  // A cable counts from the drawn place, and has another length where it was built in.
  const bool born = situation().birth(id) != nullptr || situation().aged_of(id) != nullptr;
  if (born && properties(id).cable_length == 0) own -= e.stiffness() * birth_motion(id);
  part.force = -to_global(own, axes(id));
  Vector12d moved;
  moved << prescribed(m.start, loads), prescribed(m.end, loads);
  part.settles = !moved.isZero(0);
  if (with_stiffness || part.settles) part.K = to_global(e.stiffness(), axes(id));
  if (part.settles) part.settlement = -part.K * moved;
  part.negative_pivots = e.negative_pivots();
  part.loaded_free_motion = e.loaded_free_motion();
  part.section_unstable = e.section_unstable();
  return part;
}

void FrameSystem::add_force(MemberId id, const MemberPart& part, RightSide& side) const {
  const Member& m = model().members[id];
  dofs().add_force(m.start, part.force.head<6>(), side.loads);
  dofs().add_force(m.end, part.force.tail<6>(), side.loads);
  if (part.settles) {
    dofs().add_force(m.start, part.settlement.head<6>(), side.rhs);
    dofs().add_force(m.end, part.settlement.tail<6>(), side.rhs);
  }
  if (part.loaded_free_motion >= 0) {
    side.loaded_free_motions.emplace_back(id, part.loaded_free_motion);
  }
}

Vector6d FrameSystem::settlement(NodeId id) const {
  Vector6d u0 = Vector6d::Zero();
  if (situation().standing[id] == 0) return u0;
  for (int d = 0; d < kDirections; ++d) {
    const bool rigid = support(id)[d].stiffness == kRigid && model().uses_direction(d);
    const bool with_floor = dofs()[id].leader.valid() && model().in_floor(d);
    if (rigid && !with_floor) u0[d] = support(id)[d].settle;
  }
  return u0;
}

Vector6d FrameSystem::prescribed(NodeId id, const AppliedLoads& loads) const {
  Vector6d u0 = settlement(id);
  const Vector6d ground = loads.ground(id);
  for (int d = 0; d < 6; ++d) {
    if (support(id)[d].stiffness == kRigid && model().uses_direction(d)) u0[d] += ground[d];
  }
  return u0;
}

Vector6d FrameSystem::spring_force(NodeId id, const AppliedLoads& loads) const {
  const Vector6d ground = loads.ground(id);
  Vector6d force = Vector6d::Zero();
  for (int d = 0; d < 6; ++d) {
    const SupportDirection& s = support(id)[d];
    if (s.stiffness != kRigid) force[d] = s.stiffness * (s.settle + ground[d]);
  }
  return force;
}

void FrameSystem::add_supports(const AppliedLoads& loads, Assembly& assembly) const {
  for (const NodeId n : model().nodes.ids()) {
    Matrix6d springs = Matrix6d::Zero();
    for (int d = 0; d < 6; ++d) {
      const double stiffness = support(n)[d].stiffness;
      if (stiffness != kRigid) springs(d, d) = stiffness;
    }
    if (!springs.isZero(0)) topology_->scatter().add(n, springs, assembly.values);
    dofs().add_force(n, loads.on_node(n) + spring_force(n, loads), assembly.loads);
  }
}

Assembly FrameSystem::assemble(const AppliedLoads& loads, const State& state, int split) const {
  const ScatterMap& scatter = topology_->scatter();
  Assembly result;
  result.values.assign(pattern().rows.size(), 0.0);
  result.loads = result.rhs = VectorXd::Zero(dofs().size());
  const auto take = [&](int i, const MemberPart& part) {
    const MemberId id(i);
    if (!situation().present[id]) return;
    scatter.add(id, part.K, result.values);
    add_force(id, part, result);
    result.inner_negative_pivots += part.negative_pivots;
    if (part.section_unstable) result.unstable_members.push_back(id);
  };
  make_and_take(
      model().members.size(),
      [&](int i) { return member_part(MemberId(i), loads, state, split, true); }, take);
  add_supports(loads, result);
  result.rhs += result.loads;
  return result;
}

std::vector<double> FrameSystem::assemble_global(
    const std::function<Matrix12d(MemberId)>& member_matrix,
    const std::function<Matrix6d(NodeId)>& node_matrix) const {
  const ScatterMap& scatter = topology_->scatter();
  std::vector<double> values(pattern().rows.size(), 0.0);
  make_and_take(
      model().members.size(),
      [&](int i) -> Matrix12d {
        const MemberId id(i);
        return situation().present[id] ? member_matrix(id) : Matrix12d::Zero();
      },
      [&](int i, const Matrix12d& K) {
        if (situation().present[MemberId(i)]) scatter.add(MemberId(i), K, values);
      });
  if (!node_matrix) return values;
  for (const NodeId n : model().nodes.ids()) scatter.add(n, node_matrix(n), values);
  return values;
}

std::vector<double> FrameSystem::assemble_matrix(
    const std::function<Matrix12d(MemberId)>& member_matrix,
    const std::function<Matrix6d(NodeId)>& node_matrix) const {
  return assemble_global([&](MemberId id) { return to_global(member_matrix(id), axes(id)); },
                         node_matrix);
}

RightSide FrameSystem::right_side(const AppliedLoads& loads, const State& state) const {
  RightSide side;
  side.loads = side.rhs = VectorXd::Zero(dofs().size());
  const auto take = [&](int i, const MemberPart& part) {
    if (situation().present[MemberId(i)]) add_force(MemberId(i), part, side);
  };
  make_and_take(
      model().members.size(),
      [&](int i) { return member_part(MemberId(i), loads, state, 0, false); }, take);
  for (const NodeId n : model().nodes.ids()) {
    dofs().add_force(n, loads.on_node(n) + spring_force(n, loads), side.loads);
  }
  side.rhs += side.loads;
  return side;
}

void FrameSystem::place(NodeId id, const Prescribed& u0, const VectorXd& q, const VectorXd& rest,
                        State& state) const {
  const auto u = dofs().displacement(id, u0, q, rest);
  NodeMotion& motion = state.nodes[id];
  for (int d = 0; d < 3; ++d) {
    motion.translation[d] = u[d].high;
    motion.rotation[d] = u[d + 3].high;
    motion.rest[d] = u[d].low;
    motion.rest[d + 3] = u[d + 3].low;
  }
}

void FrameSystem::set_motion(const AppliedLoads& loads, const VectorXd& q, const VectorXd& rest,
                             State& state) const {
  const auto u0 = [&](NodeId n) { return prescribed(n, loads); };
  for (const NodeId n : model().nodes.ids()) place(n, u0, q, rest, state);
}

void FrameSystem::set_increment(const VectorXd& dq, State& state) const {
  const VectorXd nothing = VectorXd::Zero(dq.size());
  const auto u0 = [](NodeId) -> Vector6d { return Vector6d::Zero(); };
  for (const NodeId n : model().nodes.ids()) place(n, u0, dq, nothing, state);
}

Resistance FrameSystem::resistance(const AppliedLoads& loads, const State& acting,
                                   const std::vector<State>& motions, int split) const {
  const std::size_t count = motions.size();
  Resistance result;
  result.at_unknowns = Eigen::MatrixXd::Zero(dofs().size(), static_cast<Eigen::Index>(count));
  result.ends.assign(count,
                     IndexedVector<MemberId, Vector12d>(model().members.size(), Vector12d::Zero()));
  for_each_index(model().members.size(), [&](int i) {
    const MemberId id(i);
    if (!situation().present[id]) return;
    const Element e = element(id, loads.on_member(id), acting, split);
    for (std::size_t k = 0; k < count; ++k) {
      result.ends[k][id] =
          to_global(e.resistance(end_motion_since_drawn(id, motions[k])), axes(id));
    }
  });
  for_each_index(static_cast<int>(count), [&](int column) {
    const auto k = static_cast<std::size_t>(column);
    VectorXd sum = VectorXd::Zero(dofs().size());
    for (const MemberId id : model().members.ids()) {
      const Member& m = model().members[id];
      dofs().add_force(m.start, result.ends[k][id].head<6>(), sum);
      dofs().add_force(m.end, result.ends[k][id].tail<6>(), sum);
    }
    for (const NodeId n : model().nodes.ids()) {
      const Vector6d u = motions[k].nodes[n].vector();
      Vector6d force = Vector6d::Zero();
      for (int d = 0; d < 6; ++d) {
        const double stiffness = support(n)[d].stiffness;
        if (stiffness != 0 && stiffness != kRigid) force[d] = stiffness * u[d];
      }
      if (!force.isZero(0)) dofs().add_force(n, force, sum);
    }
    result.at_unknowns.col(column) = sum;
  });
  return result;
}

}  // namespace ulterix
