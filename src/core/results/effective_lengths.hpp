#pragma once

#include "core/results/alignment.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

/// Compression below this part of the largest has no effective length.
inline constexpr double kCompressed = 0.01;

/// Effective lengths of a frame's members in its buckling modes. The alignment factors beside them,
/// which no mode changes, are found once.
class EffectiveLengths {
 public:
  explicit EffectiveLengths(const MemberFrame& frame);

  /// Of the compressed members. `N`: mean axial force of each at the mode's factor, N.
  std::vector<EffectiveLength> in_mode(const BucklingMode& mode,
                                       const IndexedVector<MemberId, double>& N) const;

 private:
  struct Alignment {
    std::optional<AlignmentFactors> about_y, about_z;
  };
  const MemberFrame& frame_;
  IndexedVector<MemberId, Alignment> alignment_;
};

/// Length of the straight run of members that each is a piece of, m: of one section, material and
/// roll, joined rigidly at nodes where nothing else is joined or held.
IndexedVector<MemberId, double> run_lengths(const Model& model);

/// Marks for each member and axis the row of the lowest mode that bends it about that axis.
/// `modes`: rising factors.
void recommend_lengths(std::vector<BucklingMode>& modes);

}  // namespace ulterix
