#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "core/analysis/elastic_frame.hpp"

namespace ulterix {

/// From this work on, rounds are solved by conjugate gradients on the first-order factorisation,
/// and only the last tangent is factorised, which proves that it has no negative pivots.
inline constexpr double kIterativeFlops = 3e8;

/// N that the start gives each member.
using StartForces = IndexedVector<MemberId, double>;

/// One set of loads on its way from first-order to equilibrium on the bent shape.
class PDeltaRounds {
 public:
  enum class End { converged, not_definite, limit, not_finite };

  PDeltaRounds(const ElasticFrame& frame, const PDeltaKeys& keys, const LoadSet& loads)
      : frame_(frame),
        system_(*frame.system),
        factor_(system_.factor_structure()),
        keys_(keys),
        loads_(loads),
        cables_(system_.cables()) {}

  /// The axial forces that act are given (the mean of each member): one round is enough.
  void give_axial_forces(const StartForces& forces) { given_ = forces; }

  /// Axial forces do not act on the bent shape: only cables ask for rounds.
  void stay_linear() { linear_ = true; }

  /// Iterates at load factor lambda from the given axial forces; on success state() and forces()
  /// hold the result.
  End run(double lambda, const StartForces& start);

  /// Gives a step the state that was found, with its evidence, reactions and balance.
  void give(Step& step) const;

  const State& state() const { return state_; }
  const StartForces& forces() const { return forces_; }
  const std::vector<ConvergenceRound>& rounds() const { return rounds_; }
  std::optional<int> negative_pivots() const { return negative_pivots_; }
  const std::vector<MemberId>& unstable_members() const { return unstable_; }
  const Factorisation& factor() const { return factor_; }
  const SolveError& solve_error() const { return solve_error_; }
  const std::shared_ptr<const AppliedLoads>& applied() const { return applied_; }

  /// True if the last run ended in rounding, short of its tolerance.
  bool stagnated() const { return stagnates_; }

 private:
  /// Solves again with residuals from deformations, and moves the nodes of the state.
  void refine(const Assembly& assembly, State& now);
  /// Axial forces to go on with, where plain iteration swings or creeps (Anderson 1965).
  void accelerate(StartForces& forces, const StartForces& found);

  /// Solves a round; false if the tangent has negative pivots. `proven` tells whether it was
  /// factorised, which a large frame leaves to the last round.
  bool solve(const Assembly& assembly, VectorXd& q, bool& proven);
  bool definite(const Assembly& assembly);
  bool stagnates() const;
  /// How far to go from the unknowns before to those of a round: 1, unless the cables, whose
  /// tangents the round was solved with, say that the energy has its least on the way.
  double part_of_step(const Assembly& assembly, const VectorXd& from, const VectorXd& to,
                      const State& acting) const;
  /// Takes the tangents of cables where the nodes of a state are.
  void follow_cables(const State& at, State& state) const;
  ConvergenceRound compare(const State& before, const State& after, const StartForces& old_forces,
                           const StartForces& new_forces) const;

  const ElasticFrame& frame_;
  const FrameSystem& system_;
  Factorisation factor_;
  PDeltaKeys keys_;
  const LoadSet& loads_;
  std::shared_ptr<const AppliedLoads> applied_;  // of the last run
  State state_;
  StartForces forces_;
  std::vector<ConvergenceRound> rounds_;
  std::optional<int> negative_pivots_;
  std::vector<MemberId> unstable_;
  bool stagnates_ = false;
  std::optional<StartForces> given_;
  bool linear_ = false;
  std::vector<MemberId> cables_;
  SolveError solve_error_;
  struct Past {
    VectorXd forces, change;
  };
  std::vector<Past> past_;  // of the last rounds
};

}  // namespace ulterix
