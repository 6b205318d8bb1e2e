#pragma once

#include <vector>

#include "core/model/situation.hpp"

namespace ulterix {

/// What stands on a site, stage by stage, and where its supports hold.
class ErectionSite {
 public:
  /// `holds`: of all nodes. `at_once`: nothing is where the stages before left it.
  ErectionSite(const Model& model, std::vector<ExtraRestraint> holds, bool at_once);

  /// Everything of a stage but its loads; `before`: where the stage before left the nodes.
  void change(const Stage& stage, const State& before);

  Situation& now() { return now_; }
  const Situation& now() const { return now_; }
  /// Some member or support that stands acts one way.
  bool acts_one_way() const;

 private:
  /// Members are built in between the places that their nodes have.
  void arrive(const std::vector<MemberId>& members, const IndexedVector<NodeId, char>& stood,
              const State& before);

  bool at_once_;
  Situation now_;
  std::vector<ExtraRestraint> holds_;  // of all nodes
  std::vector<Support> supports_;      // of all nodes, also of those that do not stand yet
};

}  // namespace ulterix
