#include "write/recovered_tables.hpp"

#include "core/results/comparison.hpp"
#include "write/row_writer.hpp"

namespace ulterix {

namespace {

/// Displacements below this part of a metre are rounding whatever the member does.
constexpr double kLeastDisplacement = 1e-12;

class RecoveredRows {
 public:
  RecoveredRows(const Recovery& recovery, MemberId member, const UnitSystem& units, TableSink& sink)
      : recovery_(recovery),
        model_(recovery.frame().model()),
        id_(member),
        units_(units),
        sink_(sink),
        line_(recovery.line(member)) {}

  void forces() {
    const MemberExtremes extremes = extremes_of(line_);
    const Largest largest = largest_force(extremes);
    for (const LinePoint& p : line_.stations()) {
      lead();
      sink_.real(p.x);
      for (int i = 0; i < 6; ++i) sink_.real(largest.cleared(p.forces[i], i));
      sink_.end_row();
    }
  }

  void extremes() {
    const MemberExtremes extremes = extremes_of(line_);
    const Largest largest = largest_force(extremes);
    for (int i = 0; i < static_cast<int>(extremes.size()); ++i) {
      const Extreme& e = extremes[static_cast<std::size_t>(i)];
      const Quantity q = i >= kDy ? Quantity::displacement
                         : i < 3  ? Quantity::force
                                  : Quantity::moment;
      const auto real = [&](double v) {
        const bool nothing = i >= kDy && std::abs(v) <= kLeastDisplacement;
        const double cleared = nothing ? 0 : i >= kDy ? v : largest.cleared(v, i);
        sink_.real(units_.from_si(q, cleared));
      };
      lead();
      sink_.text(kExtremeNames[static_cast<std::size_t>(i)]);
      sink_.text(units_.label(q));
      real(e.min);
      sink_.real(e.x_min);
      real(e.max);
      sink_.real(e.x_max);
      sink_.end_row();
    }
  }

  /// At the stations, and where a displacement or a deflection is largest.
  void deflections() {
    const Matrix3d& R = recovery_.frame().axes(id_);
    for (const double x : places_of_deflections(R)) {
      const Vector3d u = R.transpose() * line_.at(x).displacement, d = line_.deflection_at(x);
      lead();
      sink_.real(x);
      for (const double v : {u[0], u[1], u[2], d[1], d[2]}) {
        sink_.real(std::abs(v) <= kLeastDisplacement ? 0 : v);
      }
      sink_.end_row();
    }
  }

 private:
  void lead() {
    write_lead(recovery_.step(), sink_);
    sink_.text(model_.members[id_].name);
  }

  Largest largest_force(const MemberExtremes& extremes) const {
    Largest largest = Largest::of_forces(recovery_.step(), model_.size());
    for (int i = 0; i < 6; ++i) {
      const Extreme& e = extremes[static_cast<std::size_t>(i)];
      double& most = i < 3 ? largest.linear : largest.angular;
      most = std::max({most, std::abs(e.min), std::abs(e.max)});
    }
    return largest;
  }

  std::vector<double> places_of_deflections(const Matrix3d& R) const {
    std::vector<double> xs;
    for (const LinePoint& p : line_.stations()) xs.push_back(p.x);
    const double same = 1e-6 * line_.length();
    const auto add = [&xs, same](double x) {
      const bool there = std::any_of(xs.begin(), xs.end(),
                                     [=](double known) { return std::abs(known - x) <= same; });
      if (!there) xs.push_back(x);
    };
    const auto add_extremes = [&add](const Extreme& e) {
      add(e.x_min);
      add(e.x_max);
    };
    for (int d = 0; d < 3; ++d) add_extremes(line_.displacement_extremes(R.col(d), false));
    for (int d = 1; d < 3; ++d) add_extremes(line_.displacement_extremes(Vector3d::Unit(d), true));
    std::sort(xs.begin(), xs.end());
    xs.erase(std::unique(xs.begin(), xs.end()), xs.end());  // a jump of forces is one place
    return xs;
  }

  const Recovery& recovery_;
  const Model& model_;
  MemberId id_;
  const UnitSystem& units_;
  TableSink& sink_;
  const MemberLine& line_;
};

}  // namespace

void write_recovered(const Recovery& recovery, MemberId member, const UnitSystem& units,
                     const TableSpec& table, TableSink& sink) {
  if (!stands_in(recovery.step(), member)) return;
  RecoveredRows rows(recovery, member, units, sink);
  if (table.name == "member_forces") {
    rows.forces();
  } else if (table.name == "member_extremes") {
    rows.extremes();
  } else {
    rows.deflections();
  }
}

}  // namespace ulterix
