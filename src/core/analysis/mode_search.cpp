#include "core/analysis/mode_search.hpp"

#include <algorithm>

namespace ulterix {

namespace {

/// The count is made so far above the last mode, or half-way to the next.
constexpr double kBeyond = 1e-3;
constexpr int kAttempts = 3;
/// Where only the split is to be found.
constexpr double kCoarseTolerance = 3e-2;
constexpr int kCoarseVectors = 64;

LanczosOptions with_vectors(int most) {
  LanczosOptions options;
  options.most_vectors = most;
  return options;
}

}  // namespace

ModeSearch::ModeSearch(const EigenFrame& frame, const std::vector<double>& values, int most_vectors)
    : frame_(&frame),
      values_(&values),
      lanczos_(eigen_problem(frame, values), with_vectors(most_vectors)) {}

const EigenPairs& ModeSearch::look(int wanted) {
  PairsWanted asked;
  asked.count = wanted;
  asked.tolerance = kCoarseTolerance;
  asked.most_vectors = std::max(kCoarseVectors, 2 * wanted);
  find(asked);
  return pairs_.theta.size() < wanted ? find(wanted, kCoarseTolerance) : pairs_;
}

const EigenPairs& ModeSearch::find(int wanted, double tolerance) {
  PairsWanted asked;
  asked.count = wanted;
  asked.tolerance = tolerance;
  return find(asked);
}

const EigenPairs& ModeSearch::find(PairsWanted asked) {
  const int size = frame_->pattern().size, most = 4 * (asked.count + 8);
  asked.count = std::min(asked.count, size);
  asked.guards = 1;
  for (;;) {
    pairs_ = lanczos_.find(asked);
    const Eigen::Index n = pairs_.theta.size();
    const bool cut = n == asked.count + 1 && n > 1 && n < size &&
                     pairs_.theta[n - 1] * (1 + kSameValue) > pairs_.theta[n - 2];
    if (!cut || asked.count > most) return pairs_;
    asked.count = std::min(asked.count + 4, size);
  }
}

double ModeSearch::beyond(int wanted) const {
  const Eigen::VectorXd& theta = pairs_.theta;
  Eigen::Index last = std::min<Eigen::Index>(theta.size(), wanted) - 1;
  while (last + 1 < theta.size() && theta[last + 1] * (1 + kSameValue) > theta[last]) ++last;
  const double bound = (1 + kBeyond) / theta[last];
  return last + 1 < theta.size() ? std::min(bound, (1 / theta[last] + 1 / theta[last + 1]) / 2)
                                 : bound;
}

int ModeSearch::found_below(double bound) const {
  return static_cast<int>((pairs_.theta.array() * bound > 1).count());
}

Certificate ModeSearch::prove(int wanted) {
  Certificate certificate;
  if (pairs_.theta.size() == 0) return certificate;
  certificate.below = beyond(wanted);
  certificate.found = found_below(certificate.below);
  std::vector<double> shifted = frame_->stiffness;
  for (std::size_t i = 0; i < shifted.size(); ++i) shifted[i] -= certificate.below * (*values_)[i];
  certificate.count = negative_eigenvalues(frame_->pattern(), shifted);
  for (int attempt = 0; attempt < kAttempts && certificate.count; ++attempt) {
    const int missing = *certificate.count - certificate.found;
    if (missing <= 0) break;
    LanczosOptions options;
    options.block = std::max(options.block, missing);
    options.known = pairs_.vectors;
    PairsWanted asked;
    asked.count = missing;
    pairs_ = joined(pairs_, BlockLanczos(eigen_problem(*frame_, *values_), options).find(asked));
    certificate.found = found_below(certificate.below);
  }
  return certificate;
}

}  // namespace ulterix
