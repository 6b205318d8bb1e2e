#include "app/recovered_table.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "app/options.hpp"
#include "app/stored_run.hpp"
#include "read/name_matching.hpp"
#include "write/recovered_tables.hpp"

namespace ulterix {

namespace {

using Names = std::vector<std::string>;

/// Rows as they come back from a store.
class RowSink : public TableSink {
 public:
  RowSink(const TableSpec& spec, const UnitSystem& units) : factors_(column_factors(spec, units)) {
    table_.spec = &spec;
    table_.header = {"analysis", "loads", "step"};
    for (const ColumnSpec& c : spec.columns) table_.header.push_back(column_header(c, units));
  }
  StoredTable take() { return std::move(table_); }

  void begin(const TableSpec&) override {}
  void text(std::string_view value) override { row_.emplace_back(std::string(value)); }
  void integer(int value) override { row_.emplace_back(std::int64_t{value}); }
  void real(std::optional<double> value) override {
    const std::size_t column = row_.size() - 3;
    const auto kept = kept_value(table_.spec->columns[column], factors_[column], value);
    row_.emplace_back();
    if (kept) row_.back() = *kept;
  }
  void end_row() override {
    table_.rows.push_back(std::move(row_));
    row_.clear();
  }
  void end() override {}

 private:
  StoredTable table_;
  std::vector<double> factors_;
  std::vector<Cell> row_;
};

/// Names of the members that fit a name, a pattern or the name of a run, in the model's order;
/// throws for a name or pattern without any.
Names fitting_members(const Model& model, Names wanted) {
  Names known, fitting;
  for (const Member& m : model.members) known.push_back(m.name);
  for (std::string& w : wanted) {
    if (!fits_one_of(w, known) && fits_one_of(pieces_of_run(w), known)) w = pieces_of_run(w);
    if (!fits_one_of(w, known)) {
      throw CallError(fmt::format("--member: no member \"{}\"{}", w, did_you_mean(w, known)));
    }
  }
  for (const std::string& name : known) {
    if (fits_any(wanted, name)) fitting.push_back(name);
  }
  return fitting;
}

}  // namespace

StoredTable any_table(const Results& results, const TableSpec& spec,
                      const std::vector<Results::Filter>& filters) {
  if (spec.kept != Kept::recovered) return results.table(std::string(spec.name), filters);
  Names analyses, loads, steps, wanted;
  for (const Results::Filter& f : filters) {
    Names* const names = f.column == "analysis" ? &analyses
                         : f.column == "loads"  ? &loads
                         : f.column == "step"   ? &steps
                         : f.column == "member" ? &wanted
                                                : nullptr;
    if (names == nullptr) {
      throw CallError(fmt::format("--{}: the table {} has no such filter", f.option, spec.name));
    }
    names->insert(names->end(), f.wanted.begin(), f.wanted.end());
  }
  Names members;
  if (!wanted.empty()) members = fitting_members(results.model().model, wanted);
  const StoredRun run(results, analyses, loads, members);
  RowSink sink(spec, run.units());
  for (const Step& step : run.steps()) {
    if (!analyses.empty() && !fits_any(analyses, step.analysis)) continue;  // one it starts from
    if (!steps.empty() && !fits_any(steps, fmt::format("{}", step.number))) continue;
    const Recovery recovery(step);
    for (const MemberId id : run.model().members.ids()) {
      if (!members.empty() && !fits_any(members, run.model().members[id].name)) continue;
      write_recovered(recovery, id, run.units(), spec, sink);
    }
  }
  return sink.take();
}

}  // namespace ulterix
