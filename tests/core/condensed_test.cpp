// Buckling of large frames without the inner nodes of members, beside the same with them.
#include <gtest/gtest.h>
#include <tbb/global_control.h>

#include <Eigen/Dense>
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>

#include "core/analysis/buckling.hpp"
#include "core/analysis/first_order.hpp"
#include "core/analysis/mode_search.hpp"
#include "support/building.hpp"

namespace ulterix::testing {
namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

/// A frame under its one load case, its members cut into pieces for buckling.
struct Softened {
  Model model;
  ElasticFrame frame;
  std::vector<Step> first;
  EigenFrame eigen;
  std::vector<double> B;  // −Kg at factor 1

  Softened(Model given, int pieces) : model(std::move(given)), frame(make_elastic_frame(model)) {
    AnalysisSpec spec;
    spec.name = kBaseline;
    spec.loads = {model.case_alone(CaseId(0))};
    first = first_order(frame, spec);
    eigen = make_eigen_frame(frame, IndexedVector<MemberId, int>(model.members.size(), pieces));
    const Recovery recovery(*frame.system, first[0]);
    B = geometric_values(eigen.split, piece_forces(recovery, eigen.split));
    for (double& v : B) v = -v;
  }

  std::vector<double> at(double lambda) const {
    std::vector<double> values = eigen.stiffness;
    for (std::size_t i = 0; i < values.size(); ++i) values[i] -= lambda * B[i];
    return values;
  }
  CondensedPencil line(double from, double to) const {
    return CondensedPencil(eigen, from, condensed(eigen, at(from)), to, condensed(eigen, at(to)));
  }
};

/// Two storeys of columns of unequal height under unequal loads, in a plane.
Model uneven_frame() {
  FrameBuilder b(Plane::xz);
  const MaterialId m = b.material(1, 0.4);
  const SectionId s = b.section(bending_only(1, 1e6));
  const double x[] = {0, 1.2, 2.1};
  std::vector<NodeId> below;
  for (int i = 0; i < 3; ++i) {
    below.push_back(b.node("a", x[i], 0, 0.1 * i));
    b.fix_all(below.back());
  }
  for (const double z : {1.0, 1.8}) {
    std::vector<NodeId> level;
    for (int i = 0; i < 3; ++i) {
      level.push_back(b.node("b", x[i], 0, z));
      b.member("c", below[std::size_t(i)], level.back(), s, m);
      if (i > 0) b.member("g", level[std::size_t(i) - 1], level.back(), s, m);
      b.nodal_load(level.back(), 2, -1 - 0.3 * i);
    }
    below = level;
  }
  return b.model;
}

/// Factors of a pencil, rising, by Eigen.
VectorXd factors_of(const Pencil& pencil, MatrixXd* vectors = nullptr) {
  const MatrixXd one = MatrixXd::Identity(pencil.pattern.size, pencil.pattern.size);
  const Eigen::GeneralizedSelfAdjointEigenSolver<MatrixXd> eigen(
      multiply_block(pencil.pattern, pencil.B, one), multiply_block(pencil.pattern, pencil.K, one));
  if (vectors != nullptr) *vectors = eigen.eigenvectors().rowwise().reverse();
  const VectorXd theta = eigen.eigenvalues().reverse();
  return theta.head((theta.array() > 1e-9).count()).cwiseInverse();
}

TEST(CondensedPencil, IsTrueAtBothEndsAndCountsThere) {
  const Softened frame(uneven_frame(), 4);
  const VectorXd whole =
      factors_of({frame.eigen.pattern(), frame.eigen.stiffness, frame.B}).head(6);
  for (const auto& [from, to] : {std::pair(0.0, whole[1]), std::pair(whole[0], whole[2])}) {
    MatrixXd shapes;
    const CondensedPencil line = frame.line(from, to);
    const VectorXd factors = factors_of(line.pencil(), &shapes);
    for (int i = 0; whole[i] <= to; ++i) {
      const bool at_an_end = whole[i] == from || whole[i] == to;
      EXPECT_RELATIVE(factors[i], whole[i], at_an_end ? 1e-9 : 2e-2);
      // The line lies below what it stands for, so that its factors do.
      EXPECT_LE(factors[i], whole[i] * (1 + 1e-9));
      if (!at_an_end) continue;
      // The whole vector, inner nodes with it, is one of the frame.
      const MatrixXd phi = line.expanded(shapes.col(i), VectorXd::Constant(1, whole[i]));
      const MatrixXd off = multiply_block(frame.eigen.pattern(), frame.at(whole[i]), phi);
      const MatrixXd all = multiply_block(frame.eigen.pattern(), frame.eigen.stiffness, phi);
      EXPECT_LT(off.norm(), 1e-8 * all.norm());
    }
    for (const double bound : {0.999 * to, 1.001 * to}) {
      EXPECT_EQ((factors.array() < bound).count(), (whole.array() < bound).count());
    }
  }
}

TEST(CondensedPencil, MembersStandAloneAsFarAsTheirEliminationSays) {
  const Softened frame(uneven_frame(), 4);
  const int inner = frame.eigen.system().inner_size();
  int standing = 0, all = 0;
  for (double lambda = 1; lambda < 200; lambda *= 1.4, ++all) {
    const bool stand = InnerElimination::definite(frame.eigen.pattern(), frame.at(lambda), inner);
    EXPECT_EQ(stand, InnerElimination(frame.eigen.pattern(), frame.at(lambda), inner).definite());
    standing += stand ? 1 : 0;
  }
  EXPECT_GT(standing, 0);
  EXPECT_LT(standing, all);
}

/// What the values of two searches differ by at most.
double largest_difference(const EigenPairs& a, const EigenPairs& b, int count) {
  return (a.theta.head(count).cwiseQuotient(b.theta.head(count)).array() - 1).abs().maxCoeff();
}

TEST(ModeSearch, LargeFramesHaveTheSameModesWithoutInnerNodes) {
  const Building building(9, 8, 3e3);
  const Softened frame(building.b.model, 3);
  ASSERT_GE(frame.frame.system->dofs().size(), kLargeFrame);
  constexpr int kWanted = 10;
  ModeSearch with(frame.eigen, frame.B, 400);
  with.look(kWanted);
  const Certificate known = with.settle(kWanted, 1e-8);
  ASSERT_TRUE(known.complete());
  // Near and far from where the modes are, with a start and without.
  const double first = 1 / with.pairs().theta[0];
  for (const double near : {0.6 * first, 1.5 * first}) {
    for (const bool started : {false, true}) {
      const MatrixXd start = started ? with.pairs().vectors : MatrixXd();
      ModeSearch without(frame.eigen, frame.B, 400, start, near);
      const EigenPairs looked = without.look(kWanted);
      for (int i = 0; i < kWanted; ++i) {
        EXPECT_LE(looked.theta[i], with.pairs().theta[i] * (1 + 1e-9));  // from above in λ
      }
      const Certificate certificate = without.settle(kWanted, 1e-5);
      EXPECT_TRUE(certificate.complete());
      EXPECT_GE(certificate.found, kWanted);
      EXPECT_LT(largest_difference(without.pairs(), with.pairs(), kWanted), 1e-8);
      EXPECT_TRUE(without.pairs().converged);
      for (int i = 0; i < kWanted; ++i) {
        EXPECT_LT(without.pairs().residuals[i], 1e-5 * without.pairs().theta[i]);
      }
    }
  }
}

TEST(ModeSearch, CountsOfALargeFrameAreRightCloseBesideAMode) {
  const Softened frame(Building(9, 8, 4e3).b.model, 2);
  ASSERT_TRUE(is_large(*frame.frame.system));
  ModeSearch search(frame.eigen, frame.B, 240);
  const VectorXd lambdas = search.find(6, 1e-9).theta.head(6).cwiseInverse();
  const double lowest = lambdas[0];
  for (const double off : {4e-3, 1e-3, 1e-5, 1e-7}) {
    for (const double bound : {lowest * (1 - off), lowest * (1 + off)}) {
      for (const auto keep :
           {IndefiniteFrameFactor::Keep::count_only, IndefiniteFrameFactor::Keep::factor}) {
        const auto factor = IndefiniteFrameFactor::make(frame.eigen, frame.at(bound), keep);
        ASSERT_TRUE(factor);
        EXPECT_EQ(factor->negative_eigenvalues(), (lambdas.array() < bound).count()) << off;
      }
    }
  }
}

TEST(ModeSearch, AMemberThatBucklesBetweenItsEndsIsFoundAllTheSame) {
  // One slender strut among heavy columns: held at both ends it buckles far below the frame.
  Building building(9, 8, 0);
  Model& model = building.b.model;
  SectionProperties thin = bending_only(8e-8, 1.2e-2);
  thin.J = 1e-6;
  model.members[MemberId(0)].section = building.b.section(thin);
  const Softened frame(model, 4);
  ModeSearch search(frame.eigen, frame.B, 400, {}, 100);  // no member stands at such a factor
  search.look(2);
  const Certificate certificate = search.settle(2, 1e-6);
  EXPECT_TRUE(certificate.complete());
  const std::vector<ModeEnergy> energies =
      mode_energies(*frame.frame.system, frame.eigen, search.pairs().vectors.leftCols(1));
  EXPECT_GT(energies[0].shares[MemberId(0)].whole, 0.95);
}

/// One bay of each storey in one face braced by a slender strut, hinged at both ends.
void add_struts(Building& building, int n, int storeys, double I) {
  Model& model = building.b.model;
  SectionProperties thin = bending_only(I, 8e-4);
  thin.J = 8e-8;
  const SectionId s = building.b.section(thin);
  for (int z = 0; z < storeys; ++z) {
    const NodeId low = building.nodes[std::size_t(z * n * n)];
    const NodeId high = building.nodes[std::size_t((z + 1) * n * n + 1)];
    const MemberId id = building.b.member("brace", low, high, s, MaterialId(0));
    for (EndJoint& joint : model.members[id].joints) joint[4] = joint[5] = 0;
  }
}

std::vector<Step> factors_under(const Model& model, const std::vector<LoadSet>& loads,
                                const std::optional<LoadSet>& constant = {}) {
  const ElasticFrame frame = make_elastic_frame(model);
  AnalysisSpec spec;
  spec.name = kBaseline;
  spec.loads = loads;
  const std::vector<Step> first = first_order(frame, spec);
  spec.kind = AnalysisKind::buckling;
  spec.modes = 6;
  spec.constant = constant;
  return buckling(frame, spec, first);
}

TEST(Buckling, FurtherLoadsOnALargeFrameStartFromTheLastOnesModes) {
  Building building(9, 8, 8e3);
  Model& model = building.b.model;
  LoadCase wind;  // from the other side
  wind.name = "W";
  for (const NodalLoad& load : model.cases[CaseId(0)].nodal) {
    NodalLoad other = load;
    other.force = force6(-load.force[0] * 2, 0, 0);
    wind.nodal.push_back(other);
  }
  model.cases.push_back(wind);
  LoadSet one = model.case_alone(CaseId(0)), other = one;
  other.name = "other";
  other.terms = {{CaseId(0), 0.8}, {CaseId(1), 1.5}};
  const std::vector<Step> both = factors_under(model, {one, other});
  const std::vector<Step> alone = factors_under(model, {other});
  ASSERT_TRUE(both[1].buckling && alone[0].buckling);
  const BucklingResult &after = *both[1].buckling, &afresh = *alone[0].buckling;
  EXPECT_TRUE(after.certificate.complete());
  EXPECT_TRUE(afresh.certificate.complete());
  ASSERT_GE(after.modes.size(), 6u);
  for (std::size_t i = 0; i < 6; ++i) {
    EXPECT_RELATIVE(after.modes[i].factor, afresh.modes[i].factor, 1e-8);
    EXPECT_LT(after.modes[i].residual, 3e-5);
    EXPECT_LT(after.modes[i].error, 1e-3);
  }
}

TEST(Buckling, TheOrderOfLoadsOnALargeFrameChangesNoMoreThanTheErrorSays) {
  Building building(9, 8, 8e3);
  Model& model = building.b.model;
  LoadCase lifted;  // one corner carries another share
  lifted.name = "L";
  for (const NodalLoad& load : model.cases[CaseId(0)].nodal) {
    NodalLoad other = load;
    if (model.nodes[load.node].position[0] > 3) other.force *= 0.1;
    lifted.nodal.push_back(other);
  }
  model.cases.push_back(lifted);
  const LoadSet one = model.case_alone(CaseId(0)), other = model.case_alone(CaseId(1));
  for (const auto& constant : {std::optional<LoadSet>(), std::optional<LoadSet>(one)}) {
    const std::vector<Step> forth = factors_under(model, {one, other}, constant);
    const std::vector<Step> back = factors_under(model, {other, one}, constant);
    for (const std::size_t set : {0, 1}) {
      ASSERT_TRUE(forth[set].buckling && back[1 - set].buckling);
      const BucklingResult &a = *forth[set].buckling, &b = *back[1 - set].buckling;
      EXPECT_TRUE(a.certificate.complete());
      EXPECT_TRUE(b.certificate.complete());
      ASSERT_GE(a.modes.size(), 6u);
      for (std::size_t i = 0; i < 6; ++i) {
        const double errors = a.modes[i].error + b.modes[i].error;
        EXPECT_RELATIVE(a.modes[i].factor, b.modes[i].factor, errors);
        EXPECT_LT(errors, 1e-3);
      }
    }
    EXPECT_GT(std::abs(forth[0].buckling->lowest() / forth[1].buckling->lowest() - 1), 0.02);
  }
}

TEST(Buckling, WithoutAnyAxialForceThereIsNoFactorInFramesOfAnySize) {
  for (const int n : {2, 9}) {
    Building building(n, 8, 0);
    Model& model = building.b.model;
    model.cases[CaseId(0)].nodal.clear();
    const LoadSet nothing = model.case_alone(CaseId(0));
    for (const Step& step : factors_under(model, {nothing, nothing})) {
      ASSERT_TRUE(step.buckling);
      EXPECT_TRUE(step.buckling->modes.empty());
      EXPECT_FALSE(step.outcome.reason.empty());
    }
  }
}

TEST(Buckling, WhatStaysOnALargeFrameTakesItsPartOfTheFactor) {
  const Building building(9, 8, 4e3);
  const Model& model = building.b.model;
  const LoadSet all = model.case_alone(CaseId(0));
  LoadSet part = all;
  part.name = "part";
  part.terms[0].second = 3;
  const BucklingResult whole = *factors_under(model, {all})[0].buckling;
  const BucklingResult rest = *factors_under(model, {all}, part)[0].buckling;
  EXPECT_TRUE(rest.certificate.complete());
  for (std::size_t i = 0; i < 6; ++i) {
    EXPECT_RELATIVE(rest.modes[i].factor + 3, whole.modes[i].factor, 1e-3);  // split unlike
    EXPECT_LT(rest.modes[i].residual, 3e-5);
  }
}

TEST(Buckling, DigitsOfALargeFrameDoNotDependOnTheNumberOfThreads) {
  const Building building(9, 8, 4e3);
  const Model& model = building.b.model;
  const std::vector<LoadSet> loads = {model.case_alone(CaseId(0))};
  const BucklingResult two = *factors_under(model, loads)[0].buckling;
  const tbb::global_control alone(tbb::global_control::max_allowed_parallelism, 1);
  const BucklingResult one = *factors_under(model, loads)[0].buckling;
  ASSERT_EQ(one.modes.size(), two.modes.size());
  for (std::size_t i = 0; i < one.modes.size(); ++i) {
    EXPECT_EQ(one.modes[i].factor, two.modes[i].factor);
    EXPECT_EQ(one.modes[i].error, two.modes[i].error);
    EXPECT_EQ(one.modes[i].kind, two.modes[i].kind);
  }
}

TEST(Buckling, HingedStrutsOfALargeFrameBuckleAlone) {
  // Far below all modes of the frame, and among them.
  for (const double I : {4e-8, 2e-6}) {
    Building building(9, 8, 0);
    add_struts(building, 9, 8, I);
    const Model& model = building.b.model;
    const Step step = factors_under(model, {model.case_alone(CaseId(0))})[0];
    const BucklingResult& result = *step.buckling;
    EXPECT_TRUE(result.certificate.complete());
    // The strut that is compressed most, about either axis: π²EI/L² over its force.
    const Softened frame(model, 1);
    const Recovery recovery(*frame.frame.system, frame.first[0]);
    double least = 1e300;
    for (const MemberId id : model.members.ids()) {
      if (model.members[id].name != "brace") continue;
      const double L = model.length(id), N = recovery.line(id).at(L / 2).forces[kN];
      if (N < 0) least = std::min(least, M_PI * M_PI * 210e9 * I / (L * L) / -N);
    }
    const auto alone = std::count_if(result.modes.begin(), result.modes.end(), [&](const auto& m) {
      return std::abs(m.factor / least - 1) < 1e-3 && m.kind.find("brace alone") != m.kind.npos;
    });
    EXPECT_EQ(alone, 2) << least;
    const bool lowest = least < result.modes[0].factor * 1.001;
    EXPECT_EQ(lowest, I < 1e-6);
    const std::optional<double> reserve = lowest_factor(frame.frame, frame.first[0]);
    ASSERT_TRUE(reserve);
    EXPECT_RELATIVE(*reserve, result.modes[0].factor, 1e-3);
  }
}

TEST(Buckling, TheReserveOfALargeFrameIsTheLowestOfItsFactors) {
  const Building building(9, 8, 3e3);
  const Model& model = building.b.model;
  const ElasticFrame frame = make_elastic_frame(model);
  AnalysisSpec spec;
  spec.name = kBaseline;
  spec.loads = {model.case_alone(CaseId(0))};
  const std::optional<double> lowest = lowest_factor(frame, first_order(frame, spec)[0]);
  ASSERT_TRUE(lowest);
  const double proven = factors_under(model, spec.loads)[0].buckling->lowest();
  EXPECT_RELATIVE(*lowest, proven, 1e-3);
  EXPECT_GE(*lowest, proven * (1 - 1e-6));  // of a subspace
}

TEST(Buckling, RepeatedModesOfALargeSquarePlanAreBothThere) {
  const Building building(9, 8, 0);
  const Model& model = building.b.model;
  const std::vector<Step> steps = factors_under(model, {model.case_alone(CaseId(0))});
  const BucklingResult& result = *steps[0].buckling;
  EXPECT_TRUE(result.certificate.complete());
  int pairs = 0;
  for (std::size_t i = 0; i + 1 < result.modes.size(); ++i) {
    if (result.modes[i + 1].factor < result.modes[i].factor * (1 + 1e-7)) ++pairs;
  }
  EXPECT_GE(pairs, 2);  // sway along x and along y
}

}  // namespace
}  // namespace ulterix::testing
