#pragma once

#include <string_view>

#include "core/analysis/condensed_pencil.hpp"

namespace ulterix {

/// The modes of B·φ = θ·K·φ on a frame, 1/θ (λ, or ω²) rising, and the proof that none is missing.
class ModeSearch {
 public:
  /// `values`: of B, on the frame's pattern. Both have to outlive the search. `start`: vectors near
  /// the lowest modes; may be empty, or without the inner nodes, for when there are none. `near`: a
  /// value of 1/θ by which a large frame may be looked at without the inner nodes of its members;
  /// 0: none is known.
  ModeSearch(const EigenFrame& frame, const std::vector<double>& values, int most_vectors,
             const Eigen::MatrixXd& start = {}, double near = 0);
  ModeSearch(const ModeSearch&) = delete;
  ModeSearch& operator=(const ModeSearch&) = delete;

  /// The lowest `wanted` modes with all copies of the last, and the next. Goes on from what was
  /// found before.
  const EigenPairs& find(int wanted, double tolerance);
  /// The same to a per cent or so, which tells how finely members have to be split. All `wanted`
  /// modes are there, if there are as many.
  const EigenPairs& look(int wanted);
  /// To a tolerance of its own, with as many vectors as it takes, and without the mode after them.
  const EigenPairs& look(int wanted, double tolerance);

  /// What find and prove do together, from modes that `look` has found, by one factorisation of
  /// K − σB: its negative pivots count the modes below σ, and solving with it finds them soon,
  /// however close they are to each other.
  Certificate settle(int wanted, double tolerance);

  /// Sturm count just beyond the lowest `wanted` modes, their copies in; looks for copies that the
  /// block was too narrow for beside those that are known. `below` is a value of 1/θ.
  Certificate prove(int wanted);

  const EigenPairs& pairs() const { return pairs_; }
  /// The modes found and what is known of the next, without inner nodes: where other loads start.
  const Eigen::MatrixXd& known() const { return known_; }

 private:
  const EigenPairs& find(PairsWanted asked);
  const EigenPairs& look(PairsWanted asked);
  double beyond(int wanted) const;
  int found_below(double bound) const;
  bool find_below(double bound, const IndefiniteFrameFactor& factor, double tolerance);
  /// The line through S at the lowest mode and at the bound; empty where it would not do.
  std::optional<CondensedPencil> condensed_below(double bound,
                                                 const IndefiniteFrameFactor& factor) const;
  /// From the vectors given at first, which are near the modes; false if they are not.
  bool look_near(PairsWanted asked);
  /// Large frames: all pairs below the bound, from all that is known, and what comes after them.
  EigenPairs near(const Pencil& pencil, double bound, PairsWanted asked,
                  const IndefiniteFrameFactor& factor);
  /// Other frames, to more digits than a growing space keeps.
  EigenPairs closely(double bound, PairsWanted asked, const IndefiniteFrameFactor& factor) const;
  /// Residuals with inner nodes, and a step with the factor of K on all pairs (in large frames
  /// where one is larger): by way of the indefinite one, λ far below the bound has fewer digits.
  /// False if the vectors are not apart from each other.
  bool sharpen(EigenPairs& pairs, double tolerance) const;
  /// Goes on with the inner nodes.
  void leave_condensed();
  /// From vectors that are nearly modes, with the factor of K.
  void go_on(EigenPairs& pairs, double tolerance) const;
  bool large() const { return is_large(*frame_->whole->system); }
  Pencil pencil() const { return {frame_->pattern(), frame_->stiffness, *values_}; }
  EigenProblem with_inner_nodes() const;
  EigenProblem problem() const;
  /// What is looked at, with the inner nodes or without, and what solves with its K: nearly
  /// without them, since the line is no better.
  Pencil looked_at() const { return condensed_ ? condensed_->pencil() : pencil(); }
  SolvePack solver() const;

  const EigenFrame* frame_;
  const std::vector<double>* values_;
  int most_vectors_;
  std::optional<CondensedPencil> condensed_;  // what is looked at, if it is
  double stand_up_to_;                        // members do alone, at the least
  Eigen::MatrixXd known_;
  BlockLanczos lanczos_;
  EigenPairs pairs_;
};

/// Remark on modes that were taken short of the tolerance.
inline constexpr std::string_view kNotConverged =
    "the eigen solver did not reach its tolerance: look at the residuals, and ask for fewer modes";

/// Values closer than this are copies of one mode.
inline constexpr double kSameValue = 1e-5;

}  // namespace ulterix
