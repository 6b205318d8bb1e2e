#include "write/results_store.hpp"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <optional>
#include <unordered_map>

#include "write/store_layout.hpp"

namespace ulterix {

namespace {

namespace fs = std::filesystem;
using Type = ColumnSpec::Type;

}  // namespace

std::size_t StoredTable::column(std::string_view name) const {
  for (std::size_t i = 0; i < header.size(); ++i) {
    if (std::string_view(header[i]).substr(0, header[i].find('[')) == name) return i;
  }
  throw StoreError{fmt::format("the table {} has no column \"{}\"", spec->name, name)};
}

struct ResultsStore::Impl {
  fs::path file;
  SQLite::Database database;
  mutable std::unordered_map<int, std::string> words;

  explicit Impl(const fs::path& path)
      : file(path), database(path.string(), SQLite::OPEN_READONLY) {}

  [[noreturn]] void damaged() const {
    throw StoreError{fmt::format("{} is damaged or cut short; run the model again", file.string())};
  }

  std::string word(int id) const {
    const auto found = words.find(id);
    if (found != words.end()) return found->second;
    SQLite::Statement query(database, "SELECT text FROM words WHERE id = ?");
    query.bind(1, id);
    if (!query.executeStep()) damaged();
    return words[id] = query.getColumn(0).getString();
  }
};

ResultsStore::ResultsStore(const fs::path& file) {
  std::error_code none;
  if (!fs::exists(file, none)) {
    throw StoreError{fmt::format("{} is missing; run the model again", file.string())};
  }
  try {
    impl_ = std::make_unique<Impl>(file);
    const int owner = impl_->database.execAndGet("PRAGMA application_id").getInt();
    const int version = impl_->database.execAndGet("PRAGMA user_version").getInt();
    if (owner != kApplicationId) {
      throw StoreError{fmt::format("{} is not a results file of ulterix", file.string())};
    }
    if (version != kStoreVersion) {
      throw StoreError{
          fmt::format("{} was written by another version of ulterix (layout {}, this one reads "
                      "{}); run the model again",
                      file.string(), version, kStoreVersion)};
    }
    if (about("program") != "ulterix") impl_->damaged();
  } catch (const SQLite::Exception&) {
    throw StoreError{fmt::format("{} is damaged or cut short; run the model again", file.string())};
  }
}

ResultsStore::~ResultsStore() = default;

namespace {

/// GLOB takes [ for a class of characters, which our patterns do not have.
std::string as_glob(const std::string& pattern) {
  std::string glob;
  for (const char c : pattern) {
    if (c == '[') {
      glob += "[[]";
    } else {
      glob += c;
    }
  }
  return glob;
}

bool is_pattern(const std::string& name) {
  return name.find_first_of("*?") != std::string::npos;
}

/// `expression = ?` or `expression GLOB ?` for each name; the values to bind are appended.
std::string one_of(const std::string& expression, const std::vector<std::string>& wanted,
                   std::vector<std::string>& values) {
  std::string sql;
  for (const std::string& w : wanted) {
    const bool pattern = is_pattern(w);
    sql += fmt::format("{}{} {} ?", sql.empty() ? "" : " OR ", expression, pattern ? "GLOB" : "=");
    values.push_back(pattern ? as_glob(w) : w);
  }
  return "(" + sql + ")";
}

std::string where(const TableSpec& spec, const std::vector<ColumnFilter>& filters,
                  std::vector<std::string>& values) {
  std::string sql;
  for (const ColumnFilter& f : filters) {
    sql += sql.empty() ? " WHERE " : " AND ";
    if (f.column == "analysis" || f.column == "loads") {
      sql += one_of("s." + f.column, f.wanted, values);
    } else if (f.column == "step") {
      sql += one_of("CAST(s.step AS TEXT)", f.wanted, values);
    } else {
      const auto column = std::find_if(
          spec.columns.begin(), spec.columns.end(),
          [&f](const ColumnSpec& c) { return c.type != Type::real && c.name == f.column; });
      if (column == spec.columns.end()) {
        throw StoreError{fmt::format("the table {} has no column \"{}\"", spec.name, f.column)};
      }
      if (column->type == Type::integer) {
        sql += one_of(fmt::format("CAST(d.\"{}\" AS TEXT)", f.column), f.wanted, values);
        continue;
      }
      sql += fmt::format("d.\"{}\" IN (SELECT id FROM words WHERE {})", f.column,
                         one_of("text", f.wanted, values));
    }
  }
  return sql;
}

/// Nothing where the value is of another type than its column.
std::optional<Cell> cell_of(const nlohmann::json& value, Type type) {
  if (type == Type::text && value.is_string()) return value.get<std::string>();
  if (type == Type::integer && value.is_number_integer()) return value.get<std::int64_t>();
  if (type == Type::real && value.is_number()) return value.get<double>();
  if (type == Type::real && value.is_null()) return Cell();
  return std::nullopt;
}

}  // namespace

void ResultsStore::read_gathered(const Impl& impl, const TableSpec& spec,
                                 const std::vector<ColumnFilter>& filters, StoredTable& result) {
  // The other columns of a gathered table lie inside its rows; of them, numbers that count are
  // looked for there.
  std::vector<ColumnFilter> outside = filters;
  std::vector<std::pair<std::size_t, std::vector<std::string>>> inside;
  std::erase_if(outside, [&](const ColumnFilter& f) {
    for (std::size_t i = 1; i < spec.columns.size(); ++i) {
      if (spec.columns[i].name != f.column) continue;
      if (spec.columns[i].type == Type::integer) inside.emplace_back(i + 3, f.wanted);
      return true;
    }
    return false;
  });
  const auto wanted = [&inside](const std::vector<Cell>& row) {
    return std::all_of(inside.begin(), inside.end(), [&row](const auto& filter) {
      const auto* number = std::get_if<std::int64_t>(&row[filter.first]);
      return number != nullptr && std::find(filter.second.begin(), filter.second.end(),
                                            std::to_string(*number)) != filter.second.end();
    });
  };
  std::vector<std::string> values;
  const std::string sql = fmt::format(
      "SELECT s.analysis, s.loads, s.step, d.\"{0}\", d.rows FROM step_list s CROSS JOIN {1} d "
      "ON d.step_id = s.id{2} ORDER BY s.id, d.\"{0}\"",
      spec.columns.front().name, data_name(spec), where(spec, outside, values));
  SQLite::Statement rows(impl.database, sql);
  for (std::size_t i = 0; i < values.size(); ++i) rows.bind(static_cast<int>(i) + 1, values[i]);
  while (rows.executeStep()) {
    const auto gathered = nlohmann::json::parse(rows.getColumn(4).getString(), nullptr, false);
    if (!gathered.is_array()) impl.damaged();
    for (const auto& one : gathered) {
      std::vector<Cell> row = {rows.getColumn(0).getString(), rows.getColumn(1).getString(),
                               std::int64_t{rows.getColumn(2).getInt()},
                               impl.word(rows.getColumn(3).getInt())};
      if (!one.is_array() || one.size() + 1 != spec.columns.size()) impl.damaged();
      for (const auto& value : one) {
        const auto cell = cell_of(value, spec.columns[row.size() - 3].type);
        if (!cell) impl.damaged();
        row.push_back(*cell);
      }
      if (wanted(row)) result.rows.push_back(std::move(row));
    }
  }
}

StoredTable ResultsStore::table(const TableSpec& spec,
                                const std::vector<ColumnFilter>& filters) const {
  StoredTable result;
  result.spec = &spec;
  try {
    SQLite::Statement heads(impl_->database,
                            "SELECT name, unit FROM columns WHERE \"table\" = ? ORDER BY position");
    heads.bind(1, std::string(spec.name));
    while (heads.executeStep()) {
      const std::string unit = heads.getColumn(1).getString();
      result.header.push_back(heads.getColumn(0).getString() +
                              (unit.empty() ? "" : "[" + unit + "]"));
    }
    if (result.header.size() != spec.columns.size() + 3) impl_->damaged();
    std::vector<std::string> values;
    if (spec.gathered) {
      read_gathered(*impl_, spec, filters, result);
      return result;
    }
    std::string columns = "s.analysis, s.loads, s.step";
    for (const ColumnSpec& c : spec.columns) columns += fmt::format(", d.\"{}\"", c.name);
    // The steps come first, so that a place is found by the primary key in each.
    SQLite::Statement rows(
        impl_->database,
        fmt::format("SELECT {} FROM step_list s CROSS JOIN {} d ON d.step_id = s.id{} "
                    "ORDER BY s.id, d.row",
                    columns, data_name(spec), where(spec, filters, values)));
    for (std::size_t i = 0; i < values.size(); ++i) rows.bind(static_cast<int>(i) + 1, values[i]);
    while (rows.executeStep()) {
      std::vector<Cell> row = {rows.getColumn(0).getString(), rows.getColumn(1).getString(),
                               std::int64_t{rows.getColumn(2).getInt()}};
      for (std::size_t i = 0; i < spec.columns.size(); ++i) {
        const SQLite::Column cell = rows.getColumn(static_cast<int>(i) + 3);
        if (cell.isNull()) {
          row.emplace_back();
        } else if (spec.columns[i].type == Type::text) {
          row.emplace_back(impl_->word(cell.getInt()));
        } else if (spec.columns[i].type == Type::integer) {
          row.emplace_back(std::int64_t{cell.getInt()});
        } else {
          row.emplace_back(cell.getDouble());
        }
      }
      result.rows.push_back(std::move(row));
    }
  } catch (const SQLite::Exception&) {
    impl_->damaged();
  }
  return result;
}

std::vector<std::string> ResultsStore::names(const TableSpec& spec,
                                             const std::string& column) const {
  std::vector<std::string> all;
  try {
    const bool lead = column == "analysis" || column == "loads" || column == "step";
    const bool counts = std::any_of(
        spec.columns.begin(), spec.columns.end(),
        [&column](const ColumnSpec& c) { return c.type == Type::integer && c.name == column; });
    if (counts && spec.gathered) return all;  // inside the rows
    const std::string sql =
        lead     ? fmt::format("SELECT {} FROM step_list ORDER BY id", column)
        : counts ? fmt::format("SELECT DISTINCT CAST(\"{0}\" AS TEXT) FROM {1} ORDER BY \"{0}\"",
                               column, data_name(spec))
                 : fmt::format(
                       "SELECT text FROM words WHERE id IN (SELECT DISTINCT \"{}\" FROM {}) "
                       "ORDER BY id",
                       column, data_name(spec));
    SQLite::Statement query(impl_->database, sql);
    while (query.executeStep()) {
      std::string name = query.getColumn(0).getString();
      const bool known = std::find(all.begin(), all.end(), name) != all.end();
      if (!known && !name.empty()) all.push_back(std::move(name));
    }
  } catch (const SQLite::Exception&) {
    impl_->damaged();
  }
  return all;
}

std::vector<std::string> ResultsStore::group_items(const std::string& group,
                                                   const std::string& kind) const {
  std::vector<std::string> items;
  try {
    SQLite::Statement query(impl_->database,
                            "SELECT item FROM groups WHERE \"group\" = ? AND kind = ?");
    query.bind(1, group);
    query.bind(2, kind);
    while (query.executeStep()) items.push_back(query.getColumn(0).getString());
  } catch (const SQLite::Exception&) {
    impl_->damaged();
  }
  return items;
}

std::vector<std::string> ResultsStore::group_names() const {
  std::vector<std::string> all;
  try {
    SQLite::Statement query(impl_->database,
                            "SELECT DISTINCT \"group\" FROM groups ORDER BY rowid");
    while (query.executeStep()) all.push_back(query.getColumn(0).getString());
  } catch (const SQLite::Exception&) {
    impl_->damaged();
  }
  return all;
}

std::string ResultsStore::about(const std::string& key) const {
  try {
    SQLite::Statement query(impl_->database, "SELECT value FROM run WHERE key = ?");
    query.bind(1, key);
    return query.executeStep() ? query.getColumn(0).getString() : "";
  } catch (const SQLite::Exception&) {
    impl_->damaged();
  }
}

}  // namespace ulterix
