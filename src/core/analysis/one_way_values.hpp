#pragma once

#include <Eigen/Core>
#include <map>
#include <optional>
#include <vector>

#include "core/analysis/one_way.hpp"

namespace ulterix {

/// A force below this part of the largest, or a length below this part of the largest displacement,
/// is nothing.
inline constexpr double kNegligible = 1e-9;

/// How an item stands in a solution: the force that it carries in its sign, or idle, the length
/// that it goes without force (m or rad). Negative values violate the condition.
struct ItemValue {
  double value = 0;
  double scale = 0;  ///< what counts as large of that kind

  bool violates() const { return value < -kNegligible * scale; }
  bool is_nothing() const { return std::abs(value) <= kNegligible * scale; }
};

struct ItemValues {
  std::vector<ItemValue> items;
  double largest_force = 0, largest_motion = 0;
};

/// In a step on the frame that a set leaves.
ItemValues values_of(const OneWayFrames& frames, const ElasticFrame& frame, const Step& step,
                     const IdleSet& idle);

int violations(const std::vector<ItemValue>& values);

/// The values that a solution of the linear frame would have if a few of its items were switched: a
/// change of low rank of its factor (Sherman, Morrison and Woodbury), for rigid supports the Schur
/// complement.
class SwitchedItems {
 public:
  /// `frame`: what the set `idle` leaves, where the items have these values. It outlives this.
  SwitchedItems(const OneWayFrames& frames, const ElasticFrame& frame, const IdleSet& idle,
                const ItemValues& values);

  /// With another set, 0 where it is not sure of the sign; empty where more than a few items are
  /// switched, what is left hardly stands, or an item is not as simple as that: then it is worth a
  /// frame of its own.
  std::optional<std::vector<ItemValue>> values(const IdleSet& idle);

 private:
  static constexpr std::size_t kFew = 64;
  /// An item as a force t = k·(bᵀu − start) that it puts on the frame along −b; of a rigid support,
  /// which has no k, what the ground puts on the frame.
  struct Item {
    NodeId start, end;                  ///< `end` alone of a support
    Vector6d along = Vector6d::Zero();  ///< b at `end`, −b at `start`
    double stiffness = 0;               ///< k; 0: rigid
    double unit = 1;                    ///< of a rigid support: its motion in solve(), m or rad
    std::vector<std::pair<MemberId, Matrix12d>> around;  ///< members at it, where it is closed
    double base = 0;  ///< t; of a rigid support that is open −bᵀu − start
    bool simple = true;
  };
  /// `all_carry`: the situation of the frame if no member were idle.
  Item describe(std::size_t i, const Situation& all_carry) const;
  bool is_closed(std::size_t i) const { return items_[i].stiffness == 0 && idle_[i] == 0; }
  double force_at(const Item& item, const VectorXd& q, const Vector6d& ground) const;
  /// Makes known what a unit of each of these does to all items.
  void solve(const std::vector<std::size_t>& switched);

  const OneWayFrames& frames_;
  const ElasticFrame& frame_;
  IdleSet idle_;
  ItemValues values_;
  std::vector<Item> items_;
  /// By the switched item: what a unit of force between its ends, or of motion of its ground, adds
  /// to bᵀu of every item, and to the reaction of a rigid support that is closed.
  std::map<std::size_t, Eigen::VectorXd> does_;
};

}  // namespace ulterix
