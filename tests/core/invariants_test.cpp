// Properties that hold for every frame: random space frames, loads, turns and renumberings.
#include <gtest/gtest.h>
// rapidcheck's bridge needs gtest first.
#include <rapidcheck.h>
#include <rapidcheck/gtest.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <numeric>
#include <random>

#include "support/frame_builder.hpp"

namespace ulterix::testing::invariants_test {
namespace {

/// A random frame of two bays, two storeys and one bay deep, jittered, with all kinds of loads.
class RandomFrame {
 public:
  explicit RandomFrame(unsigned seed) : random_(seed) {
    const MaterialId steel = b.material(210e9, 81e9, 7850);
    std::vector<SectionId> sections;
    for (int i = 0; i < 3; ++i) sections.push_back(b.section(section()));
    for (int z = 0; z <= 2; ++z) {
      for (int y = 0; y <= 1; ++y) {
        for (int x = 0; x <= 2; ++x) {
          nodes.push_back(b.node("n" + std::to_string(nodes.size()), 6 * x + jitter(),
                                 5 * y + jitter(), 3.5 * z + (z > 0 ? jitter() : 0)));
        }
      }
    }
    const auto at = [this](int x, int y, int z) { return nodes[6 * z + 3 * y + x]; };
    const auto join = [&](NodeId a, NodeId c) {
      members.push_back(b.member("m" + std::to_string(members.size()), a, c, sections[pick(3)],
                                 steel, uniform(0, 3)));
    };
    for (int z = 0; z < 2; ++z) {
      for (int y = 0; y <= 1; ++y) {
        for (int x = 0; x <= 2; ++x) join(at(x, y, z), at(x, y, z + 1));
        for (int x = 0; x < 2; ++x) join(at(x, y, z + 1), at(x + 1, y, z + 1));
      }
      for (int x = 0; x <= 2; ++x) join(at(x, 0, z + 1), at(x, 1, z + 1));
    }
    b.model.members[members[3]].joints[1][4] = 0;
    b.model.members[members[8]].joints[0][5] = 4e6;
    for (int i = 0; i < 6; ++i) b.fix_all(nodes[i]);
    add_loads();
  }

  FrameBuilder b{Plane::space};
  std::vector<NodeId> nodes;
  std::vector<MemberId> members;

  double uniform(double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random_);
  }
  int pick(int n) { return std::uniform_int_distribution<int>(0, n - 1)(random_); }

 private:
  double jitter() { return uniform(-0.7, 0.7); }

  SectionProperties section() {
    SectionProperties p;
    p.A = uniform(3e-3, 2e-2);
    p.Iy = uniform(2e-5, 3e-4);
    p.Iz = uniform(2e-5, 8e-5);
    p.J = uniform(1e-7, 1e-5);
    p.Avy = uniform(0.3, 0.8) * p.A;
    p.Avz = uniform(0.3, 0.8) * p.A;
    return p;
  }

  void add_loads() {
    for (int i = 6; i < 18; ++i) {
      b.nodal_load(nodes[i], force6(uniform(-2e4, 2e4), uniform(-2e4, 2e4), uniform(-1e5, -2e4),
                                    uniform(-1e4, 1e4), uniform(-1e4, 1e4), uniform(-1e4, 1e4)));
    }
    for (int i = 0; i < 5; ++i) {
      const MemberId m = members[pick(static_cast<int>(members.size()))];
      const double L = b.model.length(m);
      b.distributed(m, force6(uniform(-3e3, 3e3), 0, uniform(-2e4, 0)),
                    force6(uniform(-3e3, 3e3), uniform(-3e3, 3e3), uniform(-2e4, 0)), 0.1 * L,
                    uniform(0.4, 1) * L, i % 2 == 0 ? LoadAxes::global : LoadAxes::local);
      b.point(m, uniform(0.1, 0.9) * L, force6(1e3, -2e3, -2e4, 500, 1e3, -700));
    }
    for (const MemberId m : members) b.load_case().self_weight.push_back({m, 1.0});
  }

  std::mt19937 random_;
};

double displacement_scale(const Step& step) {
  double u = 0;
  for (const NodeMotion& n : step.state.nodes) u = std::max(u, n.translation.norm());
  return u;
}

double force_scale(const RunResult& r, const Step& step, int component) {
  const Recovery recovery(step);
  double largest = 0;
  for (const MemberId m : r.model->members.ids()) {
    const Extreme e = recovery.line(m).extremes()[component];
    largest = std::max({largest, std::abs(e.min), std::abs(e.max)});
  }
  return largest;
}

RC_GTEST_PROP(Invariants, Equilibrium, ()) {
  RandomFrame f(*rc::gen::inRange(0u, 1000000u));
  const RunResult r = f.b.run();
  RC_ASSERT(r.steps.front().outcome.stands());
  for (const Step& step : r.steps) {
    if (!step.outcome.stands()) continue;  // a random frame may lie above its critical load
    RC_ASSERT(step.equilibrium.nodes < 1e-10);
    RC_ASSERT(step.equilibrium.reactions < 1e-10);
  }
  // First-order: moments about the origin balance too, loads against reactions.
  const Step& first = r.steps.front();
  const AppliedLoads loads(r.frame.system->situation(), first.loads);
  Vector3d sum = Vector3d::Zero();
  double scale = 0;
  const auto add = [&](const Vector3d& at, const Vector3d& force, const Vector3d& moment) {
    sum += at.cross(force) + moment;
    scale = std::max(scale, at.cross(force).norm());
  };
  for (const NodeId n : r.model->nodes.ids()) {
    const Vector6d total = first.reactions[n] + loads.on_node(n);
    add(r.model->nodes[n].position, total.head<3>(), total.tail<3>());
  }
  for (const MemberId m : r.model->members.ids()) {
    const Matrix3d& R = r.frame.system->axes(m);
    const Vector6d load = loads.on_member(m).resultant();
    add(r.model->nodes[r.model->members[m].start].position, R.transpose() * load.head<3>(),
        R.transpose() * load.tail<3>());
  }
  RC_ASSERT(sum.norm() < 1e-9 * scale);
}

/// F4: the whole frame with its loads turned: displacements turn with it, inner forces stay.
RC_GTEST_PROP(Invariants, Rotation, ()) {
  const auto seed = *rc::gen::inRange(0u, 1000000u);
  RandomFrame f(seed), turned(seed);
  std::mt19937 random(seed + 1);
  std::normal_distribution<double> normal;
  const Eigen::Quaterniond q =
      Eigen::Quaterniond(normal(random), normal(random), normal(random), normal(random))
          .normalized();
  const Matrix3d Q = q.toRotationMatrix();
  const auto turn6 = [&Q](const Vector6d& v) {
    Vector6d t;
    t << Q * v.head<3>(), Q * v.tail<3>();
    return t;
  };
  // Self weight follows global down; here loads turn, so it is left out on both sides.
  f.b.load_case().self_weight.clear();
  LoadCase& loads = turned.b.load_case();
  loads.self_weight.clear();
  Model& m = turned.b.model;
  for (const MemberId id : m.members.ids()) {
    // The roll that gives the turned member the turned section axes.
    const Matrix3d wanted = local_axes(f.b.model, id) * Q.transpose();
    const Member& member = m.members[id];
    const Matrix3d plain =
        local_axes(Q * m.nodes[member.start].position, Q * m.nodes[member.end].position, 0, 2);
    m.members[id].roll =
        std::atan2(wanted.row(1).dot(plain.row(2)), wanted.row(1).dot(plain.row(1)));
  }
  for (Node& n : m.nodes) n.position = Q * n.position;
  for (NodalLoad& l : loads.nodal) l.force = turn6(l.force);
  for (DistributedLoad& l : loads.distributed) {
    if (l.axes == LoadAxes::local) continue;
    l.at_from = turn6(l.at_from);
    l.at_to = turn6(l.at_to);
  }
  for (PointLoad& l : loads.points) l.force = turn6(l.force);
  const RunResult a = f.b.run(), b = turned.b.run();
  RC_PRE(a.steps.back().outcome.stands());
  for (std::size_t i = 0; i < a.steps.size(); ++i) {
    const double u = displacement_scale(a.steps[i]);
    for (const NodeId n : a.model->nodes.ids()) {
      const Vector3d expected = Q * a.steps[i].state.nodes[n].translation;
      RC_ASSERT((b.steps[i].state.nodes[n].translation - expected).norm() < 1e-9 * u);
    }
    const Recovery ra(a.steps[i]), rb(b.steps[i]);
    const double scale = force_scale(a, a.steps[i], kMy);
    for (const MemberId id : a.model->members.ids()) {
      const double x = 0.37 * a.model->length(id);
      RC_ASSERT(std::abs(ra.line(id).at(x).forces[kMy] - rb.line(id).at(x).forces[kMy]) <
                1e-8 * scale);
    }
  }
}

RC_GTEST_PROP(Invariants, Renumbering, ()) {
  const auto seed = *rc::gen::inRange(0u, 1000000u);
  RandomFrame f(seed);
  const RunResult a = f.b.run();
  RC_PRE(a.steps.back().outcome.stands());
  // The same model with nodes in another order.
  std::vector<int> order(static_cast<std::size_t>(f.b.model.nodes.size()));
  std::iota(order.begin(), order.end(), 0);
  std::mt19937 random(seed);
  std::shuffle(order.begin(), order.end(), random);
  std::vector<NodeId> moved(order.size());
  Model m = f.b.model;
  IndexedVector<NodeId, Node> nodes;
  for (const int old : order) moved[old] = nodes.push_back(m.nodes[NodeId(old)]);
  m.nodes = nodes;
  for (Member& member : m.members) {
    member.start = moved[member.start.value];
    member.end = moved[member.end.value];
  }
  for (Support& s : m.supports) s.node = moved[s.node.value];
  for (NodalLoad& l : m.cases[CaseId(0)].nodal) l.node = moved[l.node.value];
  const RunResult b = run(m);
  for (std::size_t i = 0; i < a.steps.size(); ++i) {
    const double u = displacement_scale(a.steps[i]);
    for (const NodeId n : a.model->nodes.ids()) {
      RC_ASSERT((a.steps[i].state.nodes[n].translation -
                 b.steps[i].state.nodes[moved[n.value]].translation)
                    .norm() < 1e-10 * u);
    }
  }
}

RC_GTEST_PROP(Invariants, Superposition, ()) {
  const auto seed = *rc::gen::inRange(0u, 1000000u);
  RandomFrame f(seed);
  // Three cases: the whole, and two parts of it that add up.
  LoadCase one = f.b.load_case(), two = one;
  one.name = "one";
  two.name = "two";
  one.distributed.clear();
  one.points.clear();
  two.nodal.clear();
  two.self_weight.clear();
  f.b.model.cases.push_back(one);
  f.b.model.cases.push_back(two);
  AnalysisSpec spec;
  spec.name = "linear";
  for (int i = 0; i < 3; ++i) spec.loads.push_back(f.b.model.case_alone(CaseId(i)));
  f.b.model.analyses = {spec};
  const RunResult r = run(f.b.model);
  const Step &all = *r.find("linear", "G"), &a = *r.find("linear", "one"),
             &c = *r.find("linear", "two");
  const double u = displacement_scale(all);
  for (const NodeId n : r.model->nodes.ids()) {
    RC_ASSERT((all.state.nodes[n].translation - a.state.nodes[n].translation -
               c.state.nodes[n].translation)
                  .norm() < 1e-10 * u);
    RC_ASSERT((all.reactions[n] - a.reactions[n] - c.reactions[n]).norm() <
              1e-10 * (1 + all.reactions[n].norm() + 1e6));
  }
}

/// Maxwell–Betti: the work of one load on the displacements of another is the same both ways.
RC_GTEST_PROP(Invariants, Reciprocity, ()) {
  const auto seed = *rc::gen::inRange(0u, 1000000u);
  RandomFrame f(seed);
  const NodeId i = f.nodes[6 + f.pick(12)], j = f.nodes[6 + f.pick(12)];
  const int d = f.pick(6), e = f.pick(6);
  for (const auto& [node, direction] : {std::pair(i, d), std::pair(j, e)}) {
    LoadCase c;
    c.name = "unit" + std::to_string(f.b.model.cases.size());
    NodalLoad load;
    load.node = node;
    load.force = Vector6d::Unit(direction);
    c.nodal.push_back(load);
    f.b.model.cases.push_back(c);
  }
  AnalysisSpec spec;
  spec.name = "linear";
  spec.loads = {f.b.model.case_alone(CaseId(1)), f.b.model.case_alone(CaseId(2))};
  f.b.model.analyses = {spec};
  const RunResult r = run(f.b.model);
  const double uij = r.find("linear", "unit1")->state.nodes[j].vector()[e];
  const double uji = r.find("linear", "unit2")->state.nodes[i].vector()[d];
  const double scale = std::sqrt(std::abs(r.find("linear", "unit1")->state.nodes[i].vector()[d] *
                                          r.find("linear", "unit2")->state.nodes[j].vector()[e]));
  RC_ASSERT(std::abs(uij - uji) < 1e-10 * scale);
}

/// A node put into the middle of a member changes nothing, in either theory.
RC_GTEST_PROP(Invariants, SplittingAMemberInTwo, ()) {
  const auto seed = *rc::gen::inRange(0u, 1000000u);
  RandomFrame f(seed), split(seed);
  const MemberId id = f.members[f.pick(3)];  // a column, without loads of its own but weight
  const auto clear = [&](RandomFrame& frame) {
    auto& c = frame.b.load_case();
    std::erase_if(c.distributed, [&](const auto& l) { return l.member == id; });
    std::erase_if(c.points, [&](const auto& l) { return l.member == id; });
  };
  clear(f);
  clear(split);
  Model& m = split.b.model;
  const Member whole = m.members[id];
  const Vector3d a = m.nodes[whole.start].position, c = m.nodes[whole.end].position;
  const Vector3d middle = a + 0.43 * (c - a);
  const NodeId n = split.b.node("middle", middle[0], middle[1], middle[2]);
  const MemberId upper =
      split.b.member("upper", n, whole.end, whole.section, whole.material, whole.roll);
  m.members[id].end = n;
  split.b.load_case().self_weight.push_back({upper, 1.0});
  const RunResult ra = f.b.run(), rb = split.b.run();
  RC_PRE(ra.steps.back().outcome.stands());
  for (std::size_t i = 0; i < ra.steps.size(); ++i) {
    const double u = displacement_scale(ra.steps[i]);
    for (const NodeId k : ra.model->nodes.ids()) {
      RC_ASSERT(
          (ra.steps[i].state.nodes[k].translation - rb.steps[i].state.nodes[k].translation).norm() <
          1e-7 * u);
    }
    const Recovery one(ra.steps[i]), two(rb.steps[i]);
    const double L = ra.model->length(id), scale = force_scale(ra, ra.steps[i], kMy);
    RC_ASSERT(std::abs(one.line(id).at(0.7 * L).forces[kMy] -
                       two.line(upper).at(0.27 * L).forces[kMy]) < 1e-7 * scale);
  }
}

/// The same digits from one run to the next.
TEST(Invariants, TheSameModelGivesTheSameDigits) {
  RandomFrame f(7);
  const RunResult a = f.b.run(), b = f.b.run();
  for (std::size_t i = 0; i < a.steps.size(); ++i) {
    for (const NodeId n : a.model->nodes.ids()) {
      EXPECT_EQ(a.steps[i].state.nodes[n].translation, b.steps[i].state.nodes[n].translation);
    }
  }
}

}  // namespace
}  // namespace ulterix::testing::invariants_test
