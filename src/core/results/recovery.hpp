#pragma once

#include "core/results/step.hpp"

namespace ulterix {

/// Forces and shapes of one step, recovered from its state on demand. The step outlives it.
class Recovery {
 public:
  explicit Recovery(const Step& step);

  /// Forces and shape of one member; signs as in docs/conventions.md. The step keeps it.
  const MemberLine& line(MemberId id) const;

  const Step& step() const { return *step_; }
  const AppliedLoads& loads() const { return *loads_; }
  const MemberFrame& frame() const { return *step_->frame; }

 private:
  MemberLine make_line(MemberId id) const;
  MemberLine crept_line(MemberId id) const;

  const Step* step_;
  std::shared_ptr<const AppliedLoads> loads_;
  std::shared_ptr<const AppliedLoads> bends_;  // where members creep
};

/// The mean of N along a member, N; of a cable that hangs, the force along its chord.
double mean_axial_force(const Recovery& recovery, MemberId id);

/// The set with every factor multiplied: what acts at a load factor lambda.
LoadSet scaled(const LoadSet& set, double lambda);
/// Loads of an analysis that come on top of those of the state it starts from.
LoadSet on_top(const LoadSet& own, const LoadSet& stays);

/// Fills the frame, the loads, the reactions and the equilibrium check of a step from its state.
void complete(std::shared_ptr<const MemberFrame> frame, std::shared_ptr<const AppliedLoads> loads,
              Step& step);

/// Fills the sum of the reactions and of the loads, and how they agree, of a step whose loads and
/// reactions are known; `largest_force`: that takes part, N.
void compare_reactions(const Model& model, double largest_force, Step& step);

/// Value of a place (docs: `B1.ux`, `CA.My@0.5`), SI; empty where the step has no state.
std::optional<double> value_at(const Recovery& recovery, const Place& place);

}  // namespace ulterix
