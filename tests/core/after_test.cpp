// Analyses that start from the state of another, and what a result has in reserve.
#include <gtest/gtest.h>

#include <algorithm>

#include "core/analysis/staged.hpp"
#include "core/results/modes.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::after_test {
namespace {

AnalysisSpec spec_of(const std::string& name, AnalysisKind kind, const LoadSet& loads) {
  AnalysisSpec spec;
  spec.name = name;
  spec.become(kind);
  spec.loads = {loads};
  return spec;
}

/// A portal with cases G, W and both at once.
struct Loaded {
  FrameBuilder b;
  FrameBuilder::Portal p;
  LoadSet G, W, both;

  Loaded() {
    const SectionId s = b.section(rolled_section());
    p = b.portal(6, 4, s, s, b.material(210e9, 81e9, 7850));
    b.fix(p.A, {0, 2, 4});
    b.fix(p.D, {0, 2});
    LoadCase g, w;
    g.name = "G";
    g.nodal = {{p.B, force6(0, 0, -4e5), 0}, {p.C, force6(0, 0, -5e5), 0}};
    g.distributed = {{MemberId(1), force6(0, 0, -9e3), force6(0, 0, -9e3), 0, 6}};
    w.name = "W";
    w.nodal = {{p.B, force6(3e4, 0, 0), 0}};
    b.model.cases.push_back(g);
    b.model.cases.push_back(w);
    G = b.model.case_alone(CaseId(0));
    W = b.model.case_alone(CaseId(1));
    both.name = "both";
    both.terms = {{CaseId(0), 1.0}, {CaseId(1), 1.0}};
  }
};

double difference(const Step& a, const Step& b) {
  double u = 0, du = 0;
  for (int i = 0; i < a.state.nodes.size(); ++i) {
    u = std::max(u, a.state.nodes[NodeId(i)].vector().norm());
    du = std::max(du,
                  (a.state.nodes[NodeId(i)].vector() - b.state.nodes[NodeId(i)].vector()).norm());
  }
  return du / u;
}

TEST(After, PDeltaGoesOnFromPDelta) {
  Loaded f;
  AnalysisSpec then = spec_of("then", AnalysisKind::p_delta, f.W);
  then.after = {"second", "G"};
  f.b.model.analyses = {spec_of("second", AnalysisKind::p_delta, f.G),
                        spec_of("whole", AnalysisKind::p_delta, f.both), then};
  const RunResult r = run(f.b.model);
  const Step &a = *r.find("then", "W"), &b = *r.find("whole", "both");
  ASSERT_TRUE(a.outcome.stands()) << a.outcome.reason;
  EXPECT_LT(difference(a, b), 1e-9);
  EXPECT_LT((a.reactions[f.p.A] - b.reactions[f.p.A]).norm(), 1e-8 * b.reactions[f.p.A].norm());
  // First-order beside it has all of the loads, too.
  const Step* first = r.own_baseline(a);
  ASSERT_NE(first, nullptr);
  EXPECT_LT(difference(*first, r.baseline("both")), 1e-12);
  ASSERT_TRUE(a.reserve && b.reserve);
  EXPECT_RELATIVE(*a.reserve, *b.reserve, 1e-6);
}

/// Stages of a portal whose beam comes when the columns have bent.
AnalysisSpec erection_of(const Loaded& f, bool with_wind) {
  AnalysisSpec spec;
  spec.name = with_wind ? "with-wind" : "erection";
  StagedKeys& keys = spec.become<StagedKeys>();
  LoadCase acts;
  acts.nodal = {{f.p.B, force6(2e4, 0, -1e5), 0}, {f.p.C, force6(0, 0, -1e5), 0}};
  const auto stage = [&](const std::string& name, const std::vector<MemberId>& erected) {
    Stage s;
    s.name = name;
    s.erected = erected;
    s.theory = AnalysisKind::p_delta;
    keys.stages.push_back(s);
    LoadSet set;
    set.name = name;
    set.items = std::make_shared<const LoadCase>(acts);
    spec.loads.push_back(set);
  };
  stage("columns", {MemberId(0), MemberId(2)});
  acts.distributed = {{MemberId(1), force6(0, 0, -9e3), force6(0, 0, -9e3), 0, 6}};
  stage("beam", {MemberId(1)});
  if (!with_wind) return spec;
  acts.nodal.push_back({f.p.B, force6(3e4, 0, 0), 0});
  stage("wind", {});
  return spec;
}

TEST(After, PDeltaGoesOnFromAStage) {
  Loaded f;
  // Columns that stand by themselves.
  f.b.model.supports.clear();
  f.b.fix(f.p.A, {0, 2, 4});
  f.b.fix(f.p.D, {0, 2, 4});
  AnalysisSpec then = spec_of("then", AnalysisKind::p_delta, f.W);
  then.after = {"erection", "beam"};
  f.b.model.analyses = {erection_of(f, false), erection_of(f, true), then};
  const RunResult r = run(f.b.model);
  const Step &a = *r.find("then", "W"), &b = *r.find("with-wind", "wind");
  ASSERT_TRUE(a.outcome.stands()) << a.outcome.reason;
  ASSERT_TRUE(b.outcome.stands()) << b.outcome.reason;
  EXPECT_LT(difference(a, b), 1e-8);
  const double at = 2.5;
  EXPECT_RELATIVE(Recovery(a).line(MemberId(1)).at(at).forces[kMy],
                  Recovery(b).line(MemberId(1)).at(at).forces[kMy], 1e-7);
  // Built without force at displaced nodes, it is not the frame at once.
  f.b.model.analyses = {spec_of("plain", AnalysisKind::p_delta, f.both)};
  EXPECT_GT(difference(a, *run(f.b.model).find("plain", "both")), 1e-2);
}

TEST(After, BucklingScalesWhatComesOnTop) {
  // A column that carries 0.4 of its critical load from its stage: 0.6 is left for the rest.
  FrameBuilder b;
  const NodeId foot = b.node("A", 0, 0, 0), top = b.node("B", 0, 0, 5);
  const MemberId column =
      b.member("column", foot, top, b.section(bending_only(1e-5, 1e-2)), b.material(210e9, 81e9));
  b.fix(foot, {0, 2, 4});
  const double critical = M_PI * M_PI * 210e9 * 1e-5 / (4 * 25);
  LoadCase acts;
  acts.nodal = {{top, force6(0, 0, -0.4 * critical), 0}};
  b.nodal_load(top, 2, -0.1 * critical);
  AnalysisSpec erection;
  erection.name = "erection";
  Stage stage;
  stage.name = "one";
  stage.erected = {column};
  erection.become<StagedKeys>().stages = {stage};
  LoadSet set;
  set.name = "one";
  set.items = std::make_shared<const LoadCase>(acts);
  erection.loads = {set};
  AnalysisSpec stability =
      spec_of("stability", AnalysisKind::buckling, b.model.case_alone(CaseId(0)));
  stability.after = {"erection", "one"};
  b.model.analyses = {erection, stability};
  const RunResult r = run(b.model);
  ASSERT_NE(r.find("stability", "G"), nullptr);
  const Step& step = *r.find("stability", "G");
  ASSERT_TRUE(step.buckling) << step.outcome.reason;
  ASSERT_FALSE(step.buckling->modes.empty());
  EXPECT_RELATIVE(step.buckling->modes.front().factor, 6, 1e-6);
}

TEST(Reserve, OfAFrameUnderHoldsIsThatOfTheHeldFrame) {
  Loaded f;
  AnalysisSpec second = spec_of("second", AnalysisKind::p_delta, f.G);
  AnalysisSpec stability = spec_of("stability", AnalysisKind::buckling, f.G);
  const Hold hold{f.p.B, {true, false, false, false, false, false}};
  second.holds = stability.holds = {hold};
  AnalysisSpec free = spec_of("free", AnalysisKind::buckling, f.G);
  f.b.model.analyses = {second, stability, free};
  const RunResult r = run(f.b.model);
  const double held = r.find("stability", "G")->buckling->lowest();
  EXPECT_GT(held, 2 * r.find("free", "G")->buckling->lowest());
  ASSERT_TRUE(r.find("second", "G")->reserve);
  // By the axial forces of the bent frame, not those of first-order.
  EXPECT_RELATIVE(*r.find("second", "G")->reserve, held, 1e-3);
}

TEST(Buckling, WhatStrainsTheFrameStaysBesideConstantLoads) {
  // A column between two held ends that is pressed by a settlement of the top, loaded in the
  // middle: the settlement as the support's own, and as a constant load.
  std::vector<double> factors;
  for (const bool in_case : {false, true}) {
    FrameBuilder b;
    const MaterialId m = b.material(210e9, 81e9);
    const SectionId s = b.section(bending_only(1e-5, 1e-2));
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 2), C = b.node("C", 0, 0, 5);
    b.member("low", A, B, s, m);
    b.member("high", B, C, s, m);
    b.fix(A, {0, 2});
    b.fix(C, {0, 2});
    const double critical = M_PI * M_PI * 210e9 * 1e-5 / 25;
    const double down = -0.3 * critical * 5 / (210e9 * 1e-2);
    LoadCase stays, grows;
    stays.name = "stays";
    grows.name = "grows";
    stays.nodal = {{B, force6(0, 0, -1e3), 0}};
    grows.nodal = {{B, force6(0, 0, -0.2 * critical), 0}};
    if (in_case) {
      stays.ground = {{C, 2, down}};
    } else {
      b.model.supports.back().directions[2].settle = down;
    }
    b.model.cases.push_back(stays);
    b.model.cases.push_back(grows);
    AnalysisSpec spec = spec_of("stability", AnalysisKind::buckling, b.model.case_alone(CaseId(1)));
    spec.become<BucklingKeys>().constant = b.model.case_alone(CaseId(0));
    b.model.analyses = {spec};
    const RunResult r = run(b.model);
    const Step& step = *r.find("stability", "grows");
    ASSERT_TRUE(step.buckling) << step.outcome.reason;
    factors.push_back(step.buckling->modes.front().factor);
  }
  EXPECT_RELATIVE(factors[0], factors[1], 1e-9);
}

}  // namespace
}  // namespace ulterix::testing::after_test
