// Staged construction: what stands in each stage, and what acts then.
#include <algorithm>
#include <set>

#include "core/analysis/creep.hpp"
#include "core/analysis/staged.hpp"
#include "core/results/storeys.hpp"
#include "read/analysis_reading.hpp"
#include "read/name_matching.hpp"

namespace ulterix {

namespace {

using Factors = std::vector<std::pair<CaseId, double>>;

/// The loads of a case at a factor, of the members and nodes that are asked for.
class ItemsOf {
 public:
  using Members = IndexedVector<MemberId, char>;
  using Nodes = IndexedVector<NodeId, char>;
  ItemsOf(const Model& model, const Members& members, const Nodes& nodes)
      : model_(model), members_(members), nodes_(nodes) {}

  /// True if anything was added.
  bool add(CaseId id, double factor, LoadCase& items) const {
    const LoadCase& c = model_.cases[id];
    bool any = false;
    const auto take = [&any](const auto& loads, const auto& stands, auto& to, const auto& scale) {
      for (auto load : loads) {
        if (!stands(load)) continue;
        scale(load);
        to.push_back(load);
        any = true;
      }
    };
    const auto on_member = [this](const auto& load) { return members_[load.member] != 0; };
    const auto on_node = [this](const auto& load) { return nodes_[load.node] != 0; };
    const auto force = [factor](auto& load) { load.force *= factor; };
    take(c.nodal, on_node, items.nodal, force);
    take(c.self_weight, on_member, items.self_weight,
         [factor](SelfWeight& w) { w.factor *= factor; });
    take(c.distributed, on_member, items.distributed, [factor](DistributedLoad& d) {
      d.at_from *= factor;
      d.at_to *= factor;
    });
    take(c.points, on_member, items.points, force);
    take(c.strains, on_member, items.strains, [factor](MemberStrain& s) {
      for (double* part :
           {&s.warm, &s.gradient[0], &s.gradient[1], &s.lack_of_fit, &s.preload, &s.cable_strain}) {
        *part *= factor;
      }
    });
    take(c.ground, on_node, items.ground, [factor](GroundMotion& g) { g.amount *= factor; });
    return any;
  }

 private:
  const Model& model_;
  const Members& members_;
  const Nodes& nodes_;
};

/// By which factor a case acts on each part.
struct Applied {
  IndexedVector<MemberId, double> members;
  IndexedVector<NodeId, double> nodes;

  explicit Applied(const Model& model)
      : members(model.members.size(), 0.0), nodes(model.nodes.size(), 0.0) {}
  void add(double factor, const ItemsOf::Members& on_members, const ItemsOf::Nodes& on_nodes) {
    for (const MemberId m : members.ids()) members[m] += on_members[m] != 0 ? factor : 0;
    for (const NodeId n : nodes.ids()) nodes[n] += on_nodes[n] != 0 ? factor : 0;
  }
  void drop(const Situation& now) {
    for (const MemberId m : members.ids()) members[m] = now.present[m] != 0 ? members[m] : 0;
    for (const NodeId n : nodes.ids()) nodes[n] = now.standing[n] != 0 ? nodes[n] : 0;
  }
};

/// Reads the stages one after the other, and keeps what stands and what acts.
class StagesReader {
 public:
  StagesReader(Reading& r, const Value& t, std::string who, AnalysisSpec& spec)
      : r_(r),
        who_(std::move(who)),
        spec_(spec),
        keys_(spec.become<StagedKeys>()),
        now_(r.model),
        ever_(r.model.members.size(), 0),
        stood_(r.model.nodes.size(), 0),
        supported_(r.model.nodes.size()) {
    for (int i = 0; i < r.model.cases.size(); ++i) applied_.push_back(Applied(r.model));
    now_.clear();
    spec_.loads.clear();
    theory_ = read_theory(t, who_).value_or(AnalysisKind::first_order);
    drawn_ = read_position(t, who_).value_or(false);
    if (const Value* v = t.find("brings")) brings_ = read_factors(*v, who_ + ": brings");
    if (const Value* v = t.find("creep")) read_creep(*v);
    for (const Support& s : r.model.supports) {
      for (std::size_t d = 0; d < 6; ++d) {
        if (s.directions[d].stiffness != 0) supported_[s.node][d] = true;
      }
    }
  }

  void read(const Value& t, Location at) {
    if (const Value* v = t.find("after")) go_on_after(*v);
    const Value* stages = t.find("stages");
    if (stages == nullptr) {
      return r_.complain(at, "{}: stages is missing: a list, or {{ by = \"levels\" }}", who_);
    }
    if (stages->is_table()) {
      by_levels(*stages);
    } else if (stages->is_array() && !stages->items.empty()) {
      for (const Value& item : stages->items) read_stage(item);
    } else {
      return r_.complain(stages->at, "{}: stages is a list of tables, or {{ by = \"levels\" }}",
                         who_);
    }
    warn_of_the_rest(at);
    if (keys_.creep) check_creep(t.find("creep") != nullptr ? t.find("creep")->at : at);
  }

 private:
  void read_creep(const Value& v) {
    const std::string who = who_ + ": creep";
    CreepKeys& keys = keys_.creep.emplace();
    if (!r_.is_table(v, who) || !r_.check_keys(v, "creep", who)) return;
    if (const auto humidity = r_.quantity(v, "humidity", Quantity::number, who)) {
      if (*humidity < 0 || *humidity > 100) {
        r_.complain(v.find("humidity")->at, "{}: humidity is in per cent, 0 to 100", who);
      }
      keys.humidity = *humidity / 100;
    }
    if (const Value* word = v.find("class")) {
      const auto text = r_.text(*word, who + ": class");
      const auto cement = text ? value_of(kCementClasses, *text) : std::nullopt;
      if (text && !cement) r_.complain(word->at, "{}: class is S, N or R, not \"{}\"", who, *text);
      keys.cement = cement.value_or(keys.cement);
    }
    if (const auto age = r_.quantity(v, "age", Quantity::number, who)) {
      if (*age < 0.5) r_.complain(v.find("age")->at, "{}: age is at least half a day", who);
      keys.age = *age;
    }
    if (const Value* word = v.find("shrinkage")) {
      keys.shrinks = r_.flag(*word, who + ": shrinkage").value_or(true);
    }
  }

  /// Complaints about what creep is not followed in; the loads as members have crept under them.
  void check_creep(Location at) {
    for (const Stage& stage : keys_.stages) {
      if (stage.theory == AnalysisKind::first_order) continue;
      return r_.complain(at, "{}: creep goes with theory \"first-order\" alone", who_);
    }
    bool any = false;
    for (const MemberId id : r_.model.members.ids()) {
      if (ever_[id] == 0 || !creeps(r_.model, id)) continue;
      any = true;
      const std::string complaint = creep_complaint(r_.model, id);
      if (complaint.empty()) continue;
      r_.complain(at, "{}: creep of {} is not supported: {}", who_, r_.model.members[id].name,
                  complaint);
      return;
    }
    if (!any) {
      return r_.complain(at, "{}: creep: no member is of concrete (material with concrete or fc)",
                         who_);
    }
    for (std::size_t k = 0; k < spec_.loads.size(); ++k) {
      spec_.loads[k].bends = crept_loads(r_.model, spec_, k);
    }
  }

  /// Days before a stage; empty: none.
  std::optional<double> read_days(const Value& t, const std::string& who) {
    const Value* v = t.find("days");
    if (v == nullptr) return std::nullopt;
    const auto days = r_.quantity(*v, Quantity::number, who + ": days");
    if (!days) return std::nullopt;
    if (*days < 0) r_.complain(v->at, "{}: days pass forward", who);
    if (!keys_.creep) {
      r_.complain(v->at, "{}: days change nothing without creep = {{ }} of the analysis", who);
    }
    return *days > 0 ? days : std::nullopt;
  }

  /// Days pass, and nothing else happens.
  void wait(double days) {
    Stage stage;
    stage.name = fmt::format("{} + {:g} d", keys_.stages.back().name, days);
    stage.days = days;
    stage.theory = keys_.stages.back().theory;
    stage.line = keys_.stages.back().line;
    LoadSet loads = spec_.loads.back();
    loads.name = stage.name;
    spec_.loads.push_back(std::move(loads));
    keys_.stages.push_back(std::move(stage));
  }

  std::optional<AnalysisKind> read_theory(const Value& t, const std::string& who) {
    const Value* v = t.find("theory");
    if (v == nullptr) return std::nullopt;
    const auto word = r_.text(*v, who + ": theory");
    if (!word) return std::nullopt;
    for (const AnalysisKind kind :
         {AnalysisKind::first_order, AnalysisKind::p_delta, AnalysisKind::large_displacement}) {
      if (*word == word_of(kAnalysisKinds, kind)) return kind;
    }
    r_.complain(v->at, "{}: theory is first-order, p-delta or large-displacement, not \"{}\"", who,
                *word);
    return std::nullopt;
  }

  void check_theory(const Value& t, const std::string& who, AnalysisKind before,
                    AnalysisKind theory) {
    if (theory == before) return;
    const auto finite = [](AnalysisKind k) { return k == AnalysisKind::large_displacement; };
    if (finite(theory) || finite(before)) {
      r_.complain(t.at, "{}: large-displacement is the theory of all stages or of none", who);
    } else if (theory == AnalysisKind::first_order) {
      r_.complain(t.at, "{}: a stage before is p-delta, and there is no way back to first-order",
                  who);
    }
  }

  std::optional<bool> read_position(const Value& t, const std::string& who) {
    const Value* v = t.find("position");
    if (v == nullptr) return std::nullopt;
    const auto word = r_.text(*v, who + ": position");
    if (word && word != "displaced" && word != "drawn") {
      r_.complain(v->at, "{}: position is displaced or drawn, not \"{}\"", who, *word);
    }
    return word == "drawn";
  }

  Factors read_factors(const Value& v, const std::string& who) {
    Factors factors;
    if (!r_.is_table(v, who)) return factors;
    for (const Entry& term : v.entries) {
      const auto factor = r_.quantity(term.value, Quantity::number, who);
      const auto load_case = r_.load_case(term.key, term.at, who);
      if (load_case && factor) factors.emplace_back(*load_case, *factor);
    }
    return factors;
  }

  /// The stages of another erection up to one of them come first.
  void go_on_after(const Value& v) {
    const auto text = r_.text(v, who_ + ": after");
    if (!text) return;
    std::vector<std::string> known;
    for (const AnalysisSpec& a : r_.model.analyses) {
      if (!a.is_erection()) continue;
      const std::vector<Stage>& stages = a.staged().stages;
      for (std::size_t k = 0; k < stages.size(); ++k) {
        known.push_back(a.name + ":" + stages[k].name);
        if (known.back() != *text) continue;
        for (std::size_t i = 0; i <= k; ++i) repeat(stages[i], a.loads[i]);
        if (theory_ == AnalysisKind::first_order) theory_ = stages[k].theory;
        if (!keys_.creep) keys_.creep = a.staged().creep;
        if (a.loads[k].heavy) put_on(*a.loads[k].heavy);
        return;
      }
    }
    r_.complain(v.at, "{}: after: no stage \"{}\" (ANALYSIS:STAGE) above{}", who_, *text,
                did_you_mean(*text, known));
  }

  /// The cases that a stage before has put on, told by the loads that are mass there.
  void put_on(const LoadCase& heavy) {
    for (const auto& [id, factor] : r_.model.mass.from_loads) {
      const LoadCase& c = r_.model.cases[id];
      Applied& applied = applied_[id];
      const auto mark = [factor = factor](const auto& of_case, const auto& there, auto& parts,
                                          const auto& part, const auto& values) {
        for (const auto& load : of_case) {
          const bool acts = std::any_of(there.begin(), there.end(), [&](const auto& t) {
            return part(t) == part(load) && values(t) == factor * values(load);
          });
          if (acts) parts[part(load)] = 1;
        }
      };
      const auto member = [](const auto& load) { return load.member; };
      const auto force = [](const auto& load) { return Vector6d(load.force); };
      mark(c.distributed, heavy.distributed, applied.members, member,
           [](const DistributedLoad& d) { return Vector6d(d.at_from); });
      mark(c.points, heavy.points, applied.members, member, force);
      mark(c.self_weight, heavy.self_weight, applied.members, member,
           [](const SelfWeight& w) { return w.factor; });
      mark(
          c.nodal, heavy.nodal, applied.nodes, [](const NodalLoad& n) { return n.node; }, force);
    }
  }

  void repeat(const Stage& stage, const LoadSet& loads) {
    update(stage);
    for (const Support& s : stage.supports) {
      for (std::size_t d = 0; d < 6; ++d) {
        if (s.directions[d].stiffness != 0) supported_[s.node][d] = true;
      }
    }
    for (const auto& [node, d] : stage.freed) supported_[node][static_cast<std::size_t>(d)] = false;
    items_ = *loads.items;
    spec_.loads.push_back(loads);
    keys_.stages.push_back(stage);
  }

  /// Every level brings what lies up to it and does not stand yet, the last one all the rest.
  void by_levels(const Value& v) {
    const Value* by = v.find("by");
    const auto word = by != nullptr ? r_.text(*by, who_ + ": stages: by") : std::nullopt;
    if (!r_.check_keys(v, "stages", who_ + ": stages")) return;
    if (word != "levels") {
      return r_.complain(v.at, "{}: stages: by is \"levels\"", who_);
    }
    const std::optional<double> days = read_days(v, who_ + ": stages");
    const std::vector<Level> levels = find_levels(r_.model);
    const std::size_t before = keys_.stages.size();
    for (std::size_t i = 0; i < levels.size(); ++i) {
      Stage stage;
      stage.name = levels[i].name;
      stage.drawn = drawn_;
      stage.theory = theory_;
      stage.line = v.at.line;
      const double top = levels[i].high + 1e-6 * r_.model.size();
      for (const MemberId id : r_.model.members.ids()) {
        const Member& m = r_.model.members[id];
        const int up = r_.model.vertical;
        const double high =
            std::max(r_.model.nodes[m.start].position[up], r_.model.nodes[m.end].position[up]);
        if (now_.present[id] == 0 && (high <= top || i + 1 == levels.size())) {
          stage.erected.push_back(id);
        }
      }
      if (stage.erected.empty()) continue;
      if (days && keys_.stages.size() > before) wait(*days);
      update(stage);
      act(stage, brings_, {}, {}, v.at);
    }
    if (keys_.stages.size() == before) {
      r_.complain(v.at, "{}: there are no levels: name them under [levels], or list the stages",
                  who_);
    }
  }

  void read_stage(const Value& t) {
    std::string who = fmt::format("{}: stage {}", who_, keys_.stages.size() + 1);
    if (!r_.is_table(t, who) || !r_.check_keys(t, "stage", who)) return;
    Stage stage;
    stage.line = t.at.line;
    stage.name = std::to_string(keys_.stages.size() + 1);
    if (const Value* name = t.find("name")) {
      stage.name = r_.text(*name, who + ": name").value_or(stage.name);
      who = fmt::format("{}: stage {}", who_, stage.name);
    }
    const bool known = std::any_of(keys_.stages.begin(), keys_.stages.end(),
                                   [&](const Stage& s) { return s.name == stage.name; });
    if (known) r_.complain(t.at, "{}: two stages have this name", who);
    stage.theory = read_theory(t, who).value_or(theory_);
    if (!keys_.stages.empty()) check_theory(t, who, keys_.stages.back().theory, stage.theory);
    stage.drawn = read_position(t, who).value_or(drawn_);
    if (const auto days = read_days(t, who)) {
      const std::array<const char*, 7> changes = {"erect",  "strike", "support", "free",
                                                  "settle", "add",    "take_off"};
      const bool waits = std::all_of(changes.begin(), changes.end(),
                                     [&t](const char* key) { return t.find(key) == nullptr; });
      if (keys_.stages.empty()) {
        r_.complain(t.at, "{}: days count from the stage before, and this is the first", who);
      } else if (waits) {
        stage.days = *days;
      } else {
        wait(*days);
      }
    }
    if (const Value* v = t.find("erect")) read_erected(*v, who, stage);
    if (const Value* v = t.find("strike")) read_struck(*v, who, stage);
    update(stage);
    if (const Value* v = t.find("support")) read_supports(*v, who, stage);
    if (const Value* v = t.find("free")) read_freed(*v, who, stage);
    if (const Value* v = t.find("settle")) read_ground(*v, who, stage);
    const auto factors = [&](const char* key) {
      const Value* v = t.find(key);
      return v != nullptr ? read_factors(*v, fmt::format("{}: {}", who, key)) : Factors();
    };
    act(stage, t.find("brings") != nullptr ? factors("brings") : brings_, factors("add"),
        factors("take_off"), t.at);
  }

  std::string stage_of(const std::vector<MemberId> Stage::*part, MemberId id) const {
    for (auto s = keys_.stages.rbegin(); s != keys_.stages.rend(); ++s) {
      const auto& list = (*s).*part;
      if (std::find(list.begin(), list.end(), id) != list.end()) return s->name;
    }
    return "?";
  }

  void read_erected(const Value& v, const std::string& who, Stage& stage) {
    for (const MemberId id : r_.select_members(v, who + ": erect")) {
      if (now_.present[id] != 0) {
        r_.complain(v.at, "{}: erect: {} stands already, since stage {}", who,
                    r_.model.members[id].name, stage_of(&Stage::erected, id));
        return;
      }
      stage.erected.push_back(id);
    }
  }

  void read_struck(const Value& v, const std::string& who, Stage& stage) {
    for (const MemberId id : r_.select_members(v, who + ": strike")) {
      if (now_.present[id] == 0) {
        r_.complain(v.at, "{}: strike: {} does not stand", who, r_.model.members[id].name);
        return;
      }
      stage.struck.push_back(id);
    }
  }

  /// What stands after the members of a stage came and went.
  void update(const Stage& stage) {
    stood_ = now_.standing;
    now_.change_members(stage);
    for (const MemberId id : stage.erected) ever_[id] = 1;
  }

  bool stands(NodeId id, Location at, const std::string& who) {
    if (now_.standing[id] != 0) return true;
    r_.complain(at, "{}: node {} does not stand", who, r_.model.nodes[id].name);
    return false;
  }

  void read_supports(const Value& v, const std::string& stage_words, Stage& stage) {
    const std::string who = stage_words + ": support";
    if (!r_.is_table(v, who)) return;
    for (const Entry& entry : v.entries) {
      const auto directions = read_support_directions(r_, entry.value, who + " " + entry.key);
      for (const NodeId id : r_.select_nodes(entry.key, entry.at, who)) {
        if (!stands(id, entry.at, who)) continue;
        for (std::size_t d = 0; d < 6; ++d) {
          if (directions[d].stiffness == 0) continue;
          if (supported_[id][d]) {
            r_.complain(entry.at, "{}: {} is held already", who,
                        r_.model.place_name(id, static_cast<int>(d)));
          }
          supported_[id][d] = true;
        }
        stage.supports.push_back({id, directions, entry.at.line});
      }
    }
  }

  /// A list of nodes, freed in all directions, or a table of lists of directions.
  void read_freed(const Value& v, const std::string& stage_words, Stage& stage) {
    const std::string who = stage_words + ": free";
    const auto free = [&](NodeId id, std::size_t d) {
      stage.freed.emplace_back(id, static_cast<int>(d));
      supported_[id][d] = false;
    };
    if (!v.is_table()) {
      for (const NodeId id : r_.select_nodes(v, who)) {
        bool any = false;
        for (std::size_t d = 0; d < 6; ++d) {
          if (!supported_[id][d]) continue;
          free(id, d);
          any = true;
        }
        if (!any) r_.complain(v.at, "{}: {} has no support", who, r_.model.nodes[id].name);
      }
      return;
    }
    for (const Entry& entry : v.entries) {
      for (const auto& [name, at] : r_.selection_texts(entry.value, who)) {
        const int d = support_direction(r_, name, at, who);
        if (d < 0) continue;
        for (const NodeId id : r_.select_nodes(entry.key, entry.at, who)) {
          if (!supported_[id][static_cast<std::size_t>(d)]) {
            r_.complain(at, "{}: {} is not held", who, r_.model.place_name(id, d));
            continue;
          }
          free(id, static_cast<std::size_t>(d));
        }
      }
    }
  }

  void read_ground(const Value& v, const std::string& stage_words, Stage& stage) {
    const std::string who = stage_words + ": settle";
    if (!r_.is_table(v, who)) return;
    for (const Entry& entry : v.entries) {
      if (!r_.is_table(entry.value, who + " " + entry.key)) continue;
      for (const Entry& e : entry.value.entries) {
        const int d = support_direction(r_, e.key, e.at, who);
        if (d < 0) continue;
        const auto amount = r_.quantity(
            e.value, d < 3 ? Quantity::displacement : Quantity::rotation, who + " " + e.key);
        for (const NodeId id : r_.select_nodes(entry.key, entry.at, who)) {
          if (!supported_[id][static_cast<std::size_t>(d)]) {
            r_.complain(e.at, "{}: {} is not held", who, r_.model.place_name(id, d));
          } else if (amount) {
            stage.ground.push_back({id, d, *amount});
          }
        }
      }
    }
  }

  /// The loads that act after the stage, and the stage itself.
  void act(Stage& stage, const Factors& brings, const Factors& add, const Factors& take_off,
           Location at) {
    const std::string who = fmt::format("{}: stage {}", who_, stage.name);
    drop_what_is_gone();
    ItemsOf::Members new_members(r_.model.members.size(), 0);
    ItemsOf::Nodes new_nodes(r_.model.nodes.size(), 0);
    for (const MemberId id : stage.erected) new_members[id] = 1;
    for (const NodeId n : r_.model.nodes.ids()) {
      new_nodes[n] = now_.standing[n] != 0 && stood_[n] == 0 ? 1 : 0;
    }
    const ItemsOf arriving(r_.model, new_members, new_nodes);
    for (const auto& [id, factor] : brings) {
      arriving.add(id, factor, items_);
      applied_[id].add(factor, new_members, new_nodes);
    }
    const ItemsOf standing(r_.model, now_.present, now_.standing);
    for (const auto& [id, factor] : add) {
      applied_[id].add(factor, now_.present, now_.standing);
      if (!standing.add(id, factor, items_)) {
        r_.complain(at, "{}: add: nothing that stands carries a load of {}", who,
                    r_.model.cases[id].name);
      }
      warn_of_early_loads(id, who, at);
    }
    for (const auto& [id, factor] : take_off) {
      applied_[id].add(-factor, now_.present, now_.standing);
      if (!standing.add(id, -factor, items_)) {
        r_.complain(at, "{}: take_off: nothing that stands carries a load of {}", who,
                    r_.model.cases[id].name);
      }
    }
    LoadSet set;
    set.name = stage.name;
    set.line = stage.line;
    items_.name = stage.name;
    set.items = std::make_shared<const LoadCase>(items_);
    if (!r_.model.mass.from_loads.empty()) {
      set.heavy = std::make_shared<const LoadCase>(heavy_items());
    }
    spec_.loads.push_back(set);
    keys_.stages.push_back(std::move(stage));
  }

  /// What of the loads that are mass has been put on the frame so far, and still is: in full,
  /// whatever the factor.
  LoadCase heavy_items() const {
    constexpr double kNothing = 1e-9;
    LoadCase heavy;
    for (const auto& [id, factor] : r_.model.mass.from_loads) {
      ItemsOf::Members members(r_.model.members.size(), 0);
      ItemsOf::Nodes nodes(r_.model.nodes.size(), 0);
      for (const MemberId m : r_.model.members.ids()) {
        members[m] = applied_[id].members[m] > kNothing && now_.present[m] != 0 ? 1 : 0;
      }
      for (const NodeId n : r_.model.nodes.ids()) {
        nodes[n] = applied_[id].nodes[n] > kNothing && now_.standing[n] != 0 ? 1 : 0;
      }
      ItemsOf(r_.model, members, nodes).add(id, factor, heavy);
    }
    return heavy;
  }

  void drop_what_is_gone() {
    for (Applied& applied : applied_) applied.drop(now_);
    const auto gone = [this](const auto& load) { return now_.present[load.member] == 0; };
    std::erase_if(items_.self_weight, gone);
    std::erase_if(items_.distributed, gone);
    std::erase_if(items_.points, gone);
    std::erase_if(items_.strains, gone);
    const auto fallen = [this](const auto& load) { return now_.standing[load.node] == 0; };
    std::erase_if(items_.nodal, fallen);
    std::erase_if(items_.ground, fallen);
  }

  void warn_of_early_loads(CaseId id, const std::string& who, Location at) {
    const LoadCase& c = r_.model.cases[id];
    std::set<std::string> early;
    const auto look = [&](MemberId m) {
      if (now_.present[m] == 0 && ever_[m] == 0) early.insert(r_.model.members[m].name);
    };
    for (const DistributedLoad& d : c.distributed) look(d.member);
    for (const PointLoad& p : c.points) look(p.member);
    for (const MemberStrain& s : c.strains) look(s.member);
    if (early.empty()) return;
    r_.warn(at, "{}: add: {} puts loads on {}{}, which {} not erected yet and will never get them",
            who, c.name, *early.begin(),
            early.size() > 1 ? fmt::format(" and {} more", early.size() - 1) : "",
            early.size() > 1 ? "are" : "is");
  }

  void warn_of_the_rest(Location at) {
    std::vector<std::string> never;
    for (const MemberId id : r_.model.members.ids()) {
      if (ever_[id] == 0) never.push_back(r_.model.members[id].name);
    }
    if (never.empty() || keys_.stages.empty()) return;
    r_.warn(at, "{}: {}{} in no stage and never stand{}", who_, never.front(),
            never.size() > 1 ? fmt::format(" and {} more members are", never.size() - 1) : " is",
            never.size() > 1 ? "" : "s");
  }

  Reading& r_;
  std::string who_;
  AnalysisSpec& spec_;
  StagedKeys& keys_;
  AnalysisKind theory_ = AnalysisKind::first_order;
  bool drawn_ = false;
  Factors brings_;
  Situation now_;                                         // what stands
  IndexedVector<MemberId, char> ever_;                    // stood in some stage
  IndexedVector<NodeId, char> stood_;                     // before the stage
  IndexedVector<NodeId, std::array<bool, 6>> supported_;  // directions
  LoadCase items_;                                        // that act
  IndexedVector<CaseId, Applied> applied_;
};

/// A floor is rigid from the drawn place on: its nodes have to appear together.
void check_floors_of_stages(Reading& r, const std::string& who, const AnalysisSpec& spec) {
  Situation now(r.model);
  now.clear();
  std::vector<std::size_t> stood(r.model.floors.size(), 0);
  for (const Stage& stage : spec.staged().stages) {
    now.change_members(stage);
    for (std::size_t i = 0; i < stood.size(); ++i) {
      const Floor& floor = r.model.floors[i];
      const auto count = static_cast<std::size_t>(
          std::count_if(floor.nodes.begin(), floor.nodes.end(),
                        [&now](NodeId n) { return now.standing[n] != 0; }));
      if (stood[i] > 0 && count > stood[i]) {
        r.complain(
            {stage.line, 1},
            "{}: stage {}: floor {} would grow: a floor whose nodes appear in several stages "
            "is not supported yet",
            who, stage.name, floor.name);
      }
      stood[i] = count;
    }
  }
}

}  // namespace

void read_staged_keys(Reading& r, const Value& t, Location at, const std::string& who,
                      AnalysisSpec& spec) {
  if (const Value* loads = t.find("loads")) {
    r.complain(loads->at, "{}: stages have brings, add and take_off instead of loads", who);
  }
  StagesReader(r, t, who, spec).read(t, at);
  check_floors_of_stages(r, who, spec);
}

AnalysisSpec at_once(const AnalysisSpec& staged) {
  AnalysisSpec spec = staged;
  spec.name = at_once_name(staged.name);
  StagedKeys& keys = spec.become<StagedKeys>();
  keys.at_once = true;
  return spec;
}

}  // namespace ulterix
