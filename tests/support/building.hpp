#pragma once

#include "support/frame_builder.hpp"

namespace ulterix::testing {

/// n x n columns in `storeys` storeys, rigid joints, the same section everywhere, weight at every
/// node and wind along x on one face.
struct Building {
  FrameBuilder b{Plane::space};
  std::vector<NodeId> nodes;  ///< storey by storey

  Building(int n, int storeys, double wind) {
    const MaterialId steel = b.material(210e9, 81e9, 7850);
    SectionProperties p = bending_only(8e-5, 1.2e-2);
    p.J = 1e-6;
    const SectionId s = b.section(p);
    const auto at = [&](int i, int j, int k) { return nodes[(k * n + j) * n + i]; };
    for (int z = 0; z <= storeys; ++z) {
      for (int y = 0; y < n; ++y) {
        for (int x = 0; x < n; ++x) {
          nodes.push_back(b.node("n", 6 * x, 6 * y, 3.5 * z));
          if (z == 0) {
            b.fix_all(nodes.back());
            continue;
          }
          b.member("c", at(x, y, z - 1), at(x, y, z), s, steel);
          if (x > 0) b.member("x", at(x - 1, y, z), at(x, y, z), s, steel);
          if (y > 0) b.member("y", at(x, y - 1, z), at(x, y, z), s, steel);
          b.nodal_load(nodes.back(), force6(x == 0 ? wind : 0, 0, -1.2e5));
        }
      }
    }
  }
};

}  // namespace ulterix::testing
