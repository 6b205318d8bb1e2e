#include "core/system/frame_system.hpp"

#include <algorithm>
#include <cmath>

#include "core/parallel.hpp"
#include "core/system/equilibrium.hpp"

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

MemberTangent FrameSystem::member_terms(MemberId id, const AppliedLoads& loads, const State& state,
                                        int split, bool with_tangent) const {
  const Element e = element(id, loads.on_member(id), state, split);
  const Member& m = model().members[id];
  Vector12d own = e.fixed_end_forces();
  // A cable counts from the drawn place, and has another length where it was built in.
  const bool born = situation().birth(id) != nullptr || situation().aged_of(id) != nullptr;
  if (born && properties(id).cable_length == 0) own -= e.stiffness() * birth_motion(id);
  MemberTangent terms;
  terms.resists = to_global(own, axes(id));
  Vector12d moved;
  moved << prescribed(m.start, loads), prescribed(m.end, loads);
  const bool settles = !moved.isZero(0);
  if (with_tangent || settles) terms.tangent = to_global(e.stiffness(), axes(id));
  if (settles) terms.gains = -terms.tangent * moved;
  terms.negative_pivots = e.negative_pivots();
  terms.loaded_free_motion = e.loaded_free_motion();
  terms.section_unstable = e.section_unstable();
  return terms;
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

template <class OfMember>
Assembly FrameSystem::at_unknowns(const AppliedLoads& loads, const OfMember& of_member) const {
  const auto of_node = [&](NodeId n) {
    NodeTerms terms;
    terms.acts = loads.on_node(n) + spring_force(n, loads.ground(n), Vector6d::Zero());
    terms.tangent = springs(n).asDiagonal();
    return terms;
  };
  Equilibrium sum = equilibrium(situation(), of_member, of_node, topology_.get());
  Assembly result;
  result.loads = VectorXd::Zero(dofs().size()) - dofs().sum(sum.rest);
  result.rhs = dofs().sum(sum.gains) + result.loads;
  result.values = std::move(sum.tangent);
  result.inner_negative_pivots = sum.inner_negative_pivots;
  result.unstable_members = std::move(sum.unstable_members);
  result.loaded_free_motions = std::move(sum.loaded_free_motions);
  return result;
}

Assembly FrameSystem::assemble(const AppliedLoads& loads, const State& state, int split) const {
  return at_unknowns(loads,
                     [&](MemberId id) { return member_terms(id, loads, state, split, true); });
}

Assembly FrameSystem::right_side(const AppliedLoads& loads, const State& state) const {
  return at_unknowns(
      loads, [&](MemberId id) -> MemberTerms { return member_terms(id, loads, state, 0, false); });
}

std::vector<double> FrameSystem::assemble_global(
    const std::function<Matrix12d(MemberId)>& member_matrix,
    const std::function<Matrix6d(NodeId)>& node_matrix) const {
  const auto of_member = [&](MemberId id) {
    MemberTangent terms;
    terms.tangent = member_matrix(id);
    return terms;
  };
  const auto of_node = [&](NodeId n) {
    NodeTerms terms;
    if (node_matrix) terms.tangent = node_matrix(n);
    return terms;
  };
  return equilibrium(situation(), of_member, of_node, topology_.get()).tangent;
}

std::vector<double> FrameSystem::assemble_matrix(
    const std::function<Matrix12d(MemberId)>& member_matrix,
    const std::function<Matrix6d(NodeId)>& node_matrix) const {
  return assemble_global([&](MemberId id) { return to_global(member_matrix(id), axes(id)); },
                         node_matrix);
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
  for_each_long(static_cast<int>(count), [&](int column) {
    const auto k = static_cast<std::size_t>(column);
    const auto of_member = [&](MemberId id) {
      MemberTerms terms;
      terms.resists = result.ends[k][id];
      return terms;
    };
    const auto of_node = [&](NodeId n) {
      NodeTerms terms;
      terms.resists = springs(n).cwiseProduct(motions[k].nodes[n].vector());
      return terms;
    };
    result.at_unknowns.col(column) = dofs().sum(equilibrium(situation(), of_member, of_node).rest);
  });
  return result;
}

}  // namespace ulterix
