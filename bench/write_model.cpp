// Writes a building model: write_model NX NY NZ COMBINATIONS > building.toml
#include <fmt/format.h>

#include <cstdlib>

#include "building.hpp"

int main(int argc, char** argv) {
  if (argc != 5) return 2;
  fmt::print("{}", ulterix::bench::building(std::atoi(argv[1]), std::atoi(argv[2]),
                                            std::atoi(argv[3]), std::atoi(argv[4])));
  return 0;
}
