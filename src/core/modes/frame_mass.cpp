#include "core/modes/frame_mass.hpp"

#include <algorithm>
#include <cmath>

namespace ulterix {

namespace {

/// Two places closer than this fraction of the length are one.
constexpr double kSamePlace = 1e-9;

}  // namespace

Matrix6d rigid_motions(const Vector3d& position) {
  Matrix6d u = Matrix6d::Identity();
  for (int d = 0; d < 3; ++d) u.block<3, 1>(0, 3 + d) = Vector3d::Unit(d).cross(position);
  return u;
}

FrameMass::FrameMass(const MemberFrame& frame)
    : frame_(frame),
      model_(frame.model()),
      nodal_(model_.nodes.size(), Vector3d::Zero()),
      members_(model_.members.size()) {
  for (const NodalMass& m : model_.mass.nodes) nodal_[m.node] += m.mass;
  if (frame.situation().heavy) {
    add_case(*frame.situation().heavy, 1);
  } else {
    for (const auto& [id, factor] : model_.mass.from_loads) add_case(model_.cases[id], factor);
  }
  for (const NodeId n : model_.nodes.ids()) {
    nodal_[n] = frame.situation().standing[n] != 0 ? Vector3d(nodal_[n].cwiseProduct(kept()))
                                                   : Vector3d::Zero();
  }
  for (const MemberId id : model_.members.ids()) {
    if (frame.situation().present[id] == 0) continue;
    const Member& m = model_.members[id];
    const double kg_m = model_.spare_length(id) * model_.materials[m.material].density *
                        model_.sections[m.section].properties.A;
    if (model_.mass.self && kg_m > 0) {
      members_[id].stretches.push_back({0, model_.length(id), kg_m, kg_m});
    }
    stretch(id);
  }
}

double FrameMass::length(MemberId id) const {
  const Situation& situation = frame_.situation();
  const Member& m = model_.members[id];
  return (situation.position(m.end) - situation.position(m.start)).norm();
}

/// A member between moved nodes keeps its mass.
void FrameMass::stretch(MemberId id) {
  const double by = length(id) / model_.length(id);
  if (by == 1) return;
  for (Stretch& s : members_[id].stretches) {
    s = {s.from * by, s.to * by, s.start / by, s.end / by};
  }
  for (Point& p : members_[id].points) p.x *= by;
}

Vector3d FrameMass::kept() const {
  Vector3d kept;
  for (int d = 0; d < 3; ++d) kept[d] = model_.mass.directions[static_cast<std::size_t>(d)] ? 1 : 0;
  return kept;
}

/// What lifts counts as nothing, load by load.
void FrameMass::add_case(const LoadCase& c, double factor) {
  const double per_force = factor / model_.gravity;
  const auto down = [&](MemberId m, const Vector6d& load, LoadAxes axes) -> double {
    const Matrix3d& R = frame_.axes(m);
    const Vector3d global = R.transpose() * load_in_local_axes(load, axes, R).head<3>();
    return -global[model_.vertical] * per_force * model_.spare_length(m);
  };
  for (const NodalLoad& n : c.nodal) {
    nodal_[n.node] += Vector3d::Constant(std::max(0.0, -n.force[model_.vertical] * per_force));
  }
  for (const SelfWeight& w : c.self_weight) {
    const Member& m = model_.members[w.member];
    const double kg_m = model_.spare_length(w.member) * factor * w.factor *
                        model_.materials[m.material].density *
                        model_.sections[m.section].properties.A;
    add_line(w.member, {0, model_.length(w.member), kg_m, kg_m});
  }
  for (const DistributedLoad& d : c.distributed) {
    add_line(d.member,
             {d.from, d.to, down(d.member, d.at_from, d.axes), down(d.member, d.at_to, d.axes)});
  }
  for (const PointLoad& p : c.points) {
    if (frame_.situation().present[p.member] == 0) continue;
    const double kg = down(p.member, p.force, p.axes);
    if (kg > 0) members_[p.member].points.push_back({p.x, kg});
  }
}

/// The downward part of a line load, up to where it changes its sign.
void FrameMass::add_line(MemberId id, const Stretch& q) {
  if (frame_.situation().present[id] == 0) return;
  Stretch part = q;
  if (q.start < 0 && q.end > 0) {
    part.from += (q.to - q.from) * q.start / (q.start - q.end);
    part.start = 0;
  } else if (q.start > 0 && q.end < 0) {
    part.to = q.from + (q.to - q.from) * q.start / (q.start - q.end);
    part.end = 0;
  }
  if (part.start < 0 || part.end < 0 || (part.start == 0 && part.end == 0)) return;
  members_[id].stretches.push_back(part);
}

std::vector<double> FrameMass::cuts(MemberId id) const {
  std::vector<double> all;
  const double L = length(id);
  const auto add = [&](double x) {
    if (x > kSamePlace * L && x < (1 - kSamePlace) * L) all.push_back(x);
  };
  for (const Stretch& s : members_[id].stretches) {
    add(s.from);
    add(s.to);
  }
  for (const Point& p : members_[id].points) add(p.x);
  return all;
}

void FrameMass::fill(MemberId id, ModeMember& member) const {
  const Member& m = model_.members[id];
  const OnMember& own = members_[id];
  for (ModeSpan& span : member.spans) {
    span.mass = {};
    const double middle = (span.from + span.to) / 2;
    for (const Stretch& s : own.stretches) {
      if (middle < s.from || middle > s.to) continue;
      const auto at = [&s](double x) {
        return s.start + (s.end - s.start) * (x - s.from) / (s.to - s.from);
      };
      span.mass.start += at(span.from);
      span.mass.end += at(span.to);
    }
  }
  member.point_mass.clear();
  if (!own.points.empty()) member.point_mass.assign(member.spans.size() + 1, 0);
  for (const Point& p : own.points) {
    std::size_t nearest = 0;
    double distance = p.x;
    for (std::size_t i = 0; i < member.spans.size(); ++i) {
      if (std::abs(member.spans[i].to - p.x) >= distance) continue;
      distance = std::abs(member.spans[i].to - p.x);
      nearest = i + 1;
    }
    member.point_mass[nearest] += p.kg;
  }
  const Material& material = model_.materials[m.material];
  const SectionProperties& s = model_.sections[m.section].properties;
  // The ends of axial kinds turn freely: nothing takes their inertia of rotation up.
  const bool turns = model_.mass.self && m.kind == MemberKind::frame;
  member.about_x = turns ? material.density * (s.Iy + s.Iz) : 0;
  const bool rotary = turns && model_.mass.rotary;
  member.about_y = rotary ? material.density * s.Iy : 0;
  member.about_z = rotary ? material.density * s.Iz : 0;
  const Matrix3d& R = frame_.axes(id);
  const Vector3d keep = kept();
  member.keeps = keep.minCoeff() > 0 ? Matrix3d(Matrix3d::Identity())
                                     : Matrix3d(R * keep.asDiagonal() * R.transpose());
  member.lumped = model_.mass.lumped;
}

double FrameMass::on_member(MemberId id) const {
  double sum = 0;
  for (const Stretch& s : members_[id].stretches) sum += (s.to - s.from) * (s.start + s.end) / 2;
  for (const Point& p : members_[id].points) sum += p.kg;
  return sum;
}

bool FrameMass::on_nodes() const {
  return std::any_of(nodal_.begin(), nodal_.end(), [](const Vector3d& m) { return !m.isZero(0); });
}

IndexedVector<NodeId, Vector3d> FrameMass::shared_to_nodes() const {
  IndexedVector<NodeId, Vector3d> all = nodal_;
  for (const MemberId id : model_.members.ids()) {
    if (!frame_.situation().present[id]) continue;
    const double L = length(id);
    const auto put = [&](double kg, double x) {
      all[model_.members[id].start] += kg * (1 - x / L) * kept();
      all[model_.members[id].end] += kg * x / L * kept();
    };
    for (const Stretch& s : members_[id].stretches) {
      // A linear mass is two triangles, each centred at a third of the stretch.
      const double half = (s.to - s.from) / 2, third = (s.to - s.from) / 3;
      put(half * s.start, s.from + third);
      put(half * s.end, s.to - third);
    }
    for (const Point& p : members_[id].points) put(p.kg, p.x);
  }
  return all;
}

bool FrameMass::empty() const {
  const auto shared = shared_to_nodes();
  return std::all_of(shared.begin(), shared.end(), [](const Vector3d& m) { return m.isZero(0); });
}

}  // namespace ulterix
