#include "core/analysis/mode_input.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/parallel.hpp"
#include "core/results/cables.hpp"

namespace ulterix {

namespace {

/// N, N′·L and N″·L² that differ by less than this part of the largest N of the member go on.
constexpr double kSmooth = 1e-9;
/// A member whose N is below this part of the largest of the frame has none.
constexpr double kNoForce = 1e-13;
constexpr double kSamePlace = 1e-9;

double largest(const AxialPiece& p) {
  double most = 0;
  for (const double xi : {0.0, 0.5, 1.0}) most = std::max(most, std::abs(ModeSpan::at(p.N, xi)));
  return most;
}

/// The quadratic through values at ξ = 0, 1/2 and 1.
std::array<double, 3> through(double a, double b, double c) {
  return {a, 4 * b - 3 * a - c, 2 * a + 2 * c - 4 * b};
}

double value_at(const std::vector<AxialPiece>& pieces, double x) {
  for (const AxialPiece& p : pieces) {
    if (x <= p.to || &p == &pieces.back()) return ModeSpan::at(p.N, (x - p.from) / (p.to - p.from));
  }
  return 0;
}

/// Pieces of one line that go on smoothly become one.
std::vector<AxialPiece> merged(const std::vector<AxialPiece>& pieces) {
  double most = 0;
  for (const AxialPiece& p : pieces) most = std::max(most, largest(p));
  const double L = pieces.back().to, tolerance = kSmooth * most;
  const auto goes_on = [&](const AxialPiece& a, const AxialPiece& b) {
    const double la = a.to - a.from, lb = b.to - b.from;
    const double jump = ModeSpan::at(a.N, 1) - b.N[0];
    const double kink = ((a.N[1] + 2 * a.N[2]) / la - b.N[1] / lb) * L;
    const double bend = (a.N[2] / la / la - b.N[2] / lb / lb) * 2 * L * L;
    return std::max({std::abs(jump), std::abs(kink), std::abs(bend)}) <= tolerance;
  };
  std::vector<AxialPiece> result;
  for (std::size_t i = 0; i < pieces.size();) {
    std::size_t last = i;
    while (last + 1 < pieces.size() && goes_on(pieces[last], pieces[last + 1])) ++last;
    AxialPiece whole{pieces[i].from, pieces[last].to, pieces[i].N};
    if (last > i) {
      const std::vector<AxialPiece> part(pieces.begin() + static_cast<std::ptrdiff_t>(i),
                                         pieces.begin() + static_cast<std::ptrdiff_t>(last) + 1);
      whole.N = through(pieces[i].N[0], value_at(part, (whole.from + whole.to) / 2),
                        ModeSpan::at(pieces[last].N, 1));
    }
    result.push_back(whole);
    i = last + 1;
  }
  return result;
}

/// Members that do not stand keep their numbers and are nothing.
std::vector<ModeSpan> absent(double L) {
  ModeSpan span;
  span.to = L;
  return {span};
}

std::vector<AxialPiece> along(const Recovery& state, MemberId id) {
  const State& acting = state.step().state;
  const Situation& situation = state.frame().situation();
  const Member& m = situation.model->members[id];
  // Finite motion: between the nodes where they are.
  const auto place = [&](NodeId n) -> Vector3d {
    const Vector3d at = situation.position(n);
    return acting.poses.empty() ? at : Vector3d(at + acting.nodes[n].translation);
  };
  const double L = (place(m.end) - place(m.start)).norm();
  if (acting.geometric && acting.axial_given) {
    return {{0, L, {acting.members[id].axial_start, 0, 0}}};
  }
  if (const auto cable = cable_in(state, id)) return {{0, L, {cable->chord_force(), 0, 0}}};
  std::vector<AxialPiece> pieces;
  const MemberLine& line = state.line(id);
  const double by = acting.poses.empty() ? 1 : L / line.spans().back().to;
  for (const MemberLine::Span& s : line.spans()) pieces.push_back({by * s.from, by * s.to, s.N});
  pieces.back().to = L;
  if (acting.poses.empty()) return merged(pieces);
  // Of corotational pieces: between the places where the loads jump.
  constexpr double kInside = 1e-9;
  std::vector<AxialPiece> smooth;
  for (const LoadSpan& s : state.loads().on_member(id).spans) {
    const double from = by * s.from, to = std::min(by * s.to, L);
    smooth.push_back(
        {from, to,
         through(value_at(pieces, from + kInside * L), value_at(pieces, (from + to) / 2),
                 value_at(pieces, to - kInside * L))});
  }
  smooth.back().to = L;
  return smooth;
}

/// Where N changes its sign along a piece: a mode in the compressed part dies away beyond, within a
/// length that may be a small part of the member. A part shorter than that has no mode that counts.
void add_changes_of_sign(const AxialPiece& p, double L, std::vector<double>& places) {
  constexpr double kShort = 1e-3;
  const auto& [a, b, c] = p.N;
  std::vector<double> roots;
  if (c == 0) {
    if (b != 0) roots.push_back(-a / b);
  } else if (const double d = b * b - 4 * a * c; d > 0) {
    const double q = -(b + std::copysign(std::sqrt(d), b)) / 2;  // without cancellation
    roots.push_back(q / c);
    if (q != 0) roots.push_back(a / q);
  }
  const double length = p.to - p.from;
  for (const double xi : roots) {
    const double x = p.from + xi * length;
    if (x - p.from > kShort * L && p.to - x > kShort * L) places.push_back(x);
  }
}

/// Spans between all the places given, with the axial forces of both parts.
std::vector<ModeSpan> spans_between(double L, std::vector<double> places,
                                    const std::vector<AxialPiece>* stays,
                                    const std::vector<AxialPiece>* grows) {
  for (const auto* pieces : {stays, grows}) {
    if (pieces == nullptr) continue;
    for (std::size_t i = 0; i + 1 < pieces->size(); ++i) places.push_back((*pieces)[i].to);
  }
  if (grows != nullptr) {
    for (const AxialPiece& p : *grows) add_changes_of_sign(p, L, places);
  }
  std::sort(places.begin(), places.end());
  std::vector<double> at = {0};
  for (const double x : places) {
    if (x - at.back() > kSamePlace * L && L - x > kSamePlace * L) at.push_back(x);
  }
  at.push_back(L);
  std::vector<ModeSpan> spans;
  for (std::size_t i = 0; i + 1 < at.size(); ++i) {
    ModeSpan span;
    span.from = at[i];
    span.to = at[i + 1];
    const auto take = [&](const std::vector<AxialPiece>* pieces) -> std::array<double, 3> {
      if (pieces == nullptr || pieces->empty()) return {0, 0, 0};
      const double middle = (span.from + span.to) / 2;
      const AxialPiece* own = &pieces->back();
      for (const AxialPiece& p : *pieces) {
        if (middle <= p.to) {
          own = &p;
          break;
        }
      }
      const auto N = [&](double x) {
        return ModeSpan::at(own->N, (x - own->from) / (own->to - own->from));
      };
      return through(N(span.from), N(middle), N(span.to));
    };
    span.stays = take(stays);
    span.grows = take(grows);
    spans.push_back(span);
  }
  return spans;
}

ModeProblem::Input input_of(const ElasticFrame& frame, Driver driver) {
  ModeProblem::Input input;
  input.frame = frame.system.get();
  input.factor = frame.factor.get();
  input.stiffness = &frame.stiffness;
  input.driver = driver;
  input.members = IndexedVector<MemberId, ModeMember>(frame.system->model().members.size());
  return input;
}

void fill(const FrameSystem& system, MemberId id, ModeMember& m) {
  m.properties = system.properties(id);
  m.bends_in_z = system.bends(id, true);
  m.bends_in_y = system.bends(id, false);
  m.twists = system.model().plane == Plane::space;
}

/// Axial kinds and cables that are in tension all along vibrate as strings where they have mass.
void string_of(ModeMember& m, const std::vector<AxialPiece>* N) {
  const ElementProperties& p = m.properties;
  if (p.kind == MemberKind::frame || m.lumped || p.idle) return;
  const bool massive = std::any_of(m.spans.begin(), m.spans.end(), [](const ModeSpan& s) {
    return s.mass.start > 0 || s.mass.end > 0;
  });
  if (!massive && m.point_mass.empty()) return;
  if (p.cable_length > 0) {
    if (!p.cable_placed) return;
    const auto cable = std::make_shared<const Catenary>(
        p.cable_length, p.EA, p.cable_load, Vector3d(Vector3d(p.length, 0, 0) + p.cable_reach));
    if (cable->start_tension().isZero(0)) return;
    m.string = cable->chord_force();
    m.cable = cable;
    return;
  }
  if (N == nullptr || N->empty()) return;
  double least = std::numeric_limits<double>::max(), most = 0;
  for (const AxialPiece& piece : *N) {
    for (const double xi : {0.0, 0.5, 1.0}) least = std::min(least, ModeSpan::at(piece.N, xi));
    most = std::max(most, largest(piece));
  }
  constexpr double kTaut = 1e-9;
  if (least > kTaut * most) m.string = mean_axial_force(*N);
}

}  // namespace

AxialForces axial_forces_along(const Recovery& state) {
  const Model& model = state.frame().model();
  AxialForces forces(model.members.size());
  for_each_index(forces.size(), [&](int i) {
    const MemberId id(i);
    if (state.frame().situation().present[id]) forces[id] = along(state, id);
  });
  double most = 0;
  for (const auto& pieces : forces) {
    for (const AxialPiece& p : pieces) most = std::max(most, largest(p));
  }
  for (auto& pieces : forces) {
    double own = 0;
    for (const AxialPiece& p : pieces) own = std::max(own, largest(p));
    if (own > kNoForce * most || pieces.empty()) continue;
    pieces = {{pieces.front().from, pieces.back().to, {0, 0, 0}}};
  }
  return forces;
}

AxialForces reversed(AxialForces forces) {
  for (auto& pieces : forces) {
    for (AxialPiece& p : pieces) {
      for (double& c : p.N) c = -c;
    }
  }
  return forces;
}

double mean_axial_force(const std::vector<AxialPiece>& pieces) {
  if (pieces.empty()) return 0;
  double sum = 0;
  for (const AxialPiece& p : pieces) {
    sum += (p.to - p.from) * (p.N[0] + p.N[1] / 2 + p.N[2] / 3);
  }
  return sum / pieces.back().to;
}

ModeProblem::Input buckling_input(const ElasticFrame& frame, const AxialForces* stays,
                                  const AxialForces& grows) {
  ModeProblem::Input input = input_of(frame, Driver::compression);
  for_each_index(input.members.size(), [&](int i) {
    const MemberId id(i);
    ModeMember& m = input.members[id];
    fill(*frame.system, id, m);
    m.spans =
        frame.system->situation().present[id] != 0
            ? spans_between(m.properties.length, {}, stays ? &(*stays)[id] : nullptr, &grows[id])
            : absent(m.properties.length);
  });
  return input;
}

ModeProblem::Input vibration_input(const ElasticFrame& frame, const AxialForces* state,
                                   const FrameMass& mass, bool strings) {
  ModeProblem::Input input = input_of(frame, Driver::mass);
  const FrameSystem& system = *frame.system;
  for_each_index(input.members.size(), [&](int i) {
    const MemberId id(i);
    ModeMember& m = input.members[id];
    fill(system, id, m);
    if (system.situation().present[id] == 0) {
      m.spans = absent(m.properties.length);
      return;
    }
    // Mass at the joints alone asks for no cuts, but its shares come from where it is.
    // The tangent of a cable that hangs holds its tension already.
    const bool acts = state != nullptr && m.properties.cable_length == 0;
    m.spans =
        spans_between(m.properties.length, mass.cuts(id), acts ? &(*state)[id] : nullptr, nullptr);
    mass.fill(id, m);
    if (state != nullptr && strings) string_of(m, acts ? &(*state)[id] : nullptr);
  });
  if (mass.on_nodes()) {
    input.nodal = IndexedVector<NodeId, Matrix6d>(system.model().nodes.size(), Matrix6d::Zero());
    for (const NodeId n : system.model().nodes.ids()) {
      input.nodal[n].diagonal().head<3>() = mass.on_node(n);
    }
  }
  return input;
}

int least_functions(int frame_size, int planes, int modes, int asked) {
  const int missing = 2 * modes - frame_size - planes;
  const int least = planes > 0 && missing > 0 ? missing / planes + 2 : 0;
  return std::clamp(std::max(least, asked), 0, kMostFunctions);
}

ModeProblem::Counts first_counts(const ModeProblem::Input& input, int least) {
  ModeProblem::Counts counts(input.members.size(), FunctionCounts{});
  for (const MemberId id : counts.ids()) {
    const ModeMember& m = input.members[id];
    bool acts = false, massive = false;
    for (const ModeSpan& s : m.spans) {
      acts = acts || s.stays != std::array<double, 3>{} || s.grows != std::array<double, 3>{};
      massive = massive || s.mass.start > 0 || s.mass.end > 0;
    }
    massive = (massive || !m.point_mass.empty()) && !m.lumped && input.driver == Driver::mass;
    for (const Family f : kFamilies) {
      if (!has_functions(m, input.driver, f) || !(acts || massive)) continue;
      const bool bends = f == Family::bending_z || f == Family::bending_y;
      if (!massive && (!bends || m.string > 0)) continue;
      counts[id][static_cast<std::size_t>(f)] = std::max(bends ? 1 : 0, least);
    }
  }
  return counts;
}

}  // namespace ulterix
