#include "core/analysis/creep.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/model/concrete.hpp"
#include "core/model/section_stress.hpp"
#include "core/results/recovery.hpp"

namespace ulterix {

namespace {

/// φ is told with the tangent modulus, 1.05·Ecm (EN 1992-1-1 3.1.4 (2)), the frame has Ecm.
constexpr double kTangentModulus = 1.05;
/// Of fck: above it creep grows faster than the stress (3.1.4 (4)).
constexpr double kLinearCreep = 0.45;

ConcreteAgeing ageing_of(const Model& model, const CreepKeys& keys, MemberId id) {
  const Member& m = model.members[id];
  const Section& s = model.sections[m.section];
  ConcreteAgeing c;
  c.fck = model.materials[m.material].fck;
  c.notional = 2 * s.properties.A / outer_perimeter(s.shape, s.dimensions);
  c.humidity = keys.humidity;
  c.cement = keys.cement;
  return c;
}

/// By which elastic strain at the modulus of the frame is multiplied.
double phi(const ConcreteAgeing& c, double t, double t0) {
  return creep_coefficient(c, t, t0) / kTangentModulus;
}

/// The largest compression along a member, of its uncracked section, N/m².
double compression(const Recovery& recovery, MemberId id, const SectionProperties& s) {
  double most = 0;
  for (const LinePoint& point : recovery.line(id).stations()) {
    const Vector6d& f = point.forces;
    most = std::max(most, -f[kN] / s.A + bending_stress(s, f[kMy], f[kMz]));
  }
  return most;
}

Situation with_aged(const Situation& now, const Situation& aged) {
  Situation situation = now;
  situation.aged = aged.aged;
  return situation;
}

}  // namespace

bool creeps(const Model& model, MemberId id) {
  const Member& m = model.members[id];
  const bool both_ways = m.kind == MemberKind::frame || m.kind == MemberKind::axial;
  return both_ways && model.materials[m.material].fck > 0;
}

std::string creep_complaint(const Model& model, MemberId id) {
  const Member& m = model.members[id];
  const Section& s = model.sections[m.section];
  if (outer_perimeter(s.shape, s.dimensions) == 0) {
    return "its section is given by numbers: creep asks for a shape, whose perimeter dries";
  }
  for (const EndJoint& joint : m.joints) {
    for (const double k : joint) {
      if (k != kRigid && k != 0) return "springs at ends of members that creep";
    }
  }
  for (const LoadCase& c : model.cases) {
    for (const MemberStrain& strain : c.strains) {
      if (strain.member == id)
        return "heat or another strain (case " + c.name + ") on members that creep";
    }
  }
  return "";
}

std::string creep_remark(const Model& model, const AnalysisSpec& spec,
                         const std::vector<Step>& steps) {
  double worst = kLinearCreep;
  std::string words;
  for (const Step& step : steps) {
    if (step.analysis != spec.name || !step.has_state) continue;
    const Recovery recovery(step);
    for (const MemberId id : model.members.ids()) {
      if (!stands_in(step, id) || !creeps(model, id)) continue;
      const Member& m = model.members[id];
      const double fck = model.materials[m.material].fck;
      const double part = compression(recovery, id, model.sections[m.section].properties) / fck;
      if (part <= worst) continue;
      worst = part;
      words = fmt::format(
          "{}: {} is compressed to {:.2f} fck (stage {}, uncracked section): above {} fck creep "
          "grows faster than the stress, which is not followed",
          spec.name, m.name, part, step.label, kLinearCreep);
    }
  }
  return words;
}

std::shared_ptr<const LoadCase> crept_loads(const Model& model, const AnalysisSpec& spec,
                                            std::size_t last) {
  const StagedKeys& keys = spec.staged();
  IndexedVector<MemberId, double> arrived(model.members.size(), 0.0);
  std::vector<double> days;
  double day = 0;
  for (std::size_t k = 0; k <= last; ++k) {
    day += keys.stages[k].days;
    days.push_back(day);
    for (const MemberId id : keys.stages[k].erected) arrived[id] = day;
  }
  // Loads that came in stage k have crept since then: φ of k counts for what k has more than k − 1.
  const auto crept = [&](MemberId id, std::size_t k) {
    if (k > last || !creeps(model, id) || days[k] < arrived[id]) return 0.0;
    const double age = keys.creep->age - arrived[id];
    return phi(ageing_of(model, *keys.creep, id), age + days[last], age + days[k]);
  };
  auto bends = std::make_shared<LoadCase>();
  for (std::size_t k = 0; k <= last; ++k) {
    const LoadCase& items = *spec.loads[k].items;
    const auto weight = [&](MemberId id) {
      return crept(id, k) - crept(id, k + 1) + (k == last ? 1 : 0);
    };
    for (DistributedLoad d : items.distributed) {
      const double w = weight(d.member);
      d.at_from *= w;
      d.at_to *= w;
      if (w != 0) bends->distributed.push_back(d);
    }
    for (PointLoad p : items.points) {
      const double w = weight(p.member);
      p.force *= w;
      if (w != 0) bends->points.push_back(p);
    }
    for (SelfWeight s : items.self_weight) {
      s.factor *= weight(s.member);
      if (s.factor != 0) bends->self_weight.push_back(s);
    }
  }
  return bends;
}

CreepHistory::CreepHistory(const Model& model, const AnalysisSpec& spec)
    : model_(model), keys_(*spec.staged().creep), members_(model.members.size()) {
  for (const MemberId id : model.members.ids()) members_[id].creeps = creeps(model, id);
}

double CreepHistory::age_of(const Member& m, double day) const {
  return keys_.age + day - m.arrived;
}

void CreepHistory::arrive(const Stage& stage) {
  for (const MemberId id : stage.struck) members_[id].stands = false;
  for (const MemberId id : stage.erected) {
    Member& m = members_[id];
    m.stands = true;
    m.arrived = day_;
  }
}

void CreepHistory::add(MemberId id, const Vector12d& deformed, double day, double share) {
  Member& m = members_[id];
  m.increments.push_back({age_of(m, day), share, deformed});
}

void CreepHistory::note(const Step& step) {
  for (const MemberId id : model_.members.ids()) {
    Member& m = members_[id];
    if (!m.creeps || !m.stands) continue;
    const Vector12d deformed = step.frame->end_motion(id, step.state).deformed;
    Vector12d more = deformed - m.deformed;
    if (m.increments.empty()) {
      // What it is strained by from the start.
      const ElementProperties p = step.frame->properties(id);
      if (p.EA > 0) more[6] += p.initial_force * p.length / p.EA;
    }
    m.deformed = deformed;
    add(id, more, day_, 1);
  }
}

Vector12d CreepHistory::free_creep(MemberId id, double from, double to) const {
  const Member& m = members_[id];
  const ConcreteAgeing c = ageing_of(model_, keys_, id);
  const double age_from = age_of(m, from), age_to = age_of(m, to);
  Vector12d free = Vector12d::Zero();
  for (const Increment& i : m.increments) {
    free += i.share * (phi(c, age_to, i.age) - phi(c, age_from, i.age)) * i.deformed;
  }
  if (keys_.shrinks) {
    const double strain =
        shrinkage_strain(c, age_to, keys_.age) - shrinkage_strain(c, age_from, keys_.age);
    free[6] -= strain * model_.length(id);
  }
  return free;
}

void CreepHistory::begin(double days, Situation& now) {
  passing_ = days;
  if (now.aged.empty())
    now.aged = IndexedVector<MemberId, std::optional<Aged>>(model_.members.size());
  for (const MemberId id : model_.members.ids()) {
    const Member& m = members_[id];
    if (!m.creeps || !m.stands) continue;
    const ConcreteAgeing c = ageing_of(model_, keys_, id);
    Aged aged;
    aged.softer = 1 + kAgeing * phi(c, age_of(m, day_ + days), age_of(m, day_));
    aged.shift = m.shift + free_creep(id, day_, day_ + days) + (1 - aged.softer) * m.deformed;
    now.aged[id] = aged;
  }
}

void CreepHistory::end(Situation& now, Step& step) {
  for (const MemberId id : model_.members.ids()) {
    Member& m = members_[id];
    if (!m.creeps || !m.stands) continue;
    Aged& aged = *now.aged[id];
    const Vector12d soft = step.frame->end_motion(id, step.state).deformed;
    const Vector12d deformed = soft / aged.softer;
    m.shift = aged.shift + soft - deformed;
    aged = {m.shift, 1};
    add(id, deformed - m.deformed, day_, kAgeing);
    m.deformed = deformed;
  }
  day_ += passing_;
  const auto frame = std::make_shared<const MemberFrame>(with_aged(step.frame->situation(), now));
  complete(frame, std::make_shared<AppliedLoads>(frame->situation(), step.loads), step);
}

}  // namespace ulterix
