#pragma once

#include <string>
#include <vector>

#include "core/analysis/run.hpp"
#include "core/model/local_axes.hpp"
#include "core/results/recovery.hpp"

namespace ulterix::testing {

/// Exact agreement up to rounding of a few thousand operations.
inline constexpr double kExact = 1e-9;
/// Agreement with a reference that is itself iterated to 1e-8.
inline constexpr double kIterated = 1e-6;

inline double relative_error(double value, double reference) {
  return std::abs(value - reference) / std::max(std::abs(reference), 1e-300);
}

#define EXPECT_RELATIVE(value, reference, tolerance)                               \
  EXPECT_LE(::ulterix::testing::relative_error((value), (reference)), (tolerance)) \
      << #value " = " << ::testing::PrintToString(value) << ", reference "         \
      << ::testing::PrintToString(reference)

/// Like a rolled I, soft in shear.
inline SectionProperties rolled_section() {
  SectionProperties s;
  s.A = 8e-3;
  s.Iy = 8e-5;
  s.Iz = 3e-5;
  s.J = 9e-7;
  s.Avz = 3e-3;
  s.Avy = 5e-3;
  return s;
}

/// Builds models in code, all in SI. Sections and materials are given as plain stiffnesses.
class FrameBuilder {
 public:
  explicit FrameBuilder(Plane plane = Plane::xz) {
    model.plane = plane;
    model.vertical = plane == Plane::xy ? 1 : 2;
  }

  Model model;

  NodeId node(const std::string& name, double x, double y, double z) {
    Node n;
    n.name = name;
    n.position = {x, y, z};
    return model.nodes.push_back(n);
  }

  MaterialId material(double E, double G, double density = 0) {
    Material m;
    m.name = "m" + std::to_string(model.materials.size());
    m.E = E;
    m.G = G;
    m.density = density;
    return model.materials.push_back(m);
  }

  SectionId section(const SectionProperties& p) {
    Section s;
    s.name = "s" + std::to_string(model.sections.size());
    s.properties = p;
    return model.sections.push_back(s);
  }

  MemberId member(const std::string& name, NodeId a, NodeId b, SectionId s, MaterialId m,
                  double roll = 0) {
    Member member;
    member.name = name;
    member.start = a;
    member.end = b;
    member.section = s;
    member.material = m;
    member.roll = roll;
    return model.members.push_back(member);
  }

  /// Columns AB and DC in the xz plane from z = 0, and a beam BC on them; no supports.
  struct Portal {
    NodeId A, B, C, D;
  };
  Portal portal(double width, double height, SectionId column, SectionId beam, MaterialId m) {
    const Portal p{node("A", 0, 0, 0), node("B", 0, 0, height), node("C", width, 0, height),
                   node("D", width, 0, 0)};
    member("AB", p.A, p.B, column, m);
    member("BC", p.B, p.C, beam, m);
    member("DC", p.D, p.C, column, m);
    return p;
  }

  /// directions: e.g. {0, 2, 4}.
  void fix(NodeId n, const std::vector<int>& directions) {
    Support s;
    s.node = n;
    for (const int d : directions) s.directions[d].stiffness = kRigid;
    model.supports.push_back(s);
  }
  void fix_all(NodeId n) { fix(n, {0, 1, 2, 3, 4, 5}); }

  void spring(NodeId n, int direction, double stiffness) {
    Support s;
    s.node = n;
    s.directions[direction].stiffness = stiffness;
    model.supports.push_back(s);
  }

  LoadCase& load_case() {
    if (model.cases.empty()) {
      LoadCase c;
      c.name = "G";
      model.cases.push_back(c);
    }
    return model.cases[CaseId(0)];
  }

  void nodal_load(NodeId n, const Vector6d& f) {
    NodalLoad load;
    load.node = n;
    load.force = f;
    load_case().nodal.push_back(load);
  }
  void nodal_load(NodeId n, int direction, double value) {
    nodal_load(n, Vector6d(Vector6d::Unit(direction) * value));
  }

  void distributed(MemberId m, const Vector6d& a, const Vector6d& b, double from, double to,
                   LoadAxes axes = LoadAxes::global) {
    DistributedLoad d;
    d.member = m;
    d.at_from = a;
    d.at_to = b;
    d.from = from;
    d.to = to;
    d.axes = axes;
    load_case().distributed.push_back(d);
  }
  void uniform(MemberId m, int direction, double q, LoadAxes axes = LoadAxes::global) {
    const Vector6d load = Vector6d::Unit(direction) * q;
    distributed(m, load, load, 0, model.length(m), axes);
  }

  void point(MemberId m, double x, const Vector6d& f, LoadAxes axes = LoadAxes::global) {
    PointLoad p;
    p.member = m;
    p.x = x;
    p.force = f;
    p.axes = axes;
    load_case().points.push_back(p);
  }

  /// First-order and P-Delta ("p-delta") of the one load case.
  RunResult run(const AnalysisSpec& options = {}) {
    load_case();
    AnalysisSpec spec = options;
    spec.name = "p-delta";
    spec.become(AnalysisKind::p_delta);
    spec.loads = {model.case_alone(CaseId(0))};
    model.analyses = {spec};
    return ulterix::run(model);
  }
};

/// Reads values of one analysis of a run.
class Reader {
 public:
  Reader(const RunResult& result, const std::string& analysis)
      : step_(*result.find(analysis, "G")), recovery_(step_) {}

  double u(NodeId n, int direction) const { return step_.state.nodes[n].vector()[direction]; }
  double reaction(NodeId n, int direction) const { return step_.reactions[n][direction]; }
  double force(MemberId m, InternalForce f, double x) const {
    return recovery_.line(m).at(x).forces[f];
  }
  Extreme extreme(MemberId m, InternalForce f) const { return recovery_.line(m).extremes()[f]; }
  MemberLine line(MemberId m) const { return recovery_.line(m); }
  const Step& step() const { return step_; }

 private:
  const Step& step_;
  Recovery recovery_;
};

inline Vector6d force6(double fx, double fy, double fz, double mx = 0, double my = 0,
                       double mz = 0) {
  Vector6d f;
  f << fx, fy, fz, mx, my, mz;
  return f;
}

/// Bending section without shear flexibility and (nearly) without axial give.
inline SectionProperties bending_only(double I, double A = 1e6) {
  SectionProperties p;
  p.A = A;
  p.Iy = p.Iz = I;
  p.J = I;
  return p;
}

}  // namespace ulterix::testing
