#pragma once

#include <variant>

#include "core/results/step.hpp"

namespace ulterix {

/// Where the nodes start from (global offsets, m): a mode or displacements of an earlier analysis,
/// scaled as asked; or in words why there is no such shape. `loads`: of the set that is analysed.
std::variant<IndexedVector<NodeId, Vector3d>, std::string> start_offsets(
    const Model& model, const StartShape& shape, const std::string& loads,
    const std::vector<Step>& steps);

}  // namespace ulterix
