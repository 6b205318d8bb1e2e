#pragma once

#include <string>
#include <unordered_map>
#include <vector>

#include "app/results_input.hpp"
#include "core/model/model.hpp"

namespace ulterix {

/// A mode as the store holds it.
struct StoredMode {
  int number = 0;
  double value = 0;  ///< buckling factor, or period in s
  std::string words;
  struct Place {
    Vector3d u = Vector3d::Zero();
    double weight = 1;  ///< mass, or length of member, that moves with it
  };
  /// Translations of nodes, and of members along their axes.
  std::unordered_map<std::string, Place> places;
};

struct ModeSet {
  std::string analysis, loads;
  bool buckling = false;
  std::vector<StoredMode> modes;
};

/// Every set of modes in a results folder.
std::vector<ModeSet> mode_sets(const Results& results);

/// Modal assurance criterion over the places that both have, (φᵀWψ)²/(φᵀWφ·ψᵀWψ) (Allemang 2003)
/// with the weights of the second: 1 for the same shape, 0 for shapes that have nothing in common.
double assurance(const StoredMode& a, const StoredMode& b);

struct ModePair {
  const StoredMode* before = nullptr;  ///< nullptr: no matching mode there
  const StoredMode* after = nullptr;   ///< nullptr: no matching mode any more
  double mac = 0;
};

/// Each mode of `after` with the one of `before` that is most like it, each used once; then the
/// modes of `before` that have no partner.
std::vector<ModePair> pair_modes(const ModeSet& before, const ModeSet& after);

/// The pairs as lines for people.
std::string pairs_text(const ModeSet& before, const ModeSet& after);

}  // namespace ulterix
