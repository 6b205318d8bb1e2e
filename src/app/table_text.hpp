#pragma once

#include <string>

#include "app/results_input.hpp"

namespace ulterix {

enum class TableFormat { text, csv, spreadsheet, json };

/// Reads `--format`; throws CallError with the words allowed.
TableFormat parse_table_format(const std::string& word);

/// What `--format` may be, for help pages.
inline constexpr const char* kTableFormats =
    "text, csv, spreadsheet (csv without formulas in text cells) or json";

/// A table as text for people lines its columns up, numbers to five digits, and leaves out columns
/// without a value other than 0, which it names below; the others leave nothing out.
std::string table_text(const StoredTable& table, TableFormat format);

}  // namespace ulterix
