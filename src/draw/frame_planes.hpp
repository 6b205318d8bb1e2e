#pragma once

#include <string>
#include <vector>

#include "core/model/model.hpp"
#include "draw/view.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// A vertical plane of a space frame, or a floor: what an engineer reads at a time.
struct FramePlane {
  std::string name;               ///< "y = 12 m", "z = 7.2 m", "A1 to C1" where it is skew
  Vector3d normal;                ///< unit
  double offset = 0;              ///< normal·position of its points, m
  bool floor = false;             ///< across the vertical
  std::vector<MemberId> members;  ///< both ends of them lie in it

  /// Seen from the front of it: x to the right, or y where it is across x.
  ViewDirection view(const Model& model) const;
};

/// The planes that hold members in more than one direction, vertical ones first, each kind by
/// rising offset; names in the units of length given. Empty for a plane frame.
std::vector<FramePlane> find_planes(const Model& model, const UnitSystem& units);

/// The plane that shows a member best: of those that hold it the one with most members, a vertical
/// one before a floor; nullptr if none holds it.
const FramePlane* plane_of(const std::vector<FramePlane>& planes, MemberId member);

/// A plane by its name, spaces and unit left out as one likes ("y=12"); nullptr if there is none.
const FramePlane* find_plane(const std::vector<FramePlane>& planes, const std::string& name);

}  // namespace ulterix
