#pragma once

#include <Eigen/Core>
#include <array>
#include <functional>
#include <vector>

#include "core/element/two_double.hpp"
#include "core/model/situation.hpp"

namespace ulterix {

using Eigen::VectorXd;
using Matrix6d = Eigen::Matrix<double, 6, 6>;

/// How the six displacements of one node follow from the unknowns: u = T·q[first .. first+count)
/// and what is prescribed; of a node on a floor, and what `follow` makes of the displacements of
/// `leader`, another one.
struct NodeDofs {
  int first = -1;
  int count = 0;
  Matrix6d T = Matrix6d::Zero();      ///< its first `count` columns, orthonormal
  bool selection = true;              ///< every column of T is a unit vector ...
  std::array<int, 6> direction = {};  ///< ... along this direction (else its largest component)
  NodeId leader;                      ///< none: the unknowns are its own
  Matrix6d follow = Matrix6d::Zero();
};

/// Stiffness of each node's rotations by the member ends and springs around it, other motions held;
/// `scale` is the size it would have without hinges.
struct NodeRotationStiffness {
  Matrix3d stiffness = Matrix3d::Zero();
  double scale = 0;
};

/// Supports gathered by node: held or sprung directions and the movement of the ground.
/// Those that do not bear are free; the slack of one-way ones moves the ground away.
IndexedVector<NodeId, std::array<SupportDirection, 6>> supports_by_node(const Situation& situation);

/// The nodes of a floor that stand; the first leads, and the others' displacements in the plane are
/// `follow` times its own.
struct FloorGroup {
  std::vector<NodeId> nodes;
  std::vector<Matrix6d> follow;  ///< of each node
  NodeId leader() const { return nodes.front(); }
};
std::vector<FloorGroup> standing_floors(const Situation& situation);

/// What a node's motion is besides that of its unknowns (ux..rz, global).
using Prescribed = std::function<Vector6d(NodeId)>;

/// The unknowns q of a situation: plane, supports, extra restraints, and rotations that nothing
/// holds dropped. Constraints are exact; there are no penalties.
class DofMap {
 public:
  DofMap(const Situation& situation, const IndexedVector<NodeId, NodeRotationStiffness>& rotations);
  /// True if each node moves in the same way by its unknowns, however they are numbered.
  bool has_constraints_of(const DofMap& other) const;

  /// Numbers the unknowns in the given order of the nodes.
  void number(const std::vector<int>& node_order);

  int size() const { return size_; }
  /// Calls take(unknown, motion) for all unknowns that move a node, its leader's too: what a unit
  /// of each makes of its displacements.
  template <class Take>
  void for_each_column(NodeId id, const Take& take) const {
    const NodeDofs& node = nodes_[id];
    for (int j = 0; j < node.count; ++j) take(node.first + j, Vector6d(node.T.col(j)));
    if (!node.leader.valid()) return;
    const NodeDofs& leader = nodes_[node.leader];
    for (int j = 0; j < leader.count; ++j) {
      take(leader.first + j, Vector6d(node.follow * leader.T.col(j)));
    }
  }
  const NodeDofs& operator[](NodeId id) const { return nodes_[id]; }

  /// Displacements ux..rz of a node (m, rad) for the unknowns q + rest.
  std::array<TwoDouble, 6> displacement(NodeId id, const Prescribed& u0, const VectorXd& q,
                                        const VectorXd& rest) const;
  /// The same for a change of the unknowns: supports do not move.
  Vector6d change(NodeId id, const VectorXd& dq) const;
  /// Adds Tᵀ·force of one node to the right side.
  void add_force(NodeId id, const Vector6d& force, VectorXd& rhs) const;
  /// Forces at the nodes as they work on the unknowns, Tᵀ·f.
  VectorXd sum(const IndexedVector<NodeId, Vector6d>& forces) const;

  /// Directions of a node's rotation that nothing holds and that were dropped (unit vectors).
  const std::vector<Vector3d>& dropped(NodeId id) const { return dropped_[id]; }
  NodeId node_of(int q) const { return owner_[static_cast<std::size_t>(q)]; }
  /// Main direction (0..5) of an unknown.
  int direction_of(int q) const;

 private:
  void build_node(const Situation& situation, NodeId id,
                  const std::array<SupportDirection, 6>& support,
                  const NodeRotationStiffness& rotation, const std::vector<Vector6d>& restraints);
  bool moves_with_floor(const Model& model, NodeId id, int direction) const;
  void lead_floors(const Situation& situation,
                   IndexedVector<NodeId, std::vector<Vector6d>>& restraints);
  void set_basis(NodeId id, const std::vector<int>& free, const std::vector<Vector6d>& constraints);

  IndexedVector<NodeId, NodeDofs> nodes_;
  IndexedVector<NodeId, std::vector<Vector3d>> dropped_;
  IndexedVector<NodeId, char> leads_;  // a floor
  std::vector<NodeId> owner_;
  int size_ = 0;
};

}  // namespace ulterix
