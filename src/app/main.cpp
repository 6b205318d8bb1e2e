#include "app/commands.hpp"
#include "core/solve/blas_threads.hpp"
#include "core/solve/large_blocks.hpp"

int main(int argc, char** argv) {
  ulterix::keep_blas_to_its_caller();
  ulterix::keep_large_blocks();
  return ulterix::run_program({argv + 1, argv + argc});
}
