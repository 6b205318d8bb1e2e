#include "draw/mode_figure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/model/vocabulary.hpp"
#include "draw/figure_parts.hpp"
#include "draw/page.hpp"
#include "draw/symbols.hpp"
#include "units/for_people.hpp"

namespace ulterix {

namespace {

/// Largest displacement as a part of the frame's size.
constexpr double kModeShare = 1.0 / 12;
constexpr double kPlayedSeconds = 2;

double largest(const DrawnMode& mode) {
  double u = 0;
  for (const NodeMotion& n : mode.nodes) u = std::max(u, n.translation.norm());
  for (const auto& axis : mode.axes) {
    for (const Vector3d& d : axis) u = std::max(u, d.norm());
  }
  return u;
}

/// Points of one member's axis in the mode, in the frame.
std::vector<Vector3d> axis_points(const Model& model, const DrawnMode& mode, MemberId id,
                                  double scale) {
  const Member& m = model.members[id];
  const Vector3d a = model.nodes[m.start].position, b = model.nodes[m.end].position;
  std::vector<Vector3d> moved;
  if (!mode.axes.empty() && !mode.axes[id].empty()) {
    moved = mode.axes[id];
  } else {
    moved = {mode.nodes[m.start].translation, mode.nodes[m.end].translation};
  }
  std::vector<Vector3d> points;
  for (std::size_t i = 0; i < moved.size(); ++i) {
    const double t = double(i) / double(moved.size() - 1);
    points.emplace_back(a + (b - a) * t + scale * moved[i]);
  }
  return points;
}

/// Lines of every panel: undeformed first, then the mode's, as paths on the page.
struct Panel {
  Area area;
  View view;
  double scale;
};

std::vector<Panel> make_panels(const Model& model, const std::vector<DrawnMode>& modes,
                               const FigureSettings& settings) {
  const std::vector<MemberId> members = shown_members(model, settings);
  const ViewDirection direction = view_of(model, settings);
  std::vector<Vector3d> extent = corners(model, members);
  std::vector<double> scales;
  for (const DrawnMode& mode : modes) {
    const double u = largest(mode);
    const double share = u > 0 ? settings.scale.value_or(kModeShare * model.size()) / u : 0;
    scales.push_back(mode.scale.value_or(share));
    for (const double side : {1.0, mode.scale ? 0.0 : -1.0}) {
      for (const MemberId id : members) {
        const auto axis = axis_points(model, mode, id, side * scales.back());
        extent.insert(extent.end(), axis.begin(), axis.end());
      }
    }
  }
  std::vector<Panel> result;
  const std::vector<Area> areas = panels(modes.size());
  for (std::size_t i = 0; i < modes.size(); ++i) {
    result.push_back({areas[i], View(model, extent, direction, areas[i]), scales[i]});
  }
  return result;
}

std::string svg_path(const Scene& scene, const std::vector<Vector3d>& points) {
  std::string path;
  for (const Vector3d& p : points) {
    const Vector2d at = scene(p);
    path += fmt::format("{}{:.1f} {:.1f}", path.empty() ? "M" : "L", at[0], at[1]);
  }
  return path;
}

std::string svg_colour(const Colour& c) {
  const auto part = [](double v) { return static_cast<int>(std::lround(255 * v)); };
  return fmt::format("rgb({},{},{})", part(c.r), part(c.g), part(c.b));
}

}  // namespace

std::string buckling_caption(int number, double factor, const std::string& kind) {
  return fmt::format("{}: {}, {}", number, significant(factor, 4), kind);
}

std::string vibration_caption(int number, std::optional<double> period,
                              const std::array<double, 3>& mass) {
  if (!period) return fmt::format("{}: rigid", number);
  const auto best =
      static_cast<std::size_t>(std::max_element(mass.begin(), mass.end()) - mass.begin());
  return fmt::format("{}: {} s, {:.0f} % of the mass in {}", number, significant(*period, 3),
                     mass[best], kAxisNames[best]);
}

DrawnMode drawn_deflection(const Recovery& recovery, double scale, const std::string& caption) {
  constexpr std::size_t kPieces = 8;
  const MemberFrame& frame = recovery.frame();
  DrawnMode shape{recovery.step().state.nodes,
                  IndexedVector<MemberId, std::vector<Vector3d>>(frame.model().members.size()),
                  caption, scale};
  for (const MemberId id : frame.model().members.ids()) {
    shape.axes[id].assign(kPieces + 1, Vector3d::Zero());
    if (!stands_in(recovery.step(), id)) continue;
    const MemberLine& line = recovery.line(id);
    const Matrix3d to_global = frame.axes(id).transpose();
    for (std::size_t i = 0; i <= kPieces; ++i) {
      shape.axes[id][i] =
          to_global * line.at(line.length() * double(i) / double(kPieces)).displacement;
    }
  }
  return shape;
}

std::optional<DrawnMode> drawn_start(const MemberFrame& frame, const std::string& whose) {
  constexpr std::size_t kPieces = 8;
  const Model& model = frame.model();
  const Situation& situation = frame.situation();
  DrawnMode shape{IndexedVector<NodeId, NodeMotion>(model.nodes.size()),
                  IndexedVector<MemberId, std::vector<Vector3d>>(model.members.size())};
  for (const NodeId n : model.nodes.ids()) shape.nodes[n].translation = situation.offsets[n];
  for (const MemberId id : model.members.ids()) {
    const Member& m = model.members[id];
    const Vector3d bow = frame.axes(id).transpose() * Vector3d(0, m.bow[0], m.bow[1]);
    for (std::size_t i = 0; i <= kPieces; ++i) {
      const double t = double(i) / double(kPieces);
      shape.axes[id].emplace_back((1 - t) * situation.offsets[m.start] +
                                  t * situation.offsets[m.end] + 4 * t * (1 - t) * bow);
    }
  }
  const double most = largest(shape);
  if (most == 0) return std::nullopt;
  shape.scale = round_scale(kModeShare * model.size() / most);
  shape.caption = fmt::format("{}: departures x {:g}", whose, *shape.scale);
  return shape;
}

DrawnMode drawn_mode(const BucklingMode& mode) {
  return {mode.shape.nodes, mode.shape.axes, buckling_caption(mode.number, mode.factor, mode.kind)};
}

DrawnMode drawn_mode(const VibrationMode& mode, const ModalResult& result) {
  std::array<double, 3> mass{};
  for (std::size_t d = 0; d < 3; ++d) {
    if (result.total[d] > 0) mass[d] = 100 * mode.mass[d].value_or(0) / result.total[d];
  }
  const auto period = mode.omega > 0 ? std::optional(mode.period()) : std::nullopt;
  return {mode.shape.nodes, mode.shape.axes, vibration_caption(mode.number, period, mass)};
}

void draw_modes(Canvas& canvas, const Model& model, const std::string& heading,
                const std::vector<DrawnMode>& modes, const FigureSettings& settings, double swing) {
  draw_heading(canvas, title_of(model), heading);
  const std::vector<Panel> all = make_panels(model, modes, settings);
  std::vector<Caption> captions;
  for (std::size_t i = 0; i < modes.size(); ++i) {
    Scene scene(canvas, all[i].view, model, settings.members);
    draw_key_plan(scene, settings);
    scene.draw_undeformed(kUndeformedStroke);
    draw_supports(scene);
    std::vector<std::vector<Vector3d>> axes;
    for (const MemberId id : scene.members()) {
      axes.push_back(axis_points(model, modes[i], id, swing * all[i].scale));
    }
    draw_hinges(scene, scene.draw_curves(axes, {palette::kSecondOrder, 2.2, {}}));
    captions.push_back({all[i].area, all[i].area.high[1] + 44, modes[i].caption});
  }
  draw_captions(canvas, captions);
  const bool start = modes.front().scale.has_value();
  draw_legend(canvas, {{kUndeformedStroke, start ? "as drawn" : "undeformed"},
                       {{palette::kSecondOrder, 2.2, {}},
                        start ? "as it begins, magnified" : "mode, size arbitrary"}});
}

namespace {

std::string moving_head(const Model& model, const std::string& heading) {
  return fmt::format(
      "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {0:.0f} {1:.0f}\" "
      "font-family=\"sans-serif\">\n<title>{2}: {3}</title>\n"
      "<rect width=\"{0:.0f}\" height=\"{1:.0f}\" fill=\"white\"/>\n"
      "<text x=\"36\" y=\"38\" font-size=\"21\" font-weight=\"bold\">{2}</text>\n"
      "<text x=\"36\" y=\"62\" font-size=\"14.5\">{3}</text>\n",
      Canvas::kWidth, Canvas::kHeight, escaped(title_of(model)), escaped(heading));
}

std::string still_line(const Scene& scene, const std::vector<Vector3d>& points) {
  return fmt::format("<path d=\"{}\" fill=\"none\" stroke=\"{}\" stroke-width=\"1.1\"/>\n",
                     svg_path(scene, {points.front(), points.back()}),
                     svg_colour(scene.at_depth(palette::kUndeformed, points[points.size() / 2])));
}

std::string caption_at(const Area& area, const std::string& caption, const std::string& inside) {
  return fmt::format(
      "<text x=\"{:.0f}\" y=\"{:.0f}\" font-size=\"14\" font-weight=\"bold\" "
      "text-anchor=\"middle\"{}</text>\n",
      (area.low[0] + area.high[0]) / 2, area.high[1] + 44, inside + ">" + escaped(caption));
}

}  // namespace

std::string animated_modes(const Model& model, const std::string& heading,
                           const std::vector<DrawnMode>& modes, const FigureSettings& settings) {
  std::string svg = moving_head(model, heading);
  const std::vector<Panel> all = make_panels(model, modes, settings);
  Canvas none(nullptr);  // a scene needs one, and nothing is drawn on it
  for (std::size_t i = 0; i < modes.size(); ++i) {
    const Scene scene(none, all[i].view, model, settings.members);
    for (const MemberId id : scene.members()) {
      const auto still = axis_points(model, modes[i], id, 0);
      const Vector3d& middle = still[still.size() / 2];
      svg += still_line(scene, still);
      const Stroke stroke = scene.at_depth({palette::kSecondOrder, 2.2, {}}, middle);
      const std::string right = svg_path(scene, axis_points(model, modes[i], id, all[i].scale));
      const std::string left =
          svg_path(scene, axis_points(model, modes[i], id, modes[i].scale ? 0 : -all[i].scale));
      svg += fmt::format(
          "<path d=\"{0}\" fill=\"none\" stroke=\"{2}\" stroke-width=\"{3:.2f}\"><animate "
          "attributeName=\"d\" dur=\"{4:g}s\" repeatCount=\"indefinite\" calcMode=\"spline\" "
          "keyTimes=\"0;0.5;1\" keySplines=\"0.37 0 0.63 1;0.37 0 0.63 1\" "
          "values=\"{0};{1};{0}\"/></path>\n",
          right, left, svg_colour(stroke.colour), stroke.width, kPlayedSeconds);
    }
    svg += caption_at(all[i].area, modes[i].caption, "");
  }
  return svg + "</svg>\n";
}

std::string moving_states(const Model& model, const std::string& heading, const DrawnSteps& states,
                          double scale, const FigureSettings& settings) {
  constexpr double kSecondsAState = 1, kFaint = 0.12;
  std::vector<DrawnMode> shapes;
  for (const DrawnStep& s : states) shapes.push_back(drawn_deflection(*s.recovery, scale, s.name));
  const std::size_t count = shapes.size();
  const std::vector<MemberId> members = shown_members(model, settings);
  std::vector<Vector3d> extent = corners(model, members);
  for (const DrawnMode& shape : shapes) {
    for (const MemberId id : members) {
      const auto axis = axis_points(model, shape, id, scale);
      extent.insert(extent.end(), axis.begin(), axis.end());
    }
  }
  const Area area = panels(1).front();
  Canvas none(nullptr);
  const Scene scene(none, View(model, extent, view_of(model, settings), area), model,
                    settings.members);
  // Each state is reached after its second, and the last one stays for one more.
  std::string times;
  for (std::size_t i = 0; i <= count; ++i) {
    times += fmt::format("{}{:.5g}", i == 0 ? "" : ";", double(i) / double(count));
  }
  const std::string clock = fmt::format("dur=\"{:g}s\" repeatCount=\"indefinite\" keyTimes=\"{}\"",
                                        kSecondsAState * double(count), times);
  const auto values = [count](const auto& at) {
    std::string all;
    for (std::size_t i = 0; i < count; ++i) all += at(i) + ";";
    return all + at(count - 1);
  };
  std::string svg = moving_head(model, heading);
  for (const MemberId id : scene.members()) {
    const auto still = axis_points(model, shapes.front(), id, 0);
    svg += still_line(scene, still);
    const Stroke stroke = scene.at_depth({palette::kSecondOrder, 2.2, {}}, still[still.size() / 2]);
    const auto path = [&](std::size_t i) {
      return svg_path(scene, axis_points(model, shapes[i], id, scale));
    };
    const auto stands = [&](std::size_t i) {
      return fmt::format("{:g}", stands_in(states[i].recovery->step(), id) ? 1 : kFaint);
    };
    svg += fmt::format(
        "<path d=\"{0}\" fill=\"none\" stroke=\"{1}\" stroke-width=\"{2:.2f}\" "
        "stroke-opacity=\"{3}\"><animate attributeName=\"d\" {4} values=\"{5}\"/><animate "
        "attributeName=\"stroke-opacity\" calcMode=\"discrete\" {4} values=\"{6}\"/></path>\n",
        path(count - 1), svg_colour(stroke.colour), stroke.width, stands(count - 1), clock,
        values(path), values(stands));
  }
  for (std::size_t i = 0; i < count; ++i) {
    const auto shown = [i](std::size_t k) { return std::string(k == i ? "1" : "0"); };
    svg += caption_at(area, states[i].name, i + 1 == count ? "" : " opacity=\"0\"");
    svg.insert(svg.rfind("</text>"),
               fmt::format("<animate attributeName=\"opacity\" calcMode=\"discrete\" {} "
                           "values=\"{}\"/>",
                           clock, values(shown)));
  }
  return svg + "</svg>\n";
}

}  // namespace ulterix
