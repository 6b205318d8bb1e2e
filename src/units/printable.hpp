#pragma once

#include <string>
#include <string_view>

namespace ulterix {

/// True for UTF-8 text without control characters and without code points that are no characters
/// (U+FFFE, U+FFFF, surrogates), which terminals obey and XML does not hold.
bool is_printable(std::string_view text);

/// The text with what is not printable written as \xNN.
std::string printable(std::string_view text);

}  // namespace ulterix
