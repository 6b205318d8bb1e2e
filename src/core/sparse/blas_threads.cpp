#include "core/sparse/blas_threads.hpp"

#include <cblas.h>

// OpenBLAS's own way out of its threads, which its header lacks; other versions may not have it.
extern "C" int blas_thread_shutdown_() __attribute__((weak));

namespace ulterix {

void keep_blas_to_its_caller() {
  static const bool done = [] {
    openblas_set_num_threads(1);
    if (blas_thread_shutdown_ != nullptr) blas_thread_shutdown_();
    return true;
  }();
  static_cast<void>(done);
}

}  // namespace ulterix
