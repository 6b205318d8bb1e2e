#include "core/results/effective_lengths.hpp"

#include <algorithm>
#include <cmath>

#include "core/parallel.hpp"

namespace ulterix {

namespace {

/// Energy shares that count, as a part of the largest: for the mode that governs an axis, and for
/// an axis to have a value at all.
constexpr double kConcerns = 0.1, kBends = 0.01;

}  // namespace

EffectiveLengths::EffectiveLengths(const MemberFrame& frame)
    : frame_(frame), alignment_(frame.model().members.size()) {
  for_each_index(alignment_.size(), [&](int i) {
    const MemberId id(i);
    if (frame.model().members[id].kind != MemberKind::frame) return;
    alignment_[id] = {alignment_factors(frame, id, true), alignment_factors(frame, id, false)};
  });
}

std::vector<EffectiveLength> EffectiveLengths::in_mode(
    const BucklingMode& mode, const IndexedVector<MemberId, double>& N) const {
  const Model& model = frame_.model();
  double most = 0, share = 0;
  for (const MemberId id : model.members.ids()) {
    most = std::max(most, -N[id]);
    share = std::max(share, mode.shares[id].whole);
  }
  std::vector<EffectiveLength> lengths;
  for (const MemberId id : model.members.ids()) {
    const bool frame = model.members[id].kind == MemberKind::frame;
    if (!frame || -N[id] < kCompressed * most || N[id] >= 0) continue;
    const ElementProperties p = element_properties(frame_.situation(), id);
    const SectionProperties& s = model.sections[model.members[id].section].properties;
    EffectiveLength e;
    e.member = id;
    e.N = N[id];
    const auto fill = [&](double EI, bool bends, double I, std::optional<double>& length,
                          std::optional<double>& K, std::optional<double>& slenderness) {
      if (EI <= 0 || !bends) return;
      length = M_PI * std::sqrt(EI / -N[id]);
      K = *length / p.length;
      if (s.A > 0 && I > 0) slenderness = *length / std::sqrt(I / s.A);
    };
    const MemberShare& own = mode.shares[id];
    const auto bent = [&](bool about_y) {
      return frame_.bends(id, about_y) && (about_y ? own.about_y : own.about_z) >= kBends * share;
    };
    fill(p.EIy, bent(true), s.Iy, e.length_y, e.K_y, e.slenderness_y);
    fill(p.EIz, bent(false), s.Iz, e.length_z, e.K_z, e.slenderness_z);
    const double square = M_PI * M_PI / (p.length * p.length);
    if (p.EIy > 0 && frame_.bends(id, true)) e.euler_y = p.EIy * square;
    if (p.EIz > 0 && frame_.bends(id, false)) e.euler_z = p.EIz * square;
    if (const auto& k = alignment_[id].about_y) e.sway_y = k->sway, e.held_y = k->held;
    if (const auto& k = alignment_[id].about_z) e.sway_z = k->sway, e.held_z = k->held;
    e.concerns = mode.shares[id].whole >= kConcerns * share;
    lengths.push_back(e);
  }
  return lengths;
}

namespace {

/// True if two members continue each other at a node: sin of the angle between them below this.
constexpr double kStraight = 1e-6;

/// The member on the other side of a node, if it is the same column; else invalid.
MemberId continuation(const Model& model, const std::vector<MemberId>& at_node, MemberId id,
                      NodeId node) {
  if (at_node.size() != 2) return {};
  const MemberId other = at_node[0] == id ? at_node[1] : at_node[0];
  const Member &a = model.members[id], &b = model.members[other];
  const bool alike = a.kind == MemberKind::frame && b.kind == MemberKind::frame &&
                     a.section == b.section && a.material == b.material && a.roll == b.roll;
  const Vector3d along_a = model.nodes[a.end].position - model.nodes[a.start].position;
  const Vector3d along_b = model.nodes[b.end].position - model.nodes[b.start].position;
  const bool head_to_tail = (a.start == node) != (b.start == node);
  const Vector3d onward = head_to_tail ? along_b : Vector3d(-along_b);
  const bool straight = along_a.dot(onward) > 0 &&
                        along_a.cross(onward).norm() <= kStraight * along_a.norm() * onward.norm();
  const auto rigid = [node](const Member& m) {
    const auto& joint = m.joints[m.start == node ? 0 : 1];
    return std::all_of(joint.begin(), joint.end(), [](double k) { return k == kRigid; });
  };
  return alike && straight && rigid(a) && rigid(b) ? other : MemberId();
}

}  // namespace

IndexedVector<MemberId, double> run_lengths(const Model& model) {
  IndexedVector<NodeId, std::vector<MemberId>> at(model.nodes.size());
  for (const MemberId id : model.members.ids()) {
    at[model.members[id].start].push_back(id);
    at[model.members[id].end].push_back(id);
  }
  IndexedVector<NodeId, char> supported(model.nodes.size(), 0);
  for (const Support& s : model.supports) supported[s.node] = 1;
  IndexedVector<MemberId, double> lengths(model.members.size());
  for (const MemberId id : model.members.ids()) {
    double length = model.length(id);
    for (NodeId node : {model.members[id].start, model.members[id].end}) {
      MemberId last = id;
      while (supported[node] == 0) {
        const MemberId next = continuation(model, at[node], last, node);
        if (!next.valid() || next == id) break;
        length += model.length(next);
        const Member& m = model.members[next];
        node = m.start == node ? m.end : m.start;
        last = next;
      }
    }
    lengths[id] = length;
  }
  return lengths;
}

void recommend_lengths(std::vector<BucklingMode>& modes) {
  if (modes.empty()) return;
  struct Done {
    bool y = false, z = false;
  };
  IndexedVector<MemberId, Done> done(modes.front().shares.size());
  for (BucklingMode& mode : modes) {
    double share = 0;
    for (const MemberShare& s : mode.shares) share = std::max(share, s.whole);
    for (EffectiveLength& e : mode.lengths) {
      const MemberShare& own = mode.shares[e.member];
      Done& d = done[e.member];
      e.recommended_y = e.K_y && !d.y && own.about_y >= kConcerns * share;
      e.recommended_z = e.K_z && !d.z && own.about_z >= kConcerns * share;
      d.y = d.y || e.recommended_y;
      d.z = d.z || e.recommended_z;
    }
  }
}

}  // namespace ulterix
