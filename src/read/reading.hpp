#pragma once

#include <fmt/format.h>

#include <optional>
#include <set>
#include <string>
#include <unordered_map>
#include <vector>

#include "read/keys.hpp"
#include "read/model_file.hpp"

namespace ulterix {

/// What the readers of the parts share while one file is read. Internal to src/read.
class Reading {
 public:
  explicit Reading(ModelFile& f) : file(f), model(f.model), units(f.units) {}

  ModelFile& file;
  Model& model;
  UnitSystem& units;
  std::unordered_map<std::string, NodeId> nodes;
  std::unordered_map<std::string, MemberId> members;
  std::unordered_map<std::string, SectionId> sections;
  std::unordered_map<std::string, MaterialId> materials;
  std::unordered_map<std::string, CaseId> cases;
  std::unordered_map<std::string, std::size_t> groups;
  /// Names that were refused: who uses them is not told as well.
  std::set<std::string> refused;
  /// Settlements of load cases, for a look at whether something holds them there.
  struct Settled {
    NodeId node;
    int direction;
    Location at;
    std::string who;
  };
  std::vector<Settled> settled;
  /// True for a refused name, a member of a refused run, and a pattern that may mean one.
  bool is_refused(const std::string& name) const;

  template <class... Args>
  void complain(Location at, fmt::format_string<Args...> format, Args&&... args) {
    file.complaints.push_back({at, fmt::format(format, std::forward<Args>(args)...)});
  }
  template <class... Args>
  void warn(Location at, fmt::format_string<Args...> format, Args&&... args) {
    file.warnings.push_back({at, fmt::format(format, std::forward<Args>(args)...)});
  }

  /// Complains about keys that the table does not have or that are not built yet. `who` starts the
  /// message: "member R1".
  bool check_keys(const Value& table, std::string_view keys, const std::string& who);

  /// A number, or text of number and unit, in SI. Complains and returns nothing if it is neither,
  /// not finite, or of another dimension.
  std::optional<double> quantity(const Value& value, Quantity q, const std::string& who);
  /// The same for a key of a table; nothing (without complaint) where the key is missing.
  std::optional<double> quantity(const Value& table, std::string_view key, Quantity q,
                                 const std::string& who);
  /// A length, or a part of another one, `whole` (m), which a letter stands for: "L/500".
  struct PartOf {
    char letter;
    const char* words;  ///< "the member's length"
    double whole;
    bool either_way;  ///< its sign counts
  };
  std::optional<double> length_or_part(const Value& value, const PartOf& part,
                                       const std::string& who);
  std::optional<std::string> text(const Value& value, const std::string& who);
  std::optional<bool> flag(const Value& value, const std::string& who);
  /// Complains if the value is not a table.
  bool is_table(const Value& value, const std::string& who);

  /// Names of a selection: a text or a list of texts.
  std::vector<std::pair<std::string, Location>> selection_texts(const Value& value,
                                                                const std::string& who);
  std::vector<NodeId> select_nodes(const Value& value, const std::string& who);
  std::vector<MemberId> select_members(const Value& value, const std::string& who);
  std::vector<NodeId> select_nodes(const std::string& text, Location at, const std::string& who);
  std::vector<MemberId> select_members(const std::string& text, Location at,
                                       const std::string& who);

  /// Complains and returns nothing where there is no such case (silent about a refused one).
  std::optional<CaseId> load_case(const std::string& name, Location at, const std::string& who);

  std::vector<std::string> node_names() const;
  std::vector<std::string> member_names() const;
  std::vector<std::string> group_names() const;

 private:
  /// The value itself; complains and returns nothing where it is beyond any frame.
  std::optional<double> in_range(double value, Location at, Quantity q, const std::string& who);
  bool complain_about_key(const Entry& entry, const Value& table, std::string_view keys,
                          const std::string& who);
};

void read_top(Reading& r, const Value& root);
void read_materials(Reading& r, const Value& table);
void read_sections(Reading& r, const Value& table);
void read_nodes(Reading& r, const Value& table);
void read_members(Reading& r, const Value& table, const Value* defaults);
void read_groups(Reading& r, const Value& table);
void read_levels(Reading& r, const Value& table);
void read_floors(Reading& r, const Value& table);
void read_supports(Reading& r, const Value& table);
/// "fixed", "pinned", a list of directions, or a table of them.
std::array<SupportDirection, 6> read_support_directions(Reading& r, const Value& value,
                                                        const std::string& who);
/// ux..rz as 0..5; complains and returns -1 for another word.
int support_direction(Reading& r, const std::string& key, Location at, const std::string& who);
void read_loads(Reading& r, const Value& table);
/// What a load on members strains them by; true if anything is given.
bool read_member_strain(Reading& r, const Value& t, const std::string& who, LoadCase& load_case);
void read_settlement(Reading& r, const Value& t, const std::string& who, LoadCase& load_case);
void read_combinations(Reading& r, const Value& table);
void read_watches(Reading& r, const Value& table);
void read_mass(Reading& r, const Value* table);
void read_analyses(Reading& r, const Value* table);
/// What only the whole model shows: unused nodes, no supports, missing properties.
void check_whole(Reading& r);

}  // namespace ulterix
