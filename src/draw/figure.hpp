#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/results/recovery.hpp"
#include "core/system/mechanism.hpp"
#include "draw/frame_planes.hpp"
#include "draw/view.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// One step as a figure shows it.
struct DrawnStep {
  const Recovery* recovery = nullptr;
  std::string name;  ///< of its analysis, in the legend
};

/// One step alone or two at the same scale; the last one is what the figure is about.
using DrawnSteps = std::vector<DrawnStep>;

struct FigureSettings {
  std::optional<ViewDirection> view;  ///< none: front for a plane frame, else isometric
  /// Deflected shape: times the displacements. Diagrams: length on the frame (m) of the largest.
  std::optional<double> scale;
  std::vector<MemberId> members;  ///< empty: all
  bool side_by_side = false;      ///< else two steps lie over each other
  std::string sheet;  ///< not empty: every step in a panel of its own, and this in the heading
  bool compression_side = false;  ///< moment diagrams
  std::optional<bool> loads;      ///< drawn or not; none: not on a whole frame in space
  /// What the members and the view stand for: named, with a key plan; set by in_plane().
  std::optional<FramePlane> plane;
};

/// The same figure of one plane of the frame: its members (of those already chosen) from the front.
FigureSettings in_plane(FigureSettings settings, const Model& model, const FramePlane& plane);
/// A space frame of many members, of which nothing can be read as a whole, in the plane that shows
/// `member`; any other frame as it is.
FigureSettings in_plane_of(MemberId member, FigureSettings settings, const Model& model,
                           const UnitSystem& units);

enum class Diagram { moment, shear, axial };

/// The member with the largest value of a diagram.
MemberId governing_member(const Recovery& recovery, Diagram diagram);

/// Times the displacements, rounded, so that the largest of the members shown is a twentieth of the
/// frame's size.
double automatic_scale(const DrawnSteps& steps, const FigureSettings& settings);

/// Deflected shapes over the undeformed frame.
void draw_deflected(Canvas& canvas, const DrawnSteps& steps, const UnitSystem& units,
                    const FigureSettings& settings = {});

/// Diagrams along the members with values at the extremes. Moments lie on the tension side;
/// positive shear and tension on the side of local z (or y).
void draw_diagram(Canvas& canvas, Diagram diagram, const DrawnSteps& steps, const UnitSystem& units,
                  const FigureSettings& settings = {});

/// Reactions as arrows with their values, the loads that they balance beside them.
void draw_reactions(Canvas& canvas, const DrawnSteps& steps, const UnitSystem& units,
                    const FigureSettings& settings = {});

/// The motion of a frame that does not stand, with what would hold it.
void draw_mechanism(Canvas& canvas, const std::shared_ptr<const MemberFrame>& frame,
                    const Mechanism& mechanism, int number, int count);

}  // namespace ulterix
