#include "core/system/applied_loads.hpp"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <limits>

#include "core/model/local_axes.hpp"
#include "core/parallel.hpp"

namespace ulterix {

namespace {

Vector6d turn(const Matrix3d& R, const Vector6d& v) {
  Vector6d turned;
  turned << R * v.head<3>(), R * v.tail<3>();
  return turned;
}

}  // namespace

Vector6d load_in_local_axes(const Vector6d& load, LoadAxes axes, const Matrix3d& R) {
  if (axes == LoadAxes::local) return load;
  Vector6d global = load;
  if (axes == LoadAxes::projected) {
    for (int i = 0; i < 3; ++i) global[i] *= std::hypot(R(0, (i + 1) % 3), R(0, (i + 2) % 3));
  }
  return turn(R, global);
}

AppliedLoads::AppliedLoads(const Situation& situation, const LoadSet& set)
    : situation_(&situation),
      set_(set),
      nodal_(situation.model->nodes.size(), Vector6d::Zero()),
      place_(situation.model->members.size()) {
  for (const auto& [load_case, factor] : parts()) {
    for (const NodalLoad& n : load_case->nodal) {
      if (situation.standing[n.node] != 0) nodal_[n.node] += factor * n.force;
    }
    for (const GroundMotion& g : load_case->ground) {
      if (situation.standing[g.node] == 0) continue;
      if (ground_.empty())
        ground_ = IndexedVector<NodeId, Vector6d>(situation.model->nodes.size(), Vector6d::Zero());
      ground_[g.node][g.direction] += factor * g.amount;
    }
  }
  std::vector<MemberId> all;
  for (const MemberId id : situation.model->members.ids()) all.push_back(id);
  build(all);
  if (set.notional_x != 0 || set.notional_y != 0) add_notional();
}

AppliedLoads::AppliedLoads(const Situation& situation, const LoadSet& set,
                           const std::vector<MemberId>& only)
    : situation_(&situation), set_(set), place_(situation.model->members.size()) {
  build(only);
}

std::vector<std::pair<const LoadCase*, double>> AppliedLoads::parts() const {
  std::vector<std::pair<const LoadCase*, double>> all;
  for (const auto& [id, factor] : set_.terms) {
    all.emplace_back(&situation_->model->cases[id], factor);
  }
  if (set_.items) all.emplace_back(set_.items.get(), set_.items_factor);
  return all;
}

void AppliedLoads::build(const std::vector<MemberId>& members) {
  constexpr auto kNone = std::numeric_limits<std::size_t>::max();
  for (std::size_t& place : place_) place = kNone;
  for (std::size_t i = 0; i < members.size(); ++i) place_[members[i]] = i;
  std::vector<Gathered> gathered(members.size());
  const auto at = [&](MemberId id) {
    return place_[id] == kNone ? nullptr : &gathered[place_[id]];
  };
  for (const auto& [acting, factor] : parts()) {
    if (factor == 0) continue;
    const LoadCase& load_case = *acting;
    for (const SelfWeight& w : load_case.self_weight) {
      if (Gathered* g = at(w.member)) g->self_weight += factor * w.factor;
    }
    for (const DistributedLoad& d : load_case.distributed) {
      if (Gathered* g = at(d.member)) g->distributed.push_back({&d, factor});
    }
    for (const PointLoad& p : load_case.points) {
      if (Gathered* g = at(p.member)) g->points.push_back({&p, factor});
    }
    for (const MemberStrain& s : load_case.strains) {
      if (Gathered* g = at(s.member)) g->strains.push_back({&s, factor});
    }
  }
  loadings_.resize(members.size());
  for_each_index(static_cast<int>(members.size()), [&](int i) {
    const auto k = static_cast<std::size_t>(i);
    loadings_[k] = build_loading(members[k], gathered[k]);
    strain(members[k], gathered[k], loadings_[k]);
  });
}

MemberLoading AppliedLoads::build_loading(MemberId id, const Gathered& gathered) const {
  const Model& model = *situation_->model;
  const Member& member = model.members[id];
  const Vector3d from = situation_->position(member.start), to = situation_->position(member.end);
  const double L = (to - from).norm();
  if (!situation_->present[id] || gathered.no_force()) return MemberLoading::none(L);
  const Matrix3d R = local_axes(*situation_, id);
  // Places along the drawn member, on one whose nodes are moved.
  const bool moved =
      !situation_->offsets[member.start].isZero(0) || !situation_->offsets[member.end].isZero(0);
  const double stretch = moved ? L / model.length(id) : 1;
  // Loads of a cable are per length without force.
  const double along =
      member.kind == MemberKind::cable ? member.cut_length * (1 + gathered.cut(model)) / L : 1;
  MemberLoadingBuilder builder(L);
  if (gathered.self_weight != 0) {
    Vector6d weight = Vector6d::Zero();
    weight.head<3>() = along * gathered.self_weight * R * model.weight(id);
    builder.add_distributed(0, L, weight, weight);
  }
  for (const auto& [load, factor] : gathered.distributed) {
    builder.add_distributed(stretch * load->from, stretch * load->to,
                            along * factor * load_in_local_axes(load->at_from, load->axes, R),
                            along * factor * load_in_local_axes(load->at_to, load->axes, R));
  }
  for (const auto& [load, factor] : gathered.points) {
    builder.add_point(stretch * load->x, factor * load_in_local_axes(load->force, load->axes, R));
  }
  return builder.build();
}

double AppliedLoads::Gathered::cut(const Model& model) const {
  double sum = 0;
  for (const auto& [own, factor] : strains) {
    sum += factor * (own->cable_strain - own->lack_of_fit / model.length(own->member));
  }
  return sum;
}

void AppliedLoads::strain(MemberId id, const Gathered& gathered, MemberLoading& loading) const {
  if (situation_->present[id] == 0) return;
  const Model& model = *situation_->model;
  const Member& member = model.members[id];
  const double alpha = model.materials[member.material].alpha;
  loading.strain = loading.cut_strain = gathered.cut(model);
  for (const auto& [own, factor] : gathered.strains) {
    loading.strain += factor * alpha * own->warm;
    if (member.kind != MemberKind::cable) loading.preload += factor * own->preload;
    // A side that is warmer is longer: the member bends away from it.
    loading.curvature[0] -= factor * alpha * own->gradient[1];
    loading.curvature[1] -= factor * alpha * own->gradient[0];
  }
}

IndexedVector<NodeId, Vector3d> AppliedLoads::shared_to_nodes() const {
  const Model& model = *situation_->model;
  IndexedVector<NodeId, Vector3d> shared(model.nodes.size(), Vector3d::Zero());
  for (const NodeId n : model.nodes.ids()) shared[n] = nodal_[n].head<3>();
  for (const MemberId id : model.members.ids()) {
    const MemberLoading& loading = on_member(id);
    if (loading.empty()) continue;
    const Member& member = model.members[id];
    const Matrix3d R = local_axes(*situation_, id);
    const Vector6d sum = loading.resultant();
    const double L = loading.length();
    // Across the member the moment about the start decides the shares; along it, the distance does.
    const Vector3d end(loading.moment_of_axial() / L, sum[5] / L, -sum[4] / L);
    shared[member.start] += R.transpose() * (sum.head<3>() - end);
    shared[member.end] += R.transpose() * end;
  }
  return shared;
}

void AppliedLoads::add_notional() {
  const Model& model = *situation_->model;
  const IndexedVector<NodeId, Vector3d> shared = shared_to_nodes();
  const std::vector<int> horizontal = {0, model.vertical == 2 ? 1 : 2};
  for (const NodeId n : model.nodes.ids()) {
    const double load = std::max(0.0, -shared[n][model.vertical]);
    nodal_[n][horizontal[0]] += set_.notional_x * load;
    if (set_.notional_y != 0) nodal_[n][horizontal[1]] += set_.notional_y * load;
  }
}

Vector3d AppliedLoads::total_force() const {
  Vector3d total = Vector3d::Zero();
  for (const Vector3d& force : shared_to_nodes()) total += force;
  return total;
}

}  // namespace ulterix
