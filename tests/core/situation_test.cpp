#include <gtest/gtest.h>

#include <random>

#include "core/analysis/first_order.hpp"
#include "core/analysis/p_delta.hpp"
#include "core/system/equilibrium.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::situation_test {
namespace {

using testing::FrameBuilder;
using testing::relative_error;
using testing::rolled_section;

AnalysisSpec of_case(const Model& model, AnalysisKind kind = AnalysisKind::first_order) {
  AnalysisSpec spec;
  spec.name = "test";
  spec.become(kind);
  spec.loads = {model.case_alone(CaseId(0))};
  return spec;
}

Step linear(const Situation& situation) {
  const ElasticFrame frame = make_elastic_frame(situation);
  EXPECT_TRUE(frame.stands());
  return first_order(frame, of_case(*situation.model)).front();
}

Step second_order(const Situation& situation) {
  const ElasticFrame frame = make_elastic_frame(situation);
  EXPECT_TRUE(frame.stands());
  const std::vector<Step> base = first_order(frame, of_case(*situation.model));
  return p_delta(frame, of_case(*situation.model, AnalysisKind::p_delta), base).front();
}

/// Bays in x and y, storeys in z, floors loaded; columns first, storey by storey, then its beams.
struct Building {
  FrameBuilder b{Plane::space};
  std::vector<std::vector<NodeId>> floors;
  std::vector<std::vector<MemberId>> storeys;

  explicit Building(int levels) {
    const SectionId s = b.section(rolled_section());
    const MaterialId m = b.material(210e9, 81e9, 7850);
    for (int level = 0; level <= levels; ++level) {
      floors.emplace_back();
      for (const auto& [x, y] : {std::pair<double, double>{0, 0}, {6, 0}, {0, 5}, {6.5, 5}}) {
        floors.back().push_back(b.node(
            "N" + std::to_string(level) + std::to_string(floors.back().size()), x, y, 3.5 * level));
      }
      const auto& here = floors.back();
      if (level == 0) {
        for (const NodeId n : here) b.fix_all(n);
        continue;
      }
      storeys.emplace_back();
      const auto add = [&](NodeId from, NodeId to) {
        const std::string name = "M" + std::to_string(b.model.members.size());
        storeys.back().push_back(b.member(name, from, to, s, m));
        b.uniform(storeys.back().back(), 2, -4e3);
        b.uniform(storeys.back().back(), 0, 0.7e3);
      };
      for (std::size_t i = 0; i < here.size(); ++i) {
        add(floors[static_cast<std::size_t>(level) - 1][i], here[i]);
      }
      add(here[0], here[1]);
      add(here[2], here[3]);
      add(here[0], here[2]);
      add(here[1], here[3]);
      for (const NodeId n : here) b.nodal_load(n, 0, 2e3 * level);
    }
  }
};

TEST(Situation, WhatDoesNotStandIsAsIfItHadNeverBeen) {
  const Building tall(3), low(2);
  Situation situation(tall.b.model);
  for (const MemberId m : tall.storeys[2]) situation.present[m] = 0;
  for (const NodeId n : tall.floors[3]) situation.standing[n] = 0;
  const Step one[] = {linear(situation), second_order(situation)};
  const Step two[] = {linear(Situation(low.b.model)), second_order(Situation(low.b.model))};
  for (int k = 0; k < 2; ++k) {
    ASSERT_TRUE(one[k].has_state);
    EXPECT_LT(one[k].equilibrium.nodes, 1e-10);
    EXPECT_LT(one[k].equilibrium.reactions, 1e-12);
    for (const NodeId n : low.b.model.nodes.ids()) {
      EXPECT_EQ(one[k].state.nodes[n].vector(), two[k].state.nodes[n].vector());
      EXPECT_EQ(one[k].reactions[n], two[k].reactions[n]);
    }
    for (const MemberId m : low.b.model.members.ids()) {
      EXPECT_EQ(Recovery(one[k]).line(m).at(1.3).forces, Recovery(two[k]).line(m).at(1.3).forces);
    }
  }
}

TEST(Situation, FactorsOnStiffnessBelongToTheStep) {
  const Building frame(1);
  Situation soft(frame.b.model);
  for (StiffnessFactors& f : soft.factors) f = {0.8, 0.8, 0.8, 0.8, 0.8};
  const Step full = linear(Situation(frame.b.model)), reduced = linear(soft);
  for (const NodeId n : frame.b.model.nodes.ids()) {
    const Vector6d u = full.state.nodes[n].vector();
    EXPECT_LE((reduced.state.nodes[n].vector() - u / 0.8).norm(), 1e-9 * (u.norm() + 1e-12));
  }
  // The same forces, recovered with the stiffness of the step's own.
  for (const MemberId m : frame.b.model.members.ids()) {
    const Vector6d a = Recovery(full).line(m).at(1).forces,
                   b = Recovery(reduced).line(m).at(1).forces;
    EXPECT_LE((a - b).norm(), 1e-9 * a.norm());
  }
}

/// G1: the upper storey is built on the displaced lower one. Without second order the two answers
/// add: the lower frame under its own loads, the whole one under what came with the upper storey.
TEST(Situation, StoreyBuiltOnADisplacedOneAddsUp) {
  Building lower(2), upper(2), both(2);
  const auto keep = [](Building& building, bool of_upper) {
    LoadCase& c = building.b.load_case();
    const auto is_upper = [&](MemberId m) {
      return std::find(building.storeys[1].begin(), building.storeys[1].end(), m) !=
             building.storeys[1].end();
    };
    std::erase_if(c.distributed,
                  [&](const DistributedLoad& d) { return is_upper(d.member) != of_upper; });
    std::erase_if(c.nodal, [&](const NodalLoad& n) {
      return (building.b.model.nodes[n.node].position[2] > 4) != of_upper;
    });
  };
  keep(lower, false);
  keep(upper, true);
  Situation first(lower.b.model);
  for (const MemberId m : lower.storeys[1]) first.present[m] = 0;
  for (const NodeId n : lower.floors[2]) first.standing[n] = 0;
  const Step built = linear(first), added = linear(Situation(upper.b.model));
  Situation whole(both.b.model);
  for (const MemberId m : both.storeys[1]) whole.bear(m, built.state);
  const Step step = linear(whole);
  ASSERT_TRUE(step.has_state);
  EXPECT_LT(step.equilibrium.nodes, 1e-10);
  for (const NodeId n : both.b.model.nodes.ids()) {
    const Vector6d sum = built.state.nodes[n].vector() + added.state.nodes[n].vector();
    EXPECT_LE((step.state.nodes[n].vector() - sum).norm(), 1e-9 * (sum.norm() + 1e-9));
    const Vector6d reaction = built.reactions[n] + added.reactions[n];
    EXPECT_LE((step.reactions[n] - reaction).norm(), 1e-9 * (reaction.norm() + 1));
  }
  for (const MemberId m : both.b.model.members.ids()) {
    const bool is_new = whole.birth(m) != nullptr;
    for (const double x : {0.0, 1.2, 3.5}) {
      const LinePoint here = Recovery(step).line(m).at(x);
      Vector6d sum = Recovery(added).line(m).at(x).forces;
      if (!is_new) sum += Recovery(built).line(m).at(x).forces;
      EXPECT_LE((here.forces - sum).norm(), 1e-8 * (sum.norm() + 1e3));
    }
    // The axis runs from node to node, straight where it was born.
    const Matrix3d R = step.frame->axes(m);
    const MemberLine line = Recovery(step).line(m);
    const Member& member = both.b.model.members[m];
    const Vector3d start = R * step.state.nodes[member.start].translation;
    const Vector3d end = R * step.state.nodes[member.end].translation;
    EXPECT_LE((line.at(0).displacement - start).norm(), 1e-11);
    EXPECT_LE((line.at(line.length()).displacement - end).norm(), 1e-11);
  }
}

TEST(Situation, ANewMemberCarriesNothingUntilSomethingMoves) {
  // Built between displaced nodes, with the loads as they were: nothing changes, first-order and
  // P-Delta alike. Its nodes are displaced and turned.
  Building frame(2);
  const SectionId s = frame.b.section(rolled_section());
  const MaterialId m = frame.b.material(210e9, 81e9);
  const MemberId late = frame.b.member("late", frame.floors[0][0], frame.floors[2][1], s, m);
  Situation without(frame.b.model);
  without.present[late] = 0;
  for (const bool bent : {false, true}) {
    const Step before = bent ? second_order(without) : linear(without);
    Situation with = without;
    with.bear(late, before.state);
    const Step after = bent ? second_order(with) : linear(with);
    ASSERT_TRUE(after.has_state);
    for (const NodeId n : frame.b.model.nodes.ids()) {
      const Vector6d u = before.state.nodes[n].vector();
      EXPECT_LE((after.state.nodes[n].vector() - u).norm(), 1e-7 * u.norm() + 1e-15);
    }
    EXPECT_LE(Recovery(after).line(late).at(2).forces.norm(), 1e-2);
    EXPECT_LE(Recovery(after).line(late).deflection_at(2).norm(), 1e-9);
  }
}

/// G2: a cantilever with H and P = 1 (EI = L = 1) gets a rigid brace at its displaced tip, then
/// P = 2.
TEST(Situation, BraceAtADisplacedTip) {
  FrameBuilder b;
  const double H = 1e-3;
  SectionProperties p;
  p.A = 1e6;
  p.Iy = p.Iz = 1;
  const SectionId s = b.section(p);
  const MaterialId m = b.material(1, 1);
  const NodeId foot = b.node("A", 0, 0, 0), top = b.node("B", 0, 0, 1);
  b.member("AB", foot, top, s, m);
  b.fix(foot, {0, 2, 4});
  b.nodal_load(top, 0, H);
  b.nodal_load(top, 2, -1);
  const Step one = second_order(Situation(b.model));
  b.nodal_load(top, 2, -1);
  Situation braced(b.model);
  Support brace;
  brace.node = top;
  brace.directions[0].stiffness = kRigid;
  brace.directions[0].settle = one.state.nodes[top].translation[0];
  braced.supports.push_back(brace);
  const Step two = second_order(braced);
  ASSERT_TRUE(two.has_state);
  EXPECT_LE(relative_error(one.state.nodes[top].translation[0], 3 * 0.557407725 * H / 3), 1e-8);
  EXPECT_LE(relative_error(-one.reactions[foot][4] / H, 1.557407725), 1e-8);
  EXPECT_LE(relative_error(-two.reactions[top][0] / H, 0.679549314), 1e-8);
  EXPECT_LE(relative_error(-two.reactions[foot][4] / H, 1.435266136), 1e-8);
  EXPECT_DOUBLE_EQ(two.state.nodes[top].translation[0], one.state.nodes[top].translation[0]);
}

TEST(Situation, AStruckPropHandsItsForceOn) {
  FrameBuilder b;
  const SectionId s = b.section(rolled_section());
  const MaterialId m = b.material(210e9, 81e9);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 4, 0, 0), C = b.node("C", 9, 0, 0);
  b.uniform(b.member("AB", A, B, s, m), 2, -8e3);
  b.uniform(b.member("BC", B, C, s, m), 2, -8e3);
  b.fix(A, {0, 2});
  b.fix(C, {2});
  Situation struck(b.model);
  Support prop;
  prop.node = B;
  prop.directions[2].stiffness = kRigid;
  Situation propped = struck;
  propped.supports.push_back(prop);
  const Step before = linear(propped), after = linear(struck);
  EXPECT_GT(before.reactions[B][2], 8e3 * 9 / 2.0);
  EXPECT_NEAR(after.reactions[B][2], 0, 1e-9);
  EXPECT_LE(relative_error(Recovery(after).line(MemberId(0)).at(4).forces[4], 8e3 * 4 * 5 / 2.0),
            1e-9);
}

/// What a state puts against the nodes, summed up by hand, by the balance of the step, and by the
/// tangent times the motion less the loads.
TEST(Situation, EquilibriumOfAStateIsThatOfItsStep) {
  const Building tall(2);
  Situation situation(tall.b.model);
  for (const MemberId m : tall.storeys[1]) situation.present[m] = 0;
  for (const NodeId n : tall.floors[2]) situation.standing[n] = 0;
  const ElasticFrame frame = make_elastic_frame(situation);
  const FrameSystem& system = *frame.system;
  const Step step = first_order(frame, of_case(tall.b.model)).front();
  ASSERT_TRUE(step.has_state);
  const auto at_ends = [&](MemberId id) {
    const Element e = system.element(id, step.applied->on_member(id), step.state);
    MemberTangent terms;
    terms.resists = to_global(e.end_forces(system.end_motion(id, step.state)), system.axes(id));
    terms.tangent = to_global(e.stiffness(), system.axes(id));
    terms.lever = 2;
    terms.negative_pivots = 1;
    return terms;
  };
  const auto at_node = [&](NodeId n) {
    NodeTerms terms;
    terms.acts = step.applied->on_node(n);
    return terms;
  };
  const Equilibrium sum = equilibrium(situation, at_ends, at_node, system.topology().get());
  double force = 0, moment = 0;
  for (const MemberId id : tall.storeys[0]) {
    const Vector12d p = at_ends(id).resists;
    for (const int at : {0, 6}) {
      force = std::max(force, p.segment<3>(at).cwiseAbs().maxCoeff());
      moment = std::max(moment, p.segment<3>(at + 3).cwiseAbs().maxCoeff());
    }
  }
  EXPECT_EQ(sum.force, force);
  EXPECT_EQ(sum.moment, std::max(moment, 2 * force));
  EXPECT_EQ(sum.inner_negative_pivots, static_cast<int>(tall.storeys[0].size()));
  for (const NodeId n : tall.floors[0]) {
    EXPECT_LT((sum.rest[n] - step.reactions[n]).norm(), 1e-12 * moment);
  }
  for (const NodeId n : tall.floors[1]) EXPECT_LT(sum.rest[n].norm(), 1e-10 * moment);
  for (const NodeId n : tall.floors[2]) EXPECT_EQ(sum.rest[n], -step.applied->on_node(n));
  EXPECT_EQ(sum.tangent, frame.stiffness);
}

/// A step keeps the lines that were asked for; a copy whose state changes has its own.
TEST(Situation, ACopyOfAStepKeepsNoLines) {
  const Building low(1);
  const Step step = linear(Situation(low.b.model));
  const MemberId id = low.storeys[0][0];
  const MemberLine& line = Recovery(step).line(id);
  EXPECT_EQ(&Recovery(step).line(id), &line);
  Step copy = step;
  for (NodeMotion& n : copy.state.nodes) {
    n.translation *= 2;
    n.rotation *= 2;
    n.rest *= 2;
  }
  const double N = line.at(0).forces[kN], doubled = Recovery(copy).line(id).at(0).forces[kN];
  EXPECT_GT(std::abs(doubled - N), 0.5 * std::abs(N));
  EXPECT_EQ(Recovery(step).line(id).at(0).forces[kN], N);
}

/// The change of end forces with the motion is the tangent, for every kind of member and theory,
/// births and idle ones included: at frozen N it is linear, so differences of any size agree.
TEST(Situation, ResistanceIsTheTangentTimesTheMotion) {
  Building frame(2);
  FrameBuilder& b = frame.b;
  Model& model = b.model;
  model.members[frame.storeys[0][0]].joints[1][4] = 0;
  model.members[frame.storeys[0][1]].joints[0][5] = 3e6;
  model.members[frame.storeys[1][4]].joints[1] = {kRigid, kRigid, kRigid, kRigid, 0, 0};
  const SectionId s = b.section(rolled_section());
  const MaterialId m = b.material(210e9, 81e9);
  const MemberKind kinds[] = {MemberKind::axial, MemberKind::tension_only,
                              MemberKind::compression_only, MemberKind::tension_only};
  for (std::size_t i = 0; i < 4; ++i) {
    const MemberId tie =
        b.member("tie" + std::to_string(i), frame.floors[0][i], frame.floors[1][(i + 1) % 4], s, m);
    model.members[tie].kind = kinds[i];
    model.members[tie].preload = i == 0 ? 5e3 : 0;
  }
  Situation situation(model);
  situation.one_way = true;
  situation.idle[model.members.ids().back()] = 1;
  std::mt19937 random(7);
  std::uniform_real_distribution<double> number(-1, 1);
  const auto any_motion = [&] {
    State state = state_at_rest(situation);
    for (NodeMotion& n : state.nodes) {
      for (int d = 0; d < 3; ++d) {
        n.translation[d] = 1e-2 * number(random);
        n.rotation[d] = 1e-2 * number(random);
      }
    }
    return state;
  };
  situation.bear(frame.storeys[1][0], any_motion());
  situation.bear(frame.storeys[1][5], any_motion());
  const FrameSystem system(situation);
  const AppliedLoads loads(system.situation(), model.case_alone(CaseId(0)));
  for (const int theory : {0, 1, 2}) {
    State acting = state_at_rest(situation);
    acting.geometric = theory > 0;
    acting.between_nodes = theory == 1;
    for (MemberState& member : acting.members) member.axial_start = 2e5 * number(random);
    const State from = any_motion(), to = any_motion();
    for (const MemberId id : model.members.ids()) {
      const Element e = system.element(id, loads.on_member(id), acting);
      const EndMotion a = system.end_motion(id, from), c = system.end_motion(id, to);
      const Vector12d change = e.end_forces(c) - e.end_forces(a);
      const Vector12d tangent = e.stiffness() * (c.nodes - a.nodes);
      EXPECT_LE((change - tangent).norm(), 1e-9 * e.stiffness().norm() * 1e-2)
          << model.members[id].name << " in theory " << theory;
      EXPECT_EQ(e.stiffness(), e.stiffness().transpose());
    }
  }
}

}  // namespace
}  // namespace ulterix::testing::situation_test
