#include "write/write_tables.hpp"

#include <tbb/concurrent_queue.h>
#include <tbb/parallel_pipeline.h>

#include <cmath>
#include <deque>
#include <future>
#include <nlohmann/json.hpp>

#include "write/csv.hpp"
#include "write/number_text.hpp"

namespace ulterix {

namespace {

constexpr int kMembersAtOnce = 16;
constexpr std::size_t kBlocksInFlight = 4;

/// Text that JSON takes between quotes as it is.
bool is_plain(std::string_view text) {
  for (const char c : text) {
    if (c == '"' || c == '\\' || static_cast<unsigned char>(c) < 0x20) return false;
  }
  return true;
}

/// Rows of some members as lines of CSV and as a JSON list for each, each number turned into text
/// once.
class GatheredText : public TableSink {
 public:
  GatheredText(const TableSpec& table, const UnitSystem& units) {
    for (const ColumnSpec& c : table.columns) {
      factors_.push_back(c.type == ColumnSpec::Type::real ? units.to_si(c.quantity, 1) : 1);
    }
    cells_.resize(kLead + factors_.size());
  }

  const std::string& csv() const { return csv_; }
  /// Of the members since clear().
  const std::string& json(std::size_t member) const { return json_[member]; }

  /// Forgets the rows and keeps their memory.
  void clear() {
    csv_.clear();
    members_ = 0;
  }

  void start_member() {
    if (json_.size() == members_) json_.emplace_back();
    list_ = &json_[members_++];
    list_->clear();
  }
  void finish_member() { *list_ += list_->empty() ? "[]" : "]"; }

  void begin(const TableSpec&) override {}
  void end() override {}

  void text(std::string_view value) override {
    separate_csv();
    csv_ += cell_text(value);
    if (in_json()) {
      *list_ += is_plain(value) ? '"' + std::string(value) + '"' : nlohmann::json(value).dump();
    }
    ++cell_;
  }

  void integer(int value) override {
    separate_csv();
    const std::string digits = std::to_string(value);
    csv_ += digits;
    if (in_json()) *list_ += digits;
    ++cell_;
  }

  void real(std::optional<double> value) override {
    separate_csv();
    const std::size_t start = csv_.size();
    const double factor = factors_[cell_ - kLead];
    if (value && std::isfinite(*value)) append_number(csv_, *value / factor);
    if (in_json()) {
      if (csv_.size() == start) {
        *list_ += "null";
      } else {
        list_->append(csv_, start);
      }
    }
    ++cell_;
  }

  void end_row() override {
    csv_ += '\n';
    *list_ += ']';
    cell_ = 0;
  }

 private:
  static constexpr std::size_t kLead = 3;

  /// Rows of one member begin alike.
  const std::string& cell_text(std::string_view value) {
    Cell& cell = cells_[cell_];
    if (cell.value != value) cell = {std::string(value), csv_cell(value)};
    return cell.text;
  }

  void separate_csv() {
    if (cell_ > 0) csv_ += ',';
  }

  /// The lead and the member's name stand outside the list; opens a row or parts two cells.
  bool in_json() {
    if (cell_ <= kLead) return false;
    if (cell_ == kLead + 1) {
      *list_ += list_->empty() ? "[[" : ",[";
    } else {
      *list_ += ',';
    }
    return true;
  }

  struct Cell {  // the text that stood there last, and how CSV has it
    std::string value, text;
  };
  std::string csv_;
  std::deque<std::string> json_;  // of each member; those after the first `members_` are spare
  std::size_t members_ = 0;
  std::string* list_ = nullptr;  // of the present member
  std::vector<double> factors_;
  std::vector<Cell> cells_;
  std::size_t cell_ = 0;
};

struct Block {
  std::size_t step = 0;
  int first = 0, last = 0;  // members
  std::unique_ptr<GatheredText> text;
};

class GatheredWriter {
 public:
  GatheredWriter(const RunResult& result, const UnitSystem& units, const TableSpec& table,
                 CsvSink& csv, StoreWriter& store, const Progress& progress)
      : result_(result),
        model_(*result.model),
        units_(units),
        table_(table),
        csv_(csv),
        store_(store),
        progress_(progress) {}

  void write() {
    csv_.begin(table_);
    store_.begin_gathered(table_);
    using tbb::filter_mode;
    tbb::parallel_pipeline(
        kBlocksInFlight,
        tbb::make_filter<void, Block>(filter_mode::serial_in_order, [this](tbb::flow_control& c) {
          return next(c);
        }) & tbb::make_filter<Block, Block*>(filter_mode::parallel, [this](Block b) {
          return make(b);
        }) & tbb::make_filter<Block*, void>(filter_mode::serial_in_order, [this](Block* b) {
          put(std::unique_ptr<Block>(b));
        }));
    csv_.end();
    store_.end_gathered();
  }

 private:
  Block next(tbb::flow_control& control) {
    while (step_ < result_.steps.size() && !has_rows(table_, result_.steps[step_])) ++step_;
    if (step_ == result_.steps.size() || model_.members.empty()) {
      control.stop();
      return {};
    }
    Block block{step_, member_, std::min(member_ + kMembersAtOnce, model_.members.size()), nullptr};
    member_ = block.last;
    if (member_ == model_.members.size()) {
      member_ = 0;
      ++step_;
    }
    return block;
  }

  Block* make(const Block& range) {
    auto block = std::make_unique<Block>();
    block->step = range.step;
    block->first = range.first;
    block->last = range.last;
    if (!spare_.try_pop(block->text)) block->text = std::make_unique<GatheredText>(table_, units_);
    block->text->clear();
    for (int m = range.first; m < range.last; ++m) {
      block->text->start_member();
      write_member_rows(result_, units_, table_, range.step, MemberId(m), *block->text);
      block->text->finish_member();
    }
    return block.release();
  }

  void put(std::unique_ptr<Block> block) {
    if (progress_) {
      progress_("write tables", double(block->step) / double(result_.steps.size()));
    }
    csv_.lines(block->text->csv());
    for (int m = block->first; m < block->last; ++m) {
      store_.gathered(result_.steps[block->step], model_.members[MemberId(m)].name,
                      block->text->json(static_cast<std::size_t>(m - block->first)));
    }
    spare_.push(std::move(block->text));
  }

  const RunResult& result_;
  const Model& model_;
  const UnitSystem& units_;
  const TableSpec& table_;
  CsvSink& csv_;
  StoreWriter& store_;
  const Progress& progress_;
  std::size_t step_ = 0;
  int member_ = 0;
  tbb::concurrent_queue<std::unique_ptr<GatheredText>> spare_;
};

}  // namespace

TablesWriter::TablesWriter(std::filesystem::path folder) : folder_(std::move(folder)) {
  store_ = std::async(std::launch::async,
                      [this] { return std::make_unique<StoreWriter>(folder_ / "results.sqlite"); });
}

TablesWriter::~TablesWriter() = default;

int TablesWriter::write(const RunResult& result, const UnitSystem& units,
                        const std::string& model_text, const std::string& model_name,
                        const Progress& progress) {
  std::future<int> short_files = std::async(std::launch::async, [&] {
    CsvSink csv(folder_ / "tables", units);
    for (const TableSpec& spec : table_specs()) {
      if (!spec.gathered) write_table(result, units, spec, csv);
    }
    return csv.files();
  });
  const std::unique_ptr<StoreWriter> store = store_.get();
  store->about(result, units, model_text, model_name);
  for (const TableSpec& spec : table_specs()) {
    if (!spec.gathered) store->table(result, spec);
  }
  const int short_ones = short_files.get();
  CsvSink csv(folder_ / "tables", units);
  for (const TableSpec& spec : table_specs()) {
    if (spec.gathered) GatheredWriter(result, units, spec, csv, *store, progress).write();
  }
  store->commit();
  return short_ones + csv.files();
}

}  // namespace ulterix
