#include "units/printable.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdint>

namespace ulterix {

namespace {

/// Length of the character at the front; 0 where there is none that may be printed.
std::size_t printable_length(std::string_view text) {
  const auto byte = [&text](std::size_t i) { return static_cast<unsigned char>(text[i]); };
  const unsigned char first = byte(0);
  if (first < 0x80) return first >= 0x20 && first != 0x7F ? 1 : 0;
  const std::size_t length = first >= 0xF0 ? 4 : first >= 0xE0 ? 3 : first >= 0xC2 ? 2 : 0;
  if (length == 0 || first > 0xF4 || text.size() < length) return 0;
  std::uint32_t code = first & (0x7FU >> length);
  for (std::size_t i = 1; i < length; ++i) {
    if ((byte(i) & 0xC0) != 0x80) return 0;
    code = code << 6 | (byte(i) & 0x3FU);
  }
  constexpr std::array<std::uint32_t, 5> kLeast = {0, 0, 0x80, 0x800, 0x10000};
  const bool control = code < 0xA0;
  const bool surrogate = code >= 0xD800 && code < 0xE000;
  // Marks that turn the direction of writing would hide what a name is.
  const bool turns = (code >= 0x202A && code <= 0x202E) || (code >= 0x2066 && code <= 0x2069);
  const bool none = (code & 0xFFFE) == 0xFFFE || (code >= 0xFDD0 && code < 0xFDF0);
  if (code < kLeast[length] || code > 0x10FFFF || control || surrogate || turns || none) return 0;
  return length;
}

}  // namespace

bool is_printable(std::string_view text) {
  while (!text.empty()) {
    const std::size_t length = printable_length(text);
    if (length == 0) return false;
    text.remove_prefix(length);
  }
  return true;
}

std::string printable(std::string_view text) {
  std::string result;
  while (!text.empty()) {
    const std::size_t length = printable_length(text);
    if (length > 0) {
      result += text.substr(0, length);
    } else {
      result += fmt::format("\\x{:02x}", static_cast<unsigned char>(text[0]));
    }
    text.remove_prefix(std::max<std::size_t>(length, 1));
  }
  return result;
}

}  // namespace ulterix
