#include "core/results/alignment.hpp"

#include <algorithm>
#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>

namespace ulterix {

namespace {

/// Ratios beyond this are as good as none; below its inverse as good as fixed.
constexpr double kNoRestraint = 1e6;
/// Members within 1:10 of the column's line are columns too.
constexpr double kInLine = 0.995;

template <class F>
double root(const F& f, double low, double high) {
  std::uintmax_t iterations = 100;
  const auto r = boost::math::tools::toms748_solve(
      f, low, high, boost::math::tools::eps_tolerance<double>(45), iterations);
  return (r.first + r.second) / 2;
}

double limited(double G) {
  return std::clamp(G, 1 / kNoRestraint, kNoRestraint);
}

/// EI of a member in bending about an axis of the frame; 0 where it lies across none of its own.
double stiffness_about(const MemberFrame& system, MemberId id, const Vector3d& axis) {
  const ElementProperties p = element_properties(system.situation(), id);
  if (p.kind != MemberKind::frame) return 0;
  const Matrix3d& R = system.axes(id);
  if (std::abs(R.row(1).dot(axis)) > 0.9) return p.EIy / p.length;
  if (std::abs(R.row(2).dot(axis)) > 0.9) return p.EIz / p.length;
  return 0;
}

bool hinged(const Member& m, int end) {
  return m.joints[static_cast<std::size_t>(end)][4] == 0 ||
         m.joints[static_cast<std::size_t>(end)][5] == 0;
}

/// G of one end: columns in line over girders; 0 for a fixed foot, infinite without restraint.
double ratio_at(const MemberFrame& system, MemberId id, int end, const Vector3d& axis) {
  const Model& model = system.model();
  const Member& member = model.members[id];
  if (hinged(member, end)) return kNoRestraint;
  const NodeId node = end == 0 ? member.start : member.end;
  int direction = 0;
  axis.cwiseAbs().maxCoeff(&direction);
  if (system.support(node)[static_cast<std::size_t>(direction) + 3].stiffness == kRigid) return 0;
  const Vector3d line = system.axes(id).row(0);
  double columns = 0, girders = 0;
  for (const MemberId other : system.members_at_nodes()[static_cast<std::size_t>(node.value)]) {
    const Member& o = model.members[other];
    if (hinged(o, o.start == node ? 0 : 1)) continue;
    const bool in_line = std::abs(line.dot(system.axes(other).row(0).transpose())) > kInLine;
    (in_line ? columns : girders) += stiffness_about(system, other, axis);
  }
  return girders > 0 ? columns / girders : kNoRestraint;
}

}  // namespace

double alignment_sway(double GA, double GB) {
  const double a = limited(GA), b = limited(GB);
  // x = π/K: (GA·GB·x² − 36)/(6(GA + GB)) = x/tan x, between 0 and π.
  const auto f = [&](double x) {
    return (a * b * x * x - 36) * std::sin(x) - 6 * (a + b) * x * std::cos(x);
  };
  const double x = root(f, 1e-6, M_PI * (1 - 1e-12));
  return M_PI / x;
}

double alignment_held(double GA, double GB) {
  const double a = limited(GA), b = limited(GB);
  // GA·GB·x²/4 + (GA + GB)/2·(1 − x/tan x) + 2·tan(x/2)/x = 1, between π and 2π; times sin
  // x·cos(x/2).
  const auto f = [&](double x) {
    const double s = std::sin(x), c = std::cos(x), h = std::cos(x / 2);
    return (a * b * x * x / 4 - 1) * s * h + (a + b) / 2 * (s - x * c) * h +
           2 * std::sin(x / 2) * s / x;
  };
  const double x = root(f, M_PI * (1 + 1e-9), 2 * M_PI * (1 - 1e-9));
  return M_PI / x;
}

std::optional<AlignmentFactors> alignment_factors(const MemberFrame& system, MemberId id,
                                                  bool about_y) {
  if (!system.bends(id, about_y)) return std::nullopt;
  const Vector3d axis = system.axes(id).row(about_y ? 1 : 2);
  if (stiffness_about(system, id, axis) <= 0) return std::nullopt;
  const double GA = ratio_at(system, id, 0, axis), GB = ratio_at(system, id, 1, axis);
  if (GA >= kNoRestraint && GB >= kNoRestraint) return std::nullopt;
  return AlignmentFactors{alignment_sway(GA, GB), alignment_held(GA, GB)};
}

}  // namespace ulterix
