#pragma once

#include <string>

namespace ulterix::bench {

/// A regular rigid-jointed space frame of nx × ny bays and nz storeys: model file text. Columns
/// HEB 400, girders IPE 400, gravity on the girders and wind on one face, `combinations` of both.
std::string building(int nx, int ny, int nz, int combinations);

}  // namespace ulterix::bench
