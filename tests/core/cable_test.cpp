#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <boost/math/tools/toms748_solve.hpp>

#include "core/analysis/buckling.hpp"
#include "core/analysis/modal.hpp"
#include "core/element/catenary.hpp"
#include "core/element/cut_cables.hpp"
#include "core/results/cables.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::cable_test {
namespace {

using testing::force6;
using testing::FrameBuilder;
using testing::relative_error;
using testing::rolled_section;

double coordinate(int scale) {
  return *rc::gen::inRange(-1000 * scale, 1000 * scale + 1) / 1000.0;
}

Vector3d any_vector(int scale) {
  return {coordinate(scale), coordinate(scale), coordinate(scale)};
}

/// r(L0) of a cable that pulls its start with T, by quadrature: stretch and direction along it.
Vector3d reach_by_quadrature(const Vector3d& T, const Vector3d& q, double length, double EA) {
  Vector3d sum = Vector3d::Zero();
  for (int i = 0; i < 3; ++i) {
    const auto rate = [&](double s) {
      const Vector3d t = T - s * q;
      return t[i] / EA + t[i] / t.norm();
    };
    // The turn of the cable may be sharp.
    constexpr int kParts = 8;
    for (int k = 0; k < kParts; ++k) {
      sum[i] += boost::math::quadrature::gauss_kronrod<double, 61>::integrate(
          rate, length * k / kParts, length * (k + 1) / kParts, 12, 1e-13);
    }
  }
  return sum;
}

// C1 (Irvine 1981): any slope, direction and sag, against the integrals that define the cable.
RC_GTEST_PROP(Catenary, IsWhatItsIntegralsSay, ()) {
  const double EA = std::pow(10, 3 + *rc::gen::inRange(0, 5));
  const double length = 1 + *rc::gen::inRange(0, 1000) / 10.0;
  const Vector3d q = any_vector(2), T = any_vector(50);
  RC_PRE(q.norm() > 0.1);
  // Not through a point without tension.
  const double s = std::clamp(T.dot(q) / q.squaredNorm(), 0.0, length);
  RC_PRE((T - s * q).norm() > 0.05 * q.norm() * length);
  const Vector3d chord = reach_by_quadrature(T, q, length, EA);
  const Catenary cable(length, EA, q, chord);
  RC_ASSERT(cable.found());
  RC_ASSERT((cable.start_tension() - T).norm() <= 1e-9 * std::max(T.norm(), q.norm() * length));
  RC_ASSERT((cable.position(length) - chord).norm() <= 1e-12 * length);
  const double half = length / 2;
  RC_ASSERT((cable.position(half) - reach_by_quadrature(T, q, half, EA)).norm() <= 1e-10 * length);
  // The tangent by differences.
  const Vector3d d = Vector3d(1, 2, -2) / 3;
  const auto rise_over = [&](double h) -> Vector3d {
    return (Catenary(length, EA, q, chord + h * d).start_tension() -
            Catenary(length, EA, q, chord - h * d).start_tension()) /
           (2 * h);
  };
  const double h = 1e-5 * length;
  const Vector3d rise = (4 * rise_over(h / 2) - rise_over(h)) / 3;
  RC_ASSERT((rise - cable.stiffness() * d).norm() <= 1e-5 * cable.stiffness().norm());
}

TEST(Catenary, HangsStraightDownAndTurnsBack) {
  // 2 m of rope between ends 1 m above each other: 0.5 m hangs below the lower one.
  const Catenary rope(2, 1e9, {0, 0, -10}, {0, 0, 1});
  ASSERT_TRUE(rope.found());
  EXPECT_NEAR(rope.start_tension()[2], -5, 1e-6);
  EXPECT_NEAR(rope.end_tension()[2], 15, 1e-6);
  // Pulled straight, no load at all, and slack.
  const Catenary taut(2, 1e3, Vector3d::Zero(), {0, 2.1, 0});
  EXPECT_NEAR(taut.start_tension()[1], 50, 1e-9);
  EXPECT_TRUE(Catenary(2, 1e3, Vector3d::Zero(), {0, 1.9, 0}).start_tension().isZero(0));
}

TEST(Catenary, LengthOfAPreload) {
  const Vector3d q(0, 0, -30), chord(20, 0, 10);
  for (const double force : {300.0, 1e3, 1e5, 2e6}) {
    const auto length = length_for_force(force, 1e7, q, chord);
    ASSERT_TRUE(length);
    EXPECT_LE(relative_error(Catenary(*length, 1e7, q, chord).chord_force(), force), 1e-9);
  }
  EXPECT_NEAR(*length_for_force(1e4, 1e7, Vector3d::Zero(), {3, 4, 0}), 5 / 1.001, 1e-12);
}

/// A frame with cables: analyses "linear" (iterated first-order), "p-delta" and "large" of its one
/// load case.
RunResult solve_all(FrameBuilder& b) {
  const auto trouble = cut_cables(b.model);
  EXPECT_TRUE(trouble.empty());
  b.load_case();
  b.model.analyses.clear();
  const auto add = [&b](const std::string& name) -> AnalysisSpec& {
    AnalysisSpec spec;
    spec.name = name;
    spec.loads = {b.model.case_alone(CaseId(0))};
    b.model.analyses.push_back(spec);
    return b.model.analyses.back();
  };
  add("linear").become<FirstOrderKeys>().iterate = true;
  add("p-delta").become<PDeltaKeys>();
  add("large").become<LargeDisplacementKeys>();
  return run(b.model);
}

const std::array<std::string, 3> kAll = {"linear", "p-delta", "large"};

MemberId cable(FrameBuilder& b, const std::string& name, NodeId from, NodeId to, SectionId s,
               MaterialId m, double cut_length, double preload = 0) {
  const MemberId id = b.member(name, from, to, s, m);
  b.model.members[id].kind = MemberKind::cable;
  b.model.members[id].cut_length = cut_length;
  b.model.members[id].preload = preload;
  return id;
}

void weigh(FrameBuilder& b, MemberId id) {
  b.load_case().self_weight.push_back({id, 1});
}

SectionProperties area(double A) {
  SectionProperties p;
  p.A = A;
  return p;
}

/// A heavy rope from A over the node B to C.
struct Rope {
  FrameBuilder b;
  NodeId A, B, C;
  MemberId first, second;
  double q;  // N/m
  static constexpr double EA = 2e5, first_length = 12.5, second_length = 9;

  explicit Rope(Plane plane = Plane::xz) : b(plane) {
    const SectionId s = b.section(area(1e-3));
    const MaterialId m = b.material(EA / 1e-3, 1, 7000);
    q = 7000 * 1e-3 * b.model.gravity;
    A = b.node("A", 0, 0, 0);
    B = b.node("B", 11, 0, -3);
    C = b.node("C", 19, 0, 2);
    first = cable(b, "K1", A, B, s, m, first_length);
    second = cable(b, "K2", B, C, s, m, second_length);
    for (const NodeId n : {A, C}) b.fix(n, {0, 1, 2});
    weigh(b, first);
    weigh(b, second);
  }
};

// C1, under a point load: in the plane the rope is three equations, solved without our catenary.
TEST(Cable, C1PointLoadOnARope) {
  Rope rope;
  constexpr double P = 900, H0 = 150;
  rope.b.nodal_load(rope.B, force6(H0, 0, -P));
  const RunResult r = solve_all(rope.b);
  for (const std::string& name : kAll) {
    const Step& step = *r.find(name, "G");
    ASSERT_TRUE(step.outcome.stands()) << name << ": " << step.outcome.reason;
    EXPECT_LT(step.equilibrium.nodes, 1e-9) << name;
    EXPECT_LT(step.equilibrium.reactions, 1e-9) << name;
    // From the reaction at A alone the whole rope follows, to the end at C.
    const Vector3d T = -step.reactions[rope.A].head<3>();
    const Vector3d q(0, 0, -rope.q);
    const Vector3d at_B = reach_by_quadrature(T, q, Rope::first_length, Rope::EA);
    const Vector3d after = T - Rope::first_length * q - Vector3d(H0, 0, -P);
    const Vector3d on = reach_by_quadrature(after, q, Rope::second_length, Rope::EA);
    EXPECT_LT((at_B + on - Vector3d(19, 0, 2)).norm(), 1e-8) << name;
    EXPECT_LT((at_B - Vector3d(11, 0, -3) - step.state.nodes[rope.B].translation).norm(), 1e-8);
    EXPECT_NEAR(Recovery(step).line(rope.first).at(0).forces[kN], T.norm(), 1e-6);
  }
}

TEST(Cable, CutInTwoIsTheSame) {
  FrameBuilder one, two;
  std::array<Step, 2> steps;
  for (FrameBuilder* b : {&one, &two}) {
    const bool whole = b == &one;
    const SectionId s = b->section(area(1e-3));
    const MaterialId m = b->material(2e8, 1, 7000);
    const NodeId A = b->node("A", 0, 0, 0), C = b->node("C", 20, 0, 6);
    std::vector<MemberId> cables;
    if (whole) {
      cables = {cable(*b, "K", A, C, s, m, 24)};
    } else {
      const NodeId B = b->node("B", 9, 0, -2);
      cables = {cable(*b, "K1", A, B, s, m, 11), cable(*b, "K2", B, C, s, m, 13)};
    }
    for (const MemberId id : cables) {
      weigh(*b, id);
      b->uniform(id, 0, 25);
    }
    for (const NodeId n : {A, C}) b->fix(n, {0, 2});
  }
  const RunResult a = solve_all(one), c = solve_all(two);
  for (const std::string& name : kAll) {
    const Step &whole = *a.find(name, "G"), &cut = *c.find(name, "G");
    ASSERT_TRUE(whole.outcome.stands() && cut.outcome.stands()) << name << cut.outcome.reason;
    EXPECT_LT((whole.reactions[NodeId(0)] - cut.reactions[NodeId(0)]).norm(), 1e-6) << name;
    EXPECT_LT((whole.reactions[NodeId(1)] - cut.reactions[NodeId(1)]).norm(), 1e-6) << name;
    const Recovery rw(whole), rc(cut);
    EXPECT_NEAR(rw.line(MemberId(0)).at(11).forces[kN], rc.line(MemberId(0)).at(11).forces[kN],
                1e-5);
    EXPECT_NEAR(rw.line(MemberId(0)).at(17).forces[kN], rc.line(MemberId(1)).at(6).forces[kN],
                1e-4);
  }
}

// C2: a taut string without weight: 2·N·sin = P, N = N0 + EA·strain.
TEST(Cable, C2TautStringUnderALateralLoad) {
  constexpr double EA = 4e6, N0 = 2e4, L = 10, P = 3000;
  FrameBuilder b;
  const SectionId s = b.section(area(1e-3));
  const MaterialId m = b.material(EA / 1e-3, 1);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", L / 2, 0, 0), C = b.node("C", L, 0, 0);
  cable(b, "K1", A, B, s, m, 0, N0);
  cable(b, "K2", B, C, s, m, 0, N0);
  for (const NodeId n : {A, C}) b.fix(n, {0, 2});
  b.nodal_load(B, 2, -P);
  const RunResult r = solve_all(b);
  const double l0 = L / 2 / (1 + N0 / EA);
  const auto off = [&](double w) {
    const double l = std::hypot(L / 2, w);
    return 2 * EA * (l / l0 - 1) * w / l - P;
  };
  std::uintmax_t most = 100;
  const auto root = boost::math::tools::toms748_solve(
      off, 0.0, 1.0, boost::math::tools::eps_tolerance<double>(52), most);
  for (const std::string& name : kAll) {
    const Step& step = *r.find(name, "G");
    ASSERT_TRUE(step.outcome.stands()) << name << ": " << step.outcome.reason;
    EXPECT_LE(relative_error(-step.state.nodes[B].translation[2], root.first), 1e-9) << name;
  }
  // First-order has no stiffness across: a mechanism, said, and no reason not to go on.
  EXPECT_EQ(r.baseline("G").outcome.verdict, Verdict::mechanism);
}

TEST(Cable, WithoutWeightAndMotionItIsAPreloadedTie) {
  // A mast on a spring between two guys; the ties know no change of direction.
  constexpr double N0 = 5e4;
  const auto build = [](MemberKind kind) {
    FrameBuilder b;
    const SectionId s = b.section(area(5e-4)), column = b.section(rolled_section());
    const MaterialId m = b.material(2.1e11, 8e10);
    const NodeId foot = b.node("F", 0, 0, 0), top = b.node("T", 0, 0, 8);
    b.member("mast", foot, top, column, m);
    b.fix(foot, {0, 2, 4});
    for (const double x : {-6.0, 6.0}) {
      const NodeId ground = b.node(x < 0 ? "L" : "R", x, 0, 0);
      b.fix(ground, {0, 2});
      const MemberId id = cable(b, x < 0 ? "GL" : "GR", ground, top, s, m, 0, N0);
      b.model.members[id].kind = kind;
    }
    b.nodal_load(top, 0, 1);
    return b;
  };
  FrameBuilder ties = build(MemberKind::tension_only), cables = build(MemberKind::cable);
  const RunResult a = solve_all(ties), c = solve_all(cables);
  for (const std::string& name : {std::string("p-delta"), std::string("large")}) {
    const Step &tie = *a.find(name, "G"), &hung = *c.find(name, "G");
    ASSERT_TRUE(tie.outcome.stands() && hung.outcome.stands()) << name << hung.outcome.reason;
    const double du = hung.state.nodes[NodeId(1)].translation[0];
    EXPECT_LE(relative_error(du, tie.state.nodes[NodeId(1)].translation[0]), 2e-3) << name;
    for (const MemberId id : {MemberId(1), MemberId(2)}) {
      // A tie stretches by N/EA of the length drawn, a cable of that without force.
      EXPECT_LE(
          relative_error(mean_axial_force(Recovery(hung), id), mean_axial_force(Recovery(tie), id)),
          N0 / (2.1e11 * 5e-4));
    }
  }
}

// C3: nothing until the length to spare is used up, then linear.
TEST(Cable, C3TakesUpItsSlackFirst) {
  constexpr double EA = 1e6, L = 4, k = 2e4, slack = 0.01;
  for (const double P : {100.0, 600.0}) {
    FrameBuilder b;
    const SectionId s = b.section(area(1e-3));
    const MaterialId m = b.material(EA / 1e-3, 1);
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", L, 0, 0);
    const MemberId id = cable(b, "K", A, B, s, m, 0);
    b.model.members[id].slack = slack;
    b.fix(A, {0, 2});
    b.fix(B, {2});
    b.spring(B, 0, k);
    b.nodal_load(B, 0, P);
    const RunResult r = solve_all(b);
    const double free = P / k, stiff = EA / (L + slack);
    const double u = free <= slack ? free : (P + stiff * slack) / (k + stiff);
    for (const std::string& name : kAll) {
      const Step& step = *r.find(name, "G");
      ASSERT_TRUE(step.outcome.stands()) << name << ": " << step.outcome.reason;
      EXPECT_LE(relative_error(step.state.nodes[B].translation[0], u), 1e-9) << name;
      EXPECT_EQ(step.state.members[id].activity == Activity::idle, free <= slack) << name;
    }
  }
}

/// A mast with four guys in space under its weight, wind along the guys and on the mast.
struct GuyedMast {
  FrameBuilder b{Plane::space};
  NodeId foot, middle, top;
  std::vector<MemberId> guys;

  explicit GuyedMast(const Matrix3d& turn = Matrix3d::Identity(), double wind = 300) {
    SectionProperties round = area(8e-3);
    round.Iy = round.Iz = 5e-5;
    round.J = 1e-4;
    round.Avy = round.Avz = 4e-3;
    const SectionId s = b.section(area(4e-4)), tube = b.section(round);
    const MaterialId steel = b.material(2.1e11, 8.1e10, 7850), rope = b.material(1.6e11, 1, 7850);
    const auto node = [&](const std::string& name, double x, double y, double z) {
      const Vector3d p = turn * Vector3d(x, y, z);
      return b.node(name, p[0], p[1], p[2]);
    };
    foot = node("F", 0, 0, 0);
    middle = node("M", 0, 0, 10);
    top = node("T", 0, 0, 20);
    const MemberId lower = b.member("m1", foot, middle, tube, steel);
    const MemberId upper = b.member("m2", middle, top, tube, steel);
    Support pinned;
    pinned.node = foot;
    for (int d = 0; d < 3; ++d) pinned.directions[static_cast<std::size_t>(d)].stiffness = kRigid;
    for (int d = 3; d < 6; ++d) {
      // The spin of the mast about its axis, held softly about every axis.
      pinned.directions[static_cast<std::size_t>(d)].stiffness = 1e3;
    }
    b.model.supports.push_back(pinned);
    const Vector3d down = turn * Vector3d(0, 0, -1), along = turn * Vector3d(1, 0.3, 0);
    const auto load = [](const Vector3d& q) { return force6(q[0], q[1], q[2]); };
    for (int i = 0; i < 4; ++i) {
      const double x = i == 0 ? 14 : i == 2 ? -14 : 0, y = i == 1 ? 14 : i == 3 ? -14 : 0;
      const NodeId ground = node("G" + std::to_string(i), x, y, 0);
      b.fix(ground, {0, 1, 2});
      guys.push_back(cable(b, "g" + std::to_string(i), top, ground, s, rope, 0, 2e4));
      const MemberId id = guys.back();
      const Vector3d q = 30 * down + 0.02 * wind * along;
      b.distributed(id, load(q), load(q), 0, b.model.length(id));
    }
    for (const MemberId id : {lower, upper}) {
      const Vector3d q = 300 * down + wind * along;
      b.distributed(id, load(q), load(q), 0, b.model.length(id));
    }
    b.nodal_load(top, load(10 * wind * along));
  }
};

TEST(Cable, GuyedMastTurnedInSpaceIsTheSame) {
  const Matrix3d turn =
      Eigen::AngleAxisd(0.9, Vector3d(1, -2, 0.5).normalized()).toRotationMatrix();
  GuyedMast upright, turned(turn);
  const RunResult a = solve_all(upright.b), c = solve_all(turned.b);
  for (const std::string& name : kAll) {
    const Step &first = *a.find(name, "G"), &second = *c.find(name, "G");
    ASSERT_TRUE(first.outcome.stands()) << name << ": " << first.outcome.reason;
    ASSERT_TRUE(second.outcome.stands()) << name << ": " << second.outcome.reason;
    const Vector3d u = first.state.nodes[upright.top].translation;
    const Vector3d v = turn.transpose() * second.state.nodes[turned.top].translation;
    EXPECT_LT((u - v).norm(), 1e-6 * u.norm()) << name;
    EXPECT_LT(first.equilibrium.reactions, 1e-8) << name;
    EXPECT_LT(first.equilibrium.nodes, 1e-8) << name;
    for (std::size_t i = 0; i < 4; ++i) {
      const auto own = cable_values(Recovery(first), upright.guys[i]);
      const auto other = cable_values(Recovery(second), turned.guys[i]);
      EXPECT_LE(relative_error(own->tension_start, other->tension_start), 1e-6) << name;
      EXPECT_LE(relative_error(own->sag, other->sag), 1e-5) << name;
    }
  }
}

TEST(Cable, SmallMotionIsTheSameInAllTheories) {
  GuyedMast mast(Matrix3d::Identity(), 1);
  const RunResult r = solve_all(mast.b);
  const Vector3d u = r.find("p-delta", "G")->state.nodes[mast.top].translation;
  const Vector3d v = r.find("large", "G")->state.nodes[mast.top].translation;
  EXPECT_LT((u - v).norm(), 1e-4 * u.norm());
}

// About the state a cable is the spring that its tangent says: with it in the cable's place the
// frame buckles at the same factor, its inertia apart it vibrates alike.
TEST(Cable, BucklingAndVibrationAboutItsState) {
  FrameBuilder b;
  const SectionId s = b.section(area(4e-4)), tube = b.section(rolled_section());
  const MaterialId steel = b.material(2.1e11, 8.1e10, 7850), rope = b.material(1.6e11, 1);
  const NodeId foot = b.node("F", 0, 0, 0), top = b.node("T", 0, 0, 20);
  b.member("mast", foot, top, tube, steel);
  b.fix(foot, {0, 2});
  std::vector<MemberId> guys;
  for (const double x : {-9.0, 9.0}) {
    const NodeId ground = b.node(x < 0 ? "L" : "R", x, 0, 0);
    b.fix(ground, {0, 2});
    guys.push_back(cable(b, x < 0 ? "GL" : "GR", top, ground, s, rope, 0, 2e4));
    b.uniform(guys.back(), 2, -25);
  }
  b.nodal_load(top, force6(900, 0, -2e4));
  cut_cables(b.model);
  b.load_case();
  AnalysisSpec second, modes, stability;
  second.name = "second";
  second.become<PDeltaKeys>();
  second.loads = {b.model.case_alone(CaseId(0))};
  modes.name = "modes";
  ModalKeys& keys = modes.become<ModalKeys>();
  keys.modes = 2;
  modes.after = {"second", "G"};
  stability.name = "stability";
  stability.become<BucklingKeys>().modes = 2;
  stability.loads = second.loads;
  b.model.analyses = {second, modes, stability};
  const RunResult r = run(b.model);
  const Step& state = *r.find("second", "G");
  ASSERT_TRUE(state.outcome.stands()) << state.outcome.reason;

  // The same mast on the springs of the two tangents.
  const auto spring_at = [&](const Step& at) {
    Matrix3d k = Matrix3d::Zero();
    for (const MemberId id : guys) {
      const Member& m = r.model->members[id];
      const Vector3d chord = r.model->nodes[m.end].position - r.model->nodes[m.start].position -
                             at.state.nodes[top].translation;
      const Catenary hung(m.cut_length, 1.6e11 * 4e-4, {0, 0, -25}, chord);
      k += hung.stiffness();
    }
    return k;
  };
  FrameBuilder alone;
  alone.material(2.1e11, 8.1e10, 7850);
  alone.section(rolled_section());
  const NodeId f = alone.node("F", 0, 0, 0), t = alone.node("T", 0, 0, 20);
  alone.member("mast", f, t, SectionId(0), MaterialId(0));
  alone.fix(f, {0, 2});
  const Matrix3d k = spring_at(state);
  alone.spring(t, 0, k(0, 0));
  // The mast carries what first-order of this frame with its springs must give it: its own N.
  const double N = mean_axial_force(Recovery(state), MemberId(0));
  alone.spring(t, 2, 1e-3);
  alone.nodal_load(t, 2, N);
  AnalysisSpec first;
  first.name = "second";
  first.become<PDeltaKeys>();
  first.loads = {alone.model.case_alone(CaseId(0))};
  AnalysisSpec again = modes;
  alone.model.analyses = {first, again};
  const RunResult q = run(alone.model);
  const auto modes_of = [](const RunResult& result) {
    for (const Step& step : result.steps) {
      if (step.analysis == "modes") return step.modal;
    }
    return std::shared_ptr<const ModalResult>();
  };
  const auto own = modes_of(r), other = modes_of(q);
  ASSERT_TRUE(own && other);
  // The two guys couple the axes of the top a little where they pull unlike.
  EXPECT_LE(relative_error(own->modes[0].omega, other->modes[0].omega), 1e-3);
  const Step& buckles = *r.find("stability", "G");
  ASSERT_TRUE(buckles.buckling) << buckles.outcome.reason;
  EXPECT_GT(buckles.buckling->modes.front().factor, 1);
}

// Ropes without weight that are longer than their ends are apart: slack as drawn, straight under
// the load that hangs from them.
TEST(Cable, SlackRopesWithoutWeightHangUnderALoad) {
  constexpr double EA = 3e6, P = 2e3, L1 = 5.5, L2 = 6.5;
  FrameBuilder b;
  const SectionId s = b.section(area(1e-3));
  const MaterialId m = b.material(EA / 1e-3, 1);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 4, 0, -1), C = b.node("C", 9, 0, 1);
  cable(b, "K1", A, B, s, m, L1);
  cable(b, "K2", B, C, s, m, L2);
  for (const NodeId n : {A, C}) b.fix(n, {0, 2});
  b.nodal_load(B, 2, -P);
  const RunResult r = solve_all(b);
  for (const std::string& name : kAll) {
    const Step& step = *r.find(name, "G");
    ASSERT_TRUE(step.outcome.stands()) << name << ": " << step.outcome.reason;
    const Vector3d at = r.model->nodes[B].position + step.state.nodes[B].translation;
    const Vector3d left = at, right = Vector3d(9, 0, 1) - at;
    const double N1 = EA * (left.norm() / L1 - 1), N2 = EA * (right.norm() / L2 - 1);
    const Vector3d balance = -N1 * left.normalized() + N2 * right.normalized();
    EXPECT_NEAR(balance[0], 0, 1e-5) << name;
    EXPECT_NEAR(balance[2], P, 1e-5) << name;
    EXPECT_GT(N1, 0);
    EXPECT_NEAR(mean_axial_force(Recovery(step), MemberId(0)), N1, 1e-5);
  }
}

TEST(Cable, FrameWithTiesAndCables) {
  // A braced bay whose tie goes slack, and a cable that stays it: all conditions hold at once.
  FrameBuilder b;
  const SectionId s = b.section(area(4e-4)), profile = b.section(rolled_section());
  const MaterialId m = b.material(2.1e11, 8.1e10, 7850);
  const auto p = b.portal(6, 4, profile, profile, m);
  for (Member& member : b.model.members) {
    if (member.name == "BC") member.joints[0][4] = member.joints[1][4] = 0;
  }
  for (const NodeId n : {p.A, p.D}) b.fix(n, {0, 2});
  for (const auto& [name, from, to] : {std::tuple{"X1", p.A, p.C}, std::tuple{"X2", p.D, p.B}}) {
    b.model.members[b.member(name, from, to, s, m)].kind = MemberKind::tension_only;
  }
  const NodeId ground = b.node("E", -5, 0, 0);
  b.fix(ground, {0, 2});
  const MemberId guy = cable(b, "K", ground, p.B, s, m, 0, 1e4);
  weigh(b, guy);
  b.nodal_load(p.B, force6(3e4, 0, -2e4));
  const RunResult r = solve_all(b);
  for (const std::string& name : kAll) {
    const Step& step = *r.find(name, "G");
    ASSERT_TRUE(step.outcome.stands()) << name << ": " << step.outcome.reason;
    EXPECT_LT(step.equilibrium.nodes, 1e-8) << name;
    const auto slack = slack_members(*r.model, step.state);
    EXPECT_EQ(slack, std::vector<std::string>{"X2"}) << name;
  }
  EXPECT_LE(relative_error(r.find("large", "G")->state.nodes[p.B].translation[0],
                           r.find("p-delta", "G")->state.nodes[p.B].translation[0]),
            3e-3);
}

TEST(Cable, LooseCablesThatLeaveAMechanismAreNamed) {
  FrameBuilder b;
  const SectionId s = b.section(area(4e-4)), profile = b.section(rolled_section());
  const MaterialId m = b.material(2.1e11, 8.1e10);
  const NodeId foot = b.node("F", 0, 0, 0), top = b.node("T", 0, 0, 8);
  b.member("mast", foot, top, profile, m);
  b.fix(foot, {0, 2});
  for (const double x : {-6.0, 6.0}) {
    const NodeId ground = b.node(x < 0 ? "L" : "R", x, 0, 0);
    b.fix(ground, {0, 2});
    const MemberId id = cable(b, x < 0 ? "GL" : "GR", ground, top, s, m, 0);
    b.model.members[id].slack = 0.02;
  }
  b.nodal_load(top, 2, -1e3);
  const RunResult r = solve_all(b);
  const Step& step = *r.find("linear", "G");
  EXPECT_FALSE(step.outcome.stands());
  EXPECT_NE(step.outcome.reason.find("GL"), std::string::npos) << step.outcome.reason;
}

}  // namespace
}  // namespace ulterix::testing::cable_test
