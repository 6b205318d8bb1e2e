// Geometric stiffness and mass of a piece of a member against the matrices of the textbooks.
#include "core/element/linear_matrices.hpp"

#include <gtest/gtest.h>

#include <Eigen/Eigenvalues>

#include "support/frame_builder.hpp"

namespace ulterix::testing {
namespace {

constexpr double kLength = 3, kAxial = -7;  // m, N

ElementProperties slender() {
  ElementProperties p;
  p.length = kLength;
  p.EA = 1e3;
  p.EIy = 20;
  p.EIz = 5;
  p.GJ = 4;
  p.r2 = 0.09;
  return p;
}

/// Directions of a bending plane and the sign that turns θ into the slope of w.
struct PlaneOf {
  int w1, t1, w2, t2;
  double sign;
};
constexpr PlaneOf kAboutY{2, 4, 8, 10, -1}, kAboutZ{1, 5, 7, 11, 1};

TEST(GeometricStiffness, OfConstantForceIsThatOfTheTextbooks) {
  const double L = kLength, N = kAxial;
  const Matrix12d G = geometric_stiffness(slender(), {N, N}, {});
  for (const PlaneOf& p : {kAboutY, kAboutZ}) {
    EXPECT_RELATIVE(G(p.w1, p.w1), 6 * N / (5 * L), kExact);
    EXPECT_RELATIVE(G(p.w1, p.w2), -6 * N / (5 * L), kExact);
    EXPECT_RELATIVE(G(p.w1, p.t1), p.sign * N / 10, kExact);
    EXPECT_RELATIVE(G(p.w2, p.t1), -p.sign * N / 10, kExact);
    EXPECT_RELATIVE(G(p.t1, p.t1), 2 * N * L / 15, kExact);
    EXPECT_RELATIVE(G(p.t1, p.t2), -N * L / 30, kExact);
  }
  EXPECT_RELATIVE(G(3, 3), N * 0.09 / L, kExact);
  EXPECT_RELATIVE(G(3, 9), -N * 0.09 / L, kExact);
  EXPECT_EQ(G(0, 0), 0);
  EXPECT_LT((G - G.transpose()).norm(), kExact);
}

TEST(GeometricStiffness, DoesNoWorkOnRigidTranslationAndTurnsByTheChord) {
  const Matrix12d G = geometric_stiffness(slender(), {kAxial, 3 * kAxial}, {});
  for (int d = 0; d < 3; ++d) {
    Vector12d u = Vector12d::Zero();
    u[d] = u[6 + d] = 1;
    EXPECT_LT((G * u).norm(), kExact);
  }
  // A rigid turn by 1 has w' = 1 all along: ∫N·w'² = N̄·L.
  Vector12d turn = Vector12d::Zero();
  turn[8] = kLength;
  turn[4] = turn[10] = -1;
  EXPECT_RELATIVE(turn.dot(G * turn), 2 * kAxial * kLength, kExact);
}

TEST(GeometricStiffness, LeavesOutWhatThePlaneOfTheModelHolds) {
  ActiveMotions plane;
  plane.bends_in_y = plane.twists = false;
  const Matrix12d G = geometric_stiffness(slender(), {kAxial, kAxial}, plane);
  EXPECT_NE(G(2, 2), 0);
  EXPECT_EQ(G(1, 1), 0);
  EXPECT_EQ(G(3, 3), 0);
}

TEST(GeometricStiffness, OfAnAxialMemberIsThatOfItsChord) {
  ElementProperties p = slender();
  p.kind = MemberKind::axial;
  const Matrix12d G = geometric_stiffness(p, {kAxial, kAxial}, {});
  EXPECT_RELATIVE(G(2, 2), kAxial / kLength, kExact);
  EXPECT_RELATIVE(G(1, 7), -kAxial / kLength, kExact);
  EXPECT_EQ(G(4, 4), 0);
}

TEST(MassMatrix, ConsistentIsThatOfTheTextbooks) {
  LineMass mass;
  mass.translation = {5, 5};
  mass.about_x = 0.3;
  const Matrix12d M = mass_matrix(slender(), mass, false);
  const double L = kLength, m = 5 * L / 420;
  for (const PlaneOf& p : {kAboutY, kAboutZ}) {
    EXPECT_RELATIVE(M(p.w1, p.w1), 156 * m, kExact);
    EXPECT_RELATIVE(M(p.w1, p.w2), 54 * m, kExact);
    EXPECT_RELATIVE(M(p.w1, p.t1), p.sign * 22 * L * m, kExact);
    EXPECT_RELATIVE(M(p.w1, p.t2), -p.sign * 13 * L * m, kExact);
    EXPECT_RELATIVE(M(p.t1, p.t1), 4 * L * L * m, kExact);
    EXPECT_RELATIVE(M(p.t1, p.t2), -3 * L * L * m, kExact);
  }
  EXPECT_RELATIVE(M(0, 0), 5 * L / 3, kExact);
  EXPECT_RELATIVE(M(0, 6), 5 * L / 6, kExact);
  EXPECT_RELATIVE(M(3, 3), 0.3 * L / 3, kExact);
}

TEST(MassMatrix, RigidMotionsCarryTheWholeMassWhateverTheShear) {
  ElementProperties soft = slender();
  soft.shear_flexibility_y = soft.shear_flexibility_z = 0.2;
  LineMass mass;
  mass.translation = {2, 8};  // 15 kg over 3 m
  for (const ElementProperties& p : {slender(), soft}) {
    for (const bool lumped : {false, true}) {
      const Matrix12d M = mass_matrix(p, mass, lumped);
      for (int d = 0; d < 3; ++d) {
        Vector12d u = Vector12d::Zero();
        u[d] = u[6 + d] = 1;
        EXPECT_RELATIVE(u.dot(M * u), 15, kExact) << d << lumped;
      }
      EXPECT_GT(Eigen::SelfAdjointEigenSolver<Matrix12d>(M).eigenvalues().minCoeff(), -kExact);
    }
    // About the start: ∫m·x² = 2·L³/3 + 6·L³/4.
    Vector12d turn = Vector12d::Zero();
    turn[8] = kLength;
    turn[4] = turn[10] = -1;
    EXPECT_RELATIVE(turn.dot(mass_matrix(p, mass, false) * turn),
                    std::pow(kLength, 3) * (2.0 / 3 + 6.0 / 4), kExact);
  }
}

TEST(EndMotion, OfAHingedEndFollowsTheBeam) {
  ElementProperties p = slender();
  EXPECT_EQ(end_motion(Element(p, MemberLoading::none(kLength), {})), Matrix12d::Identity());
  p.joints[0][4] = 0;
  const Matrix12d T = end_motion(Element(p, MemberLoading::none(kLength), {}));
  // No moment at the start: its slope is 1.5 times the chord's turn less half of the end's slope.
  EXPECT_RELATIVE(T(4, 8), -1.5 / kLength, kExact);
  EXPECT_RELATIVE(T(4, 2), 1.5 / kLength, kExact);
  EXPECT_RELATIVE(T(4, 10), -0.5, kExact);
  EXPECT_NEAR(T(4, 4), 0, kExact);
  EXPECT_EQ(T.row(10), Matrix12d::Identity().row(10));
}

}  // namespace
}  // namespace ulterix::testing
