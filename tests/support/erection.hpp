#pragma once

#include <algorithm>
#include <memory>
#include <string>
#include <vector>

#include "core/analysis/staged.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing {

/// A staged analysis of a frame, stage by stage.
struct Erection {
  FrameBuilder& b;
  AnalysisSpec spec;
  AnalysisKind theory;

  explicit Erection(FrameBuilder& frame, AnalysisKind kind = AnalysisKind::first_order)
      : b(frame), theory(kind) {
    spec.name = "erection";
    spec.become<StagedKeys>();
  }

  /// What acts after the stage is given by `items`.
  Stage& stage(const std::vector<MemberId>& erected, const LoadCase& items) {
    StagedKeys& keys = spec.become<StagedKeys>();
    Stage next;
    next.name = "S" + std::to_string(keys.stages.size() + 1);
    next.erected = erected;
    next.theory = theory;
    LoadSet set;
    set.name = next.name;
    set.items = std::make_shared<const LoadCase>(items);
    spec.loads.push_back(set);
    keys.stages.push_back(next);
    return keys.stages.back();
  }

  /// With the same at once beside it.
  RunResult run() const {
    AnalysisSpec reference = spec;
    reference.name = at_once_name(spec.name);
    reference.become<StagedKeys>().at_once = true;
    b.model.analyses.insert(b.model.analyses.begin(), spec);
    b.model.analyses.insert(b.model.analyses.begin(), reference);
    return ulterix::run(b.model);
  }

  RunResult run_stages_alone() const {
    b.model.analyses.insert(b.model.analyses.begin(), spec);
    return ulterix::run(b.model);
  }
};

/// A portal on a hinged and a fixed foot, whose beam is hinged at its start.
struct HingedPortal {
  FrameBuilder b;
  NodeId A, B, C, D;
  MemberId left, beam, right;

  HingedPortal() {
    const SectionId s = b.section(rolled_section());
    const MaterialId m = b.material(210e9, 81e9);
    A = b.node("A", 0, 0, 0);
    B = b.node("B", 0, 0, 3);
    C = b.node("C", 4, 0, 3);
    D = b.node("D", 4, 0, 0);
    left = b.member("left", A, B, s, m);
    beam = b.member("beam", B, C, s, m);
    right = b.member("right", D, C, s, m);
    b.model.members[beam].joints[0][4] = 0;
    b.fix(A, {0, 2});
    b.fix(D, {0, 2, 4});
  }
};

/// A portal of two storeys under loads of every kind.
struct TwoStoreys {
  FrameBuilder b;
  NodeId A0, A1, A2, D0, D1, D2;
  std::vector<MemberId> lower, upper;
  LoadCase on_lower, on_upper, on_both;

  TwoStoreys() {
    const SectionId s = b.section(rolled_section());
    const MaterialId m = b.material(210e9, 81e9, 7850);
    A0 = b.node("A0", 0, 0, 0);
    A1 = b.node("A1", 0, 0, 3.5);
    A2 = b.node("A2", 0.2, 0, 7);
    D0 = b.node("D0", 6, 0, 0);
    D1 = b.node("D1", 6, 0, 4);
    D2 = b.node("D2", 6, 0, 7.5);
    lower = {b.member("CA1", A0, A1, s, m), b.member("CD1", D0, D1, s, m),
             b.member("B1", A1, D1, s, m)};
    upper = {b.member("CA2", A1, A2, s, m), b.member("CD2", D1, D2, s, m),
             b.member("B2", A2, D2, s, m)};
    b.fix(A0, {0, 2, 4});
    b.fix(D0, {0, 2});
    for (const MemberId id : lower) put(id, on_lower);
    for (const MemberId id : upper) put(id, on_upper);
    on_lower.nodal.push_back({A1, force6(9e3, 0, -2e4), 0});
    on_upper.nodal.push_back({D2, force6(4e3, 0, -1e4, 0, 3e3), 0});
    on_both = on_lower;
    append(on_upper, on_both);
  }

  void put(MemberId id, LoadCase& c) const {
    const double L = b.model.length(id);
    c.self_weight.push_back({id, 1});
    c.distributed.push_back(
        {id, force6(200, 0, -8e3), force6(0, 0, -3e3), 0.1 * L, 0.9 * L, LoadAxes::global});
    c.points.push_back({id, force6(1e3, 0, -5e3, 0, 700), 0.4 * L, LoadAxes::global});
  }
  static void append(const LoadCase& from, LoadCase& to) {
    to.nodal.insert(to.nodal.end(), from.nodal.begin(), from.nodal.end());
    to.self_weight.insert(to.self_weight.end(), from.self_weight.begin(), from.self_weight.end());
    to.distributed.insert(to.distributed.end(), from.distributed.begin(), from.distributed.end());
    to.points.insert(to.points.end(), from.points.begin(), from.points.end());
  }
  std::vector<MemberId> all() const {
    std::vector<MemberId> both = lower;
    both.insert(both.end(), upper.begin(), upper.end());
    return both;
  }
};

/// The largest difference of forces along members, of the largest.
inline double difference(const Step& a, const Step& b, const std::vector<MemberId>& members) {
  double worst = 0, largest = 0;
  const Recovery ra(a), rb(b);
  for (const MemberId id : members) {
    for (const double x : {0.0, 0.3, 0.7, 1.0}) {
      const double L = ra.line(id).length();
      const Vector6d fa = ra.line(id).at(x * L).forces, fb = rb.line(id).at(x * L).forces;
      worst = std::max(worst, (fa - fb).cwiseAbs().maxCoeff());
      largest = std::max(largest, fa.cwiseAbs().maxCoeff());
    }
  }
  return worst / largest;
}

}  // namespace ulterix::testing
