#pragma once

#include <memory>

#include "core/model/model.hpp"
#include "core/model/state.hpp"

namespace ulterix {

/// A direction held (or sprung) at a node for one analysis only.
struct ExtraRestraint {
  NodeId node;
  Vector6d direction = Vector6d::Zero();  ///< unit vector over ux..rz, global
};

/// Where the two nodes of a member were when it was built in without force.
struct Birth {
  NodeMotion start, end;
};

/// What time has made of a member: how its nodes would lie, from where it was built in, if no force
/// held it (relative to its chord, local axes as EndMotion::deformed), and how much softer it is
/// while days pass.
struct Aged {
  Eigen::Matrix<double, 12, 1> shift = Eigen::Matrix<double, 12, 1>::Zero();
  double softer = 1;
};

/// Where a cable hangs when the frame is at rest: what its tangent is taken at.
struct CableRest {
  double length = 0;                  ///< without force, heat included, m
  Vector3d load = Vector3d::Zero();   ///< per length without force, local axes, N/m
  Vector3d reach = Vector3d::Zero();  ///< relative displacement of its ends, local axes, m
};

/// What stands, and how stiff. Analyses change stiffness, presence, supports, restraints and
/// geometry here, never in the Model.
struct Situation {
  const Model* model = nullptr;
  IndexedVector<MemberId, StiffnessFactors> factors;
  IndexedVector<MemberId, char> present;
  IndexedVector<NodeId, char> standing;  ///< nodes; the others have no unknowns and no loads
  IndexedVector<NodeId, Vector3d> offsets;
  /// How members have turned from where they are drawn, where a finite motion left them; empty: the
  /// short way that their moved nodes ask for.
  IndexedVector<MemberId, Quaterniond> turned;
  /// At nodes that stand. The place where a support was put in is part of `settle`: a support that
  /// arrives at a displaced node holds it there.
  std::vector<Support> supports;
  std::vector<ExtraRestraint> restraints;
  /// One-way members and supports act one way, with their slack, and cables hang; else both ways
  /// without slack, and cables straight with their preload.
  bool one_way = false;
  /// Settlements, preloads, lack of fit and births count; else the frame is as without them.
  bool strained = true;
  IndexedVector<MemberId, char> idle;        ///< one-way members that carry nothing
  std::vector<std::pair<NodeId, int>> open;  ///< directions of one-way supports that do not bear
  /// Members that came between nodes that had moved; empty: none.
  IndexedVector<MemberId, std::optional<Birth>> births;

  IndexedVector<MemberId, std::optional<Aged>> aged;  ///< members that have crept; empty: none

  /// Members that have broken, which do not stand any more, or yield; empty: none.
  IndexedVector<MemberId, Activity> failed;

  /// Loads whose weight is mass, instead of those of MassSpec::from_loads; none: those.
  std::shared_ptr<const LoadCase> heavy;

  /// Elongations that have stayed since members yielded, m; empty: none.
  IndexedVector<MemberId, double> permanent;

  /// Of cables; empty: all are as drawn, under their own weight.
  IndexedVector<MemberId, std::optional<CableRest>> cable_rests;

  explicit Situation(const Model& m)
      : model(&m),
        factors(m.members.size()),
        present(m.members.size(), 1),
        standing(m.nodes.size(), 1),
        offsets(m.nodes.size(), Vector3d::Zero()),
        supports(m.supports),
        idle(m.members.size(), 0) {}

  Vector3d position(NodeId id) const { return model->nodes[id].position + offsets[id]; }
  Activity failed_as(MemberId id) const { return failed.empty() ? Activity::active : failed[id]; }
  /// Takes a broken member away, with the loads on it, or lets it yield.
  void fail(MemberId id, Activity as);
  /// Takes over what stayed of a member's yielding in a state.
  void keep_permanent(MemberId id, const State& state);
  const Birth* birth(MemberId id) const {
    return births.empty() || !births[id] || !strained ? nullptr : &*births[id];
  }
  const Aged* aged_of(MemberId id) const {
    return aged.empty() || !aged[id] || !strained ? nullptr : &*aged[id];
  }
  /// Nothing stands yet.
  void clear();
  /// The members of a stage go and come, and their nodes with them.
  void change_members(const Stage& stage);
  /// Builds a member in without force between nodes that have moved as in `now`.
  void bear(MemberId id, const State& now);
};

/// Local axes of a member (rows, global): those of the drawn member, turned with it where its nodes
/// are moved.
Matrix3d local_axes(const Situation& situation, MemberId id);

/// A state without motion that knows which one-way items of the situation carry nothing.
State state_at_rest(const Situation& situation);

/// Names of the one-way members that carry nothing in a state, and of the supports that do not bear
/// ("A0.uz").
std::vector<std::string> slack_members(const Model& model, const State& state);
std::vector<std::string> lifted_supports(const Model& model, const State& state);

}  // namespace ulterix
