#pragma once

#include <memory>

#include "core/system/frame_system.hpp"

namespace ulterix {

/// The stretch of a member that one piece is, as fractions of its length.
struct PieceOf {
  MemberId member;
  double from = 0, to = 1;
  /// The member's torsion, from end to end: the pieces of a split member carry none, so that no
  /// twist of inner nodes, which has nothing to do with the frame, becomes a mode.
  bool torsion_only = false;
  bool carries_torsion = true;
};

/// A frame whose members are cut into pieces, for eigenproblems that are linear in the piece. The
/// nodes of the frame keep their indices; inner nodes follow them and never reach a table.
struct SplitFrame {
  std::unique_ptr<Model> model;
  std::unique_ptr<FrameSystem> system;
  IndexedVector<MemberId, PieceOf> pieces;  ///< of each member of `model`, torsion-only ones too
  IndexedVector<MemberId, std::vector<MemberId>> pieces_of;  ///< of each member of the frame
};

/// `counts`: pieces of each member, from 1; axial kinds stay whole.
SplitFrame split_frame(const FrameSystem& frame, const IndexedVector<MemberId, int>& counts);

/// A matrix of a piece's joined ends (12 x 12, local), at its nodes: Tᵀ·M·T where it is hinged.
Matrix12d at_nodes(const SplitFrame& split, MemberId piece, const Matrix12d& M);

}  // namespace ulterix
