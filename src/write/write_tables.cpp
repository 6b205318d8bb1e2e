#include "write/write_tables.hpp"

#include <tbb/parallel_for.h>

#include <future>

#include "core/results/recovery.hpp"
#include "write/csv.hpp"
#include "write/recovered_tables.hpp"

namespace ulterix {

namespace {

constexpr int kMembersAtOnce = 16;

/// One file of a table that is recovered from the states, its lines made on all cores.
void write_recovered_file(const RunResult& result, const UnitSystem& units, const TableSpec& table,
                          CsvSink& csv) {
  csv.begin(table);
  const int members = result.model->members.size();
  const int blocks = (members + kMembersAtOnce - 1) / kMembersAtOnce;
  for (const Step& step : result.steps) {
    if (!step.has_state) continue;
    const Recovery recovery(step);
    std::vector<std::string> texts(static_cast<std::size_t>(blocks));
    tbb::parallel_for(0, blocks, [&](int block) {
      CsvLines lines(units);
      lines.begin(table);
      const int last = std::min(members, (block + 1) * kMembersAtOnce);
      for (int m = block * kMembersAtOnce; m < last; ++m) {
        write_recovered(recovery, MemberId(m), units, table, lines);
      }
      texts[static_cast<std::size_t>(block)] = lines.lines();
    });
    for (const std::string& text : texts) csv.add(text);
  }
  csv.end();
}

int write_files(const RunResult& result, const UnitSystem& units,
                const std::filesystem::path& folder, bool long_tables) {
  CsvSink csv(folder, units);
  for (const TableSpec& spec : table_specs()) {
    if (spec.kept != Kept::rows && !long_tables) continue;
    if (spec.kept == Kept::recovered) {
      write_recovered_file(result, units, spec, csv);
    } else {
      write_table(result, units, spec, csv);
    }
  }
  return csv.files();
}

}  // namespace

TablesWriter::TablesWriter(std::filesystem::path folder) : folder_(std::move(folder)) {
  store_ = std::async(std::launch::async,
                      [this] { return std::make_unique<StoreWriter>(folder_ / "results.sqlite"); });
}

TablesWriter::~TablesWriter() = default;

int TablesWriter::write(const RunResult& result, const UnitSystem& units,
                        const std::string& model_text, const std::string& model_name,
                        bool long_tables, const Progress& progress) {
  if (progress) progress("write tables", 0);
  std::future<int> files = std::async(std::launch::async, [&] {
    return write_files(result, units, folder_ / "tables", long_tables);
  });
  const std::unique_ptr<StoreWriter> store = store_.get();
  store->about(result, units, model_text, model_name);
  for (const TableSpec& spec : table_specs()) {
    if (spec.kept != Kept::recovered) store->table(result, spec);
  }
  store->commit();
  return files.get();
}

}  // namespace ulterix
