#pragma once

#include <Eigen/Core>
#include <algorithm>
#include <array>
#include <limits>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "core/model/concrete.hpp"
#include "core/model/ids.hpp"
#include "core/model/section.hpp"
#include "core/model/vocabulary.hpp"

namespace ulterix {

using Eigen::Matrix3d;
using Eigen::Vector3d;
using Vector6d = Eigen::Matrix<double, 6, 1>;

inline constexpr double kRigid = std::numeric_limits<double>::infinity();

/// What the engineer wrote, validated, in SI (N, m, kg, s, rad). Immutable once read. Names and
/// `line` (place in the file) serve only messages and writers.
struct Material {
  std::string name;
  double E = 0, G = 0;    ///< N/m²
  double density = 0;     ///< kg/m³
  double alpha = 12e-6;   ///< 1/K
  double fy = 0, fu = 0;  ///< N/m², 0: not given
  double fck = 0;         ///< of concrete, N/m²; 0: not known
  int line = 0;
};

struct Node {
  std::string name;
  Vector3d position = Vector3d::Zero();
  int line = 0;
};

/// Stiffness of the joint between a member's end and its node, per local direction (force fx..mz):
/// kRigid: joined; 0: a hinge; else an end spring (N/m or N·m/rad).
using EndJoint = std::array<double, 6>;
inline constexpr EndJoint kJoined = {kRigid, kRigid, kRigid, kRigid, kRigid, kRigid};

struct Member {
  std::string name;
  MemberKind kind = MemberKind::frame;
  NodeId start, end;
  SectionId section;
  MaterialId material;
  double roll = 0;  ///< rad
  std::array<EndJoint, 2> joints = {kJoined, kJoined};
  double slack = 0;        ///< m, travel before a one-way member acts
  double preload = 0;      ///< N at the drawn geometry, of axial kinds; of a cable along its chord
  double lack_of_fit = 0;  ///< m that it is short of
  std::array<double, 2> bow = {0, 0};  ///< m, at mid length along local y and z: a parabola
  double breaks_at = 0;                ///< N, largest tension of axial kinds; 0: not given
  bool yields = false;                 ///< keeps that force instead of breaking
  double cut_length = 0;               ///< m, of a cable without force
  bool cut_in_place = false;           ///< of a cable: its length follows from where its ends are
  bool weighs = false;                 ///< of a cable: some load case puts its own weight on it
  int line = 0;

  bool has_hinges() const { return joints[0] != kJoined || joints[1] != kJoined; }
};

/// One direction of a support: kRigid holds it, 0 leaves it free, else a spring to the ground.
struct SupportDirection {
  double stiffness = 0;
  double settle = 0;  ///< m or rad, movement of the ground
  int only = 0;       ///< the sign of the reaction it can give, in its direction; 0: both
  double slack = 0;   ///< m or rad, travel before a one-way support bears
};

struct Support {
  NodeId node;
  std::array<SupportDirection, 6> directions;
  int line = 0;
};

struct Group {
  std::string name;
  std::vector<NodeId> nodes;
  std::vector<MemberId> members;
};

/// Nodes that move as a rigid body in the horizontal plane.
struct Floor {
  std::string name;
  std::vector<NodeId> nodes;
  int line = 0;
};

/// An elevation with a name, `[levels]`.
struct NamedLevel {
  std::string name;
  double elevation = 0;  ///< m
};

struct NodalLoad {
  NodeId node;
  Vector6d force = Vector6d::Zero();  ///< fx fy fz mx my mz, global, N and N·m
  int line = 0;
};

/// Linear from `from` to `to` (m along the member): force and moment per length, N/m and N·m/m.
struct DistributedLoad {
  MemberId member;
  Vector6d at_from = Vector6d::Zero(), at_to = Vector6d::Zero();
  double from = 0, to = 0;
  LoadAxes axes = LoadAxes::global;
};

struct PointLoad {
  MemberId member;
  Vector6d force = Vector6d::Zero();
  double x = 0;  ///< m from the start
  LoadAxes axes = LoadAxes::global;
};

struct SelfWeight {
  MemberId member;
  double factor = 1;
};

/// What strains a member without a force: along all of its length.
struct MemberStrain {
  MemberId member;
  double warm = 0;                          ///< K
  std::array<double, 2> gradient = {0, 0};  ///< K/m along local y and z
  double lack_of_fit = 0;                   ///< m that it is short of
  double preload = 0;                       ///< N at the drawn geometry, of axial kinds
  /// Of a cable: what its preload makes of its length without force, relative.
  double cable_strain = 0;
};

/// How much further the ground moves under a support, m or rad.
struct GroundMotion {
  NodeId node;
  int direction = 0;
  double amount = 0;
};

struct LoadCase {
  std::string name;
  Action action = Action::none;
  std::vector<SelfWeight> self_weight;
  std::vector<NodalLoad> nodal;
  std::vector<DistributedLoad> distributed;
  std::vector<PointLoad> points;
  std::vector<MemberStrain> strains;
  std::vector<GroundMotion> ground;
  int line = 0;
};

/// A load case or combination as an analysis sees it: a list of (case, factor) + notional.
struct LoadSet {
  std::string name;
  std::vector<std::pair<CaseId, double>> terms;
  double notional_x = 0, notional_y = 0;  ///< fraction of the net downward load at each node
  bool combination = false;
  int line = 0;
  /// Loads that are given one by one, beside those of `terms`: what acts in a stage.
  std::shared_ptr<const LoadCase> items;
  double items_factor = 1;
  /// Of a stage: loads whose weight is mass, as far as they have been put on what stands.
  std::shared_ptr<const LoadCase> heavy;
  /// Of a stage with creep: loads that would bend members between their ends, without creep, as far
  /// as those of all stages have with it; none: the loads do.
  std::shared_ptr<const LoadCase> bends;
};

/// Where on a member a place reads: a distance, or the extreme along it.
enum class Along { distance, smallest, largest };

/// `B1.ux`, `A0.fz`, `CA.My@0.5`: one number that the engineer reads.
struct Place {
  std::string text;
  enum class Kind {
    displacement,    ///< of a node, ux..rz
    reaction,        ///< fx..mz
    internal_force,  ///< N..Mz along members
    axis,            ///< displacement of a member's axis, ux..uz global
    deflection       ///< of a member's axis from the chord between its ends: y or z local
  } kind = Kind::displacement;
  int component = 0;
  bool is_displacement() const { return kind != Kind::reaction && kind != Kind::internal_force; }
  NodeId node;
  std::vector<MemberId> members;
  Along along = Along::distance;
  double x = 0;           ///< m, for Along::distance with one member
  bool fraction = false;  ///< then x counts from 0 to 1
};

struct Watch {
  std::string name;
  Place place;
};

/// Directions (ux..rz) of a node held for one analysis only.
struct Hold {
  NodeId node;
  std::array<bool, 6> directions = {};
};

/// What only a first-order analysis is asked.
struct FirstOrderKeys {
  bool iterate = false;  ///< one-way members and supports act one way
  bool events = false;   ///< the load factor of every switch of one-way items is located
};

struct PDeltaKeys {
  int split = 0;              ///< pieces of a member at the least
  int iterations = 50;        ///< rounds at most
  double tolerance = 1e-8;    ///< change of displacements and of axial forces
  bool between_nodes = true;  ///< P-δ too
  bool events = false;        ///< as in FirstOrderKeys
  /// These loads make the axial forces that act on the bent shape, not each set its own.
  std::optional<LoadSet> axial_from;
};

/// Modes that a buckling analysis and one of vibration look for unless told otherwise.
inline constexpr int kDefaultBucklingModes = 5, kDefaultVibrationModes = 10;

/// What a search for modes is asked, in buckling and vibration.
struct ModeKeys {
  int modes = 0;            ///< how many; 0: the default of the kind
  int functions = 0;        ///< of a member and plane at the least; 0: auto
  double tolerance = 1e-6;  ///< of factors and frequencies, relative
  int try_restraints = 0;   ///< so many of the best restraints are re-analysed
};

struct BucklingKeys : ModeKeys {
  bool incremental = false;         ///< step the load instead of one linear eigenproblem
  std::optional<LoadSet> constant;  ///< acts in full, the sets in `loads` grow
};

struct ModalKeys : ModeKeys {
  std::array<double, 3> until = {};  ///< participation wanted in x, y, z, per cent
  bool strings = true;               ///< what is taut in a state vibrates between its nodes, too
};

/// How the load is led along its path.
enum class PathControl { automatic, load, arc_length, displacement };

/// The shape that a frame starts from: a mode of an analysis, or its displacements, scaled so that
/// a node moves by so much.
struct StartShape {
  std::string analysis, loads;  ///< `loads` empty: those of the set that is analysed
  int mode = 1;
  NodeId node;
  int direction = 0;
  double size = 0;  ///< m
};

/// One leg of a history; the loads at its end are the set of the same number in
/// AnalysisSpec::loads.
struct HistoryLeg {
  int steps = 0;  ///< 0: those of the analysis
};

struct LargeDisplacementKeys {
  PathControl control = PathControl::automatic;
  Place lead;          ///< displacement control: of a node,
  double lead_to = 0;  ///< from 0 to this, m or rad
  int steps = 10;      ///< of the load factor or the displacement, to begin with
  bool follow_branch = false;
  bool stop_at_limit = false;
  double stop_at_factor = 0;        ///< 0: at the full load
  int most_steps = 0;               ///< 0: the default
  int pieces = 0;                   ///< of a member; 0: as many as the change from n to 2n asks for
  bool events = true;               ///< where ties go slack or taut and members reach fy is located
  std::optional<LoadSet> constant;  ///< acts in full from the start
  std::optional<StartShape> start_shape;
  std::vector<HistoryLeg> history;  ///< empty: each set of loads by itself
};

/// One stage of an erection, in the order in which its parts happen. What acts after it is the set
/// of loads of the same number in AnalysisSpec::loads, which has its name.
struct Stage {
  std::string name;
  std::vector<MemberId> erected, struck;
  std::vector<Support> supports;              ///< that arrive, where their nodes are then
  std::vector<std::pair<NodeId, int>> freed;  ///< directions (0..5)
  std::vector<GroundMotion> ground;
  bool drawn =
      false;  ///< new members fit between drawn places, and are strained to reach the nodes
  AnalysisKind theory = AnalysisKind::first_order;  ///< or P-Delta, or large displacement
  double days = 0;                                  ///< that pass, if nothing else happens
  int line = 0;
};

/// How members of concrete creep and shrink while days pass.
struct CreepKeys {
  double humidity = 0.6;  ///< of the air, 0..1
  CementClass cement = CementClass::N;
  double age =
      7;  ///< of its concrete when a member arrives, days: it is loaded and dries from then
  bool shrinks = true;
};

struct StagedKeys {
  std::vector<Stage> stages;
  /// The frame of each stage under all of its loads at once, as if it had never been in stages:
  /// what an erection is set beside.
  bool at_once = false;
  std::optional<CreepKeys> creep;
};

/// The state that an analysis starts from: of a set of loads (of a stage) in an analysis.
struct After {
  std::string analysis, loads;
  bool empty() const { return analysis.empty(); }
};

struct AnalysisSpec {
  std::string name;
  std::vector<LoadSet> loads;
  After after;
  std::vector<Hold> holds;
  int line = 0;
  /// What the kind is asked, in the order of AnalysisKind.
  std::variant<FirstOrderKeys, PDeltaKeys, BucklingKeys, ModalKeys, LargeDisplacementKeys,
               StagedKeys>
      keys;

  AnalysisKind kind() const { return static_cast<AnalysisKind>(keys.index()); }
  const FirstOrderKeys& first_order() const { return std::get<FirstOrderKeys>(keys); }
  const PDeltaKeys& p_delta() const { return std::get<PDeltaKeys>(keys); }
  const BucklingKeys& buckling() const { return std::get<BucklingKeys>(keys); }
  const ModalKeys& modal() const { return std::get<ModalKeys>(keys); }
  const LargeDisplacementKeys& large_displacement() const {
    return std::get<LargeDisplacementKeys>(keys);
  }
  const StagedKeys& staged() const { return std::get<StagedKeys>(keys); }
  /// Staged, and not what an erection is set beside.
  bool is_erection() const {
    const auto* keys_of_stages = std::get_if<StagedKeys>(&keys);
    return keys_of_stages != nullptr && !keys_of_stages->at_once;
  }
  /// Large displacement whose sets of loads follow each other.
  bool is_history() const {
    const auto* finite = std::get_if<LargeDisplacementKeys>(&keys);
    return finite != nullptr && !finite->history.empty();
  }
  /// The keys of a kind, to be filled in; those of another kind are given up.
  template <class Keys>
  Keys& become() {
    return std::holds_alternative<Keys>(keys) ? std::get<Keys>(keys) : keys.emplace<Keys>();
  }
  void become(AnalysisKind kind) {
    switch (kind) {
      case AnalysisKind::first_order:
        become<FirstOrderKeys>();
        break;
      case AnalysisKind::p_delta:
        become<PDeltaKeys>();
        break;
      case AnalysisKind::buckling:
        become<BucklingKeys>();
        break;
      case AnalysisKind::modal:
        become<ModalKeys>();
        break;
      case AnalysisKind::large_displacement:
        become<LargeDisplacementKeys>();
        break;
      case AnalysisKind::staged:
        become<StagedKeys>();
        break;
    }
  }
  /// Switches of one-way items on the way to the full load are asked for.
  bool wants_events() const {
    if (const auto* linear = std::get_if<FirstOrderKeys>(&keys)) return linear->events;
    const auto* second = std::get_if<PDeltaKeys>(&keys);
    return second != nullptr && second->events;
  }
};

/// Mass put on a node, kg by direction.
struct NodalMass {
  NodeId node;
  Vector3d mass = Vector3d::Zero();
};

/// Mass: own, of loads, of nodes; the parts add up.
struct MassSpec {
  bool self = true;
  std::vector<std::pair<CaseId, double>> from_loads;  ///< downward part over gravity
  std::vector<NodalMass> nodes;
  bool lumped = false;
  bool rotary = false;  ///< rotary inertia of bending
  std::array<bool, 3> directions = {true, true, true};
};

enum class Plane { space, xz, xy };

struct Model {
  std::string title;
  Plane plane = Plane::space;
  int vertical = 2;          ///< axis that points up: 2 (z) or 1 (y)
  double gravity = 9.80665;  ///< m/s²
  IndexedVector<MaterialId, Material> materials;
  IndexedVector<SectionId, Section> sections;
  IndexedVector<NodeId, Node> nodes;
  IndexedVector<MemberId, Member> members;
  std::vector<Support> supports;
  std::vector<Group> groups;
  std::vector<Floor> floors;
  std::vector<NamedLevel> levels;
  IndexedVector<CaseId, LoadCase> cases;
  std::vector<LoadSet> combinations;
  std::vector<Watch> watches;
  MassSpec mass;
  std::vector<AnalysisSpec> analyses;

  /// True where the model's plane leaves this global direction (0..5) to the nodes.
  bool uses_direction(int direction) const {
    switch (plane) {
      case Plane::xz:
        return direction == 0 || direction == 2 || direction == 4;
      case Plane::xy:
        return direction == 0 || direction == 1 || direction == 5;
      case Plane::space:
        break;
    }
    return true;
  }

  /// True of the directions (0..5) in which floors are rigid.
  bool in_floor(int direction) const {
    return direction < 3 ? direction != vertical : direction == 3 + vertical;
  }

  bool has_cables() const {
    return std::any_of(members.begin(), members.end(),
                       [](const Member& m) { return m.kind == MemberKind::cable; });
  }

  /// True if something carries one way only: a member or a support, or a cable; or may break.
  bool has_one_way() const { return has_cables() || has_one_sided() || has_breakable(); }
  /// True of a member that can be slack or broken.
  bool has_states(MemberId id) const {
    const Member& m = members[id];
    return one_way_sign(m.kind) != 0 || m.kind == MemberKind::cable || m.breaks_at > 0;
  }
  bool has_breakable() const {
    return std::any_of(members.begin(), members.end(),
                       [](const Member& m) { return m.breaks_at > 0; });
  }
  bool has_one_sided() const {
    for (const Member& m : members) {
      if (one_way_sign(m.kind) != 0) return true;
    }
    for (const Support& s : supports) {
      for (const SupportDirection& d : s.directions) {
        if (d.only != 0) return true;
      }
    }
    return false;
  }

  /// Own weight of a member per length, global, N/m.
  Vector3d weight(MemberId id) const {
    const Member& m = members[id];
    const double kg_m = materials[m.material].density * sections[m.section].properties.A;
    return Vector3d::Unit(vertical) * (-kg_m * gravity);
  }

  /// The analysis of a name; none if there is no such.
  const AnalysisSpec* find_analysis(std::string_view name) const {
    const auto found = std::find_if(analyses.begin(), analyses.end(),
                                    [name](const AnalysisSpec& a) { return a.name == name; });
    return found != analyses.end() ? &*found : nullptr;
  }

  /// "E5.ux": a direction (0..5) of a node.
  std::string place_name(NodeId node, int direction) const {
    return nodes[node].name + "." +
           std::string(kDisplacementNames[static_cast<std::size_t>(direction)]);
  }

  double length(MemberId id) const {
    const Member& m = members[id];
    return (nodes[m.end].position - nodes[m.start].position).norm();
  }

  /// How much longer a member is without force than it is drawn: loads and mass of a cable are per
  /// length without force.
  double spare_length(MemberId id) const {
    const Member& m = members[id];
    return m.kind == MemberKind::cable ? m.cut_length / length(id) : 1;
  }

  /// Diagonal of the box around all nodes, m.
  double size() const {
    Vector3d low = Vector3d::Constant(std::numeric_limits<double>::max()), high = -low;
    for (const Node& n : nodes) {
      low = low.cwiseMin(n.position);
      high = high.cwiseMax(n.position);
    }
    return nodes.empty() ? 0 : (high - low).norm();
  }

  /// The two (one in a plane frame) horizontal axes, in order.
  std::vector<int> horizontal_axes() const {
    std::vector<int> axes;
    for (int a = 0; a < 3; ++a) {
      if (a != vertical && uses_direction(a)) axes.push_back(a);
    }
    return axes;
  }

  /// A load case on its own, as a set of loads.
  LoadSet case_alone(CaseId id) const {
    LoadSet set;
    set.name = cases[id].name;
    set.terms = {{id, 1.0}};
    return set;
  }
};

}  // namespace ulterix
