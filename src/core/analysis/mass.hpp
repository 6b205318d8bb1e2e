#pragma once

#include <array>
#include <vector>

#include "core/element/linear_matrices.hpp"
#include "core/system/applied_loads.hpp"
#include "core/system/split_frame.hpp"

namespace ulterix {

/// What a node at a position (m) does in the six rigid motions, a column each: unit translations
/// along the axes, unit rotations about the axes through the origin.
Matrix6d rigid_motions(const Vector3d& position);

/// The mass of a frame as `[mass]` says: along members (their own and that of loads), and on nodes.
class FrameMass {
 public:
  explicit FrameMass(const FrameSystem& frame);

  /// Mass matrix values on the split's pattern.
  std::vector<double> values(const SplitFrame& split) const;

  /// Mass along one member between two fractions of its length.
  LineMass along(MemberId id, double from, double to) const;
  /// kg on a node by direction, without the members'.
  const Vector3d& on_node(NodeId id) const { return nodal_[id]; }

  /// M·r for each rigid motion of all nodes, on the split's nodes, global.
  std::array<IndexedVector<NodeId, Vector6d>, 6> inertia(const SplitFrame& split) const;

  /// kg of every member shared to its ends, nodal mass in, by direction.
  IndexedVector<NodeId, Vector3d> shared_to_nodes() const;
  bool empty() const;

 private:
  void add_loads(CaseId id, double factor);
  Matrix12d local_matrix(const SplitFrame& split, MemberId piece) const;
  Matrix12d member_matrix(const SplitFrame& split, MemberId piece) const;
  Matrix6d node_matrix(NodeId id) const;

  const FrameSystem& frame_;
  const Model& model_;
  IndexedVector<NodeId, Vector3d> nodal_;
  /// kg/m from loads, linear between places (fractions), by member.
  struct Stretch {
    double from, to, start, end;  // fractions; kg/m
  };
  IndexedVector<MemberId, std::vector<Stretch>> from_loads_;
};

}  // namespace ulterix
