#pragma once

#include <chrono>
#include <mutex>
#include <string>

#include "core/analysis/elastic_frame.hpp"

namespace ulterix {

/// One line on stderr with the phase, how far it is and how long it will still take; only on a
/// terminal, and only for work that takes longer than a moment.
class ProgressLine {
 public:
  explicit ProgressLine(bool quiet);
  ~ProgressLine();
  ProgressLine(const ProgressLine&) = delete;
  ProgressLine& operator=(const ProgressLine&) = delete;

  Progress callback();

 private:
  void show(const std::string& phase, double done);

  std::mutex lock_;
  bool on_;
  bool shown_ = false;
  std::string phase_;
  std::chrono::steady_clock::time_point start_, last_, phase_start_;
};

}  // namespace ulterix
