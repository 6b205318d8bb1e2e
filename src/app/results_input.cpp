#include "app/results_input.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "app/options.hpp"
#include "read/near_names.hpp"
#include "write/results_folder.hpp"

namespace ulterix {

namespace {

namespace fs = std::filesystem;

std::vector<std::string> table_names() {
  std::vector<std::string> names;
  for (const TableSpec& spec : table_specs()) names.emplace_back(spec.name);
  return names;
}

}  // namespace

void require_results(const std::string& folder) {
  if (!is_results_folder(folder)) {
    throw CallError(fmt::format("{} is not a results folder of ulterix", folder));
  }
}

CsvTable open_table(const std::string& folder, const std::string& name) {
  require_results(folder);
  if (find_table(name) == nullptr) {
    throw CallError(fmt::format("no table \"{}\"{} (there are {})", name,
                                did_you_mean(name, table_names()), fmt::join(table_names(), ", ")));
  }
  CsvTable table = read_csv(fs::path(folder) / "tables" / (name + ".csv"));
  const auto cut = std::any_of(table.rows.begin(), table.rows.end(),
                               [&](const auto& row) { return row.size() != table.header.size(); });
  if (table.header.empty() || cut) {
    throw CallError(fmt::format("the table {} in {} is cut short or missing; run the model again",
                                name, folder));
  }
  return table;
}

}  // namespace ulterix
