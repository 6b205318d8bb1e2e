#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <string>
#include <variant>
#include <vector>

#include "write/tables.hpp"

namespace ulterix {

/// The layout of results.sqlite; a file of another number is refused.
inline constexpr int kStoreVersion = 1;

/// Writes one SQLite file in one transaction: a view of the table's name for each table, `columns`
/// with the units, `run` with the model's text. How the rows lie beneath the views:
/// docs/results-store.md. Throws std::ios_base::failure when the disk does not take it.
class StoreWriter {
 public:
  StoreWriter(const RunResult& result, const UnitSystem& units, const std::string& model_text,
              const std::string& model_name, const std::filesystem::path& file);
  ~StoreWriter();
  StoreWriter(const StoreWriter&) = delete;
  StoreWriter& operator=(const StoreWriter&) = delete;

  void table(const RunResult& result, const UnitSystem& units, const TableSpec& spec);
  /// A gathered table: for each step and member in order, its rows as a JSON list of lists.
  void begin_gathered(const TableSpec& spec);
  void gathered(const Step& step, const std::string& member, const std::string& rows);
  void end_gathered();
  void commit();

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

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

  /// Rows in the order they were written. Throws StoreError for a damaged file.
  StoredTable table(const TableSpec& spec, const std::vector<ColumnFilter>& filters = {}) const;
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
  static void read_gathered(const Impl& impl, const TableSpec& spec,
                            const std::vector<ColumnFilter>& filters, StoredTable& result);
  std::unique_ptr<Impl> impl_;
};

}  // namespace ulterix
