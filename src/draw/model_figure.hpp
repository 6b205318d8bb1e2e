#pragma once

#include <string>

#include "core/model/model.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// The model as read: members with their local axes, names, supports, hinges. The format follows
/// the ending of the path.
void draw_model(const Model& model, const UnitSystem& units, const std::string& path);

}  // namespace ulterix
