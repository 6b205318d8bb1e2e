#include "core/modes/mode_member.hpp"

#include <algorithm>

#include "core/dense/dense_factors.hpp"

namespace ulterix {

namespace {

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

/// Takes the functions' own stiffness off a block that has it.
void take_identity(int inner, Eigen::MatrixXd& block) {
  block.bottomRightCorner(inner, inner).diagonal().array() -= 1;
}

bool some(const std::array<double, 3>& N) {
  return N[0] != 0 || N[1] != 0 || N[2] != 0;
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
  if (!member.uses(family)) return false;
  if (member.properties.kind != MemberKind::frame) {
    // As a string across, a cable that hangs along its chord too.
    const bool moves = bends || (member.cable && family == Family::along);
    return moves && driver == Driver::mass && member.string > 0;
  }
  return bends || driver == Driver::mass;
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
      rotary_(is_rotary(member)),
      string_(member.string) {
  const Matrix12d ends = end_motion_of(member.properties);
  int most = 0, row = 12;
  for (const Family family : kFamilies) {
    uses_[at(family)] = member.uses(family);
    const bool moves = has_functions(member, driver, family);
    const int count = moves ? counts[at(family)] : 0;
    most = std::max(most, count);
    bases_.emplace_back(family, member.properties, cuts_, ends,
                        FamilyBasis::Options{moves, count, rotary_, member.string});
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
  if (counts != counts_ || member.spans.size() != cuts_.size() + 1) return false;
  for (std::size_t i = 0; i < cuts_.size(); ++i) {
    if (member.spans[i + 1].from != cuts_[i]) return false;
  }
  const auto uses = [&](Family family) { return member.uses(family) == uses_[at(family)]; };
  return member.properties == properties_ && is_rotary(member) == rotary_ &&
         member.string == string_ && std::all_of(kFamilies.begin(), kFamilies.end(), uses);
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

Eigen::MatrixXd MemberShapes::whole(const std::vector<Block>& blocks) const {
  const int size = 12 + inner();
  Eigen::MatrixXd all = Eigen::MatrixXd::Zero(size, size);
  for (const Block& block : blocks) {
    const auto &ra = rows(block.a), &rb = rows(block.b);
    for (std::size_t j = 0; j < rb.size(); ++j) {
      for (std::size_t i = 0; i < ra.size(); ++i) {
        all(ra[i], rb[j]) +=
            block.values(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j));
      }
    }
  }
  return all;
}

/// ∫N·w_i′·w_j′ in both planes, and ∫N·r²·θ_i′·θ_j′.
std::vector<MemberShapes::Block> MemberShapes::geometric(
    const ModeMember& member, double sign, std::array<double, 3> ModeSpan::*force) const {
  Eigen::VectorXd N(static_cast<Eigen::Index>(points_.size()));
  for (std::size_t k = 0; k < points_.size(); ++k) {
    const ModeSpan& span = member.spans[static_cast<std::size_t>(points_[k].span)];
    N[static_cast<Eigen::Index>(k)] =
        sign * weights_[k] * ModeSpan::at(span.*force, (points_[k].s + 1) / 2);
  }
  const bool frame = member.properties.kind == MemberKind::frame;
  std::vector<Block> blocks;
  for (const Family family : {Family::bending_z, Family::bending_y, Family::twist}) {
    if (!member.uses(family) || (family == Family::twist && !frame)) continue;
    const double factor = family == Family::twist ? member.properties.r2 : 1;
    const Eigen::MatrixXd& slope = values_[at(family)].slope;
    blocks.push_back({family, family, slope * (factor * N).asDiagonal() * slope.transpose()});
    if (!frame) take_identity(bases_[at(family)].inner(), blocks.back().values);
  }
  return blocks;
}

/// The tangent of a hanging cable between its points, T/λ across and EA along its own direction;
/// what it makes of its ends alone is in the frame's stiffness already, condensed.
std::vector<MemberShapes::Block> MemberShapes::hanging(const ModeMember& member) const {
  const Catenary& cable = *member.cable;
  const double shorter = cable.length() / properties_.length;  // of the drawn length
  const auto n = static_cast<Eigen::Index>(points_.size());
  std::array<std::array<Eigen::VectorXd, 3>, 3> tangent;  // by local axes
  for (auto& row : tangent) row.fill(Eigen::VectorXd::Zero(n));
  for (std::size_t k = 0; k < points_.size(); ++k) {
    const ModeSpan& span = member.spans[static_cast<std::size_t>(points_[k].span)];
    const double x = span.from + (points_[k].s + 1) / 2 * span.length();
    const Vector3d force = cable.tension(x * shorter);
    const double T = force.norm();
    const Vector3d t = force / T;
    const double across = T / (1 + T / cable.EA());
    for (std::size_t i = 0; i < 3; ++i) {
      for (std::size_t j = 0; j < 3; ++j) {
        const double along = t[static_cast<Eigen::Index>(i)] * t[static_cast<Eigen::Index>(j)];
        tangent[i][j][static_cast<Eigen::Index>(k)] =
            weights_[k] / shorter * (across * ((i == j ? 1 : 0) - along) + cable.EA() * along);
      }
    }
  }
  std::vector<Block> blocks;
  for (const Family a : {Family::bending_z, Family::bending_y, Family::along}) {
    for (const Family b : {Family::bending_z, Family::bending_y, Family::along}) {
      if (!member.uses(a) || !member.uses(b)) continue;
      const Eigen::VectorXd& C =
          tangent[static_cast<std::size_t>(axis_of(a))][static_cast<std::size_t>(axis_of(b))];
      blocks.push_back(
          {a, b, values_[at(a)].slope * C.asDiagonal() * values_[at(b)].slope.transpose()});
    }
  }
  const Eigen::MatrixXd all = whole(blocks);
  const Eigen::Index inner = all.rows() - 12;
  Eigen::MatrixXd at_ends = Eigen::MatrixXd::Zero(12, 12);
  if (inner > 0) {
    const Eigen::MatrixXd coupling = all.topRightCorner(12, inner);
    at_ends =
        coupling * DenseCholesky(all.bottomRightCorner(inner, inner)).solve(coupling.transpose());
  }
  for (Block& block : blocks) {
    const auto &ra = rows(block.a), &rb = rows(block.b);
    for (int i = 0; i < bases_[at(block.a)].nodal(); ++i) {
      for (int j = 0; j < bases_[at(block.b)].nodal(); ++j) {
        block.values(i, j) =
            at_ends(ra[static_cast<std::size_t>(i)], rb[static_cast<std::size_t>(j)]);
      }
    }
    if (block.a == block.b) take_identity(bases_[at(block.a)].inner(), block.values);
  }
  return blocks;
}

/// ∫m·u_i·u_j of all that displaces along kept directions, and the inertia of rotations.
std::vector<MemberShapes::Block> MemberShapes::mass(const ModeMember& member) const {
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
  std::vector<Block> blocks;
  for (const Family a : kDisplacing) {
    for (const Family b : kDisplacing) {
      const double kept = member.keeps(axis_of(a), axis_of(b));
      if (kept == 0) continue;
      Eigen::MatrixXd block =
          values_[at(a)].w * (kept * dm).asDiagonal() * values_[at(b)].w.transpose();
      if (!places.empty()) {
        block += at_points[at(a)].w * (kept * points).asDiagonal() * at_points[at(b)].w.transpose();
      }
      blocks.push_back({a, b, std::move(block)});
    }
  }
  const auto add_rotary = [&](Family family, double inertia, const Eigen::MatrixXd& turn) {
    if (inertia > 0) {
      blocks.push_back({family, family, turn * (inertia * dx).asDiagonal() * turn.transpose()});
    }
  };
  add_rotary(Family::twist, member.about_x, values_[at(Family::twist)].w);
  add_rotary(Family::bending_z, member.about_y, values_[at(Family::bending_z)].psi);
  add_rotary(Family::bending_y, member.about_z, values_[at(Family::bending_y)].psi);
  return blocks;
}

/// All mass at the two nodes, by simple-beam statics.
std::vector<MemberShapes::Block> MemberShapes::lumped(const ModeMember& member) const {
  const double L = member.properties.length;
  std::array<double, 2> at_end = {0, 0};
  const auto put = [&](double kg, double x) {
    at_end[0] += kg * (1 - x / L);
    at_end[1] += kg * x / L;
  };
  for (const ModeSpan& s : member.spans) {
    const double half = s.length() / 2, third = s.length() / 3;
    put(half * s.mass.start, s.from + third);
    put(half * s.mass.end, s.to - third);
  }
  for (std::size_t i = 0; i < member.point_mass.size(); ++i) {
    put(member.point_mass[i], i == 0 ? 0 : member.spans[i - 1].to);
  }
  constexpr std::array<Family, 3> kDisplacing = {Family::bending_z, Family::bending_y,
                                                 Family::along};
  const auto size = [this](Family f) { return static_cast<Eigen::Index>(rows(f).size()); };
  std::vector<Block> blocks;
  for (const Family a : kDisplacing) {
    for (const Family b : kDisplacing) {
      const double kept = member.keeps(axis_of(a), axis_of(b));
      if (kept == 0) continue;
      Eigen::MatrixXd block = Eigen::MatrixXd::Zero(size(a), size(b));
      for (int end = 0; end < 2; ++end) {
        block(end * bases_[at(a)].nodal() / 2, end * bases_[at(b)].nodal() / 2) =
            kept * at_end[static_cast<std::size_t>(end)];
      }
      blocks.push_back({a, b, std::move(block)});
    }
  }
  Eigen::MatrixXd twist = Eigen::MatrixXd::Zero(size(Family::twist), size(Family::twist));
  for (int end = 0; end < 2; ++end) {
    // A twist that a hinge lets go carries none.
    const bool joined = member.properties.joints[static_cast<std::size_t>(end)][3] != 0;
    if (joined) twist(end, end) = member.about_x * L / 2;
  }
  blocks.push_back({Family::twist, Family::twist, twist});
  return blocks;
}

const MemberShapes::Matrices& MemberShapes::matrices(const ModeMember& member) {
  if (last_ != member) {
    matrices_ = integrated(member);
    last_ = member;
  }
  return matrices_;
}

MemberShapes::Matrices MemberShapes::integrated(const ModeMember& member) const {
  Matrices m;
  const auto any = [&member](std::array<double, 3> ModeSpan::*force) {
    return std::any_of(member.spans.begin(), member.spans.end(),
                       [force](const ModeSpan& s) { return some(s.*force); });
  };
  if (member.cable && member.string > 0) {
    m.stays = hanging(member);
  } else if (any(&ModeSpan::stays)) {
    m.stays = geometric(member, 1, &ModeSpan::stays);
  }
  if (driver_ == Driver::compression) {
    if (any(&ModeSpan::grows)) m.drives = geometric(member, -1, &ModeSpan::grows);
  } else {
    m.drives = member.lumped ? lumped(member) : mass(member);
  }
  return m;
}

void MemberShapes::evaluate_at(int stations) {
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
  at_stations_.clear();
  for (const FamilyBasis& basis : bases_) at_stations_.push_back(basis.at(points));
}

std::vector<Eigen::Matrix3Xd> MemberShapes::displacements(const Eigen::MatrixXd& coefficients,
                                                          int stations) {
  if (at_stations_.empty() || at_stations_.front().w.cols() != stations) evaluate_at(stations);
  std::vector<Eigen::Matrix3Xd> u(static_cast<std::size_t>(coefficients.cols()),
                                  Eigen::Matrix3Xd::Zero(3, stations));
  for (const Family family : {Family::bending_z, Family::bending_y, Family::along}) {
    const Eigen::MatrixXd& shapes = at_stations_[at(family)].w;
    const Eigen::MatrixXd w = coefficients(rows(family), Eigen::all).transpose() * shapes;
    for (std::size_t k = 0; k < u.size(); ++k) {
      u[k].row(axis_of(family)) = w.row(static_cast<Eigen::Index>(k));
    }
  }
  return u;
}

MemberShapes& ShapeCache::of(const ModeMember& member, Driver driver,
                             const FunctionCounts& counts) {
  if (last_ < shapes_.size() && shapes_[last_]->fit(member, counts)) return *shapes_[last_];
  for (last_ = 0; last_ < shapes_.size(); ++last_) {
    if (shapes_[last_]->fit(member, counts)) return *shapes_[last_];
  }
  auto made = std::make_unique<MemberShapes>(member, driver, counts);
  if (shapes_.size() < kMost) {
    shapes_.push_back(std::move(made));
  } else {
    last_ = oldest_;
    oldest_ = (oldest_ + 1) % kMost;
    shapes_[last_] = std::move(made);
  }
  return *shapes_[last_];
}

std::array<int, 4> ShapeCache::inner_counts(const ModeMember& member, Driver driver,
                                            const FunctionCounts& counts) {
  std::array<int, 4> inner = {};
  if (member.properties.joints[0] != kJoined || member.properties.joints[1] != kJoined) {
    // Hinges may leave a joint nothing to strain: the shapes themselves tell.
    const MemberShapes& shapes = of(member, driver, counts);
    for (const Family f : kFamilies) inner[at(f)] = shapes.inner(f);
    return inner;
  }
  const auto spans = static_cast<int>(member.spans.size());
  const ElementProperties& p = member.properties;
  const bool string = p.kind != MemberKind::frame;
  const std::array<double, 4> stiffness = {string ? member.string : p.EIy,
                                           string ? member.string : p.EIz, p.EA, p.GJ};
  const std::array<double, 4> shear = {p.shear_flexibility_z, p.shear_flexibility_y, 0, 0};
  for (const Family f : kFamilies) {
    if (!has_functions(member, driver, f) || stiffness[at(f)] <= 0) continue;
    const bool bends = f == Family::bending_z || f == Family::bending_y;
    const int each = bends && !string && is_rotary(member) && shear[at(f)] > 0 ? 2 : 1;
    inner[at(f)] = (bends && !string ? 2 : 1) * (spans - 1) + counts[at(f)] * spans * each;
  }
  return inner;
}

}  // namespace ulterix
