#pragma once

#include "write/tables.hpp"

namespace ulterix {

/// What the writers of a run's rows share.
class RowWriter {
 public:
  RowWriter(const RunResult& result, const UnitSystem& units, TableSink& sink)
      : result_(result), model_(*result.model), units_(units), sink_(sink) {}

 protected:
  /// The cells that every row begins with.
  void lead(const Step& step) {
    sink_.text(step.analysis);
    sink_.text(step.loads.name);
    sink_.integer(step.number);
  }
  void six(const Vector6d& values) {
    for (const double v : values) sink_.real(v);
  }

  const RunResult& result_;
  const Model& model_;
  const UnitSystem& units_;
  TableSink& sink_;
};

}  // namespace ulterix
