#pragma once

#include <string>

#include "core/model/situation.hpp"
#include "read/model_file.hpp"

namespace ulterix {

/// The text of a model file with its nodes where a situation has them and the section axes turned
/// with them, without start shapes: what runs to the same digits. Throws std::runtime_error where
/// it cannot be written. `heading`: a comment at its top.
std::string imperfect_model(const ModelFile& file, const Situation& situation,
                            const std::string& heading);

}  // namespace ulterix
