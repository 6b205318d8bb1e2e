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
  /// The largest of linear and of angular values of one kind in a step.
  struct Largest {
    double linear = 0, angular = 0;
    void take(const Vector6d& v) {
      linear = std::max(linear, v.head<3>().cwiseAbs().maxCoeff());
      angular = std::max(angular, v.tail<3>().cwiseAbs().maxCoeff());
    }
  };
  /// The same; what is only rounding beside the largest of its kind is 0.
  void six(const Vector6d& values, const Largest& largest) {
    for (int i = 0; i < 6; ++i) {
      const double most = i < 3 ? largest.linear : largest.angular;
      sink_.real(std::abs(values[i]) <= kRounding * most ? 0 : values[i]);
    }
  }
  static constexpr double kRounding = 1e-13;

  const RunResult& result_;
  const Model& model_;
  const UnitSystem& units_;
  TableSink& sink_;
};

}  // namespace ulterix
