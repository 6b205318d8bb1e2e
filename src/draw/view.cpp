#include "draw/view.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <numbers>

namespace ulterix {

namespace {

const Area kPage = {{110, 125}, {Canvas::kWidth - 110, Canvas::kHeight - 95}};
constexpr double kGap = 60;
/// Raised so that the three axes look equally long: tan² = 1/2.
const ViewDirection kIsometric = {std::numbers::pi / 4, std::atan(std::sqrt(0.5))};

std::optional<double> number_of(std::string_view text) {
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  const bool whole = error == std::errc() && end == text.data() + text.size();
  return whole && std::isfinite(value) ? std::optional(value) : std::nullopt;
}

}  // namespace

std::optional<ViewDirection> parse_view(std::string_view text) {
  if (text == "front") return ViewDirection{0, 0};
  if (text == "side") return ViewDirection{std::numbers::pi / 2, 0};
  if (text == "plan") return ViewDirection{0, std::numbers::pi / 2};
  if (text == "iso") return kIsometric;
  const auto comma = text.find(',');
  if (comma == std::string_view::npos) return std::nullopt;
  const auto turned = number_of(text.substr(0, comma)), raised = number_of(text.substr(comma + 1));
  if (!turned || !raised || std::abs(*raised) > 90) return std::nullopt;
  return ViewDirection{*turned * std::numbers::pi / 180, *raised * std::numbers::pi / 180};
}

ViewDirection default_view(const Model& model) {
  return model.plane == Plane::space ? kIsometric : ViewDirection{};
}

Area whole_page() {
  return kPage;
}

Area half_page(bool first, bool above) {
  const Area page = whole_page();
  Area area = page;
  const int d = above ? 1 : 0;
  const double middle = (page.low[d] + page.high[d]) / 2;
  (first ? area.high : area.low)[d] = first ? middle - kGap : middle + kGap;
  return area;
}

bool is_wide(const Model& model, const std::vector<Vector3d>& points,
             const ViewDirection& direction) {
  return View(model, points, direction, half_page(true, true)).scale() >
         View(model, points, direction, half_page(true)).scale();
}

View::View(const Model& model, const std::vector<Vector3d>& points, const ViewDirection& direction,
           const Area& area) {
  const double ct = std::cos(direction.turned), st = std::sin(direction.turned);
  const double cr = std::cos(direction.raised), sr = std::sin(direction.raised);
  right_ = {ct, st, 0};
  up_ = {-st * sr, ct * sr, cr};
  away_ = {-st * cr, ct * cr, -sr};
  if (model.vertical == 1) {  // y is up: z points to the reader
    for (Vector3d* v : {&right_, &up_, &away_}) *v = Vector3d((*v)[0], (*v)[2], -(*v)[1]);
  }
  Vector2d low = Vector2d::Constant(1e300), high = -low;
  nearest_ = 1e300;
  furthest_ = -1e300;
  for (const Vector3d& p : points) {
    const Vector2d f(right_.dot(p), up_.dot(p));
    low = low.cwiseMin(f);
    high = high.cwiseMax(f);
    nearest_ = std::min(nearest_, away_.dot(p));
    furthest_ = std::max(furthest_, away_.dot(p));
  }
  const Vector2d size = (high - low).cwiseMax(1e-9), room = area.high - area.low;
  scale_ = std::min(room[0] / size[0], room[1] / size[1]);
  const Vector2d middle = (low + high) / 2;
  origin_ = (area.low + area.high) / 2 - scale_ * Vector2d(middle[0], -middle[1]);
}

Vector2d View::direction(const Vector3d& world) const {
  return {right_.dot(world), -up_.dot(world)};
}

Vector2d View::operator()(const Vector3d& world) const {
  return origin_ + scale_ * direction(world);
}

double View::depth(const Vector3d& world) const {
  const double range = furthest_ - nearest_;
  // What lies in one plane across the view has no depth.
  if (range * scale_ < 1) return 0;
  return std::clamp((away_.dot(world) - nearest_) / range, 0.0, 1.0);
}

}  // namespace ulterix
