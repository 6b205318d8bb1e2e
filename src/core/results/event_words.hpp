#pragma once

#include <string>

#include "core/results/step.hpp"

namespace ulterix {

/// "X1 slack", "A0.uz lifted", "K2 breaks".
std::string event_words(const Model& model, const ItemEvent& event);
/// The same of a point of a path, limit and branch points too; "" where nothing happens.
std::string event_words(const Model& model, const PathPoint& point);

}  // namespace ulterix
