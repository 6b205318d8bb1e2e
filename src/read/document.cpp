#include "read/document.hpp"

// The parser asserts (or, without assertions, lets the compiler assume) what a hostile text such as
// "[%" breaks, and complains of it properly a few lines later: its assertions are switched off.
#undef NDEBUG
#define TOML_ASSERT(expression) static_assert(true)
#include <toml++/toml.h>

#include <algorithm>
#include <optional>
#include <string>

namespace ulterix {

namespace {

Location location_of(const toml::source_region& source) {
  return {static_cast<int>(source.begin.line), static_cast<int>(source.begin.column)};
}

Value convert(const toml::node& node);

void convert_table(const toml::table& table, Value& value) {
  value.kind = Value::Kind::table;
  value.inline_table = table.is_inline();
  for (const auto& [key, node] : table) {
    value.entries.push_back({std::string(key.str()), location_of(key.source()), convert(node)});
  }
  // toml++ sorts keys by name; the file's order is the order of every table.
  std::stable_sort(value.entries.begin(), value.entries.end(), [](const Entry& a, const Entry& b) {
    return std::pair(a.at.line, a.at.column) < std::pair(b.at.line, b.at.column);
  });
}

Value convert(const toml::node& node) {
  Value value;
  value.at = location_of(node.source());
  if (const auto* table = node.as_table()) {
    convert_table(*table, value);
  } else if (const auto* array = node.as_array()) {
    value.kind = Value::Kind::array;
    for (const toml::node& item : *array) value.items.push_back(convert(item));
  } else if (const auto* text = node.as_string()) {
    value.kind = Value::Kind::text;
    value.text = text->get();
  } else if (const auto* flag = node.as_boolean()) {
    value.kind = Value::Kind::boolean;
    value.boolean = flag->get();
  } else if (const auto* integer = node.as_integer()) {
    value.kind = Value::Kind::number;
    value.number = static_cast<double>(integer->get());
    value.integer = true;
  } else if (const auto* real = node.as_floating_point()) {
    value.kind = Value::Kind::number;
    value.number = real->get();
  }
  return value;
}

/// The parser's words with what the engineer can do about it.
std::string in_our_words(std::string_view description) {
  std::string words(description);
  constexpr std::string_view kStart = "Error while parsing ";
  if (words.starts_with(kStart)) words = "in a " + words.substr(kStart.size());
  if (words.find("dotted key") != std::string::npos)
    words += "; a name with a dot must stand in quotes";
  return words + "; nothing below this line was read";
}

}  // namespace

const Value* Value::find(std::string_view key) const {
  for (const Entry& entry : entries) {
    if (entry.key == key) return &entry.value;
  }
  return nullptr;
}

namespace {

/// More parts of one key than this are no model; the parser would nest a table for each.
constexpr int kMostParts = 64;

/// Walks through TOML text far enough to tell strings and comments from the rest.
class KeyScanner {
 public:
  explicit KeyScanner(std::string_view text) : text_(text) {}

  /// Where a key has too many parts; nothing where none has.
  std::optional<Location> too_deep() {
    int parts = 0;
    while (at_ < text_.size()) {
      const char c = text_[at_];
      if (c == '"' || c == '\'') {
        skip_string(c);
        continue;
      }
      if (c == '#') {
        skip_to("\n");
        continue;
      }
      if (c == '.' && ++parts >= kMostParts) return place();
      if (std::string_view("\n=,[]{}").find(c) != std::string_view::npos) parts = 0;
      ++at_;
    }
    return std::nullopt;
  }

 private:
  void skip_to(std::string_view end) {
    at_ = text_.find(end, at_);
    if (at_ == std::string_view::npos) at_ = text_.size();
  }

  void skip_string(char quote) {
    const std::string three(3, quote);
    const bool lines = text_.substr(at_).starts_with(three);
    const std::string end = lines ? three : std::string(1, quote);
    at_ += end.size();
    while (at_ < text_.size() && !text_.substr(at_).starts_with(end)) {
      if (!lines && text_[at_] == '\n') return;
      at_ += quote == '"' && text_[at_] == '\\' ? 2 : 1;
    }
    at_ = std::min(at_ + end.size(), text_.size());
  }

  Location place() const {
    const std::string_view before = text_.substr(0, at_);
    const auto line = static_cast<int>(std::count(before.begin(), before.end(), '\n')) + 1;
    const std::size_t start = before.rfind('\n');
    return {line, static_cast<int>(at_ - (start == std::string_view::npos ? 0 : start + 1)) + 1};
  }

  std::string_view text_;
  std::size_t at_ = 0;
};

}  // namespace

ParsedDocument parse_document(std::string_view text) {
  ParsedDocument result;
  if (const auto at = KeyScanner(text).too_deep()) {
    result.complaints.push_back(
        {*at, "a key with more than " + std::to_string(kMostParts) + " parts; nothing was read"});
    return result;
  }
  try {
    const toml::table table = toml::parse(text, std::string_view("model"));
    convert_table(table, result.root);
  } catch (const toml::parse_error& error) {
    result.complaints.push_back({location_of(error.source()), in_our_words(error.description())});
  }
  return result;
}

}  // namespace ulterix
