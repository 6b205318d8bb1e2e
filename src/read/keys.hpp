#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "units/quantity.hpp"

namespace ulterix {

/// One key of the model file. The reader, its messages and the docs come from this table.
struct Key {
  std::string_view table;  ///< "material", "member", … : the kind of table it stands in
  std::string_view name;
  Quantity quantity;          ///< of a bare number; Quantity::number for anything else
  std::string_view fallback;  ///< what holds when it is left out; "" if nothing or required
  std::string_view doc;
  bool supported;  ///< false: refused as "not supported yet"
};

std::span<const Key> all_keys();

/// nullptr if the table has no such key.
const Key* find_key(std::string_view table, std::string_view name);

/// The kinds of analysis that a key of an analysis belongs to; empty: all.
std::vector<std::string_view> kinds_of_key(std::string_view name);

/// Names of the supported keys of a table, for suggestions.
std::vector<std::string> key_names(std::string_view table);

/// The keys as a Markdown page (docs/keys.md).
std::string keys_as_markdown();

}  // namespace ulterix
