#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "draw/figure_parts.hpp"
#include "draw/symbols.hpp"
#include "units/for_people.hpp"

namespace ulterix {

namespace {

/// Largest value as a part of the frame's size; smaller ones below the second part are not written.
constexpr double kShare = 1.0 / 14, kUnwritten = 0.05;
/// With more members than this, only the extreme is written.
constexpr int kMostLabelled = 400;

struct DiagramKind {
  std::string_view what;
  Quantity quantity;
  std::array<InternalForce, 2> components;  ///< of bending about y, about z
};

DiagramKind kind_of(Diagram diagram) {
  switch (diagram) {
    case Diagram::shear:
      return {"shear force", Quantity::force, {kVz, kVy}};
    case Diagram::axial:
      return {"axial force", Quantity::force, {kN, kN}};
    case Diagram::moment:
      break;
  }
  return {"bending moment", Quantity::moment, {kMy, kMz}};
}

/// One force along a member: what it is, and the local direction it is drawn in.
struct Component {
  InternalForce force;
  Vector3d side;  ///< in the frame, of positive values
};

/// Positive My has tension on the −z face, positive Mz on the −y face: that side is drawn.
std::vector<Component> components_of(const MemberFrame& system, MemberId id, Diagram diagram,
                                     bool compression_side) {
  const Model& model = system.model();
  const bool frame = model.members[id].kind == MemberKind::frame;
  if (diagram != Diagram::axial && !frame) return {};
  const Matrix3d& R = system.axes(id);
  const DiagramKind kind = kind_of(diagram);
  std::vector<Component> components;
  for (const bool z_plane : {true, false}) {
    if (!system.bends(id, z_plane)) continue;
    Vector3d side = R.row(z_plane ? 2 : 1).transpose();
    if (diagram == Diagram::moment && !compression_side) side = -side;
    components.push_back({kind.components[z_plane ? 0 : 1], side});
    if (diagram == Diagram::axial) break;
  }
  return components;
}

struct Peak {
  Vector3d at;
  double value, x;
  MemberId member;
};

struct MemberDiagram {
  std::vector<Vector3d> axis, edge;
  std::vector<Peak> peaks;
};

MemberDiagram member_diagram(const Recovery& recovery, MemberId id, const Component& component,
                             double scale) {
  const MemberFrame& system = recovery.frame();
  const Matrix3d& R = system.axes(id);
  const Vector3d start = system.variant().position(system.model().members[id].start);
  const auto foot = [&](double x) { return Vector3d(start + R.transpose() * Vector3d(x, 0, 0)); };
  MemberDiagram d;
  const MemberLine line = recovery.line(id);
  for (const LinePoint& p : line.stations(25)) {
    d.axis.push_back(foot(p.x));
    d.edge.emplace_back(d.axis.back() + scale * p.forces[component.force] * component.side);
  }
  const Extreme e = line.extremes()[component.force];
  std::vector<std::pair<double, double>> peaks = {{e.x_min, e.min}, {e.x_max, e.max}};
  for (const double x : {0.0, line.length()})
    peaks.emplace_back(x, line.at(x).forces[component.force]);
  for (const auto& [x, value] : peaks) {
    d.peaks.push_back({foot(x) + scale * value * component.side, value, x, id});
  }
  return d;
}

double largest_value(const DrawnSteps& steps, const std::vector<MemberId>& members,
                     Diagram diagram) {
  double largest = 0;
  for (const DrawnStep& s : steps) {
    for (const MemberId id : members) {
      const auto extremes = s.recovery->line(id).extremes();
      for (const Component& c : components_of(s.recovery->frame(), id, diagram, false)) {
        const Extreme& e = extremes[static_cast<std::size_t>(c.force)];
        largest = std::max({largest, std::abs(e.min), std::abs(e.max)});
      }
    }
  }
  return largest;
}

/// Peaks worth a number, the largest first, near doubles left out.
std::vector<Peak> worth_writing(std::vector<Peak> peaks, double largest, const View& view) {
  std::stable_sort(peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) {
    return std::abs(a.value) > std::abs(b.value) * (1 + 1e-9);
  });
  std::vector<Peak> kept;
  for (const Peak& p : peaks) {
    if (std::abs(p.value) < kUnwritten * largest) break;
    const bool double_of = std::any_of(kept.begin(), kept.end(), [&](const Peak& k) {
      return k.member == p.member && (view(k.at) - view(p.at)).norm() < 12;
    });
    if (!double_of) kept.push_back(p);
  }
  return kept;
}

/// Draws one figure's diagrams; counts the values left out.
class DiagramPanel {
 public:
  DiagramPanel(Diagram diagram, const UnitSystem& units, const FigureSettings& settings,
               double scale, double largest)
      : diagram_(diagram),
        kind_(kind_of(diagram)),
        units_(units),
        settings_(settings),
        scale_(scale),
        largest_(largest) {}

  std::string draw(Scene& scene, const DrawnSteps& steps) {
    scene.avoid_frame();
    std::vector<Peak> peaks;
    // The areas of what the figure is about lie below all edges.
    for (std::size_t i = steps.size(); i-- > 0;) {
      const bool main = i + 1 == steps.size();
      for (const MemberId id : scene.members()) draw_member(scene, steps[i], id, main, peaks);
    }
    for (std::size_t i = 0; i < steps.size(); ++i) draw_edges(scene, steps, i);
    scene.draw_undeformed({palette::kInk, 1.4, {}});
    draw_supports(scene);
    draw_hinges(scene);
    return write_values(scene, peaks);
  }

  int left_out() const { return left_out_; }

 private:
  std::vector<Vector2d> outline_of(Scene& scene, const MemberDiagram& d) const {
    std::vector<Vector2d> outline = {scene(d.axis.front())};
    for (const Vector3d& p : d.edge) outline.push_back(scene(p));
    outline.push_back(scene(d.axis.back()));
    return outline;
  }

  void draw_member(Scene& scene, const DrawnStep& step, MemberId id, bool main,
                   std::vector<Peak>& peaks) {
    const MemberFrame& system = step.recovery->frame();
    for (const Component& c : components_of(system, id, diagram_, settings_.compression_side)) {
      const MemberDiagram d = member_diagram(*step.recovery, id, c, scale_);
      const auto outline = outline_of(scene, d);
      scene.labels().avoid(outline);
      if (!main) continue;
      scene.canvas().polygon(outline, scene.at_depth(palette::kTint, d.axis[d.axis.size() / 2]));
      peaks.insert(peaks.end(), d.peaks.begin(), d.peaks.end());
    }
  }

  void draw_edges(Scene& scene, const DrawnSteps& steps, std::size_t i) {
    Stroke stroke = stroke_of(steps, i);
    stroke.width = i + 1 == steps.size() ? 1.5 : 1.3;
    const MemberFrame& system = steps[i].recovery->frame();
    for (const MemberId id : scene.members()) {
      for (const Component& c : components_of(system, id, diagram_, settings_.compression_side)) {
        const MemberDiagram d = member_diagram(*steps[i].recovery, id, c, scale_);
        scene.canvas().line(outline_of(scene, d),
                            scene.at_depth(stroke, d.axis[d.axis.size() / 2]));
      }
    }
  }

  /// Returns the largest value with its place.
  std::string write_values(Scene& scene, const std::vector<Peak>& peaks) {
    const std::vector<Peak> written = worth_writing(peaks, largest_, scene.view());
    std::string governing;
    const bool crowded = scene.members().size() > kMostLabelled;
    for (std::size_t i = 0; i < written.size() && (i == 0 || !crowded); ++i) {
      const std::string value = significant(units_.from_si(kind_.quantity, written[i].value), 3);
      std::string text = value;
      if (i == 0) {
        text += fmt::format(" ({} x {:.2f})", scene.model().members[written[i].member].name,
                            units_.from_si(Quantity::length, written[i].x));
        governing = text;
      }
      const TextStyle style = i == 0 ? TextStyle{14, true, palette::kSecondOrder}
                                     : TextStyle{11.5, false, palette::kInk};
      scene.labels().place(scene(written[i].at), text, style);
    }
    left_out_ += scene.labels().dropped();
    return governing;
  }

  Diagram diagram_;
  DiagramKind kind_;
  const UnitSystem& units_;
  const FigureSettings& settings_;
  double scale_, largest_;
  int left_out_ = 0;
};

std::string side_words(Diagram diagram, const FigureSettings& settings) {
  if (diagram == Diagram::moment) {
    return settings.compression_side ? "on the compression side" : "on the tension side";
  }
  return diagram == Diagram::axial ? "tension positive, on the side of local z"
                                   : "positive on the side of local z";
}

}  // namespace

void draw_diagram(Canvas& canvas, Diagram diagram, const DrawnSteps& steps, const UnitSystem& units,
                  const FigureSettings& settings) {
  const Recovery& main = *steps.back().recovery;
  const Model& model = main.frame().model();
  const std::vector<MemberId> members = shown_members(model, settings);
  const double largest = largest_value(steps, members, diagram);
  const double tall = settings.scale.value_or(kShare * model.size());
  const DiagramKind kind = kind_of(diagram);
  DiagramPanel panel(diagram, units, settings, largest > 0 ? tall / largest : 0, largest);
  const std::string height = fmt::format("{:.2g} {}", units.from_si(Quantity::length, tall),
                                         units.label(Quantity::length));
  draw_heading(canvas, title_of(model),
               fmt::format("{} in {}, {}, {}: {}, {} tall at the largest ({})", kind.what,
                           units.label(kind.quantity), names_of(steps), main.step().loads.name,
                           side_words(diagram, settings), height,
                           significant(units.from_si(kind.quantity, largest), 3)));
  draw_panels(canvas, steps, settings, corners(model, members),
              [&panel](Scene& scene, const DrawnSteps& own) { return panel.draw(scene, own); });
  draw_legend(canvas, legend_of(steps, settings));
  std::string note = members.size() > kMostLabelled
                         ? "only the largest value is written"
                         : "values under 5 % of the largest are not written";
  if (steps.size() > 1 && !settings.side_by_side)
    note = "values of " + steps.back().name + "; " + note;
  if (panel.left_out() > 0) note += fmt::format("; {} more left out for room", panel.left_out());
  draw_note(canvas, note);
}

}  // namespace ulterix
