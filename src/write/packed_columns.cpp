#include "write/packed_columns.hpp"

#include <zlib.h>

#include <cstdint>
#include <cstring>
#include <new>

namespace ulterix {

namespace {

/// Of a column read back; more rows than this are no column of ours.
constexpr std::size_t kMostBytes = std::size_t{1} << 32;

template <class Value>
std::string pack_values(const std::vector<Value>& column) {
  const std::size_t rows = column.size();
  std::string planes(rows * sizeof(Value), '\0');
  const char* bytes = reinterpret_cast<const char*>(column.data());
  for (std::size_t b = 0; b < sizeof(Value); ++b) {
    for (std::size_t i = 0; i < rows; ++i) planes[b * rows + i] = bytes[i * sizeof(Value) + b];
  }
  uLongf size = compressBound(planes.size());
  std::string packed(size, '\0');
  const int status =
      compress2(reinterpret_cast<Bytef*>(packed.data()), &size,
                reinterpret_cast<const Bytef*>(planes.data()), planes.size(), Z_BEST_SPEED);
  if (status != Z_OK) throw std::bad_alloc();
  packed.resize(size);
  return packed;
}

template <class Value>
std::optional<std::vector<Value>> unpack_values(std::string_view packed, std::size_t rows) {
  if (rows > kMostBytes / sizeof(Value)) return std::nullopt;
  // zlib packs a thousand to one at best: no more memory than that for a damaged count.
  if (rows * sizeof(Value) > 1100 * (packed.size() + 64)) return std::nullopt;
  std::string planes(rows * sizeof(Value) + 1, '\0');
  uLongf size = planes.size();
  const int status = uncompress(reinterpret_cast<Bytef*>(planes.data()), &size,
                                reinterpret_cast<const Bytef*>(packed.data()), packed.size());
  if (status != Z_OK || size != rows * sizeof(Value)) return std::nullopt;
  std::vector<Value> column(rows);
  char* bytes = reinterpret_cast<char*>(column.data());
  for (std::size_t b = 0; b < sizeof(Value); ++b) {
    for (std::size_t i = 0; i < rows; ++i) bytes[i * sizeof(Value) + b] = planes[b * rows + i];
  }
  return column;
}

}  // namespace

std::string pack(const std::vector<double>& column) {
  return pack_values(column);
}

std::string pack(const std::vector<std::int32_t>& column) {
  return pack_values(column);
}

std::optional<std::vector<double>> unpack_reals(std::string_view packed, std::size_t rows) {
  return unpack_values<double>(packed, rows);
}

std::optional<std::vector<std::int32_t>> unpack_integers(std::string_view packed,
                                                         std::size_t rows) {
  return unpack_values<std::int32_t>(packed, rows);
}

}  // namespace ulterix
