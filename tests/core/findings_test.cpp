// What a hard look at the program showed, each against a closed form: axial loads inside members,
// mass of loads, lumped mass, effective lengths by axis, loads near the critical one, equal modes,
// modes up to a participation, holds, kinds of modes, warping, levels.
#include <gtest/gtest.h>

#include <cmath>

#include "core/analysis/buckling.hpp"
#include "core/analysis/modal.hpp"
#include "core/results/storeys.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::findings_test {
namespace {

/// What functions are chosen for.
constexpr double kFunctions = 1e-6;

AnalysisSpec spec_of(const std::string& name, AnalysisKind kind, const Model& model, int modes) {
  AnalysisSpec spec;
  spec.name = name;
  spec.become(kind);
  if (kind != AnalysisKind::modal) spec.loads = {model.case_alone(CaseId(0))};
  if (kind == AnalysisKind::buckling) spec.become<BucklingKeys>().modes = modes;
  if (kind == AnalysisKind::modal) spec.become<ModalKeys>().modes = modes;
  return spec;
}

const Step& step_of(const RunResult& r, const std::string& analysis) {
  for (const Step& s : r.steps) {
    if (s.analysis == analysis) return s;
  }
  throw std::runtime_error("no analysis " + analysis);
}

RunResult buckle(FrameBuilder& b, int modes = 3) {
  b.load_case();
  b.model.analyses = {spec_of("stability", AnalysisKind::buckling, b.model, modes)};
  return run(b.model);
}

RunResult vibrate(FrameBuilder& b, int modes) {
  b.model.analyses = {spec_of("modes", AnalysisKind::modal, b.model, modes)};
  return run(b.model);
}

/// An upright cantilever column of 10 m.
struct Cantilever {
  FrameBuilder b{Plane::xz};
  NodeId foot, head;
  MemberId member;
  double EI = 210e9 * 2e-5, L = 10;

  explicit Cantilever(double density = 0) {
    foot = b.node("foot", 0, 0, 0);
    head = b.node("head", 0, 0, L);
    member = b.member("c", foot, head, b.section(bending_only(2e-5, 5e-3)),
                      b.material(210e9, 81e9, density));
    b.fix(foot, {0, 2, 4});
  }
};

TEST(N1, AxialForceOnTheMemberOfACantilever) {
  for (const double a : {0.1, 0.2, 0.45, 0.5, 0.77, 0.9, 1.0}) {
    Cantilever c;
    c.b.point(c.member, a * c.L, force6(0, 0, -1e5));
    const RunResult r = buckle(c.b);
    const Step& step = step_of(r, "stability");
    ASSERT_TRUE(step.buckling) << step.outcome.reason;
    const BucklingMode& m = step.buckling->modes.front();
    const double exact = M_PI * M_PI * c.EI / (4 * a * a * c.L * c.L * 1e5);
    EXPECT_RELATIVE(m.factor, exact, kFunctions) << a;
    EXPECT_LE(std::abs(m.factor / exact - 1), 1.2 * m.error + 1e-9) << a;
    EXPECT_TRUE(step.buckling->certificate.complete());
    AnalysisSpec fine = spec_of("stability", AnalysisKind::buckling, c.b.model, 1);
    fine.become<BucklingKeys>().functions = 6;
    c.b.model.analyses = {fine};
    EXPECT_RELATIVE(step_of(run(c.b.model), "stability").buckling->lowest(), exact, 1e-8) << a;
  }
}

/// The state under a load at 0.9 L stands in P-Delta, and vibrates: its frequency goes to zero with
/// the load's distance from the critical one, as that of the same frame cut at the load.
TEST(N1, VibrationAboutAForceInsideAMember) {
  const auto omega = [](bool cut) {
    FrameBuilder b(Plane::xz);
    const NodeId foot = b.node("foot", 0, 0, 0), head = b.node("head", 0, 0, 10);
    const SectionId s = b.section(bending_only(2e-5, 5e-3));
    const MaterialId steel = b.material(210e9, 81e9, 7850);
    b.fix(foot, {0, 2, 4});
    const double P = 1.27e5;  // the critical one is 1.279e5
    if (cut) {
      const NodeId at = b.node("at", 0, 0, 9);
      b.member("lower", foot, at, s, steel);
      b.member("upper", at, head, s, steel);
      b.nodal_load(at, 2, -P);
    } else {
      b.point(b.member("c", foot, head, s, steel), 9, force6(0, 0, -P));
    }
    AnalysisSpec second = spec_of("second", AnalysisKind::p_delta, b.model, 0);
    AnalysisSpec modes = spec_of("modes", AnalysisKind::modal, b.model, 3);
    modes.after.analysis = "second";
    modes.after.loads = "G";
    b.model.analyses = {second, modes};
    const RunResult r = run(b.model);
    EXPECT_TRUE(step_of(r, "second").outcome.stands());
    const Step& step = step_of(r, "modes");
    EXPECT_TRUE(step.outcome.stands()) << step.outcome.reason;
    return step.modal ? step.modal->modes.front().omega : 0;
  };
  EXPECT_RELATIVE(omega(false), omega(true), 2e-6);
}

struct MasslessBeam {
  NodeId left, right;
  MemberId beam;
};

/// A pinned beam without density, under a gravity of 10 m/s².
MasslessBeam massless_beam(FrameBuilder& b, double L) {
  const NodeId left = b.node("left", 0, 0, 0), right = b.node("right", L, 0, 0);
  const MemberId beam =
      b.member("beam", left, right, b.section(bending_only(2e-5, 5e-3)), b.material(210e9, 81e9));
  b.fix(left, {0, 2});
  b.fix(right, {2});
  b.model.gravity = 10;
  return {left, right, beam};
}

/// M7: a massless pinned beam with the mass of a point load at a: ω² = 3EI·L/(m·a²(L − a)²).
TEST(N2, ThePointLoadsMassStaysWhereItIs) {
  for (const double a : {0.1, 0.3, 0.5, 0.8}) {
    FrameBuilder b(Plane::xz);
    const double L = 6, EI = 210e9 * 2e-5;
    const auto [left, right, beam] = massless_beam(b, L);
    b.point(beam, a * L, force6(0, 0, -5000));  // 500 kg
    b.model.mass.from_loads = {{CaseId(0), 1.0}};
    b.model.mass.directions = {false, false, true};
    const RunResult r = vibrate(b, 1);
    const double x = a * L;
    EXPECT_RELATIVE(step_of(r, "modes").modal->modes.front().omega,
                    std::sqrt(3 * EI * L / (500 * x * x * (L - x) * (L - x))), kFunctions)
        << a;
  }
}

TEST(N2, LoadByLoadAndUpToWhereALoadChangesItsSign) {
  FrameBuilder b(Plane::xz);
  const double L = 10;
  const auto [left, right, beam] = massless_beam(b, L);
  // −10 kN/m to +10 kN/m: 5 m of a triangle of 1000 kg/m at its end.
  b.distributed(beam, force6(0, 0, -1e4), force6(0, 0, 1e4), 0, L);
  b.uniform(beam, 2, 3e3);  // lifts, and takes nothing away
  b.nodal_load(right, 2, -2e4);
  b.nodal_load(right, 2, 5e4);  // as little
  b.model.mass.from_loads = {{CaseId(0), 1.0}};
  const RunResult r = vibrate(b, 2);
  const ModalResult& modal = *step_of(r, "modes").modal;
  EXPECT_RELATIVE(modal.total[2], 2500 + 2000, kExact);
  // The triangle's centre lies at a third of 5 m.
  EXPECT_RELATIVE(modal.nodal_mass[left][2], 2500 * (1 - 5.0 / 3 / L), kExact);
}

/// M8: half of the mast's mass at its tip; and the digits do not depend on how many modes are
/// asked.
TEST(N3, LumpedMeansAtTheJoints) {
  Cantilever c(7850);
  c.b.model.mass.lumped = true;
  c.b.model.mass.directions = {true, false, false};
  const double half = 7850 * 5e-3 * c.L / 2;
  for (const int modes : {1, 2, 5}) {
    const RunResult r = vibrate(c.b, modes);
    const ModalResult& modal = *step_of(r, "modes").modal;
    ASSERT_EQ(modal.modes.size(), 1u);
    EXPECT_RELATIVE(modal.modes[0].omega, std::sqrt(3 * c.EI / (c.L * c.L * c.L * half)), kExact);
    const double consistent = 3.516015269 * std::sqrt(c.EI / (2 * half / c.L)) / (c.L * c.L);
    ASSERT_TRUE(modal.lumped_against_consistent);
    EXPECT_NEAR(*modal.lumped_against_consistent, modal.modes[0].omega / consistent - 1, 1e-6);
  }
}

TEST(N5, AnAxisHasALengthOnlyFromAModeThatBendsIt) {
  FrameBuilder b(Plane::space);
  SectionProperties p = bending_only(4e-5, 5e-3);
  p.Iz = 1e-5;
  p.J = 1;
  const NodeId foot = b.node("foot", 0, 0, 0), head = b.node("head", 0, 0, 5);
  b.member("c", foot, head, b.section(p), b.material(210e9, 81e9));
  b.fix_all(foot);
  b.nodal_load(head, 2, -1e5);
  const RunResult r = buckle(b, 3);
  const auto& modes = step_of(r, "stability").buckling->modes;
  // π²EIz/4L², π²EIy/4L², then 9·π²EIz/4L².
  ASSERT_GE(modes.size(), 3u);
  EXPECT_FALSE(modes[0].lengths[0].K_y);
  EXPECT_RELATIVE(*modes[0].lengths[0].K_z, 2, kFunctions);
  EXPECT_TRUE(modes[0].lengths[0].recommended_z);
  EXPECT_FALSE(modes[1].lengths[0].K_z);
  EXPECT_RELATIVE(*modes[1].lengths[0].K_y, 2, kFunctions);
  EXPECT_TRUE(modes[1].lengths[0].recommended_y);
  EXPECT_FALSE(modes[1].lengths[0].recommended_z);
  EXPECT_FALSE(modes[2].lengths[0].recommended());
}

TEST(N6, SetsOfModesOfOneColumnAreProven) {
  for (const int modes : {1, 2, 3, 12, 40}) {
    Cantilever c(7850);
    c.b.nodal_load(c.head, 2, -1e4);
    const RunResult b = buckle(c.b, modes);
    const Step& buckled = step_of(b, "stability");
    EXPECT_TRUE(buckled.buckling->certificate.complete()) << modes;
    ASSERT_GE(buckled.buckling->modes.size(), std::size_t(modes));
    const double last = M_PI * (modes - 0.5) / c.L;
    EXPECT_RELATIVE(buckled.buckling->modes[std::size_t(modes - 1)].factor,
                    last * last * c.EI / 1e4, kFunctions);
    const RunResult v = vibrate(c.b, modes);
    EXPECT_TRUE(step_of(v, "modes").modal->certificate.complete()) << modes;
  }
}

/// More modes than functions can follow are not handed out as sure.
TEST(N6, MoreModesThanFunctionsCanFollowAreUnreliable) {
  Cantilever c;
  c.b.nodal_load(c.head, 2, -1e4);
  const RunResult r = buckle(c.b, 110);
  const Step& step = step_of(r, "stability");
  EXPECT_EQ(step.outcome.verdict, Verdict::unreliable);
  EXPECT_NE(step.outcome.reason.find("need more than"), std::string::npos) << step.outcome.reason;
}

/// A portal near its critical load, whose axial forces move as it sways.
TEST(N7, NearTheCriticalLoadPDeltaStands) {
  FrameBuilder b(Plane::xz);
  const MaterialId m = b.material(210e9, 81e9);
  const SectionId s = b.section(bending_only(1e-5, 5e-3));
  const auto [A, B, C, D] = b.portal(5, 4, s, s, m);
  b.fix(A, {0, 2, 4});
  b.fix(D, {0, 2, 4});
  b.nodal_load(B, force6(3e3, 0, -2e5));
  b.nodal_load(C, force6(0, 0, -2e5));
  const auto at = [&](double factor) {
    Model model = b.model;
    AnalysisSpec spec = spec_of("second", AnalysisKind::p_delta, model, 0);
    spec.loads[0].terms[0].second = factor;
    model.analyses = {spec};
    const RunResult r = run(model);
    return step_of(r, "second");
  };
  // Where it ends, by bisection on the program's own word.
  double low = 1, high = 10;
  for (int i = 0; i < 30; ++i) {
    const double middle = (low + high) / 2;
    (at(middle).outcome.stands() ? low : high) = middle;
  }
  EXPECT_LT(high - low, 1e-6 * high);
  for (const double part : {0.9, 0.99, 0.995, 0.999}) {
    const Step step = at(part * low);
    EXPECT_TRUE(step.outcome.stands()) << part << ' ' << step.outcome.reason;
    EXPECT_LT(step.equilibrium.nodes, 1e-6);
  }
  const Step above = at(1.0005 * high);
  EXPECT_EQ(above.outcome.verdict, Verdict::above_critical_load) << above.outcome.reason;
  EXPECT_LT(above.outcome.stands_at, above.outcome.fails_at);
  const auto first = above.outcome.reason.find("stands at "),
             second = above.outcome.reason.find("no longer at ");
  ASSERT_NE(first, std::string::npos);
  ASSERT_NE(second, std::string::npos);
  EXPECT_NE(above.outcome.reason.substr(first + 10, 5),
            above.outcome.reason.substr(second + 13, 5));
}

/// M9: a square mast with a tip mass, turned in plan by its roll: x and y take one mode each.
TEST(N8, EqualModesAreTurnedToWhatTheyMove) {
  for (const double roll : {0.0, 0.4}) {
    FrameBuilder b(Plane::space);
    const NodeId foot = b.node("foot", 0, 0, 0), head = b.node("head", 0, 0, 6);
    SectionProperties p = bending_only(1e-5, 1e-3);
    b.member("mast", foot, head, b.section(p), b.material(210e9, 81e9), roll);
    b.fix_all(foot);
    b.model.mass.nodes.push_back({head, Vector3d::Constant(500)});
    for (const int modes : {1, 2}) {
      const RunResult r = vibrate(b, modes);
      const ModalResult& modal = *step_of(r, "modes").modal;
      ASSERT_EQ(modal.modes.size(), 2u);  // the partner of the last one comes along
      EXPECT_EQ(modal.modes[0].equal, 2);
      EXPECT_RELATIVE(*modal.modes[0].mass[0], 500, 1e-9);
      EXPECT_NEAR(*modal.modes[0].mass[1], 0, 1e-6);
      EXPECT_RELATIVE(*modal.modes[1].mass[1], 500, 1e-9);
    }
  }
}

TEST(N9, TheFewestModesThatReachAParticipationAndAHintThatHolds) {
  Cantilever c(7850);
  c.b.fix(c.head, {2});
  // Effective mass 61.3, 18.8, 6.5, 3.3, 2.0 per cent: the fifth mode passes 90.
  AnalysisSpec spec = spec_of("modes", AnalysisKind::modal, c.b.model, 0);
  for (const auto& [per_cent, count] :
       std::vector<std::pair<double, std::size_t>>{{60, 1}, {80, 2}, {86, 3}, {90, 5}}) {
    spec.become<ModalKeys>().until = {per_cent, 0, 0};
    c.b.model.analyses = {spec};
    const RunResult r = run(c.b.model);
    EXPECT_EQ(step_of(r, "modes").modal->modes.size(), count) << per_cent;
  }
  const RunResult few = vibrate(c.b, 2);
  const int hint = step_of(few, "modes").modal->enough[0];
  const auto reached = [&](int modes) {
    const RunResult r = vibrate(c.b, modes);
    double sum = 0;
    for (const VibrationMode& m : step_of(r, "modes").modal->modes) sum += *m.mass[0];
    return sum / step_of(r, "modes").modal->total[0];
  };
  EXPECT_GE(reached(hint), 0.9);
  EXPECT_LT(reached(hint - 1), 0.9);
}

TEST(N11, HoldsServeEveryKind) {
  Cantilever c(7850);
  c.b.nodal_load(c.head, force6(1000, 0, -5e4));
  Hold hold;
  hold.node = c.head;
  hold.directions[0] = true;
  for (const AnalysisKind kind : {AnalysisKind::first_order, AnalysisKind::p_delta}) {
    AnalysisSpec spec = spec_of("held", kind, c.b.model, 0);
    spec.holds = {hold};
    c.b.model.analyses = {spec};
    const RunResult r = run(c.b.model);
    const Step& step = step_of(r, "held");
    ASSERT_TRUE(step.outcome.stands());
    EXPECT_EQ(step.state.nodes[c.head].translation[0], 0);
    EXPECT_RELATIVE(step.reactions[c.head][0], -1000, kExact);  // the hold takes the load
    EXPECT_LT(step.equilibrium.nodes, kExact);
    EXPECT_LT(step.equilibrium.reactions, kExact);
    // The baseline of all other analyses stays as it is; this one has its own.
    EXPECT_GT(step_of(r, "first-order").state.nodes[c.head].translation[0], 0.05);
    ASSERT_NE(r.own_baseline(step), nullptr);
    EXPECT_EQ(r.own_baseline(step)->state.nodes[c.head].translation[0], 0);
  }
  AnalysisSpec modes = spec_of("held", AnalysisKind::modal, c.b.model, 1);
  modes.holds = {hold};
  c.b.model.analyses = {modes};
  c.b.model.mass.directions = {true, false, false};
  const RunResult r = run(c.b.model);
  EXPECT_RELATIVE(step_of(r, "held").modal->modes[0].omega,
                  std::pow(3.926602312047919, 2) / 100 * std::sqrt(c.EI / (7850 * 5e-3)), 2e-6);
}

TEST(N12, WhatAnAnalysisStandsOnRunsWithIt) {
  Cantilever c(7850);
  c.b.nodal_load(c.head, 2, -5e4);
  AnalysisSpec second = spec_of("second", AnalysisKind::p_delta, c.b.model, 0);
  AnalysisSpec modes = spec_of("m", AnalysisKind::modal, c.b.model, 1);
  modes.after.analysis = "second";
  modes.after.loads = "G";
  c.b.model.analyses = {second, modes};
  const RunResult r = run(c.b.model, {"m"});
  EXPECT_TRUE(step_of(r, "m").outcome.stands()) << step_of(r, "m").outcome.reason;
  EXPECT_TRUE(step_of(r, "second").outcome.stands());
}

TEST(N15, NoRatioOfRounding) {
  Cantilever c;
  c.b.nodal_load(c.head, 2, -1e4);  // nothing sways
  Watch watch;
  watch.name = "sway";
  watch.place.text = "head.ux";
  watch.place.node = c.head;
  c.b.model.watches = {watch};
  const RunResult r = c.b.run();
  const auto& rows = r.comparisons[std::size_t(&step_of(r, "p-delta") - r.steps.data())];
  for (const ComparisonRow& row : rows) {
    if (row.kind != ComparisonRow::Kind::watched) continue;
    EXPECT_FALSE(row.ratio) << *row.ratio;
  }
}

TEST(N18, KindsOfModesAreToldRight) {
  // A column held sideways at both ends bows between them, also where P-Delta gives way.
  FrameBuilder b(Plane::space);
  SectionProperties p = bending_only(4e-5, 5e-3);
  p.Iz = 1.3e-5;
  p.J = 1e-3;
  const NodeId foot = b.node("foot", 0, 0, 0), head = b.node("top", 0, 0, 5);
  b.member("c", foot, head, b.section(p), b.material(210e9, 81e9));
  b.fix(foot, {0, 1, 2, 5});
  b.fix(head, {0, 1});
  b.nodal_load(head, 2, -1.2e6);  // π²EIz/L² is 1.08e6
  const RunResult r = buckle(b, 3);
  const auto& modes = step_of(r, "stability").buckling->modes;
  EXPECT_EQ(modes[0].kind, "between the ends about z, 1 half wave");
  EXPECT_EQ(modes[1].kind, "between the ends about y, 1 half wave");
  EXPECT_EQ(modes[2].kind, "between the ends about z, 2 half waves");
  const RunResult second = b.run();
  const std::string reason = step_of(second, "p-delta").outcome.reason;
  EXPECT_NE(reason.find("nearest buckling mode: between the ends about z"), std::string::npos)
      << reason;
}

/// B15, and a run of two members held in twist at its ends alone.
TEST(N19, WarpingHoldsOpenSections) {
  SectionProperties p = bending_only(4e-5, 5e-3);
  p.Iz = 3.9e-5;
  p.J = 1e-7;
  p.Iw = 2e-7;
  const double E = 210e9, G = 81e9, L = 5, r2 = (p.Iy + p.Iz) / p.A;
  for (const int parts : {1, 2}) {
    FrameBuilder b(Plane::space);
    NodeId below = b.node("foot", 0, 0, 0);
    b.fix(below, {0, 1, 2, 5});
    for (int i = 1; i <= parts; ++i) {
      const NodeId above = b.node("n" + std::to_string(i), 0, 0, L * i / parts);
      b.member("c" + std::to_string(i), below, above, b.section(p), b.material(E, G));
      b.model.members[MemberId(i - 1)].section = SectionId(0);
      b.model.members[MemberId(i - 1)].material = MaterialId(0);
      below = above;
    }
    b.fix(below, {0, 1, 5});
    b.nodal_load(below, 2, -1e5);
    const double exact = (G * p.J + M_PI * M_PI * E * p.Iw / (L * L)) / r2 / 1e5;
    const RunResult r = buckle(b, 3);
    const BucklingResult& result = *step_of(r, "stability").buckling;
    EXPECT_RELATIVE(result.torsion_limit, exact, 1e-9);
    ASSERT_GE(result.modes.size(), 2u);
    EXPECT_EQ(result.modes[0].kind.substr(0, 9), "torsional");
    EXPECT_RELATIVE(result.modes[0].factor, exact, kFunctions) << parts;
    // It does not hide how the column bends.
    bool bends = false;
    for (const BucklingMode& m : result.modes) bends = bends || !m.kind.starts_with("torsional");
    EXPECT_TRUE(bends);
    // P-Delta takes the section to give way at the same load.
    const auto second = [&](double factor) {
      FrameBuilder loaded = b;
      for (NodalLoad& n : loaded.load_case().nodal) n.force *= factor;
      const RunResult run = loaded.run();
      return step_of(run, "p-delta").outcome.stands();
    };
    EXPECT_TRUE(second(0.99 * exact));
    EXPECT_FALSE(second(1.01 * exact));
  }
}

/// Girders at slightly different heights are one level; a storey is not 5 mm high.
TEST(N20, NearbyElevationsAreOneLevel) {
  FrameBuilder b(Plane::xz);
  const SectionId s = b.section(bending_only(4e-5, 5e-3));
  const MaterialId steel = b.material(210e9, 81e9);
  std::vector<NodeId> below;
  for (int x = 0; x <= 3; ++x) {
    below.push_back(b.node("f" + std::to_string(x), 6 * x, 0, 0));
    b.fix(below.back(), {0, 2, 4});
  }
  for (int z = 1; z <= 2; ++z) {
    std::vector<NodeId> level;
    for (int x = 0; x <= 3; ++x) {
      level.push_back(b.node("n" + std::to_string(10 * z + x), 6 * x, 0, 3.5 * z + 0.015 * x));
      b.member("c", below[std::size_t(x)], level.back(), s, steel);
      if (x > 0) b.member("g", level[std::size_t(x - 1)], level.back(), s, steel);
    }
    b.nodal_load(level.front(), force6(1e4, 0, -1e5));
    below = level;
  }
  const std::vector<Level> levels = find_levels(b.model);
  ASSERT_EQ(levels.size(), 3u);
  EXPECT_NEAR(levels[1].elevation, 3.5, 0.05);
  EXPECT_NEAR(levels[2].elevation, 7, 0.05);
  const RunResult r = b.run();
  const auto& rows = r.storeys[0];
  ASSERT_EQ(rows.size(), 2u);
  EXPECT_NEAR(rows[0].shear, 2e4, 1);
  EXPECT_NEAR(rows[1].shear, 1e4, 1);
  for (const StoreyRow& row : rows) EXPECT_LT(*row.index, 0.3);
}

/// B16 in buckling: π²EI/4L² of a cantilever of n equal members, or unreliable.
TEST(B16, ChainsBuckleAsOne) {
  for (const int pieces : {1, 10, 100, 1000, 3000}) {
    FrameBuilder b(Plane::xz);
    const SectionId s = b.section(bending_only(2e-5, 5e-3));
    const MaterialId steel = b.material(210e9, 81e9);
    NodeId below = b.node("n", 0, 0, 0);
    b.fix(below, {0, 2, 4});
    for (int i = 1; i <= pieces; ++i) {
      const NodeId above = b.node("n", 0, 0, 10.0 * i / pieces);
      b.member("c", below, above, s, steel);
      below = above;
    }
    b.nodal_load(below, 2, -1e4);
    const RunResult r = buckle(b, 2);
    const Step& step = step_of(r, "stability");
    if (step.outcome.verdict == Verdict::unreliable) {
      EXPECT_GT(pieces, 1000) << step.outcome.reason;
      continue;
    }
    ASSERT_TRUE(step.buckling) << pieces << ' ' << step.outcome.reason;
    EXPECT_RELATIVE(step.buckling->lowest(), M_PI * M_PI * 210e9 * 2e-5 / 400 / 1e4, kFunctions)
        << pieces;
  }
}

/// M10: torsion of a shaft of one member, fixed-free: ω = (π/2L)·√(G·J/(ρ·(Iy + Iz))).
TEST(M10, AShaftOfOneMemberTwists) {
  FrameBuilder b(Plane::space);
  SectionProperties p = bending_only(1e-4, 1e-2);
  p.J = 1e-7;
  const NodeId foot = b.node("foot", 0, 0, 0), head = b.node("head", 4, 0, 0);
  b.member("shaft", foot, head, b.section(p), b.material(210e9, 81e9, 7850));
  b.fix_all(foot);
  b.fix(head, {0, 1, 2});
  const RunResult r = vibrate(b, 3);
  const auto& modes = step_of(r, "modes").modal->modes;
  for (int k = 1; k <= 3; ++k) {
    EXPECT_RELATIVE(modes[std::size_t(k - 1)].omega,
                    (2 * k - 1) * M_PI / 8 * std::sqrt(81e9 * p.J / (7850 * 2e-4)), kFunctions);
  }
}

}  // namespace
}  // namespace ulterix::testing::findings_test
