#include "units/unit_text.hpp"

#include <udunits2.h>

#include <array>
#include <cctype>
#include <charconv>
#include <cmath>
#include <map>
#include <mutex>
#include <numbers>
#include <vector>

namespace ulterix {

namespace {

constexpr double kInch = 0.0254, kFoot = 0.3048, kPound = 0.45359237;
constexpr double kPoundForce = 4.4482216152605, kGravity = 9.80665;
constexpr double kPi = std::numbers::pi;

constexpr Dimension kLength{1, 0, 0, 0}, kMass{0, 1, 0, 0}, kForce{1, 1, -2, 0};
constexpr Dimension kMoment{2, 1, -2, 0}, kStress{-1, 1, -2, 0}, kWeight{-2, 1, -2, 0};
constexpr Dimension kLineLoad{0, 1, -2, 0}, kNone{0, 0, 0, 0};

struct Named {
  std::string_view name;
  double factor;
  Dimension dimension;
};

constexpr std::array kTable = {
    Named{"m", 1, kLength},
    Named{"mm", 1e-3, kLength},
    Named{"cm", 1e-2, kLength},
    Named{"km", 1e3, kLength},
    Named{"in", kInch, kLength},
    Named{"ft", kFoot, kLength},
    Named{"N", 1, kForce},
    Named{"kN", 1e3, kForce},
    Named{"MN", 1e6, kForce},
    Named{"lbf", kPoundForce, kForce},
    Named{"kip", 1e3 * kPoundForce, kForce},
    Named{"kips", 1e3 * kPoundForce, kForce},
    Named{"kgf", kGravity, kForce},
    Named{"Nm", 1, kMoment},
    Named{"kNm", 1e3, kMoment},
    Named{"MNm", 1e6, kMoment},
    Named{"Pa", 1, kStress},
    Named{"kPa", 1e3, kStress},
    Named{"MPa", 1e6, kStress},
    Named{"GPa", 1e9, kStress},
    Named{"psi", kPoundForce / (kInch * kInch), kStress},
    Named{"ksi", 1e3 * kPoundForce / (kInch * kInch), kStress},
    Named{"psf", kPoundForce / (kFoot * kFoot), kStress},
    Named{"ksf", 1e3 * kPoundForce / (kFoot * kFoot), kStress},
    Named{"pcf", kPoundForce / (kFoot * kFoot * kFoot), kWeight},
    Named{"kcf", 1e3 * kPoundForce / (kFoot * kFoot * kFoot), kWeight},
    Named{"plf", kPoundForce / kFoot, kLineLoad},
    Named{"klf", 1e3 * kPoundForce / kFoot, kLineLoad},
    Named{"kg", 1, kMass},
    Named{"g", 1e-3, kMass},
    Named{"t", 1e3, kMass},
    Named{"tonne", 1e3, kMass},
    Named{"lb", kPound, kMass},
    Named{"lbm", kPound, kMass},
    Named{"slug", kPoundForce / kFoot, kMass},
    Named{"s", 1, Dimension{0, 0, 1, 0}},
    Named{"K", 1, Dimension{0, 0, 0, 1}},
    Named{"rad", 1, kNone},
    Named{"mrad", 1e-3, kNone},
    Named{"deg", kPi / 180, kNone},
    Named{"%", 1e-2, kNone},
    Named{"1", 1, kNone},
};

std::string_view trimmed(std::string_view text) {
  while (!text.empty() && (text.front() == ' ' || text.front() == '\t')) text.remove_prefix(1);
  while (!text.empty() && (text.back() == ' ' || text.back() == '\t')) text.remove_suffix(1);
  return text;
}

const Named* find_named(std::string_view name) {
  for (const Named& unit : kTable) {
    if (unit.name == name) return &unit;
  }
  return nullptr;
}

/// Superscripts and the middle dot as plain signs.
std::string plain(std::string_view text) {
  static const std::array<std::pair<std::string_view, std::string_view>, 5> kSigns = {
      {{"²", "^2"}, {"³", "^3"}, {"⁴", "^4"}, {"·", "."}, {"°", "deg"}}};
  std::string result(text);
  for (const auto& [sign, replacement] : kSigns) {
    for (auto at = result.find(sign); at != std::string::npos; at = result.find(sign)) {
      result.replace(at, sign.size(), replacement);
    }
  }
  return result;
}

/// One factor: a name of the table with an exponent ("mm^2", "in4").
std::optional<Unit> parse_factor(std::string_view text) {
  int exponent = 1;
  std::string_view name = text;
  if (const auto caret = text.find('^'); caret != std::string_view::npos) {
    name = text.substr(0, caret);
    const std::string_view digits = text.substr(caret + 1);
    const auto end = digits.data() + digits.size();
    const auto [stop, error] = std::from_chars(digits.data(), end, exponent);
    if (error != std::errc() || stop != end) return std::nullopt;
  } else if (text.size() > 1 && text.back() >= '2' && text.back() <= '4') {
    exponent = text.back() - '0';
    name = text.substr(0, text.size() - 1);
  }
  const Named* unit = find_named(name);
  if (unit == nullptr) return std::nullopt;
  return Unit{std::pow(unit->factor, exponent), unit->dimension.power(exponent)};
}

std::optional<Unit> parse_by_table(std::string_view text) {
  Unit result;
  bool divide = false;
  while (!text.empty()) {
    const auto stop = text.find_first_of("./* -");
    const auto factor = parse_factor(text.substr(0, stop));
    if (!factor) return std::nullopt;
    const int sign = divide ? -1 : 1;
    result.factor *= divide ? 1 / factor->factor : factor->factor;
    result.dimension = result.dimension + factor->dimension.power(sign);
    if (stop == std::string_view::npos) return result;
    divide = text[stop] == '/';
    // "kip-ft" is a product, "m-1" a power.
    const bool power = text[stop] == '-' && stop + 1 < text.size() &&
                       std::isdigit(static_cast<unsigned char>(text[stop + 1])) != 0;
    if (power) return std::nullopt;
    text = trimmed(text.substr(stop + 1));
  }
  return std::nullopt;  // ends in a sign
}

/// UDUNITS-2, opened at the first unit that the table does not know. Its parser is not thread-safe.
class UnitLibrary {
 public:
  static UnitLibrary& instance() {
    static UnitLibrary library;
    return library;
  }

  std::optional<Unit> parse(const std::string& text) {
    const std::scoped_lock lock(mutex_);
    if (const auto known = known_.find(text); known != known_.end()) return known->second;
    const std::optional<Unit> found = ask(text);
    known_[text] = found;
    return found;
  }

 private:
  UnitLibrary() {
    ut_set_error_message_handler(ut_ignore);
    system_ = ut_read_xml(nullptr);
    if (system_ == nullptr) return;
    for (const char* name : {"meter", "kilogram", "second", "kelvin"}) {
      base_.push_back(ut_get_unit_by_name(system_, name));
    }
  }

  /// Tries the products of base units that mechanics needs: dimensions are compared exactly, since
  /// the library itself takes a unit and its reciprocal for convertible.
  std::optional<Unit> ask(const std::string& text) const {
    if (system_ == nullptr) return std::nullopt;
    ut_unit* unit = ut_parse(system_, text.c_str(), UT_UTF8);
    if (unit == nullptr) return std::nullopt;
    std::optional<Unit> result;
    for (int q = 0; q < kQuantities && !result; ++q) {
      const Dimension d = dimension_of(static_cast<Quantity>(q));
      ut_unit* si = base_unit(d);
      ut_unit* ratio = ut_divide(unit, si);
      if (ratio != nullptr && ut_is_dimensionless(ratio) != 0) result = convert(unit, si, d);
      ut_free(ratio);
      ut_free(si);
    }
    ut_free(unit);
    return result;
  }

  ut_unit* base_unit(const Dimension& d) const {
    ut_unit* product = ut_get_dimensionless_unit_one(system_);
    const std::array<int, 4> powers = {d.m, d.kg, d.s, d.K};
    for (std::size_t i = 0; i < powers.size(); ++i) {
      ut_unit* power = ut_raise(base_[i], powers[i]);
      ut_unit* next = ut_multiply(product, power);
      ut_free(power);
      ut_free(product);
      product = next;
    }
    return product;
  }

  static std::optional<Unit> convert(ut_unit* unit, ut_unit* si, const Dimension& d) {
    cv_converter* converter = ut_get_converter(unit, si);
    if (converter == nullptr) return std::nullopt;
    const double zero = cv_convert_double(converter, 0), one = cv_convert_double(converter, 1);
    cv_free(converter);
    if (zero != 0) return std::nullopt;  // an offset
    return Unit{one, d};
  }

  std::mutex mutex_;
  ut_system* system_ = nullptr;
  std::vector<ut_unit*> base_;
  std::map<std::string, std::optional<Unit>> known_;
};

}  // namespace

std::optional<Unit> parse_unit(std::string_view text) {
  const std::string clean = plain(trimmed(text));
  if (clean.empty()) return std::nullopt;
  if (const auto unit = parse_by_table(clean)) return unit;
  return UnitLibrary::instance().parse(clean);
}

std::optional<NumberAndUnit> split_number(std::string_view text) {
  text = trimmed(text);
  if (!text.empty() && text.front() == '+') text.remove_prefix(1);
  NumberAndUnit result;
  const auto [stop, error] = std::from_chars(text.data(), text.data() + text.size(), result.number);
  if (error != std::errc() || !std::isfinite(result.number)) return std::nullopt;
  result.unit = trimmed(text.substr(static_cast<std::size_t>(stop - text.data())));
  return result;
}

}  // namespace ulterix
