#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "app/model_input.hpp"
#include "app/options.hpp"
#include "app/text.hpp"
#include "core/analysis/elastic_frame.hpp"
#include "core/analysis/input_warnings.hpp"
#include "core/model/local_axes.hpp"
#include "core/system/mechanism_words.hpp"
#include "draw/canvas.hpp"
#include "draw/model_figure.hpp"
#include "read/keys.hpp"
#include "write/table_specs.hpp"

namespace ulterix {

namespace {

/// The inventory of a model, part by part.
class Inventory {
 public:
  explicit Inventory(const ModelFile& file)
      : file_(file), model_(file.model), units_(file.units), width_(terminal_width()) {}

  void print() {
    heading();
    sections();
    cases();
    combinations();
    floors();
    supports();
    hinges();
    bows();
    stages();
  }

 private:
  std::string label(Quantity q) const { return units_.label(q); }

  void heading() const {
    const std::string plane = model_.plane == Plane::space ? "space"
                              : model_.plane == Plane::xz  ? "plane xz"
                                                           : "plane xy";
    fmt::print("{}      {}      {}, {} up      N tension +, moments in {}, lengths in {}\n\n",
               model_.title.empty() ? "(no title)" : model_.title, file_.path, plane,
               kAxisNames[model_.vertical], label(Quantity::moment), label(Quantity::length));
    const auto axial = std::count_if(model_.members.begin(), model_.members.end(),
                                     [](const Member& m) { return m.kind != MemberKind::frame; });
    fmt::print(
        "  nodes {} ({} supported)   members {}: {} frame, {} axial   cases {}   combinations "
        "{}\n\n",
        model_.nodes.size(), model_.supports.size(), model_.members.size(),
        model_.members.size() - axial, axial, model_.cases.size(), model_.combinations.size());
  }

  struct SectionUse {
    int members = 0;
    double length = 0, mass = 0;
    std::vector<std::string> major, minor;  // plane frames: axis that each member bends about
  };

  /// Axis of the section that a member of a plane frame bends about: y (major) or z.
  bool bends_about_y(MemberId id) const {
    const int normal = model_.plane == Plane::xz ? 1 : 2;
    return std::abs(local_axes(model_, id)(1, normal)) > 0.5;
  }

  void sections() const {
    std::map<std::pair<SectionId, MaterialId>, SectionUse> uses;
    for (const MemberId id : model_.members.ids()) {
      const Member& m = model_.members[id];
      SectionUse& use = uses[{m.section, m.material}];
      ++use.members;
      const double L = model_.length(id);
      use.length += L;
      use.mass +=
          L * model_.sections[m.section].properties.A * model_.materials[m.material].density;
      if (model_.plane == Plane::space || m.kind != MemberKind::frame) continue;
      (bends_about_y(id) ? use.major : use.minor).push_back(m.name);
    }
    TextTable table({Align::left, Align::left, Align::left, Align::right, Align::right,
                     Align::right, Align::left});
    table.add({"section", "shape", "material", "members", label(Quantity::length) + " in all",
               label(Quantity::mass), model_.plane == Plane::space ? "" : "bends in plane about"});
    for (const auto& [key, use] : uses) {
      const Section& s = model_.sections[key.first];
      table.add({s.name, s.designation, model_.materials[key.second].name,
                 fmt::format("{}", use.members), in_units(units_, Quantity::length, use.length),
                 in_units(units_, Quantity::mass, use.mass), axis_words(use)});
    }
    fmt::print("{}\n", table.print(2));
  }

  static std::string axis_words(const SectionUse& use) {
    if (use.minor.empty()) return use.major.empty() ? "" : "y major";
    const std::string minor = "z minor " + listed(use.minor, 3);
    return use.major.empty() ? minor
                             : fmt::format("y major {}, {}  <- look", use.major.size(), minor);
  }

  void cases() const {
    if (model_.cases.empty()) return;
    TextTable table(
        {Align::left, Align::left, Align::right, Align::right, Align::right, Align::left});
    const std::string force = label(Quantity::force);
    const auto horizontal = model_.horizontal_axes();
    const bool both = horizontal.size() > 1;
    table.add({"case", "action", "down " + force,
               fmt::format("along {} {}", kAxisNames[horizontal[0]], force),
               both ? fmt::format("along {} {}", kAxisNames[horizontal[1]], force) : "", "on"});
    const Situation situation(model_);
    for (const CaseId id : model_.cases.ids()) {
      const Vector3d sum = AppliedLoads(situation, model_.case_alone(id)).total_force();
      const auto shown = [&](double v) {
        // A sum that cancels to nothing is nothing.
        return std::abs(v) < 1e-9 * sum.cwiseAbs().maxCoeff()
                   ? "0"
                   : in_units(units_, Quantity::force, v);
      };
      table.add({model_.cases[id].name, std::string(word_of(kActions, model_.cases[id].action)),
                 shown(-sum[model_.vertical]), shown(sum[horizontal[0]]),
                 both ? shown(sum[horizontal[1]]) : "", loaded_words(model_.cases[id])});
    }
    fmt::print("{}\n", table.print(2));
  }

  static std::string loaded_words(const LoadCase& c) {
    std::vector<std::string> words;
    const auto add = [&words](std::size_t count, const char* what) {
      if (count > 0) words.push_back(fmt::format("{} {}{}", count, what, count == 1 ? "" : "s"));
    };
    if (!c.self_weight.empty()) words.emplace_back("own weight");
    add(c.nodal.size(), "nodal load");
    add(c.distributed.size(), "line load");
    add(c.points.size(), "point load");
    add(c.strains.size(), "strained member");
    add(c.ground.size(), "settlement");
    return fmt::format("{}", fmt::join(words, ", "));
  }

  void floors() const {
    for (const Floor& floor : model_.floors) {
      fmt::print("  floor {}: {} nodes, rigid in its plane\n", floor.name, floor.nodes.size());
    }
    if (!model_.floors.empty()) fmt::print("\n");
  }

  void combinations() const {
    if (model_.combinations.empty()) return;
    for (const LoadSet& set : model_.combinations) {
      std::string words = fmt::format("  {} =", set.name);
      for (std::size_t i = 0; i < set.terms.size(); ++i) {
        const double f = set.terms[i].second;
        const std::string sign = f < 0 ? "-" : "+";
        words += i == 0 && f >= 0 ? " " : fmt::format(" {} ", sign);
        words += fmt::format("{:.4g} {}", std::abs(f), model_.cases[set.terms[i].first].name);
      }
      if (set.notional_x != 0) words += fmt::format(" + notional x {:.4g}", set.notional_x);
      if (set.notional_y != 0) words += fmt::format(" + notional y {:.4g}", set.notional_y);
      fmt::print("{}\n", words);
    }
    fmt::print("\n");
  }

  /// What arrives and goes in each stage, and what all loads so far come to.
  void stages() const {
    for (const AnalysisSpec& spec : model_.analyses) {
      if (!spec.is_erection()) continue;
      fmt::print("{}\n", wrapped(fmt::format("  stages of {}", spec.name), width_, 4));
      TextTable table({Align::left, Align::left, Align::right, Align::left});
      Situation situation(model_);
      situation.clear();
      for (std::size_t k = 0; k < spec.staged().stages.size(); ++k) {
        const Stage& stage = spec.staged().stages[k];
        situation.change_members(stage);
        const double down = -AppliedLoads(situation, spec.loads[k]).total_force()[model_.vertical];
        std::string changes;
        const auto add = [&changes](const std::string& what) {
          changes += (changes.empty() ? "" : "; ") + what;
        };
        if (!stage.erected.empty()) add("erects " + names_of(stage.erected));
        if (!stage.struck.empty()) add("strikes " + names_of(stage.struck));
        if (!stage.supports.empty()) add(fmt::format("{} supports", stage.supports.size()));
        if (!stage.freed.empty()) add(fmt::format("frees {} directions", stage.freed.size()));
        if (!stage.ground.empty()) add("the ground moves");
        if (stage.days > 0) add(fmt::format("{:g} days pass", stage.days));
        table.add(
            {stage.name, std::string(word_of(kAnalysisKinds, stage.theory)),
             fmt::format("{} {}", in_units(units_, Quantity::force, down), label(Quantity::force)),
             changes});
      }
      fmt::print("{}\n", table.print(4));
    }
  }

  std::string names_of(const std::vector<MemberId>& members) const {
    constexpr std::size_t kMost = 6;
    std::vector<std::string> names;
    for (const MemberId id : members) names.push_back(model_.members[id].name);
    return listed(names, kMost);
  }

  /// "fixed", "pinned", or the directions held, sprung or settled.
  std::string support_words(const Support& s) const {
    std::vector<std::string> held;
    int translations = 0, rotations = 0, used_translations = 0, used_rotations = 0;
    bool plain = true;
    for (int d = 0; d < 6; ++d) {
      if (!model_.uses_direction(d)) continue;
      (d < 3 ? used_translations : used_rotations) += 1;
      const SupportDirection& direction = s.directions[d];
      if (direction.stiffness == 0) continue;
      (d < 3 ? translations : rotations) += 1;
      std::string word(kDisplacementNames[d]);
      if (direction.stiffness != kRigid) word += " sprung";
      if (direction.only != 0) word += direction.only > 0 ? " pushing only" : " pulling only";
      if (direction.settle != 0) {
        word += fmt::format(
            " settles {} {}",
            in_units(units_, d < 3 ? Quantity::displacement : Quantity::rotation, direction.settle),
            label(d < 3 ? Quantity::displacement : Quantity::rotation));
      }
      plain =
          plain && direction.stiffness == kRigid && direction.settle == 0 && direction.only == 0;
      held.push_back(word);
    }
    const bool all_translations = translations == used_translations;
    if (plain && all_translations && rotations == used_rotations) return "fixed";
    if (plain && all_translations && rotations == 0) return "pinned";
    return fmt::format("{}", fmt::join(held, " "));
  }

  void supports() const {
    std::vector<std::pair<std::string, std::vector<std::string>>> kinds;
    for (const Support& s : model_.supports) {
      const std::string words = support_words(s);
      auto kind = std::find_if(kinds.begin(), kinds.end(),
                               [&words](const auto& k) { return k.first == words; });
      if (kind == kinds.end()) kind = kinds.insert(kinds.end(), {words, {}});
      kind->second.push_back(model_.nodes[s.node].name);
    }
    std::vector<std::string> parts;
    for (const auto& [words, names] : kinds)
      parts.push_back(fmt::format("{} {}", listed(names, 8), words));
    fmt::print("{}\n",
               wrapped(fmt::format("  supports   {}", fmt::join(parts, ";  ")), width_, 13));
  }

  void bows() const {
    std::vector<std::string> names;
    for (const Member& m : model_.members) {
      for (std::size_t i = 0; i < 2; ++i) {
        if (m.bow[i] == 0) continue;
        names.push_back(fmt::format("{} {} {} towards local {}", m.name,
                                    in_units(units_, Quantity::displacement, m.bow[i]),
                                    label(Quantity::displacement), i == 0 ? "y" : "z"));
      }
    }
    if (names.empty()) return;
    fmt::print("{}\n", wrapped(fmt::format("  bowed      {}", listed(names, 8)), width_, 13));
  }

  void hinges() const {
    std::vector<std::string> names;
    for (const Member& m : model_.members) {
      if (m.kind != MemberKind::frame || !m.has_hinges()) continue;
      const bool start = m.joints[0] != kJoined, end = m.joints[1] != kJoined;
      names.push_back(fmt::format("{} {}", m.name,
                                  start && end ? "both ends"
                                  : start      ? "start"
                                               : "end"));
    }
    if (!names.empty()) {
      fmt::print("{}\n", wrapped(fmt::format("  hinges     {}", listed(names, 8)), width_, 13));
    }
  }

  const ModelFile& file_;
  const Model& model_;
  const UnitSystem& units_;
  int width_;
};

/// What moves freely in first-order; true if nothing does.
bool tell_loose_parts(const ElasticFrame& frame, int width) {
  if (frame.stands()) {
    fmt::print("  loose      nothing moves freely in first-order\n");
  }
  for (const Mechanism& m : frame.mechanisms) {
    fmt::print("{}\n", wrapped("  loose      " + m.words, width, 13));
  }
  if (!frame.trouble.empty())
    fmt::print("{}\n", wrapped("  trouble    " + frame.trouble, width, 13));
  return frame.stands();
}

}  // namespace

int command_check(const Arguments& arguments) {
  CommandOptions options(
      "check", "MODEL", "Reads a model file, lists every complaint, and tells what is in it.",
      "  ulterix check shed.toml\n"
      "      inventory, loose parts, and a picture with local axes: shed-check.svg\n");
  options.add()("picture", "file of the picture (default MODEL-check.svg; .svg, .png or .pdf)",
                cxxopts::value<std::string>(), "FILE")("no-picture", "draw nothing")(
      "keys", "print every key of the model file as Markdown")(
      "tables", "print every table of the results folder as Markdown");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  if (parsed->count("keys") > 0) {
    fmt::print("{}", keys_as_markdown());
    return kDone;
  }
  if (parsed->count("tables") > 0) {
    fmt::print("{}", tables_as_markdown());
    return kDone;
  }
  const std::string path = options.target(*parsed, "model file");
  const std::string picture = parsed->count("picture") > 0 ? (*parsed)["picture"].as<std::string>()
                                                           : base_name(path) + "-check.svg";
  if (!is_picture(picture)) {
    throw CallError(fmt::format("--picture: {} ends in none of .svg, .png, .pdf", picture));
  }
  ModelFile file;
  if (!read_or_complain(path, file)) return kWrongModelOrCall;
  Inventory(file).print();
  const ElasticFrame frame = make_elastic_frame(file.model);
  const int width = terminal_width();
  const bool stands = tell_loose_parts(frame, width);
  for (const std::string& words : input_warnings(frame)) {
    fmt::print("{}\n", wrapped("  warning    " + words, width, 13));
  }
  for (const Complaint& warning : file.warnings) {
    fmt::print("{}\n", wrapped(fmt::format("  warning    {}:{}: {}", file.path, warning.at.line,
                                           warning.words),
                               width, 13));
  }
  if (parsed->count("no-picture") == 0) {
    draw_files({picture}, file.model.title + ": the model with its local axes",
               [&file](Canvas& canvas) { draw_model(canvas, file.model, file.units); });
    fmt::print("  picture    {}\n", picture);
  }
  return stands ? kDone : kDoesNotStand;
}

}  // namespace ulterix
