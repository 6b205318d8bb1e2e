#pragma once

#include <string>

namespace ulterix {

/// Appends a finite number as the shortest text that reads back to the same double, in the shorter
/// of both notations, as std::to_chars does (which takes three times as long); −0 as 0.
void append_number(std::string& text, double value);

}  // namespace ulterix
