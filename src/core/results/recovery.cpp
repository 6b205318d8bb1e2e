#include "core/results/recovery.hpp"

#include <algorithm>
#include <cmath>

#include "core/results/cables.hpp"
#include "core/system/equilibrium.hpp"
#include "core/system/piecewise_frame.hpp"

namespace ulterix {

namespace {

double relative(double value, double scale) {
  return scale > 0 ? value / scale : 0;
}

/// True of a restraint in the plane of floors.
bool holds_floor(const Model& model, const Vector6d& direction) {
  for (int d = 0; d < 6; ++d) {
    if (model.in_floor(d) && direction[d] != 0) return true;
  }
  return false;
}

/// What is unbalanced in the plane of a floor at each node goes through the floor to those that
/// hold it, rigidly; where there are more than three, the smallest forces that do.
void balance_floors(const Situation& situation, IndexedVector<NodeId, Vector6d>& rest,
                    IndexedVector<NodeId, Vector6d>& reactions) {
  const Model& model = *situation.model;
  if (model.floors.empty()) return;
  const auto supports = supports_by_node(situation);
  for (const FloorGroup& floor : standing_floors(situation)) {
    Vector6d sum = Vector6d::Zero();
    std::vector<std::pair<NodeId, Vector6d>> holds;
    std::vector<Vector6d> on_leader;
    for (std::size_t i = 0; i < floor.nodes.size(); ++i) {
      const NodeId n = floor.nodes[i];
      Vector6d in_plane = Vector6d::Zero();
      const auto hold = [&](const Vector6d& direction) {
        holds.emplace_back(n, direction);
        on_leader.push_back(floor.follow[i].transpose() * direction);
      };
      for (int d = 0; d < 6; ++d) {
        if (!model.in_floor(d)) continue;
        in_plane[d] = rest[n][d];
        rest[n][d] = 0;
        if (supports[n][d].stiffness == kRigid) hold(Vector6d::Unit(d));
      }
      for (const ExtraRestraint& r : situation.restraints) {
        if (r.node == n && holds_floor(model, r.direction)) hold(r.direction);
      }
      sum += floor.follow[i].transpose() * in_plane;
    }
    if (!holds.empty()) {
      Eigen::MatrixXd normals(6, static_cast<Eigen::Index>(holds.size()));
      for (std::size_t k = 0; k < holds.size(); ++k) {
        normals.col(static_cast<Eigen::Index>(k)) = on_leader[k];
      }
      const Eigen::VectorXd forces = normals.completeOrthogonalDecomposition().solve(sum);
      for (std::size_t k = 0; k < holds.size(); ++k) {
        reactions[holds[k].first] += forces[static_cast<Eigen::Index>(k)] * holds[k].second;
      }
      sum -= normals * forces;
    }
    rest[floor.leader()] += sum;
  }
}

}  // namespace

LoadSet on_top(const LoadSet& own, const LoadSet& stays) {
  LoadSet all = own;
  all.terms.insert(all.terms.end(), stays.terms.begin(), stays.terms.end());
  all.items = stays.items;
  all.items_factor = stays.items_factor;
  return all;
}

LoadSet scaled(const LoadSet& set, double lambda) {
  LoadSet result = set;
  for (auto& term : result.terms) term.second *= lambda;
  result.items_factor *= lambda;
  return result;
}

Recovery::Recovery(const Step& step) : step_(&step), loads_(step.applied) {
  if (!loads_) {
    loads_ =
        std::make_shared<AppliedLoads>(frame().situation(), scaled(step.loads, step.state.lambda));
  }
  if (!step.loads.bends) return;
  LoadSet bends;
  bends.items = step.loads.bends;
  bends_ = std::make_shared<AppliedLoads>(frame().situation(), bends);
}

double mean_axial_force(const Recovery& recovery, MemberId id) {
  if (const auto cable = cable_values(recovery, id)) return cable->chord_force;
  const MemberLine& line = recovery.line(id);
  double sum = 0;
  for (const MemberLine::Span& s : line.spans()) {
    sum += (s.to - s.from) * (s.N[0] + s.N[1] / 2 + s.N[2] / 3);
  }
  return sum / line.length();
}

const MemberLine& Recovery::line(MemberId id) const {
  return step_->lines.of(id, [&] { return make_line(id); });
}

MemberLine Recovery::make_line(MemberId id) const {
  const auto& poses = step_->state.poses;
  if (!poses.empty()) return line_from_poses(frame(), id, poses[id], loads_->on_member(id));
  if (bends_ && frame().situation().aged_of(id) != nullptr) return crept_line(id);
  const Element e = frame().element(id, loads_->on_member(id), step_->state, step_->split);
  return e.line(frame().end_motion(id, step_->state));
}

/// Forces are those of the loads; the shape is that of the loads with what they have crept.
MemberLine Recovery::crept_line(MemberId id) const {
  const auto junctions = [](const MemberLoading& loading) {
    std::vector<double> places;
    for (std::size_t i = 1; i < loading.spans.size(); ++i) places.push_back(loading.spans[i].from);
    return places;
  };
  const MemberLoading &acts = loads_->on_member(id), &bends = bends_->on_member(id);
  const auto line = [&](const MemberLoading& loading, const EndMotion& motion) {
    return frame().element(id, loading, step_->state, step_->split).line(motion);
  };
  const MemberLine forces =
      line(cut_at(acts, junctions(bends)), frame().end_motion(id, step_->state));
  return forces.in_shape_of(
      line(cut_at(bends, junctions(acts)), frame().end_motion_since_birth(id, step_->state)));
}

void complete(std::shared_ptr<const MemberFrame> frame, std::shared_ptr<const AppliedLoads> applied,
              Step& step) {
  step.frame = std::move(frame);
  step.lines = {};
  const MemberFrame& system = *step.frame;
  step.applied = std::move(applied);
  const AppliedLoads& loads = *step.applied;
  const Model& model = system.model();
  IndexedVector<NodeId, char> on_floor(model.nodes.size(), 0);
  for (const FloorGroup& floor : standing_floors(system.situation())) {
    for (const NodeId n : floor.nodes) on_floor[n] = 1;
  }
  const auto of_member = [&](MemberId id) {
    const Element e = system.element(id, loads.on_member(id), step.state, step.split);
    MemberTerms terms;
    terms.resists = to_global(e.end_forces(system.end_motion(id, step.state)), system.axes(id));
    // A force has the member for a lever: without bending, moments are only its rounding.
    terms.lever = model.length(id);
    return terms;
  };
  step.reactions = IndexedVector<NodeId, Vector6d>(model.nodes.size(), Vector6d::Zero());
  // Those of springs; rigid supports balance what is left.
  for (const NodeId n : model.nodes.ids()) {
    Vector6d& reaction = step.reactions[n];
    reaction = system.spring_force(n, loads.ground(n), step.state.nodes[n].vector());
    for (int d = 0; d < kDirections; ++d) {
      if (!model.uses_direction(d)) reaction[d] = 0;
    }
  }
  const auto of_node = [&](NodeId n) {
    NodeTerms terms;
    terms.acts = loads.on_node(n);
    terms.resists = -step.reactions[n];
    return terms;
  };
  Equilibrium sum = equilibrium(system.situation(), of_member, of_node);
  for (const NodeId n : model.nodes.ids()) {
    Vector6d& rest = sum.rest[n];
    for (int d = 0; d < kDirections; ++d) {
      if (system.support(n)[d].stiffness != kRigid || !model.uses_direction(d)) continue;
      if (on_floor[n] != 0 && model.in_floor(d)) continue;
      step.reactions[n][d] = rest[d];
      rest[d] = 0;
    }
    for (const ExtraRestraint& r : system.situation().restraints) {
      if (r.node != n || (on_floor[n] != 0 && holds_floor(model, r.direction))) continue;
      const Vector6d held = r.direction * r.direction.dot(rest);
      step.reactions[n] += held;
      rest -= held;
    }
  }
  balance_floors(system.situation(), sum.rest, step.reactions);
  EquilibriumCheck check;
  for (const Vector6d& rest : sum.rest) {
    for (int d = 0; d < kDirections; ++d) {
      if (!model.uses_direction(d)) continue;
      check.nodes =
          std::max(check.nodes, relative(std::abs(rest[d]), d < 3 ? sum.force : sum.moment));
    }
  }
  step.equilibrium = check;
  compare_reactions(model, sum.force, step);
}

void compare_reactions(const Model& model, double largest_force, Step& step) {
  EquilibriumCheck& check = step.equilibrium;
  check.loads = step.applied->total_force();
  double scale = largest_force;
  for (const Vector6d& r : step.reactions) {
    check.reaction_sum += r.head<3>();
    scale = std::max(scale, r.head<3>().cwiseAbs().maxCoeff());
  }
  for (int i = 0; i < 3; ++i) {
    if (!model.uses_direction(i)) check.loads[i] = 0;
  }
  check.reactions = relative((check.reaction_sum + check.loads).cwiseAbs().maxCoeff(), scale);
}

namespace {

/// `R`: rows are the member's local axes.
double value_on(const MemberLine& line, const Matrix3d& R, const Place& place, double x) {
  if (place.kind == Place::Kind::internal_force) return line.at(x).forces[place.component];
  if (place.kind == Place::Kind::deflection) return line.deflection_at(x)[place.component];
  return R.col(place.component).dot(line.at(x).displacement);
}

Extreme extreme_on(const MemberLine& line, const Matrix3d& R, const Place& place) {
  if (place.kind == Place::Kind::internal_force) {
    return line.extremes()[static_cast<std::size_t>(place.component)];
  }
  if (place.kind == Place::Kind::deflection) {
    return line.displacement_extremes(Vector3d::Unit(place.component), true);
  }
  return line.displacement_extremes(R.col(place.component), false);
}

}  // namespace

std::optional<double> value_at(const Recovery& recovery, const Place& place) {
  const Step& step = recovery.step();
  if (!step.has_state) return std::nullopt;
  switch (place.kind) {
    case Place::Kind::displacement:
      if (recovery.frame().situation().standing[place.node] == 0) return std::nullopt;
      return step.state.nodes[place.node].vector()[place.component];
    case Place::Kind::reaction:
      return step.reactions[place.node][place.component];
    case Place::Kind::internal_force:
    case Place::Kind::axis:
    case Place::Kind::deflection:
      break;
  }
  std::optional<double> found;
  for (const MemberId id : place.members) {
    if (recovery.frame().situation().present[id] == 0) continue;
    const MemberLine& line = recovery.line(id);
    double value = 0;
    if (place.along == Along::distance) {
      value = value_on(line, recovery.frame().axes(id), place,
                       place.fraction ? place.x * line.length() : place.x);
    } else {
      const Extreme e = extreme_on(line, recovery.frame().axes(id), place);
      value = place.along == Along::smallest ? e.min : e.max;
    }
    const bool better =
        !found || (place.along == Along::smallest ? value < *found : value > *found);
    if (better) found = value;
  }
  return found;
}

}  // namespace ulterix
