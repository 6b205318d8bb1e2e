#include "app/progress.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <cmath>

namespace ulterix {

namespace {

using namespace std::chrono_literals;
constexpr auto kPatience = 400ms;
constexpr auto kPause = 100ms;

/// By the pace of the phase so far; nothing while that says little.
std::string time_left(std::chrono::steady_clock::duration spent, double done) {
  if (done < 0.05) return {};
  const double seconds = std::chrono::duration<double>(spent).count() * (1 - done) / done;
  if (seconds < 90) return fmt::format("   {:.0f} s left", std::ceil(seconds));
  return fmt::format("   {:.0f} min left", std::ceil(seconds / 60));
}

}  // namespace

ProgressLine::ProgressLine(bool quiet)
    : on_(!quiet && isatty(STDERR_FILENO) != 0),
      start_(std::chrono::steady_clock::now()),
      last_(start_) {}

ProgressLine::~ProgressLine() {
  if (shown_) fmt::print(stderr, "\r\033[K");
}

Progress ProgressLine::callback() {
  if (!on_) return {};
  return [this](const std::string& phase, double done) { show(phase, done); };
}

void ProgressLine::show(const std::string& phase, double done) {
  const std::scoped_lock one_at_a_time(lock_);
  const auto now = std::chrono::steady_clock::now();
  if (phase != phase_) {
    phase_ = phase;
    phase_start_ = now;
  }
  if (now - start_ < kPatience || now - last_ < kPause) return;
  last_ = now;
  shown_ = true;
  const int cells = static_cast<int>(std::lround(20 * done));
  fmt::print(stderr, "\r\033[K {:<20}  [{:<20}] {:3.0f} %{}", phase,
             std::string(static_cast<std::size_t>(cells), '='), 100 * done,
             time_left(now - phase_start_, done));
  std::fflush(stderr);
}

}  // namespace ulterix
