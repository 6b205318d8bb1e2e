#include "core/system/refinement.hpp"

#include <algorithm>
#include <cmath>

#include "core/sparse/conjugate_gradients.hpp"

namespace ulterix {

namespace {

/// Good enough: the correction left is smaller by the contraction once more.
constexpr double kSettled = 1e-12;
constexpr double kSlow = 0.3;
constexpr int kMostCorrections = 12;
/// Conjugate gradients, started anew from the true residual so often.
constexpr int kRestarts = 4, kCgIterations = 400;

/// Largest of translations or forces, and of rotations or moments.
struct ByKind {
  double linear = 0, angular = 0;

  void take(double value, bool is_linear) {
    double& largest = is_linear ? linear : angular;
    largest = std::max(largest, std::abs(value));
  }
};

double relative(double value, double scale) {
  return scale > 0 ? value / scale : 0;
}

double relative(const ByKind& value, const ByKind& scale) {
  return std::max(relative(value.linear, scale.linear), relative(value.angular, scale.angular));
}

class Refinement {
 public:
  Refinement(const TangentAt& tangent, const Factorisation& factor, const Eigen::MatrixXd& rhs,
             const Eigen::MatrixXd& loads, ColumnLoads acting)
      : tangent_(tangent),
        system_(tangent.system),
        factor_(factor),
        loads_(loads),
        acting_(std::move(acting)) {
    result_.q = rhs;
    factor_.solve(result_.q);
    result_.rest = Eigen::MatrixXd::Zero(rhs.rows(), rhs.cols());
    result_.errors.resize(static_cast<std::size_t>(rhs.cols()));
    for (int q = 0; q < system_.dofs().size(); ++q) {
      linear_.push_back(system_.dofs().direction_of(q) < 3);
    }
    for (Eigen::Index i = 0; i < rhs.cols(); ++i) active_.push_back(i);
    for (const MemberId id : system_.model().members.ids()) {
      longest_ = std::max(longest_, system_.model().length(id));
    }
  }

  RefinedSolution run() {
    if (loads_.cols() == 0 || loads_.rows() == 0) return std::move(result_);
    measure();
    for (int k = 1; k <= kMostCorrections && !active_.empty(); ++k) {
      Eigen::MatrixXd correction = residual_;
      factor_.solve(correction);
      correct(correction);
      measure();
      drop_settled(k);
    }
    for (const Eigen::Index column : slow_) by_conjugate_gradients(column);
    return std::move(result_);
  }

 private:
  /// Residuals of the active columns, and how unbalanced they are.
  void measure() {
    std::vector<State> states(active_.size(), State(system_.model()));
    for (std::size_t k = 0; k < active_.size(); ++k) {
      system_.set_motion(*acting_[static_cast<std::size_t>(active_[k])], result_.q.col(active_[k]),
                         result_.rest.col(active_[k]), states[k]);
    }
    Resistance found = system_.resistance(tangent_.loads, tangent_.acting, states, tangent_.split);
    residual_.resize(loads_.rows(), static_cast<Eigen::Index>(active_.size()));
    for (std::size_t k = 0; k < active_.size(); ++k) {
      const auto column = static_cast<Eigen::Index>(k);
      residual_.col(column) = loads_.col(active_[k]) - found.at_unknowns.col(column);
      take_error(k, found.ends[k]);
    }
    ends_ = std::move(found.ends);
  }

  /// Compares with the end forces before, which stand at the same place of ends_.
  void take_error(std::size_t k, const IndexedVector<MemberId, Vector12d>& ends) {
    SolveError& error = result_.errors[static_cast<std::size_t>(active_[k])];
    ByKind scale, change, left;
    for (const MemberId id : system_.model().members.ids()) {
      for (int d = 0; d < 12; ++d) {
        const bool force = d % 6 < 3;
        scale.take(ends[id][d], force);
        if (k < ends_.size()) change.take(ends[id][d] - ends_[k][id][d], force);
      }
    }
    for (Eigen::Index q = 0; q < loads_.rows(); ++q) {
      const bool force = linear_[static_cast<std::size_t>(q)];
      scale.take(loads_(q, active_[k]), force);
      left.take(residual_(q, static_cast<Eigen::Index>(k)), force);
    }
    // A force has a member for a lever: without bending, moments are only its rounding.
    scale.angular = std::max(scale.angular, scale.linear * longest_);
    error.end_forces = ends_.empty() ? 0 : relative(change, scale);
    error.unbalanced = relative(left, scale);
  }

  void correct(const Eigen::MatrixXd& correction) {
    for (std::size_t k = 0; k < active_.size(); ++k) {
      add(active_[k], correction.col(static_cast<Eigen::Index>(k)));
    }
  }

  void add(Eigen::Index column, const VectorXd& correction) {
    SolveError& error = result_.errors[static_cast<std::size_t>(column)];
    ByKind size, change;
    for (Eigen::Index q = 0; q < correction.size(); ++q) {
      const bool linear = linear_[static_cast<std::size_t>(q)];
      TwoDouble u{result_.q(q, column), result_.rest(q, column)};
      u = u + TwoDouble{correction[q], 0};
      result_.q(q, column) = u.high;
      result_.rest(q, column) = u.low;
      size.take(u.high, linear);
      change.take(correction[q], linear);
    }
    // A rotation acts over a member's length: without sway or turn, that kind is only rounding.
    size = {std::max(size.linear, size.angular * longest_),
            std::max(size.angular, longest_ > 0 ? size.linear / longest_ : 0)};
    error.displacement = relative(change, size);
    ++error.corrections;
    if (error.corrections == 1) error.first_correction = error.displacement;
  }

  void drop_settled(int corrections) {
    std::vector<Eigen::Index> active;
    std::vector<IndexedVector<MemberId, Vector12d>> ends;
    Eigen::MatrixXd residual(residual_.rows(), residual_.cols());
    before_.resize(result_.errors.size(), 0);
    for (std::size_t k = 0; k < active_.size(); ++k) {
      const auto at = static_cast<std::size_t>(active_[k]);
      const double error = result_.errors[at].largest(), before = before_[at];
      before_[at] = error;
      if (error <= kSettled || !std::isfinite(error)) continue;
      if (corrections > 1 && error > kSlow * before) {
        // At the end of the digits there is nothing more to gain.
        if (error > kReliable * 1e-3) slow_.push_back(active_[k]);
        continue;
      }
      residual.col(static_cast<Eigen::Index>(active.size())) =
          residual_.col(static_cast<Eigen::Index>(k));
      active.push_back(active_[k]);
      ends.push_back(std::move(ends_[k]));
    }
    active_ = std::move(active);
    ends_ = std::move(ends);
    residual_ = residual.leftCols(static_cast<Eigen::Index>(active_.size()));
  }

  void by_conjugate_gradients(Eigen::Index column) {
    active_ = {column};
    ends_.clear();
    measure();
    CgOptions options;
    options.iterations = kCgIterations;
    options.tolerance = 1e-8;
    const auto product = [this](const VectorXd& p) -> VectorXd {
      std::vector<State> states(1, State(system_.model()));
      system_.set_increment(p, states[0]);
      return system_.resistance(tangent_.loads, tangent_.acting, states, tangent_.split)
          .at_unknowns.col(0);
    };
    const SolveError& error = result_.errors[static_cast<std::size_t>(column)];
    double before = 1;
    for (int i = 0; i < kRestarts; ++i) {
      VectorXd x = VectorXd::Zero(loads_.rows());
      conjugate_gradients(product, inverse_of(factor_), residual_.col(0), x, options);
      if (!x.allFinite()) return;
      add(column, x);
      measure();
      if (error.largest() <= kSettled || (i > 0 && error.largest() > kSlow * before)) return;
      before = error.largest();
    }
  }

  const TangentAt& tangent_;
  const FrameSystem& system_;
  const Factorisation& factor_;
  const Eigen::MatrixXd& loads_;
  ColumnLoads acting_;
  RefinedSolution result_;
  std::vector<char> linear_;
  std::vector<Eigen::Index> active_, slow_;
  std::vector<double> before_;
  std::vector<IndexedVector<MemberId, Vector12d>> ends_;
  Eigen::MatrixXd residual_;
  double longest_ = 0;
};

}  // namespace

RefinedSolution solve_refined(const TangentAt& tangent, const Factorisation& factor,
                              const Eigen::MatrixXd& rhs, const Eigen::MatrixXd& loads,
                              ColumnLoads acting) {
  return Refinement(tangent, factor, rhs, loads, std::move(acting)).run();
}

}  // namespace ulterix
