#include "core/system/twist_runs.hpp"

#include <algorithm>
#include <cmath>

namespace ulterix {

namespace {

constexpr double kCollinear = 1e-9;

class TwistRuns {
 public:
  TwistRuns(const Situation& situation,
            const IndexedVector<NodeId, std::array<SupportDirection, 6>>& supports,
            const std::vector<std::vector<MemberId>>& members_at)
      : situation_(situation),
        model_(*situation.model),
        supports_(supports),
        members_at_(members_at) {}

  IndexedVector<MemberId, double> relief() const {
    IndexedVector<MemberId, double> relief(model_.members.size(), 1.0);
    std::vector<char> done(static_cast<std::size_t>(model_.members.size()), 0);
    for (const MemberId id : model_.members.ids()) {
      const Section& section = model_.sections[model_.members[id].section];
      if (done[static_cast<std::size_t>(id.value)] != 0 || section.properties.Iw <= 0) continue;
      if (model_.members[id].kind != MemberKind::frame || !situation_.present[id]) continue;
      Run run{{id}, length(id), true};
      for (const int end : {0, 1}) extend(run, id, end);
      for (const MemberId member : run.members) {
        done[static_cast<std::size_t>(member.value)] = 1;
        if (run.held) relief[member] = relief_of(member, run.length);
      }
    }
    return relief;
  }

 private:
  struct Run {
    std::vector<MemberId> members;
    double length = 0;
    bool held = true;  // at both ends
  };

  double length(MemberId id) const {
    const Member& m = model_.members[id];
    return (situation_.position(m.end) - situation_.position(m.start)).norm();
  }
  Vector3d axis(MemberId id) const {
    const Member& m = model_.members[id];
    return (situation_.position(m.end) - situation_.position(m.start)).normalized();
  }

  double relief_of(MemberId id, double run) const {
    const Member& m = model_.members[id];
    const Section& section = model_.sections[m.section];
    const Material& material = model_.materials[m.material];
    const StiffnessFactors& factors = situation_.factors[id];
    const double GJ = material.G * section.properties.J * section.stiffness.J * factors.J;
    const double warping = M_PI * M_PI * material.E * section.properties.Iw * section.stiffness.Iz *
                           factors.Iz / (run * run);
    return GJ > 0 ? GJ / (GJ + warping) : 1;
  }

  bool held_by_support(NodeId n, const Vector3d& axis) const {
    for (int d = 0; d < 3; ++d) {
      if (supports_[n][3 + d].stiffness > 0 && std::abs(axis[d]) > kCollinear) return true;
    }
    return std::any_of(
        situation_.restraints.begin(), situation_.restraints.end(), [&](const ExtraRestraint& r) {
          return r.node == n && std::abs(r.direction.tail<3>().dot(axis)) > kCollinear;
        });
  }

  static bool turns_with(const Member& m, NodeId n) {
    const EndJoint& joint = m.joints[m.start == n ? 0 : 1];
    return m.kind == MemberKind::frame && (joint[3] != 0 || joint[4] != 0 || joint[5] != 0);
  }

  /// The member that goes on beyond an end, with nothing else that holds the twist there.
  void extend(Run& run, MemberId id, int end) const {
    for (;;) {
      const Member& m = model_.members[id];
      const NodeId n = end == 0 ? m.start : m.end;
      const Vector3d along = axis(id);
      if (m.joints[static_cast<std::size_t>(end)][3] == 0) {
        run.held = false;
        return;
      }
      if (held_by_support(n, along)) return;
      MemberId next;
      bool held = false;
      for (const MemberId other : members_at_[static_cast<std::size_t>(n.value)]) {
        if (other == id || !turns_with(model_.members[other], n)) continue;
        const Member& o = model_.members[other];
        const bool straight = std::abs(std::abs(axis(other).dot(along)) - 1) < kCollinear &&
                              o.section == m.section && o.material == m.material;
        if (straight && o.joints[o.start == n ? 0 : 1][3] != 0) {
          next = other;
        } else {
          held = true;
        }
      }
      if (held) return;
      const bool seen = !next.valid() || std::find(run.members.begin(), run.members.end(), next) !=
                                             run.members.end();
      if (seen) {
        run.held = false;
        return;
      }
      run.members.push_back(next);
      run.length += length(next);
      end = model_.members[next].start == n ? 1 : 0;
      id = next;
    }
  }

  const Situation& situation_;
  const Model& model_;
  const IndexedVector<NodeId, std::array<SupportDirection, 6>>& supports_;
  const std::vector<std::vector<MemberId>>& members_at_;
};

}  // namespace

IndexedVector<MemberId, double> warping_relief(
    const Situation& situation,
    const IndexedVector<NodeId, std::array<SupportDirection, 6>>& supports,
    const std::vector<std::vector<MemberId>>& members_at) {
  return TwistRuns(situation, supports, members_at).relief();
}

}  // namespace ulterix
