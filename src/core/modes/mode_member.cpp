#include "core/modes/mode_member.hpp"

#include <algorithm>

namespace ulterix {

namespace {

constexpr std::size_t at(Family family) {
  return static_cast<std::size_t>(family);
}

/// Local axis along which a family displaces; −1: none.
int axis_of(Family family) {
  switch (family) {
    case Family::bending_z:
      return 2;
    case Family::bending_y:
      return 1;
    case Family::along:
      return 0;
    case Family::twist:
      break;
  }
  return -1;
}

std::vector<double> cuts_of(const ModeMember& member) {
  std::vector<double> cuts;
  for (std::size_t i = 1; i < member.spans.size(); ++i) cuts.push_back(member.spans[i].from);
  return cuts;
}

bool is_rotary(const ModeMember& member) {
  return member.about_y > 0 || member.about_z > 0;
}

bool some(const std::array<double, 3>& N) {
  return N[0] != 0 || N[1] != 0 || N[2] != 0;
}

void add_lumped(const ModeMember& member, Eigen::MatrixXd& whole) {
  const double L = member.properties.length;
  double start = 0, end = 0;
  const auto put = [&](double kg, double x) {
    start += kg * (1 - x / L);
    end += kg * x / L;
  };
  for (const ModeSpan& s : member.spans) {
    const double half = s.length() / 2, third = s.length() / 3;
    put(half * s.mass.start, s.from + third);
    put(half * s.mass.end, s.to - third);
  }
  for (std::size_t i = 0; i < member.point_mass.size(); ++i) {
    put(member.point_mass[i], i == 0 ? 0 : member.spans[i - 1].to);
  }
  whole.block<3, 3>(0, 0) += start * member.keeps;
  whole.block<3, 3>(6, 6) += end * member.keeps;
  for (const int end_of : {0, 1}) {
    // A twist that a hinge lets go carries none.
    const bool joined = member.properties.joints[end_of][3] != 0;
    const int d = 3 + 6 * end_of;
    if (joined) whole(d, d) += member.about_x * L / 2;
  }
}

}  // namespace

bool ModeMember::uses(Family family) const {
  switch (family) {
    case Family::bending_z:
      return bends_in_z;
    case Family::bending_y:
      return bends_in_y;
    case Family::along:
      return true;
    case Family::twist:
      break;
  }
  return twists;
}

bool has_functions(const ModeMember& member, Driver driver, Family family) {
  const bool bends = family == Family::bending_z || family == Family::bending_y;
  return member.uses(family) && member.properties.kind == MemberKind::frame &&
         (bends || driver == Driver::mass);
}

Matrix12d end_motion_of(const ElementProperties& properties) {
  if (properties.joints[0] == kJoined && properties.joints[1] == kJoined) {
    return Matrix12d::Identity();
  }
  return end_motion(Element(properties, MemberLoading::none(properties.length), {}));
}

MemberShapes::MemberShapes(const ModeMember& member, Driver driver, const FunctionCounts& counts)
    : driver_(driver),
      counts_(counts),
      properties_(member.properties),
      cuts_(cuts_of(member)),
      rotary_(is_rotary(member)) {
  const Matrix12d ends = end_motion_of(member.properties);
  int most = 0, row = 12;
  for (const Family family : kFamilies) {
    uses_[at(family)] = member.uses(family);
    const bool moves = has_functions(member, driver, family);
    const int count = moves ? counts[at(family)] : 0;
    most = std::max(most, count);
    bases_.emplace_back(family, member.properties, cuts_, ends,
                        FamilyBasis::Options{moves, count, rotary_});
    const FamilyBasis& basis = bases_.back();
    inner_[at(family)] = basis.inner();
    rows_[at(family)] = basis.directions();
    for (int i = 0; i < inner_[at(family)]; ++i) rows_[at(family)].push_back(row++);
  }
  const GaussRule& rule = gauss_rule(most + 4);
  for (std::size_t s = 0; s < member.spans.size(); ++s) {
    for (std::size_t g = 0; g < rule.points.size(); ++g) {
      points_.push_back({static_cast<int>(s), rule.points[g]});
      weights_.push_back(rule.weights[g] * member.spans[s].length() / 2);
    }
  }
  for (const Family family : kFamilies) values_[at(family)] = bases_[at(family)].at(points_);
}

bool MemberShapes::fit(const ModeMember& member, const FunctionCounts& counts) const {
  const auto uses = [&](Family family) { return member.uses(family) == uses_[at(family)]; };
  return counts == counts_ && member.properties == properties_ && is_rotary(member) == rotary_ &&
         cuts_of(member) == cuts_ && std::all_of(kFamilies.begin(), kFamilies.end(), uses);
}

int MemberShapes::inner() const {
  int sum = 0;
  for (const int n : inner_) sum += n;
  return sum;
}

int MemberShapes::first_inner(Family family) const {
  int sum = 12;
  for (std::size_t i = 0; i < at(family); ++i) sum += inner_[i];
  return sum;
}

void MemberShapes::add(Family a, Family b, const Eigen::MatrixXd& block,
                       Eigen::MatrixXd& whole) const {
  const auto &ra = rows(a), &rb = rows(b);
  for (std::size_t i = 0; i < ra.size(); ++i) {
    for (std::size_t j = 0; j < rb.size(); ++j) {
      whole(ra[i], rb[j]) += block(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j));
    }
  }
}

/// ∫N·w_i′·w_j′ in both planes, and ∫N·r²·θ_i′·θ_j′.
void MemberShapes::add_geometric(const ModeMember& member, double sign,
                                 std::array<double, 3> ModeSpan::*force,
                                 Eigen::MatrixXd& whole) const {
  Eigen::VectorXd N(static_cast<Eigen::Index>(points_.size()));
  for (std::size_t k = 0; k < points_.size(); ++k) {
    const ModeSpan& span = member.spans[static_cast<std::size_t>(points_[k].span)];
    N[static_cast<Eigen::Index>(k)] =
        sign * weights_[k] * ModeSpan::at(span.*force, (points_[k].s + 1) / 2);
  }
  const bool frame = member.properties.kind == MemberKind::frame;
  for (const Family family : {Family::bending_z, Family::bending_y, Family::twist}) {
    if (!member.uses(family) || (family == Family::twist && !frame)) continue;
    const double factor = family == Family::twist ? member.properties.r2 : 1;
    const Eigen::MatrixXd& slope = values_[at(family)].slope;
    add(family, family, factor * slope * N.asDiagonal() * slope.transpose(), whole);
  }
}

/// ∫m·u_i·u_j of all that displaces along kept directions, and the inertia of rotations.
void MemberShapes::add_mass(const ModeMember& member, Eigen::MatrixXd& whole) const {
  const auto n = static_cast<Eigen::Index>(points_.size());
  Eigen::VectorXd dm(n), dx(n);
  for (std::size_t k = 0; k < points_.size(); ++k) {
    const ModeSpan& span = member.spans[static_cast<std::size_t>(points_[k].span)];
    const auto i = static_cast<Eigen::Index>(k);
    dx[i] = weights_[k];
    dm[i] = weights_[k] * span.mass.at((points_[k].s + 1) / 2);
  }
  std::vector<SpanPoint> places;
  std::vector<double> masses;
  for (std::size_t i = 0; i < member.point_mass.size(); ++i) {
    if (member.point_mass[i] <= 0) continue;
    places.push_back(i == 0 ? SpanPoint{0, -1} : SpanPoint{static_cast<int>(i) - 1, 1});
    masses.push_back(member.point_mass[i]);
  }
  const Eigen::Map<const Eigen::VectorXd> points(masses.data(),
                                                 static_cast<Eigen::Index>(masses.size()));
  constexpr std::array<Family, 3> kDisplacing = {Family::bending_z, Family::bending_y,
                                                 Family::along};
  std::array<FamilyValues, 4> at_points;
  if (!places.empty()) {
    for (const Family f : kDisplacing) at_points[at(f)] = bases_[at(f)].at(places);
  }
  for (const Family a : kDisplacing) {
    for (const Family b : kDisplacing) {
      const double kept = member.keeps(axis_of(a), axis_of(b));
      if (kept == 0) continue;
      Eigen::MatrixXd block =
          kept * values_[at(a)].w * dm.asDiagonal() * values_[at(b)].w.transpose();
      if (!places.empty()) {
        block += kept * at_points[at(a)].w * points.asDiagonal() * at_points[at(b)].w.transpose();
      }
      add(a, b, block, whole);
    }
  }
  const auto add_rotary = [&](Family family, double inertia, const Eigen::MatrixXd& turn) {
    if (inertia > 0) {
      add(family, family, inertia * turn * dx.asDiagonal() * turn.transpose(), whole);
    }
  };
  add_rotary(Family::twist, member.about_x, values_[at(Family::twist)].w);
  add_rotary(Family::bending_z, member.about_y, values_[at(Family::bending_z)].psi);
  add_rotary(Family::bending_y, member.about_z, values_[at(Family::bending_y)].psi);
}

MemberShapes::Matrices MemberShapes::matrices(const ModeMember& member) const {
  const int size = 12 + inner();
  Matrices m{Eigen::MatrixXd::Zero(size, size), Eigen::MatrixXd::Zero(size, size)};
  const auto any = [&member](std::array<double, 3> ModeSpan::*force) {
    return std::any_of(member.spans.begin(), member.spans.end(),
                       [force](const ModeSpan& s) { return some(s.*force); });
  };
  if (any(&ModeSpan::stays)) add_geometric(member, 1, &ModeSpan::stays, m.stays);
  if (driver_ == Driver::compression) {
    if (any(&ModeSpan::grows)) add_geometric(member, -1, &ModeSpan::grows, m.drives);
  } else if (member.lumped) {
    add_lumped(member, m.drives);
  } else {
    add_mass(member, m.drives);
  }
  return m;
}

std::vector<Vector3d> MemberShapes::displacements(const Eigen::VectorXd& coefficients,
                                                  int stations) const {
  std::vector<SpanPoint> points;
  const double L = properties_.length;
  std::vector<double> joints = {0};
  joints.insert(joints.end(), cuts_.begin(), cuts_.end());
  joints.push_back(L);
  std::size_t span = 0;
  for (int i = 0; i < stations; ++i) {
    const double x = L * i / (stations - 1);
    while (span + 2 < joints.size() && x > joints[span + 1]) ++span;
    const double s = 2 * (x - joints[span]) / (joints[span + 1] - joints[span]) - 1;
    points.push_back({static_cast<int>(span), std::clamp(s, -1.0, 1.0)});
  }
  std::vector<Vector3d> u(points.size(), Vector3d::Zero());
  for (const Family family : {Family::bending_z, Family::bending_y, Family::along}) {
    const FamilyValues values = bases_[at(family)].at(points);
    const auto& r = rows(family);
    for (std::size_t k = 0; k < points.size(); ++k) {
      for (std::size_t i = 0; i < r.size(); ++i) {
        u[k][axis_of(family)] +=
            values.w(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(k)) *
            coefficients[r[i]];
      }
    }
  }
  return u;
}

}  // namespace ulterix
