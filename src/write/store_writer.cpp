#include "write/store_writer.hpp"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>
#include <sqlite3.h>

#include <cmath>
#include <ios>
#include <limits>
#include <map>
#include <tuple>
#include <unordered_map>

#include "write/packed_columns.hpp"
#include "write/results_folder.hpp"
#include "write/store_layout.hpp"
#include "write/version.hpp"

namespace ulterix {

namespace {

namespace fs = std::filesystem;
using Type = ColumnSpec::Type;

std::string create_data(const TableSpec& table) {
  if (table.kept == Kept::packed) {
    return fmt::format(
        "CREATE TABLE {} (step_id INTEGER, position INTEGER, row_count INTEGER, packed BLOB, "
        "PRIMARY KEY (step_id, position)) WITHOUT ROWID",
        data_name(table));
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

}  // namespace

/// Rows go in with numbers for names and steps, in the order of the primary key where they can.
class StoreSink : public TableSink {
 public:
  explicit StoreSink(SQLite::Database& database)
      : database_(database),
        add_word_(database, "INSERT INTO words (id, text) VALUES (?, ?)"),
        add_step_(database,
                  "INSERT INTO step_list (id, analysis, loads, step) VALUES (?, ?, ?, ?)"),
        add_column_(database,
                    "INSERT INTO columns (\"table\", position, name, type, unit, doc) "
                    "VALUES (?, ?, ?, ?, ?, ?)") {}

  void lay_out(const TableSpec& table) {
    if (table.kept == Kept::recovered) return;
    database_.exec(create_data(table));
    if (table.kept == Kept::rows) database_.exec(create_view(table));
  }

  void set_units(const UnitSystem& units) {
    units_ = units;
    for (const TableSpec& spec : table_specs()) list_columns(spec);
  }
  const UnitSystem& units() const { return units_; }

  void begin(const TableSpec& table) override {
    table_ = &table;
    packed_ = table.kept == Kept::packed;
    std::string places = packed_ ? "?, ?, ?, ?" : "?, ?";
    for (std::size_t i = 0; i < table.columns.size() && !packed_; ++i) places += ", ?";
    columns_.assign(packed_ ? table.columns.size() : 0, {});
    last_step_ = 0;
    insert_.emplace(database_, fmt::format("INSERT INTO {} VALUES ({})", data_name(table), places));
    factors_ = column_factors(table, units_);
    row_ = 0;
    cell_ = 0;
  }

  void text(std::string_view value) override {
    const int at = cell_++;
    if (at == 0) analysis_ = value;
    if (at == 1) loads_ = value;
    if (at >= kLead) put_integer(at, word(value));
  }

  void integer(int value) override {
    const int at = cell_++;
    if (at == 2) start_row(value);
    if (at >= kLead) put_integer(at, value);
  }

  void real(std::optional<double> value) override {
    const int at = cell_++;
    const auto column = static_cast<std::size_t>(at - kLead);
    const auto shown = kept_value(table_->columns[column], factors_[column], value);
    if (packed_) {
      columns_[column].reals.push_back(shown.value_or(std::numeric_limits<double>::quiet_NaN()));
    } else if (shown) {
      insert_->bind(place(at), *shown);
    } else {
      insert_->bind(place(at));
    }
  }

  void end_row() override {
    cell_ = 0;
    ++row_;
    if (packed_) return;
    insert_->bind(1, last_step_);
    insert_->bind(2, row_ - 1);
    insert_->exec();
    insert_->reset();
  }

  void end() override {
    flush();
    insert_.reset();
  }

 private:
  static constexpr int kLead = 3;
  static int place(int cell) { return cell - kLead + 3; }

  /// The cells of one step of a packed table; reals kept to a resolution as multiples of it.
  struct Column {
    std::vector<double> reals;
    std::vector<std::int32_t> integers;
  };

  void put_integer(int cell, int value) {
    if (packed_) {
      columns_[static_cast<std::size_t>(cell - kLead)].integers.push_back(value);
    } else {
      insert_->bind(place(cell), value);
    }
  }

  void start_row(int step) {
    step_ = step;
    const int before = last_step_, id = step_id();
    if (id == before) return;
    last_step_ = before;
    flush();
    last_step_ = id;
    row_ = 0;
  }

  /// Writes the columns of the step that ends.
  void flush() {
    for (std::size_t i = 0; packed_ && row_ > 0 && i < columns_.size(); ++i) {
      const ColumnSpec& spec = table_->columns[i];
      Column& column = columns_[i];
      // Whole numbers leave most bytes of a double zero.
      for (double& v : column.reals) v = spec.resolution > 0 ? std::round(v / spec.resolution) : v;
      insert_->bind(1, last_step_);
      insert_->bind(2, static_cast<int>(i) + 1);
      insert_->bind(3, row_);
      const std::string packed =
          spec.type == Type::real ? pack(column.reals) : pack(column.integers);
      insert_->bindNoCopy(4, packed.data(), static_cast<int>(packed.size()));
      insert_->exec();
      insert_->reset();
      column = {};
    }
    row_ = 0;
  }

  void list_columns(const TableSpec& table) {
    const auto add = [this, &table](int position, std::string_view name, const char* type,
                                    std::string_view unit, std::string_view doc) {
      add_column_.bind(1, std::string(table.name));
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
    for (const ColumnSpec& c : table.columns) {
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
  UnitSystem units_;
  SQLite::Statement add_word_, add_step_, add_column_;
  std::optional<SQLite::Statement> insert_;
  const TableSpec* table_ = nullptr;
  std::vector<double> factors_;
  bool packed_ = false;
  std::vector<Column> columns_;
  std::unordered_map<std::string, int> words_;
  std::map<std::tuple<std::string, std::string, int>, int> steps_;
  std::tuple<std::string, std::string, int> last_key_;
  std::string analysis_, loads_, key_;
  int step_ = 0, last_step_ = 0, cell_ = 0, row_ = 0;
};

namespace {

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

StoreWriter::StoreWriter(const fs::path& file) {
  // Nobody reads its account of memory, which every allocation would lock. Too late is no harm.
  sqlite3_config(SQLITE_CONFIG_MEMSTATUS, 0);
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
    impl_->sink.emplace(database);
    for (const TableSpec& spec : table_specs()) impl_->sink->lay_out(spec);
  });
}

void StoreWriter::about(const RunResult& result, const UnitSystem& units,
                        const std::string& model_text, const std::string& model_name) {
  writing([&] {
    impl_->sink->set_units(units);
    write_about(impl_->database, result, model_text, model_name);
    write_groups(impl_->database, *result.model);
  });
}

StoreWriter::~StoreWriter() = default;

void StoreWriter::table(const RunResult& result, const TableSpec& spec) {
  writing([&] { write_table(result, impl_->sink->units(), spec, *impl_->sink); });
}

void StoreWriter::commit() {
  writing([&] {
    impl_->sink.reset();
    impl_->database.exec("CREATE INDEX word_text ON words (text)");
    impl_->all->commit();
  });
}

}  // namespace ulterix
