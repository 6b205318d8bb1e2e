#include "app/commands.hpp"

int main(int argc, char** argv) {
  return ulterix::run_program({argv + 1, argv + argc});
}
