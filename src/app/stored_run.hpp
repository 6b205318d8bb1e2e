#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "app/results_input.hpp"
#include "core/results/recovery.hpp"
#include "read/model_file.hpp"

namespace ulterix {

/// Steps of a results folder brought back as the core sees them, so that forces and shapes are
/// recovered from their states anywhere. The model is the one kept in the store.
class StoredRun {
 public:
  /// The steps of the analyses and loads named (patterns too; empty: all) that have a state.
  /// `members`: names of those whose forces will be recovered; empty: all of them.
  StoredRun(const Results& results, const std::vector<std::string>& analyses,
            const std::vector<std::string>& loads, const std::vector<std::string>& members = {});

  const ModelFile& file() const { return file_; }
  const Model& model() const { return file_.model; }
  const UnitSystem& units() const { return file_.units; }
  const std::vector<Step>& steps() const { return steps_; }
  const Step* find(const std::string& analysis, const std::string& loads) const;

 private:
  void read_steps(const Results& results, const std::vector<Results::Filter>& filters);
  void read_motion(const Results& results, const std::vector<Results::Filter>& filters);
  void read_axial(const Results& results, const std::vector<Results::Filter>& filters);
  void read_states(const Results& results, const std::vector<Results::Filter>& filters);
  void read_reactions(const Results& results, const std::vector<Results::Filter>& filters);
  void read_poses(const Results& results, const std::vector<Results::Filter>& filters);
  /// Of the nodes of steps that began from a start shape.
  using Offsets = std::map<const Step*, IndexedVector<NodeId, Vector3d>>;
  Offsets read_coordinates(const Results& results);
  /// Where an end of a member was when it was built in, or has crept to, in a stage (its number).
  struct Birthplace {
    std::string analysis;
    int stage = 0;
    MemberId member;
    bool at_start = true;
    NodeMotion motion;
  };
  struct Births {
    std::vector<Birthplace> built, crept;
  };
  std::vector<Birthplace> read_births(const Results& results, const char* table,
                                      const std::vector<std::string>& analyses) const;
  void build(const Step& step, const Births& births, Situation& situation) const;
  void set_loads(const std::vector<MemberId>& members);
  /// Steps of one situation share its frame.
  void place_on_frames(const Offsets& offsets, const Births& births);
  Step* step_of(const std::vector<Cell>& row);

  ModelFile file_;
  std::vector<Step> steps_;
};

/// A set of loads of the model by its name.
std::optional<LoadSet> find_loads(const Model& model, const std::string& name);

}  // namespace ulterix
