#include "core/results/modes.hpp"

#include <cmath>

namespace ulterix {

double VibrationMode::frequency() const {
  return omega / (2 * M_PI);
}

double VibrationMode::period() const {
  return omega > 0 ? 2 * M_PI / omega : 0;
}

}  // namespace ulterix
