// Free vibration: reference problems M1–M6, free structures, repeated modes, participation.
#include "core/analysis/modal.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "support/frame_builder.hpp"

namespace ulterix::testing::modal_test {
namespace {

/// What the number of functions is chosen for.
constexpr double kFunctions = 1e-6;

Step vibrate(FrameBuilder& b, const AnalysisSpec& options = {}) {
  AnalysisSpec spec = options;
  spec.name = "modal";
  spec.become(AnalysisKind::modal);
  b.model.analyses = {spec};
  const RunResult r = run(b.model);
  for (const Step& s : r.steps) {
    if (s.analysis == "modal") return s;
  }
  return {};
}

const ModalResult& modes_of(const Step& step) {
  EXPECT_NE(step.modal, nullptr) << step.outcome.reason;
  return *step.modal;
}

void expect_certified(const ModalResult& r) {
  EXPECT_TRUE(r.certificate.complete())
      << r.certificate.found << " found, " << r.certificate.count.value_or(-1) << " counted";
  for (const VibrationMode& m : r.modes) {
    EXPECT_LT(m.residual, 1e-8);
    EXPECT_LE(m.error, kFunctions);
    if (m.omega > 0) {
      // Floors a hundred million times stiffer than columns leave no more digits.
      EXPECT_RELATIVE(m.rayleigh, m.omega, 1e-6);
    }
  }
}

/// A beam along x with EI = L = ρA = 1, no axial give.
struct Beam {
  FrameBuilder b{Plane::xz};
  NodeId left, right;
  MemberId member;

  explicit Beam(const SectionProperties& p = bending_only(1, 1e6), double density = 1e-6) {
    left = b.node("left", 0, 0, 0);
    right = b.node("right", 1, 0, 0);
    member = b.member("beam", left, right, b.section(p), b.material(1, 1 / 2.6, density));
  }
};

TEST(Modal, M1CantileverAndSimpleBeam) {
  {
    Beam c;
    c.b.fix(c.left, {0, 2, 4});
    AnalysisSpec spec;
    spec.become<ModalKeys>().modes = 5;
    const Step step = vibrate(c.b, spec);
    const ModalResult& r = modes_of(step);
    expect_certified(r);
    const std::vector<double> beta = {1.875104068711961, 4.694091132974174, 7.854757438237613,
                                      10.995540734875467, 14.137168391046471};
    for (int n = 0; n < 5; ++n) {
      EXPECT_RELATIVE(r.modes[n].omega, beta[n] * beta[n], kFunctions);
      const double error = r.modes[n].omega / (beta[n] * beta[n]) - 1;
      EXPECT_NEAR(r.modes[n].error, error, 0.1 * error + 1e-11);
    }
    // M5: per cent of the whole mass across the beam.
    EXPECT_NEAR(100 * *r.modes[0].mass[2] / r.total[2], 61.3076, 1e-3);
  }
  Beam s;
  s.b.fix(s.left, {0, 2});
  s.b.fix(s.right, {2});
  AnalysisSpec spec;
  spec.become<ModalKeys>().modes = 5;
  const Step step = vibrate(s.b, spec);
  for (int n = 1; n <= 5; ++n) {
    EXPECT_RELATIVE(modes_of(step).modes[n - 1].omega, std::pow(n * M_PI, 2), kFunctions);
  }
}

TEST(Modal, RestraintsAreRankedForTheLowestFrequencyAndTried) {
  const auto lowest = [](double spring, int tries) {
    Beam c;
    c.b.fix(c.left, {0, 2, 4});
    if (spring > 0) c.b.spring(c.right, 2, spring);
    AnalysisSpec spec;
    spec.become<ModalKeys>().modes = 1;
    spec.become<ModalKeys>().try_restraints = tries;
    return modes_of(vibrate(c.b, spec));
  };
  const ModalResult r = lowest(0, 1);
  ASSERT_EQ(r.gains.size(), 1u);
  EXPECT_EQ(r.gains[0].direction, 2);
  const double h = 1e-3;
  const double change = lowest(h, 0).modes[0].frequency() - r.modes[0].frequency();
  EXPECT_RELATIVE(r.gains[0].derivative, change / h, 1e-2);
  EXPECT_RELATIVE(*r.gains[0].held, std::pow(3.926602312047919, 2) / (2 * M_PI), kFunctions);
}

TEST(Modal, TheHandFormulaStandsBesideAndMissingModesAreCounted) {
  Beam c;
  c.b.fix(c.left, {0, 2, 4});
  AnalysisSpec spec;
  spec.become<ModalKeys>().modes = 2;
  const ModalResult r = modes_of(vibrate(c.b, spec));
  // Deflection of a cantilever under its weight: ω² = 162/13.
  EXPECT_RELATIVE(*r.by_hand[2], std::sqrt(162.0 / 13), 1e-3);
  EXPECT_FALSE(r.by_hand[1].has_value());
  // Effective mass 61.3, 18.8, 6.5, 3.3, 2.0 per cent: the fifth mode passes 90.
  EXPECT_EQ(r.enough[2], 5);
  spec.become<ModalKeys>().modes = 5;
  EXPECT_EQ(modes_of(vibrate(c.b, spec)).enough[2], 0);
}

TEST(Modal, M2MastWithATipMassIsExactAndHasOneMode) {
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 3);
  b.member("mast", A, B, b.section(bending_only(2e-5, 1e-2)), b.material(210e9, 81e9));
  b.fix(A, {0, 2, 4});
  b.model.mass.nodes = {{B, {250, 0, 0}}};
  const Step step = vibrate(b);
  const ModalResult& r = modes_of(step);
  ASSERT_EQ(r.modes.size(), 1u);
  EXPECT_RELATIVE(r.modes[0].omega, std::sqrt(3 * 210e9 * 2e-5 / (250 * 27)), kExact);
  EXPECT_TRUE(r.certificate.complete());
  EXPECT_RELATIVE(*r.by_hand[0], r.modes[0].omega, kExact);  // one mass: Rayleigh's method is exact
  EXPECT_RELATIVE(*r.modes[0].mass[0], 250, kExact);
  EXPECT_FALSE(r.modes[0].mass[2].has_value());  // no mass that way
  ASSERT_EQ(r.remarks.size(), 1u);
  EXPECT_EQ(r.remarks[0], "10 modes requested, only 1 exist: no more mass can move");
}

TEST(Modal, M3ShearFrame) {
  // n storeys of lumped mass on columns between rigid floors: k = 2·12EI/h³.
  const int n = 6;
  const double h = 3, m = 4e3, EI = 210e9 * 1e-5, k = 24 * EI / (h * h * h);
  FrameBuilder b(Plane::xz);
  const MaterialId steel = b.material(210e9, 81e9);
  const SectionId column = b.section(bending_only(1e-5, 1e4)),
                  floor = b.section(bending_only(1e3, 1e4));
  NodeId left = b.node("l", 0, 0, 0), right = b.node("r", 5, 0, 0);
  b.fix(left, {0, 2, 4});
  b.fix(right, {0, 2, 4});
  for (int i = 1; i <= n; ++i) {
    const NodeId l = b.node("l", 0, 0, h * i), r = b.node("r", 5, 0, h * i);
    b.member("c", left, l, column, steel);
    b.member("c", right, r, column, steel);
    b.member("f", l, r, floor, steel);
    b.model.mass.nodes.push_back({l, {m, 0, 0}});
    left = l;
    right = r;
  }
  AnalysisSpec spec;
  spec.become<ModalKeys>().modes = n;
  const Step step = vibrate(b, spec);
  const ModalResult& r = modes_of(step);
  expect_certified(r);
  double sum = 0;
  for (int j = 1; j <= n; ++j) {
    const double omega = 2 * std::sqrt(k / m) * std::sin((2 * j - 1) * M_PI / (2 * (2 * n + 1)));
    EXPECT_RELATIVE(r.modes[j - 1].omega, omega, 1e-5);
    sum += *r.modes[j - 1].mass[0];
  }
  EXPECT_RELATIVE(sum, n * m, 1e-9);
  EXPECT_RELATIVE(r.movable[0], n * m, 1e-6);
}

TEST(Modal, M4AxialForceLowersAndRaisesFrequencies) {
  for (const double part : {0.5, 0.9, -0.7}) {
    Beam s;
    s.b.fix(s.left, {0, 2});
    s.b.fix(s.right, {2});
    s.b.nodal_load(s.right, 0, -part * M_PI * M_PI);
    AnalysisSpec second, spec;
    second.name = "second";
    second.become(AnalysisKind::p_delta);
    second.loads = {s.b.model.case_alone(CaseId(0))};
    spec.name = "modal";
    spec.become(AnalysisKind::modal);
    spec.become<ModalKeys>().modes = 1;
    spec.after.analysis = "second";
    spec.after.loads = "G";
    s.b.model.analyses = {second, spec};
    const RunResult r = run(s.b.model);
    const Step* step = r.find("modal", "G");
    ASSERT_NE(step, nullptr);
    EXPECT_RELATIVE(modes_of(*step).modes[0].omega, M_PI * M_PI * std::sqrt(1 - part), kFunctions);
  }
}

TEST(Modal, M5EffectiveMassesSumToWhatCanMove) {
  Beam c;
  c.b.fix(c.left, {0, 2, 4});
  c.b.model.mass.lumped = true;
  AnalysisSpec spec;
  spec.become<ModalKeys>().modes = 300;
  const Step step = vibrate(c.b, spec);
  const ModalResult& r = modes_of(step);
  double sum = 0;
  for (const VibrationMode& m : r.modes) sum += m.mass[2].value_or(0);
  EXPECT_RELATIVE(sum, r.movable[2], 1e-6);
  EXPECT_LT(r.movable[2], r.total[2]);  // half a piece rests on the support
  EXPECT_RELATIVE(r.total[2], 1, kExact);
}

TEST(Modal, M6RotaryInertiaAndShear) {
  const double h = 0.1;  // of L = 1; nu = 0.3
  const std::vector<std::vector<double>> reference = {{0.983573084, 0.939656681, 0.879858932},
                                                      {0.995912859, 0.983945714, 0.964924658},
                                                      {0.987411282, 0.952318811, 0.901322090}};
  for (int kind = 0; kind < 3; ++kind) {
    const bool rotary = kind != 2, shear = kind != 1;
    FrameBuilder b(Plane::xz);
    SectionProperties p;
    p.A = h;  // of unit width
    p.Iy = p.Iz = h * h * h / 12;
    p.J = 1;
    if (shear) p.Avz = 5.0 / 6 * p.A;
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 1, 0, 0);
    b.member("m", A, B, b.section(p), b.material(1, 1 / 2.6, 1));
    b.fix(A, {0, 2});
    b.fix(B, {0, 2});  // no axial modes between
    b.model.mass.rotary = rotary;
    AnalysisSpec spec;
    spec.become<ModalKeys>().modes = 6;
    const Step step = vibrate(b, spec);
    const ModalResult& r = modes_of(step);
    int n = 0;
    for (const VibrationMode& m : r.modes) {
      if (m.shape.only_rotations || n == 3) continue;
      double across = 0, along = 0;
      for (const Vector3d& u : m.shape.axes[MemberId(0)]) {
        across = std::max(across, std::abs(u[2]));
        along = std::max(along, std::abs(u[0]));
      }
      if (along > across) continue;  // an axial mode
      const double omega0 = std::pow((n + 1) * M_PI, 2) * std::sqrt(p.Iy / p.A);
      EXPECT_NEAR(m.omega / omega0, reference[kind][n], kFunctions) << kind << ' ' << n;
      ++n;
    }
    EXPECT_EQ(n, 3);
  }
}

TEST(Modal, AFreeBeamHasItsRigidMotionsFirst) {
  Beam f;
  AnalysisSpec spec;
  spec.become<ModalKeys>().modes = 5;
  const Step step = vibrate(f.b, spec);
  const ModalResult& r = modes_of(step);
  EXPECT_EQ(r.rigid, 3);  // two translations and a rotation in the plane
  EXPECT_EQ(r.modes[0].omega, 0);
  EXPECT_EQ(r.modes[2].omega, 0);
  EXPECT_RELATIVE(r.modes[3].omega, std::pow(4.730040744862704, 2), kFunctions);
  EXPECT_TRUE(r.certificate.complete());
}

TEST(Modal, RepeatedModesOfEqualTowers) {
  for (const int towers : {2, 4}) {
    FrameBuilder b(Plane::space);
    const MaterialId m = b.material(210e9, 81e9, 7850);
    SectionProperties p = bending_only(1e-5, 1e-3);
    p.J = 1e-5;
    const SectionId s = b.section(p);
    for (int i = 0; i < towers; ++i) {
      const NodeId A = b.node("A", 4 * i, 0, 0), B = b.node("B", 4 * i, 0, 6);
      b.member("mast", A, B, s, m);
      b.fix_all(A);
      b.model.mass.nodes.push_back({B, Vector3d::Constant(500)});
    }
    AnalysisSpec spec;
    spec.become<ModalKeys>().modes = 2 * towers;
    const Step step = vibrate(b, spec);
    const ModalResult& r = modes_of(step);
    expect_certified(r);
    for (int i = 1; i < 2 * towers; ++i) {
      EXPECT_RELATIVE(r.modes[i].omega, r.modes[0].omega, 1e-8);
    }
    EXPECT_EQ(r.certificate.count, 2 * towers);
  }
}

TEST(Modal, AsManyModesAsReachAParticipation) {
  Beam c;
  c.b.fix(c.left, {0, 2, 4});
  AnalysisSpec spec;
  spec.become<ModalKeys>().modes = 1;
  spec.become<ModalKeys>().until = {0, 0, 90};
  const Step step = vibrate(c.b, spec);
  const ModalResult& r = modes_of(step);
  double sum = 0;
  for (const VibrationMode& m : r.modes) sum += *m.mass[2];
  EXPECT_GE(sum, 0.9 * r.total[2]);
  EXPECT_LT(r.modes.size(), 12u);
}

TEST(Modal, MassComesFromLoadsNodesAndChosenDirections) {
  Beam s;
  s.b.fix(s.left, {0, 2});
  s.b.fix(s.right, {2});
  s.b.model.gravity = 10;
  s.b.uniform(s.member, 2, -30);  // 3 kg/m
  s.b.nodal_load(s.right, force6(5, 0, -20));
  s.b.model.mass.from_loads = {{CaseId(0), 0.5}};
  const Step step = vibrate(s.b);
  const ModalResult& r = modes_of(step);
  EXPECT_RELATIVE(r.total[2], 1 + 1.5 + 1, kExact);
  EXPECT_RELATIVE(r.nodal_mass[s.right][0], 0.5 * 2.5 + 1, kExact);
  EXPECT_RELATIVE(r.modes[0].omega, M_PI * M_PI / std::sqrt(2.5), kFunctions);
  s.b.model.mass.directions = {true, false, false};
  const Step only_x = vibrate(s.b);
  EXPECT_NEAR(modes_of(only_x).total[2], 0, 1e-12);
  EXPECT_RELATIVE(modes_of(only_x).total[0], 3.5, kExact);
}

TEST(Modal, NothingWithMassIsTold) {
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 3);
  b.member("mast", A, B, b.section(bending_only(2e-5, 1e-2)), b.material(210e9, 81e9));
  b.fix(A, {0, 2, 4});
  EXPECT_EQ(vibrate(b).outcome.verdict, Verdict::no_mass);
}

}  // namespace
}  // namespace ulterix::testing::modal_test
