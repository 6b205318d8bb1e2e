#include "core/model/variant.hpp"

namespace ulterix {

State state_at_rest(const Variant& variant) {
  State state(*variant.model);
  state.one_way = variant.one_way;
  if (!variant.one_way) return state;
  state.open = variant.open;
  for (const MemberId id : variant.model->members.ids()) {
    if (variant.idle[id] != 0) state.members[id].activity = Activity::idle;
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
