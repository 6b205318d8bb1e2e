#include "core/system/frame_system.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/parallel.hpp"
#include "core/sparse/ordering.hpp"

namespace ulterix {

namespace {

bool fully_joined(const Member& m) {
  return m.kind == MemberKind::frame && !m.has_hinges();
}

Graph node_graph(const Situation& situation) {
  const Model& model = *situation.model;
  Graph graph(static_cast<std::size_t>(model.nodes.size()));
  IndexedVector<NodeId, NodeId> leader(model.nodes.size());
  for (const FloorGroup& floor : standing_floors(situation)) {
    for (const NodeId n : floor.nodes) {
      if (n != floor.leader()) leader[n] = floor.leader();
    }
  }
  for (const MemberId id : model.members.ids()) {
    if (!situation.present[id]) continue;
    const Member& m = model.members[id];
    // A member on floors meets the unknowns of the nodes that lead them as well.
    std::vector<int> meet = {m.start.value, m.end.value};
    for (const NodeId n : {m.start, m.end}) {
      if (leader[n].valid()) meet.push_back(leader[n].value);
    }
    for (const int a : meet) {
      for (const int b : meet) {
        if (a != b) graph[static_cast<std::size_t>(a)].push_back(b);
      }
    }
  }
  for (const NodeId n : model.nodes.ids()) {  // springs and masses of nodes on floors
    if (!leader[n].valid()) continue;
    graph[static_cast<std::size_t>(n.value)].push_back(leader[n].value);
    graph[static_cast<std::size_t>(leader[n].value)].push_back(n.value);
  }
  for (auto& list : graph) {
    std::sort(list.begin(), list.end());
    list.erase(std::unique(list.begin(), list.end()), list.end());
  }
  return graph;
}

/// The order in which the nodes that stand are eliminated, as if there were no others; then those.
std::vector<int> order_of_nodes(const Situation& situation) {
  std::vector<int> standing, absent,
      number(static_cast<std::size_t>(situation.standing.size()), -1);
  std::vector<Vector3d> positions;
  for (const NodeId n : situation.model->nodes.ids()) {
    if (situation.standing[n] == 0) {
      absent.push_back(n.value);
      continue;
    }
    number[static_cast<std::size_t>(n.value)] = static_cast<int>(standing.size());
    standing.push_back(n.value);
    positions.push_back(situation.position(n));
  }
  const Graph whole = node_graph(situation);
  Graph graph(standing.size());
  for (std::size_t i = 0; i < standing.size(); ++i) {
    graph[i] = whole[static_cast<std::size_t>(standing[i])];
    for (int& n : graph[i]) n = number[static_cast<std::size_t>(n)];
  }
  std::vector<int> order = elimination_order(graph, positions);
  for (int& n : order) n = standing[static_cast<std::size_t>(n)];
  order.insert(order.end(), absent.begin(), absent.end());
  return order;
}

}  // namespace

FrameSystem::FrameSystem(const Situation& situation)
    : MemberFrame(situation), dofs_(this->situation(), rotation_stiffness()) {
  number(order_of_nodes(this->situation()), node_graph(this->situation()));
}

FrameSystem::FrameSystem(const Situation& situation, const std::vector<int>& order)
    : MemberFrame(situation), dofs_(this->situation(), rotation_stiffness()) {
  number(order, node_graph(this->situation()));
}

FrameSystem::FrameSystem(const Situation& situation, const FrameSystem& whole)
    : MemberFrame(situation), dofs_(this->situation(), whole.dofs_) {
  std::vector<int> order(static_cast<std::size_t>(whole.model().nodes.size()));
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&whole](int a, int b) {
    return whole.dofs_[NodeId(a)].first < whole.dofs_[NodeId(b)].first;
  });
  std::vector<int> inner(static_cast<std::size_t>(model().nodes.size()) - order.size());
  std::iota(inner.begin(), inner.end(), whole.model().nodes.size());
  order.insert(order.begin(), inner.begin(), inner.end());
  number(order, node_graph(this->situation()));
  inner_size_ = dofs_.size() - whole.dofs_.size();
}

void FrameSystem::take_histories(const Situation& situation) {
  MemberFrame::take_histories(situation);
  dofs_.settle();
}

void FrameSystem::number(const std::vector<int>& order, const Graph& neighbours) {
  order_ = order;
  dofs_.number(order);
  pattern_ = make_pattern(dofs_, order, neighbours);
  scatter_ = std::make_unique<ScatterMap>(model(), dofs_, pattern_);
}

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
  dofs_.add_force(m.start, part.force.head<6>(), side.loads);
  dofs_.add_force(m.end, part.force.tail<6>(), side.loads);
  if (part.settles) {
    dofs_.add_force(m.start, part.settlement.head<6>(), side.rhs);
    dofs_.add_force(m.end, part.settlement.tail<6>(), side.rhs);
  }
  if (part.loaded_free_motion >= 0) {
    side.loaded_free_motions.emplace_back(id, part.loaded_free_motion);
  }
}

Vector6d FrameSystem::prescribed(NodeId id, const AppliedLoads& loads) const {
  Vector6d u0 = dofs_[id].u0;
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
    if (!springs.isZero(0)) scatter_->add(n, springs, assembly.values);
    dofs_.add_force(n, loads.on_node(n) + spring_force(n, loads), assembly.loads);
  }
}

Assembly FrameSystem::assemble(const AppliedLoads& loads, const State& state, int split) const {
  Assembly result;
  result.values.assign(pattern_.rows.size(), 0.0);
  result.loads = result.rhs = VectorXd::Zero(dofs_.size());
  const auto take = [&](int i, const MemberPart& part) {
    const MemberId id(i);
    if (!situation().present[id]) return;
    scatter_->add(id, part.K, result.values);
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
  std::vector<double> values(pattern_.rows.size(), 0.0);
  make_and_take(
      model().members.size(),
      [&](int i) -> Matrix12d {
        const MemberId id(i);
        return situation().present[id] ? member_matrix(id) : Matrix12d::Zero();
      },
      [&](int i, const Matrix12d& K) {
        if (situation().present[MemberId(i)]) scatter_->add(MemberId(i), K, values);
      });
  if (!node_matrix) return values;
  for (const NodeId n : model().nodes.ids()) scatter_->add(n, node_matrix(n), values);
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
  side.loads = side.rhs = VectorXd::Zero(dofs_.size());
  const auto take = [&](int i, const MemberPart& part) {
    if (situation().present[MemberId(i)]) add_force(MemberId(i), part, side);
  };
  make_and_take(
      model().members.size(),
      [&](int i) { return member_part(MemberId(i), loads, state, 0, false); }, take);
  for (const NodeId n : model().nodes.ids()) {
    dofs_.add_force(n, loads.on_node(n) + spring_force(n, loads), side.loads);
  }
  side.rhs += side.loads;
  return side;
}

void FrameSystem::place(NodeId id, const Vector6d& u0, const VectorXd& q, const VectorXd& rest,
                        State& state) const {
  const auto u = dofs_.displacement(id, u0, q, rest);
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
  for (const NodeId n : model().nodes.ids()) place(n, prescribed(n, loads), q, rest, state);
}

void FrameSystem::set_increment(const VectorXd& dq, State& state) const {
  const VectorXd nothing = VectorXd::Zero(dq.size());
  for (const NodeId n : model().nodes.ids()) place(n, Vector6d::Zero(), dq, nothing, state);
}

Resistance FrameSystem::resistance(const AppliedLoads& loads, const State& acting,
                                   const std::vector<State>& motions, int split) const {
  const std::size_t count = motions.size();
  Resistance result;
  result.at_unknowns = Eigen::MatrixXd::Zero(dofs_.size(), static_cast<Eigen::Index>(count));
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
    VectorXd sum = VectorXd::Zero(dofs_.size());
    for (const MemberId id : model().members.ids()) {
      const Member& m = model().members[id];
      dofs_.add_force(m.start, result.ends[k][id].head<6>(), sum);
      dofs_.add_force(m.end, result.ends[k][id].tail<6>(), sum);
    }
    for (const NodeId n : model().nodes.ids()) {
      const Vector6d u = motions[k].nodes[n].vector();
      Vector6d force = Vector6d::Zero();
      for (int d = 0; d < 6; ++d) {
        const double stiffness = support(n)[d].stiffness;
        if (stiffness != 0 && stiffness != kRigid) force[d] = stiffness * u[d];
      }
      if (!force.isZero(0)) dofs_.add_force(n, force, sum);
    }
    result.at_unknowns.col(column) = sum;
  });
  return result;
}

}  // namespace ulterix
