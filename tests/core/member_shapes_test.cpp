// Shapes of a member between its nodes: geometric stiffness and mass against the matrices of the
// textbooks, inner functions against what they promise, their error against closed forms.
#include <gtest/gtest.h>

#include "core/dense/symmetric_eigen.hpp"
#include "core/modes/mode_member.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::member_shapes_test {
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

/// One span, without loads or mass.
ModeMember plain(const ElementProperties& p) {
  ModeMember m;
  m.properties = p;
  m.spans = {{0, p.length, {}, {}, {}}};
  return m;
}

Matrix12d geometric(const ElementProperties& p, double start, double end) {
  ModeMember m = plain(p);
  m.spans[0].stays = {start, end - start, 0};
  MemberShapes shapes(m, Driver::compression, {});
  return shapes.whole(shapes.matrices(m).stays);
}

Matrix12d mass(const ElementProperties& p, const LinearAlong& along, double about_x, bool lumped) {
  ModeMember m = plain(p);
  m.spans[0].mass = along;
  m.about_x = about_x;
  m.lumped = lumped;
  MemberShapes shapes(m, Driver::mass, {});
  return shapes.whole(shapes.matrices(m).drives);
}

/// Directions of a bending plane and the sign that turns θ into the slope of w.
struct PlaneOf {
  int w1, t1, w2, t2;
  double sign;
};
constexpr PlaneOf kAboutY{2, 4, 8, 10, -1}, kAboutZ{1, 5, 7, 11, 1};

TEST(GeometricStiffness, OfConstantForceIsThatOfTheTextbooks) {
  const double L = kLength, N = kAxial;
  const Matrix12d G = geometric(slender(), N, N);
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
  const Matrix12d G = geometric(slender(), kAxial, 3 * kAxial);
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
  ModeMember m = plain(slender());
  m.spans[0].stays = {kAxial, 0, 0};
  m.bends_in_y = m.twists = false;
  MemberShapes shapes(m, Driver::compression, {});
  const Eigen::MatrixXd G = shapes.whole(shapes.matrices(m).stays);
  EXPECT_NE(G(2, 2), 0);
  EXPECT_EQ(G(1, 1), 0);
  EXPECT_EQ(G(3, 3), 0);
}

TEST(GeometricStiffness, OfAnAxialMemberIsThatOfItsChord) {
  ElementProperties p = slender();
  p.kind = MemberKind::axial;
  const Matrix12d G = geometric(p, kAxial, kAxial);
  EXPECT_RELATIVE(G(2, 2), kAxial / kLength, kExact);
  EXPECT_RELATIVE(G(1, 7), -kAxial / kLength, kExact);
  EXPECT_EQ(G(4, 4), 0);
}

TEST(MassMatrix, ConsistentIsThatOfTheTextbooks) {
  const Matrix12d M = mass(slender(), {5, 5}, 0.3, false);
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
  const LinearAlong along{2, 8};  // 15 kg over 3 m
  for (const ElementProperties& p : {slender(), soft}) {
    for (const bool lumped : {false, true}) {
      const Matrix12d M = mass(p, along, 0, lumped);
      for (int d = 0; d < 3; ++d) {
        Vector12d u = Vector12d::Zero();
        u[d] = u[6 + d] = 1;
        EXPECT_RELATIVE(u.dot(M * u), 15, kExact) << d << lumped;
      }
      EXPECT_GT(symmetric_eigenvalues(M)[0], -kExact);
    }
    // About the start: ∫m·x² = 2·L³/3 + 6·L³/4.
    Vector12d turn = Vector12d::Zero();
    turn[8] = kLength;
    turn[4] = turn[10] = -1;
    EXPECT_RELATIVE(turn.dot(mass(p, along, 0, false) * turn),
                    std::pow(kLength, 3) * (2.0 / 3 + 6.0 / 4), kExact);
  }
}

/// Mass at the joints goes by simple-beam statics: 2 kg/m to 8 kg/m has its centre at 1.8 m of 3 m.
TEST(MassMatrix, LumpedKeepsTheCentre) {
  const Matrix12d M = mass(slender(), {2, 8}, 0.4, true);
  EXPECT_RELATIVE(M(0, 0), 15 * 0.4, kExact);
  EXPECT_RELATIVE(M(8, 8), 15 * 0.6, kExact);
  EXPECT_RELATIVE(M(3, 3), 0.4 * kLength / 2, kExact);
  EXPECT_EQ(M(4, 4), 0);
  ElementProperties hinged = slender();
  hinged.joints[1][3] = 0;
  EXPECT_EQ(mass(hinged, {2, 8}, 0.4, true)(9, 9), 0);
}

/// Kinds of ends, and a shear flexibility.
std::vector<ElementProperties> all_ends() {
  std::vector<ElementProperties> all(6, slender());
  all[1].joints[0][4] = all[1].joints[1][4] = 0;
  all[2].joints[0][5] = 3;
  all[2].joints[1][4] = 2;
  all[3].joints[1][2] = 5;
  all[3].joints[0][0] = 40;
  all[4].shear_flexibility_z = 0.3;
  all[4].shear_flexibility_y = 0.1;
  all[5] = all[4];
  all[5].joints = all[1].joints;
  all[5].joints[1][3] = 7;
  return all;
}

/// Strains of every shape at the points of a rule, and what they store: K of all shapes by numbers.
/// The derivative of psi comes from differences of fields that are polynomials.
Eigen::MatrixXd stored(const ElementProperties& p, const FamilyBasis& basis, Family family,
                       const std::vector<double>& joints) {
  const bool bends = family == Family::bending_z || family == Family::bending_y;
  const double stiffness = family == Family::bending_z   ? p.EIy
                           : family == Family::bending_y ? p.EIz
                           : family == Family::along     ? p.EA
                                                         : p.GJ;
  const double flexibility =
      family == Family::bending_z ? p.shear_flexibility_z : p.shear_flexibility_y;
  const GaussRule& rule = gauss_rule(16);
  const Eigen::Index n = basis.nodal() + basis.inner();
  Eigen::MatrixXd K = Eigen::MatrixXd::Zero(n, n);
  for (std::size_t s = 0; s + 1 < joints.size(); ++s) {
    const double h = (joints[s + 1] - joints[s]) / 2, step = 1e-4;
    for (std::size_t g = 0; g < rule.points.size(); ++g) {
      const int span = static_cast<int>(s);
      const double at = rule.points[g];
      const FamilyValues v = basis.at({{span, at - step}, {span, at}, {span, at + step}});
      const double weight = rule.weights[g] * h;
      if (!bends) {
        K += weight * stiffness * v.slope.col(1) * v.slope.col(1).transpose();
        continue;
      }
      const Eigen::VectorXd curvature = (v.psi.col(2) - v.psi.col(0)) / (2 * step * h);
      K += weight * stiffness * curvature * curvature.transpose();
      if (flexibility > 0) {
        const Eigen::VectorXd angle = v.slope.col(1) - v.psi.col(1);
        K += weight / flexibility * angle * angle.transpose();
      }
    }
  }
  return K;
}

/// Inner functions are orthonormal in the energy of the member with its end springs, and orthogonal
/// to every nodal shape; the nodal shapes store what the first-order element does.
TEST(InnerFunctions, AreOrthonormalAndLeaveFirstOrderAsItIs) {
  const std::vector<double> cuts = {0.7, 1.9}, joints = {0, 0.7, 1.9, kLength};
  for (const ElementProperties& p : all_ends()) {
    const Element element(p, MemberLoading::none(p.length), {});
    const Matrix12d ends = end_motion_of(p);
    for (const Family family : kFamilies) {
      const FamilyBasis basis(family, p, cuts, ends, {true, 4, false});
      Eigen::MatrixXd K = stored(p, basis, family, joints);
      // What the springs at the ends store: c·(end − node)².
      const FamilyValues at_ends = basis.at({{0, -1}, {2, 1}});
      for (int end = 0; end < 2; ++end) {
        for (std::size_t i = 0; i < basis.directions().size(); ++i) {
          const int d = basis.directions()[i];
          if (d / 6 != end) continue;
          const double spring =
              p.joints[static_cast<std::size_t>(end)][static_cast<std::size_t>(d % 6)];
          if (spring == kRigid || spring == 0) continue;
          const bool turns = d % 6 == 4 || d % 6 == 5;
          Eigen::VectorXd relative = turns ? at_ends.psi.col(end) : at_ends.w.col(end);
          if (d % 6 == 4) relative = -relative;
          relative[static_cast<Eigen::Index>(i)] -= 1;
          K += spring * relative * relative.transpose();
        }
      }
      const Eigen::Index nodal = basis.nodal(), inner = basis.inner();
      ASSERT_GT(inner, 0);
      EXPECT_LT(
          (K.bottomRightCorner(inner, inner) - Eigen::MatrixXd::Identity(inner, inner)).norm(),
          1e-6);
      const double scale = std::sqrt(std::max(K.topLeftCorner(nodal, nodal).norm(), 1.0));
      EXPECT_LT(K.topRightCorner(nodal, inner).norm() / scale, 1e-6);
      for (Eigen::Index i = 0; i < nodal; ++i) {
        for (Eigen::Index j = 0; j < nodal; ++j) {
          EXPECT_NEAR(K(i, j),
                      element.stiffness()(basis.directions()[static_cast<std::size_t>(i)],
                                          basis.directions()[static_cast<std::size_t>(j)]),
                      1e-6 * scale * scale);
        }
      }
    }
  }
}

/// More functions leave the first ones as they are, so that nothing found is thrown away.
TEST(InnerFunctions, MoreOfThemLeaveTheFirstOnes) {
  for (const ElementProperties& p : all_ends()) {
    for (const Family family : kFamilies) {
      const FamilyBasis few(family, p, {1.1}, end_motion_of(p), {true, 2, true});
      const FamilyBasis more(family, p, {1.1}, end_motion_of(p), {true, 5, true});
      EXPECT_EQ(few.inner(), more.inner_of(2));
      const std::vector<SpanPoint> points = {{0, -0.6}, {0, 0.3}, {1, 0.1}, {1, 0.9}};
      const Eigen::Index rows = few.nodal() + few.inner();
      EXPECT_LT((more.at(points).w.topRows(rows) - few.at(points).w).norm(), 1e-11);
    }
  }
}

/// The lowest eigenvalues of a member alone with all its nodal motions but those held.
double lowest(const ModeMember& m, int functions, const std::vector<int>& free) {
  MemberShapes shapes(m, Driver::compression, {functions, 0, 0, 0});
  const Eigen::MatrixXd B = shapes.whole(shapes.matrices(m).drives);
  const Element element(m.properties, MemberLoading::none(m.properties.length), {});
  std::vector<int> rows = free;
  for (int i = 0; i < shapes.inner(); ++i) rows.push_back(12 + i);
  const auto n = static_cast<Eigen::Index>(rows.size());
  Eigen::MatrixXd K = Eigen::MatrixXd::Identity(n, n);
  for (std::size_t i = 0; i < free.size(); ++i) {
    for (std::size_t j = 0; j < free.size(); ++j) {
      K(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) =
          element.stiffness()(free[i], free[j]);
    }
  }
  const Eigen::MatrixXd reduced = B(rows, rows);
  return 1 / generalized_eigen(reduced, K).value().values.maxCoeff();
}

TEST(InnerFunctions, TheErrorFallsAsMeasured) {
  ElementProperties p = slender();
  p.EIy = p.length = 1;
  ModeMember m = plain(p);
  m.bends_in_y = m.twists = false;
  m.spans[0].grows = {-1, 0, 0};
  const double pi2 = M_PI * M_PI;
  struct Case {
    std::vector<int> free;
    double exact;
    std::array<double, 4> errors;  // at n = 1, 2, 3, 6
  };
  for (const Case& c :
       {Case{{4, 10}, pi2, {7e-4, 7e-4, 4e-7, 1e-10}}, Case{{}, 4 * pi2, {7e-2, 7e-2, 8e-4, 2e-6}},
        Case{{8, 10}, pi2 / 4, {2e-4, 2e-6, 2e-8, 1e-12}}}) {
    int at = 0;
    for (const int n : {1, 2, 3, 6}) {
      const double error = lowest(m, n, c.free) / c.exact - 1;
      EXPECT_GT(error, -1e-12);
      EXPECT_LT(error, c.errors[static_cast<std::size_t>(at)]) << n;
      ++at;
    }
  }
  // Pinned at hinges of its own instead of free nodes: the same.
  m.properties.joints[0][4] = m.properties.joints[1][4] = 0;
  EXPECT_RELATIVE(lowest(m, 6, {}), pi2, 1e-9);
  // Shear-soft, phi = 0.3: 1/P = 1/PE + 1/GAv.
  m.properties.shear_flexibility_z = 0.3 / 12;
  EXPECT_RELATIVE(lowest(m, 3, {}), 1 / (1 / pi2 + 0.3 / 12), 1e-5);
  EXPECT_RELATIVE(lowest(m, 6, {}), 1 / (1 / pi2 + 0.3 / 12), 1e-8);
}

/// B14: a force on the member at a·L of a cantilever; an inner joint follows the jump.
TEST(InnerFunctions, FollowJumpsOfTheAxialForce) {
  ElementProperties p = slender();
  p.EIy = p.length = 1;
  for (const double a : {0.1, 0.2, 0.45, 0.7, 0.9}) {
    ModeMember m = plain(p);
    m.bends_in_y = m.twists = false;
    m.spans = {{0, a, {}, {-1, 0, 0}, {}}, {a, 1, {}, {}, {}}};
    const double exact = M_PI * M_PI / (4 * a * a);
    EXPECT_RELATIVE(lowest(m, 2, {8, 10}), exact, 2e-6) << a;
    EXPECT_RELATIVE(lowest(m, 5, {8, 10}), exact, 1e-10) << a;
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
}  // namespace ulterix::testing::member_shapes_test
