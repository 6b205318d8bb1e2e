#include "core/analysis/one_way_values.hpp"

#include <algorithm>
#include <cassert>
#include <cmath>

#include "core/dense/dense_factors.hpp"

namespace ulterix {

namespace {

/// What counts as large of an item's value: a force or motion, of a rotation with the frame's size.
double scale_of(const OneWayItem& item, bool idle, const ItemValues& all, double size) {
  const double largest = idle ? all.largest_motion : all.largest_force;
  if (item.member.valid() || item.direction < 3) return largest;
  if (!idle) return largest * size;
  return size > 0 ? largest / size : largest;
}

/// The one-way direction of the support that an item stands for.
const SupportDirection& support_of(const Situation& situation, const OneWayItem& item) {
  const auto direction = static_cast<std::size_t>(item.direction);
  const auto found = std::find_if(
      situation.supports.rbegin(), situation.supports.rend(),
      [&](const Support& s) { return s.node == item.node && s.directions[direction].only != 0; });
  assert(found != situation.supports.rend());
  return found->directions[direction];
}

}  // namespace

ItemValues values_of(const OneWayFrames& frames, const ElasticFrame& frame, const Step& step,
                     const IdleSet& idle) {
  const FrameSystem& system = *frame.system;
  const Model& model = system.model();
  const auto forces = system.mean_axial_forces(*step.applied, step.state);
  ItemValues all;
  double &largest_force = all.largest_force, &largest_motion = all.largest_motion;
  for (const double N : forces) largest_force = std::max(largest_force, std::abs(N));
  for (const NodeId n : model.nodes.ids()) {
    largest_force = std::max(largest_force, step.reactions[n].head<3>().cwiseAbs().maxCoeff());
    largest_motion =
        std::max(largest_motion, step.state.nodes[n].translation.cwiseAbs().maxCoeff());
  }
  std::vector<ItemValue>& values = all.items;
  values.resize(frames.items().size());
  const Situation both_ways(model);
  for (std::size_t i = 0; i < values.size(); ++i) {
    const OneWayItem& item = frames.items()[i];
    values[i].scale = scale_of(item, idle[i] != 0, all, model.size());
    if (item.member.valid()) {
      if (idle[i] == 0) {
        values[i].value = item.sign * forces[item.member];
        continue;
      }
      // The elongation beyond the length at which it would carry: slack, less what preload takes.
      const Member& m = model.members[item.member];
      const ElementProperties p = element_properties(both_ways, item.member);
      const double force = initial_force(p, step.applied->on_member(item.member));
      const double starts = item.sign * m.slack - force * p.length / p.EA;
      const double e = system.end_motion(item.member, step.state).deformed[6];
      values[i].value = item.sign * (starts - e);
      continue;
    }
    if (idle[i] == 0) {
      values[i].value = item.sign * step.reactions[item.node][item.direction];
      continue;
    }
    const SupportDirection& d = support_of(system.situation(), item);
    const double u = step.state.nodes[item.node].vector()[item.direction];
    const double ground = d.settle + step.applied->ground(item.node)[item.direction];
    values[i].value = item.sign * (u - (ground - d.only * d.slack));
  }
  return all;
}

int violations(const std::vector<ItemValue>& values) {
  return static_cast<int>(
      std::count_if(values.begin(), values.end(), [](const ItemValue& v) { return v.violates(); }));
}

SwitchedItems::SwitchedItems(const OneWayFrames& frames, const ElasticFrame& frame,
                             const IdleSet& idle, const ItemValues& values)
    : frames_(frames), frame_(frame), idle_(idle), values_(values) {
  items_.reserve(idle.size());
  Situation all_carry = frame.system->situation();
  all_carry.idle = IndexedVector<MemberId, char>(all_carry.model->members.size(), 0);
  for (std::size_t i = 0; i < idle.size(); ++i) items_.push_back(describe(i, all_carry));
}

SwitchedItems::Item SwitchedItems::describe(std::size_t i, const Situation& all_carry) const {
  const FrameSystem& system = *frame_.system;
  const Model& model = system.model();
  const OneWayItem& given = frames_.items()[i];
  const double value = given.sign * values_.items[i].value;
  Item item;
  if (given.member.valid()) {
    const ElementProperties p = element_properties(all_carry, given.member);
    item.start = model.members[given.member].start;
    item.end = model.members[given.member].end;
    item.along.head<3>() = system.axes(given.member).row(0);
    item.stiffness = p.EA / p.length;
    item.base = idle_[i] != 0 ? -item.stiffness * value : value;
    return item;
  }
  item.end = given.node;
  item.along[given.direction] = -1;
  const SupportDirection& d = support_of(system.situation(), given);
  if (d.stiffness != kRigid) item.stiffness = d.stiffness;
  item.base = idle_[i] == 0 ? value : -value * (item.stiffness > 0 ? item.stiffness : 1);
  if (item.stiffness > 0) return item;
  // A restraint of another direction would share its reaction, and a floor bring those of others.
  item.simple = !system.dofs()[item.end].leader.valid() && model.floors.empty();
  for (const ExtraRestraint& r : system.situation().restraints) {
    item.simple = item.simple && r.node != item.end;
  }
  if (idle_[i] != 0) return item;
  double stiffness = 0;
  for (const MemberId id : system.members_at_nodes()[static_cast<std::size_t>(item.end.value)]) {
    if (system.situation().present[id] == 0) continue;
    const ElementProperties p = system.properties(id);
    const Element e(p, MemberLoading::none(p.length), {});
    item.around.emplace_back(id, to_global(e.stiffness(), system.axes(id)));
    const int at = (model.members[id].start == item.end ? 0 : 6) + given.direction;
    stiffness += item.around.back().second(at, at);
  }
  item.simple = item.simple && stiffness > 0;
  item.unit = 1 / stiffness;
  return item;
}

double SwitchedItems::force_at(const Item& item, const VectorXd& q, const Vector6d& ground) const {
  const FrameSystem& system = *frame_.system;
  Vector6d force = Vector6d::Zero();
  for (const auto& [id, K] : item.around) {
    const Member& m = system.model().members[id];
    Vector12d u;
    u << system.dofs().change(m.start, q), system.dofs().change(m.end, q);
    if (m.start == item.end) u.head<6>() += ground;
    if (m.end == item.end) u.tail<6>() += ground;
    const Vector12d f = K * u;
    force += m.start == item.end ? f.head<6>() : f.tail<6>();
  }
  return -item.along.dot(force);
}

void SwitchedItems::solve(const std::vector<std::size_t>& switched) {
  const FrameSystem& system = *frame_.system;
  const DofMap& dofs = system.dofs();
  Eigen::MatrixXd X =
      Eigen::MatrixXd::Zero(dofs.size(), static_cast<Eigen::Index>(switched.size()));
  for (std::size_t k = 0; k < switched.size(); ++k) {
    const Item& item = items_[switched[k]];
    VectorXd force = VectorXd::Zero(X.rows());
    if (is_closed(switched[k])) {
      for (const auto& [id, K] : item.around) {
        const Member& m = system.model().members[id];
        const Vector12d f = K.middleCols<6>(m.start == item.end ? 0 : 6) * item.along * item.unit;
        dofs.add_force(m.start, f.head<6>(), force);  // the ground moves along −b
        dofs.add_force(m.end, f.tail<6>(), force);
      }
    } else {
      if (item.start.valid()) dofs.add_force(item.start, -item.along, force);
      dofs.add_force(item.end, item.along, force);
    }
    X.col(static_cast<Eigen::Index>(k)) = force;
  }
  frame_.factor->solve(X);
  for (std::size_t k = 0; k < switched.size(); ++k) {
    const Item& acts = items_[switched[k]];
    const bool moves = is_closed(switched[k]);
    const VectorXd q = X.col(static_cast<Eigen::Index>(k));
    const auto motion = [&](NodeId n) -> Vector6d {
      if (!n.valid()) return Vector6d::Zero();
      Vector6d u = dofs.change(n, q);
      if (moves && n == acts.end) u -= acts.along * acts.unit;
      return u;
    };
    Eigen::VectorXd& does = does_[switched[k]];
    does.resize(static_cast<Eigen::Index>(items_.size()));
    for (std::size_t i = 0; i < items_.size(); ++i) {
      const Item& item = items_[i];
      double& own = does[static_cast<Eigen::Index>(i)];
      if (!is_closed(i)) {
        own = item.along.dot(motion(item.end) - motion(item.start));
        continue;
      }
      const bool with_it = moves && item.end == acts.end;
      own = force_at(item, q, with_it ? Vector6d(-acts.along * acts.unit) : Vector6d::Zero());
      // What acts on its node itself goes straight into the ground.
      if (moves) continue;
      if (acts.end == item.end) own += item.along.dot(acts.along);
      if (acts.start == item.end) own -= item.along.dot(acts.along);
    }
  }
}

std::optional<std::vector<ItemValue>> SwitchedItems::values(const IdleSet& idle) {
  constexpr double kHardlyStands = 1e-6, kSure = 1e-7;
  std::vector<std::size_t> switched, unknown;
  for (std::size_t i = 0; i < idle.size(); ++i) {
    if (!items_[i].simple) return std::nullopt;
    if (idle[i] == idle_[i]) continue;
    switched.push_back(i);
    if (does_.count(i) == 0) unknown.push_back(i);
  }
  if (switched.size() > kFew) return std::nullopt;
  if (!unknown.empty()) solve(unknown);
  // As much of each as takes away what it does in the frame, or does what it would.
  const auto n = static_cast<Eigen::Index>(switched.size());
  Eigen::MatrixXd matrix(n, n);
  Eigen::VectorXd much(n);
  for (Eigen::Index j = 0; j < n; ++j) {
    const std::size_t own = switched[static_cast<std::size_t>(j)];
    const Item& item = items_[own];
    const auto at = static_cast<Eigen::Index>(own);
    const bool elastic = item.stiffness > 0;
    const double factor = elastic ? item.stiffness : is_closed(own) ? 1 : 1 / does_.at(own)[at];
    for (Eigen::Index m = 0; m < n; ++m) {
      matrix(j, m) = factor * does_.at(switched[static_cast<std::size_t>(m)])[at];
    }
    if (elastic) matrix(j, j) += idle[own] != 0 ? -1 : 1;
    much[j] = -(elastic ? 1 : factor) * item.base;
  }
  Eigen::VectorXd force(static_cast<Eigen::Index>(items_.size()));
  for (std::size_t i = 0; i < items_.size(); ++i) {
    force[static_cast<Eigen::Index>(i)] = items_[i].base;
  }
  if (n > 0) {
    const DenseLu lu(matrix);
    if (!(lu.rcond() > kHardlyStands)) return std::nullopt;
    much = lu.solve(much);
    for (std::size_t i = 0; i < items_.size(); ++i) {
      const auto at = static_cast<Eigen::Index>(i);
      double sum = 0;
      for (Eigen::Index m = 0; m < n; ++m) {
        sum += much[m] * does_.at(switched[static_cast<std::size_t>(m)])[at];
      }
      force[at] += items_[i].stiffness > 0 ? items_[i].stiffness * sum : sum;
    }
  }
  for (Eigen::Index m = 0; m < n; ++m) {  // what rigid ones that are switched have instead
    const std::size_t own = switched[static_cast<std::size_t>(m)];
    if (items_[own].stiffness > 0) continue;
    force[static_cast<Eigen::Index>(own)] = is_closed(own) ? -much[m] * items_[own].unit : -much[m];
  }
  std::vector<ItemValue> values(idle.size());
  for (std::size_t i = 0; i < idle.size(); ++i) {
    const OneWayItem& item = frames_.items()[i];
    const double own = item.sign * force[static_cast<Eigen::Index>(i)];
    const double stiffness = items_[i].stiffness > 0 ? items_[i].stiffness : 1;
    values[i].value = idle[i] != 0 ? -own / stiffness : own;
    values[i].scale = scale_of(item, idle[i] != 0, values_, frame_.system->model().size());
    // What is that small is for the solution on the set's own frame to decide.
    if (std::abs(values[i].value) < kSure * values[i].scale) values[i].value = 0;
  }
  return values;
}

}  // namespace ulterix
