#include "read/imperfect_model.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>
#include <stdexcept>

#include "core/model/local_axes.hpp"

namespace ulterix {

namespace {

/// A member's axes that differ by less (rad) are the same.
constexpr double kSameAxes = 1e-15;

/// Changes of a text at places of the text as it was.
class TextEdit {
 public:
  explicit TextEdit(const std::string& text) : text_(text) {
    lines_.push_back(0);
    for (std::size_t i = 0; i < text.size(); ++i) {
      if (text[i] == '\n') lines_.push_back(i + 1);
    }
  }

  /// Columns count characters, not bytes.
  std::size_t offset(Location at) const {
    std::size_t i = lines_[static_cast<std::size_t>(at.line) - 1];
    for (int column = 1; column < at.column && i < text_.size(); ++column) {
      ++i;
      while (i < text_.size() && (static_cast<unsigned char>(text_[i]) & 0xC0) == 0x80) ++i;
    }
    return i;
  }

  /// Just behind the array, inline table, text or number that begins here.
  std::size_t end_of_value(std::size_t at) const {
    int depth = 0;
    for (std::size_t i = at; i < text_.size(); ++i) {
      const char c = text_[i];
      if (c == '"' || c == '\'') {
        for (++i; i < text_.size() && text_[i] != c; ++i) {
          if (c == '"' && text_[i] == '\\') ++i;
        }
        if (depth == 0) return i + 1;
      } else if (c == '#') {
        while (i < text_.size() && text_[i] != '\n') ++i;
      } else if (c == '[' || c == '{') {
        ++depth;
      } else if (c == ']' || c == '}') {
        if (depth == 0) return i;
        if (--depth == 0) return i + 1;
      } else if (depth == 0 && (c == ',' || c == '\n')) {
        return i;
      }
    }
    return text_.size();
  }

  std::size_t line_start(std::size_t at) const {
    return *std::prev(std::upper_bound(lines_.begin(), lines_.end(), at));
  }
  std::size_t next_line(std::size_t at) const {
    const auto next = std::upper_bound(lines_.begin(), lines_.end(), at);
    return next == lines_.end() ? text_.size() : *next;
  }
  char operator[](std::size_t at) const { return at < text_.size() ? text_[at] : '\0'; }
  const std::string& text() const { return text_; }

  void replace(std::size_t from, std::size_t to, const std::string& by) {
    edits_.push_back({from, to, by});
  }

  std::string done() {
    std::stable_sort(edits_.begin(), edits_.end(),
                     [](const Edit& a, const Edit& b) { return a.from > b.from; });
    std::string result = text_;
    for (const Edit& e : edits_) result.replace(e.from, e.to - e.from, e.by);
    return result;
  }

 private:
  struct Edit {
    std::size_t from, to;
    std::string by;
  };
  const std::string& text_;
  std::vector<std::size_t> lines_;
  std::vector<Edit> edits_;
};

class Writer {
 public:
  Writer(const ModelFile& file, const Situation& situation)
      : file_(file),
        model_(file.model),
        situation_(situation),
        root_(parse_document(file.text).root),
        edit_(file.text) {}

  std::string write(const std::string& heading) {
    place_nodes();
    if (model_.plane == Plane::space) turn_members();
    drop_start_shapes();
    return "# " + heading + "\n" + edit_.done();
  }

 private:
  /// The shortest text that reads back to the same number of metres.
  std::string length(double metres) const {
    const bool plain = file_.units.to_si(Quantity::length, 1) == 1;
    return plain ? fmt::format("{}", metres) : fmt::format("\"{} m\"", metres);
  }

  void place_nodes() {
    const Value* nodes = root_.find("nodes");
    for (const NodeId id : model_.nodes.ids()) {
      if (situation_.offsets[id].isZero(0)) continue;
      const Value* value = nodes != nullptr ? nodes->find(model_.nodes[id].name) : nullptr;
      if (value == nullptr) {
        throw std::runtime_error(
            fmt::format("node {} is not written in [nodes]", model_.nodes[id].name));
      }
      const Vector3d p = situation_.position(id);
      std::string all;
      for (int d = 0; d < 3; ++d) {
        if (value->items.size() == 2 && d != 0 && d != model_.vertical) continue;
        all += (all.empty() ? "" : ", ") + length(p[d]);
      }
      const std::size_t at = edit_.offset(value->at);
      edit_.replace(at, edit_.end_of_value(at), "[" + all + "]");
    }
  }

  /// The roll that gives a member the axes that it has, degrees; nothing where it is its own.
  std::optional<double> roll_of(MemberId id) const {
    const Member& m = model_.members[id];
    const Vector3d a = situation_.position(m.start), b = situation_.position(m.end);
    const Matrix3d axes = local_axes(situation_, id);
    const Matrix3d own = local_axes(a, b, 0, model_.vertical);
    const double roll = std::atan2(axes.row(1).dot(own.row(2)), axes.row(1).dot(own.row(1)));
    const double turned = std::remainder(roll - m.roll, 2 * std::numbers::pi);
    if (std::abs(turned) < kSameAxes) return std::nullopt;
    return roll * 180 / std::numbers::pi;
  }

  void turn_members() {
    const Value* members = root_.find("members");
    std::string parts;  // of runs, whose section axes turn by themselves
    for (const MemberId id : model_.members.ids()) {
      const auto roll = roll_of(id);
      if (!roll) continue;
      const std::string& name = model_.members[id].name;
      const Value* value = members != nullptr ? members->find(name) : nullptr;
      if (value != nullptr) {
        turn(*value, *roll);
        continue;
      }
      const Value* run =
          members != nullptr ? members->find(name.substr(0, name.rfind('.'))) : nullptr;
      if (run == nullptr || run->find("roll") != nullptr || run->find("facing") != nullptr) {
        throw std::runtime_error(
            fmt::format("the section axes of {}, a part of a run with a roll, turn by themselves: "
                        "write the members of the run one by one",
                        name));
      }
      parts += fmt::format("\"{}\" = {{ roll = {} }}\n", name, *roll);
    }
    if (!parts.empty()) add_defaults(parts);
  }

  /// At the end of [defaults], where the last word is.
  void add_defaults(const std::string& entries) {
    const Value* defaults = root_.find("defaults");
    if (defaults == nullptr) {
      const std::size_t end = edit_.text().size();
      edit_.replace(end, end, "\n[defaults]\n" + entries);
      return;
    }
    if (defaults->inline_table || defaults->entries.empty()) {
      throw std::runtime_error("write [defaults] as a table of its own");
    }
    std::size_t end = 0;
    for (const Entry& e : defaults->entries) {
      if (e.value.is_table() && !e.value.inline_table) {
        throw std::runtime_error("write [defaults] as one table");
      }
      end = std::max(end, edit_.end_of_value(edit_.offset(e.value.at)));
    }
    end = edit_.next_line(end);
    const bool whole_line = end > 0 && edit_[end - 1] == '\n';
    edit_.replace(end, end, (whole_line ? "" : "\n") + entries);
  }

  void turn(const Value& value, double roll) {
    const std::string key = fmt::format("roll = {}", roll);
    const std::size_t at = edit_.offset(value.at);
    if (value.is_array()) {
      const auto item = [&](std::size_t i) {
        const std::size_t from = edit_.offset(value.items[i].at);
        return edit_.text().substr(from, edit_.end_of_value(from) - from);
      };
      std::string table = fmt::format("{{ from = {}, to = {}, ", item(0), item(1));
      if (value.items.size() > 2) table += fmt::format("section = {}, ", item(2));
      edit_.replace(at, edit_.end_of_value(at), table + key + " }");
      return;
    }
    for (const char* name : {"roll", "facing"}) {
      for (const Entry& e : value.entries) {
        if (e.key != name) continue;
        edit_.replace(edit_.offset(e.at), edit_.end_of_value(edit_.offset(e.value.at)), key);
        return;
      }
    }
    const Entry& first = value.entries.front();
    edit_.replace(edit_.offset(first.at), edit_.offset(first.at),
                  key + (value.inline_table ? ", " : "\n"));
  }

  void drop_start_shapes() {
    const Value* analyses = root_.find("analyses");
    if (analyses == nullptr) return;
    for (const Entry& analysis : analyses->entries) {
      for (const Entry& e : analysis.value.entries) {
        if (e.key != "start_shape") continue;
        std::size_t from = edit_.offset(e.at);
        if (!e.value.inline_table) {
          from = edit_.line_start(from);
          std::size_t to = edit_.next_line(from);
          while (edit_[to] != '\0' && edit_[to] != '[') to = edit_.next_line(to);
          edit_.replace(from, to, "");
          continue;
        }
        std::size_t to = edit_.end_of_value(edit_.offset(e.value.at));
        while (edit_[to] == ' ') ++to;
        if (edit_[to] == ',') ++to;  // within an inline table
        edit_.replace(from, to, "");
      }
    }
  }

  const ModelFile& file_;
  const Model& model_;
  const Situation& situation_;
  Value root_;
  TextEdit edit_;
};

}  // namespace

std::string imperfect_model(const ModelFile& file, const Situation& situation,
                            const std::string& heading) {
  return Writer(file, situation).write(heading);
}

}  // namespace ulterix
