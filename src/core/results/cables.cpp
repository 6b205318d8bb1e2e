#include "core/results/cables.hpp"

#include <cmath>

#include "core/system/piecewise_frame.hpp"

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
