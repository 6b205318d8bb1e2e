#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/model/section.hpp"

namespace ulterix {

/// A rolled shape as the catalogue lists it; dimensions in m, mass in kg/m from the designation.
struct CatalogueShape {
  std::string designation;
  Shape shape = Shape::i_section;
  Dimensions dimensions;
  double mass = 0;
};

/// All shapes that are shipped, in catalogue order.
const std::vector<CatalogueShape>& catalogue();

/// Finds "HEB 240"; spaces and case do not matter. nullptr if there is none.
const CatalogueShape* find_shape(std::string_view designation);

}  // namespace ulterix
