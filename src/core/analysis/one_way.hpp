#pragma once

#include <map>
#include <memory>
#include <mutex>

#include "core/analysis/elastic_frame.hpp"

namespace ulterix {

/// A member or a direction of a support that carries one way only.
struct OneWayItem {
  MemberId member;    ///< or
  NodeId node;        ///< and
  int direction = 0;  ///< (0..5) of its support
  double sign = 1;    ///< of the force that it can carry
};

/// Which items carry nothing, one flag each in the order of OneWayFrames::items().
using IdleSet = std::vector<char>;

/// Which members have broken or yield, by member; empty: none.
using FailedSet = IndexedVector<MemberId, Activity>;

/// The frames that one-way members and supports leave of a structure: each set of idle ones gives a
/// frame, made when it is first asked for and kept. Safe to use from several threads.
class OneWayFrames {
 public:
  /// `base`: with the holds of the analysis; where one-way items act one way is set here. `near`:
  /// of a frame of the same model, if there is one.
  explicit OneWayFrames(Situation base, std::shared_ptr<const Topology> near = nullptr);

  const Model& model() const { return *base_.model; }
  const std::vector<OneWayItem>& items() const { return items_; }
  const ElasticFrame& frame(const IdleSet& idle) const;
  /// The same without the frames made so far: for a search whose frames nobody keeps.
  std::unique_ptr<OneWayFrames> without_frames() const;
  /// The frames where some members have broken or yield, made when they are first asked for.
  const OneWayFrames& left_by(const FailedSet& failed) const;
  /// The frame that a state was found on.
  const ElasticFrame& frame_of(const State& state) const;
  /// The set that a state was found with.
  IdleSet idle_of(const State& state) const;
  /// "X1, X2 slack; A0.uz lifted".
  std::string words(const IdleSet& idle) const;
  std::string name(const OneWayItem& item) const;

 private:
  Situation base_;
  std::vector<OneWayItem> items_;
  mutable std::shared_ptr<const Topology> near_;
  mutable std::mutex mutex_;
  mutable std::map<IdleSet, std::unique_ptr<const ElasticFrame>> frames_;
  mutable std::vector<std::pair<FailedSet, std::unique_ptr<const OneWayFrames>>> left_;
};

/// A state of one-way items that satisfies all conditions, or why there is none.
struct OneWayState {
  IdleSet idle;
  const ElasticFrame* frame = nullptr;
  Step step;  ///< on that frame; its outcome says why where there is no state. Its events: breaks
  int solutions = 0;  ///< solved on the way
};

/// Equilibrium of the linear frame: the minimum of the energy under the loads over all lengths by
/// which idle items may go without force, a convex quadratic program in those lengths. Blocks of
/// items are switched first, as long as ever fewer violate a condition; else the active-set method
/// of Lawson & Hanson (1974, ch. 23) is used, whose energy falls at every step and which therefore
/// meets no set twice: it ends. `lambda`: factor on the loads. `start`: a set to begin with, as
/// that of loads before; the state does not depend on it.
OneWayState solve_one_way(const OneWayFrames& frames, const AnalysisSpec& spec,
                          const LoadSet& loads, double lambda = 1, const IdleSet* start = nullptr);

/// P-Delta from the linear state on: items switch until all conditions hold on the bent shape.
/// Where a set would come back, the load is brought up in steps and one item is switched at a time.
OneWayState solve_one_way_p_delta(const OneWayFrames& frames, const AnalysisSpec& spec,
                                  const LoadSet& loads, double lambda = 1,
                                  const IdleSet* start = nullptr);

/// Every switch between two factors on the loads, located to 1e-6.
std::vector<ItemEvent> find_events(const OneWayFrames& frames, const AnalysisSpec& spec,
                                   const LoadSet& loads, double from = 0, double to = 1);

}  // namespace ulterix
