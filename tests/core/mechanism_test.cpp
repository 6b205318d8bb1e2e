#include "core/system/mechanism.hpp"

#include <gtest/gtest.h>

#include "support/frame_builder.hpp"

namespace ulterix::testing::mechanism_test {
namespace {

using ::testing::Test;

struct Portal {
  FrameBuilder b;
  NodeId A, B, C, D;
  MemberId left, beam, right;

  explicit Portal(Plane plane) : b(plane) {
    const MaterialId steel = b.material(210e9, 81e9);
    SectionProperties p = bending_only(1e-4, 1e-2);
    const SectionId s = b.section(p);
    A = b.node("A", 0, 0, 0);
    B = b.node("B", 0, 0, 4);
    C = b.node("C", 6, 0, 4);
    D = b.node("D", 6, 0, 0);
    left = b.member("left", A, B, s, steel);
    beam = b.member("beam", B, C, s, steel);
    right = b.member("right", D, C, s, steel);
    b.nodal_load(B, 0, 1e4);
  }

  std::vector<std::string> words() {
    const ElasticFrame frame = make_elastic_frame(b.model);
    std::vector<std::string> all;
    for (const Mechanism& m : frame.mechanisms) all.push_back(m.words);
    return all;
  }
};

TEST(Mechanism, PortalWithPinnedBasesAndHingedBeamSways) {
  Portal p(Plane::xz);
  p.b.fix(p.A, {0, 2});
  p.b.fix(p.D, {0, 2});
  p.b.model.members[p.beam].joints[0][4] = p.b.model.members[p.beam].joints[1][4] = 0;
  EXPECT_EQ(p.words(),
            std::vector<std::string>{
                "B and C can move along x together: no support holds them, and hinges turn in "
                "beam at its start and beam at its end; fix ux at B, or join beam stiffly at "
                "its start"});
  p.b.model.members[p.beam].joints[0] = kJoined;  // the remedy works
  EXPECT_TRUE(p.words().empty());
}

TEST(Mechanism, PlanePortalDrawnInSpaceFallsOver) {
  Portal p(Plane::space);
  p.b.fix(p.A, {0, 1, 2});
  p.b.fix(p.D, {0, 1, 2});
  EXPECT_EQ(p.words(),
            std::vector<std::string>{
                "B and C can move along y together: no member or support holds them (left, beam "
                "and right go along); fix uy at B, or set plane = \"xz\""});
}

TEST(Mechanism, NoSupportGivesTheRigidMotions) {
  Portal p(Plane::xz);
  p.b.fix(p.A, {2});
  const auto words = p.words();
  EXPECT_EQ(words.size(), 2u);
  Portal space(Plane::space);
  space.b.model.supports.clear();
  EXPECT_EQ(space.words().size(), 6u);
}

TEST(Mechanism, IndependentMechanismsAreToldOneByOne) {
  FrameBuilder b(Plane::xz);
  SectionProperties bar;
  bar.A = 1e-3;
  const SectionId s = b.section(bar);
  const MaterialId steel = b.material(210e9, 81e9);
  for (int i = 0; i < 2; ++i) {  // two braceless truss bays far apart
    const double x = 20 * i;
    const std::string k = std::to_string(i);
    const NodeId A = b.node("A" + k, x, 0, 0), B = b.node("B" + k, x, 0, 3),
                 C = b.node("C" + k, x + 4, 0, 3), D = b.node("D" + k, x + 4, 0, 0);
    b.member("l" + k, A, B, s, steel);
    b.member("t" + k, B, C, s, steel);
    b.member("r" + k, D, C, s, steel);
    b.fix(A, {0, 2});
    b.fix(D, {0, 2});
  }
  for (Member& m : b.model.members) m.kind = MemberKind::axial;
  const ElasticFrame frame = make_elastic_frame(b.model);
  ASSERT_EQ(frame.mechanisms.size(), 2u);
  EXPECT_EQ(frame.mechanisms[0].words,
            "B0 and C0 can move along x together: no member or support holds them (l0, t0 and r0 "
            "go along); "
            "fix ux at B0, or brace it with a member");
  EXPECT_EQ(frame.mechanisms[1].nodes.size(), 2u);
  EXPECT_EQ(frame.mechanisms[1].hold, b.model.members[MemberId(3)].end);
}

TEST(Mechanism, ASpinIsHeldWithARemark) {
  FrameBuilder b(Plane::space);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 5);
  const MemberId m =
      b.member("m", A, B, b.section(bending_only(1e-5, 1e-2)), b.material(210e9, 81e9));
  b.fix(A, {0, 1, 2});
  b.fix(B, {0, 1});
  b.uniform(m, 0, 2e3);
  const RunResult r = b.run();
  EXPECT_EQ(r.frame.spins.size(), 1u);
  ASSERT_EQ(r.remarks.size(), 1u);
  EXPECT_EQ(r.remarks[0], "m could spin about its own axis; held at A, since no load works on it");
  const Reader first(r, "first-order");
  EXPECT_RELATIVE(std::abs(first.force(m, kMz, 2.5)) + std::abs(first.force(m, kMy, 2.5)),
                  2e3 * 25 / 8, kExact);
  b.nodal_load(B, 5, 100);  // a moment that spins it
  const RunResult loaded = b.run();
  EXPECT_EQ(loaded.find("first-order", "G")->outcome.verdict, Verdict::loaded_free_rotation);
}

/// A tripod of members hinged at both ends: its apex turns with the three spins, and bears load.
TEST(Mechanism, SpinsOfATripodAreHeldTogether) {
  FrameBuilder b(Plane::space);
  const SectionId s = b.section(bending_only(1e-6, 1.5e-3));
  const MaterialId steel = b.material(210e9, 81e9);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 4, 0, 0), C = b.node("C", 2, 3.5, 0),
               T = b.node("T", 2, 1.2, 3);
  std::vector<MemberId> legs;
  for (const NodeId foot : {A, B, C}) {
    legs.push_back(b.member("leg", foot, T, s, steel));
    auto& joints = b.model.members[legs.back()].joints;
    joints[0][4] = joints[0][5] = joints[1][4] = joints[1][5] = 0;
    b.fix(foot, {0, 1, 2});
  }
  b.nodal_load(T, force6(1e4, 0, -5e4));
  const RunResult r = b.run();
  EXPECT_EQ(r.frame.spins.size(), 3u);
  ASSERT_TRUE(r.find("p-delta", "G")->outcome.stands());
  // Statics: the three axial forces balance the load.
  const Reader first(r, "first-order");
  Vector3d sum(1e4, 0, -5e4);
  for (const MemberId leg : legs) {
    sum -= first.force(leg, kN, 0) * local_axes(b.model, leg).row(0).transpose();
  }
  EXPECT_LT(sum.norm(), 1e-5);
}

TEST(Mechanism, AMomentOnADroppedRotationIsAComplaint) {
  FrameBuilder b(Plane::xz);
  SectionProperties bar;
  bar.A = 1e-3;
  const SectionId s = b.section(bar);
  const MaterialId steel = b.material(210e9, 81e9);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 4, 0, 0), C = b.node("C", 2, 0, 2);
  b.member("a", A, C, s, steel);
  b.member("b", B, C, s, steel);
  for (Member& m : b.model.members) m.kind = MemberKind::axial;
  b.fix(A, {0, 2});
  b.fix(B, {0, 2});
  b.nodal_load(C, force6(1e3, 0, -1e3));
  EXPECT_TRUE(b.run().find("p-delta", "G")->outcome.stands());
  b.nodal_load(C, 4, 5e2);
  const RunResult r = b.run();
  const Outcome& outcome = r.find("first-order", "G")->outcome;
  EXPECT_EQ(outcome.verdict, Verdict::loaded_free_rotation);
  EXPECT_NE(outcome.reason.find("node C"), std::string::npos);
}

TEST(Mechanism, WeakIsNotAMechanism) {
  // A spring a billion times softer than the frame still holds it.
  Portal p(Plane::xz);
  p.b.fix(p.A, {0, 2});
  p.b.fix(p.D, {0, 2});
  p.b.model.members[p.beam].joints[0][4] = p.b.model.members[p.beam].joints[1][4] = 0;
  p.b.spring(p.C, 0, 50.0);
  p.b.spring(p.B, 0, 1e3);
  EXPECT_EQ(p.words().size(), 0u) << p.words()[0];
}

TEST(Mechanism, ALongCantileverIsNotAMechanism) {
  FrameBuilder b(Plane::xz);
  const SectionId s = b.section(bending_only(1e-6, 1e-3));
  const MaterialId steel = b.material(210e9, 81e9);
  NodeId last = b.node("n0", 0, 0, 0);
  b.fix(last, {0, 2, 4});
  for (int i = 1; i <= 300; ++i) {
    const NodeId next = b.node("n" + std::to_string(i), 0.1 * i, 0, 0);
    b.member("m" + std::to_string(i), last, next, s, steel);
    last = next;
  }
  b.nodal_load(last, 2, -1);
  const RunResult r = b.run();
  ASSERT_TRUE(r.frame.stands());
  const Reader first(r, "first-order");
  EXPECT_RELATIVE(first.u(last, 2), -std::pow(30.0, 3) / (3 * 210e9 * 1e-6), 1e-5);
}

TEST(Mechanism, HeldEverywhereIsAValidModel) {
  Portal p(Plane::xz);
  for (const NodeId n : {p.A, p.B, p.C, p.D}) p.b.fix(n, {0, 2, 4});
  const RunResult r = p.b.run();
  EXPECT_TRUE(r.find("p-delta", "G")->outcome.stands());
  EXPECT_EQ(Reader(r, "first-order").reaction(p.B, 0), -1e4);
}

}  // namespace
}  // namespace ulterix::testing::mechanism_test
