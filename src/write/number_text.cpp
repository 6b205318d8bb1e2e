#include "write/number_text.hpp"

#include <fmt/format.h>

#include <array>
#include <charconv>
#include <cmath>
#include <cstdint>
#include <cstring>

namespace ulterix {

namespace {

constexpr std::uint32_t kEight = 100'000'000;
constexpr int kMostDigits = 17;

constexpr std::array<char, 200> pairs_of_digits() {
  std::array<char, 200> pairs{};
  for (std::size_t i = 0; i < 100; ++i) {
    pairs[2 * i] = char('0' + i / 10);
    pairs[2 * i + 1] = char('0' + i % 10);
  }
  return pairs;
}
constexpr std::array<char, 200> kPairs = pairs_of_digits();

void put_pair(char* to, std::uint32_t value) {
  std::memcpy(to, &kPairs[std::size_t{2} * value], 2);
}

/// All eight digits of a number below 10⁸.
void put_eight(char* to, std::uint32_t value) {
  const std::uint32_t high = value / 10'000, low = value % 10'000;
  put_pair(to, high / 100);
  put_pair(to + 2, high % 100);
  put_pair(to + 4, low / 100);
  put_pair(to + 6, low % 100);
}

char* copy(char* to, const char* from, int count) {
  std::memcpy(to, from, std::size_t(count));
  return to + count;
}

char* zeros(char* to, int count) {
  std::memset(to, '0', std::size_t(count));
  return to + count;
}

/// `digits` with the decimal point behind the first `point` of them.
char* put_fixed(char* to, const char* digits, int count, int point) {
  if (point >= count) return zeros(copy(to, digits, count), point - count);
  if (point > 0) {
    to = copy(to, digits, point);
    *to++ = '.';
    return copy(to, digits + point, count - point);
  }
  to = copy(to, "0.", 2);
  return copy(zeros(to, -point), digits, count);
}

/// One digit before the point.
char* put_scientific(char* to, const char* digits, int count, int exponent) {
  *to++ = digits[0];
  if (count > 1) {
    *to++ = '.';
    to = copy(to, digits + 1, count - 1);
  }
  *to++ = 'e';
  *to++ = exponent < 0 ? '-' : '+';
  const auto size = static_cast<std::uint32_t>(std::abs(exponent));
  if (size >= 100) *to++ = char('0' + size / 100);
  put_pair(to, size % 100);
  return to + 2;
}

int length_fixed(int count, int point) {
  if (point <= 0) return 2 - point + count;
  return point >= count ? point : count + 1;
}

int length_scientific(int count, int exponent) {
  return count + (count > 1 ? 1 : 0) + (std::abs(exponent) < 100 ? 4 : 5);
}

}  // namespace

void append_number(std::string& text, double value) {
  std::array<char, 40> room;
  char* end = room.data();
  if (value == 0) {
    text += '0';
    return;
  }
  constexpr double kLargestWithAllDigits = 1e15;
  if (std::abs(value) >= kLargestWithAllDigits) {  // there fixed text has digits, not zeros
    end = std::to_chars(room.data(), room.data() + room.size(), value).ptr;
    text.append(room.data(), end);
    return;
  }
  const auto decimal = fmt::detail::dragonbox::to_decimal(std::abs(value));
  const std::uint64_t lower = decimal.significand % (std::uint64_t{kEight} * kEight);
  std::array<char, kMostDigits> digits;
  digits[0] = char('0' + decimal.significand / (std::uint64_t{kEight} * kEight));
  put_eight(&digits[1], std::uint32_t(lower / kEight));
  put_eight(&digits[9], std::uint32_t(lower % kEight));
  int first = 0;
  while (digits[std::size_t(first)] == '0') ++first;
  const int count = kMostDigits - first, point = count + decimal.exponent;
  if (value < 0) *end++ = '-';
  const char* start = digits.data() + first;
  end = length_scientific(count, point - 1) < length_fixed(count, point)
            ? put_scientific(end, start, count, point - 1)
            : put_fixed(end, start, count, point);
  text.append(room.data(), end);
}

}  // namespace ulterix
