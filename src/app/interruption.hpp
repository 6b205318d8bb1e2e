#pragma once

#include <signal.h>

#include <functional>
#include <thread>

namespace ulterix {

/// While it lives, INT, TERM and HUP run `clean_up` on a thread of their own and end the program
/// with 128 + the signal's number; a file that grows too large is an error of the stream that
/// writes it, not the end. To be made before other threads start, which inherit what is blocked.
class Interruption {
 public:
  explicit Interruption(std::function<void()> clean_up);
  ~Interruption();
  Interruption(const Interruption&) = delete;
  Interruption& operator=(const Interruption&) = delete;

 private:
  sigset_t awaited_{}, before_{};
  std::thread waiting_;
};

}  // namespace ulterix
