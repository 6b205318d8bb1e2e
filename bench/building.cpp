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

std::string hall(int frames, const std::string& kind_of_rods) {
  constexpr int kBays = 6, kStoreys = 4;
  std::string text = "title = \"hall\"\n";
  text +=
      "[materials]\nS355 = { E = \"210 GPa\", density = \"7850 kg/m^3\" }\n"
      "[sections]\ncol = { shape = \"HEB 300\" }\ngirder = { shape = \"IPE 400\" }\n"
      "strut = { shape = \"pipe\", d = \"139.7 mm\", t = \"6 mm\" }\n"
      "rod = { shape = \"circle\", d = \"24 mm\" }\n"
      "[defaults]\nmaterial = \"S355\"\nsection = \"girder\"\n\"C*\" = { section = \"col\" }\n"
      "\"S*\" = { section = \"strut\", kind = \"axial\" }\n";
  text += fmt::format("\"T*\" = {{ section = \"rod\", kind = \"{}\" }}\n[nodes]\n", kind_of_rods);
  std::string members = "[members]\n";
  int rods = 0;
  const auto add = [&members](const std::string& name, const std::string& a, const std::string& b) {
    members += fmt::format("{} = [\"{}\", \"{}\"]\n", name, a, b);
  };
  for (int y = 0; y < frames; ++y) {
    const bool braced = y % 3 == 1;
    for (int x = 0; x <= kBays; ++x) {
      for (int z = 0; z <= kStoreys; ++z) {
        text += fmt::format("{} = [{}, {}, {}]\n", node(x, y, z), 6 * x, 6 * y, 4 * z);
        if (z == 0) continue;
        const std::string place = fmt::format("{}-{}-{}", x, y, z);
        add("C" + place, node(x, y, z - 1), node(x, y, z));
        if (x > 0) add("G" + place, node(x - 1, y, z), node(x, y, z));
        if (y > 0) add("S" + place, node(x, y - 1, z), node(x, y, z));
        if (braced && x % 3 == 0) {
          add(fmt::format("T{}", ++rods), node(x, y - 1, z - 1), node(x, y, z));
          add(fmt::format("T{}", ++rods), node(x, y, z - 1), node(x, y - 1, z));
        }
        if (braced && x > 0 && z == kStoreys) {
          add(fmt::format("T{}", ++rods), node(x - 1, y - 1, z), node(x, y, z));
          add(fmt::format("T{}", ++rods), node(x, y - 1, z), node(x - 1, y, z));
        }
      }
    }
  }
  text += members + "[supports]\n\"N*-0\" = \"pinned\"\n";
  text +=
      "[loads.G]\nself_weight = 1\nmembers = [ { on = \"G*\", qz = -12 } ]\n"
      "[loads.W]\nnodes = [ { on = \"N*-0-*\", fy = 12 } ]\n"
      "[loads.V]\nnodes = [ { on = \"N0-*\", fx = 6 } ]\n[combinations]\n";
  for (int i = 0; i < 10; ++i) {
    text += fmt::format("U{} = {{ G = {}, W = {}, V = {}, notional = {{ y = 0.003 }} }}\n", i + 1,
                        1 + 0.03 * i, 1.5 - 0.3 * i, 0.1 * i);
  }
  return text + "[analyses.p-delta]\nkind = \"p-delta\"\n";
}

}  // namespace ulterix::bench
