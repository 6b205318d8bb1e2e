// The ordinary combinations: every kind of load on every kind of member and end, in every kind of
// analysis, against the same frame with the member cut in three.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "core/analysis/buckling.hpp"
#include "core/analysis/modal.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::combinations_test {
namespace {

/// Two results by functions to 1e-6 each.
constexpr double kModes = 3e-6;

/// A braced pair of columns with a girder and an inclined strut between them, in space; the member
/// under test is one of them.
struct Frame {
  FrameBuilder b{Plane::space};
  NodeId foot_a, foot_c, head_a, head_c, back;
  MemberId column, girder, strut;
  SectionId section;

  explicit Frame(bool shear) {
    const MaterialId steel = b.material(210e9, 81e9, 7850);
    SectionProperties p;
    p.A = 6e-3;
    p.Iy = 4e-5;
    p.Iz = 1.5e-5;
    p.J = 3e-4;  // twist is stiff: torsional modes are far away
    if (shear) p.Avy = 8e-4, p.Avz = 5e-4;
    section = b.section(p);
    foot_a = b.node("foot_a", 0, 0, 0);
    head_a = b.node("head_a", 0.3, 0.2, 4);
    foot_c = b.node("foot_c", 5, 0, 0);
    head_c = b.node("head_c", 5, 0, 4.4);
    back = b.node("back", 2, 4, 3);
    column = b.member("column", foot_a, head_a, section, steel, 0.3);
    girder = b.member("girder", head_a, head_c, section, steel, 0.2);
    b.member("other", foot_c, head_c, section, steel);
    strut = b.member("strut", foot_a, head_c, section, steel, -0.4);
    b.member("tie", head_c, back, section, steel);
    b.member("tail", head_a, back, section, steel);
    for (const NodeId n : {foot_a, foot_c, back}) b.fix_all(n);
    for (const NodeId n : {head_a, head_c}) b.nodal_load(n, force6(3e4, 1e4, -4e5, 0, 2e3, 0));
    for (const MemberId id : b.model.members.ids()) {
      if (b.model.members[id].name == "other") b.model.members[id].joints[1][4] = 3e6;
    }
  }
};

enum class Ends {
  joined,
  hinge_start,
  hinges_both,
  hinges_both_axes,
  springs,
  twist_release,
  sliding_spring
};
constexpr std::array kEnds = {Ends::joined,           Ends::hinge_start, Ends::hinges_both,
                              Ends::hinges_both_axes, Ends::springs,     Ends::twist_release,
                              Ends::sliding_spring};

void set_ends(Member& m, Ends ends) {
  switch (ends) {
    case Ends::joined:
      return;
    case Ends::hinge_start:
      m.joints[0][4] = 0;
      return;
    case Ends::hinges_both:
      m.joints[0][4] = m.joints[1][4] = 0;
      return;
    case Ends::hinges_both_axes:
      m.joints[0][4] = m.joints[1][4] = m.joints[0][5] = m.joints[1][5] = 0;
      return;
    case Ends::springs:
      m.joints[0][4] = 4e6;
      m.joints[1][5] = 2e6;
      return;
    case Ends::twist_release:
      m.joints[1][3] = 0;
      m.joints[1][4] = 0;
      return;
    case Ends::sliding_spring:
      m.joints[1][0] = 8e7;
      m.joints[0][2] = 5e6;
      return;
  }
}

enum class Load {
  uniform,
  local_trapezoid,
  projected,
  point,
  axial_point,
  axial_line,
  moment,
  moment_line,
  self_weight,
  warm,
  gradient,
  lack_of_fit,
  settlement,
  all
};
constexpr std::array kLoads = {Load::uniform,     Load::local_trapezoid,
                               Load::projected,   Load::point,
                               Load::axial_point, Load::axial_line,
                               Load::moment,      Load::moment_line,
                               Load::self_weight, Load::warm,
                               Load::gradient,    Load::lack_of_fit,
                               Load::settlement,  Load::all};

void add_load(FrameBuilder& b, MemberId m, Load load) {
  const double L = b.model.length(m);
  const bool all = load == Load::all;
  if (all || load == Load::uniform) b.uniform(m, 2, -9e3);
  if (all || load == Load::local_trapezoid) {
    b.distributed(m, force6(0, 2e3, -4e3), force6(0, -3e3, -9e3), 0.2 * L, 0.75 * L,
                  LoadAxes::local);
  }
  if (all || load == Load::projected) {
    b.distributed(m, force6(1e3, 0, -5e3), force6(1e3, 0, -2e3), 0, L, LoadAxes::projected);
  }
  if (all || load == Load::point) b.point(m, 0.37 * L, force6(2e3, -3e3, -3e4));
  if (all || load == Load::axial_point) {
    b.point(m, 0.55 * L, force6(-2e5, 0, 0), LoadAxes::local);
  }
  if (all || load == Load::axial_line) {
    b.distributed(m, force6(-9e4, 0, 0), force6(-4e4, 0, 0), 0.1 * L, 0.6 * L, LoadAxes::local);
  }
  if (all || load == Load::moment) b.point(m, 0.7 * L, force6(0, 0, 0, 1e3, -8e3, 4e3));
  if (all || load == Load::moment_line) {
    b.distributed(m, force6(0, 0, 0, 500, 2e3, -1e3), force6(0, 0, 0, 0, 3e3, 0), 0.3 * L, 0.9 * L,
                  LoadAxes::local);
  }
  if (all || load == Load::self_weight) b.load_case().self_weight.push_back({m, 20});
  MemberStrain strain;
  strain.member = m;
  if (all || load == Load::warm) strain.warm = 15;
  if (all || load == Load::gradient) strain.gradient = {40, -90};
  if (all || load == Load::lack_of_fit) strain.lack_of_fit = 0.4e-3;
  b.load_case().strains.push_back(strain);
  if (all || load == Load::settlement) {
    b.load_case().ground = {{NodeId(0), 2, -2e-3}, {NodeId(0), 4, 1e-3}};
  }
}

/// The same model with one member as three collinear ones; its loads go with the parts.
Model cut_in_three(const Model& whole, MemberId id) {
  Model model = whole;
  const Member old = whole.members[id];
  const double L = whole.length(id);
  const std::array<double, 4> at = {0, 0.31 * L, 0.66 * L, L};
  const Vector3d a = whole.nodes[old.start].position, d = whole.nodes[old.end].position - a;
  std::array<NodeId, 4> nodes = {old.start, {}, {}, old.end};
  for (std::size_t i : {std::size_t{1}, std::size_t{2}}) {
    Node n;
    n.name = "cut" + std::to_string(i);
    n.position = a + d * (at[i] / L);
    nodes[i] = model.nodes.push_back(n);
  }
  std::array<MemberId, 3> parts;
  for (std::size_t i = 0; i < 3; ++i) {
    Member part = old;
    part.start = nodes[i];
    part.end = nodes[i + 1];
    if (i > 0) part.joints[0] = kJoined;
    if (i < 2) part.joints[1] = kJoined;
    if (i == 0) {
      model.members[id] = part;
      parts[i] = id;
    } else {
      part.name = old.name + std::to_string(i);
      parts[i] = model.members.push_back(part);
    }
  }
  LoadCase& c = model.cases[CaseId(0)];
  std::vector<DistributedLoad> distributed;
  for (const DistributedLoad& load : c.distributed) {
    if (load.member != id) {
      distributed.push_back(load);
      continue;
    }
    for (std::size_t i = 0; i < 3; ++i) {
      DistributedLoad part = load;
      part.from = std::max(load.from, at[i]);
      part.to = std::min(load.to, at[i + 1]);
      if (part.to <= part.from) continue;
      const auto value = [&load](double x) -> Vector6d {
        return load.at_from +
               (load.at_to - load.at_from) * ((x - load.from) / (load.to - load.from));
      };
      part.at_from = value(part.from);
      part.at_to = value(part.to);
      part.member = parts[i];
      part.from -= at[i];
      part.to -= at[i];
      distributed.push_back(part);
    }
  }
  c.distributed = distributed;
  for (PointLoad& p : c.points) {
    if (p.member != id) continue;
    const std::size_t i = p.x < at[1] ? 0 : p.x < at[2] ? 1 : 2;
    p.member = parts[i];
    p.x -= at[i];
  }
  std::vector<SelfWeight> own = c.self_weight;
  for (const SelfWeight& w : own) {
    if (w.member != id) continue;
    c.self_weight.push_back({parts[1], w.factor});
    c.self_weight.push_back({parts[2], w.factor});
  }
  for (const MemberStrain& strain : std::vector<MemberStrain>(c.strains)) {
    if (strain.member != id) continue;
    c.strains.clear();
    for (std::size_t i = 0; i < 3; ++i) {
      c.strains.push_back(strain);
      c.strains.back().member = parts[i];
      c.strains.back().lack_of_fit *= (at[i + 1] - at[i]) / L;
    }
  }
  return model;
}

void add_analyses(Model& model) {
  AnalysisSpec second, stability, vibration, loaded;
  second.name = "second";
  second.become(AnalysisKind::p_delta);
  second.loads = {model.case_alone(CaseId(0))};
  stability = second;
  stability.name = "stability";
  stability.become(AnalysisKind::buckling);
  stability.become<BucklingKeys>().modes = 4;
  vibration.name = "vibration";
  vibration.become(AnalysisKind::modal);
  vibration.become<ModalKeys>().modes = 6;
  loaded = vibration;
  loaded.name = "loaded";
  loaded.after.analysis = "second";
  loaded.after.loads = second.loads[0].name;
  model.analyses = {second, stability, vibration, loaded};
  model.mass.from_loads = {{CaseId(0), 0.7}};
}

/// Factors or frequencies of the first modes.
std::vector<double> values_of(const RunResult& r, const std::string& analysis) {
  std::vector<double> values;
  for (const Step& s : r.steps) {
    if (s.analysis != analysis) continue;
    if (s.buckling) {
      EXPECT_TRUE(s.buckling->certificate.complete());
      for (const BucklingMode& m : s.buckling->modes) values.push_back(m.factor);
    }
    if (s.modal) {
      EXPECT_TRUE(s.modal->certificate.complete());
      for (const VibrationMode& m : s.modal->modes) values.push_back(m.omega);
    }
    EXPECT_TRUE(s.outcome.stands()) << s.outcome.reason;
  }
  return values;
}

void compare(const Model& whole, const Model& cut, MemberId id, const std::string& what) {
  SCOPED_TRACE(what);
  Model one = whole, three = cut;
  add_analyses(one);
  add_analyses(three);
  const RunResult a = run(one), b = run(three);
  const double L = whole.length(id);
  for (const char* analysis : {"first-order", "second"}) {
    const Step &sa = *a.find(analysis, "G"), &sb = *b.find(analysis, "G");
    ASSERT_TRUE(sa.outcome.stands()) << sa.outcome.reason;
    ASSERT_TRUE(sb.outcome.stands()) << sb.outcome.reason;
    const double tolerance = std::string(analysis) == "second" ? kIterated : kExact;
    double u = 0, f = 0;
    for (const NodeMotion& n : sa.state.nodes) u = std::max(u, n.translation.cwiseAbs().maxCoeff());
    for (const Vector6d& r : sa.reactions) f = std::max(f, r.cwiseAbs().maxCoeff());
    for (const NodeId n : whole.nodes.ids()) {
      const Vector6d du = sa.state.nodes[n].vector() - sb.state.nodes[n].vector();
      EXPECT_LT(du.cwiseAbs().maxCoeff(), tolerance * u) << analysis;
      EXPECT_LT((sa.reactions[n] - sb.reactions[n]).cwiseAbs().maxCoeff(), tolerance * f)
          << analysis;
    }
    const LinePoint pa = Recovery(sa).line(id).at(0.2 * L), pb = Recovery(sb).line(id).at(0.2 * L);
    EXPECT_LT((pa.forces - pb.forces).cwiseAbs().maxCoeff(), tolerance * f) << analysis;
    EXPECT_LT((pa.displacement - pb.displacement).cwiseAbs().maxCoeff(), tolerance * u) << analysis;
  }
  for (const char* analysis : {"stability", "vibration", "loaded"}) {
    const std::vector<double> va = values_of(a, analysis), vb = values_of(b, analysis);
    ASSERT_GE(va.size(), 4u) << analysis;
    ASSERT_GE(vb.size(), 4u) << analysis;
    for (std::size_t i = 0; i < std::min(va.size(), vb.size()); ++i) {
      EXPECT_RELATIVE(va[i], vb[i], kModes) << analysis << " mode " << i + 1;
    }
  }
}

class Combinations : public ::testing::TestWithParam<Ends> {};

TEST_P(Combinations, AgreeWithTheMemberCutInThree) {
  for (const Load load : kLoads) {
    Frame f(load != Load::uniform);
    // Column, girder and strut in turn, so that each load meets each direction of a member.
    const std::array<MemberId, 3> all = {f.column, f.girder, f.strut};
    const MemberId id =
        all[(static_cast<std::size_t>(load) + static_cast<std::size_t>(GetParam())) % 3];
    set_ends(f.b.model.members[id], GetParam());
    add_load(f.b, id, load);
    compare(f.b.model, cut_in_three(f.b.model, id), id,
            "ends " + std::to_string(static_cast<int>(GetParam())) + " load " +
                std::to_string(static_cast<int>(load)) + " on " + f.b.model.members[id].name);
  }
}
INSTANTIATE_TEST_SUITE_P(AllEnds, Combinations, ::testing::ValuesIn(kEnds));

/// Large displacement is sure to six digits under every kind of load, and tends to first-order.
TEST(CombinationsOfLargeDisplacement, TendToFirstOrder) {
  constexpr double kSmall = 1e-2;
  for (const Ends ends : {Ends::joined, Ends::hinge_start, Ends::springs}) {
    for (const Load load : {Load::local_trapezoid, Load::point, Load::axial_line, Load::moment,
                            Load::moment_line, Load::warm, Load::gradient, Load::settlement}) {
      SCOPED_TRACE("ends " + std::to_string(static_cast<int>(ends)) + " load " +
                   std::to_string(static_cast<int>(load)));
      Frame f(load != Load::point);
      set_ends(f.b.model.members[f.girder], ends);
      add_load(f.b, f.girder, load);
      AnalysisSpec spec;
      spec.name = "large";
      spec.become<LargeDisplacementKeys>();
      spec.loads = {f.b.model.case_alone(CaseId(0))};
      spec.loads[0].terms[0].second = kSmall;
      f.b.model.analyses = {spec};
      const RunResult r = run(f.b.model);
      const Step &first = r.baseline("G"), &large = *r.find("large", "G");
      ASSERT_TRUE(large.outcome.stands()) << large.outcome.reason;
      double u = 0, du = 0;
      for (const NodeId n : f.b.model.nodes.ids()) {
        u = std::max(u, first.state.nodes[n].translation.norm());
        du = std::max(du,
                      (first.state.nodes[n].translation - large.state.nodes[n].translation).norm());
      }
      EXPECT_LT(du, 0.3 * kSmall * u);
      const double x = 0.2 * f.b.model.length(f.girder);
      const LinePoint a = Recovery(first).line(f.girder).at(x);
      const LinePoint b = Recovery(large).line(f.girder).at(x);
      EXPECT_LT((a.forces - b.forces).norm(), kSmall * a.forces.norm());
    }
  }
}

/// Rotary inertia, and mass in single directions, which couples the planes of inclined members.
TEST(CombinationsOfMass, AgreeWithTheMemberCutInThree) {
  for (const bool rotary : {false, true}) {
    for (const std::array<bool, 3>& directions :
         {std::array<bool, 3>{true, true, true}, {true, false, false}, {false, true, true}}) {
      for (const bool shear : {false, true}) {
        Frame f(shear);
        set_ends(f.b.model.members[f.strut], Ends::hinge_start);
        add_load(f.b, f.strut, Load::all);
        f.b.model.mass.rotary = rotary;
        f.b.model.mass.directions = directions;
        compare(f.b.model, cut_in_three(f.b.model, f.strut), f.strut,
                "rotary " + std::to_string(rotary) + " shear " + std::to_string(shear));
      }
    }
  }
}

/// A part of the load that stays.
TEST(CombinationsOfConstantLoads, AgreeWithTheMemberCutInThree) {
  Frame f(true);
  add_load(f.b, f.column, Load::axial_line);
  add_load(f.b, f.column, Load::axial_point);
  const Model cut = cut_in_three(f.b.model, f.column);
  std::vector<double> values[2];
  int at = 0;
  for (Model model : {f.b.model, cut}) {
    AnalysisSpec spec;
    spec.name = "stability";
    spec.become(AnalysisKind::buckling);
    spec.loads = {model.case_alone(CaseId(0))};
    BucklingKeys& keys = spec.become<BucklingKeys>();
    keys.constant = model.case_alone(CaseId(0));
    keys.constant->terms[0].second = 0.8;
    keys.modes = 5;
    model.analyses = {spec};
    values[at++] = values_of(run(model), "stability");
  }
  ASSERT_GE(values[0].size(), 5u);
  for (std::size_t i = 0; i < 5; ++i) EXPECT_RELATIVE(values[0][i], values[1][i], kModes) << i;
}

}  // namespace
}  // namespace ulterix::testing::combinations_test
