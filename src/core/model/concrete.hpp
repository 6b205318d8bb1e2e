#pragma once

#include "core/model/vocabulary.hpp"

namespace ulterix {

/// Cement by how fast its strength grows, EN 1992-1-1 3.1.2 (6): slowly, normally, rapidly.
enum class CementClass { S, N, R };
inline constexpr std::array<Word<CementClass>, 3> kCementClasses = {
    {{CementClass::S, "S"}, {CementClass::N, "N"}, {CementClass::R, "R"}}};

/// What creep and shrinkage of a concrete section depend on.
struct ConcreteAgeing {
  double fck = 0;       ///< characteristic strength, N/m²; its mean is fck + 8 MPa
  double notional = 0;  ///< notional size h0 = 2·A/u, m; u: the perimeter that dries
  double humidity = 0;  ///< of the air, 0..1
  CementClass cement = CementClass::N;
};

/// φ(t, t0) of EN 1992-1-1 Annex B.1 at an age of `t` days under a stress that began at `t0`: creep
/// strain over elastic strain with the tangent modulus, which is 1.05·Ecm (3.1.4 (2)).
double creep_coefficient(const ConcreteAgeing& concrete, double t, double t0);

/// Shrinkage strain at an age of `t` days, above 0: by drying from the age `ts` on (3.1.4 (6),
/// Annex B.2), and autogenous.
double shrinkage_strain(const ConcreteAgeing& concrete, double t, double ts);

}  // namespace ulterix
