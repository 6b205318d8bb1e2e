#pragma once

#include <utility>
#include <vector>

#include "core/element/corotational_piece.hpp"
#include "core/system/member_frame.hpp"

namespace ulterix {

/// A whole member as it is cut into corotational pieces.
class MemberPieces {
 public:
  MemberPieces(const MemberFrame& drawn, MemberId id);

  /// The whole member as one straight piece without joints or loads, as it was built in.
  const PieceProperties& whole() const { return whole_; }
  /// As drawn: what its loads are told in.
  const Quaterniond& axes() const { return axes_; }
  double length() const { return length_; }

  /// A part of it, from one place to another (m along the chord): the chord between two places of
  /// an axis that may be bowed.
  PieceProperties part(double from, double to) const;
  /// Where the axis lies at a place as drawn, from the member's start, global, m.
  Vector3d place(double x) const { return axis_at(x, drawn_, axes_); }
  /// What a place had been displaced by when the member was built in, global, m.
  Vector3d moved(double x) const;
  bool is_born() const { return birth_ != nullptr; }

 private:
  Vector3d axis_at(double x, const Vector3d& chord, const Quaterniond& axes) const;

  PieceProperties whole_;
  const Birth* birth_ = nullptr;  // of the frame's situation
  Vector3d drawn_;
  Quaterniond axes_;
  double length_;
};

/// Where a member is cut: its ends, the junctions of its loads, and equal parts between, so many of
/// the whole.
std::vector<double> cut_places(const std::vector<const MemberLoading*>& loadings, double length,
                               int pieces);

/// The same loading with junctions at all of these places, the first and the last being its ends.
MemberLoading cut_at_all(const MemberLoading& loading, const std::vector<double>& places);

/// Force and moment per drawn length at both ends of a piece, global.
struct PieceLoad {
  Vector3d force_start, force_end, moment_start, moment_end;
};
/// Of a loading cut like the pieces; `axes`: of the whole member.
PieceLoad load_on_piece(const MemberLoading& loading, std::size_t i, const PieceProperties& piece,
                        const Quaterniond& axes);

/// What loads strain a piece by; what stays (may be none) is there from the start.
void strain(PieceProperties& piece, const MemberLoading& loading, const MemberLoading* stays);

/// Forces and shape of a member from the poses along it and its loading as it acts (drawn local
/// axes).
MemberLine line_from_poses(const MemberFrame& drawn, MemberId id, const MemberPoses& poses,
                           const MemberLoading& loading);

}  // namespace ulterix
