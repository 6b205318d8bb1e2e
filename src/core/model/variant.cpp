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

}  // namespace ulterix
