#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "units/quantity.hpp"
#include "units/unit_text.hpp"

namespace ulterix {

/// What a bare number means, per kind of quantity, and the units results come out in.
class UnitSystem {
 public:
  /// `metric`, `metric-mm`, `us-in`, `us-ft`; empty for another name.
  static std::optional<UnitSystem> named(std::string_view base);
  static std::vector<std::string> names();
  UnitSystem() : UnitSystem(*named("metric")) {}

  /// Changes one base kind; derived kinds (per length, springs, areas) follow. False if the kind is
  /// not one that can be set, or the unit is unknown or of another dimension.
  bool set(std::string_view kind, const std::string& unit);
  static bool can_set(std::string_view kind);
  static Quantity quantity_of_kind(std::string_view kind);

  const std::string& label(Quantity q) const { return units_[index(q)].label; }
  double to_si(Quantity q, double value) const { return value * units_[index(q)].factor; }
  double from_si(Quantity q, double value) const { return value / units_[index(q)].factor; }

 private:
  struct Entry {
    std::string label;
    double factor = 1;
  };
  struct Blank {};
  explicit UnitSystem(Blank) {}
  static std::size_t index(Quantity q) { return static_cast<std::size_t>(q); }
  void put(Quantity q, const std::string& label);
  void derive();

  std::array<Entry, kQuantities> units_;
  bool pressure_set_ = false, weight_set_ = false;
};

}  // namespace ulterix
