// Creep and shrinkage of staged frames, against values of EN 1992-1-1 worked by hand and closed
// forms of the age-adjusted effective modulus.
#include "core/analysis/creep.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "support/erection.hpp"

namespace ulterix::testing::creep_test {
namespace {

constexpr double kE = 33e9;

/// C30/37, 150 mm, 80 %.
ConcreteAgeing dock_concrete() {
  ConcreteAgeing c;
  c.fck = 30e6;
  c.notional = 0.15;
  c.humidity = 0.8;
  return c;
}

// Worked by hand from B.1 to B.9: phi_RH 1.33326, beta(fcm) 2.72532, beta(t0) 0.488449,
// beta_H 572.84.
TEST(Concrete, CreepCoefficientOfAnnexB) {
  EXPECT_NEAR(creep_coefficient(dock_concrete(), 1e14, 28), 1.77482, 2e-4);
  EXPECT_NEAR(creep_coefficient(dock_concrete(), 28 + 365, 28), 1.33722, 2e-4);
  EXPECT_EQ(creep_coefficient(dock_concrete(), 28, 28), 0);
  // Up to fcm = 35 MPa strength does not count beside the size: phi_RH = 1 + 0.2/0.531329
  // = 1.376415, beta(fcm) = 16.8/sqrt(33) = 2.924504.
  ConcreteAgeing weak = dock_concrete();
  weak.fck = 25e6;
  EXPECT_NEAR(creep_coefficient(weak, 1e14, 28), 1.376415 * 2.924504 * 0.488449, 3e-4);
  // Fast cement counts as older: t0 = 7·(9/(2 + 7^1.2) + 1) = 12.109 days.
  ConcreteAgeing fast = dock_concrete();
  fast.cement = CementClass::R;
  EXPECT_NEAR(creep_coefficient(fast, 1e14, 7) / creep_coefficient(dock_concrete(), 1e14, 12.109),
              1, 1e-4);
}

// beta_RH 0.7564, basic drying strain 268.953e-6, kh 0.925; autogenous 50e-6 in the end.
TEST(Concrete, ShrinkageOfAnnexB) {
  EXPECT_NEAR(shrinkage_strain(dock_concrete(), 1e14, 7), 298.78e-6, 0.03e-6);
  EXPECT_NEAR(shrinkage_strain(dock_concrete(), 372, 7), 256.03e-6, 0.03e-6);
}

/// 300 x 300, soft in shear or not.
struct Site {
  FrameBuilder b;
  SectionId column;
  MaterialId concrete, steel;
  explicit Site(bool shear = false) {
    Section s;
    s.name = "column";
    s.shape = Shape::rectangle;
    s.dimensions.h = s.dimensions.b = 0.3;
    s.properties = section_properties(s.shape, s.dimensions);
    if (!shear) s.properties.Avy = s.properties.Avz = 0;
    column = b.model.sections.push_back(s);
    concrete = b.material(kE, kE / 2.4, 2500);
    b.model.materials[concrete].fck = 30e6;
    steel = b.material(210e9, 81e9, 7850);
  }
};

CreepKeys keys_of(bool shrinks = false) {
  CreepKeys keys;
  keys.humidity = 0.8;
  keys.age = 28;
  keys.shrinks = shrinks;
  return keys;
}

/// An erection in which days pass.
struct Waiting : Erection {
  using Erection::Erection;
  void wait(double days) {
    const LoadCase items = *spec.loads.back().items;
    stage({}, items).days = days;
  }
  RunResult run(const CreepKeys& creep) {
    spec.become<StagedKeys>().creep = creep;
    for (std::size_t k = 0; k < spec.loads.size(); ++k) {
      spec.loads[k].bends = crept_loads(b.model, spec, k);
    }
    return Erection::run();
  }
};

/// Of the elastic strain with Ecm.
double phi(double t, double t0) {
  return creep_coefficient(dock_concrete(), t, t0) / 1.05;
}

const Step& stage_of(const RunResult& r, int k) {
  return *r.find("erection", "S" + std::to_string(k));
}

TEST(Creep, AColumnShortens) {
  Site site;
  FrameBuilder& b = site.b;
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 4);
  const MemberId id = b.member("column", A, B, site.column, site.concrete);
  b.fix(A, {0, 2, 4});
  LoadCase first, second;
  first.nodal.push_back({B, force6(0, 0, -9e5), 0});
  second.nodal.push_back({B, force6(0, 0, -5e5), 0});
  Waiting erection(b);
  erection.stage({id}, first);
  erection.wait(100);
  erection.stage({}, second);
  erection.wait(1000);
  for (const bool shrinks : {false, true}) {
    b.model.analyses.clear();
    const RunResult r = erection.run(keys_of(shrinks));
    const double k = 4 / (kE * 0.09);
    const auto shrunk = [&](double days) {
      return shrinks ? 4 * (shrinkage_strain(dock_concrete(), 28 + days, 28) -
                            shrinkage_strain(dock_concrete(), 28, 28))
                     : 0;
    };
    const auto down = [&](int stage) { return -stage_of(r, stage).state.nodes[B].translation[2]; };
    EXPECT_RELATIVE(down(1), 9e5 * k, 1e-12);
    EXPECT_RELATIVE(down(2), 9e5 * k * (1 + phi(128, 28)) + shrunk(100), 1e-10);
    EXPECT_RELATIVE(down(3), down(2) - 4e5 * k, 1e-10);
    EXPECT_RELATIVE(down(4),
                    9e5 * k * (1 + phi(1128, 28)) - 4e5 * k * (1 + phi(1128, 128)) + shrunk(1100),
                    1e-10);
    EXPECT_RELATIVE(stage_of(r, 4).reactions[A][2], 5e5, 1e-10);
    EXPECT_LT(stage_of(r, 4).equilibrium.nodes, 1e-10);
    EXPECT_TRUE(r.remarks.empty());  // 9e5 N on 0.09 m² are a third of fck
  }
}

// 0.45 fck is 13.5 MPa: 1.0 MN over the kern's edge are 22 MPa at one face.
TEST(Creep, HighCompressionIsRemarked) {
  Site site;
  FrameBuilder& b = site.b;
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 4);
  const MemberId id = b.member("column", A, B, site.column, site.concrete);
  b.fix(A, {0, 2, 4});
  LoadCase load;
  load.nodal.push_back({B, force6(0, 0, -1e6, 0, 1e6 * 0.3 / 6, 0), 0});
  Waiting erection(b);
  erection.stage({id}, load);
  erection.wait(100);
  const RunResult r = erection.run(keys_of());
  ASSERT_EQ(r.remarks.size(), 1u);
  EXPECT_NE(r.remarks[0].find("column is compressed to 0.74 fck"), std::string::npos)
      << r.remarks[0];
}

// A column of concrete beside one of steel hands its load over and shrinks away from it.
TEST(Creep, ConcreteBesideSteel) {
  for (const bool shrinks : {false, true}) {
    Site site;
    FrameBuilder& b = site.b;
    const NodeId A = b.node("A", 0, 0, 0), G = b.node("G", 0, 0, 0), B = b.node("B", 0, 0, 5);
    SectionProperties rod;
    rod.A = 6e-3;
    const MemberId concrete = b.member("concrete", A, B, site.column, site.concrete);
    const MemberId steel = b.member("steel", G, B, b.section(rod), site.steel);
    for (const MemberId id : {concrete, steel}) b.model.members[id].kind = MemberKind::axial;
    for (const NodeId n : {A, G}) b.fix(n, {0, 2});
    b.fix(B, {0});
    LoadCase load;
    load.nodal.push_back({B, force6(0, 0, -1e6), 0});
    Waiting erection(b);
    erection.stage({concrete, steel}, load);
    erection.wait(3000);
    const RunResult r = erection.run(keys_of(shrinks));
    const double kc = kE * 0.09, ks = 210e9 * 6e-3, p = phi(3028, 28);
    const double before = 1e6 * kc / (kc + ks);
    const double shrunk = shrinks ? shrinkage_strain(dock_concrete(), 3028, 28) -
                                        shrinkage_strain(dock_concrete(), 28, 28)
                                  : 0;
    // Both shorten by the same; what the one loses the other gains.
    const double lost = (p * before / kc + shrunk) / (1 / ks + (1 + 0.8 * p) / kc);
    EXPECT_RELATIVE(stage_of(r, 1).reactions[A][2], before, 1e-10);
    EXPECT_RELATIVE(stage_of(r, 2).reactions[A][2], before - lost, 1e-10);
    EXPECT_RELATIVE(stage_of(r, 2).reactions[G][2], 1e6 - before + lost, 1e-10);
  }
}

// A support under the end of a loaded cantilever takes φ/(1 + χφ) of what it would have had from
// the start.
TEST(Creep, APropUnderACantilever) {
  Site site;
  FrameBuilder& b = site.b;
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 6, 0, 0);
  const MemberId beam = b.member("beam", A, B, site.column, site.concrete);
  b.fix(A, {0, 2, 4});
  LoadCase load;
  load.distributed.push_back(
      {beam, force6(0, 0, -8e3), force6(0, 0, -8e3), 0, 6, LoadAxes::global});
  Support under;
  under.node = B;
  under.directions[2].stiffness = kRigid;
  Waiting erection(b);
  erection.stage({beam}, load);
  erection.stage({}, load).supports = {under};
  erection.wait(400);
  erection.wait(5000);
  const RunResult r = erection.run(keys_of());
  const double q = 8e3, L = 6, p = phi(428, 28), part = p / (1 + 0.8 * p);
  EXPECT_LT(std::abs(stage_of(r, 2).reactions[B][2]), 1e-6);
  EXPECT_RELATIVE(stage_of(r, 3).reactions[B][2], part * 3 * q * L / 8, 1e-9);
  EXPECT_RELATIVE(Recovery(stage_of(r, 3)).line(beam).at(0).forces[kMy],
                  -q * L * L / 2 + part * 3 * q * L * L / 8, 1e-9);
  // A second interval: what has come so far creeps on.
  const double X = 3 * q * L / 8, one = part;
  const double more = phi(5428, 28) - p, gradual = phi(5428, 28) - phi(428, 28);
  const double two = (more - one * 0.8 * gradual) / (1 + 0.8 * phi(5428, 428));
  EXPECT_RELATIVE(stage_of(r, 4).reactions[B][2], (one + two) * X, 1e-9);
  EXPECT_LT(stage_of(r, 4).equilibrium.reactions, 1e-10);
}

// A frame of one concrete under loads that stay keeps its forces and goes down by 1 + φ all over.
TEST(Creep, AFrameOfOneConcreteKeepsItsForces) {
  for (const bool hinged : {false, true}) {
    Site site(true);
    FrameBuilder& b = site.b;
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 4), C = b.node("C", 6, 0, 4.5),
                 D = b.node("D", 6, 0, 0);
    const std::vector<MemberId> all = {b.member("AB", A, B, site.column, site.concrete),
                                       b.member("BC", B, C, site.column, site.concrete),
                                       b.member("DC", D, C, site.column, site.concrete)};
    if (hinged) b.model.members[all[1]].joints[1][4] = 0;
    b.fix(A, {0, 2, 4});
    b.fix(D, {0, 2});
    LoadCase load;
    for (const MemberId id : all) {
      const double L = b.model.length(id);
      load.self_weight.push_back({id, 1});
      load.points.push_back({id, force6(2e3, 0, -9e3, 0, 4e3), 0.3 * L, LoadAxes::global});
      load.distributed.push_back(
          {id, force6(0, 0, -9e3), force6(500, 0, -2e3), 0.2 * L, 0.8 * L, LoadAxes::global});
    }
    load.nodal.push_back({B, force6(3e4, 0, 0), 0});
    Waiting erection(b);
    erection.stage(all, load);
    erection.wait(700);
    const RunResult r = erection.run(keys_of());
    const Step &young = stage_of(r, 1), &old = stage_of(r, 2);
    EXPECT_LT(difference(old, young, all), 1e-10);
    const double grown = 1 + phi(728, 28);
    for (const NodeId n : b.model.nodes.ids()) {
      const Vector6d u = grown * young.state.nodes[n].vector();
      EXPECT_LT((old.state.nodes[n].vector() - u).norm(),
                1e-9 * young.state.nodes[C].vector().norm());
    }
    // Between the ends, too, across the axis.
    for (const MemberId id : all) {
      const MemberLine before = Recovery(young).line(id), after = Recovery(old).line(id);
      for (const double x : {0.1, 0.3, 0.55, 0.9}) {
        const Vector3d u = before.at(x * before.length()).displacement;
        const Vector3d v = after.at(x * before.length()).displacement;
        EXPECT_NEAR(v[2], grown * u[2], 1e-10 + 1e-8 * std::abs(u[2])) << x;
      }
    }
  }
}

// Loads that come at different times, and go, bend a beam by what each has crept.
TEST(Creep, LoadsOfDifferentAgesBendABeam) {
  Site site;
  FrameBuilder& b = site.b;
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 5, 0, 0);
  const MemberId beam = b.member("beam", A, B, site.column, site.concrete);
  b.fix(A, {0, 2});
  b.fix(B, {2});
  const double L = 5, EI = kE * 0.3 * 0.3 * 0.3 * 0.3 / 12, q = 9e3, P = 2e4;
  LoadCase uniform, both, point;
  uniform.distributed.push_back({beam, force6(0, 0, -q), force6(0, 0, -q), 0, L, LoadAxes::global});
  point.points.push_back({beam, force6(0, 0, -P), L / 2, LoadAxes::global});
  both = uniform;
  both.points = point.points;
  Waiting erection(b);
  erection.stage({beam}, uniform);
  erection.wait(50);
  erection.stage({}, both);
  erection.wait(200);
  erection.stage({}, point);
  erection.wait(900);
  const RunResult r = erection.run(keys_of());
  const auto middle = [&](int stage) {
    return -Recovery(stage_of(r, stage)).line(beam).at(L / 2).displacement[2];
  };
  const double wq = 5 * q * std::pow(L, 4) / (384 * EI), wp = P * std::pow(L, 3) / (48 * EI);
  EXPECT_RELATIVE(middle(1), wq, 1e-10);
  EXPECT_RELATIVE(middle(2), wq * (1 + phi(78, 28)), 1e-10);
  EXPECT_RELATIVE(middle(4), wq * (1 + phi(278, 28)) + wp * (1 + phi(278, 78)), 1e-10);
  EXPECT_RELATIVE(middle(6), wq * (phi(1178, 28) - phi(1178, 278)) + wp * (1 + phi(1178, 78)),
                  1e-9);
  EXPECT_RELATIVE(Recovery(stage_of(r, 6)).line(beam).at(L / 2).forces[kMy], P * L / 4, 1e-10);
}

// What comes later is built between nodes that creep has moved, and is younger.
TEST(Creep, AStoreyOnACreptStorey) {
  Site site;
  FrameBuilder& b = site.b;
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 3), C = b.node("C", 0, 0, 6);
  const MemberId low = b.member("low", A, B, site.column, site.concrete);
  const MemberId high = b.member("high", B, C, site.column, site.concrete);
  b.fix(A, {0, 2, 4});
  LoadCase first, second;
  first.nodal.push_back({B, force6(0, 0, -6e5), 0});
  second = first;
  second.nodal.push_back({C, force6(0, 0, -3e5), 0});
  Waiting erection(b);
  erection.stage({low}, first);
  erection.wait(60);
  erection.stage({high}, second);
  erection.wait(500);
  const RunResult r = erection.run(keys_of());
  const double k = 3 / (kE * 0.09);
  const double at_B = 6e5 * k * (1 + phi(588, 28)) + 3e5 * k * (1 + phi(588, 88));
  const Step& last = stage_of(r, 4);
  EXPECT_RELATIVE(-last.state.nodes[B].translation[2], at_B, 1e-9);
  // The top counts from where it was when it came, at its drawn place.
  const double before = 6e5 * k * (1 + phi(88, 28));
  EXPECT_RELATIVE(-last.state.nodes[C].translation[2], at_B - before + 3e5 * k * (1 + phi(528, 28)),
                  1e-9);
}

}  // namespace
}  // namespace ulterix::testing::creep_test
