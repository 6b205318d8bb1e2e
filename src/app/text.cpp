#include "app/text.hpp"

#include <fmt/format.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <sstream>

namespace ulterix {

std::size_t display_width(const std::string& text) {
  return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), [](char c) {
    return (static_cast<unsigned char>(c) & 0xC0) != 0x80;
  }));
}

std::string TextTable::print(int indent) const {
  std::vector<std::size_t> widths(columns_.size(), 0);
  for (const auto& row : rows_) {
    for (std::size_t i = 0; i < row.size() && i < widths.size(); ++i) {
      widths[i] = std::max(widths[i], display_width(row[i]));
    }
  }
  std::string text;
  for (const auto& row : rows_) {
    std::string line(static_cast<std::size_t>(indent), ' ');
    for (std::size_t i = 0; i < row.size() && i < widths.size(); ++i) {
      const std::string pad(widths[i] - display_width(row[i]), ' ');
      if (i > 0) line += "  ";
      line += columns_[i] == Align::right ? pad + row[i] : row[i] + pad;
    }
    line.erase(line.find_last_not_of(' ') + 1);
    text += line + '\n';
  }
  return text;
}

std::string wrapped(const std::string& text, int width, int indent) {
  std::istringstream words(text);
  std::string word, result;
  // The first line keeps the spaces it starts with, and all later ones between words become one.
  std::string line = text.substr(0, std::min(text.find_first_not_of(' '), text.size()));
  bool empty = true;
  const auto limit = static_cast<std::size_t>(width);
  while (words >> word) {
    if (!empty && display_width(line) + 1 + display_width(word) > limit) {
      result += line + '\n';
      line = std::string(static_cast<std::size_t>(indent), ' ') + word;
    } else {
      line += empty ? word : " " + word;
    }
    empty = false;
  }
  return result + line;
}

int terminal_width() {
  int width = 100;
  winsize size{};
  if (const char* columns = std::getenv("COLUMNS")) {
    width = std::atoi(columns);
  } else if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 0) {
    width = size.ws_col;
  }
  return std::clamp(width, 60, 120);
}

}  // namespace ulterix
