#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ulterix {

/// A column as a deflated (zlib) list of its bytes, the first bytes of all values first, which
/// makes alike bytes neighbours. Little-endian, as the machines that this runs on.
std::string pack(const std::vector<double>& column);
std::string pack(const std::vector<std::int32_t>& column);

/// The column of `rows` values back; empty if the bytes are not those of such a column.
std::optional<std::vector<double>> unpack_reals(std::string_view packed, std::size_t rows);
std::optional<std::vector<std::int32_t>> unpack_integers(std::string_view packed, std::size_t rows);

}  // namespace ulterix
