#include "core/results/event_words.hpp"

#include <fmt/format.h>

namespace ulterix {

std::string event_words(const Model& model, const ItemEvent& event) {
  const bool member = event.member.valid();
  const std::string name =
      member ? model.members[event.member].name : model.place_name(event.node, event.direction);
  switch (event.change) {
    case ItemChange::carries:
      return name + (member ? " taut" : " bears");
    case ItemChange::idle:
      return name + (member ? " slack" : " lifted");
    case ItemChange::breaks:
      return name + " breaks";
    case ItemChange::yields:
      return name + " yields";
    case ItemChange::reaches_fy:
      return name + " reaches fy";
  }
  return name;
}

std::string event_words(const Model& model, const PathPoint& point) {
  if (point.item) return event_words(model, *point.item);
  if (point.event == PathEventKind::none || point.event == PathEventKind::crossing) return "";
  std::string words = point.event == PathEventKind::limit_point ? "limit point" : "branch point";
  if (point.most.valid()) {
    words += fmt::format(" ({} moves most)", model.place_name(point.most, point.direction));
  }
  return words;
}

}  // namespace ulterix
