#include <gtest/gtest.h>

#include <boost/math/special_functions/ellint_1.hpp>
#include <boost/math/special_functions/ellint_2.hpp>
#include <boost/math/tools/toms748_solve.hpp>
#include <random>

#include "core/element/corotational_piece.hpp"
#include "core/model/local_axes.hpp"
#include "core/nonlinear/path_follower.hpp"
#include "core/system/piecewise_frame.hpp"
#include "support/building.hpp"

namespace ulterix::testing::large_displacement_test {
namespace {

using testing::FrameBuilder;
using testing::relative_error;
using testing::rolled_section;

AnalysisSpec large(const Model& model) {
  AnalysisSpec spec;
  spec.name = "large";
  spec.loads = {model.case_alone(CaseId(0))};
  spec.become<LargeDisplacementKeys>();
  return spec;
}

RunResult solve(FrameBuilder& b, const AnalysisSpec& spec) {
  b.model.analyses = {spec};
  return run(b.model);
}
RunResult solve(FrameBuilder& b) {
  return solve(b, large(b.model));
}

/// A rod that hardly stretches, in the xz plane or in space.
struct Rod {
  FrameBuilder b;
  SectionId section;
  MaterialId material;
  explicit Rod(Plane plane = Plane::xz, double EA = 1e8) : b(plane) {
    SectionProperties p;
    p.A = EA;
    p.Iy = p.Iz = 1;
    p.J = 1;
    section = b.section(p);
    material = b.material(1, 1);
  }
  MemberId member(NodeId a, NodeId c) { return b.member("m", a, c, section, material); }
};

TEST(LargeDisplacement, L1BentToACircleAndTwiceRound) {
  for (const int turns : {1, 2}) {
    Rod rod(Plane::xz, 1e5);
    const NodeId foot = rod.b.node("A", 0, 0, 0), tip = rod.b.node("B", 1, 0, 0);
    rod.member(foot, tip);
    rod.b.fix(foot, {0, 2, 4});
    rod.b.nodal_load(tip, 4, 2 * M_PI * turns);
    const RunResult r = solve(rod.b);
    const Step& step = *r.find("large", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    EXPECT_NEAR(step.state.nodes[tip].translation[0], -1, 1e-7);
    EXPECT_NEAR(step.state.nodes[tip].translation[2], 0, 1e-7);
    EXPECT_NEAR(step.state.nodes[tip].rotation[1], 2 * M_PI * turns, 1e-7);
    EXPECT_LT(step.equilibrium.nodes, 1e-9);
    for (const double x : {0.0, 0.3, 1.0}) {
      EXPECT_NEAR(Recovery(step).line(MemberId(0)).at(x).forces[4], -2 * M_PI * turns, 1e-6);
    }
  }
}

/// Cantilever elastica under a tip load (Bisshopp & Drucker 1945): modulus k from
/// K(k) − F(φ0, k) = √(PL²/EI), sin φ0 = 1/(k√2).
struct Elastica {
  double sag, shortening;
  explicit Elastica(double load) {
    using boost::math::ellint_1;
    using boost::math::ellint_2;
    const double root = std::sqrt(load);
    const auto off = [&](double k) {
      return ellint_1(k) - ellint_1(k, std::asin(1 / (k * M_SQRT2))) - root;
    };
    std::uintmax_t most = 200;
    const auto bracket = boost::math::tools::toms748_solve(
        off, M_SQRT1_2 + 1e-14, 1 - 1e-12, boost::math::tools::eps_tolerance<double>(52), most);
    const double k = (bracket.first + bracket.second) / 2, phi = std::asin(1 / (k * M_SQRT2));
    sag = 1 - 2 / root * (ellint_2(k) - ellint_2(k, phi));
    shortening = 1 - std::sqrt(2.0) / root * std::sqrt(2 * k * k - 1);
  }
};

TEST(LargeDisplacement, L2Elastica) {
  for (const double load : {1.0, 2.0, 5.0, 10.0}) {
    const Elastica exact(load);
    if (load == 1) {
      EXPECT_NEAR(exact.sag, 0.30172, 1e-5);
    }
    Rod rod(Plane::xz, 1e9);
    const NodeId foot = rod.b.node("A", 0, 0, 0), tip = rod.b.node("B", 1, 0, 0);
    rod.member(foot, tip);
    rod.b.fix(foot, {0, 2, 4});
    rod.b.nodal_load(tip, 2, -load);
    const RunResult r = solve(rod.b);
    const Step& step = *r.find("large", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason << " " << step.pieces;
    EXPECT_NEAR(-step.state.nodes[tip].translation[2], exact.sag, 2e-6);
    EXPECT_NEAR(-step.state.nodes[tip].translation[0], exact.shortening, 2e-6);
    EXPECT_LE(relative_error(-step.reactions[foot][4], load * (1 - exact.shortening)), 2e-6);
  }
}

constexpr double rise = 0.1;

/// Two flat bars of EA = 1 over a half span of 1, and the node where they meet.
std::pair<FrameBuilder, NodeId> two_bars() {
  FrameBuilder b;
  SectionProperties p;
  p.A = 1;
  const SectionId s = b.section(p);
  const MaterialId m = b.material(1, 1);
  const NodeId A = b.node("A", -1, 0, 0), B = b.node("B", 0, 0, rise), C = b.node("C", 1, 0, 0);
  for (const auto& [from, to] : {std::pair{A, B}, {B, C}}) {
    b.model.members[b.member("m", from, to, s, m)].kind = MemberKind::axial;
  }
  b.fix(A, {0, 2});
  b.fix(C, {0, 2});
  return {b, B};
}

TEST(LargeDisplacement, L3TwoBarSnapThrough) {
  auto [b, B] = two_bars();
  const double alpha = std::atan(rise);
  const double limit = 2 * std::pow(1 - std::pow(std::cos(alpha), 2.0 / 3), 1.5);
  EXPECT_LE(relative_error(limit, 3.810872e-4), 1e-6);
  b.nodal_load(B, 2, -2 * limit);
  const RunResult r = solve(b);
  const Step& step = *r.find("large", "G");
  ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
  // It passes both limit points and ends below, stable.
  std::vector<double> limits;
  for (const PathPoint& point : step.path) {
    if (point.event == PathEventKind::limit_point) limits.push_back(point.factor);
  }
  ASSERT_EQ(limits.size(), 2u);
  EXPECT_NEAR(limits[0], 0.5, 1e-6);
  EXPECT_NEAR(limits[1], -0.5, 1e-6);
  EXPECT_LT(step.state.nodes[B].translation[2], -2 * rise);
  // Every equilibrium on the path satisfies statics at the bent place.
  for (const PathPoint& point : step.path) {
    const double z = rise + point.state.nodes[B].translation[2], l = std::hypot(1, z);
    const double N = l / std::hypot(1, rise) - 1;
    EXPECT_NEAR(2 * N * z / l, point.factor * -2 * limit, 1e-12);
  }
}

TEST(LargeDisplacement, L4CircularBendInSpace) {
  // 45°, R = 100, in the horizontal plane; the tip load is vertical.
  for (const auto& [load, tip_at] : {std::pair<double, Vector3d>{300, {22.1125, 58.5357, 40.4808}},
                                     {600, {15.5577, 46.8916, 53.6080}}}) {
    FrameBuilder b(Plane::space);
    SectionProperties p;
    p.A = 1;
    p.Iy = p.Iz = 1.0 / 12;
    p.J = 0.140577;
    p.Avy = p.Avz = 5.0 / 6;
    const SectionId s = b.section(p);
    const MaterialId m = b.material(1e7, 5e6);
    constexpr int kParts = 16;
    std::vector<NodeId> nodes;
    for (int i = 0; i <= kParts; ++i) {
      const double t = M_PI / 4 * i / kParts;
      nodes.push_back(
          b.node("N" + std::to_string(i), 100 * (1 - std::cos(t)), 100 * std::sin(t), 0));
      if (i > 0) b.member("m" + std::to_string(i), nodes[nodes.size() - 2], nodes.back(), s, m);
    }
    b.fix_all(nodes[0]);
    b.nodal_load(nodes.back(), 2, load);
    AnalysisSpec spec = large(b.model);
    spec.become<LargeDisplacementKeys>().pieces = 2;
    const RunResult r = solve(b, spec);
    const Step& step = *r.find("large", "G");
    ASSERT_TRUE(step.has_state);
    const Vector3d at =
        b.model.nodes[nodes.back()].position + step.state.nodes[nodes.back()].translation;
    // The published axes: x along the chord's normal, y along the first tangent, z up.
    EXPECT_NEAR(at[2], tip_at[2], 1e-3 * tip_at[2]);
    EXPECT_NEAR(at[1], tip_at[1], 1e-3 * tip_at[1]);
    EXPECT_NEAR(at[0], tip_at[0], 3e-3 * tip_at[0]);
  }
}

TEST(LargeDisplacement, L5RightAngleFrame) {
  // Lee's frame, both legs of length 1, EA·L²/EI = 43 200.
  Rod rod(Plane::xz, 43200);
  FrameBuilder& b = rod.b;
  const NodeId foot = b.node("A", 0, 0, 0), corner = b.node("B", 0, 0, 1),
               at = b.node("P", 0.2, 0, 1), end = b.node("C", 1, 0, 1);
  rod.member(foot, corner);
  rod.member(corner, at);
  rod.member(at, end);
  b.fix(foot, {0, 2});
  b.fix(end, {0, 2});
  b.nodal_load(at, 2, -20);
  const RunResult r = solve(b);
  const Step& step = *r.find("large", "G");
  std::vector<const PathPoint*> limits;
  for (const PathPoint& point : step.path) {
    if (point.event == PathEventKind::limit_point) limits.push_back(&point);
  }
  ASSERT_GE(limits.size(), 2u) << step.outcome.reason;
  EXPECT_LE(relative_error(20 * limits[0]->factor, 18.5567), 5e-5);
  EXPECT_NEAR(-limits[0]->state.nodes[at].translation[2], 0.40616, 2e-3);
  EXPECT_NEAR(limits[0]->state.nodes[at].translation[0], 0.22406, 2e-3);
  EXPECT_LE(relative_error(20 * limits[1]->factor, -9.4213), 2e-3);
}

TEST(LargeDisplacement, L7ShallowToggle) {
  FrameBuilder b;
  SectionProperties p;
  const double psi = 6894.757293168, inch = 0.0254, lb = 4.4482216152605;
  const double width = 0.753 * inch, depth = 0.243 * inch;
  p.A = width * depth;
  p.Iy = p.Iz = width * depth * depth * depth / 12;
  const SectionId s = b.section(p);
  const MaterialId m = b.material(1.03e7 * psi, 4e6 * psi);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 12.943 * inch, 0, 0.386 * inch),
               C = b.node("C", 2 * 12.943 * inch, 0, 0);
  b.member("l", A, B, s, m);
  b.member("r", B, C, s, m);
  b.fix(A, {0, 2, 4});
  b.fix(C, {0, 2, 4});
  b.nodal_load(B, 2, -80 * lb);
  const RunResult r = solve(b);
  const Step& step = *r.find("large", "G");
  const auto limit = std::find_if(step.path.begin(), step.path.end(), [](const PathPoint& q) {
    return q.event == PathEventKind::limit_point;
  });
  ASSERT_NE(limit, step.path.end()) << step.outcome.reason;
  EXPECT_LE(relative_error(80 * limit->factor, 33.870), 1e-3);
  EXPECT_LE(relative_error(-limit->state.nodes[B].translation[2] / inch, 0.23216), 5e-3);
}

TEST(LargeDisplacement, SmallMotionIsFirstOrder) {
  // Everything that bends, hangs, hinges and settles; loads so small that squares vanish.
  FrameBuilder b(Plane::space);
  const SectionId s = b.section(rolled_section());
  const MaterialId m = b.material(210e9, 81e9, 7850);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 4), C = b.node("C", 6, 1, 4.5),
               D = b.node("D", 6, 0, 0), E = b.node("E", 6, 5, 4);
  b.member("AB", A, B, s, m, 0.3);
  const MemberId beam = b.member("BC", B, C, s, m);
  b.member("DC", D, C, s, m);
  const MemberId link = b.member("CE", C, E, s, m);
  const MemberId tie = b.member("AC", A, C, s, m);
  b.model.members[tie].kind = MemberKind::axial;
  b.model.members[beam].joints[1][4] = 0;
  b.model.members[beam].joints[0][5] = 4e6;
  b.model.members[link].joints[0] = {kRigid, kRigid, kRigid, kRigid, 0, 0};
  b.fix_all(A);
  b.fix(D, {0, 1, 2, 5});
  b.fix_all(E);
  b.spring(D, 4, 3e5);
  const double small = 1e-5;
  const auto six = [small](double fx, double fy, double fz, double mx, double my, double mz) {
    Vector6d v;
    v << fx, fy, fz, mx, my, mz;
    return Vector6d(small * v);
  };
  b.nodal_load(B, six(3e4, -2e4, -5e4, 1e3, 2e3, -3e3));
  b.distributed(beam, six(1e3, 2e3, -4e3, 0, 0, 0), six(0, -1e3, -8e3, 0, 0, 0), 1, 5);
  b.uniform(link, 2, -3e3 * small);
  b.point(beam, 2.5, six(1e3, 0, -9e3, 0, 4e3, 0));
  b.uniform(tie, 2, -500 * small);
  const RunResult r = solve(b);
  const Step &large_step = *r.find("large", "G"), &linear = r.baseline("G");
  ASSERT_TRUE(large_step.has_state) << large_step.outcome.reason;
  EXPECT_LT(large_step.equilibrium.reactions, 1e-7);
  double u = 0, du = 0;
  for (const NodeId n : b.model.nodes.ids()) {
    const Vector6d a = large_step.state.nodes[n].vector(), c = linear.state.nodes[n].vector();
    u = std::max(u, c.cwiseAbs().maxCoeff());
    du = std::max(du, (a - c).cwiseAbs().maxCoeff());
    EXPECT_LE((large_step.reactions[n] - linear.reactions[n]).norm(), 2e-6 * 5e4 * small);
  }
  EXPECT_LE(du, 1e-6 * u);
  for (const MemberId id : b.model.members.ids()) {
    const MemberLine a = Recovery(large_step).line(id), c = Recovery(linear).line(id);
    for (const double t : {0.0, 0.2, 0.37, 0.8, 1.0}) {
      const double x = t * a.length();
      EXPECT_LE((a.at(x).forces - c.at(x).forces).norm(), 1e-5 * 3e4 * small)
          << b.model.members[id].name << " at " << t;
      EXPECT_LE((a.at(x).displacement - c.at(x).displacement).norm(), 1e-5 * u)
          << b.model.members[id].name << " at " << t;
    }
  }
}

/// A column held at its foot, hinged to nothing: the Euler load is a branch point, located.
TEST(LargeDisplacement, BranchPointOfAColumn) {
  Rod rod(Plane::xz, 1e6);
  FrameBuilder& b = rod.b;
  const NodeId foot = b.node("A", 0, 0, 0), top = b.node("B", 0, 0, 1);
  rod.member(foot, top);
  b.fix(foot, {0, 2, 4});
  const double euler = M_PI * M_PI / 4;
  b.nodal_load(top, 2, -2 * euler);
  const RunResult r = solve(b);
  const Step& step = *r.find("large", "G");
  EXPECT_EQ(step.outcome.verdict, Verdict::branch_point);
  EXPECT_NEAR(step.outcome.stands_at, 0.5, 1e-5);  // the rod shortens by P/EA before it bends
  AnalysisSpec follow = large(b.model);
  follow.become<LargeDisplacementKeys>().follow_branch = true;
  const RunResult f = solve(b, follow);
  const Step& bent = *f.find("large", "G");
  ASSERT_TRUE(bent.outcome.stands()) << bent.outcome.reason;
  // Twice the Euler load: α at the tip from K(sin(α/2)) = √(P/EI)·L.
  const double root = std::sqrt(2 * euler);
  std::uintmax_t most = 100;
  const auto k = boost::math::tools::toms748_solve(
      [&](double modulus) { return boost::math::ellint_1(modulus) - root; }, 0.1, 1 - 1e-9,
      boost::math::tools::eps_tolerance<double>(50), most);
  const double alpha = 2 * std::asin(k.first);
  EXPECT_NEAR(std::abs(bent.state.nodes[top].rotation[1]), alpha, 2e-5);
  EXPECT_NEAR(std::abs(bent.state.nodes[top].translation[0]), 2 * k.first / root, 2e-5);
}

/// Displacement control passes what load control cannot, and lands on the same path.
TEST(LargeDisplacement, AStopBelowZeroReversesTheLoads) {
  for (const PathControl control :
       {PathControl::automatic, PathControl::load, PathControl::arc_length}) {
    auto [b, B] = two_bars();
    b.nodal_load(B, 2, -1e-3);
    AnalysisSpec up = large(b.model);
    up.become<LargeDisplacementKeys>().control = control;
    up.become<LargeDisplacementKeys>().stop_at_factor = -0.5;
    const RunResult r = solve(b, up);
    const Step& step = *r.find("large", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    EXPECT_EQ(step.state.lambda, -0.5);
    const double z = 0.1 + step.state.nodes[B].translation[2], l = std::hypot(1, z);
    EXPECT_NEAR(-2 * (l / std::hypot(1, 0.1) - 1) * z / l / 1e-3, -0.5, 1e-9);
    for (const PathPoint& p : step.path) EXPECT_LE(p.factor, 0);
  }
}

TEST(LargeDisplacement, ControlsLeadAlongOnePath) {
  auto [b, B] = two_bars();
  b.nodal_load(B, 2, -1e-3);
  AnalysisSpec led = large(b.model);
  LargeDisplacementKeys& keys = led.become<LargeDisplacementKeys>();
  keys.control = PathControl::displacement;
  keys.lead.node = B;
  keys.lead.component = 2;
  keys.lead_to = -0.15;
  const RunResult r = solve(b, led);
  const Step& step = *r.find("large", "G");
  ASSERT_TRUE(step.has_state);
  EXPECT_NEAR(step.state.nodes[B].translation[2], -0.15, 1e-12);
  const double z = 0.1 - 0.15, l = std::hypot(1, z), N = l / std::hypot(1, 0.1) - 1;
  EXPECT_NEAR(step.state.lambda, -2 * N * z / l / 1e-3, 1e-9);
  // Load control stops at the limit point.
  AnalysisSpec load = large(b.model);
  load.become<LargeDisplacementKeys>().control = PathControl::load;
  const RunResult l2 = solve(b, load);
  EXPECT_FALSE(l2.find("large", "G")->outcome.stands());
  EXPECT_LT(l2.find("large", "G")->state.lambda, 0.3810873);
}

/// Between first-order and large displacement, P-Delta: where motions are moderate the two
/// second-order answers agree to the square of the slopes.
TEST(LargeDisplacement, ModerateSwayIsPDelta) {
  FrameBuilder b(Plane::space);
  SectionProperties p = rolled_section();
  p.Avy = p.Avz = 0;  // stiff in shear
  const SectionId s = b.section(p);
  const MaterialId m = b.material(210e9, 81e9);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 4), C = b.node("C", 6, 0, 4),
               D = b.node("D", 6, 0, 0);
  b.member("AB", A, B, s, m);
  b.member("BC", B, C, s, m);
  b.member("DC", D, C, s, m);
  b.fix_all(A);
  b.fix_all(D);
  for (const NodeId n : {B, C}) b.nodal_load(n, 2, -4e5);
  b.nodal_load(B, 0, 5e3);
  for (const int d : {0, 1}) {
    // Sideways the weak axes bend, and the two moments meet in the columns: a coupling that
    // P-Delta does not have, in the strong direction.
    if (d == 1) b.nodal_load(B, 1, 2e3);
    AnalysisSpec second = large(b.model), finite = second;
    second.name = "second";
    second.become<PDeltaKeys>();
    b.model.analyses = {second, finite};
    const RunResult r = run(b.model);
    const auto sway = [&](const char* analysis) {
      return r.find(analysis, "G")->state.nodes[B].translation[d];
    };
    EXPECT_GT(sway("second"), 1.05 * sway("first-order"));
    EXPECT_LE(relative_error(sway("large"), sway("second")), 3e-3) << d;
  }
}

/// Numbering, direction of members and a turn of the whole frame change nothing.
TEST(LargeDisplacement, TurnedFrameGivesTheTurnedAnswer) {
  const Matrix3d turn =
      Eigen::AngleAxisd(0.7, Vector3d(1, 2, -0.5).normalized()).toRotationMatrix();
  std::vector<Vector3d> tips;
  std::vector<double> moments;
  for (const bool turned : {false, true}) {
    FrameBuilder b(Plane::space);
    SectionProperties p;
    p.A = 1e-2;
    p.Iy = p.Iz = 2e-5;
    p.J = 3e-5;
    p.Avy = p.Avz = 5e-3;
    const SectionId s = b.section(p);
    const MaterialId m = b.material(210e9, 81e9);
    const auto place = [&](double x, double y, double z) {
      return turned ? Vector3d(turn * Vector3d(x, y, z)) : Vector3d(x, y, z);
    };
    const auto node = [&](const char* name, const Vector3d& x) {
      return b.node(name, x[0], x[1], x[2]);
    };
    const NodeId tip = node("C", place(2, 3, 3)), knee = node("B", place(0, 0, 3)),
                 foot = node("A", place(0, 0, 0));
    const MemberId post =
        turned ? b.member("p", knee, foot, s, m) : b.member("p", foot, knee, s, m);
    b.member("arm", knee, tip, s, m);
    b.fix_all(foot);
    Vector6d load = Vector6d::Zero();
    load.head<3>() = place(4e4, -2e4, -9e4);
    b.nodal_load(tip, load);
    const RunResult r = solve(b);
    const Step& step = *r.find("large", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    EXPECT_GT(step.state.nodes[tip].translation.norm(), 0.8);
    tips.push_back(step.state.nodes[tip].translation);
    const MemberLine line = Recovery(step).line(post);
    moments.push_back(line.at(turned ? 3 : 0).forces.tail<3>().norm());
  }
  EXPECT_LE((turn * tips[0] - tips[1]).norm(), 2e-6);
  EXPECT_LE(relative_error(moments[0], moments[1]), 1e-5);
}

/// Ties, hinges, springs, settlement and a spring support: the member cut in three gives the same.
TEST(LargeDisplacement, OrdinaryFrameIsTheSameCutInThree) {
  std::vector<Vector6d> knees;
  std::vector<double> forces;
  for (const int parts : {1, 3}) {
    FrameBuilder b;
    SectionProperties p;
    p.A = 6e-3;
    p.Iy = p.Iz = 3e-5;
    p.Avz = 2e-3;
    const SectionId s = b.section(p);
    const MaterialId m = b.material(210e9, 81e9);
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 5), C = b.node("C", 6, 0, 6),
                 D = b.node("D", 6, 0, 0);
    const auto chain = [&](NodeId from, NodeId to, const Vector6d& q) {
      const Vector3d x0 = b.model.nodes[from].position, x1 = b.model.nodes[to].position;
      std::vector<MemberId> made;
      NodeId at = from;
      for (int i = 1; i <= parts; ++i) {
        const Vector3d x = x0 + (x1 - x0) * i / parts;
        const NodeId next = i == parts ? to : b.node("i", x[0], x[1], x[2]);
        made.push_back(b.member("m", at, next, s, m));
        b.distributed(made.back(), q, q, 0, b.model.length(made.back()));
        at = next;
      }
      return made;
    };
    Vector6d wind = Vector6d::Zero(), snow = wind;
    wind[0] = 2e4;
    snow[2] = -3e4;
    chain(A, B, wind);
    const auto rafter = chain(B, C, snow);
    chain(D, C, Vector6d::Zero());
    b.model.members[rafter.back()].joints[1][4] = 0;
    b.model.members[rafter.front()].joints[0][4] = 2e6;
    const MemberId tie = b.member("tie", A, C, s, m), slack = b.member("slack", B, D, s, m);
    b.model.members[tie].kind = b.model.members[slack].kind = MemberKind::tension_only;
    b.model.members[tie].section = b.section([&] {
      SectionProperties rod;
      rod.A = 2e-4;
      return rod;
    }());
    b.model.members[slack].section = b.model.members[tie].section;
    b.uniform(tie, 2, -100);
    b.fix(A, {0, 2, 4});
    b.fix(D, {0, 2});
    b.spring(D, 4, 5e5);
    b.model.supports[1].directions[2].settle = -0.05;
    b.nodal_load(B, 4, 3e4);
    const RunResult r = solve(b);
    const Step& step = *r.find("large", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    EXPECT_LT(step.equilibrium.nodes, 1e-8);
    EXPECT_LT(step.equilibrium.reactions, 1e-8);
    EXPECT_NEAR(step.state.nodes[D].translation[2], -0.05, 1e-12);
    knees.push_back(step.state.nodes[B].vector());
    forces.push_back(Recovery(step).line(tie).at(1).forces[0]);
    EXPECT_EQ(step.state.members[slack].activity, Activity::idle);
    EXPECT_EQ(Recovery(step).line(slack).at(1).forces[0], 0);
  }
  EXPECT_LE((knees[0] - knees[1]).norm(), 3e-6 * knees[0].norm());
  EXPECT_LE(relative_error(forces[0], forces[1]), 1e-5);
  EXPECT_GT(knees[0].head<3>().norm(), 0.05);
}

/// Two rods at an angle, bent in both planes and twisted far: the error of pieces falls with the
/// fourth power of their length, whatever the section.
TEST(LargeDisplacement, PiecesThatBendAndTwistConverge) {
  struct Shape {
    double Iy, Iz, J, Av;
  };
  for (const Shape& shape : {Shape{2e-6, 2e-6, 4e-6, 0}, Shape{4e-6, 1e-6, 2e-6, 0},
                             Shape{4e-6, 1e-6, 2e-6, 1e-3}, Shape{1e-6, 3e-6, 3e-7, 0}}) {
    FrameBuilder b(Plane::space);
    SectionProperties p;
    p.A = 2e-3;
    p.Iy = shape.Iy;
    p.Iz = shape.Iz;
    p.J = shape.J;
    p.Avy = p.Avz = shape.Av;
    const SectionId s = b.section(p);
    const MaterialId m = b.material(200e9, 80e9);
    const NodeId foot = b.node("F", 0, 0, 0), knee = b.node("T", 3, 0, 0),
                 tip = b.node("E", 4, 1, 1);
    b.member("first", foot, knee, s, m);
    b.member("second", knee, tip, s, m);
    b.fix_all(foot);
    LoadCase load;
    load.name = "G";
    load.nodal.push_back({knee, force6(1e3, 3e4, -6e4, 1e4, 0, 0), 0});
    load.nodal.push_back({tip, force6(2e3, -9e3, 1.2e4), 0});
    b.model.cases.push_back(load);
    AnalysisSpec spec = large(b.model);
    std::vector<Vector6d> motion;
    for (const int pieces : {4, 8, 16}) {
      spec.become<LargeDisplacementKeys>().pieces = pieces;
      const RunResult r = solve(b, spec);
      const Step& step = *r.find("large", "G");
      ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
      motion.push_back(step.state.nodes[tip].vector());
    }
    EXPECT_GT(motion[2].tail<3>().norm(), 0.4);
    const Vector6d first = motion[1] - motion[0], second = motion[2] - motion[1];
    EXPECT_GT(first.head<3>().norm(), 10 * second.head<3>().norm()) << shape.Iy << " " << shape.Av;
    EXPECT_GT(first.tail<3>().norm(), 10 * second.tail<3>().norm()) << shape.Iy << " " << shape.Av;
  }
}

/// L8: a deep strip as cantilever tips over sideways at 4.0126·√(EI·GJ)/L²; the strong axis is so
/// stiff that the strip stays straight until then.
TEST(LargeDisplacement, L8StripTipsOver) {
  FrameBuilder b(Plane::space);
  SectionProperties p;
  p.A = 1e6;
  p.Iy = 1e6;
  p.Iz = 1;
  p.J = 1;
  const SectionId s = b.section(p);
  const MaterialId m = b.material(1, 0.4);
  const NodeId foot = b.node("A", 0, 0, 0), tip = b.node("B", 1, 0, 0);
  b.member("strip", foot, tip, s, m);
  b.fix_all(foot);
  const double critical = 4.012599344 * std::sqrt(0.4);
  b.nodal_load(tip, 2, -1.7 * critical);
  AnalysisSpec spec = large(b.model);
  spec.become<LargeDisplacementKeys>().pieces = 16;
  const RunResult r = solve(b, spec);
  const Step& step = *r.find("large", "G");
  EXPECT_EQ(step.outcome.verdict, Verdict::branch_point) << step.outcome.reason;
  EXPECT_NEAR(1.7 * step.outcome.stands_at, 1, 3e-5);
}

/// What is held for the analysis alone is as a support; what stays constant is there from the
/// start.
TEST(LargeDisplacement, HoldsAndConstantLoads) {
  const auto column = [](bool held_by_support) {
    FrameBuilder b;
    SectionProperties p;
    p.A = 6e-3;
    p.Iy = p.Iz = 3e-5;
    const SectionId s = b.section(p);
    const MaterialId m = b.material(210e9, 81e9);
    const NodeId foot = b.node("A", 0, 0, 0), top = b.node("B", 0, 0, 6);
    b.uniform(b.member("c", foot, top, s, m), 0, 2e4);
    b.fix(foot, {0, 2, 4});
    if (held_by_support) b.fix(top, {0});
    b.nodal_load(top, 2, -4e5);
    return b;
  };
  FrameBuilder with = column(true), without = column(false);
  AnalysisSpec spec = large(without.model);
  Hold hold;
  hold.node = NodeId(1);
  hold.directions[0] = true;
  spec.holds = {hold};
  const RunResult supported = solve(with), held = solve(without, spec);
  const Step &a = *supported.find("large", "G"), &c = *held.find("large", "G");
  ASSERT_TRUE(a.outcome.stands() && c.outcome.stands()) << c.outcome.reason;
  EXPECT_NEAR(c.state.nodes[NodeId(1)].translation[0], 0, 1e-15);
  EXPECT_LE((a.state.nodes[NodeId(1)].vector() - c.state.nodes[NodeId(1)].vector()).norm(), 1e-10);
  EXPECT_LE(relative_error(a.reactions[NodeId(1)][0], c.reactions[NodeId(1)][0]), 1e-9);

  FrameBuilder free = column(false);
  const RunResult at_once = solve(free);
  LoadCase vertical;
  vertical.name = "P";
  vertical.nodal = free.model.cases[CaseId(0)].nodal;
  free.model.cases[CaseId(0)].nodal.clear();
  free.model.cases.push_back(vertical);
  AnalysisSpec growing = large(free.model);
  growing.become<LargeDisplacementKeys>().constant = free.model.case_alone(CaseId(1));
  const RunResult in_turn = solve(free, growing);
  const Step &x = *at_once.find("large", "G"), &y = *in_turn.find("large", "G");
  ASSERT_TRUE(y.outcome.stands()) << y.outcome.reason;
  EXPECT_GT(y.path.front().state.nodes[NodeId(1)].translation.norm(), 1e-4);
  EXPECT_LE((x.state.nodes[NodeId(1)].vector() - y.state.nodes[NodeId(1)].vector()).norm(),
            1e-8 * x.state.nodes[NodeId(1)].vector().norm());
  EXPECT_LT(y.equilibrium.reactions, 1e-10);
  EXPECT_LE(relative_error(Recovery(x).line(MemberId(0)).at(2).forces[4],
                           Recovery(y).line(MemberId(0)).at(2).forces[4]),
            1e-7);
}

/// A flat string of two bars is a mechanism in first-order; its preload and its sag hold it.
TEST(LargeDisplacement, PreloadedStringHoldsWhatFirstOrderCannot) {
  FrameBuilder b;
  SectionProperties p;
  p.A = 1e-4;
  const SectionId s = b.section(p);
  const MaterialId m = b.material(210e9, 81e9);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 5, 0, 0), C = b.node("C", 10, 0, 0);
  for (const auto& [from, to] : {std::pair{A, B}, {B, C}}) {
    Member& bar = b.model.members[b.member("m", from, to, s, m)];
    bar.kind = MemberKind::tension_only;
    bar.preload = 20e3;
  }
  b.fix(A, {0, 2});
  b.fix(C, {0, 2});
  b.nodal_load(B, 2, -500);
  const RunResult r = solve(b);
  EXPECT_EQ(r.baseline("G").outcome.verdict, Verdict::mechanism);
  const Step& step = *r.find("large", "G");
  ASSERT_TRUE(step.has_state) << step.outcome.reason;
  const double w = -step.state.nodes[B].translation[2], l = std::hypot(5, w);
  const double N = 20e3 + 210e9 * 1e-4 * (l / 5 - 1);
  EXPECT_NEAR(2 * N * w / l, 500, 1e-6);
  EXPECT_NEAR(Recovery(step).line(MemberId(0)).at(1).forces[0], N, 1e-6 * N);
}

/// Forces against differences of the energy, and the tangent against differences of the forces.
/// A piece between two places that bends, with shear, and twists.
PieceProperties soft_piece(const Vector3d& drawn, const Quaterniond& axes) {
  PieceProperties p;
  p.drawn = drawn;
  p.axes = axes;
  ElementProperties& s = p.stiffness;
  s.length = drawn.norm();
  s.EA = 50;
  s.EIy = 1.3;
  s.EIz = 0.8;
  s.GJ = 0.5;
  s.r2 = 0.02;
  s.shear_flexibility_z = 0.1;
  return p;
}

TEST(CorotationalPiece, DerivativesOfItsEnergy) {
  std::mt19937 random(3);
  std::uniform_real_distribution<double> number(-1, 1);
  const auto vector = [&](double size) {
    return Vector3d(size * Vector3d(number(random), number(random), number(random)));
  };
  // Joined, by vector, with releases, axial, and drawn bent.
  for (int kind = 0; kind < 5; ++kind) {
    const Vector3d drawn(0.9, -0.4, 0.6);
    PieceProperties p =
        soft_piece(drawn, least_turn(Vector3d::UnitX(), drawn) *
                              Quaterniond(Eigen::AngleAxisd(0.4, Vector3d::UnitX())));
    ElementProperties& s = p.stiffness;
    s.kind = kind == 3 ? MemberKind::axial : MemberKind::frame;
    s.shear_flexibility_y = 0.05;
    if (kind == 3) s.initial_force = 0.7;
    if (kind == 2) s.joints[0][4] = s.joints[1][0] = 2, s.joints[1][5] = 0.3;
    p.load_start = Vector3d(0.1, -0.5, 0.3);
    p.load_end = Vector3d(-0.2, 0.4, 0.8);
    if (kind == 4) {
      const auto turned = [](double angle, const Vector3d& about) {
        return Quaterniond(Eigen::AngleAxisd(angle, about.normalized()));
      };
      bow(p, turned(0.15, Vector3d(0.2, 1, -0.4)) * p.axes,
          turned(-0.2, Vector3d(-0.1, 0.8, 0.5)) * p.axes);
      p.moved[1] = Vector3d(0.03, -0.02, 0.05);
    }
    Pose a, b;
    b.by_vector = kind == 1;
    for (Pose* pose : {&a, &b}) {
      Vector6d step;
      step << vector(0.2), vector(0.5);
      move(*pose, step);
    }
    ReleaseMotion release = ReleaseMotion::Zero();
    if (kind == 2) release[4] = 0.1, release[6] = 0.05, release[11] = -0.2;
    const double factor = 0.7, h = 1e-4;
    const auto moved = [&](const Vector12d& d) {
      Pose x = a, y = b;
      move(x, d.head<6>());
      move(y, d.tail<6>());
      return std::pair{x, y};
    };
    const auto energy_at = [&](const Vector12d& d) {
      const auto [x, y] = moved(d);
      return energy(p, x, y, release, factor);
    };
    const PieceResponse r = respond(p, a, b, release, factor);
    if (kind == 2) {
      // Condensed: at a release motion in balance, forces are those of the energy.
      for (int i = 0; i < 30; ++i) release -= respond(p, a, b, release, factor).rest;
      EXPECT_LE(respond(p, a, b, release, factor).rest.norm(), 1e-12);
    }
    const PieceResponse at = respond(p, a, b, release, factor);
    for (int i = 0; i < 12; ++i) {
      const Vector12d d = h * Vector12d::Unit(i);
      const double slope = (energy_at(d) - energy_at(-d)) / (2 * h);
      EXPECT_NEAR((at.force - factor * at.load)[i], slope, 2e-7) << kind << " " << i;
      if (kind == 2) continue;
      for (int j = 0; j < 12; ++j) {
        const Vector12d e = h * Vector12d::Unit(j);
        const double second =
            i == j ? (energy_at(d) - 2 * energy_at(0 * d) + energy_at(-d)) / (h * h)
                   : (energy_at(d + e) - energy_at(d - e) - energy_at(e - d) + energy_at(-d - e)) /
                         (4 * h * h);
        EXPECT_NEAR(at.stiffness(i, j), second, 2e-5 * at.stiffness.cwiseAbs().maxCoeff())
            << kind << " " << i << " " << j;
      }
    }
    EXPECT_LE((r.stiffness - r.stiffness.transpose()).norm(), 1e-12 * r.stiffness.norm());
  }
}

// By the motions of its plane alone a piece answers as by all of them: joined and hinged, loaded,
// strained; in both planes.
TEST(CorotationalPiece, InItsPlaneAsInSpace) {
  for (const int normal : {1, 2}) {
    for (const bool hinged : {false, true}) {
      const auto flat = [normal](double x, double other) {
        return normal == 1 ? Vector3d(x, 0, other) : Vector3d(x, other, 0);
      };
      const Vector3d about = Vector3d::Unit(normal);
      PieceProperties p = soft_piece(
          flat(0.9, -0.5), Quaterniond(Eigen::AngleAxisd(normal == 1 ? 0.507 : -0.507, about)));
      ElementProperties& s = p.stiffness;
      s.initial_force = 0.4;
      if (hinged) s.joints[0][3 + normal] = 0, s.joints[1][3 + normal] = 0.6;
      p.load_start = flat(0.1, -0.5);
      p.load_end = flat(-0.2, 0.8);
      p.moment_end = 0.3 * about;
      p.own_moment_start = 0.1 * about;
      Pose a, b;
      Vector6d step;
      step << flat(0.1, -0.2), 0.4 * about;
      move(a, step);
      step << flat(-0.15, 0.1), -0.5 * about;
      move(b, step);
      ReleaseMotion release = ReleaseMotion::Zero();
      if (hinged) release[3 + normal] = 0.1, release[9 + normal] = -0.2;
      const PieceResponse space = respond(p, a, b, release, 0.7);
      p.normal = normal;
      const PieceResponse plane = respond(p, a, b, release, 0.7);
      EXPECT_NEAR(plane.axial, space.axial, 1e-13);
      const double size = space.stiffness.cwiseAbs().maxCoeff();
      for (int i = 0; i < 12; ++i) {
        const bool moves_i = i % 6 < 3 ? i % 6 != normal : i % 6 == 3 + normal;
        if (!moves_i) continue;
        EXPECT_NEAR(plane.force[i], space.force[i], 1e-12 * size);
        EXPECT_NEAR(plane.load[i], space.load[i], 1e-12);
        EXPECT_NEAR(plane.rest[i], space.rest[i], 1e-12);
        for (int j = 0; j < 12; ++j) {
          const bool moves_j = j % 6 < 3 ? j % 6 != normal : j % 6 == 3 + normal;
          if (!moves_j) continue;
          EXPECT_NEAR(plane.stiffness(i, j), space.stiffness(i, j), 1e-12 * size);
          EXPECT_NEAR(plane.follow(i, j), space.follow(i, j), 1e-12);
        }
      }
    }
  }
}

// A factorisation that serves several iterations leads to the same equilibria.
TEST(LargeDisplacement, AKeptFactorisationFindsTheSamePath) {
  const testing::Building building(3, 4, 4e4);
  const Model& model = building.b.model;
  const FrameSystem system{Situation(model)};
  const AppliedLoads loads(system.situation(), model.case_alone(CaseId(0)));
  const auto path = [&](double flops_kept, State& state) {
    PiecewiseFrame frame(system, {loads}, 1);
    PathOptions options;
    options.steps = 2;
    options.flops_kept = flops_kept;
    const PathResult found = follow_path(frame, options);
    state = frame.node_state();
    return found;
  };
  State kept, anew;
  const PathResult a = path(0, kept), b = path(1e99, anew);
  ASSERT_EQ(a.end, PathEnd::reached) << a.tried;
  ASSERT_EQ(a.states.size(), b.states.size());
  for (const PathState& s : a.states) EXPECT_EQ(s.negative_pivots, 0);
  EXPECT_EQ(a.states.back().factor, 1);
  EXPECT_GT(anew.nodes[building.nodes.back()].translation.norm(), 0.05);
  for (const NodeId n : building.nodes) {
    EXPECT_LE((kept.nodes[n].translation - anew.nodes[n].translation).norm(), 1e-10);
  }
}

}  // namespace
}  // namespace ulterix::testing::large_displacement_test
