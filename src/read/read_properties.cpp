// The top keys, units, materials and sections.
#include <array>
#include <cmath>

#include "read/catalogue.hpp"
#include "read/name_matching.hpp"
#include "read/reading.hpp"

namespace ulterix {

namespace {

void read_units(Reading& r, const Value& value) {
  const auto use_base = [&r](const Value& v) {
    const auto name = r.text(v, "units");
    if (!name) return;
    if (const auto system = UnitSystem::named(*name)) {
      r.units = *system;
    } else {
      r.complain(v.at, "units: no set \"{}\"{} (there are metric, metric-mm, us-in, us-ft)", *name,
                 did_you_mean(*name, UnitSystem::names()));
    }
  };
  if (value.is_text()) return use_base(value);
  if (!r.is_table(value, "units")) return;
  if (const Value* base = value.find("base")) use_base(*base);
  for (const Entry& entry : value.entries) {
    if (entry.key == "base") continue;
    if (!UnitSystem::can_set(entry.key)) {
      const std::vector<std::string> kinds = {"base",         "length",   "section",  "force",
                                              "moment",       "stress",   "mass",     "density",
                                              "displacement", "rotation", "pressure", "weight"};
      r.complain(entry.at, "units: no kind \"{}\"{}", entry.key, did_you_mean(entry.key, kinds));
      continue;
    }
    const auto unit = r.text(entry.value, "units: " + entry.key);
    if (unit && !r.units.set(entry.key, *unit)) {
      r.complain(entry.value.at, "units: \"{}\" is not a unit of {}", *unit,
                 words_of(UnitSystem::quantity_of_kind(entry.key)));
    }
  }
}

void read_plane(Reading& r, const Value& root) {
  if (const Value* vertical = root.find("vertical")) {
    const auto word = r.text(*vertical, "vertical");
    if (word == "y") r.model.vertical = 1;
    if (word && *word != "y" && *word != "z") {
      r.complain(vertical->at, "vertical: expected \"y\" or \"z\", got \"{}\"", *word);
    }
  }
  const Value* plane = root.find("plane");
  if (plane == nullptr) return;
  const auto word = r.text(*plane, "plane");
  if (!word) return;
  const std::string wanted = r.model.vertical == 2 ? "xz" : "xy";
  if (*word == wanted) {
    r.model.plane = r.model.vertical == 2 ? Plane::xz : Plane::xy;
  } else if (*word != "space") {
    r.complain(plane->at, "plane: with {} vertical a plane frame lies in \"{}\", not \"{}\"",
               kAxisNames[r.model.vertical], wanted, *word);
  }
}

/// Secant modulus of EN 1992-1-1 table 3.1, GPa.
struct ConcreteClass {
  std::string_view name;
  double E;
};
constexpr std::array<ConcreteClass, 14> kConcrete = {{{"C12/15", 27},
                                                      {"C16/20", 29},
                                                      {"C20/25", 30},
                                                      {"C25/30", 31},
                                                      {"C30/37", 33},
                                                      {"C35/45", 34},
                                                      {"C40/50", 35},
                                                      {"C45/55", 36},
                                                      {"C50/60", 37},
                                                      {"C55/67", 38},
                                                      {"C60/75", 39},
                                                      {"C70/85", 41},
                                                      {"C80/95", 42},
                                                      {"C90/105", 44}}};

/// Weight of reinforced concrete, EN 1991-1-1 table A.1: 25 kN/m³.
constexpr double kConcreteWeight = 25e3;

void read_concrete(Reading& r, const Value& value, const std::string& who, Material& m) {
  const auto name = r.text(value, who + ": concrete");
  if (!name) return;
  std::vector<std::string> names;
  for (const ConcreteClass& c : kConcrete) {
    names.emplace_back(c.name);
    if (c.name != *name) continue;
    m.E = c.E * 1e9;
    m.density = kConcreteWeight / r.model.gravity;
    m.alpha = 10e-6;  // EN 1992-1-1, 3.1.3
    m.fck = std::strtod(c.name.data() + 1, nullptr) * 1e6;
    return;
  }
  r.complain(value.at, "{}: no concrete class \"{}\"{}", who, *name, did_you_mean(*name, names));
}

/// ACI 318: E = 57000·√fc, both in psi.
void read_fc(Reading& r, const Value& table, const std::string& who, Material& m) {
  const Value* standard = table.find("standard");
  if (standard == nullptr || standard->text != "ACI 318") {
    r.complain(table.at, "{}: fc needs standard = \"ACI 318\"", who);
    return;
  }
  const double psi = parse_unit("psi")->factor;
  if (const auto fc = r.quantity(table, "fc", Quantity::stress, who)) {
    if (*fc <= 0) return r.complain(table.find("fc")->at, "{}: fc must be above zero", who);
    m.E = 57000 * std::sqrt(*fc / psi) * psi;
    m.fck = *fc;
    m.density = kConcreteWeight / r.model.gravity;
    m.alpha = 10e-6;
  }
}

void read_material(Reading& r, const Entry& entry) {
  const std::string who = "material " + entry.key;
  if (!r.is_table(entry.value, who) || !r.check_keys(entry.value, "material", who)) return;
  const Value& t = entry.value;
  Material m;
  m.name = entry.key;
  m.line = entry.at.line;
  double nu = 0.3;
  if (const Value* concrete = t.find("concrete")) {
    nu = 0.2;  // EN 1992-1-1, 3.1.3
    read_concrete(r, *concrete, who, m);
  }
  if (t.find("fc") != nullptr) {
    nu = 0.2;
    read_fc(r, t, who, m);
  }
  if (const auto E = r.quantity(t, "E", Quantity::stress, who)) m.E = *E;
  if (const auto v = r.quantity(t, "nu", Quantity::number, who)) nu = *v;
  if (nu <= -1 || nu > 0.5) r.complain(t.find("nu")->at, "{}: nu must lie between -1 and 0.5", who);
  m.G = m.E / (2 * (1 + nu));
  if (const auto G = r.quantity(t, "G", Quantity::stress, who)) m.G = *G;
  if (t.find("density") != nullptr && t.find("weight") != nullptr) {
    r.complain(t.find("weight")->at, "{}: density or weight, one of the two", who);
  }
  if (const auto d = r.quantity(t, "density", Quantity::density, who)) m.density = *d;
  if (const auto w = r.quantity(t, "weight", Quantity::weight, who))
    m.density = *w / r.model.gravity;
  if (const auto a = r.quantity(t, "alpha", Quantity::expansion, who)) m.alpha = *a;
  if (const auto fy = r.quantity(t, "fy", Quantity::stress, who)) m.fy = *fy;
  if (const auto fu = r.quantity(t, "fu", Quantity::stress, who)) m.fu = *fu;
  if (m.E <= 0 && r.file.good()) r.complain(entry.at, "{}: E is missing or not above zero", who);
  if (m.G <= 0 && r.file.good()) r.complain(entry.at, "{}: G must be above zero", who);
  if (m.density < 0) r.complain(entry.at, "{}: the density is negative", who);
  r.materials[m.name] = r.model.materials.push_back(m);
}

std::string outer_size(const UnitSystem& units, Shape shape, const Dimensions& d) {
  const auto text = [&units](double v) {
    return fmt::format("{:.4g}", units.from_si(Quantity::section, v));
  };
  // The catalogue's shapes are named in mm; other units are told.
  const std::string& label = units.label(Quantity::section);
  const std::string unit = label == "mm" ? "" : " " + label;
  switch (shape) {
    case Shape::pipe:
      return fmt::format("pipe {} x {}{}", text(d.d), text(d.t), unit);
    case Shape::circle:
      return fmt::format("circle {}{}", text(d.d), unit);
    default:
      return fmt::format("{} {} x {}{}", word_of(kShapes, shape), text(d.h), text(d.b), unit);
  }
}

struct DimensionKey {
  std::string_view key;
  double Dimensions::*field;
};
constexpr std::array<DimensionKey, 7> kDimensionKeys = {{{"h", &Dimensions::h},
                                                         {"b", &Dimensions::b},
                                                         {"tw", &Dimensions::tw},
                                                         {"tf", &Dimensions::tf},
                                                         {"r", &Dimensions::r},
                                                         {"d", &Dimensions::d},
                                                         {"t", &Dimensions::t}}};

std::vector<std::string_view> required_dimensions(Shape shape) {
  switch (shape) {
    case Shape::rectangle:
      return {"h", "b"};
    case Shape::i_section:
    case Shape::box:
      return {"h", "b", "tw", "tf"};
    case Shape::pipe:
      return {"d", "t"};
    case Shape::circle:
      return {"d"};
    case Shape::numbers:
      break;
  }
  return {};
}

/// Dimensions of a shape given by its own measures. False if something is missing or impossible.
bool read_dimensions(Reading& r, const Value& t, const std::string& who, Section& s) {
  for (const DimensionKey& key : kDimensionKeys) {
    if (const auto v = r.quantity(t, key.key, Quantity::section, who)) s.dimensions.*key.field = *v;
  }
  // One thickness serves all walls of a box.
  if (s.shape == Shape::box && s.dimensions.t > 0) {
    if (s.dimensions.tw == 0) s.dimensions.tw = s.dimensions.t;
    if (s.dimensions.tf == 0) s.dimensions.tf = s.dimensions.t;
  }
  for (const std::string_view wanted : required_dimensions(s.shape)) {
    for (const DimensionKey& key : kDimensionKeys) {
      if (key.key != wanted || s.dimensions.*key.field > 0) continue;
      r.complain(t.at, "{}: a {} needs {} above zero", who, word_of(kShapes, s.shape), wanted);
      return false;
    }
  }
  if (s.shape == Shape::box && s.dimensions.r > 0) {
    r.complain(t.find("r")->at, "{}: round corners of a box are not supported yet", who);
    return false;
  }
  const std::string impossible = dimensions_complaint(s.shape, s.dimensions);
  if (!impossible.empty()) r.complain(t.at, "{}: {}", who, impossible);
  return impossible.empty();
}

constexpr std::array<std::string_view, 5> kLaterShapes = {"channel", "tee", "angle", "t-beam",
                                                          "l-beam"};

bool read_shape(Reading& r, const Value& t, const std::string& who, Section& s) {
  const Value& value = *t.find("shape");
  const auto word = r.text(value, who + ": shape");
  if (!word) return false;
  for (const std::string_view later : kLaterShapes) {
    if (*word == later) {
      r.complain(value.at, "{}: shape \"{}\" is not supported yet", who, *word);
      return false;
    }
  }
  if (const CatalogueShape* rolled = find_shape(*word)) {
    s.shape = rolled->shape;
    s.dimensions = rolled->dimensions;
    s.designation = rolled->designation;
    s.properties = section_properties(s.shape, s.dimensions);
    return true;
  }
  const auto shape = value_of(kShapes, *word);
  if (!shape || *shape == Shape::numbers) {
    std::vector<std::string> names = {"I", "rectangle", "box", "pipe", "circle"};
    for (const CatalogueShape& c : catalogue()) names.push_back(c.designation);
    r.complain(value.at, "{}: no shape \"{}\" in the catalogue{}", who, *word,
               did_you_mean(*word, names));
    return false;
  }
  s.shape = *shape;
  if (!read_dimensions(r, t, who, s)) return false;
  s.designation = outer_size(r.units, s.shape, s.dimensions);
  s.properties = section_properties(s.shape, s.dimensions);
  return true;
}

struct PropertyKey {
  std::string_view key;
  Quantity quantity;
  double SectionProperties::*field;
};
constexpr std::array<PropertyKey, 11> kPropertyKeys = {
    {{"A", Quantity::area, &SectionProperties::A},
     {"Iy", Quantity::second_moment, &SectionProperties::Iy},
     {"Iz", Quantity::second_moment, &SectionProperties::Iz},
     {"J", Quantity::second_moment, &SectionProperties::J},
     {"Avy", Quantity::area, &SectionProperties::Avy},
     {"Avz", Quantity::area, &SectionProperties::Avz},
     {"Wely", Quantity::modulus, &SectionProperties::Wely},
     {"Welz", Quantity::modulus, &SectionProperties::Welz},
     {"Wply", Quantity::modulus, &SectionProperties::Wply},
     {"Wplz", Quantity::modulus, &SectionProperties::Wplz},
     {"Iw", Quantity::warping, &SectionProperties::Iw}}};

void read_numbers(Reading& r, const Value& t, const std::string& who, Section& s) {
  for (const PropertyKey& key : kPropertyKeys) {
    const auto v = r.quantity(t, key.key, key.quantity, who);
    if (!v) continue;
    if (*v < 0) r.complain(t.find(key.key)->at, "{}: {} is negative", who, key.key);
    s.properties.*key.field = *v;
  }
}

void read_stiffness(Reading& r, const Value& value, const std::string& who, Section& s) {
  const std::string place = who + ": stiffness";
  if (!r.is_table(value, place) || !r.check_keys(value, "stiffness", place)) return;
  const auto factor = [&](std::string_view key, double& target) {
    const auto v = r.quantity(value, key, Quantity::number, place);
    if (!v) return;
    if (*v <= 0) r.complain(value.find(key)->at, "{}: {} must be above zero", place, key);
    target = *v;
  };
  factor("A", s.stiffness.A);
  factor("I", s.stiffness.Iy);
  s.stiffness.Iz = s.stiffness.Iy;
  factor("Iy", s.stiffness.Iy);
  factor("Iz", s.stiffness.Iz);
  factor("J", s.stiffness.J);
  factor("Av", s.stiffness.Av);
}

void read_section(Reading& r, const Entry& entry) {
  const std::string who = "section " + entry.key;
  if (!r.is_table(entry.value, who) || !r.check_keys(entry.value, "section", who)) return;
  Section s;
  s.name = entry.key;
  s.line = entry.at.line;
  s.designation = "numbers";
  if (entry.value.find("shape") != nullptr) {
    if (!read_shape(r, entry.value, who, s)) return;
  } else if (entry.value.find("A") == nullptr) {
    r.complain(entry.at, "{}: expected a shape, or A and what is used of Iy, Iz, J", who);
    return;
  }
  read_numbers(r, entry.value, who, s);
  if (s.properties.A <= 0) r.complain(entry.at, "{}: A must be above zero", who);
  if (const Value* stiffness = entry.value.find("stiffness")) read_stiffness(r, *stiffness, who, s);
  r.sections[s.name] = r.model.sections.push_back(s);
}

}  // namespace

void read_top(Reading& r, const Value& root) {
  for (const Entry& entry : root.entries) {
    const Key* key = find_key("top", entry.key);
    if (key != nullptr && !key->supported) {
      r.complain(entry.at, "[{}] is not supported yet", entry.key);
    } else if (key == nullptr) {
      r.complain(entry.at, "no key \"{}\" at the top{}", entry.key,
                 did_you_mean(entry.key, key_names("top")));
    }
  }
  if (const Value* title = root.find("title")) {
    if (const auto text = r.text(*title, "title")) r.model.title = *text;
  }
  if (const Value* units = root.find("units")) read_units(r, *units);
  read_plane(r, root);
  if (const auto g = r.quantity(root, "gravity", Quantity::acceleration, "top")) {
    r.model.gravity = *g;
    if (*g <= 0) r.complain(root.find("gravity")->at, "gravity must be above zero");
  }
}

void read_materials(Reading& r, const Value& table) {
  if (!r.is_table(table, "materials")) return;
  for (const Entry& entry : table.entries) {
    read_material(r, entry);
    if (!r.materials.contains(entry.key)) r.refused.insert(entry.key);
  }
}

void read_sections(Reading& r, const Value& table) {
  if (!r.is_table(table, "sections")) return;
  for (const Entry& entry : table.entries) {
    read_section(r, entry);
    if (!r.sections.contains(entry.key)) r.refused.insert(entry.key);
  }
}

}  // namespace ulterix
