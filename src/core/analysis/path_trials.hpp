#pragma once

#include "core/analysis/elastic_frame.hpp"
#include "core/system/piecewise_frame.hpp"

namespace ulterix {

/// A frame with what has broken, yields or has yielded in a state.
std::shared_ptr<const MemberFrame> frame_in(std::shared_ptr<const MemberFrame> frame,
                                            const State& state);

/// Equilibrium with finite motion on one path after the other: a set of loads, the legs of a
/// history, the stages of an erection. Members are cut into corotational pieces
/// (corotational_piece.hpp), as many as the change from n to 2n asks for.
class PathTrials {
 public:
  virtual ~PathTrials() = default;
  /// One step a leg, whose analysis and loads are known. `pieces`: of a member; 0: to be found.
  void solve(int pieces, bool with_events, const Progress& progress, std::vector<Step>& steps);

 protected:
  explicit PathTrials(const Model& model) : model_(model) {}

  struct Leg {
    std::shared_ptr<const FrameSystem> system;
    std::unique_ptr<PiecewiseFrame> frame;
    PathOptions options;
  };
  /// Begins a leg, of members cut in `pieces`, where the one before ended.
  virtual Leg begin(std::size_t leg, int pieces, const PiecewiseFrame* before) = 0;
  /// What acts at a factor on a leg.
  virtual LoadSet acting(std::size_t leg, const LoadSet& loads, double factor) const = 0;
  /// The largest force that stays or that was there before, N.
  virtual double standing_force(std::size_t leg) const = 0;
  /// Of what a factor is: "U1".
  virtual std::string whole(std::size_t leg, const LoadSet& loads) const = 0;
  /// A state short of the end of a leg tells what it is in equilibrium with.
  virtual bool parts_count(std::size_t leg) const = 0;

  /// Notes the forces that would hold the members which loads strain: without another force, those
  /// are what rounding is a part of.
  void note_strains(const FrameSystem& system, const AppliedLoads& loads);

  const Model& model_;

 private:
  struct Part {
    Leg leg;
    PathResult path;

    double last_factor() const { return path.states.empty() ? 0 : path.states.back().factor; }
  };
  /// All legs with so many pieces to a member.
  struct Trial {
    int pieces = 0;
    bool with_events = false;
    std::vector<Part> parts;  // those that were begun, one a leg

    bool arrives() const { return parts.back().path.end == PathEnd::reached; }
  };
  /// The largest motion and force at the ends of all legs, and what two paths differ by.
  struct Change {
    double shift = 0, turn = 0, force = 0;
    double of_shift = 0, of_turn = 0, of_force = 0;
  };

  Trial follow(int pieces, bool with_events, const std::vector<Step>& steps,
               const Progress& progress);
  double change(const Trial& coarse, const Trial& fine) const;
  void compare(const Part& coarse, const Part& fine, Change& change) const;
  void take(const Trial& trial, std::size_t k, Step& step) const;
  void tell_path(const Part& part, int pieces, bool keeps, Step& step) const;
  void tell_place(const PiecewiseFrame& frame, const VectorXd& mode, PathPoint& point) const;
  void judge(const Trial& trial, std::size_t k, double error, Step& step) const;

  double held_ = 0;  // the largest force that would hold a strained member, N
};

}  // namespace ulterix
