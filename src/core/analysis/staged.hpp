#pragma once

#include "core/analysis/elastic_frame.hpp"

namespace ulterix {

/// Name of the analysis that a staged one is set beside.
std::string at_once_name(const std::string& staged);

/// True of erections with finite motion, which all of their stages have.
bool has_finite_motion(const StagedKeys& keys);

/// A frame that grows, stage by stage: one step a stage, each in equilibrium with all loads so far.
/// New members are built in without force between the places that their nodes have then; supports
/// that arrive hold their nodes where they are; struck members hand their forces to the rest. With
/// `at_once`: the frame of each stage under all of its loads, as if it had never been in stages.
/// One-way items act one way, and cables hang. `whole`: the frame of all members, for its order of
/// elimination, which serves every stage.
std::vector<Step> staged(const ElasticFrame& whole, const AnalysisSpec& spec,
                         const Progress& progress = {});

/// Large displacement from where a stage of finite motion ends: its loads stay, those of each set
/// in spec.loads grow. The stages before are followed again, in the same pieces.
std::vector<Step> large_displacement_after(const ElasticFrame& whole, const AnalysisSpec& erection,
                                           std::size_t stage, const AnalysisSpec& spec,
                                           const Progress& progress = {});

}  // namespace ulterix
