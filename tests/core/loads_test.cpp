// Loads gathered from cases and combinations, notional loads, shares at the nodes.
#include <gtest/gtest.h>

#include <numbers>

#include "support/frame_builder.hpp"

namespace ulterix::testing::loads_test {
namespace {

/// A beam of 4 m on two nodes of equal height, and a column below its end.
struct Tee {
  FrameBuilder b;
  NodeId A, B, C;
  MemberId beam, column;

  explicit Tee(Plane plane = Plane::space) : b(plane) {
    const MaterialId steel = b.material(210e9, 81e9, 7850);
    const SectionId s = b.section(bending_only(1e-4, 1e-2));
    A = b.node("A", 0, 0, 3);
    B = b.node("B", 4, 0, 3);
    C = b.node("C", 4, 0, 0);
    beam = b.member("beam", A, B, s, steel);
    column = b.member("column", C, B, s, steel);
    b.load_case();
  }

  AppliedLoads loads(double notional_x = 0, double notional_y = 0, double factor = 1) {
    LoadSet set = b.model.case_alone(CaseId(0));
    set.terms[0].second = factor;
    set.notional_x = notional_x;
    set.notional_y = notional_y;
    return {situation(), set};
  }
  const Situation& situation() {
    situation_.emplace(b.model);
    return *situation_;
  }

 private:
  std::optional<Situation> situation_;
};

TEST(Loads, MemberLoadsAreSharedByStatics) {
  Tee t;
  t.b.distributed(t.beam, force6(0, 0, -2e3), force6(0, 0, -6e3), 1, 4);
  t.b.point(t.beam, 3, force6(0, 0, -8e3));
  const AppliedLoads loads = t.loads();
  const auto shared = loads.shared_to_nodes();
  const double W = 12e3, centroid = 1 + 3 * (2 + 2 * 6) / (3.0 * 8);
  EXPECT_RELATIVE(-shared[t.B][2], (W * centroid + 8e3 * 3) / 4, kExact);
  EXPECT_RELATIVE(-shared[t.A][2], W + 8e3 - (W * centroid + 8e3 * 3) / 4, kExact);
  EXPECT_RELATIVE(-loads.total_force()[2], W + 8e3, kExact);
}

TEST(Loads, ACoupleIsShared) {
  Tee t;
  t.b.point(t.beam, 1, force6(0, 0, 0, 0, 6e3, 0));  // about +y: pushes the start up, the end down
  const auto shared = t.loads().shared_to_nodes();
  EXPECT_RELATIVE(shared[t.A][2], 6e3 / 4, kExact);
  EXPECT_RELATIVE(shared[t.B][2], -6e3 / 4, kExact);
}

TEST(Loads, OwnWeightOfAColumnGoesHalfToEachEnd) {
  Tee t;
  t.b.load_case().self_weight.push_back({t.column, 1.0});
  const auto shared = t.loads().shared_to_nodes();
  const double weight = 7850 * 1e-2 * 3 * 9.80665;
  EXPECT_RELATIVE(-shared[t.B][2], weight / 2, kExact);
  EXPECT_RELATIVE(-shared[t.C][2], weight / 2, kExact);
}

TEST(Loads, NotionalIsAFractionOfTheNetGravityAfterFactors) {
  Tee t;
  t.b.nodal_load(t.A, 2, -10e3);
  t.b.nodal_load(t.A, 2, 4e3);
  t.b.nodal_load(t.B, 2, 7e3);  // net uplift counts as nothing
  t.b.uniform(t.column, 0, 1e3);
  const AppliedLoads loads = t.loads(0.005, -0.002, 1.5);
  EXPECT_RELATIVE(loads.on_node(t.A)[0], 0.005 * 1.5 * 6e3, kExact);
  EXPECT_RELATIVE(loads.on_node(t.A)[1], -0.002 * 1.5 * 6e3, kExact);
  EXPECT_EQ(loads.on_node(t.B)[0], 0);
  EXPECT_EQ(loads.on_node(t.C)[0], 0);
}

TEST(Loads, FactorsAddUpOverTerms) {
  Tee t;
  t.b.nodal_load(t.A, 0, 1e3);
  LoadSet set = t.b.model.case_alone(CaseId(0));
  set.terms.emplace_back(CaseId(0), -0.25);
  EXPECT_RELATIVE(AppliedLoads(t.situation(), set).on_node(t.A)[0], 750, kExact);
}

TEST(Loads, OfOneMemberAloneAreThoseItHasAmongAll) {
  Tee t;
  t.b.uniform(t.column, 0, 1e3);
  t.b.nodal_load(t.A, 0, 1e3);
  const LoadSet set = t.b.model.case_alone(CaseId(0));
  const AppliedLoads all(t.situation(), set), alone(t.situation(), set, {t.column});
  EXPECT_EQ(alone.on_member(t.column).resultant(), all.on_member(t.column).resultant());
  EXPECT_GT(alone.on_member(t.column).resultant().norm(), 0);
}

TEST(Loads, LocalLoadsTurnWithTheRoll) {
  Tee t;
  t.b.model.members[t.beam].roll = std::numbers::pi / 2;
  t.b.uniform(t.beam, 2, -1e3, LoadAxes::local);
  // Rolled by 90 degrees about +x, local z points along −y.
  const Vector3d total = t.loads().total_force();
  EXPECT_RELATIVE(total[1], 4e3, kExact);
  EXPECT_NEAR(total[2], 0, 1e-9);
}

TEST(LocalAxes, FollowTheConventions) {
  const auto axes = [](const Vector3d& a, const Vector3d& b, double roll = 0, int vertical = 2) {
    return local_axes(a, b, roll, vertical);
  };
  // A beam along x: z up, y along global y.
  EXPECT_EQ(axes({0, 0, 0}, {5, 0, 0}), Matrix3d(Matrix3d::Identity()));
  // Backwards: z still up, y = z × x against global y.
  EXPECT_EQ(axes({5, 0, 0}, {0, 0, 0}).row(1), Vector3d(0, -1, 0).transpose());
  EXPECT_EQ(axes({5, 0, 0}, {0, 0, 0}).row(2), Vector3d(0, 0, 1).transpose());
  // A column: y along global y, z = x × y along −x.
  EXPECT_EQ(axes({0, 0, 0}, {0, 0, 3}).row(1), Vector3d(0, 1, 0).transpose());
  EXPECT_EQ(axes({0, 0, 0}, {0, 0, 3}).row(2), Vector3d(-1, 0, 0).transpose());
  // Within 1:50 of vertical it is a column, beyond it a beam with z upwards.
  EXPECT_GT(axes({0, 0, 0}, {0.059, 0, 3})(1, 1), 0.99);
  EXPECT_NEAR(axes({0, 0, 0}, {0.061, 0, 3})(2, 0), -1, 1e-3);
  // Vertical y: a column takes y along −z.
  EXPECT_EQ(axes({0, 0, 0}, {0, 3, 0}, 0, 1).row(1), Vector3d(0, 0, -1).transpose());
  // Roll is right-handed about x: y goes to z.
  EXPECT_LT(
      (axes({0, 0, 0}, {5, 0, 0}, std::numbers::pi / 2).row(1) - Vector3d(0, 0, 1).transpose())
          .norm(),
      1e-15);
  // Any axes are orthonormal and right-handed.
  const Matrix3d R = axes({1, 2, 3}, {-2, 0.5, 7}, 0.7);
  EXPECT_LT((R * R.transpose() - Matrix3d::Identity()).norm(), 1e-15);
  EXPECT_NEAR(R.determinant(), 1, 1e-15);
}

TEST(DofMap, SupportsSettlementAndSkewConstraints) {
  Tee t;
  t.b.fix(t.A, {0, 2});
  t.b.model.supports[0].directions[2].settle = -0.01;
  Situation situation(t.b.model);
  ExtraRestraint skew;
  skew.node = t.B;
  skew.direction << 0, 0, 0, std::sqrt(0.5), 0, std::sqrt(0.5);
  situation.restraints.push_back(skew);
  const FrameSystem system(situation);
  EXPECT_EQ(system.dofs()[t.A].count, 4);
  EXPECT_EQ(system.dofs()[t.B].count, 5);
  EXPECT_FALSE(system.dofs()[t.B].selection);
  const Eigen::VectorXd q = Eigen::VectorXd::Random(system.dofs().size());
  const auto u0 = [&](NodeId n) { return system.settlement(n); };
  EXPECT_EQ(system.dofs().displacement(t.A, u0, q, VectorXd::Zero(q.size()))[2].value(), -0.01);
  const auto u = system.dofs().displacement(t.B, u0, q, VectorXd::Zero(q.size()));
  double along = 0;
  for (int d = 0; d < 6; ++d) along += u[d].value() * skew.direction[d];
  EXPECT_NEAR(along, 0, 1e-15);
  for (int i = 0; i < system.dofs().size(); ++i) {
    EXPECT_GE(i, system.dofs()[system.dofs().node_of(i)].first);
  }
}

/// The assembled matrix of a skew-constrained frame against the dense TᵀKT of its members.
TEST(FrameSystem, ScatterEqualsTheDenseSum) {
  Tee t;
  t.b.fix(t.A, {0, 1});
  t.b.fix(t.C, {0, 1, 2, 4});
  t.b.model.members[t.beam].joints[1][4] = 2e6;
  Situation situation(t.b.model);
  situation.restraints.push_back({t.B, force6(0, 0, 0, 0.6, 0, 0.8)});
  const FrameSystem system(situation);
  const Assembly assembly = system.assemble(t.loads(), State(t.b.model));
  const int n = system.dofs().size();
  Eigen::MatrixXd sparse = Eigen::MatrixXd::Zero(n, n), dense = sparse;
  for (int j = 0; j < n; ++j) {
    sparse.col(j) = multiply(system.pattern(), assembly.values, Eigen::VectorXd::Unit(n, j));
  }
  for (const MemberId id : t.b.model.members.ids()) {
    const Member& m = t.b.model.members[id];
    const Element e =
        system.element(id, MemberLoading::none(t.b.model.length(id)), State(t.b.model));
    Eigen::MatrixXd G = Eigen::MatrixXd::Zero(12, n);
    for (int end = 0; end < 2; ++end) {
      const NodeDofs& dofs = system.dofs()[end == 0 ? m.start : m.end];
      for (int j = 0; j < dofs.count; ++j) {
        G.block<3, 1>(6 * end, dofs.first + j) = system.axes(id) * dofs.T.col(j).head<3>();
        G.block<3, 1>(6 * end + 3, dofs.first + j) = system.axes(id) * dofs.T.col(j).tail<3>();
      }
    }
    dense += G.transpose() * e.stiffness() * G;
  }
  EXPECT_LT((sparse - dense).norm(), 1e-12 * dense.norm());
}

}  // namespace
}  // namespace ulterix::testing::loads_test
