// Taut ties and cables that vibrate between their ends about a state.
#include <gtest/gtest.h>

#include <algorithm>
#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>

#include "core/element/cut_cables.hpp"
#include "core/modes/mode_member.hpp"
#include "core/results/cables.hpp"
#include "core/results/modes.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::string_test {
namespace {

constexpr double kModes = 3e-6;

/// P-Delta of the one case and vibration about it.
std::vector<double> frequencies(Model& model, int modes) {
  AnalysisSpec second, vibration;
  second.name = "second";
  second.become<PDeltaKeys>();
  second.loads = {model.case_alone(CaseId(0))};
  vibration.name = "modes";
  vibration.become<ModalKeys>().modes = modes;
  vibration.after = {"second", "G"};
  model.analyses = {second, vibration};
  const RunResult r = run(model);
  std::vector<double> omega;
  for (const Step& s : r.steps) {
    if (s.analysis == kBaseline) continue;  // cables in a row are a mechanism there
    EXPECT_TRUE(s.outcome.stands()) << s.analysis << ": " << s.outcome.reason;
    if (!s.modal) continue;
    EXPECT_TRUE(s.modal->certificate.complete());
    for (const VibrationMode& m : s.modal->modes) omega.push_back(m.omega);
  }
  return omega;
}

/// C2: a preloaded tie between two walls in its plane: n·π/L·√(N/m).
TEST(Strings, C2TautStringBetweenWalls) {
  FrameBuilder b(Plane::xz);
  SectionProperties p;
  p.A = 4e-4;
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 12, 0, 5);
  const MemberId tie = b.member("tie", A, B, b.section(p), b.material(210e9, 81e9, 7850));
  b.model.members[tie].kind = MemberKind::tension_only;
  b.model.members[tie].preload = 8e4;
  b.fix(A, {0, 2});
  b.fix(B, {0, 2});
  b.load_case();
  const std::vector<double> omega = frequencies(b.model, 5);
  ASSERT_EQ(omega.size(), 5u);
  for (int n = 1; n <= 5; ++n) {
    EXPECT_RELATIVE(omega[static_cast<std::size_t>(n - 1)],
                    n * M_PI / 13 * std::sqrt(8e4 / (7850 * 4e-4)), kModes);
  }
}

/// A tie between a mass on a column and the ground: the tie cut in pieces at free nodes is the
/// same.
TEST(Strings, ATieInAFrameIsThatOfManyPieces) {
  const auto frame = [](int pieces) {
    FrameBuilder b(Plane::xz);
    const MaterialId steel = b.material(210e9, 81e9, 7850);
    const NodeId foot = b.node("A", 0, 0, 0), head = b.node("B", 0, 0, 6);
    b.member("column", foot, head, b.section(bending_only(3e-5, 1e-2)), steel);
    b.fix(foot, {0, 2, 4});
    // Pieces are beams that hardly bend, with the same force.
    SectionProperties p = bending_only(pieces == 1 ? 0 : 2e-11, 3e-4);
    const SectionId rod = b.section(p);
    const NodeId ground = b.node("C", 8, 0, 0);
    b.fix(ground, {0, 2});
    NodeId from = head;
    for (int i = 1; i <= pieces; ++i) {
      const double part = double(i) / pieces;
      const NodeId to = i == pieces ? ground : b.node("n", 8 * part, 0, 6 * (1 - part));
      const MemberId id = b.member("tie", from, to, rod, steel);
      b.model.members[id].lack_of_fit = 5e4 * 10 / pieces / (210e9 * 3e-4);
      if (pieces == 1) b.model.members[id].kind = MemberKind::axial;
      if (i == 1) b.model.members[id].joints[0][4] = 0;
      from = to;
    }
    b.nodal_load(head, 0, -4e3);
    b.model.mass.nodes = {{head, Vector3d::Constant(900)}};
    return frequencies(b.model, 4);
  };
  const std::vector<double> one = frame(1), many = frame(20);
  ASSERT_EQ(one.size(), 4u);
  ASSERT_EQ(many.size(), 4u);
  // EI·n²π²/(N·L²) of bending is left.
  for (std::size_t i = 0; i < 4; ++i) EXPECT_RELATIVE(many[i], one[i], 3e-3) << i;
}

/// A slack tie does not vibrate, one in tension does, whatever presses others.
TEST(Strings, OnlyWhatIsTautVibrates) {
  FrameBuilder b(Plane::xz);
  SectionProperties p;
  p.A = 4e-4;
  const SectionId rod = b.section(p);
  const MaterialId steel = b.material(210e9, 81e9, 7850);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 4, 0, 0), C = b.node("C", 8, 0, 0);
  const MemberId left = b.member("left", A, B, rod, steel);
  const MemberId right = b.member("right", B, C, rod, steel);
  b.model.members[left].kind = b.model.members[right].kind = MemberKind::axial;
  b.fix(A, {0, 2});
  b.fix(B, {2});
  b.fix(C, {0, 2});
  b.nodal_load(B, 0, 2e5);  // pulls the left one by half of it, presses the right one
  const std::vector<double> omega = frequencies(b.model, 4);
  ASSERT_GE(omega.size(), 3u);
  EXPECT_RELATIVE(omega[0], M_PI / 4 * std::sqrt(1e5 / (7850 * 4e-4)), kModes);
  EXPECT_RELATIVE(omega[1], 2 * omega[0], kModes);
  EXPECT_RELATIVE(omega[2], 3 * omega[0], kModes);
}

/// C4: the level cable of small sag (Irvine 1981): tan(Ω/2) = Ω/2 − 4/λ²·(Ω/2)³ for the symmetric
/// modes, nπ with n even for the others.
TEST(Strings, C4CableOfSmallSag) {
  const std::vector<std::pair<double, double>> known = {
      {10, 1.345124511}, {40, 2.008769198}, {100, 2.597184545}};
  for (const auto& [lambda2, first] : known) {
    SCOPED_TRACE(lambda2);
    FrameBuilder b(Plane::xz);
    const double span = 100, density = 7850, A = 1e-3, m = density * A, w = m * 9.80665;
    const double sag = 1, H = w * span * span / (8 * sag);
    // λ² = (wl/H)²·l·EA/(H·Le), Le = l·(1 + 8(sag/l)²): E follows.
    const double Le = span * (1 + 8 * sag * sag / (span * span));
    const double EA = lambda2 * H * Le / (span * std::pow(w * span / H, 2));
    SectionProperties p;
    p.A = A;
    const NodeId left = b.node("A", 0, 0, 0), right = b.node("B", span, 0, 0);
    const MemberId id =
        b.member("cable", left, right, b.section(p), b.material(EA / A, 1, density));
    Member& cable = b.model.members[id];
    cable.kind = MemberKind::cable;
    cable.preload = H;
    b.fix(left, {0, 2});
    b.fix(right, {0, 2});
    b.load_case().self_weight = {{id, 1}};
    ASSERT_TRUE(cut_cables(b.model).empty());
    const std::vector<double> omega = frequencies(b.model, 4);
    ASSERT_EQ(omega.size(), 4u);
    const double unit = M_PI / span * std::sqrt(H / m);
    const auto nearest = [&](double wanted) {
      double best = 1e9;
      for (const double o : omega) best = std::min(best, std::abs(o / unit / wanted - 1));
      return best;
    };
    EXPECT_LT(nearest(first), 0.01);
    EXPECT_LT(nearest(2), 0.01);  // the first that is antisymmetric
    EXPECT_EQ(std::is_sorted(omega.begin(), omega.end()), true);
    // What the table of cables gives beside the taut string's.
    const RunResult r = b.run();
    const auto own = own_frequency(Recovery(*r.find("p-delta", "G")), id);
    ASSERT_TRUE(own.has_value());
    EXPECT_RELATIVE(2 * M_PI * *own, omega.front(), 1e-6);
  }
}

/// What the functions take from the ends' own stiffness is what the catenary's tangent is less.
TEST(Strings, FunctionsCondenseToTheTangentOfTheCatenary) {
  const auto cable =
      std::make_shared<const Catenary>(52.0, 4e7, Vector3d(3, -20, -90), Vector3d(50, 0, 0));
  ModeMember m;
  m.properties.kind = MemberKind::cable;
  m.properties.length = 50;
  m.properties.EA = 4e7;
  m.properties.cable_length = 52;
  m.spans.resize(1);
  m.spans[0].to = 50;
  m.spans[0].mass = {4, 4};
  m.string = cable->chord_force();
  m.cable = cable;
  MemberShapes shapes(m, Driver::mass, {24, 24, 24, 0});
  const Eigen::MatrixXd taken = shapes.whole(shapes.matrices(m).stays);
  Matrix3d own = Matrix3d::Zero();
  constexpr int kSteps = 20000;
  for (int i = 0; i < kSteps; ++i) {
    const Vector3d force = cable->tension(52.0 * (i + 0.5) / kSteps);
    const double T = force.norm();
    const Vector3d t = force / T;
    own +=
        (T / (1 + T / 4e7) * (Matrix3d::Identity() - t * t.transpose()) + 4e7 * t * t.transpose()) /
        kSteps / 52.0;
  }
  const Matrix3d left = own - taken.block<3, 3>(6, 6);
  EXPECT_LT((left - cable->stiffness()).norm(), 1e-5 * cable->stiffness().norm());
}

}  // namespace
}  // namespace ulterix::testing::string_test
