#include "core/system/dof_map.hpp"

#include <algorithm>
#include <cmath>

#include "core/dense/orthogonal.hpp"
#include "core/dense/symmetric_eigen.hpp"

namespace ulterix {

namespace {

/// A rotation is dropped if its stiffness is at most this fraction of the unhinged one.
constexpr double kNoStiffness = 1e-12;

/// Cleans an eigenvector that is a unit vector but for rounding.
Vector3d tidy(Vector3d v) {
  for (int i = 0; i < 3; ++i) {
    if (std::abs(v[i]) > 1 - 1e-12) return Vector3d::Unit(i);
  }
  return v;
}

IndexedVector<NodeId, std::vector<Vector6d>> restraints_by_node(const Situation& situation) {
  IndexedVector<NodeId, std::vector<Vector6d>> by_node(situation.model->nodes.size());
  for (const ExtraRestraint& r : situation.restraints) by_node[r.node].push_back(r.direction);
  return by_node;
}

}  // namespace

IndexedVector<NodeId, std::array<SupportDirection, 6>> supports_by_node(
    const Situation& situation) {
  const Model& model = *situation.model;
  IndexedVector<NodeId, std::array<SupportDirection, 6>> by_node(model.nodes.size());
  for (const Support& s : situation.supports) {
    if (situation.standing[s.node] == 0) continue;
    for (int d = 0; d < 6; ++d) {
      const SupportDirection& given = s.directions[d];
      if (given.stiffness == 0 && given.settle == 0) continue;
      by_node[s.node][d] = given;
      if (!situation.strained) by_node[s.node][d].settle = 0;
      if (situation.one_way) by_node[s.node][d].settle -= given.only * given.slack;
    }
  }
  for (const auto& [node, d] : situation.open) by_node[node][d] = {};
  return by_node;
}

std::vector<FloorGroup> standing_floors(const Situation& situation) {
  std::vector<FloorGroup> all;
  const Model& model = *situation.model;
  for (const Floor& floor : model.floors) {
    FloorGroup group;
    for (const NodeId n : floor.nodes) {
      if (situation.standing[n] != 0) group.nodes.push_back(n);
    }
    if (group.nodes.size() < 2) continue;
    const Vector3d up = Vector3d::Unit(model.vertical);
    for (const NodeId n : group.nodes) {
      // The horizontal part of u + ω·(up × r), and the same ω about the vertical.
      const Vector3d arm = situation.position(n) - situation.position(group.leader());
      Matrix6d follow = Matrix6d::Zero();
      for (int d = 0; d < 3; ++d) {
        if (d != model.vertical) follow(d, d) = 1;
      }
      const bool turns = model.uses_direction(3 + model.vertical);
      if (turns) {
        follow.block<3, 1>(0, 3 + model.vertical) = up.cross(arm);
        follow(3 + model.vertical, 3 + model.vertical) = 1;
      }
      group.follow.push_back(follow);
    }
    all.push_back(std::move(group));
  }
  return all;
}

/// Restraints and supports in the plane of a floor hold the node that leads it.
void DofMap::lead_floors(const Situation& situation,
                         IndexedVector<NodeId, std::vector<Vector6d>>& restraints) {
  const Model& model = *situation.model;
  if (model.floors.empty()) return;
  const auto supports = supports_by_node(situation);
  for (const FloorGroup& floor : standing_floors(situation)) {
    std::vector<Vector6d> held;
    for (std::size_t i = 0; i < floor.nodes.size(); ++i) {
      const NodeId n = floor.nodes[i];
      const Matrix6d& follow = floor.follow[i];
      if (n == floor.leader()) continue;
      leads_[floor.leader()] = 1;
      nodes_[n].leader = floor.leader();
      nodes_[n].follow = follow;
      nodes_[n].selection = false;
      for (int d = 0; d < 6; ++d) {
        if (!model.in_floor(d) || supports[n][d].stiffness != kRigid) continue;
        held.push_back(follow.transpose() * Vector6d::Unit(d));
      }
      std::erase_if(restraints[n], [&](const Vector6d& direction) {
        const Vector6d on_leader = follow.transpose() * direction;
        if (on_leader.isZero(0)) return false;
        held.push_back(on_leader);
        return true;
      });
    }
    auto& own = restraints[floor.leader()];
    own.insert(own.end(), held.begin(), held.end());
  }
}

DofMap::DofMap(const Situation& situation,
               const IndexedVector<NodeId, NodeRotationStiffness>& rotations)
    : nodes_(situation.model->nodes.size()),
      dropped_(situation.model->nodes.size()),
      leads_(situation.model->nodes.size(), 0) {
  const auto supports = supports_by_node(situation);
  auto restraints = restraints_by_node(situation);
  lead_floors(situation, restraints);
  for (const NodeId id : situation.model->nodes.ids()) {
    build_node(situation, id, supports[id], rotations[id], restraints[id]);
  }
}

bool DofMap::has_constraints_of(const DofMap& other) const {
  const auto same = [](const NodeDofs& a, const NodeDofs& b) {
    return a.count == b.count && a.T == b.T && a.leader == b.leader && a.follow == b.follow;
  };
  return std::equal(nodes_.begin(), nodes_.end(), other.nodes_.begin(), other.nodes_.end(), same) &&
         std::equal(dropped_.begin(), dropped_.end(), other.dropped_.begin());
}

bool DofMap::moves_with_floor(const Model& model, NodeId id, int direction) const {
  return nodes_[id].leader.valid() && model.in_floor(direction);
}

void DofMap::build_node(const Situation& situation, NodeId id,
                        const std::array<SupportDirection, 6>& support,
                        const NodeRotationStiffness& rotation,
                        const std::vector<Vector6d>& restraints) {
  const Model& model = *situation.model;
  if (situation.standing[id] == 0) return;
  std::vector<int> free, rotations;
  for (int d = 0; d < 6; ++d) {
    if (!model.uses_direction(d)) continue;
    if (moves_with_floor(model, id, d) || support[d].stiffness == kRigid) continue;
    free.push_back(d);
    // A floor turns about the vertical whether or not members of its leader hold that rotation.
    const bool of_floor = leads_[id] != 0 && model.in_floor(d);
    if (d >= 3 && !of_floor) rotations.push_back(d - 3);
  }
  std::vector<Vector6d> constraints = restraints;
  const int n = static_cast<int>(rotations.size());
  if (n > 0) {
    Eigen::MatrixXd S(n, n);
    for (int i = 0; i < n; ++i) {
      for (int j = 0; j < n; ++j) S(i, j) = rotation.stiffness(rotations[i], rotations[j]);
    }
    const SymmetricEigen eigen = symmetric_eigen(S);
    for (int i = 0; i < n; ++i) {
      if (eigen.values[i] > kNoStiffness * rotation.scale) continue;
      Vector3d axis = Vector3d::Zero();
      for (int j = 0; j < n; ++j) axis[rotations[j]] = eigen.vectors(j, i);
      axis = tidy(axis);
      dropped_[id].push_back(axis);
      Vector6d constraint = Vector6d::Zero();
      constraint.tail<3>() = axis;
      constraints.push_back(constraint);
    }
  }
  set_basis(id, free, constraints);
}

/// Orthonormal basis of the free directions that are normal to every constraint.
void DofMap::set_basis(NodeId id, const std::vector<int>& free,
                       const std::vector<Vector6d>& constraints) {
  const int f = static_cast<int>(free.size());
  const int c = static_cast<int>(constraints.size());
  Eigen::MatrixXd basis = Eigen::MatrixXd::Identity(f, f);
  if (c > 0) {
    Eigen::MatrixXd normals(f, c);
    for (int i = 0; i < f; ++i) {
      for (int j = 0; j < c; ++j) normals(i, j) = constraints[j][free[i]];
    }
    std::vector<int> kept;
    bool aligned = true;
    for (int j = 0; j < c; ++j) aligned = aligned && (normals.col(j).array() != 0).count() <= 1;
    if (aligned) {
      for (int i = 0; i < f; ++i) {
        if (normals.row(i).isZero(0)) kept.push_back(i);
      }
      Eigen::MatrixXd selected = Eigen::MatrixXd::Zero(f, static_cast<int>(kept.size()));
      for (std::size_t k = 0; k < kept.size(); ++k) selected(kept[k], static_cast<int>(k)) = 1;
      basis = selected;
    } else {
      basis = orthogonal_complement(normals);
    }
  }
  NodeDofs& node = nodes_[id];
  node.count = static_cast<int>(basis.cols());
  for (int j = 0; j < node.count; ++j) {
    int main = 0;
    basis.col(j).cwiseAbs().maxCoeff(&main);
    node.direction[j] = free[main];
    for (int i = 0; i < f; ++i) node.T(free[i], j) = basis(i, j);
    node.selection = node.selection && (basis.col(j).array() != 0).count() == 1;
  }
}

void DofMap::number(const std::vector<int>& node_order) {
  size_ = 0;
  owner_.clear();
  for (const int n : node_order) {
    NodeDofs& node = nodes_[NodeId(n)];
    node.first = size_;
    size_ += node.count;
    owner_.insert(owner_.end(), static_cast<std::size_t>(node.count), NodeId(n));
  }
}

int DofMap::direction_of(int q) const {
  const NodeDofs& node = nodes_[node_of(q)];
  return node.direction[q - node.first];
}

std::array<TwoDouble, 6> DofMap::displacement(NodeId id, const Prescribed& u0, const VectorXd& q,
                                              const VectorXd& rest) const {
  const NodeDofs& node = nodes_[id];
  std::array<TwoDouble, 6> u;
  const Vector6d prescribed = u0(id);
  for (int d = 0; d < 6; ++d) u[d].high = prescribed[d];
  for (int j = 0; j < node.count; ++j) {
    const TwoDouble own = exact_sum(q[node.first + j], rest[node.first + j]);
    if (node.selection) {
      u[node.direction[j]] = u[node.direction[j]] + own;
    } else {
      for (int d = 0; d < 6; ++d) {
        if (node.T(d, j) != 0) u[d] = u[d] + node.T(d, j) * own;
      }
    }
  }
  if (!node.leader.valid()) return u;
  const auto lead = displacement(node.leader, u0, q, rest);
  for (int d = 0; d < 6; ++d) {
    for (int k = 0; k < 6; ++k) {
      if (node.follow(d, k) != 0) u[d] = u[d] + node.follow(d, k) * lead[k];
    }
  }
  return u;
}

Vector6d DofMap::change(NodeId id, const VectorXd& dq) const {
  Vector6d u = Vector6d::Zero();
  for_each_column(id, [&](int q, const Vector6d& motion) { u += motion * dq[q]; });
  return u;
}

void DofMap::add_force(NodeId id, const Vector6d& force, VectorXd& rhs) const {
  for_each_column(id, [&](int q, const Vector6d& motion) { rhs[q] += motion.dot(force); });
}

VectorXd DofMap::sum(const IndexedVector<NodeId, Vector6d>& forces) const {
  VectorXd at_unknowns = VectorXd::Zero(size_);
  for (const NodeId id : forces.ids()) add_force(id, forces[id], at_unknowns);
  return at_unknowns;
}

}  // namespace ulterix
