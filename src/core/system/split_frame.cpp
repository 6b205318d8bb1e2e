#include "core/system/split_frame.hpp"

#include <algorithm>

#include "core/element/linear_matrices.hpp"

namespace ulterix {

namespace {

/// Nodes along a member, its own ends first and last.
std::vector<NodeId> nodes_along(const Variant& variant, const Member& member, int count,
                                Model& model) {
  std::vector<NodeId> nodes = {member.start};
  const Vector3d a = variant.position(member.start), b = variant.position(member.end);
  for (int i = 1; i < count; ++i) {
    Node inner;
    inner.position = a + (b - a) * (double(i) / count);
    nodes.push_back(model.nodes.push_back(inner));
  }
  nodes.push_back(member.end);
  return nodes;
}

}  // namespace

SplitFrame split_frame(const FrameSystem& frame, const IndexedVector<MemberId, int>& counts) {
  const Model& whole = frame.model();
  const Variant& given = frame.variant();
  SplitFrame split;
  split.model = std::make_unique<Model>();
  Model& model = *split.model;
  model.plane = whole.plane;
  model.vertical = whole.vertical;
  model.gravity = whole.gravity;
  model.materials = whole.materials;
  model.sections = whole.sections;
  model.supports = whole.supports;
  // Motions are counted from the settled state.
  for (Support& s : model.supports) {
    for (SupportDirection& d : s.directions) d.settle = 0;
  }
  model.nodes = whole.nodes;
  for (const NodeId n : whole.nodes.ids()) model.nodes[n].position = given.position(n);
  split.pieces_of = IndexedVector<MemberId, std::vector<MemberId>>(whole.members.size());
  std::vector<StiffnessFactors> factors;
  std::vector<char> present;
  std::vector<ExtraRestraint> restraints = given.restraints;
  for (const MemberId id : whole.members.ids()) {
    const Member& member = whole.members[id];
    const int count = member.kind == MemberKind::frame ? std::max(counts[id], 1) : 1;
    const std::vector<NodeId> nodes = nodes_along(given, member, count, model);
    const bool torsion = whole.plane == Plane::space && count > 1;
    for (int i = 0; i < count; ++i) {
      Member piece = member;
      piece.start = nodes[static_cast<std::size_t>(i)];
      piece.end = nodes[static_cast<std::size_t>(i) + 1];
      if (i > 0) piece.joints[0] = kJoined;
      if (i + 1 < count) piece.joints[1] = kJoined;
      split.pieces.push_back({id, double(i) / count, double(i + 1) / count, false, !torsion});
      split.pieces_of[id].push_back(model.members.push_back(piece));
      factors.push_back(given.factors[id]);
      if (torsion) factors.back().J = 0;
      present.push_back(given.present[id]);
    }
    if (!torsion) continue;
    // Inner nodes do not turn about the member's axis; its torsion goes from end to end.
    Vector6d about_axis = Vector6d::Zero();
    about_axis.tail<3>() = (given.position(member.end) - given.position(member.start)).normalized();
    for (int i = 1; i < count; ++i) {
      restraints.push_back({nodes[static_cast<std::size_t>(i)], about_axis});
    }
    model.members.push_back(member);
    split.pieces.push_back({id, 0, 1, true, true});
    StiffnessFactors only_torsion = given.factors[id];
    only_torsion.A = only_torsion.Iy = only_torsion.Iz = 0;
    factors.push_back(only_torsion);
    present.push_back(given.present[id]);
  }
  Variant variant(model);
  variant.restraints = restraints;
  for (std::size_t i = 0; i < factors.size(); ++i) {
    variant.factors[MemberId(static_cast<int>(i))] = factors[i];
    variant.present[MemberId(static_cast<int>(i))] = present[i];
  }
  split.system = std::make_unique<FrameSystem>(variant, frame);
  return split;
}

Matrix12d at_nodes(const SplitFrame& split, MemberId piece, const Matrix12d& M) {
  if (!split.model->members[piece].has_hinges()) return M;
  const ElementProperties p = element_properties(split.system->variant(), piece);
  const Matrix12d T = end_motion(Element(p, MemberLoading::none(p.length), {}));
  return T.transpose() * M * T;
}

}  // namespace ulterix
