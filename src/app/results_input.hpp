#pragma once

#include <string>
#include <unordered_map>
#include <vector>

#include "read/model_file.hpp"
#include "write/results_store.hpp"

namespace ulterix {

/// A results folder as the commands read it. Every complaint is a CallError or a StoreError.
class Results {
 public:
  /// Throws unless the folder holds results of this program that can be read.
  explicit Results(std::string folder);

  const std::string& folder() const { return folder_; }
  const ResultsStore& store() const { return store_; }

  /// One table; for an unknown one the near names are told. A filter whose name or pattern fits
  /// nothing is told too, with `option` as what the user wrote.
  struct Filter {
    std::string option, column;
    std::vector<std::string> wanted;
  };
  StoredTable table(const std::string& name, const std::vector<Filter>& filters = {}) const;

  /// The model that was run, from the store, read at the first call. Throws where it is not what
  /// was written, or cannot be read by this version.
  const ModelFile& model() const;
  /// Throws StoreError: what is stored cannot be true.
  [[noreturn]] void damaged() const;

  /// Nodes or members (kind "node", "member") of the named groups; throws for an unknown group.
  std::vector<std::string> of_groups(const std::vector<std::string>& groups,
                                     const std::string& kind) const;

 private:
  std::string folder_;
  ResultsStore store_;
  mutable std::optional<ModelFile> model_;  // read once
};

/// Nodes or members of a model by the names that rows of the results have.
template <class Id>
class ByName {
 public:
  template <class Item>
  ByName(const Results& results, const IndexedVector<Id, Item>& items) : results_(results) {
    for (const Id id : items.ids()) ids_.emplace(items[id].name, id);
  }
  /// Throws StoreError for a name that the model does not have.
  Id operator()(const Cell& cell) const;

 private:
  const Results& results_;
  std::unordered_map<std::string, Id> ids_;
};

/// Analyses and loads of the results that have a state, in order.
std::vector<std::pair<std::string, std::string>> steps_with_results(const Results& results);

/// The pattern of the members that a run of the model file was cut into: CA is CA.1, CA.2, ...
std::string pieces_of_run(const std::string& name);

/// The spec of a table; throws CallError with the near names for an unknown one.
const TableSpec& known_table(const std::string& name);

/// A cell as a file writes it: the shortest text that reads back to the same double.
std::string exact_text(const Cell& cell);
/// A cell for people: five significant figures, "" for nothing.
std::string short_text(const Cell& cell);
/// The number in a cell; 0 where there is none.
double number_in(const Cell& cell);
bool is_number(const Cell& cell);
const std::string& text_in(const Cell& cell);

template <class Id>
Id ByName<Id>::operator()(const Cell& cell) const {
  const auto found = ids_.find(text_in(cell));
  if (found == ids_.end()) results_.damaged();
  return found->second;
}

}  // namespace ulterix
