#include "write/results_store.hpp"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <unordered_map>

#include "write/packed_columns.hpp"
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

void bind_all(SQLite::Statement& query, const std::vector<std::string>& values) {
  for (std::size_t i = 0; i < values.size(); ++i) query.bind(static_cast<int>(i) + 1, values[i]);
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

}  // namespace

/// Packed columns of one step, as far as they are read.
struct ResultsStore::PackedStep {
  std::size_t rows = 0;
  std::vector<std::vector<double>> reals;
  std::vector<std::vector<std::int32_t>> integers;
};

ResultsStore::PackedStep ResultsStore::unpacked(const TableSpec& spec, int step) const {
  PackedStep result;
  result.reals.resize(spec.columns.size());
  result.integers.resize(spec.columns.size());
  SQLite::Statement query(impl_->database,
                          fmt::format("SELECT row_count, packed FROM {} WHERE step_id = ? "
                                      "ORDER BY position",
                                      data_name(spec)));
  query.bind(1, step);
  std::size_t column = 0;
  for (; query.executeStep(); ++column) {
    const std::int64_t rows = query.getColumn(0).getInt64();
    if (rows < 0 || column == spec.columns.size()) impl_->damaged();
    if (column > 0 && result.rows != static_cast<std::size_t>(rows)) impl_->damaged();
    result.rows = static_cast<std::size_t>(rows);
    const SQLite::Column blob = query.getColumn(1);
    const std::string_view packed(static_cast<const char*>(blob.getBlob()),
                                  static_cast<std::size_t>(blob.getBytes()));
    if (spec.columns[column].type == Type::real) {
      auto values = unpack_reals(packed, result.rows);
      if (!values) impl_->damaged();
      result.reals[column] = std::move(*values);
    } else {
      auto values = unpack_integers(packed, result.rows);
      if (!values) impl_->damaged();
      result.integers[column] = std::move(*values);
    }
  }
  if (column != 0 && column != spec.columns.size()) impl_->damaged();
  return result;
}

/// Of each column of whole numbers or names: the values that its filters let through, or all.
std::vector<std::optional<std::unordered_set<int>>> ResultsStore::wanted_in(
    const TableSpec& spec, const std::vector<ColumnFilter>& filters) const {
  std::vector<std::optional<std::unordered_set<int>>> wanted(spec.columns.size());
  for (const ColumnFilter& f : filters) {
    for (std::size_t i = 0; i < spec.columns.size(); ++i) {
      if (spec.columns[i].name != f.column) continue;
      std::unordered_set<int> values;
      if (spec.columns[i].type == Type::text) {
        std::vector<std::string> bound;
        SQLite::Statement query(impl_->database,
                                "SELECT id FROM words WHERE " + one_of("text", f.wanted, bound));
        bind_all(query, bound);
        while (query.executeStep()) values.insert(query.getColumn(0).getInt());
      } else {
        for (const std::string& w : f.wanted) values.insert(std::atoi(w.c_str()));
      }
      wanted[i] = std::move(values);
    }
  }
  return wanted;
}

void ResultsStore::read_packed(const TableSpec& spec, const std::vector<ColumnFilter>& filters,
                               StoredTable& result) const {
  const auto wanted = wanted_in(spec, filters);
  std::vector<ColumnFilter> of_steps = filters;
  std::erase_if(of_steps, [](const ColumnFilter& f) {
    return f.column != "analysis" && f.column != "loads" && f.column != "step";
  });
  std::vector<std::string> values;
  const std::string sql =
      fmt::format("SELECT s.id, s.analysis, s.loads, s.step FROM step_list s{} ORDER BY s.id",
                  where(spec, of_steps, values));
  SQLite::Statement steps(impl_->database, sql);
  bind_all(steps, values);
  while (steps.executeStep()) {
    const PackedStep columns = unpacked(spec, steps.getColumn(0).getInt());
    const std::vector<Cell> lead = {steps.getColumn(1).getString(), steps.getColumn(2).getString(),
                                    std::int64_t{steps.getColumn(3).getInt()}};
    for (std::size_t r = 0; r < columns.rows; ++r) {
      bool passes = true;
      for (std::size_t i = 0; i < wanted.size() && passes; ++i) {
        passes = !wanted[i] || wanted[i]->contains(columns.integers[i][r]);
      }
      if (!passes) continue;
      std::vector<Cell> row = lead;
      for (std::size_t i = 0; i < spec.columns.size(); ++i) {
        row.push_back(packed_cell(spec.columns[i], columns, i, r));
      }
      result.rows.push_back(std::move(row));
    }
  }
}

Cell ResultsStore::packed_cell(const ColumnSpec& spec, const PackedStep& columns,
                               std::size_t column, std::size_t row) const {
  if (spec.type == Type::text) return impl_->word(columns.integers[column][row]);
  if (spec.type == Type::integer) return std::int64_t{columns.integers[column][row]};
  const double value = columns.reals[column][row];
  if (std::isnan(value)) return {};
  return spec.resolution > 0 ? value / (1 / spec.resolution) : value;
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
    if (spec.kept == Kept::recovered) return result;
    if (spec.kept == Kept::packed) {
      read_packed(spec, filters, result);
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
    bind_all(rows, values);
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

std::int64_t ResultsStore::count(const TableSpec& spec) const {
  if (spec.kept == Kept::recovered) return 0;
  try {
    const std::string what = spec.kept == Kept::packed
                                 ? "SELECT COALESCE(SUM(row_count), 0) FROM {} WHERE position = 1"
                                 : "SELECT COUNT(*) FROM {}";
    return impl_->database.execAndGet(fmt::format(fmt::runtime(what), data_name(spec))).getInt64();
  } catch (const SQLite::Exception&) {
    impl_->damaged();
  }
}

std::vector<std::string> ResultsStore::packed_names(const TableSpec& spec,
                                                    const std::string& column) const {
  StoredTable all;
  read_packed(spec, {}, all);
  std::vector<std::string> names;
  std::unordered_set<std::string> known;
  for (std::size_t i = 0; i < spec.columns.size(); ++i) {
    if (spec.columns[i].name != column || spec.columns[i].type == Type::real) continue;
    for (const auto& row : all.rows) {
      const auto* text = std::get_if<std::string>(&row[i + 3]);
      std::string name =
          text != nullptr ? *text : fmt::format("{}", std::get<std::int64_t>(row[i + 3]));
      if (known.insert(name).second) names.push_back(std::move(name));
    }
  }
  return names;
}

std::vector<std::string> ResultsStore::names(const TableSpec& spec,
                                             const std::string& column) const {
  std::vector<std::string> all;
  try {
    const bool lead = column == "analysis" || column == "loads" || column == "step";
    const bool counts = std::any_of(
        spec.columns.begin(), spec.columns.end(),
        [&column](const ColumnSpec& c) { return c.type == Type::integer && c.name == column; });
    if (spec.kept == Kept::recovered && !lead) return all;
    if (spec.kept == Kept::packed && !lead) return packed_names(spec, column);
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
