#include "core/results/cables.hpp"

#include <cmath>
#include <numbers>

#include "core/dense/symmetric_eigen.hpp"
#include "core/modes/mode_member.hpp"

namespace ulterix {

namespace {

/// Angle of a tangent above the horizontal.
double slope(const Vector3d& tension, const Vector3d& up) {
  const double rise = tension.dot(up);
  return std::atan2(rise, (tension - rise * up).norm());
}

}  // namespace

std::optional<Catenary> cable_in(const Recovery& recovery, MemberId id) {
  const MemberFrame& frame = recovery.frame();
  if (frame.situation().present[id] == 0) return std::nullopt;
  const ElementProperties p = frame.properties(id);
  if (p.cable_length == 0) return std::nullopt;
  const EndMotion motion = frame.end_motion_since_drawn(id, recovery.step().state);
  return hanging(p, recovery.loads().on_member(id), reach_of(motion, p.length));
}

std::optional<double> own_frequency(const Recovery& recovery, MemberId id) {
  constexpr int kFunctions = 16;
  const auto cable = cable_in(recovery, id);
  if (!cable || cable->start_tension().isZero(0) || !(cable->chord_force() > 0)) {
    return std::nullopt;
  }
  const MemberFrame& frame = recovery.frame();
  const Model& model = frame.model();
  ModeMember m;
  m.properties = frame.properties(id);
  m.bends_in_z = frame.bends(id, true);
  m.bends_in_y = frame.bends(id, false);
  m.twists = false;
  m.string = cable->chord_force();
  m.cable = std::make_shared<const Catenary>(*cable);
  const Member& member = model.members[id];
  const double kg_m = model.spare_length(id) * model.materials[member.material].density *
                      model.sections[member.section].properties.A;
  if (!(kg_m > 0)) return std::nullopt;
  ModeSpan span;
  span.to = m.properties.length;
  span.mass = {kg_m, kg_m};
  m.spans = {span};
  MemberShapes shapes(m, Driver::mass, {kFunctions, kFunctions, kFunctions, 0});
  const MemberShapes::Matrices matrices = shapes.matrices(m);
  const Eigen::Index n = shapes.inner();
  // The functions are orthonormal in the stiffness that they were made with.
  const Eigen::MatrixXd K =
      Eigen::MatrixXd::Identity(n, n) + shapes.whole(matrices.stays).bottomRightCorner(n, n);
  const Eigen::MatrixXd M = shapes.whole(matrices.drives).bottomRightCorner(n, n);
  if (n == 0) return std::nullopt;
  const auto modes = generalized_eigen(M, K);
  const double slowest = modes ? modes->values[n - 1] : 0;  // 1/ω²
  if (!(slowest > 0)) return std::nullopt;
  return 1 / (2 * std::numbers::pi * std::sqrt(slowest));
}

std::optional<CableValues> cable_values(const Recovery& recovery, MemberId id) {
  const auto cable = cable_in(recovery, id);
  if (!cable) return std::nullopt;
  const MemberFrame& frame = recovery.frame();
  const Model& model = frame.model();
  const Vector3d up = frame.axes(id) * Vector3d::Unit(model.vertical);
  CableValues v;
  v.cut_length = cable->length();
  v.length = cable->stretched_length();
  v.span = cable->chord().norm();
  v.sag = cable->sag().depth;
  v.tension_start = cable->start_tension().norm();
  v.tension_end = cable->end_tension().norm();
  v.state = cable->start_tension().isZero(0) ? CableState::slack
            : v.cut_length >= v.span         ? CableState::hangs
                                             : CableState::taut;
  v.slope_start = slope(cable->start_tension(), up);
  v.slope_end = slope(cable->end_tension(), up);
  v.chord_force = cable->chord_force();
  v.thrust = (cable->start_tension() - up * up.dot(cable->start_tension())).norm();
  if (v.span > 0) {
    const Vector3d t = cable->chord() / v.span;
    const double across = (cable->load() - t * t.dot(cable->load())).norm() * v.cut_length / v.span;
    if (v.sag > 1e-9 * v.span) v.parabola = across * v.span * v.span / (8 * v.sag);
    const Member& m = model.members[id];
    const double kg_m = model.materials[m.material].density *
                        model.sections[m.section].properties.A * v.cut_length / v.span;
    if (kg_m > 0 && v.chord_force > 0) v.frequency = std::sqrt(v.chord_force / kg_m) / (2 * v.span);
  }
  return v;
}

}  // namespace ulterix
