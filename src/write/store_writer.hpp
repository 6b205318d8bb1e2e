#pragma once

#include <filesystem>
#include <memory>
#include <string>

#include "write/tables.hpp"

namespace ulterix {

/// Writes one SQLite file in one transaction: a view of the name of each table kept
/// as rows, `columns`
/// with the units, `run` with the model's text. How the rows lie beneath the views:
/// docs/results-store.md. Throws std::ios_base::failure when the disk does not take it.
class StoreWriter {
 public:
  /// Lays the file out, which needs no model yet.
  explicit StoreWriter(const std::filesystem::path& file);
  ~StoreWriter();
  StoreWriter(const StoreWriter&) = delete;
  StoreWriter& operator=(const StoreWriter&) = delete;

  /// First: what was run, and the units of everything after it.
  void about(const RunResult& result, const UnitSystem& units, const std::string& model_text,
             const std::string& model_name);
  /// Precondition: not a table kept as `recovered`.
  void table(const RunResult& result, const TableSpec& spec);
  void commit();

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

}  // namespace ulterix
