#include "core/model/situation.hpp"

#include "core/model/local_axes.hpp"

namespace ulterix {

void Situation::clear() {
  for (char& p : present) p = 0;
  for (char& s : standing) s = 0;
}

void Situation::change_members(const Stage& stage) {
  for (const MemberId id : stage.struck) present[id] = 0;
  for (const MemberId id : stage.erected) present[id] = 1;
  for (char& s : standing) s = 0;
  for (const MemberId id : model->members.ids()) {
    if (present[id] == 0) continue;
    standing[model->members[id].start] = standing[model->members[id].end] = 1;
  }
}

void Situation::fail(MemberId id, Activity as) {
  if (failed.empty()) {
    failed = IndexedVector<MemberId, Activity>(model->members.size(), Activity::active);
  }
  failed[id] = as;
  if (as == Activity::broken) present[id] = 0;
}

void Situation::keep_permanent(MemberId id, const State& state) {
  const double stayed = state.members[id].permanent;
  if (stayed == 0 && permanent.empty()) return;
  if (permanent.empty()) permanent = IndexedVector<MemberId, double>(model->members.size(), 0.0);
  permanent[id] = stayed;
}

void Situation::bear(MemberId id, const State& now) {
  present[id] = 1;
  if (births.empty()) births = IndexedVector<MemberId, std::optional<Birth>>(model->members.size());
  const Member& m = model->members[id];
  births[id] = Birth{now.nodes[m.start], now.nodes[m.end]};
}

Matrix3d local_axes(const Situation& situation, MemberId id) {
  const Member& m = situation.model->members[id];
  Matrix3d drawn = local_axes(*situation.model, id);
  if (!situation.turned.empty()) {
    drawn = drawn * situation.turned[id].toRotationMatrix().transpose();
  } else if (situation.offsets[m.start].isZero(0) && situation.offsets[m.end].isZero(0)) {
    return drawn;
  }
  const Vector3d x = situation.position(m.end) - situation.position(m.start);
  const Quaterniond turn = least_turn(Vector3d(drawn.row(0)), x);
  return drawn * turn.toRotationMatrix().transpose();
}

State state_at_rest(const Situation& situation) {
  State state(*situation.model);
  state.one_way = situation.one_way;
  if (!situation.one_way) return state;
  state.open = situation.open;
  for (const MemberId id : situation.model->members.ids()) {
    state.members[id].activity = situation.failed_as(id);
    if (situation.idle[id] != 0) state.members[id].activity = Activity::idle;
  }
  return state;
}

std::vector<std::string> slack_members(const Model& model, const State& state) {
  std::vector<std::string> names;
  for (const MemberId id : model.members.ids()) {
    if (state.members[id].activity == Activity::idle) names.push_back(model.members[id].name);
  }
  return names;
}

std::vector<std::string> lifted_supports(const Model& model, const State& state) {
  std::vector<std::string> names;
  for (const auto& [node, d] : state.open) names.push_back(model.place_name(node, d));
  return names;
}

}  // namespace ulterix
