#include "building.hpp"

#include <fmt/format.h>

namespace ulterix::bench {

namespace {

std::string node(int x, int y, int z) {
  return fmt::format("N{}-{}-{}", x, y, z);
}

}  // namespace

std::string building(int nx, int ny, int nz, int combinations) {
  std::string text = fmt::format("title = \"building {} x {} x {}\"\n", nx, ny, nz);
  text +=
      "[materials]\nS355 = { E = \"210 GPa\", density = \"7850 kg/m^3\" }\n"
      "[sections]\ncol = { shape = \"HEB 400\" }\ngirder = { shape = \"IPE 400\" }\n"
      "[defaults]\nmaterial = \"S355\"\nsection = \"girder\"\n\"C*\" = { section = \"col\" "
      "}\n[nodes]\n";
  std::string members = "[members]\n", supports = "[supports]\n\"N*-0\" = \"fixed\"\n";
  std::string wind;
  for (int z = 0; z <= nz; ++z) {
    for (int y = 0; y <= ny; ++y) {
      for (int x = 0; x <= nx; ++x) {
        text += fmt::format("{} = [{}, {}, {}]\n", node(x, y, z), 6 * x, 6 * y, 3.5 * z);
        if (z == 0) continue;
        members += fmt::format("C{0}-{1}-{2} = [\"{3}\", \"{4}\"]\n", x, y, z, node(x, y, z - 1),
                               node(x, y, z));
        if (x > 0)
          members += fmt::format("X{}-{}-{} = [\"{}\", \"{}\"]\n", x, y, z, node(x - 1, y, z),
                                 node(x, y, z));
        if (y > 0)
          members += fmt::format("Y{}-{}-{} = [\"{}\", \"{}\"]\n", x, y, z, node(x, y - 1, z),
                                 node(x, y, z));
      }
    }
  }
  text += members + supports;
  text +=
      "[loads.G]\naction = \"dead\"\nself_weight = 1\nmembers = [ { on = [\"X*\", \"Y*\"], qz = -8 "
      "} ]\n"
      "[loads.W]\naction = \"wind\"\nnodes = [ { on = \"N0-*\", fx = 6 } ]\n[combinations]\n";
  for (int i = 1; i <= combinations; ++i) {
    text += fmt::format("U{} = {{ G = {}, W = {} }}\n", i, 1.0 + 0.04 * i, 1.5 - 0.3 * i);
  }
  return text;
}

}  // namespace ulterix::bench
