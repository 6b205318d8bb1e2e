#pragma once

#include <optional>
#include <string>
#include <vector>

#include "units/for_people.hpp"

namespace ulterix {

enum class Align { left, right };

/// Columns lined up by their widest cell: text left, numbers right.
class TextTable {
 public:
  explicit TextTable(std::vector<Align> columns) : columns_(std::move(columns)) {}
  void add(std::vector<std::string> cells) { rows_.push_back(std::move(cells)); }
  /// `indent` spaces before, two between columns.
  std::string print(int indent = 1) const;

 private:
  std::vector<Align> columns_;
  std::vector<std::vector<std::string>> rows_;
};

/// Breaks text at spaces to the width, further lines indented.
std::string wrapped(const std::string& text, int width, int indent);

/// A ratio to first-order with two decimals, "-" where there is none.
std::string ratio_text(const std::optional<double>& ratio);

/// How the program was called; commands that it prints can then be pasted.
void set_program_name(const std::string& name);
/// The text with every `ulterix ` of a command as the program was called.
std::string as_called(const std::string& text);

/// Width of the terminal (or of COLUMNS), between 60 and 120.
int terminal_width();

/// Number of characters on the screen (UTF-8 code points).
std::size_t display_width(const std::string& text);

}  // namespace ulterix
