#pragma once

#include "read/reading.hpp"

namespace ulterix {

/// A whole number from 1 to `most`; "auto" and nothing leave the target as it is.
void read_count(Reading& r, const Value& t, std::string_view key, const std::string& who,
                int& target, int most = 1000000);
void read_flag(Reading& r, const Value& t, const char* key, const std::string& who, bool& flag);
/// What stays; what grows (`scaled`) becomes the loads of the analysis.
std::optional<LoadSet> read_constant_and_scaled(Reading& r, const Value& t, const std::string& who,
                                                AnalysisSpec& spec);
void read_large_displacement_keys(Reading& r, const Value& t, const std::string& who,
                                  AnalysisSpec& spec);

void read_staged_keys(Reading& r, const Value& t, Location at, const std::string& who,
                      AnalysisSpec& spec);
/// The same stages at once each: what a staged analysis is set beside.
AnalysisSpec at_once(const AnalysisSpec& staged);

}  // namespace ulterix
