#include "app/stored_run.hpp"

#include <algorithm>
#include <cmath>
#include <unordered_map>
#include <unordered_set>

#include "core/analysis/large_displacement.hpp"
#include "core/analysis/p_delta.hpp"
#include "core/analysis/run.hpp"
#include "core/analysis/staged.hpp"
#include "core/element/corotational_piece.hpp"

namespace ulterix {

namespace {

/// A load factor above this is no result of ours.
constexpr double kMostFactor = 1e6;

/// The loads of an analysis by their name: those of its own, { G = 1, Q = 1.5 } that grow or what
/// acts in a stage, or a set of the model.
std::optional<LoadSet> loads_of(const Model& model, const std::string& analysis,
                                const std::string& name) {
  if (const AnalysisSpec* spec = model.find_analysis(analysis)) {
    for (const LoadSet& own : spec->loads) {
      if (own.name == name) return own;
    }
  }
  if (auto known = find_loads(model, name)) return known;
  for (const AnalysisSpec& spec : model.analyses) {  // the baseline of those
    for (const LoadSet& own : spec.loads) {
      if (own.name == name && spec.kind() != AnalysisKind::staged) return own;
    }
  }
  return std::nullopt;
}

/// The stage whose state a step has, or starts from; 0: none.
int stage_of(const Model& model, const Step& step) {
  if (step.kind == AnalysisKind::staged) return step.number;
  const AnalysisSpec* spec = model.find_analysis(step.analysis);
  const AnalysisSpec* start =
      spec != nullptr && !spec->after.empty() ? model.find_analysis(spec->after.analysis) : nullptr;
  if (start == nullptr || start->kind() != AnalysisKind::staged) return 0;
  for (std::size_t i = 0; i < start->loads.size(); ++i) {
    if (start->loads[i].name == spec->after.loads) return static_cast<int>(i) + 1;
  }
  return 0;
}

/// The staged analysis of that stage.
const AnalysisSpec* erection_of(const Model& model, const Step& step) {
  const AnalysisSpec* spec = model.find_analysis(step.analysis);
  if (spec == nullptr || step.kind == AnalysisKind::staged) return spec;
  return model.find_analysis(spec->after.analysis);
}

/// The six reals of a row from a column on, in SI.
Vector6d six(const std::vector<Cell>& row, std::size_t from, const UnitSystem& units,
             Quantity first, Quantity last) {
  Vector6d v;
  for (std::size_t i = 0; i < 6; ++i) {
    v[static_cast<Eigen::Index>(i)] = units.to_si(i < 3 ? first : last, number_in(row[from + i]));
  }
  return v;
}

}  // namespace

std::optional<LoadSet> find_loads(const Model& model, const std::string& name) {
  for (const LoadSet& set : model.combinations) {
    if (set.name == name) return set;
  }
  for (const CaseId id : model.cases.ids()) {
    if (model.cases[id].name == name) return model.case_alone(id);
  }
  return std::nullopt;
}

StoredRun::StoredRun(const Results& results, const std::vector<std::string>& analyses,
                     const std::vector<std::string>& loads, const std::vector<std::string>& members)
    : file_(results.model()) {
  std::vector<Results::Filter> filters;
  std::vector<std::string> with_starts = analyses;
  if (!analyses.empty()) {
    for (const std::string& name : analyses) {
      const AnalysisSpec* spec = model().find_analysis(name);
      if (spec != nullptr && !spec->after.empty()) with_starts.push_back(spec->after.analysis);
    }
    filters.push_back({"analysis", "analysis", with_starts});
  }
  if (!loads.empty()) filters.push_back({"load", "loads", loads});
  read_steps(results, filters);
  std::vector<Results::Filter> ends = filters, own = filters;
  ends.push_back({"node", "node", {}});
  own.push_back({"member", "member", {}});
  std::vector<MemberId> wanted;
  const std::unordered_set<std::string> named(members.begin(), members.end());
  for (const MemberId id : model().members.ids()) {
    const Member& m = model().members[id];
    if (!named.contains(m.name)) continue;
    wanted.push_back(id);
    own.back().wanted.push_back(m.name);
    ends.back().wanted.push_back(model().nodes[m.start].name);
    ends.back().wanted.push_back(model().nodes[m.end].name);
  }
  read_reactions(results, filters);
  if (model().has_one_way()) read_states(results, filters);
  Births births;
  births.built = read_births(results, "births", with_starts);
  const bool creeps = std::any_of(
      model().analyses.begin(), model().analyses.end(),
      [](const AnalysisSpec& a) { return a.is_erection() && a.staged().creep.has_value(); });
  if (creeps) births.crept = read_births(results, "creep", with_starts);
  place_on_frames(read_coordinates(results), births);
  if (wanted.empty()) {
    read_motion(results, filters);
    read_axial(results, filters);
    read_poses(results, filters);
    set_loads({});
    return;
  }
  read_motion(results, ends);
  read_poses(results, own);
  const bool acts =
      std::any_of(steps_.begin(), steps_.end(), [](const Step& s) { return s.state.geometric; });
  if (acts) read_axial(results, own);
  set_loads(wanted);
}

const Step* StoredRun::find(const std::string& analysis, const std::string& loads) const {
  for (const Step& s : steps_) {
    if (s.analysis == analysis && s.loads.name == loads) return &s;
  }
  return nullptr;
}

Step* StoredRun::step_of(const std::vector<Cell>& row) {
  const auto number = static_cast<int>(number_in(row[2]));
  // Rows of one step follow each other.
  for (Step& s : steps_) {
    if (s.number == number && s.analysis == text_in(row[0]) && s.loads.name == text_in(row[1])) {
      return &s;
    }
  }
  return nullptr;
}

void StoredRun::read_steps(const Results& results, const std::vector<Results::Filter>& filters) {
  for (const auto& row : results.table("steps", filters).rows) {
    Step step;
    step.analysis = text_in(row[0]);
    step.number = static_cast<int>(number_in(row[2]));
    step.label = text_in(row[3]);
    step.outcome.verdict = value_of(kVerdicts, text_in(row[5])).value_or(Verdict::not_solvable);
    step.outcome.reason = text_in(row[6]);
    step.has_state = is_number(row[4]);
    const AnalysisSpec* spec = model().find_analysis(step.analysis);
    std::optional<LoadSet> loads = loads_of(model(), step.analysis, text_in(row[1]));
    // Those of a path come on top as it is followed (loads_at).
    const bool on_path = spec != nullptr && spec->kind() == AnalysisKind::large_displacement;
    if (loads && spec != nullptr && !spec->after.empty() && !on_path) {
      const auto stays = loads_of(model(), spec->after.analysis, spec->after.loads);
      if (stays) loads = on_top(*loads, *stays);
    }
    if (!step.has_state || !loads) continue;
    step.loads = *loads;
    step.state = State(model());
    step.state.lambda = number_in(row[4]);
    if (!(std::abs(step.state.lambda) <= kMostFactor)) results.damaged();
    if (spec != nullptr && step.analysis != kBaseline) {
      step.kind = spec->kind();
    }
    if (step.kind == AnalysisKind::staged) {
      const auto& stages = spec->staged().stages;
      if (step.number < 1 || static_cast<std::size_t>(step.number) > stages.size()) {
        results.damaged();
      }
      step.at_once = spec->staged().at_once;
      const AnalysisKind theory = stages[static_cast<std::size_t>(step.number) - 1].theory;
      step.state.geometric = theory == AnalysisKind::p_delta;
    }
    if (step.kind == AnalysisKind::p_delta) {
      const PDeltaKeys& keys = spec->p_delta();
      step.split = keys.split;
      step.state.geometric = true;
      step.state.between_nodes = keys.between_nodes;
      step.state.axial_given = keys.axial_from.has_value();
    }
    step.reactions = IndexedVector<NodeId, Vector6d>(model().nodes.size(), Vector6d::Zero());
    steps_.push_back(std::move(step));
  }
}

void StoredRun::read_motion(const Results& results, const std::vector<Results::Filter>& filters) {
  const ByName<NodeId> node(results, model().nodes);
  for (const auto& row : results.table("displacements", filters).rows) {
    Step* step = step_of(row);
    if (step == nullptr) continue;
    const Vector6d u = six(row, 4, units(), Quantity::displacement, Quantity::rotation);
    step->state.nodes[node(row[3])] = {u.head<3>(), u.tail<3>()};
  }
}

void StoredRun::read_axial(const Results& results, const std::vector<Results::Filter>& filters) {
  const ByName<MemberId> member(results, model().members);
  for (const auto& row : results.table("acting_axial", filters).rows) {
    Step* step = step_of(row);
    if (step == nullptr) continue;
    const MemberId id = member(row[3]);
    const double N = units().to_si(Quantity::force, number_in(row[4]));
    if (!(waves_of(step->frame->properties(id), N) <= kMostWaves)) results.damaged();
    step->state.members[id].axial_start = N;
  }
}

void StoredRun::read_states(const Results& results, const std::vector<Results::Filter>& filters) {
  std::unordered_map<std::string, MemberId> members;
  for (const MemberId id : model().members.ids()) members.emplace(model().members[id].name, id);
  for (const auto& row : results.table("states", filters).rows) {
    Step* step = step_of(row);
    if (step == nullptr) continue;
    step->state.one_way = true;
    const auto member = members.find(text_in(row[3]));
    if (member == members.end()) continue;
    const std::string word = text_in(row[4]);
    Activity& activity = step->state.members[member->second].activity;
    if (word == "slack") activity = Activity::idle;
    if (word == "broken") activity = Activity::broken;
    if (word == "yields") activity = Activity::yields;
    if (!is_number(row[7])) continue;
    step->state.members[member->second].permanent =
        units().to_si(Quantity::displacement, number_in(row[7]));
  }
}

/// `members`: whose loads are wanted; empty: all.
void StoredRun::set_loads(const std::vector<MemberId>& members) {
  for (Step& step : steps_) {
    // Recovery makes the loads of a whole frame by itself; it does not know of constant ones.
    if (members.empty() && step.kind != AnalysisKind::large_displacement) continue;
    const AnalysisSpec* spec = model().find_analysis(step.analysis);
    const LoadSet loads = spec != nullptr ? loads_at(*spec, step.loads, step.state.lambda)
                                          : scaled(step.loads, step.state.lambda);
    const Situation& situation = step.frame->situation();
    step.applied = members.empty() ? std::make_shared<AppliedLoads>(situation, loads)
                                   : std::make_shared<AppliedLoads>(situation, loads, members);
  }
}

void StoredRun::read_poses(const Results& results, const std::vector<Results::Filter>& filters) {
  const bool finite = std::any_of(steps_.begin(), steps_.end(), [this](const Step& s) {
    if (s.kind != AnalysisKind::staged) return s.kind == AnalysisKind::large_displacement;
    return has_finite_motion(model().find_analysis(s.analysis)->staged());
  });
  if (!finite) return;
  const ByName<MemberId> member(results, model().members);
  for (const auto& row : results.table("poses", filters).rows) {
    Step* step = step_of(row);
    if (step == nullptr) continue;
    auto& poses = step->state.poses;
    if (poses.empty()) poses = IndexedVector<MemberId, MemberPoses>(model().members.size());
    MemberPoses& own = poses[member(row[3])];
    const double x = units().to_si(Quantity::length, number_in(row[4]));
    if (!own.x.empty() && !(x > own.x.back())) results.damaged();
    own.x.push_back(x);
    const Vector6d u = six(row, 5, units(), Quantity::displacement, Quantity::rotation);
    Pose pose;
    pose.displacement = u.head<3>();
    pose.vector = u.tail<3>();
    pose.rotation = turn_by(pose.vector);
    own.poses.push_back(pose);
  }
}

StoredRun::Offsets StoredRun::read_coordinates(const Results& results) {
  Offsets all;
  const bool shaped =
      std::any_of(model().analyses.begin(), model().analyses.end(), [](const AnalysisSpec& a) {
        return a.kind() == AnalysisKind::large_displacement && a.large_displacement().start_shape;
      });
  if (!shaped) return all;
  const ByName<NodeId> node(results, model().nodes);
  for (const auto& row : results.table("coordinates", {}).rows) {
    Step* step = step_of(row);
    if (step == nullptr) continue;
    auto& offsets = all[step];
    if (offsets.empty()) {
      offsets = IndexedVector<NodeId, Vector3d>(model().nodes.size(), Vector3d::Zero());
    }
    for (std::size_t d = 0; d < 3; ++d) {
      offsets[node(row[3])][static_cast<Eigen::Index>(d)] =
          units().to_si(Quantity::displacement, number_in(row[7 + d]));
    }
  }
  return all;
}

std::vector<StoredRun::Birthplace> StoredRun::read_births(
    const Results& results, const char* table, const std::vector<std::string>& analyses) const {
  std::vector<Birthplace> all;
  const bool staged =
      std::any_of(model().analyses.begin(), model().analyses.end(),
                  [](const AnalysisSpec& a) { return a.kind() == AnalysisKind::staged; });
  if (!staged) return all;
  const ByName<MemberId> member(results, model().members);
  std::vector<Results::Filter> filters;
  if (!analyses.empty()) filters.push_back({"analysis", "analysis", analyses});
  for (const auto& row : results.table(table, filters).rows) {
    Birthplace born;
    born.analysis = text_in(row[0]);
    born.stage = static_cast<int>(number_in(row[2]));
    born.member = member(row[3]);
    born.at_start = text_in(row[4]) == "start";
    const Vector6d u = six(row, 5, units(), Quantity::displacement, Quantity::rotation);
    born.motion = {u.head<3>(), u.tail<3>()};
    all.push_back(born);
  }
  return all;
}

/// What stands in a stage, and where it was built in.
void StoredRun::build(const Step& step, const Births& births, Situation& situation) const {
  situation.clear();
  const AnalysisSpec* known = erection_of(model(), step);
  if (known == nullptr) return;
  const AnalysisSpec& erection = *known;
  const int last = stage_of(model(), step);
  for (int k = 0; k < last; ++k) {
    situation.change_members(erection.staged().stages[static_cast<std::size_t>(k)]);
  }
  for (const Birthplace& crept : births.crept) {
    if (crept.analysis != erection.name || crept.stage > last) continue;
    if (situation.present[crept.member] == 0) continue;
    if (situation.aged.empty()) {
      situation.aged = IndexedVector<MemberId, std::optional<Aged>>(model().members.size());
    }
    // The rows of later stages come after.
    if (!situation.aged[crept.member]) situation.aged[crept.member].emplace();
    situation.aged[crept.member]->shift.segment<6>(crept.at_start ? 0 : 6) = crept.motion.vector();
  }
  for (const Birthplace& born : births.built) {
    if (born.analysis != erection.name || born.stage > last) continue;
    if (situation.present[born.member] == 0) continue;
    if (situation.birth(born.member) == nullptr) situation.bear(born.member, State(model()));
    Birth& own = *situation.births[born.member];
    (born.at_start ? own.start : own.end) = born.motion;
  }
}

void StoredRun::place_on_frames(const Offsets& offsets, const Births& births) {
  for (Step& step : steps_) {
    for (const Step& before : steps_) {
      if (&before == &step || step.frame || stage_of(model(), step) > 0) break;
      if (stage_of(model(), before) > 0) continue;
      const Situation& its = before.frame->situation();
      bool same = its.one_way == step.state.one_way && !offsets.contains(&step) &&
                  !offsets.contains(&before);
      for (const MemberId id : model().members.ids()) {
        const MemberState &own = step.state.members[id], &other = before.state.members[id];
        same = same && own.activity == other.activity && own.permanent == other.permanent;
      }
      if (same) step.frame = before.frame;
    }
    if (step.frame) continue;
    Situation situation(model());
    situation.one_way = step.state.one_way;
    if (const auto own = offsets.find(&step); own != offsets.end()) {
      situation.offsets = own->second;
    }
    if (stage_of(model(), step) > 0) build(step, births, situation);
    for (const MemberId id : model().members.ids()) {
      const Activity activity = step.state.members[id].activity;
      situation.idle[id] = activity == Activity::idle ? 1 : 0;
      if (has_failed(activity)) situation.fail(id, activity);
      situation.keep_permanent(id, step.state);
    }
    step.frame = std::make_shared<MemberFrame>(situation);
  }
}

void StoredRun::read_reactions(const Results& results,
                               const std::vector<Results::Filter>& filters) {
  const ByName<NodeId> node(results, model().nodes);
  for (const auto& row : results.table("reactions", filters).rows) {
    Step* step = step_of(row);
    if (step == nullptr) continue;
    step->reactions[node(row[3])] = six(row, 4, units(), Quantity::force, Quantity::moment);
  }
}

}  // namespace ulterix
