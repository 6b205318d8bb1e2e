#include "app/text.hpp"

#include <fmt/format.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>

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
  const auto limit = static_cast<std::size_t>(width);
  std::string result, line;
  for (std::size_t at = 0; at < text.size();) {
    // The next word with the spaces before it, which stay where the line is not broken.
    const std::size_t start = std::min(text.find_first_not_of(' ', at), text.size());
    const std::size_t end = std::min(text.find(' ', start), text.size());
    const bool empty = line.find_first_not_of(' ') == std::string::npos;
    if (!empty && display_width(line) + display_width(text.substr(at, end - at)) > limit) {
      result += line + '\n';
      line = std::string(static_cast<std::size_t>(indent), ' ');
      at = start;
    }
    line += text.substr(at, end - at);
    at = end;
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

std::string ratio_text(const std::optional<double>& ratio) {
  return ratio ? fmt::format("{:.2f}", *ratio) : "-";
}

namespace {

std::string& program_name() {
  static std::string name = "ulterix";
  return name;
}

}  // namespace

void set_program_name(const std::string& name) {
  program_name() = name;
}

std::string as_called(const std::string& text) {
  static const std::string kName = "ulterix ";
  std::string result;
  std::size_t from = 0;
  for (std::size_t at = text.find(kName); at != std::string::npos; at = text.find(kName, from)) {
    const bool word = at == 0 || text[at - 1] == ' ' || text[at - 1] == '\n';
    result.append(text, from, at - from);
    result += word ? program_name() + " " : kName;
    from = at + kName.size();
  }
  return result.append(text, from);
}

}  // namespace ulterix
