#include "app/results_input.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "app/options.hpp"
#include "app/text.hpp"
#include "read/name_matching.hpp"
#include "write/number_text.hpp"
#include "write/results_folder.hpp"

namespace ulterix {

namespace {

namespace fs = std::filesystem;

std::string checked(const std::string& folder) {
  if (!is_results_folder(folder)) {
    throw CallError(fmt::format("{} is not a results folder of ulterix", folder));
  }
  return folder;
}

}  // namespace

const TableSpec& known_table(const std::string& name) {
  const TableSpec* spec = find_table(name);
  if (spec != nullptr) return *spec;
  std::vector<std::string> names;
  for (const TableSpec& s : table_specs()) names.emplace_back(s.name);
  throw CallError(fmt::format("no table \"{}\"{} (there are {})", name, did_you_mean(name, names),
                              fmt::join(names, ", ")));
}

Results::Results(std::string folder)
    : folder_(checked(folder)), store_(fs::path(folder_) / "results.sqlite") {}

StoredTable Results::table(const std::string& name, const std::vector<Filter>& filters) const {
  const TableSpec& spec = known_table(name);
  std::vector<ColumnFilter> columns;
  for (const Filter& f : filters) {
    const bool lead = f.column == "analysis" || f.column == "loads" || f.column == "step";
    const bool there = std::any_of(spec.columns.begin(), spec.columns.end(),
                                   [&f](const ColumnSpec& c) { return c.name == f.column; });
    if (!lead && !there) {
      throw CallError(fmt::format("--{}: this table has no column \"{}\"", f.option, f.column));
    }
    columns.push_back({f.column, f.wanted});
  }
  StoredTable table = store_.table(spec, columns);
  // Only where the outcome looks odd are all names read.
  for (std::size_t i = 0; i < filters.size(); ++i) {
    const Filter& f = filters[i];
    for (const std::string& w : f.wanted) {
      const std::size_t at = table.column(f.column);
      const bool any = std::any_of(table.rows.begin(), table.rows.end(),
                                   [&](const auto& row) { return fits(w, exact_text(row[at])); });
      if (any) continue;
      const std::vector<std::string> names = store_.names(spec, f.column);
      if (fits_one_of(w, names)) continue;
      const std::string pieces = pieces_of_run(w);
      if (f.column == "member" && fits_one_of(pieces, names)) {
        std::vector<Filter> again = filters;
        std::replace(again[i].wanted.begin(), again[i].wanted.end(), w, pieces);
        return this->table(name, again);
      }
      throw CallError(
          fmt::format("--{}: \"{}\" is not in the results{}", f.option, w, did_you_mean(w, names)));
    }
  }
  return table;
}

std::vector<std::pair<std::string, std::string>> steps_with_results(const Results& results) {
  std::vector<std::pair<std::string, std::string>> all;
  for (const auto& row : results.table("steps").rows) {
    if (is_number(row[4])) all.emplace_back(text_in(row[0]), text_in(row[1]));
  }
  return all;
}

std::string pieces_of_run(const std::string& name) {
  return name + ".*";
}

void Results::damaged() const {
  throw StoreError{fmt::format("{} is damaged; run the model again",
                               (fs::path(folder_) / "results.sqlite").string())};
}

const ModelFile& Results::model() const {
  if (model_) return *model_;
  const std::string text = store_.about("model_text");
  if (model_hash(text) != store_.about("model_hash")) damaged();
  ModelFile file = read_model(text, store_.about("model"));
  if (!file.good()) {
    throw StoreError{
        fmt::format("{}: its model cannot be read by this version; run it again", folder_)};
  }
  return model_.emplace(std::move(file));
}

std::vector<std::string> Results::of_groups(const std::vector<std::string>& groups,
                                            const std::string& kind) const {
  std::vector<std::string> items;
  for (const std::string& group : groups) {
    const std::vector<std::string> own = store_.group_items(group, kind);
    const std::vector<std::string> names = store_.group_names();
    if (std::find(names.begin(), names.end(), group) == names.end()) {
      throw CallError(fmt::format("--group: no group \"{}\"{}", group, did_you_mean(group, names)));
    }
    if (own.empty()) throw CallError(fmt::format("--group: {} holds no {}s", group, kind));
    items.insert(items.end(), own.begin(), own.end());
  }
  return items;
}

std::string exact_text(const Cell& cell) {
  if (const auto* text = std::get_if<std::string>(&cell)) return *text;
  if (const auto* whole = std::get_if<std::int64_t>(&cell)) return fmt::format("{}", *whole);
  std::string number;
  if (const auto* real = std::get_if<double>(&cell)) append_number(number, *real);
  return number;
}

std::string short_text(const Cell& cell) {
  if (const auto* real = std::get_if<double>(&cell)) return significant(*real, 5);
  return exact_text(cell);
}

double number_in(const Cell& cell) {
  if (const auto* whole = std::get_if<std::int64_t>(&cell)) return static_cast<double>(*whole);
  if (const auto* real = std::get_if<double>(&cell)) return *real;
  return 0;
}

bool is_number(const Cell& cell) {
  return std::holds_alternative<double>(cell) || std::holds_alternative<std::int64_t>(cell);
}

const std::string& text_in(const Cell& cell) {
  static const std::string none;
  const auto* text = std::get_if<std::string>(&cell);
  return text != nullptr ? *text : none;
}

}  // namespace ulterix
