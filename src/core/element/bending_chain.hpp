#pragma once

#include <Eigen/Core>
#include <vector>

#include "core/element/bending_segment.hpp"

namespace ulterix {

using Eigen::Matrix2d;
using Eigen::Matrix4d;
using Eigen::Vector2d;
using Eigen::Vector4d;

/// A concentrated force along w (N) and a moment working on psi (N·m).
using BendingAction = Vector2d;

/// Several segments whose states are carried over exactly, short enough that nothing is lost.
struct BendingPiece {
  std::vector<BendingSegment> segments;
  std::vector<BendingAction> actions;  ///< at each inner junction: segments.size() − 1

  double length() const;
};

/// Ends (w1, psi1, w2, psi2); end forces p = K·e + f are what the nodes put on the member.
struct BendingStiffness {
  Matrix4d K = Matrix4d::Zero();
  Vector4d f = Vector4d::Zero();
};

/// Stiffness of one piece and the forces that hold its ends under its loads; exact, symmetric.
BendingStiffness piece_stiffness(const BendingPiece& piece);

/// One plane of bending of a whole member: pieces joined, inner joints eliminated with their
/// inertia counted, so the count of negative pivots stays that of the uncondensed member.
class BendingChain {
 public:
  /// `joints`: actions at the start, between pieces, and at the end: pieces.size() + 1.
  BendingChain(std::vector<BendingPiece> pieces, const std::vector<BendingAction>& joints);

  const BendingStiffness& stiffness() const { return whole_; }
  int negative_pivots() const { return negative_pivots_; }

  /// The curve of every segment, from the motion of the ends (w1, psi1, w2, psi2) and the forces
  /// that go with it, in the same order.
  std::vector<BendingCurve> curves(const Vector4d& ends, const Vector4d& forces) const;

 private:
  struct Elimination {  // u = −S⁻¹·(A·u0 + B·u2 + c)
    Matrix2d S_inverse, A, B;
    Vector2d c;
  };
  void join(const BendingStiffness& next, const BendingAction& action);
  std::vector<Vector2d> joint_motion(const Vector4d& ends) const;
  BendingAction first_action_ = BendingAction::Zero();

  std::vector<BendingPiece> pieces_;
  std::vector<BendingStiffness> matrices_;
  std::vector<Elimination> eliminated_;
  BendingStiffness whole_;
  int negative_pivots_ = 0;
};

}  // namespace ulterix
