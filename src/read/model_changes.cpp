#include "read/model_changes.hpp"

#include <fmt/format.h>

#include <unordered_map>

#include "read/document.hpp"

namespace ulterix {

namespace {

std::string as_text(const Value& value) {
  switch (value.kind) {
    case Value::Kind::boolean:
      return value.boolean ? "true" : "false";
    case Value::Kind::number:
      return fmt::format("{}", value.number);
    case Value::Kind::text:
      return value.text;
    case Value::Kind::array: {
      std::vector<std::string> items;
      for (const Value& item : value.items) items.push_back(as_text(item));
      return fmt::format("[{}]", fmt::join(items, ", "));
    }
    case Value::Kind::table: {
      std::vector<std::string> entries;
      for (const Entry& e : value.entries) {
        entries.push_back(fmt::format("{} = {}", e.key, as_text(e.value)));
      }
      return fmt::format("{{ {} }}", fmt::join(entries, ", "));
    }
    case Value::Kind::other:
      break;
  }
  return "?";
}

using Leaf = std::pair<std::string, std::string>;

/// Every key that is no table, with its whole path.
void flatten(const Value& table, const std::string& path, std::vector<Leaf>& leaves) {
  for (const Entry& entry : table.entries) {
    const std::string key = path.empty() ? entry.key : path + "." + entry.key;
    if (entry.value.is_table()) {
      flatten(entry.value, key, leaves);
    } else {
      leaves.emplace_back(key, as_text(entry.value));
    }
  }
}

std::vector<Leaf> leaves_of(const std::string& text) {
  std::vector<Leaf> leaves;
  flatten(parse_document(text).root, "", leaves);
  return leaves;
}

}  // namespace

std::vector<KeyChange> model_changes(const std::string& before, const std::string& after) {
  const std::vector<Leaf> old_leaves = leaves_of(before), new_leaves = leaves_of(after);
  const std::unordered_map<std::string, std::string> now(new_leaves.begin(), new_leaves.end());
  const std::unordered_map<std::string, std::string> then(old_leaves.begin(), old_leaves.end());
  std::vector<KeyChange> changes;
  for (const auto& [key, value] : old_leaves) {
    const auto found = now.find(key);
    if (found == now.end()) {
      changes.push_back({key, value, ""});
    } else if (found->second != value) {
      changes.push_back({key, value, found->second});
    }
  }
  for (const auto& [key, value] : new_leaves) {
    if (!then.contains(key)) changes.push_back({key, "", value});
  }
  return changes;
}

}  // namespace ulterix
