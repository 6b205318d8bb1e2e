#include "read/catalogue.hpp"

#include <cctype>
#include <charconv>

#include "read/catalogue_data.hpp"

namespace ulterix {

namespace {

std::string folded(std::string_view text) {
  std::string result;
  for (const char c : text) {
    if (c != ' ') result += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  }
  return result;
}

std::string_view next_field(std::string_view& line) {
  const auto comma = line.find(',');
  const std::string_view field = line.substr(0, comma);
  line = comma == std::string_view::npos ? "" : line.substr(comma + 1);
  return field;
}

double next_number(std::string_view& line) {
  const std::string_view field = next_field(line);
  double value = 0;
  std::from_chars(field.data(), field.data() + field.size(), value);
  return value;
}

std::vector<CatalogueShape> read_catalogue(std::string_view text) {
  std::vector<CatalogueShape> shapes;
  bool header_seen = false;
  while (!text.empty()) {
    const auto end = text.find('\n');
    std::string_view line = text.substr(0, end);
    text = end == std::string_view::npos ? "" : text.substr(end + 1);
    if (line.empty() || line.front() == '#') continue;
    if (!header_seen) {
      header_seen = true;
      continue;
    }
    CatalogueShape shape;
    shape.designation = next_field(line);
    Dimensions& d = shape.dimensions;
    for (double* dimension : {&d.h, &d.b, &d.tw, &d.tf, &d.r})
      *dimension = next_number(line) * 1e-3;
    shape.mass = next_number(line);
    shapes.push_back(shape);
  }
  return shapes;
}

}  // namespace

const std::vector<CatalogueShape>& catalogue() {
  static const std::vector<CatalogueShape> shapes = read_catalogue(kEuropeanISections);
  return shapes;
}

const CatalogueShape* find_shape(std::string_view designation) {
  const std::string wanted = folded(designation);
  for (const CatalogueShape& shape : catalogue()) {
    if (folded(shape.designation) == wanted) return &shape;
  }
  return nullptr;
}

}  // namespace ulterix
