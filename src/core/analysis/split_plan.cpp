#include "core/analysis/split_plan.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace ulterix {

namespace {

/// Modes closer than this are taken together.
constexpr double kEqual = 1e-3;

/// No piece gets longer than this over κ.
constexpr double kCoarsePiece = 1.5;
/// A split is not made again for an error up to so many times the tolerance.
constexpr double kSlack = 2;

/// x over y, nothing where y is 0.
double over(double x, double y) {
  return y > 0 ? x / y : 0;
}

/// The fewest pieces with Σ errors·(present/pieces)^power <= tolerance: pieces ∝
/// (errors·present^power)^(1/(power + 1)).
void add_fewest(const IndexedVector<MemberId, double>& errors,
                const IndexedVector<MemberId, int>& present, double power, double tolerance,
                IndexedVector<MemberId, int>& pieces) {
  const auto weight = [&](MemberId id) {
    return std::pow(errors[id] * std::pow(present[id], power), 1 / (power + 1));
  };
  double sum = 0;
  for (const MemberId id : errors.ids()) sum += weight(id);
  const double scale = std::pow(sum / tolerance, 1 / power);
  for (const MemberId id : errors.ids()) {
    // A little above a whole number is not worth another piece.
    const double needed = std::min(weight(id) * scale - 0.1, double(kMostPieces));
    pieces[id] = std::max(pieces[id], static_cast<int>(std::ceil(needed)));
  }
}

}  // namespace

std::vector<double> SplitPlan::add_modes(
    const VectorXd& values, const std::vector<IndexedVector<MemberId, PieceLoad>>& loads,
    const VectorXd& strains, int wanted) {
  std::vector<MemberErrors> errors(loads.size());
  tbb::parallel_for(std::size_t{0}, loads.size(), [&](std::size_t i) {
    const auto at = static_cast<Eigen::Index>(i);
    errors[i] = errors_of(values[at], loads[i], strains[at]);
  });
  std::vector<double> sums;
  for (std::size_t i = 0; i < errors.size(); ++i) {
    sums.push_back(errors[i].sum);
    if (static_cast<int>(i) >= wanted) continue;
    worst_ = std::max(worst_, errors[i].sum);
    modes_.push_back(std::move(errors[i]));
  }
  return sums;
}

SplitPlan::MemberErrors SplitPlan::errors_of(double value,
                                             const IndexedVector<MemberId, PieceLoad>& loads,
                                             double strain) const {
  MemberErrors errors;
  errors.value = value;
  errors.fourth = errors.second = IndexedVector<MemberId, double>(counts_.size(), 0.0);
  if (strain <= 0) return errors;
  for (const MemberId piece : frame_.split.model->members.ids()) {
    const PieceOf& place = frame_.split.pieces[piece];
    if (place.torsion_only || !frame_.system().variant().present[piece]) continue;
    const ElementProperties p = element_properties(frame_.system().variant(), piece);
    const PieceLoad& q = loads[piece];
    const double l3 = std::pow(p.length, 3) / strain, l5 = l3 * p.length * p.length;
    const double fourth = (over(q.about_y, p.EIy) + over(q.about_z, p.EIz)) * l5 / 720;
    const double second = (q.about_y * p.shear_flexibility_z + q.about_z * p.shear_flexibility_y +
                           over(q.along, p.EA)) *
                          l3 / 12;
    errors.fourth[place.member] += fourth;
    errors.second[place.member] += second;
    errors.sum += fourth + second;
  }
  return errors;
}

void SplitPlan::keep_modes_of(MemberId id, double wave_number) {
  const Model& model = frame_.whole->system->model();
  if (model.members[id].kind != MemberKind::frame) return;
  const double pieces =
      std::min(wave_number * model.length(id) / kCoarsePiece, double(kMostPieces));
  least_[id] = std::max(least_[id], static_cast<int>(std::ceil(pieces)));
}

bool SplitPlan::fine(double tolerance) const {
  for (const MemberId id : least_.ids()) {
    if (counts_[id] < least_[id]) return false;
  }
  return worst_ < kSlack * tolerance;
}

IndexedVector<MemberId, int> SplitPlan::counts(double tolerance) const {
  IndexedVector<MemberId, int> pieces = least_;
  for (std::size_t i = 0; i < modes_.size();) {
    // The shapes of equal modes are any mixture; their mean is not, and equal parts of a frame get
    // equal pieces.
    MemberErrors mean = modes_[i];
    std::size_t next = i + 1;
    for (; next < modes_.size() && modes_[next].value < mean.value * (1 + kEqual); ++next) {
      for (const MemberId id : mean.fourth.ids()) {
        mean.fourth[id] += modes_[next].fourth[id];
        mean.second[id] += modes_[next].second[id];
      }
    }
    const double share = tolerance / 2 * double(next - i);
    add_fewest(mean.fourth, counts_, 4, share, pieces);
    add_fewest(mean.second, counts_, 2, share, pieces);
    i = next;
  }
  const Model& model = frame_.whole->system->model();
  for (const MemberId id : pieces.ids()) {
    if (model.members[id].kind != MemberKind::frame) pieces[id] = 1;
  }
  return pieces;
}

bool raise(IndexedVector<MemberId, int>& counts, const IndexedVector<MemberId, int>& needed) {
  bool grown = false;
  for (const MemberId id : counts.ids()) {
    grown = grown || needed[id] > counts[id];
    counts[id] = std::max(counts[id], needed[id]);
  }
  return grown;
}

}  // namespace ulterix
