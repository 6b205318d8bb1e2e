#include <unistd.h>

#include <cstdio>
#include <cstdlib>

#include "app/commands.hpp"
#include "core/sparse/blas_check.hpp"
#include "core/sparse/blas_threads.hpp"
#include "core/sparse/buffer_pool.hpp"

namespace {

constexpr const char* kCoreType = "OPENBLAS_CORETYPE";  // read by the library when it starts
constexpr const char* kOlderCore = "Haswell";

/// The linear algebra library computes right; else once more with its kernels for older
/// processors, or false where those were asked for already.
bool library_is_right(char** argv) {
  if (ulterix::BlasCheck<>().passes()) return true;
  if (std::getenv(kCoreType) == nullptr) {
    setenv(kCoreType, kOlderCore, 1);
    execv("/proc/self/exe", argv);
  }
  std::fprintf(stderr,
               "ulterix: the linear algebra library (OpenBLAS) computes wrong on this processor; "
               "set the environment variable %s to another type, like %s or Nehalem\n",
               kCoreType, kOlderCore);
  return false;
}

}  // namespace

int main(int argc, char** argv) {
  ulterix::keep_blas_to_its_caller();
  ulterix::keep_freed_buffers();
  if (!library_is_right(argv)) return ulterix::kMachineFault;
  return ulterix::run_program({argv + 1, argv + argc}, argc > 0 ? argv[0] : "ulterix");
}
