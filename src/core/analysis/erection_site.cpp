#include "core/analysis/erection_site.hpp"

namespace ulterix {

ErectionSite::ErectionSite(const Model& model, std::vector<ExtraRestraint> holds, bool at_once)
    : at_once_(at_once), now_(model), holds_(std::move(holds)), supports_(model.supports) {
  now_.clear();
}

void ErectionSite::change(const Stage& stage, const State& before) {
  const IndexedVector<NodeId, char> stood = now_.standing;
  now_.change_members(stage);
  if (!at_once_ && !stage.drawn) arrive(stage.erected, stood, before);
  for (Support s : stage.supports) {
    for (std::size_t d = 0; d < s.directions.size() && !at_once_; ++d) {
      if (now_.standing[s.node] == 0 || stood[s.node] == 0) continue;
      s.directions[d].settle += before.nodes[s.node].vector()[static_cast<Eigen::Index>(d)];
    }
    supports_.push_back(s);
  }
  for (const auto& [node, direction] : stage.freed) {
    for (Support& s : supports_) {
      if (s.node == node) s.directions[static_cast<std::size_t>(direction)] = {};
    }
  }
  for (const GroundMotion& g : stage.ground) {
    for (Support& s : supports_) {
      SupportDirection& d = s.directions[static_cast<std::size_t>(g.direction)];
      if (s.node == g.node && d.stiffness != 0) d.settle += g.amount;
    }
  }
  now_.supports.clear();
  for (const Support& s : supports_) {
    if (now_.standing[s.node] != 0) now_.supports.push_back(s);
  }
  now_.restraints.clear();
  for (const ExtraRestraint& r : holds_) {
    if (now_.standing[r.node] != 0) now_.restraints.push_back(r);
  }
}

void ErectionSite::arrive(const std::vector<MemberId>& members,
                          const IndexedVector<NodeId, char>& stood, const State& before) {
  State at(*now_.model);  // nodes that are new are where they are drawn
  for (const NodeId n : now_.model->nodes.ids()) {
    if (stood[n] != 0) at.nodes[n] = before.nodes[n];
  }
  for (const MemberId id : members) {
    const Member& m = now_.model->members[id];
    const bool moved = !at.nodes[m.start].vector().isZero(0) || !at.nodes[m.end].vector().isZero(0);
    if (moved) now_.bear(id, at);
  }
}

bool ErectionSite::acts_one_way() const {
  if (now_.model->has_one_way()) return true;
  for (const Support& s : now_.supports) {
    for (const SupportDirection& d : s.directions) {
      if (d.only != 0) return true;
    }
  }
  return false;
}

}  // namespace ulterix
