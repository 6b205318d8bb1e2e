#include <malloc.h>

#include "app/commands.hpp"

int main(int argc, char** argv) {
  // Large blocks come and go in every factorisation: keep them rather than hand them back to the
  // system, which costs a page fault for each page when they come again.
  mallopt(M_MMAP_THRESHOLD, 1 << 30);
  mallopt(M_TRIM_THRESHOLD, 1 << 30);
  mallopt(M_TOP_PAD, 16 << 20);
  return ulterix::run_program({argv + 1, argv + argc});
}
