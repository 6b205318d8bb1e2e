#include "core/analysis/mass.hpp"

#include <algorithm>
#include <cmath>

#include "core/parallel.hpp"

namespace ulterix {

Matrix6d rigid_motions(const Vector3d& position) {
  Matrix6d u = Matrix6d::Identity();
  for (int d = 0; d < 3; ++d) u.block<3, 1>(0, 3 + d) = Vector3d::Unit(d).cross(position);
  return u;
}

FrameMass::FrameMass(const FrameSystem& frame)
    : frame_(frame),
      model_(frame.model()),
      nodal_(model_.nodes.size(), Vector3d::Zero()),
      from_loads_(model_.members.size()) {
  for (const NodalMass& m : model_.mass.nodes) nodal_[m.node] += m.mass;
  for (const auto& [id, factor] : model_.mass.from_loads) add_loads(id, factor);
  for (Vector3d& m : nodal_) {
    for (int d = 0; d < 3; ++d) {
      if (!model_.mass.directions[static_cast<std::size_t>(d)]) m[d] = 0;
    }
  }
}

/// The downward part of a case over gravity, load by load; what lifts counts as nothing.
void FrameMass::add_loads(CaseId id, double factor) {
  LoadSet set = model_.case_alone(id);
  set.terms[0].second = factor;
  const AppliedLoads loads(frame_.variant(), set);
  const double g = model_.gravity;
  for (const NodeId n : model_.nodes.ids()) {
    const double down = -loads.on_node(n)[model_.vertical];
    if (down > 0) nodal_[n] += Vector3d::Constant(down / g);
  }
  for (const MemberId m : model_.members.ids()) {
    const MemberLoading& loading = loads.on_member(m);
    const Matrix3d& R = frame_.axes(m);
    const double L = loading.length();
    const auto down = [&](const Vector6d& q) {
      return std::max(0.0, -(R.transpose() * q.head<3>())[model_.vertical]);
    };
    for (const LoadSpan& s : loading.spans) {
      const double a = down(s.at_from) / g, b = down(s.at_to) / g;
      if (a > 0 || b > 0) from_loads_[m].push_back({s.from / L, s.to / L, a, b});
    }
    // A point load's mass goes to the member's ends by its place.
    for (std::size_t i = 0; i < loading.actions.size(); ++i) {
      const double kg = down(loading.actions[i]) / g;
      if (kg <= 0) continue;
      const double x = i == 0 ? 0 : loading.spans[i - 1].to / L;
      nodal_[model_.members[m].start] += Vector3d::Constant(kg * (1 - x));
      nodal_[model_.members[m].end] += Vector3d::Constant(kg * x);
    }
  }
}

LineMass FrameMass::along(MemberId id, double from, double to) const {
  const Member& m = model_.members[id];
  const Material& material = model_.materials[m.material];
  const SectionProperties& s = model_.sections[m.section].properties;
  LineMass mass;
  if (model_.mass.self) {
    mass.translation = {material.density * s.A, material.density * s.A};
    mass.about_x = material.density * (s.Iy + s.Iz);
    if (model_.mass.rotary) {
      mass.about_y = material.density * s.Iy;
      mass.about_z = material.density * s.Iz;
    }
  }
  for (const Stretch& q : from_loads_[id]) {
    const double a = std::max(from, q.from), b = std::min(to, q.to);
    if (b <= a) continue;
    // What overlaps, spread over the piece with its own centre kept as nearly as a line can.
    const auto at = [&q](double x) {
      return q.start + (q.end - q.start) * (x - q.from) / (q.to - q.from);
    };
    const double part = (b - a) / (to - from);
    mass.translation.start += part * at(a);
    mass.translation.end += part * at(b);
  }
  return mass;
}

Matrix12d FrameMass::local_matrix(const SplitFrame& split, MemberId piece) const {
  const ElementProperties p = element_properties(split.system->variant(), piece);
  const PieceOf& place = split.pieces[piece];
  LineMass line = along(place.member, place.from, place.to);
  if (!place.carries_torsion) line.about_x = 0;
  if (place.torsion_only) {
    const double about_x = line.about_x;
    line = {};
    line.about_x = about_x;
  }
  return at_nodes(split, piece, mass_matrix(p, line, model_.mass.lumped));
}

/// Mass only in the directions that `[mass]` keeps: taken out of the translations in global axes.
Matrix12d FrameMass::member_matrix(const SplitFrame& split, MemberId piece) const {
  Matrix12d M = local_matrix(split, piece);
  const auto& keep = model_.mass.directions;
  if (keep[0] && keep[1] && keep[2]) return M;
  Vector3d kept;
  for (int d = 0; d < 3; ++d) kept[d] = keep[static_cast<std::size_t>(d)] ? 1 : 0;
  const Matrix3d& R = split.system->axes(piece);
  Matrix12d P = Matrix12d::Identity();
  P.block<3, 3>(0, 0) = P.block<3, 3>(6, 6) = R * kept.asDiagonal() * R.transpose();
  return P.transpose() * M * P;
}

Matrix6d FrameMass::node_matrix(NodeId id) const {
  Matrix6d M = Matrix6d::Zero();
  if (id.value < nodal_.size()) M.diagonal().head<3>() = nodal_[id];
  return M;
}

std::vector<double> FrameMass::values(const SplitFrame& split) const {
  return split.system->assemble_matrix([&](MemberId piece) { return member_matrix(split, piece); },
                                       [&](NodeId node) { return node_matrix(node); });
}

std::array<IndexedVector<NodeId, Vector6d>, 6> FrameMass::inertia(const SplitFrame& split) const {
  using Columns = Eigen::Matrix<double, 12, 6>;  // one for each rigid motion
  const Model& model = *split.model;
  const auto motions = [&](NodeId n) { return rigid_motions(split.system->variant().position(n)); };
  std::array<IndexedVector<NodeId, Vector6d>, 6> force;
  force.fill(IndexedVector<NodeId, Vector6d>(model.nodes.size(), Vector6d::Zero()));
  const auto of_piece = [&](int i) -> Columns {
    const MemberId piece(i);
    if (!split.system->variant().present[piece]) return Columns::Zero();
    const Member& m = model.members[piece];
    Columns u;
    u << motions(m.start), motions(m.end);
    return to_global(member_matrix(split, piece), split.system->axes(piece)) * u;
  };
  make_and_take(model.members.size(), of_piece, [&](int i, const Columns& f) {
    const Member& m = model.members[MemberId(i)];
    for (int d = 0; d < 6; ++d) {
      force[static_cast<std::size_t>(d)][m.start] += f.col(d).head<6>();
      force[static_cast<std::size_t>(d)][m.end] += f.col(d).tail<6>();
    }
  });
  for (const NodeId n : model.nodes.ids()) {
    const Matrix6d f = node_matrix(n) * motions(n);
    for (int d = 0; d < 6; ++d) force[static_cast<std::size_t>(d)][n] += f.col(d);
  }
  return force;
}

IndexedVector<NodeId, Vector3d> FrameMass::shared_to_nodes() const {
  IndexedVector<NodeId, Vector3d> all = nodal_;
  Vector3d kept;
  for (int d = 0; d < 3; ++d) kept[d] = model_.mass.directions[static_cast<std::size_t>(d)] ? 1 : 0;
  for (const MemberId id : model_.members.ids()) {
    if (!frame_.variant().present[id]) continue;
    constexpr int kParts = 8;  // as fine as the mass of a line load on a part of the member asks
    const double L = model_.length(id);
    for (int i = 0; i < kParts; ++i) {
      const LineMass mass = along(id, double(i) / kParts, double(i + 1) / kParts);
      const double kg = mass.translation.mean() * L / kParts, x = (i + 0.5) / kParts;
      all[model_.members[id].start] += kg * (1 - x) * kept;
      all[model_.members[id].end] += kg * x * kept;
    }
  }
  return all;
}

bool FrameMass::empty() const {
  for (const Vector3d& m : shared_to_nodes()) {
    if (!m.isZero(0)) return false;
  }
  return true;
}

}  // namespace ulterix
