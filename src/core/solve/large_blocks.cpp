#include "core/solve/large_blocks.hpp"

#include <malloc.h>

namespace ulterix {

void keep_large_blocks() {
  mallopt(M_MMAP_THRESHOLD, 1 << 30);
  mallopt(M_TRIM_THRESHOLD, 1 << 30);
  mallopt(M_TOP_PAD, 16 << 20);
}

}  // namespace ulterix
