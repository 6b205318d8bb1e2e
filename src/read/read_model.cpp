#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <numeric>
#include <sstream>

#include "core/element/cut_cables.hpp"
#include "core/model/local_axes.hpp"
#include "core/modes/frame_mass.hpp"
#include "read/reading.hpp"
#include "units/printable.hpp"

namespace ulterix {

namespace {

const Value kEmptyTable = [] {
  Value v;
  v.kind = Value::Kind::table;
  return v;
}();

const Value& part(const Value& root, std::string_view key) {
  const Value* value = root.find(key);
  return value == nullptr ? kEmptyTable : *value;
}

/// Top keys written below a [table] fell into it: told once, then taken out.
void drop_strayed_keys(Reading& r, Value& value, const std::string& header, int depth) {
  static constexpr std::array<std::string_view, 5> kTopWords = {"title", "plane", "vertical",
                                                                "units", "gravity"};
  std::erase_if(value.entries, [&](Entry& entry) {
    const bool top = std::find(kTopWords.begin(), kTopWords.end(), entry.key) != kTopWords.end();
    if (depth > 0 && top && (entry.value.is_text() || entry.value.is_number())) {
      r.complain(
          entry.at,
          "\"{}\" is below [{}], so TOML puts it into that table; move it above the first [table]",
          entry.key, header);
      return true;
    }
    if (entry.value.is_table() && !entry.value.inline_table) {
      drop_strayed_keys(r, entry.value, depth == 0 ? entry.key : header + "." + entry.key,
                        depth + 1);
    }
    return false;
  });
}

/// Names and texts that a terminal would obey, or that are too long to be read, are refused; the
/// entries stay, so that their users are not reported as well.
void check_texts(Reading& r, const Value& value) {
  constexpr std::size_t kLongName = 200, kLongText = 2000;
  const auto check = [&r](const std::string& text, std::size_t most, const char* what,
                          Location at) {
    if (!is_printable(text)) {
      r.complain(at, "the {} \"{}\" holds a character that is not printed", what,
                 printable(text.substr(0, kLongName)));
    } else if (text.size() > most) {
      r.complain(at, "the {} that begins with \"{}\" is longer than {} bytes", what,
                 text.substr(0, 40), most);
    }
  };
  if (value.is_text()) check(value.text, kLongText, "text", value.at);
  for (const Value& item : value.items) check_texts(r, item);
  for (const Entry& entry : value.entries) {
    check(entry.key, kLongName, "name", entry.at);
    check_texts(r, entry.value);
  }
}

void check_nodes(Reading& r) {
  std::vector<bool> used(static_cast<std::size_t>(r.model.nodes.size()), false);
  for (const Member& m : r.model.members) {
    used[static_cast<std::size_t>(m.start.value)] = used[static_cast<std::size_t>(m.end.value)] =
        true;
  }
  for (const NodeId id : r.model.nodes.ids()) {
    if (used[static_cast<std::size_t>(id.value)]) continue;
    const Node& node = r.model.nodes[id];
    r.complain({node.line, 1}, "node {}: no member uses it", node.name);
  }
}

/// Two nodes at one place look joined and are not.
void check_coincident(Reading& r) {
  std::vector<NodeId> order = r.model.nodes.ids();
  const auto key = [&r](NodeId id) {
    const Vector3d& p = r.model.nodes[id].position;
    return std::array<double, 3>{std::round(p[0] * 1e6), std::round(p[1] * 1e6),
                                 std::round(p[2] * 1e6)};
  };
  std::stable_sort(order.begin(), order.end(),
                   [&key](NodeId a, NodeId b) { return key(a) < key(b); });
  for (std::size_t i = 1; i < order.size(); ++i) {
    if (key(order[i - 1]) != key(order[i])) continue;
    const Node &a = r.model.nodes[order[i - 1]], &b = r.model.nodes[order[i]];
    r.warn({b.line, 1}, "nodes {} and {} lie at the same place and are not joined", a.name, b.name);
  }
}

/// A frame member needs the second moments about the axes that it bends about, and J in space.
void check_section_use(Reading& r) {
  std::vector<bool> told(static_cast<std::size_t>(r.model.sections.size()), false);
  for (const MemberId id : r.model.members.ids()) {
    const Member& m = r.model.members[id];
    if (m.kind != MemberKind::frame || told[static_cast<std::size_t>(m.section.value)]) continue;
    const Section& s = r.model.sections[m.section];
    bool about_y = true, about_z = true;
    if (r.model.plane != Plane::space) {
      const int normal = r.model.plane == Plane::xz ? 1 : 2;
      about_y = std::abs(local_axes(r.model, id)(1, normal)) > 0.5;
      about_z = !about_y;
    }
    std::vector<std::string> missing;
    if (about_y && s.properties.Iy <= 0) missing.emplace_back("Iy");
    if (about_z && s.properties.Iz <= 0) missing.emplace_back("Iz");
    if (r.model.plane == Plane::space && s.properties.J <= 0) missing.emplace_back("J");
    if (missing.empty()) continue;
    told[static_cast<std::size_t>(m.section.value)] = true;
    r.complain({s.line, 1}, "section {}: {} missing: member {} needs it", s.name,
               fmt::join(missing, ", "), m.name);
  }
}

/// A section of less than this is no section of a frame: most likely a unit.
constexpr double kThin = 2e-3;  // m
constexpr double kThinGyration = 3e-4;

void check_thinness(Reading& r) {
  std::vector<bool> told(static_cast<std::size_t>(r.model.sections.size()), false);
  const std::string mm = r.units.label(Quantity::section);
  for (const Member& m : r.model.members) {
    if (told[static_cast<std::size_t>(m.section.value)]) continue;
    told[static_cast<std::size_t>(m.section.value)] = true;
    const Section& s = r.model.sections[m.section];
    const double outer = std::max({s.dimensions.h, s.dimensions.b, s.dimensions.d});
    const double gyration = std::sqrt(std::max(s.properties.Iy, s.properties.Iz) / s.properties.A);
    if (outer > 0 && outer < kThin) {
      r.warn({s.line, 1}, "section {} is {:.3g} {} {}: is a unit missing?", s.name,
             r.units.from_si(Quantity::section, outer), mm,
             s.dimensions.d > 0 ? "in diameter" : "high");
    } else if (outer == 0 && gyration > 0 && gyration < kThinGyration) {
      r.warn({s.line, 1}, "section {} has a radius of gyration of {:.3g} {}: is a unit missing?",
             s.name, r.units.from_si(Quantity::section, gyration), mm);
    }
  }
}

/// Vibration needs mass.
void check_mass(Reading& r) {
  const bool asked = std::any_of(r.model.analyses.begin(), r.model.analyses.end(),
                                 [](const auto& a) { return a.kind() == AnalysisKind::modal; });
  if (!asked || !r.file.good()) return;
  const Situation situation(r.model);
  const MemberFrame frame(situation);
  if (!FrameMass(frame).empty()) return;
  for (const AnalysisSpec& a : r.model.analyses) {
    if (a.kind() != AnalysisKind::modal) continue;
    r.complain({a.line, 1},
               "analysis {}: nothing has mass: give density, or [mass] with nodes or from_loads",
               a.name);
  }
}

/// A section higher than its member is long: most likely a unit.
void check_proportions(Reading& r) {
  for (const MemberId id : r.model.members.ids()) {
    const Member& m = r.model.members[id];
    const Section& s = r.model.sections[m.section];
    const double size = std::max({s.dimensions.h, s.dimensions.b, s.dimensions.d,
                                  std::sqrt(s.properties.Iy / s.properties.A)});
    const double L = r.model.length(id);
    if (size <= L) continue;
    r.warn({m.line, 1},
           "member {}: its section ({:.3g} {}) is larger than its length ({:.3g} {}); "
           "is a unit wrong?",
           m.name, r.units.from_si(Quantity::length, size), r.units.label(Quantity::length),
           r.units.from_si(Quantity::length, L), r.units.label(Quantity::length));
    return;  // one is enough to look at the units
  }
}

/// Only what something holds, in the frame or in a stage, can be moved.
void check_settlements(Reading& r) {
  for (const Reading::Settled& s : r.settled) {
    const auto holds = [&s](const Support& support) {
      return support.node == s.node &&
             support.directions[static_cast<std::size_t>(s.direction)].stiffness != 0;
    };
    bool held = std::any_of(r.model.supports.begin(), r.model.supports.end(), holds);
    for (const AnalysisSpec& spec : r.model.analyses) {
      if (!spec.is_erection()) continue;
      for (const Stage& stage : spec.staged().stages) {
        held = held || std::any_of(stage.supports.begin(), stage.supports.end(), holds);
      }
    }
    const std::string place = r.model.place_name(s.node, s.direction);
    if (!held) r.complain(s.at, "{}: {} settles but is not held", s.who, place);
    for (const Floor& floor : r.model.floors) {
      const bool on =
          std::find(floor.nodes.begin(), floor.nodes.end(), s.node) != floor.nodes.end();
      if (!on || !r.model.in_floor(s.direction)) continue;
      r.complain(s.at, "{}: {} moves in the plane of floor {}, which is not supported yet", s.who,
                 place, floor.name);
    }
  }
}

/// A rigid floor holds what heat or lack of fit makes of the length of its beams.
void warn_of_held_strains(Reading& r) {
  IndexedVector<NodeId, int> floor_of(r.model.nodes.size(), -1);
  for (std::size_t i = 0; i < r.model.floors.size(); ++i) {
    for (const NodeId n : r.model.floors[i].nodes) floor_of[n] = static_cast<int>(i);
  }
  for (const LoadCase& c : r.model.cases) {
    std::vector<std::string> held;
    int floor = -1;
    for (const MemberStrain& s : c.strains) {
      const Member& m = r.model.members[s.member];
      const bool longer = s.warm != 0 || s.lack_of_fit != 0;
      if (!longer || floor_of[m.start] < 0 || floor_of[m.start] != floor_of[m.end]) continue;
      held.push_back(m.name);
      floor = floor_of[m.start];
    }
    if (held.empty()) continue;
    const std::string more =
        held.size() > 1 ? fmt::format(" and {} more", held.size() - 1) : std::string();
    r.warn(
        {c.line, 1},
        "load {}: {}{} would change length within floor {}, which is rigid: it holds all of that",
        c.name, held.front(), more, r.model.floors[static_cast<std::size_t>(floor)].name);
  }
}

void finish_cables(Reading& r) {
  if (!r.file.good()) return;
  for (const CableTrouble& trouble : cut_cables(r.model)) {
    const Member& m = r.model.members[trouble.member];
    r.complain({m.line, 1}, "member {}: {}", m.name, trouble.reason);
  }
}

}  // namespace

void check_whole(Reading& r) {
  if (!r.file.good()) return;
  check_settlements(r);
  warn_of_held_strains(r);
  if (r.model.nodes.empty()) return r.complain({}, "the model has no nodes");
  if (r.model.members.empty()) return r.complain({}, "the model has no members");
  // A free structure vibrates as well as any.
  const auto& analyses = r.model.analyses;
  const bool only_modal =
      !analyses.empty() && std::all_of(analyses.begin(), analyses.end(), [](const auto& a) {
        return a.kind() == AnalysisKind::modal;
      });
  if (r.model.supports.empty() && !only_modal) {
    r.complain({}, "no supports: nothing holds the frame");
  }
  check_nodes(r);
  check_section_use(r);
  check_coincident(r);
  check_proportions(r);
  check_thinness(r);
  check_mass(r);
}

ModelFile read_model(const std::string& text, const std::string& path) {
  ModelFile file;
  file.path = path;
  file.text = text;
  ParsedDocument document = parse_document(text);
  if (!document.complaints.empty()) {
    file.complaints = document.complaints;
    return file;
  }
  Value& root = document.root;
  Reading r(file);
  check_texts(r, root);
  drop_strayed_keys(r, root, "", 0);
  read_top(r, root);
  read_materials(r, part(root, "materials"));
  read_sections(r, part(root, "sections"));
  read_nodes(r, part(root, "nodes"));
  read_members(r, part(root, "members"), root.find("defaults"));
  read_groups(r, part(root, "groups"));
  read_levels(r, part(root, "levels"));
  read_supports(r, part(root, "supports"));
  read_floors(r, part(root, "floors"));
  read_loads(r, part(root, "loads"));
  read_combinations(r, part(root, "combinations"));
  read_watches(r, part(root, "watch"));
  read_mass(r, root.find("mass"));
  finish_cables(r);  // stages take loads whose effect on cables is known
  read_analyses(r, root.find("analyses"));
  check_whole(r);
  std::stable_sort(file.complaints.begin(), file.complaints.end(),
                   [](const Complaint& a, const Complaint& b) {
                     return std::pair(a.at.line, a.at.column) < std::pair(b.at.line, b.at.column);
                   });
  return file;
}

ModelFile read_model_file(const std::string& path) {
  std::error_code none;
  if (std::filesystem::is_directory(path, none)) {
    ModelFile file;
    file.path = path;
    file.complaints.push_back({{}, "this is a folder, not a model file"});
    return file;
  }
  std::ifstream in(path, std::ios::binary);
  std::ostringstream text;
  if (in) text << in.rdbuf();
  if (!in || text.bad()) {
    ModelFile file;
    file.path = path;
    file.complaints.push_back({{}, "the file cannot be read"});
    return file;
  }
  return read_model(text.str(), path);
}

namespace {

/// A line of a file as it is shown: without what a terminal would obey, and around the place alone
/// where it is long; with it, what stands before the caret below.
std::pair<std::string, std::string> excerpt_of(const std::string& line, std::size_t place) {
  constexpr std::size_t kBefore = 100, kLong = 160;
  // Columns count characters.
  std::vector<std::string> characters;
  std::vector<std::size_t> widths;
  for (std::size_t i = 0; i < line.size();) {
    std::size_t end = i + 1;
    while (end < line.size() && (static_cast<unsigned char>(line[end]) & 0xC0) == 0x80) ++end;
    const std::string one = line.substr(i, end - i);
    characters.push_back(one == "\t" ? " " : printable(one));
    widths.push_back(is_printable(one) || one == "\t" ? 1 : characters.back().size());
    i = end;
  }
  place = std::min(place, characters.size());
  std::size_t first = 0, last = characters.size();
  if (last > kLong) {
    first = place > kBefore ? place - kBefore : 0;
    last = std::min(last, first + kLong);
  }
  std::string excerpt = first > 0 ? "..." : "", caret = first > 0 ? "   " : "";
  for (std::size_t i = first; i < last; ++i) {
    excerpt += characters[i];
    if (i < place) caret.append(widths[i], ' ');
  }
  return {excerpt + (last < characters.size() ? "..." : ""), caret};
}

std::string shortened(const std::string& words) {
  constexpr std::size_t kMost = 2000;
  return words.size() <= kMost ? words : words.substr(0, kMost) + " ...";
}

}  // namespace

std::string format_complaint(const ModelFile& file, const Complaint& complaint) {
  if (complaint.at.line == 0) {
    return fmt::format("{}: {}\n", printable(file.path), printable(shortened(complaint.words)));
  }
  std::istringstream lines(file.text);
  std::string line;
  for (int i = 0; i < complaint.at.line && std::getline(lines, line); ++i) {
  }
  const auto column = static_cast<std::size_t>(std::max(complaint.at.column, 1));
  const auto [excerpt, caret] = excerpt_of(line, column - 1);
  return fmt::format("{}:{}:{}: {}\n    {}\n    {}^\n", printable(file.path), complaint.at.line,
                     column, printable(shortened(complaint.words)), excerpt, caret);
}

}  // namespace ulterix
