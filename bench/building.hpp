#pragma once

#include <string>

namespace ulterix::bench {

/// A regular rigid-jointed space frame of nx × ny bays and nz storeys: model file text. Columns
/// HEB 400, girders IPE 400, gravity on the girders and wind on one face, `combinations` of both.
std::string building(int nx, int ny, int nz, int combinations);

/// A hall of `frames` rigid frames in a row, six bays of four storeys each, struts between them,
/// and crossed rods in three walls and the roof of every third bay: members of the kind given.
/// Loads along and across, ten combinations, P-Delta.
std::string hall(int frames, const std::string& kind_of_rods);

}  // namespace ulterix::bench
