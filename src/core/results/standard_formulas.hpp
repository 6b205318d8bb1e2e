#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/results/comparison.hpp"
#include "core/results/storeys.hpp"

namespace ulterix {

/// What the standards' hand formulas say of one storey in one direction, beside the computed
/// amplification. All from first-order drifts Δ of the same loads, gravity ΣP, shear V, height h.
struct StoreyFormulas {
  std::string storey;
  int direction = 0;
  std::optional<double> index;     ///< ACI 318-19 6.6.4.4.1: Q = ΣP·Δ/(V·h)
  std::optional<double> alpha_cr;  ///< EN 1993-1-1:2005 (5.2): (V/ΣP)·(h/Δ)
  std::optional<double> theta;     ///< ASCE 7-22 (12.8-17) with the elastic drift: ΣP·Δ/(V·h)
  std::optional<double> asce_factor;    ///< ASCE 7-22 12.8.7: 1/(1 − θ)
  std::optional<double> B2;             ///< AISC 360-22 (A-8-6), (A-8-7): RM from leaning columns
  std::optional<double> amplification;  ///< computed
  std::string en_1993, aisc_360, aci_318, asce_7;  ///< the class with its clause, in words
};

/// One compressed frame member about one of its section axes.
struct MemberFormulas {
  MemberId member;
  int axis = 0;              ///< 0: y, 1: z
  double N = 0;              ///< mean over the member, N (negative)
  double Pe1 = 0;            ///< π²EI/L², N
  double Cm = 1;             ///< AISC 360-22 (A-8-4); 1 with loads between the ends
  std::optional<double> B1;  ///< AISC 360-22 (A-8-3): Cm/(1 − P/Pe1), at least 1; blank above Pe1
  std::optional<double> B2;  ///< of its storey, for columns
  std::optional<double> computed;  ///< largest moment over that of first-order
};

/// Empty without storeys or without a first-order baseline to compare.
std::vector<StoreyFormulas> storey_formulas(const Recovery& step,
                                            const std::vector<StoreyRow>& storeys);

/// Every frame member whose compression is above 1 % of the largest, about the axes that the
/// model's plane bends.
std::vector<MemberFormulas> member_formulas(const Recovery& first_order, const Recovery& step,
                                            const StepExtremes& first_extremes,
                                            const StepExtremes& extremes,
                                            const std::vector<StoreyFormulas>& storeys);

}  // namespace ulterix
