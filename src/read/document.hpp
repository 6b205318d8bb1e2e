#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace ulterix {

/// A place in the model file, counted from 1; 0: not in the file.
struct Location {
  int line = 0, column = 0;
};

struct Entry;

/// A parsed TOML value with its place. Tables keep the order of the file.
struct Value {
  enum class Kind { boolean, number, text, array, table, other };
  Kind kind = Kind::other;
  Location at;
  bool boolean = false;
  double number = 0;
  bool integer = false;
  std::string text;
  std::vector<Value> items;    ///< array
  std::vector<Entry> entries;  ///< table
  bool inline_table = false;   ///< { … } rather than a header or dotted keys

  const Value* find(std::string_view key) const;
  bool is_text() const { return kind == Kind::text; }
  bool is_number() const { return kind == Kind::number; }
  bool is_array() const { return kind == Kind::array; }
  bool is_table() const { return kind == Kind::table; }
};

struct Entry {
  std::string key;
  Location at;
  Value value;
};

/// What is wrong at a place of the file, in words.
struct Complaint {
  Location at;
  std::string words;
};

/// Parses TOML 1.0; on a syntax error or a duplicate key, which stop the parser, the one complaint.
struct ParsedDocument {
  Value root;
  std::vector<Complaint> complaints;
};
ParsedDocument parse_document(std::string_view text);

}  // namespace ulterix
