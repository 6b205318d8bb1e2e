#include "write/json.hpp"

#include <nlohmann/json.hpp>

namespace ulterix {

namespace {

using nlohmann::ordered_json;

ordered_json value_of_cell(const Cell& cell) {
  if (const auto* text = std::get_if<std::string>(&cell)) return *text;
  if (const auto* whole = std::get_if<std::int64_t>(&cell)) return *whole;
  if (const auto* real = std::get_if<double>(&cell)) return *real;
  return nullptr;
}

}  // namespace

std::string table_as_json(const StoredTable& table) {
  ordered_json j;
  j["program"] = "ulterix";
  j["layout"] = kJsonLayout;
  j["table"] = table.spec != nullptr ? std::string(table.spec->name) : "";
  std::vector<std::string> names;
  for (const std::string& head : table.header) {
    const auto open = head.find('[');
    names.push_back(head.substr(0, open));
    const std::string unit =
        open == std::string::npos ? "" : head.substr(open + 1, head.size() - open - 2);
    j["columns"].push_back({{"name", names.back()}, {"unit", unit}});
  }
  j["rows"] = ordered_json::array();
  for (const auto& row : table.rows) {
    ordered_json r;
    for (std::size_t i = 0; i < row.size(); ++i) r[names[i]] = value_of_cell(row[i]);
    j["rows"].push_back(r);
  }
  return j.dump(1, ' ', false, ordered_json::error_handler_t::replace) + "\n";
}

}  // namespace ulterix
