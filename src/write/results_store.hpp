#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <unordered_set>
#include <variant>
#include <vector>

#include "write/table_specs.hpp"

namespace ulterix {

/// Why a store cannot be read, in words for the user.
struct StoreError {
  std::string words;
};

/// Nothing, text, a whole number or a real in the results' units.
using Cell = std::variant<std::monostate, std::string, std::int64_t, double>;

struct StoredTable {
  const TableSpec* spec = nullptr;
  std::vector<std::string> header;  ///< with units: `ux[mm]`
  std::vector<std::vector<Cell>> rows;

  /// Place of a column by its bare name (`analysis`, `ux`); throws StoreError if there is none.
  std::size_t column(std::string_view name) const;
};

/// Only rows whose cell in a text column (or `step`) fits one of the names or patterns with * and
/// ?.
struct ColumnFilter {
  std::string column;
  std::vector<std::string> wanted;
};

/// results.sqlite opened for reading only.
class ResultsStore {
 public:
  /// Throws StoreError for a missing, damaged or foreign file, or one of another version.
  explicit ResultsStore(const std::filesystem::path& file);
  ~ResultsStore();
  ResultsStore(const ResultsStore&) = delete;
  ResultsStore& operator=(const ResultsStore&) = delete;

  /// Rows in the order they were written; none of a table kept as `recovered`, which has its header
  /// here. Throws StoreError for a damaged file.
  StoredTable table(const TableSpec& spec, const std::vector<ColumnFilter>& filters = {}) const;
  /// Rows of a table; 0 for one kept as `recovered`.
  std::int64_t count(const TableSpec& spec) const;
  /// Every text that stands in a column of a table, once, in order; of analysis, loads and step in
  /// any table.
  std::vector<std::string> names(const TableSpec& spec, const std::string& column) const;
  /// Names of the nodes or members (kind "node", "member") of a group; of all groups.
  std::vector<std::string> group_items(const std::string& group, const std::string& kind) const;
  std::vector<std::string> group_names() const;
  /// An entry of `run`: program, version, model, model_hash, model_text, title.
  std::string about(const std::string& key) const;

 private:
  struct Impl;
  struct PackedStep;
  PackedStep unpacked(const TableSpec& spec, int step) const;
  Cell packed_cell(const ColumnSpec& spec, const PackedStep& columns, std::size_t column,
                   std::size_t row) const;
  std::vector<std::optional<std::unordered_set<int>>> wanted_in(
      const TableSpec& spec, const std::vector<ColumnFilter>& filters) const;
  void read_packed(const TableSpec& spec, const std::vector<ColumnFilter>& filters,
                   StoredTable& result) const;
  std::vector<std::string> packed_names(const TableSpec& spec, const std::string& column) const;
  std::unique_ptr<Impl> impl_;
};

}  // namespace ulterix
