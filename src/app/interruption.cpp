#include "app/interruption.hpp"

#include <unistd.h>

#include <utility>

namespace ulterix {

Interruption::Interruption(std::function<void()> clean_up) {
  signal(SIGXFSZ, SIG_IGN);
  sigemptyset(&awaited_);
  for (const int s : {SIGINT, SIGTERM, SIGHUP, SIGUSR2}) sigaddset(&awaited_, s);
  pthread_sigmask(SIG_BLOCK, &awaited_, &before_);
  waiting_ = std::thread([this, act = std::move(clean_up)] {
    int caught = 0;
    if (sigwait(&awaited_, &caught) != 0 || caught == SIGUSR2) return;
    act();
    _exit(128 + caught);
  });
}

Interruption::~Interruption() {
  pthread_kill(waiting_.native_handle(), SIGUSR2);
  waiting_.join();
  pthread_sigmask(SIG_SETMASK, &before_, nullptr);
}

}  // namespace ulterix
