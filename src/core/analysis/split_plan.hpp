#pragma once

#include "core/analysis/eigen_frame.hpp"

namespace ulterix {

/// Mean squares of what a mode puts on a piece between its ends, across it in bending about y and
/// about z, and along it; (N/m)².
struct PieceLoad {
  double about_y = 0, about_z = 0, along = 0;
};

/// Into how many pieces members are cut, from the error that the present pieces leave in modes. The
/// leading term of a mode's relative error is the strain energy of its own load on each piece with
/// held ends, q²l⁵/(1440·EI) + q²l³/(24·GAv) (q²l³/(24·EA) along), over that of the mode.
class SplitPlan {
 public:
  SplitPlan(const EigenFrame& frame, const IndexedVector<MemberId, int>& counts)
      : frame_(frame), counts_(counts), least_(counts.size(), 1) {}

  /// Modes with φᵀKφ = `strains`, in the order of their values (factor, ω); returns their errors.
  /// Only the first `wanted` are planned for.
  std::vector<double> add_modes(const VectorXd& values,
                                const std::vector<IndexedVector<MemberId, PieceLoad>>& loads,
                                const VectorXd& strains, int wanted);

  /// A member of wave number κ (k for buckling, β for vibration) is cut so that no mode of it alone
  /// is lost.
  void keep_modes_of(MemberId id, double wave_number);

  /// True if the present pieces do for `tolerance`, with some slack.
  bool fine(double tolerance) const;

  /// Pieces that bring the error of every mode down to `tolerance` with the fewest pieces.
  IndexedVector<MemberId, int> counts(double tolerance) const;

 private:
  /// Errors by member: what falls with the fourth power of its pieces, and with the second.
  struct MemberErrors {
    double value = 0, sum = 0;
    IndexedVector<MemberId, double> fourth, second;
  };
  MemberErrors errors_of(double value, const IndexedVector<MemberId, PieceLoad>& loads,
                         double strain) const;

  const EigenFrame& frame_;
  const IndexedVector<MemberId, int>& counts_;
  std::vector<MemberErrors> modes_;
  IndexedVector<MemberId, int> least_;
  double worst_ = 0;
};

inline constexpr int kMostPieces = 64;

/// Raises the pieces of every member to those needed; true if any grew.
bool raise(IndexedVector<MemberId, int>& counts, const IndexedVector<MemberId, int>& needed);

}  // namespace ulterix
