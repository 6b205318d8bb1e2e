#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/parallel.hpp"
#include "core/results/comparison.hpp"
#include "draw/figure_parts.hpp"
#include "draw/symbols.hpp"
#include "units/for_people.hpp"

namespace ulterix {

namespace {

/// Largest value as a part of the frame's size; smaller ones below the second part are not written.
constexpr double kDiagramShare = 1.0 / 14, kUnwritten = 0.05;
/// Numbers on a sheet, and on one of two side by side; with more members than the third, one a
/// member.
constexpr std::size_t kMostNumbers = 40, kMostSideBySide = 12, kFewMembers = 12, kMostOnASheet = 8;

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
/// Axial force lies on the side of local z, or of y where z points at the reader of the `view`.
std::vector<Component> components_of(const MemberFrame& system, MemberId id, Diagram diagram,
                                     bool compression_side, const View* view = nullptr) {
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
    if (diagram == Diagram::axial && view != nullptr) {
      constexpr double kSeen = 0.2;
      const Vector3d other = R.row(1).transpose();
      if (view->direction(side).norm() < kSeen && view->direction(other).norm() > kSeen) {
        side = other;
      }
    }
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
  std::vector<Vector2d> outline;  ///< on the page: from the axis along the edge and back to it
};

MemberDiagram member_diagram(const Recovery& recovery, MemberId id, const Component& component,
                             double scale, int pieces) {
  const MemberFrame& system = recovery.frame();
  const Matrix3d& R = system.axes(id);
  const Vector3d start = system.situation().position(system.model().members[id].start);
  const auto foot = [&](double x) { return Vector3d(start + R.transpose() * Vector3d(x, 0, 0)); };
  MemberDiagram d;
  const MemberLine& line = recovery.line(id);
  for (const LinePoint& p : line.stations(pieces + 1)) {
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
  std::vector<double> largest(members.size(), 0);
  for_each_index(static_cast<int>(members.size()), [&](int i) {
    const auto at = static_cast<std::size_t>(i);
    for (const DrawnStep& s : steps) {
      if (!stands_in(s.recovery->step(), members[at])) continue;
      const auto extremes = s.recovery->line(members[at]).extremes();
      for (const Component& c : components_of(s.recovery->frame(), members[at], diagram, false)) {
        const Extreme& e = extremes[static_cast<std::size_t>(c.force)];
        largest[at] = std::max({largest[at], std::abs(e.min), std::abs(e.max)});
      }
    }
  });
  return largest.empty() ? 0 : *std::max_element(largest.begin(), largest.end());
}

/// Peaks worth a number, the largest first; of a member the largest alone, or in small frames all
/// but near doubles. `left_out`: those beyond `most`.
std::vector<Peak> worth_writing(std::vector<Peak> peaks, double largest, const Scene& scene,
                                std::size_t most, bool one_a_member, int& left_out) {
  const View& view = scene.view();
  std::stable_sort(peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) {
    return std::abs(a.value) > std::abs(b.value) * (1 + 1e-9);
  });
  std::vector<Peak> kept;
  std::set<MemberId> without;
  for (const Peak& p : peaks) {
    if (std::abs(p.value) < kUnwritten * largest) break;
    const bool double_of = std::any_of(kept.begin(), kept.end(), [&](const Peak& k) {
      return k.member == p.member && (one_a_member || (view(k.at) - view(p.at)).norm() < 12);
    });
    if (double_of) continue;
    if (kept.size() < most) {
      kept.push_back(p);
    } else if (!one_a_member || without.insert(p.member).second) {
      ++left_out;
    }
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
    std::vector<std::vector<MemberDiagram>> diagrams;
    for (const DrawnStep& step : steps) diagrams.push_back(diagrams_of(scene, step));
    // The areas of what the figure is about lie below all edges.
    for (const MemberDiagram& d : diagrams.back()) {
      scene.canvas().polygon(d.outline, scene.at_depth(palette::kTint, d.axis[d.axis.size() / 2]));
      peaks.insert(peaks.end(), d.peaks.begin(), d.peaks.end());
    }
    for (std::size_t i = 0; i < steps.size(); ++i) {
      Stroke stroke = stroke_of(steps, i);
      stroke.width = i + 1 == steps.size() ? 1.5 : 1.3;
      for (const MemberDiagram& d : diagrams[i]) {
        scene.labels().avoid(d.outline);
        scene.canvas().line(d.outline, scene.at_depth(stroke, d.axis[d.axis.size() / 2]));
      }
    }
    scene.draw_undeformed({palette::kInk, 1.4, {}});
    draw_supports(scene);
    draw_hinges(scene);
    std::string governing = write_values(scene, peaks);
    if (diagram_ == Diagram::axial) draw_slack(scene, steps.back().recovery->step());
    return governing;
  }

  int left_out() const { return left_out_; }
  bool shows_slack() const { return shows_slack_; }

 private:
  std::vector<MemberDiagram> diagrams_of(const Scene& scene, const DrawnStep& step) const {
    const MemberFrame& system = step.recovery->frame();
    const std::vector<MemberId>& members = scene.members();
    std::vector<std::vector<MemberDiagram>> of_members(members.size());
    for_each_index(static_cast<int>(members.size()), [&](int i) {
      const MemberId id = members[static_cast<std::size_t>(i)];
      for (const Component& c :
           components_of(system, id, diagram_, settings_.compression_side, &scene.view())) {
        MemberDiagram d = member_diagram(*step.recovery, id, c, scale_, scene.pieces(24));
        d.outline = {scene(d.axis.front())};
        for (const Vector3d& p : d.edge) d.outline.push_back(scene(p));
        d.outline.push_back(scene(d.axis.back()));
        of_members[static_cast<std::size_t>(i)].push_back(std::move(d));
      }
    });
    std::vector<MemberDiagram> all;
    for (auto& own : of_members) {
      for (MemberDiagram& d : own) all.push_back(std::move(d));
    }
    return all;
  }

  /// Members that carry nothing are dashed and named.
  void draw_slack(Scene& scene, const Step& step) {
    const Model& model = scene.model();
    for (const MemberId id : scene.members()) {
      if (step.state.members[id].activity != Activity::idle) continue;
      const Member& m = model.members[id];
      const Vector2d a = scene(model.nodes[m.start].position),
                     b = scene(model.nodes[m.end].position);
      scene.canvas().line({a, b}, {palette::kWhite, 2.4, {}});
      scene.canvas().line({a, b}, {palette::kUndeformed, 1.3, {4, 4}});
      scene.labels().place((a + b) / 2, m.name + " slack", {11, false, palette::kSupport});
      shows_slack_ = true;
    }
  }

  /// Returns the largest value with its place.
  std::string write_values(Scene& scene, const std::vector<Peak>& peaks) {
    const bool sheet = !settings_.sheet.empty();
    const std::size_t most = sheet                    ? kMostOnASheet
                             : settings_.side_by_side ? kMostSideBySide
                                                      : kMostNumbers;
    const bool one_a_member = sheet || scene.members().size() > kFewMembers;
    const std::vector<Peak> written =
        worth_writing(peaks, largest_, scene, most, one_a_member, left_out_);
    std::string governing;
    for (std::size_t i = 0; i < written.size(); ++i) {
      const std::string value = significant(units_.from_si(kind_.quantity, written[i].value), 3);
      std::string text = value;
      if (i == 0) {
        governing =
            value + fmt::format(" ({} x {:.2f})", scene.model().members[written[i].member].name,
                                units_.from_si(Quantity::length, written[i].x));
        // The caption of a panel says where.
        if (!sheet) text = governing;
      }
      const double size = settings_.side_by_side ? 12.5 : 11.5;
      const TextStyle style = i == 0 ? TextStyle{sheet ? size : 14, true, palette::kSecondOrder}
                                     : TextStyle{size, false, palette::kInk};
      scene.labels().place(scene(written[i].at), text, style, i == 0);
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
  bool shows_slack_ = false;
};

/// The larger side of what is shown, m.
double size_of(const std::vector<Vector3d>& points) {
  Vector3d low = Vector3d::Constant(1e300), high = -low;
  for (const Vector3d& p : points) {
    low = low.cwiseMin(p);
    high = high.cwiseMax(p);
  }
  return points.empty() ? 0 : (high - low).maxCoeff();
}

std::string side_words(Diagram diagram, const FigureSettings& settings) {
  if (diagram == Diagram::moment) {
    return settings.compression_side ? "on the compression side" : "on the tension side";
  }
  return diagram == Diagram::axial ? "tension positive" : "positive on the side of local z";
}

}  // namespace

MemberId governing_member(const Recovery& recovery, Diagram diagram) {
  const auto [about_y, about_z] = kind_of(diagram).components;
  const LargestForce largest = largest_of(find_extremes(recovery), {about_y, about_z},
                                          recovery.frame().model().members.ids());
  return largest.value != 0 ? largest.member : MemberId();
}

void draw_diagram(Canvas& canvas, Diagram diagram, const DrawnSteps& steps, const UnitSystem& units,
                  const FigureSettings& settings) {
  const Recovery& main = *steps.back().recovery;
  const Model& model = main.frame().model();
  const std::vector<MemberId> members = shown_members(model, settings);
  const double largest = largest_value(steps, members, diagram);
  const std::vector<Vector3d> extent = corners(model, members);
  const double tall = settings.scale.value_or(kDiagramShare * size_of(extent));
  const DiagramKind kind = kind_of(diagram);
  DiagramPanel panel(diagram, units, settings, largest > 0 ? tall / largest : 0, largest);
  const std::string height = fmt::format("{:.2g} {}", units.from_si(Quantity::length, tall),
                                         units.label(Quantity::length));
  draw_heading(canvas, title_of(model),
               fmt::format("{} in {}, {}: {}, {} tall at the largest ({})", kind.what,
                           units.label(kind.quantity), what_of(steps, settings),
                           side_words(diagram, settings), height,
                           significant(units.from_si(kind.quantity, largest), 3)));
  draw_panels(canvas, steps, settings, extent,
              [&panel](Scene& scene, const DrawnSteps& own) { return panel.draw(scene, own); });
  std::vector<LegendEntry> legend = legend_of(steps, settings);
  const Stroke dashed = {palette::kUndeformed, 1.3, {4, 4}};
  if (panel.shows_slack()) legend.push_back({dashed, "slack"});
  draw_legend(canvas, legend);
  std::string note = members.size() > kFewMembers
                         ? "the largest value of each member, above 5 % of the largest"
                         : "values under 5 % of the largest are not written";
  if (steps.size() > 1 && !settings.side_by_side && settings.sheet.empty())
    note = "values of " + steps.back().name + "; " + note;
  if (panel.left_out() > 0) note += fmt::format("; {} more left out", panel.left_out());
  draw_note(canvas, note);
}

}  // namespace ulterix
