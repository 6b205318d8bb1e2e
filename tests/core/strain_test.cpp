// Heat, lack of fit, preload and moving supports as loads of a case.
#include <gtest/gtest.h>

#include <cmath>

#include "core/element/catenary.hpp"
#include "core/element/cut_cables.hpp"
#include "core/results/modes.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::strain_test {
namespace {

constexpr double kE = 210e9, kAlpha = 12e-6;

AnalysisSpec analysis(const Model& model, const std::string& name, AnalysisKind kind,
                      double factor = 1) {
  AnalysisSpec spec;
  spec.name = name;
  spec.become(kind);
  spec.loads = {model.case_alone(CaseId(0))};
  spec.loads[0].terms[0].second = factor;
  return spec;
}

/// The one load case in first-order, P-Delta ("second") and large displacement ("large").
RunResult run_all(FrameBuilder& b, double factor = 1) {
  b.load_case();
  b.model.analyses = {analysis(b.model, "second", AnalysisKind::p_delta, factor),
                      analysis(b.model, "large", AnalysisKind::large_displacement, factor)};
  return run(b.model);
}

struct Bar {
  FrameBuilder b;
  NodeId A, B;
  MemberId bar;
  SectionProperties p = rolled_section();

  explicit Bar(Plane plane = Plane::xz, double length = 4) : b(plane) {
    const MaterialId steel = b.material(kE, 81e9, 7850);
    A = b.node("A", 0, 0, 0);
    B = b.node("B", length, 0, 0);
    bar = b.member("bar", A, B, b.section(p), steel);
  }
  MemberStrain& strain() {
    b.load_case().strains.push_back({});
    b.load_case().strains.back().member = bar;
    return b.load_case().strains.back();
  }
};

/// What a test looks at in each theory.
template <class Look>
void in_every_theory(const RunResult& r, const Look& look) {
  for (const char* name : {"first-order", "second", "large"}) {
    SCOPED_TRACE(name);
    const Step& step = *r.find(name, "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    look(Reader(r, name));
  }
}

TEST(Strain, HeatBetweenWallsPresses) {
  Bar f;
  f.b.fix_all(f.A);
  f.b.fix_all(f.B);
  f.strain().warm = 25;
  const double N = -kE * f.p.A * kAlpha * 25;
  in_every_theory(run_all(f.b), [&](const Reader& r) {
    EXPECT_RELATIVE(r.force(f.bar, kN, 1.7), N, kExact);
    EXPECT_RELATIVE(r.reaction(f.A, 0), -N, kExact);
  });
}

TEST(Strain, HeatOfAFreeBarOnlyMovesIt) {
  Bar f;
  f.b.fix_all(f.A);
  f.strain().warm = 25;
  in_every_theory(run_all(f.b), [&](const Reader& r) {
    EXPECT_RELATIVE(r.u(f.B, 0), kAlpha * 25 * 4, kExact);
    EXPECT_NEAR(r.force(f.bar, kN, 2), 0, 1e-3);
    EXPECT_RELATIVE(r.line(f.bar).at(1).displacement[0], kAlpha * 25, kExact);
  });
}

TEST(Strain, AWarmerTopBendsAHeldBeamDown) {
  // Held ends: tension on the cooler side, sagging where the top is warmer.
  Bar f;
  f.b.fix_all(f.A);
  f.b.fix_all(f.B);
  f.strain().gradient[1] = 80;
  const RunResult r = run_all(f.b);
  in_every_theory(r, [&](const Reader& read) {
    EXPECT_RELATIVE(read.force(f.bar, kMy, 1.3), kE * f.p.Iy * kAlpha * 80, kExact);
    EXPECT_NEAR(read.line(f.bar).at(2).displacement[2], 0, 1e-12);
  });
  // The propped cantilever: 3/2 of it at the wall, nothing at the prop.
  Bar g;
  g.b.fix_all(g.A);
  g.b.fix(g.B, {2});
  g.strain().gradient[1] = 80;
  const RunResult s = run_all(g.b);
  const double flexible = 3 * kE * g.p.Iy / (81e9 * g.p.Avz * 16);
  const double M = 1.5 * kE * g.p.Iy * kAlpha * 80 / (1 + flexible);
  EXPECT_RELATIVE(Reader(s, "first-order").force(g.bar, kMy, 0), M, kExact);
  EXPECT_NEAR(Reader(s, "first-order").force(g.bar, kMy, 4), 0, 1e-6 * M);
}

TEST(Strain, AnEvenGradientBendsACantileverToAnArc) {
  // Without a force anywhere, in both planes at once; exact for any size.
  for (const double size : {1e-3, 0.8}) {
    Bar f(Plane::space);
    f.b.fix_all(f.A);
    MemberStrain& s = f.strain();
    s.gradient = {-0.6 * size / (4 * kAlpha), -0.8 * size / (4 * kAlpha)};  // turns by `size`
    RunResult r = run_all(f.b);
    const Reader large(r, "large");
    ASSERT_TRUE(large.step().outcome.stands()) << large.step().outcome.reason;
    const double radius = 4 / size, rise = radius * (1 - std::cos(size));
    EXPECT_NEAR(large.u(f.B, 0), radius * std::sin(size) - 4, 1e-6 * rise);
    EXPECT_RELATIVE(large.u(f.B, 1), 0.6 * rise, 1e-6);
    EXPECT_RELATIVE(large.u(f.B, 2), 0.8 * rise, 1e-6);
    EXPECT_RELATIVE(large.u(f.B, 4), -0.8 * size, 1e-6);
    const Reader first(r, "first-order");
    EXPECT_RELATIVE(first.u(f.B, 2), 0.8 * size * 4 / 2, kExact);
    EXPECT_RELATIVE(first.u(f.B, 5), 0.6 * size, kExact);
    EXPECT_NEAR(first.force(f.bar, kMy, 1), 0, 1e-6);
  }
}

TEST(Strain, TwistAndAGradientConvergeTogether) {
  // A twisted strip with a gradient: many pieces and few agree where their error says so.
  Bar f(Plane::space);
  f.b.fix_all(f.A);
  f.strain().gradient = {3000, -5000};
  f.b.nodal_load(f.B, force6(0, 0, 0, 9e3, 0, 0));
  std::vector<Vector6d> tips;
  for (const int pieces : {8, 16, 64}) {
    AnalysisSpec spec = analysis(f.b.model, "large", AnalysisKind::large_displacement);
    spec.become<LargeDisplacementKeys>().pieces = pieces;
    f.b.model.analyses = {spec};
    const RunResult r = run(f.b.model);
    tips.push_back(r.find("large", "G")->state.nodes[f.B].vector());
  }
  const double coarse = (tips[0] - tips[2]).norm(), fine = (tips[1] - tips[2]).norm();
  EXPECT_GT(tips[2].norm(), 0.1);
  EXPECT_LT(coarse, 1e-3 * tips[2].norm());
  EXPECT_LT(fine, coarse / 8);  // of fourth order
}

TEST(Strain, LackOfFitOfAMemberOrACase) {
  for (const bool in_case : {false, true}) {
    for (const MemberKind kind : {MemberKind::frame, MemberKind::axial, MemberKind::tension_only}) {
      Bar f;
      f.b.fix_all(f.A);
      f.b.fix_all(f.B);
      Member& m = f.b.model.members[f.bar];
      m.kind = kind;
      (in_case ? f.strain().lack_of_fit : m.lack_of_fit) = 0.002;
      const double factor = in_case ? 1.5 : 1;
      in_every_theory(run_all(f.b, factor), [&](const Reader& r) {
        EXPECT_RELATIVE(r.force(f.bar, kN, 2), factor * kE * f.p.A * 0.002 / 4, kExact);
      });
    }
  }
}

TEST(Strain, PreloadOfACaseIsThatOfTheMember) {
  // A tie between a post and the ground: what is left of the preload when the post has bent.
  const auto tie = [](bool in_case) {
    Bar f(Plane::xz, 3);
    f.b.fix_all(f.A);
    const NodeId head = f.b.node("head", 3, 0, 1);
    const MemberId post = f.b.member("post", f.B, head, SectionId(0), MaterialId(0));
    f.b.member("beam", f.A, head, SectionId(0), MaterialId(0));
    f.b.fix(head, {});
    const NodeId ground = f.b.node("ground", 3, 0, -2);
    const MemberId rod = f.b.member("rod", ground, f.B, SectionId(0), MaterialId(0));
    f.b.fix_all(ground);
    f.b.model.members[rod].kind = MemberKind::tension_only;
    f.b.load_case();
    if (in_case) {
      f.bar = rod;
      f.strain().preload = 8e4;
    } else {
      f.b.model.members[rod].preload = 8e4;
    }
    (void)post;
    const RunResult r = run_all(f.b);
    std::vector<double> forces;
    for (const char* name : {"first-order", "second", "large"}) {
      EXPECT_TRUE(r.find(name, "G")->outcome.stands());
      forces.push_back(Reader(r, name).force(rod, kN, 1));
    }
    return forces;
  };
  const auto of_member = tie(false), of_case = tie(true);
  for (std::size_t i = 0; i < of_member.size(); ++i) {
    EXPECT_RELATIVE(of_case[i], of_member[i], 1e-8);
    EXPECT_LT(of_case[i], 8e4);
    EXPECT_GT(of_case[i], 100);
  }
}

TEST(Strain, GroundMovedByACaseIsASettlement) {
  // Rigid and sprung, by a factor on the case; the reaction of a spring counts from the ground.
  const auto beam = [](bool in_case, bool sprung) {
    Bar f;
    f.b.fix_all(f.A);
    f.b.fix(f.B, {2, 4});
    Support& prop = f.b.model.supports.back();
    if (sprung) prop.directions[2].stiffness = 5e6;
    f.b.uniform(f.bar, 2, -8e3);
    if (in_case) {
      f.b.load_case().ground = {{f.B, 2, -0.004}, {f.B, 4, 0.001}};
    } else {
      prop.directions[2].settle = -0.008;
      prop.directions[4].settle = 0.002;
    }
    return std::pair(run_all(f.b, 2), f);
  };
  for (const bool sprung : {false, true}) {
    const auto [a, f] = beam(true, sprung);
    const auto [c, g] = beam(false, sprung);
    for (const char* name : {"first-order", "second", "large"}) {
      SCOPED_TRACE(name);
      const Reader x(a, name), y(c, name);
      ASSERT_TRUE(x.step().outcome.stands()) << x.step().outcome.reason;
      EXPECT_RELATIVE(x.reaction(f.B, 2), y.reaction(f.B, 2), 1e-8);
      EXPECT_RELATIVE(x.reaction(f.A, 4), y.reaction(f.A, 4), 1e-8);
      EXPECT_RELATIVE(x.u(f.B, 2), y.u(f.B, 2), 1e-8);
      EXPECT_RELATIVE(x.force(f.bar, kMy, 2), y.force(f.bar, kMy, 2), 1e-8);
      EXPECT_LT(x.step().equilibrium.nodes, 1e-9);
    }
  }
  // By hand: a fixed beam whose end settles by d: V = 12EI·d/L³.
  Bar f;
  f.p.Avz = f.p.Avy = 0;
  f.b.model.sections[SectionId(0)].properties = f.p;
  f.b.fix_all(f.A);
  f.b.fix_all(f.B);
  f.b.load_case().ground = {{f.B, 2, -0.004}};
  const RunResult r = run_all(f.b);
  EXPECT_RELATIVE(Reader(r, "first-order").reaction(f.B, 2), -12 * kE * f.p.Iy * 0.004 / 64,
                  kExact);
}

TEST(Strain, B13HeatedColumnBuckles) {
  FrameBuilder b;
  const MaterialId m = b.material(kE, 81e9);
  SectionProperties p = bending_only(1e-4, 1e-2);  // r = 0.1 m, L/r = 100
  const NodeId foot = b.node("A", 0, 0, 0), head = b.node("B", 0, 0, 10);
  const MemberId column = b.member("column", foot, head, b.section(p), m);
  b.fix(foot, {0, 2});
  b.fix(head, {0, 2});
  b.load_case().strains = {{column, 50, {0, 0}, 0, 0, 0}};
  AnalysisSpec spec = analysis(b.model, "stability", AnalysisKind::buckling);
  b.model.analyses = {spec};
  const RunResult r = run(b.model);
  const Step& step = *r.find("stability", "G");
  ASSERT_TRUE(step.buckling);
  EXPECT_RELATIVE(step.buckling->modes.front().factor, 1.644934067, 1e-8);
}

TEST(Strain, GradientUnderAxialForce) {
  // EI·w'' + P·w = EI·kappa between hinges: in the middle kappa/k²·(1 − sec(kL/2)).
  for (const double P : {-6e5, 9e5}) {
    Bar f;
    f.p.Avz = 0;
    f.b.model.sections[SectionId(0)].properties = f.p;
    f.b.fix(f.A, {0, 2});
    f.b.fix(f.B, {2});
    f.b.nodal_load(f.B, 0, P);
    f.strain().gradient[1] = 70;
    const RunResult r = run_all(f.b);
    const Reader read(r, "second");
    const double kappa = -kAlpha * 70, k = std::sqrt(std::abs(P) / (kE * f.p.Iy));
    const double w = P < 0 ? kappa / (k * k) * (1 - 1 / std::cos(2 * k))
                           : kappa / (k * k) * (1 / std::cosh(2 * k) - 1) * 1;
    EXPECT_RELATIVE(read.line(f.bar).at(2).displacement[2], w, 1e-8);
    EXPECT_RELATIVE(read.force(f.bar, kMy, 2), P * w, 1e-8);
  }
}

TEST(Strain, HeatSlackensATie) {
  // Between walls: taut by its preload, slack when heat has made it longer than its place.
  for (const double warm : {30.0, 100.0}) {
    Bar f;
    f.b.fix_all(f.A);
    f.b.fix_all(f.B);
    Member& m = f.b.model.members[f.bar];
    m.kind = MemberKind::tension_only;
    m.preload = 1e5;
    f.strain().warm = warm;
    const double left = 1e5 - kE * f.p.A * kAlpha * warm;
    const RunResult r = run_all(f.b);
    for (const char* name : {"second", "large"}) {
      EXPECT_NEAR(Reader(r, name).force(f.bar, kN, 2), std::max(left, 0.0), 1e-4) << name;
    }
    EXPECT_RELATIVE(Reader(r, "first-order").force(f.bar, kN, 2), left, kExact);
  }
}

TEST(Strain, HeatAndPreloadOfACableAreALength) {
  // A hanging cable that is warmed is one that was cut longer; a preload of a case one cut shorter.
  const auto hung = [](double warm, double preload, double cut) {
    Bar f(Plane::xz, 60);
    Member& m = f.b.model.members[f.bar];
    m.kind = MemberKind::cable;
    f.b.fix_all(f.A);
    f.b.fix_all(f.B);
    m.cut_length = cut;
    f.b.load_case().self_weight = {{f.bar, 1}};
    if (warm != 0) f.strain().warm = warm;
    if (preload != 0) f.strain().preload = preload;
    EXPECT_TRUE(cut_cables(f.b.model).empty());
    return std::pair(run_all(f.b), f.A);
  };
  const double weight = 7850 * 8e-3 * 9.80665;
  const auto reactions = [](const auto& pair, const char* name) {
    return pair.first.find(name, "G")->reactions[pair.second];
  };
  for (const char* name : {"second", "large"}) {
    SCOPED_TRACE(name);
    // Its weight stays: the warmer cable is lighter per length.
    const double warmer = 60.3 * (1 + kAlpha * 40);
    const Catenary by_hand(warmer, kE * 8e-3, Vector3d(0, 0, -weight * 60.3 / warmer),
                           Vector3d(60, 0, 0));
    const Vector6d r = reactions(hung(40, 0, 60.3), name);
    EXPECT_RELATIVE(-r[0], by_hand.start_tension()[0], 1e-8);
    EXPECT_RELATIVE(-r[2], by_hand.start_tension()[2], 1e-8);
    EXPECT_RELATIVE(-reactions(hung(0, 4e5, 60.3), name)[0], 4e5, 1e-8);
  }
}

}  // namespace
}  // namespace ulterix::testing::strain_test
