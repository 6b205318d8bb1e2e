#pragma once

#include <cmath>
#include <optional>
#include <string>
#include <vector>

#include "app/results_input.hpp"

namespace ulterix {

/// What `compare` was asked for; names and patterns, empty: all, and the places that matter.
struct CompareRequest {
  std::vector<std::string> analyses, loads;
  std::vector<std::string> nodes, members, places;

  bool asks_for_places() const { return !nodes.empty() || !members.empty() || !places.empty(); }
};

struct ComparedValue {
  double value = 0;
  std::optional<double> ratio;  ///< to first-order
};

/// One place with the values of every analysis beside first-order, in the results' units.
struct ComparedPlace {
  std::string quantity, unit, where;
  double first_order = 0;
  std::vector<std::optional<ComparedValue>> values;  ///< of each analysis
  /// Below 1 % of the largest of its unit: changes much and matters little.
  bool small = false;
  bool nothing = false;  ///< 0, or what rounding leaves of it
};

struct ComparedLoads {
  std::string loads;
  std::string reference = "first-order";  ///< or at once, of a stage
  std::vector<std::string> analyses;      ///< beside it
  std::vector<ComparedPlace> places;
};

/// Every set of loads with the analyses of one folder side by side.
std::vector<ComparedLoads> beside_first_order(const Results& results,
                                              const CompareRequest& request);

/// Differences below this part count as nothing.
inline constexpr double kUnchanged = 1e-3;

/// The same quantity in two folders.
struct BeforeAfter {
  std::string analysis, loads, quantity, unit, where, where_before;
  double before = 0, after = 0;
  bool small = false;    ///< below 1 % of the largest of its unit
  bool nothing = false;  ///< 0, or what rounding leaves of it

  /// Change as a part of the larger.
  double change() const {
    const double largest = std::max(std::abs(before), std::abs(after));
    return largest == 0 ? 0 : std::abs(after - before) / largest;
  }
  /// Another sign, or nothing before: no ratio tells how much it grew.
  bool turns() const { return before * after <= 0; }
  /// The largest of its kind is of the same size, elsewhere or of the other sign.
  bool only_moved() const {
    return where != where_before &&
           std::abs(std::abs(after) - std::abs(before)) <= kUnchanged * std::abs(before);
  }
};

/// Quantities that both folders have, the most changed first, those of another sign after them.
std::vector<BeforeAfter> before_and_after(const Results& before, const Results& after,
                                          const CompareRequest& request);

/// The same of two states of one folder, ANALYSIS:LOADS each (or ANALYSIS:STAGE): how the one
/// differs from the other. Throws CallError for a state that the results do not have.
std::vector<BeforeAfter> between_states(const Results& results, const std::string& from,
                                        const std::string& to, const CompareRequest& request);

}  // namespace ulterix
