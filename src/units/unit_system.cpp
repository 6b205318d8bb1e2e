#include "units/unit_system.hpp"

#include <cassert>

namespace ulterix {

namespace {

struct Kind {
  std::string_view name;
  Quantity quantity;
};

constexpr std::array kKinds = {
    Kind{"length", Quantity::length},     Kind{"section", Quantity::section},
    Kind{"force", Quantity::force},       Kind{"moment", Quantity::moment},
    Kind{"stress", Quantity::stress},     Kind{"mass", Quantity::mass},
    Kind{"density", Quantity::density},   Kind{"displacement", Quantity::displacement},
    Kind{"rotation", Quantity::rotation}, Kind{"pressure", Quantity::pressure},
    Kind{"weight", Quantity::weight}};

/// The first nine kinds of kKinds, in order.
struct Set {
  std::string_view name;
  std::array<const char*, 9> units;
};

constexpr std::array kSets = {
    Set{"metric", {"m", "mm", "kN", "kN.m", "MPa", "kg", "kg/m^3", "mm", "mrad"}},
    Set{"metric-mm", {"mm", "mm", "N", "N.mm", "MPa", "kg", "kg/m^3", "mm", "mrad"}},
    Set{"us-in", {"in", "in", "kip", "kip.in", "ksi", "lb", "lb/ft^3", "in", "mrad"}},
    Set{"us-ft", {"ft", "in", "kip", "kip.ft", "ksi", "lb", "lb/ft^3", "in", "mrad"}}};

}  // namespace

std::optional<UnitSystem> UnitSystem::named(std::string_view base) {
  for (const Set& set : kSets) {
    if (set.name != base) continue;
    UnitSystem system{Blank{}};
    for (std::size_t i = 0; i < set.units.size(); ++i) system.put(kKinds[i].quantity, set.units[i]);
    system.derive();
    return system;
  }
  return std::nullopt;
}

std::vector<std::string> UnitSystem::names() {
  std::vector<std::string> all;
  for (const Set& set : kSets) all.emplace_back(set.name);
  return all;
}

bool UnitSystem::can_set(std::string_view kind) {
  for (const Kind& k : kKinds) {
    if (k.name == kind) return true;
  }
  return false;
}

Quantity UnitSystem::quantity_of_kind(std::string_view kind) {
  for (const Kind& k : kKinds) {
    if (k.name == kind) return k.quantity;
  }
  return Quantity::number;
}

void UnitSystem::put(Quantity q, const std::string& label) {
  const auto unit = parse_unit(label);
  assert(unit && unit->dimension == dimension_of(q));
  units_[index(q)] = {label, unit->factor};
}

bool UnitSystem::set(std::string_view kind, const std::string& unit_text) {
  if (!can_set(kind)) return false;
  const Quantity q = quantity_of_kind(kind);
  const auto unit = parse_unit(unit_text);
  if (!unit || !(unit->dimension == dimension_of(q))) return false;
  pressure_set_ = pressure_set_ || q == Quantity::pressure;
  weight_set_ = weight_set_ || q == Quantity::weight;
  put(q, unit_text);
  derive();
  return true;
}

void UnitSystem::derive() {
  const std::string length = label(Quantity::length), section = label(Quantity::section);
  const std::string force = label(Quantity::force), moment = label(Quantity::moment);
  units_[index(Quantity::number)] = {"", 1};
  put(Quantity::area, section + "^2");
  put(Quantity::second_moment, section + "^4");
  put(Quantity::modulus, section + "^3");
  put(Quantity::force_per_length, force + "/" + length);
  put(Quantity::moment_per_length, moment + "/" + length);
  put(Quantity::spring, force + "/" + length);
  put(Quantity::rotational_spring, moment + "/rad");
  if (!pressure_set_) put(Quantity::pressure, force + "/" + length + "^2");
  if (!weight_set_) put(Quantity::weight, force + "/" + length + "^3");
  put(Quantity::angle, "deg");
  put(Quantity::temperature, "K");
  put(Quantity::expansion, "1/K");
  put(Quantity::temperature_gradient, "K/" + length);
  put(Quantity::acceleration, length + "/s^2");
  put(Quantity::warping, section + "^6");
  put(Quantity::rotation_per_displacement,
      label(Quantity::rotation) + "/" + label(Quantity::displacement));
}

}  // namespace ulterix
