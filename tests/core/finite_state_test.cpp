// Vibration, buckling and further loads about stages of finite motion, by closed forms and against
// stages that hold the same loads.
#include <gtest/gtest.h>

#include <cmath>

#include "core/analysis/displaced_frame.hpp"
#include "core/results/modes.hpp"
#include "support/erection.hpp"

namespace ulterix::testing::finite_state_test {
namespace {

constexpr AnalysisKind kFinite = AnalysisKind::large_displacement;

AnalysisSpec modes_after(const std::string& stage) {
  AnalysisSpec spec;
  spec.name = "modes";
  spec.become<ModalKeys>().modes = 2;
  spec.after = {"erection", stage};
  return spec;
}

// A rod on a hinge with a spring swings about the direction of its load: k·θ = F·L·sin(α − θ), and
// ω² = (k + N·L)/(m·L²), N = F·cos(α − θ).
TEST(FiniteState, ASwungRodVibratesWithItsTension) {
  const double L = 2, k = 4e4, W = 3e4, H = 2.5e4, m = 900;
  FrameBuilder b;
  // Bending and stretching of the rod take up to 3e-6.
  SectionProperties stiff = bending_only(1, 1);
  const SectionId s = b.section(stiff);
  const MaterialId material = b.material(1e10, 4e9);
  const NodeId top = b.node("T", 0, 0, 0), end = b.node("E", 0, 0, -L);
  const MemberId rod = b.member("rod", top, end, s, material);
  b.fix(top, {0, 2});
  b.spring(top, 4, k);
  b.model.mass.self = false;
  b.model.mass.nodes = {{end, Vector3d::Constant(m)}};
  LoadCase load;
  load.nodal.push_back({end, force6(H, 0, -W), 0});
  Erection erection(b, kFinite);
  erection.stage({rod}, load);
  b.model.analyses = {modes_after("S1")};
  const RunResult r = erection.run();
  const Step& stage = *r.find("erection", "S1");
  ASSERT_TRUE(stage.outcome.stands()) << stage.outcome.reason;
  const double F = std::hypot(W, H), alpha = std::atan2(H, W);
  double angle = alpha / 2;
  for (int i = 0; i < 60; ++i) {
    const double off = k * angle - F * L * std::sin(alpha - angle);
    angle -= off / (k + F * L * std::cos(alpha - angle));
  }
  EXPECT_RELATIVE(std::abs(stage.state.nodes[end].rotation[1]), angle, 1e-5);
  const double omega = std::sqrt((k + F * std::cos(alpha - angle) * L) / (m * L * L));
  ASSERT_TRUE(stage.lowest_omega);
  EXPECT_RELATIVE(*stage.lowest_omega, omega, 1e-5);
  const Step& modes = *r.find("modes", "S1");
  ASSERT_TRUE(modes.modal) << modes.outcome.reason;
  EXPECT_RELATIVE(modes.modal->modes[0].omega, omega, 1e-5);
  // It swings across itself.
  const Vector3d u = modes.modal->modes[0].shape.nodes[end].translation;
  EXPECT_NEAR(std::abs(u[2] / u[0]), std::tan(angle), 1e-5);
}

// The ground turns a mast about its own axis: its weak axis goes along.
TEST(FiniteState, AMemberIsTurnedAsItsEnds) {
  const double turn = 1.1;
  FrameBuilder b(Plane::space);
  SectionProperties flat = bending_only(2e-5, 8e-3);
  flat.Iz = 5e-5;
  flat.J = 3e-5;
  const SectionId s = b.section(flat);
  const MaterialId m = b.material(210e9, 81e9, 7850);
  const NodeId foot = b.node("F", 0, 0, 0), top = b.node("T", 0, 0, 6);
  const MemberId mast = b.member("mast", foot, top, s, m);
  b.fix_all(foot);
  const LoadCase nothing;
  Erection erection(b, kFinite);
  erection.stage({mast}, nothing);
  erection.stage({}, nothing).ground = {{foot, 5, turn}};
  AnalysisSpec before = modes_after("S1"), after = modes_after("S2");
  before.name = "before";
  b.model.analyses = {before, after};
  const RunResult r = erection.run();
  const auto lowest = [&](const char* analysis, const char* stage) {
    return r.find(analysis, stage)->modal->modes[0];
  };
  ASSERT_TRUE(r.find("modes", "S2")->modal) << r.find("modes", "S2")->outcome.reason;
  const VibrationMode a = lowest("before", "S1"), c = lowest("modes", "S2");
  EXPECT_RELATIVE(c.omega, a.omega, 1e-9);
  const Vector3d u = a.shape.nodes[top].translation, v = c.shape.nodes[top].translation;
  const Vector3d turned = Eigen::AngleAxisd(turn, Vector3d::UnitZ()) * u;
  EXPECT_NEAR(std::abs(turned.normalized().dot(v.normalized())), 1, 1e-9);
}

// A column that carries 0.4 of its Euler load buckles when 0.6 of it have come on top.
TEST(FiniteState, BucklingCountsWhatStays) {
  const double L = 5, EI = 210e9 * 4e-5, euler = M_PI * M_PI * EI / (4 * L * L);
  FrameBuilder b;
  const SectionId s = b.section(bending_only(4e-5, 10));
  const MaterialId m = b.material(210e9, 81e9, 7850);
  const NodeId foot = b.node("F", 0, 0, 0), top = b.node("T", 0, 0, L);
  const MemberId column = b.member("column", foot, top, s, m);
  b.fix(foot, {0, 2, 4});
  LoadCase stays, grows;
  stays.nodal.push_back({top, force6(0, 0, -0.4 * euler), 0});
  grows.nodal.push_back({top, force6(0, 0, -0.1 * euler), 0});
  b.model.cases.push_back(grows);
  b.model.cases[CaseId(0)].name = "P";
  Erection erection(b, kFinite);
  erection.stage({column}, stays);
  AnalysisSpec buckles;
  buckles.name = "buckles";
  buckles.become<BucklingKeys>().modes = 1;
  buckles.loads = {b.model.case_alone(CaseId(0))};
  buckles.after = {"erection", "S1"};
  b.model.analyses = {buckles};
  const RunResult r = erection.run();
  const Step& stage = *r.find("erection", "S1");
  ASSERT_TRUE(stage.reserve) << stage.outcome.reason;
  EXPECT_RELATIVE(*stage.reserve, 2.5, 2e-6);
  const Step& step = *r.find("buckles", "P");
  ASSERT_TRUE(step.buckling) << step.outcome.reason;
  EXPECT_RELATIVE(step.buckling->lowest(), 6, 2e-6);
}

// The loads of an analysis that goes on from a stage are those of a further stage.
TEST(FiniteState, LargeDisplacementGoesOnFromAStage) {
  TwoStoreys f;
  LoadCase wind, all = f.on_both;
  wind.nodal.push_back({f.A2, force6(6e4, 0, -1e5, 0, 2e4), 0});
  wind.distributed.push_back({f.lower[0], force6(4e3, 0, 0), force6(9e3, 0, 0), 1, 3});
  TwoStoreys::append(wind, all);
  f.b.model.cases.push_back(wind);
  f.b.model.cases[CaseId(0)].name = "W";
  Erection erection(f.b, kFinite);
  erection.stage(f.lower, f.on_lower);
  erection.stage(f.upper, f.on_both);
  erection.stage({}, all);
  AnalysisSpec then;
  then.name = "then";
  LargeDisplacementKeys& keys = then.become<LargeDisplacementKeys>();
  keys.constant = erection.spec.loads[1];
  keys.events = false;
  then.loads = {f.b.model.case_alone(CaseId(0))};
  then.after = {"erection", "S2"};
  f.b.model.analyses = {then};
  const RunResult r = erection.run();
  const Step &stage = *r.find("erection", "S3"), &step = *r.find("then", "W");
  ASSERT_TRUE(stage.outcome.stands()) << stage.outcome.reason;
  ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
  std::vector<MemberId> members = f.lower;
  members.insert(members.end(), f.upper.begin(), f.upper.end());
  EXPECT_LT(difference(stage, step, members), 1e-6);
  for (const NodeId n : {f.A2, f.D2}) {
    const Vector3d u = stage.state.nodes[n].translation;
    EXPECT_LT((step.state.nodes[n].translation - u).norm(), 1e-7 * u.norm());
  }
  EXPECT_LT((step.reactions[f.D0] - stage.reactions[f.D0]).norm(),
            1e-6 * step.reactions[f.D0].norm());
  EXPECT_LT(step.equilibrium.reactions, 1e-9);
  ASSERT_GT(step.path.size(), 2U);
  EXPECT_EQ(step.path.back().factor, 1);
}

// An arc of a circle under an end moment: its chord says nothing of how it vibrates.
TEST(FiniteState, AStrongBowHasNoFrequencyOfItsChord) {
  const double L = 4, EI = 200e9 * 2e-6, M = 0.8 * EI / L;
  FrameBuilder b;
  const SectionId s = b.section(bending_only(2e-6, 2e-3));
  const MaterialId m = b.material(200e9, 80e9, 7850);
  const NodeId foot = b.node("F", 0, 0, 0), tip = b.node("T", L, 0, 0);
  const MemberId rod = b.member("rod", foot, tip, s, m);
  b.fix(foot, {0, 2, 4});
  LoadCase bends;
  bends.nodal.push_back({tip, force6(0, 0, 0, 0, M, 0), 0});
  Erection erection(b, kFinite);
  erection.stage({rod}, bends);
  b.model.analyses = {modes_after("S1")};
  const RunResult r = erection.run();
  const Step& stage = *r.find("erection", "S1");
  ASSERT_TRUE(stage.outcome.stands()) << stage.outcome.reason;
  const auto error = largest_chord_error(stage);
  ASSERT_TRUE(error);
  EXPECT_RELATIVE(error->sag, L / 0.8 * (1 - std::cos(0.4)), 1e-5);
  EXPECT_GT(error->softens, 0.1);
  EXPECT_FALSE(stage.lowest_omega);
  EXPECT_FALSE(stage.reserve);
  const Step& modes = *r.find("modes", "S1");
  ASSERT_TRUE(modes.modal) << modes.outcome.reason;
  ASSERT_FALSE(modes.modal->remarks.empty());
  EXPECT_NE(modes.modal->remarks.back().find("rod is bowed by"), std::string::npos);
}

}  // namespace
}  // namespace ulterix::testing::finite_state_test
