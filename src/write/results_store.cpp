#include "write/results_store.hpp"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <ios>
#include <map>
#include <nlohmann/json.hpp>
#include <tuple>
#include <unordered_map>

#include "write/csv.hpp"
#include "write/results_folder.hpp"
#include "write/version.hpp"

namespace ulterix {

namespace {

namespace fs = std::filesystem;
using Type = ColumnSpec::Type;

/// "Ultx" in the file's header: whose file it is.
constexpr int kApplicationId = 0x556c7478;

/// The column by which places are looked up, if the table has one.
const ColumnSpec* place_column(const TableSpec& table) {
  for (const ColumnSpec& c : table.columns) {
    if (c.name == "node" || c.name == "member" || c.name == "item") return &c;
  }
  return nullptr;
}

std::string data_name(const TableSpec& table) {
  return fmt::format("{}_data", table.name);
}

std::string create_data(const TableSpec& table) {
  if (table.gathered) {
    return fmt::format(
        "CREATE TABLE {} (step_id INTEGER, \"{}\" INTEGER, rows TEXT, PRIMARY KEY (step_id, "
        "\"{}\")) "
        "WITHOUT ROWID",
        data_name(table), place_column(table)->name, place_column(table)->name);
  }
  std::string sql = fmt::format("CREATE TABLE {} (step_id INTEGER, row INTEGER", data_name(table));
  for (const ColumnSpec& c : table.columns) {
    sql += fmt::format(", \"{}\" {}", c.name, c.type == Type::real ? "REAL" : "INTEGER");
  }
  const ColumnSpec* place = place_column(table);
  sql += fmt::format(", PRIMARY KEY (step_id, {}row)) WITHOUT ROWID",
                     place != nullptr ? fmt::format("\"{}\", ", place->name) : "");
  return sql;
}

/// The table as people read it: names instead of their numbers.
std::string create_view(const TableSpec& table) {
  std::string columns = "s.analysis, s.loads, s.step", joins;
  if (table.gathered) {
    columns += fmt::format(", w.text AS \"{}\"", table.columns.front().name);
    for (std::size_t i = 1; i < table.columns.size(); ++i) {
      columns +=
          fmt::format(", json_extract(r.value, '$[{}]') AS \"{}\"", i - 1, table.columns[i].name);
    }
    return fmt::format(
        "CREATE VIEW {} AS SELECT {} FROM step_list s JOIN {} d ON d.step_id = s.id "
        "JOIN words w ON w.id = d.\"{}\" JOIN json_each(d.rows) r",
        table.name, columns, data_name(table), table.columns.front().name);
  }
  for (std::size_t i = 0; i < table.columns.size(); ++i) {
    const ColumnSpec& c = table.columns[i];
    if (c.type == Type::text) {
      columns += fmt::format(", w{}.text AS \"{}\"", i, c.name);
      joins += fmt::format(" LEFT JOIN words w{0} ON w{0}.id = d.\"{1}\"", i, c.name);
    } else {
      columns += fmt::format(", d.\"{0}\" AS \"{0}\"", c.name);
    }
  }
  return fmt::format("CREATE VIEW {} AS SELECT {} FROM step_list s JOIN {} d ON d.step_id = s.id{}",
                     table.name, columns, data_name(table), joins);
}

/// Rows go in with numbers for names and steps, in the order of the primary key where they can.
class StoreSink : public TableSink {
 public:
  StoreSink(SQLite::Database& database, const UnitSystem& units)
      : database_(database),
        units_(units),
        add_word_(database, "INSERT INTO words (id, text) VALUES (?, ?)"),
        add_step_(database,
                  "INSERT INTO step_list (id, analysis, loads, step) VALUES (?, ?, ?, ?)"),
        add_column_(database,
                    "INSERT INTO columns (\"table\", position, name, type, unit, doc) "
                    "VALUES (?, ?, ?, ?, ?, ?)") {}

  void begin(const TableSpec& table) override {
    table_ = &table;
    database_.exec(create_data(table));
    database_.exec(create_view(table));
    std::string places = table.gathered ? "?, ?, ?" : "?, ?";
    for (std::size_t i = 0; i < table.columns.size() && !table.gathered; ++i) places += ", ?";
    insert_.emplace(database_, fmt::format("INSERT INTO {} VALUES ({})", data_name(table), places));
    list_columns();
    factors_.clear();
    for (const ColumnSpec& c : table.columns) {
      factors_.push_back(c.type == Type::real ? units_.to_si(c.quantity, 1) : 1);
    }
    row_ = 0;
    cell_ = 0;
  }

  void text(std::string_view value) override {
    const int at = cell_++;
    if (at == 0) analysis_ = value;
    if (at == 1) loads_ = value;
    if (at >= kLead) insert_->bind(place(at), word(value));
  }

  void integer(int value) override {
    const int at = cell_++;
    if (at == 2) step_ = value;
    if (at >= kLead) insert_->bind(place(at), value);
  }

  void real(std::optional<double> value) override {
    const int at = cell_++;
    if (!value || !std::isfinite(*value)) {
      insert_->bind(place(at));
      return;
    }
    const double shown = *value / factors_[static_cast<std::size_t>(at - kLead)];
    insert_->bind(place(at), shown == 0 ? 0.0 : shown);  // no −0
  }

  void end_row() override {
    cell_ = 0;
    const int step = step_id();
    if (step != last_step_) row_ = 0;
    last_step_ = step;
    insert_->bind(1, step);
    insert_->bind(2, row_++);
    insert_->exec();
    insert_->reset();
  }

  void end() override { insert_.reset(); }

  /// All rows of one member and step of a gathered table, as a JSON list.
  void gathered(const Step& step, const std::string& member, const std::string& rows) {
    analysis_ = step.analysis;
    loads_ = step.loads.name;
    step_ = step.number;
    last_step_ = step_id();
    insert_->bind(1, last_step_);
    insert_->bind(2, word(member));
    insert_->bindNoCopy(3, rows);
    insert_->exec();
    insert_->reset();
  }

 private:
  static constexpr int kLead = 3;
  static int place(int cell) { return cell - kLead + 3; }

  void list_columns() {
    const auto add = [this](int position, std::string_view name, const char* type,
                            std::string_view unit, std::string_view doc) {
      add_column_.bind(1, std::string(table_->name));
      add_column_.bind(2, position);
      add_column_.bind(3, std::string(name));
      add_column_.bind(4, type);
      add_column_.bind(5, std::string(unit));
      add_column_.bind(6, std::string(doc));
      add_column_.exec();
      add_column_.reset();
    };
    add(1, "analysis", "text", "", "name of the analysis");
    add(2, "loads", "text", "", "load case or combination");
    add(3, "step", "integer", "", "counts from 1");
    int position = kLead;
    for (const ColumnSpec& c : table_->columns) {
      const bool real = c.type == Type::real;
      add(++position, c.name,
          real                   ? "real"
          : c.type == Type::text ? "text"
                                 : "integer",
          real ? units_.label(c.quantity) : "", c.doc);
    }
  }

  int word(std::string_view text) {
    key_.assign(text);
    const auto [found, is_new] = words_.try_emplace(key_, static_cast<int>(words_.size()) + 1);
    if (is_new) {
      add_word_.bind(1, found->second);
      add_word_.bind(2, key_);
      add_word_.exec();
      add_word_.reset();
    }
    return found->second;
  }

  int step_id() {
    if (last_step_ > 0 && std::tie(analysis_, loads_, step_) == last_key_) return last_step_;
    last_key_ = {analysis_, loads_, step_};
    const auto [found, is_new] = steps_.try_emplace(last_key_, static_cast<int>(steps_.size()) + 1);
    if (is_new) {
      add_step_.bind(1, found->second);
      add_step_.bind(2, analysis_);
      add_step_.bind(3, loads_);
      add_step_.bind(4, step_);
      add_step_.exec();
      add_step_.reset();
    }
    return found->second;
  }

  SQLite::Database& database_;
  const UnitSystem& units_;
  SQLite::Statement add_word_, add_step_, add_column_;
  std::optional<SQLite::Statement> insert_;
  const TableSpec* table_ = nullptr;
  std::vector<double> factors_;
  std::unordered_map<std::string, int> words_;
  std::map<std::tuple<std::string, std::string, int>, int> steps_;
  std::tuple<std::string, std::string, int> last_key_;
  std::string analysis_, loads_, key_;
  int step_ = 0, last_step_ = 0, cell_ = 0, row_ = 0;
};

void write_about(SQLite::Database& database, const RunResult& result, const std::string& model_text,
                 const std::string& model_name) {
  SQLite::Statement add(database, "INSERT INTO run (key, value) VALUES (?, ?)");
  const std::vector<std::pair<std::string, std::string>> entries = {
      {"program", "ulterix"},     {"version", std::string(kVersion)},
      {"model", model_name},      {"model_hash", model_hash(model_text)},
      {"model_text", model_text}, {"title", result.model->title}};
  for (const auto& [key, value] : entries) {
    add.bind(1, key);
    add.bind(2, value);
    add.exec();
    add.reset();
  }
}

void write_groups(SQLite::Database& database, const Model& model) {
  SQLite::Statement add(database, "INSERT INTO groups VALUES (?, ?, ?)");
  const auto put = [&add](const std::string& group, const char* kind, const std::string& item) {
    add.bind(1, group);
    add.bind(2, kind);
    add.bind(3, item);
    add.exec();
    add.reset();
  };
  for (const Group& g : model.groups) {
    for (const NodeId n : g.nodes) put(g.name, "node", model.nodes[n].name);
    for (const MemberId m : g.members) put(g.name, "member", model.members[m].name);
  }
}

}  // namespace

struct StoreWriter::Impl {
  SQLite::Database database;
  std::optional<SQLite::Transaction> all;
  std::optional<StoreSink> sink;

  explicit Impl(const fs::path& file)
      : database(file.string(),
                 SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE | SQLite::OPEN_NOMUTEX) {}
};

namespace {

/// SQLite's complaints about the disk, as the other writers make them.
template <class Work>
void writing(const Work& work) {
  try {
    work();
  } catch (const SQLite::Exception& error) {
    throw std::ios_base::failure(fmt::format("results.sqlite: {}", error.what()));
  }
}

}  // namespace

StoreWriter::StoreWriter(const RunResult& result, const UnitSystem& units,
                         const std::string& model_text, const std::string& model_name,
                         const fs::path& file) {
  writing([&] {
    impl_ = std::make_unique<Impl>(file);
    SQLite::Database& database = impl_->database;
    // The folder is swapped in only when whole: a journal would guard nothing.
    database.exec("PRAGMA journal_mode = OFF");
    database.exec("PRAGMA synchronous = OFF");
    database.exec("PRAGMA page_size = 8192");
    database.exec("PRAGMA locking_mode = EXCLUSIVE");
    database.exec(fmt::format("PRAGMA application_id = {}", kApplicationId));
    database.exec(fmt::format("PRAGMA user_version = {}", kStoreVersion));
    impl_->all.emplace(database);
    database.exec("CREATE TABLE run (key TEXT PRIMARY KEY, value TEXT) WITHOUT ROWID");
    database.exec(
        "CREATE TABLE columns (\"table\" TEXT, position INTEGER, name TEXT, type TEXT, unit TEXT, "
        "doc TEXT, PRIMARY KEY (\"table\", position)) WITHOUT ROWID");
    database.exec("CREATE TABLE words (id INTEGER PRIMARY KEY, text TEXT NOT NULL)");
    database.exec(
        "CREATE TABLE step_list (id INTEGER PRIMARY KEY, analysis TEXT, loads TEXT, step INTEGER)");
    database.exec("CREATE TABLE groups (\"group\" TEXT, kind TEXT, item TEXT)");
    write_about(database, result, model_text, model_name);
    write_groups(database, *result.model);
    impl_->sink.emplace(database, units);
  });
}

StoreWriter::~StoreWriter() = default;

void StoreWriter::table(const RunResult& result, const UnitSystem& units, const TableSpec& spec) {
  writing([&] { write_table(result, units, spec, *impl_->sink); });
}

void StoreWriter::begin_gathered(const TableSpec& spec) {
  writing([&] { impl_->sink->begin(spec); });
}

void StoreWriter::gathered(const Step& step, const std::string& member, const std::string& rows) {
  writing([&] { impl_->sink->gathered(step, member, rows); });
}

void StoreWriter::end_gathered() {
  writing([&] { impl_->sink->end(); });
}

void StoreWriter::commit() {
  writing([&] {
    impl_->sink.reset();
    impl_->database.exec("CREATE INDEX word_text ON words (text)");
    impl_->all->commit();
  });
}

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

}  // namespace

namespace {

Cell cell_of(const nlohmann::json& value) {
  if (value.is_string()) return value.get<std::string>();
  if (value.is_number()) return value.get<double>();
  return {};
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
      for (const auto& value : one) {
        const bool counts = spec.columns[row.size() - 3].type == Type::integer;
        row.push_back(counts && value.is_number() ? Cell(value.get<std::int64_t>())
                                                  : cell_of(value));
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
