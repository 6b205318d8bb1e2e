#pragma once

#include <filesystem>
#include <future>
#include <memory>
#include <string>

#include "core/analysis/run.hpp"
#include "units/unit_system.hpp"
#include "write/store_writer.hpp"

namespace ulterix {

/// Writes the tables of a run into a results folder: into `results.sqlite`, and as CSV files in
/// `tables/`, both at once.
class TablesWriter {
 public:
  /// The store is laid out by another thread, while the model is read.
  explicit TablesWriter(std::filesystem::path folder);
  ~TablesWriter();
  TablesWriter(const TablesWriter&) = delete;
  TablesWriter& operator=(const TablesWriter&) = delete;

  /// Once. `long_tables`: files of those too that are packed or recovered. Returns the number of
  /// CSV files: a table without rows has none. Throws std::ios_base::failure when the disk does not
  /// take it.
  int write(const RunResult& result, const UnitSystem& units, const std::string& model_text,
            const std::string& model_name, bool long_tables = false, const Progress& progress = {});

 private:
  std::filesystem::path folder_;
  std::future<std::unique_ptr<StoreWriter>> store_;
};

}  // namespace ulterix
