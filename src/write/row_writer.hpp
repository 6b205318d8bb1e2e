#pragma once

#include <algorithm>
#include <cmath>

#include "write/tables.hpp"

namespace ulterix {

/// Beside the largest of its kind this part is rounding.
inline constexpr double kRounding = 1e-13;

/// The largest of linear and of angular values of one kind in a step.
struct Largest {
  double linear = 0, angular = 0;

  void take(const Vector6d& v) {
    linear = std::max(linear, v.head<3>().cwiseAbs().maxCoeff());
    angular = std::max(angular, v.tail<3>().cwiseAbs().maxCoeff());
  }
  /// What is only rounding is 0; `component`: of six.
  double cleared(double value, int component) const {
    return std::abs(value) <= kRounding * (component < 3 ? linear : angular) ? 0 : value;
  }
  /// Of the reactions; a moment counts beside a force over the frame's size, m.
  static Largest of_forces(const Step& step, double size) {
    Largest largest;
    for (const Vector6d& r : step.reactions) largest.take(r);
    largest.angular = std::max(largest.angular, 1e-3 * size * largest.linear);
    return largest;
  }
};

/// The cells that every row begins with.
inline void write_lead(const Step& step, TableSink& sink) {
  sink.text(step.analysis);
  sink.text(step.loads.name);
  sink.integer(step.number);
}

/// What the writers of a run's rows share.
class RowWriter {
 public:
  RowWriter(const RunResult& result, const UnitSystem& units, TableSink& sink)
      : result_(result), model_(*result.model), units_(units), sink_(sink) {}

 protected:
  void lead(const Step& step) { write_lead(step, sink_); }
  void six(const Vector6d& values) {
    for (const double v : values) sink_.real(v);
  }
  void six(const Vector6d& values, const Largest& largest) {
    for (int i = 0; i < 6; ++i) sink_.real(largest.cleared(values[i], i));
  }

  const RunResult& result_;
  const Model& model_;
  const UnitSystem& units_;
  TableSink& sink_;
};

}  // namespace ulterix
