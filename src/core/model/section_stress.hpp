#pragma once

#include <cmath>

#include "core/model/section.hpp"

namespace ulterix {

/// The largest stress of an elastic section under two moments (N·m), N/m², above 0; about an axis
/// whose section modulus is not known: none.
inline double bending_stress(const SectionProperties& s, double My, double Mz) {
  const auto about = [](double M, double W) { return W > 0 ? std::abs(M) / W : 0; };
  return about(My, s.Wely) + about(Mz, s.Welz);
}

}  // namespace ulterix
