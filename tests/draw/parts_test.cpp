// What figures are put together from, against geometry and results.
#include <gtest/gtest.h>

#include <cmath>
#include <filesystem>

#include "core/model/section.hpp"
#include "draw/figure_parts.hpp"
#include "draw/result_figures.hpp"
#include "draw/section_outline.hpp"
#include "draw/symbols.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::parts_test {
namespace {

struct Moments {
  double A = 0, Iy = 0, Iz = 0;
};

/// Of the area inside a closed line, positive when it runs counter-clockwise.
Moments moments_of(const std::vector<Vector2d>& line) {
  Moments m;
  for (std::size_t i = 0; i + 1 < line.size(); ++i) {
    const Vector2d &a = line[i], &b = line[i + 1];
    const double cross = a[0] * b[1] - b[0] * a[1];
    m.A += cross / 2;
    m.Iz += cross * (a[0] * a[0] + a[0] * b[0] + b[0] * b[0]) / 12;
    m.Iy += cross * (a[1] * a[1] + a[1] * b[1] + b[1] * b[1]) / 12;
  }
  return m;
}

TEST(SectionOutline, HasTheAreaAndSecondMomentsOfTheSection) {
  Dimensions d;
  d.h = 0.4;
  d.b = 0.18;
  d.tw = 0.009;
  d.tf = 0.014;
  for (const Shape shape : {Shape::rectangle, Shape::i_section, Shape::box}) {
    Section section;
    section.shape = shape;
    section.dimensions = d;
    const SectionProperties p = section_properties(shape, d);
    const auto lines = section_outline(section);
    ASSERT_FALSE(lines.empty());
    Moments m = moments_of(lines[0]);
    if (lines.size() == 2) {  // the hole
      const Moments hole = moments_of(lines[1]);
      m = {m.A - hole.A, m.Iy - hole.Iy, m.Iz - hole.Iz};
    }
    EXPECT_RELATIVE(m.A, p.A, kExact);
    EXPECT_RELATIVE(m.Iy, p.Iy, kExact);
    EXPECT_RELATIVE(m.Iz, p.Iz, kExact);
  }
}

TEST(SectionOutline, RoundSectionsAreRoundAndNumbersHaveNone) {
  Section pipe;
  pipe.shape = Shape::pipe;
  pipe.dimensions.d = 0.3;
  pipe.dimensions.t = 0.02;
  const auto lines = section_outline(pipe);
  ASSERT_EQ(lines.size(), 2u);
  for (const Vector2d& p : lines[0]) EXPECT_NEAR(p.norm(), 0.15, 1e-12);
  for (const Vector2d& p : lines[1]) EXPECT_NEAR(p.norm(), 0.13, 1e-12);
  EXPECT_LT((lines[0].front() - lines[0].back()).norm(), 1e-12);
  EXPECT_TRUE(section_outline(Section()).empty());
}

/// A cantilever with a load at its end, in a plane or in space.
struct Cantilever {
  FrameBuilder b;
  NodeId foot, tip;
  MemberId member;
  double EI, L = 4;

  explicit Cantilever(Plane plane) : b(plane) {
    foot = b.node("foot", 1, 0, 2);
    tip = b.node("tip", 5, 0, 2);
    member = b.member("c", foot, tip, b.section(bending_only(1e-5, 1e-2)), b.material(2e11, 8e10));
    EI = 2e6;
    if (plane == Plane::space) {
      b.fix_all(foot);
    } else {
      b.fix(foot, {0, 2, 4});
    }
    b.nodal_load(tip, 2, -3e3);
  }
};

/// Both analyses of a frame, as a figure takes them.
struct Both {
  RunResult result;
  Recovery first, second;
  DrawnSteps steps;

  explicit Both(FrameBuilder& b)
      : result(b.run()),
        first(*result.find("first-order", "G")),
        second(*result.find("p-delta", "G")),
        steps({{&first, "first-order"}, {&second, "p-delta"}}) {}
};

TEST(DeflectedAxis, IsTheCurveOfTheFormulaTimesTheScale) {
  for (const Plane plane : {Plane::xz, Plane::space}) {
    Cantilever c(plane);
    const RunResult r = c.b.run();
    const Recovery recovery(*r.find("first-order", "G"));
    constexpr double kScale = 20;
    const std::vector<Vector3d> axis = deflected_axis(recovery, c.member, kScale);
    EXPECT_GE(axis.size(), 16u);
    for (const Vector3d& p : axis) {
      const double x = p[0] - 1;
      EXPECT_NEAR(p[1], 0, 1e-12);
      EXPECT_NEAR(p[2], 2 - kScale * 3e3 * x * x * (3 * c.L - x) / (6 * c.EI), 1e-9);
    }
    EXPECT_NEAR(axis.back()[0], 5, 1e-9);
  }
}

TEST(ShownMembers, AreAllOrThoseThatWereNamed) {
  Cantilever c(Plane::xz);
  const NodeId end = c.b.node("end", 9, 0, 2);
  const MemberId second = c.b.member("d", c.tip, end, SectionId(0), MaterialId(0));
  FigureSettings settings;
  EXPECT_EQ(shown_members(c.b.model, settings).size(), 2u);
  settings.members = {second};
  const std::vector<MemberId> shown = shown_members(c.b.model, settings);
  ASSERT_EQ(shown.size(), 1u);
  EXPECT_EQ(shown[0], second);
  const std::vector<Vector3d> ends = corners(c.b.model, shown);
  ASSERT_EQ(ends.size(), 2u);
  EXPECT_EQ(ends[0], Vector3d(5, 0, 2));
  EXPECT_EQ(ends[1], Vector3d(9, 0, 2));
}

TEST(Panels, SideBySideHaveOneScaleAndDoNotOverlap) {
  Cantilever c(Plane::xz);
  const Both both(c.b);
  // The cantilever lies; what has to fit is as tall as it is long.
  std::vector<Vector3d> extent = corners(c.b.model, c.b.model.members.ids());
  extent.emplace_back(extent[0] + Vector3d(0, 0, (extent[1] - extent[0]).norm()));
  FigureSettings settings;
  std::vector<double> scales;
  std::vector<std::pair<double, double>> reach;  // of the frame on the page
  const auto draw = [&](Scene& scene, const DrawnSteps& shown) {
    EXPECT_EQ(shown.size(), settings.side_by_side ? 1u : 2u);
    scales.push_back(scene.view().scale());
    reach.emplace_back(scene(extent[0])[0], scene(extent[1])[0]);
    return std::string("caption");
  };
  const auto path = std::filesystem::temp_directory_path() / "ulterix-panels.svg";
  const auto page = [&] {
    draw_files({path.string()}, "panels",
               [&](Canvas& canvas) { draw_panels(canvas, both.steps, settings, extent, draw); });
  };
  page();
  ASSERT_EQ(scales.size(), 1u);
  const double alone = scales[0];
  settings.side_by_side = true;
  scales.clear();
  reach.clear();
  page();
  std::filesystem::remove(path);
  ASSERT_EQ(scales.size(), 2u);
  EXPECT_DOUBLE_EQ(scales[0], scales[1]);
  EXPECT_LT(scales[0], alone);
  EXPECT_LT(reach[0].second, reach[1].first);
  EXPECT_LT(reach[0].second, Canvas::kWidth / 2);
  EXPECT_GT(reach[1].first, Canvas::kWidth / 2);
}

TEST(Panels, OfWideFramesLieAboveEachOther) {
  Cantilever c(Plane::xz);
  const std::vector<Vector3d> wide = corners(c.b.model, c.b.model.members.ids());
  std::vector<Vector3d> tall = wide;
  tall.emplace_back(wide[0] + Vector3d(0, 0, 3 * (wide[1] - wide[0]).norm()));
  EXPECT_TRUE(is_wide(c.b.model, wide, default_view(c.b.model)));
  EXPECT_FALSE(is_wide(c.b.model, tall, default_view(c.b.model)));
  EXPECT_LT(half_page(true, true).high[1], half_page(false, true).low[1]);
  EXPECT_LT(half_page(true).high[0], half_page(false).low[0]);
}

TEST(Strokes, TwoAnalysesDifferInColourAndDashes) {
  Cantilever c(Plane::xz);
  const Both both(c.b);
  const Stroke a = stroke_of(both.steps, 0), b = stroke_of(both.steps, 1);
  EXPECT_FALSE(a.dashes.empty());
  EXPECT_TRUE(b.dashes.empty());
  EXPECT_GT(std::abs(a.colour.r - b.colour.r), 0.3);
  EXPECT_TRUE(stroke_of({both.steps[0]}, 0).dashes.empty());
  FigureSettings settings;
  EXPECT_EQ(what_of(both.steps, settings), "first-order and p-delta, G");
  settings.sheet = "stages of erection";
  EXPECT_EQ(what_of(both.steps, settings), "stages of erection");
}

TEST(FileNames, KeepWhatEveryFileSystemTakes) {
  EXPECT_EQ(as_file_name("U2"), "U2");
  EXPECT_EQ(as_file_name("1.35 G + W/2"), "1.35%20G%20%2B%20W%2F2");
  EXPECT_EQ(as_file_name("..\\a:b"), "%2E.%5Ca%3Ab");
  EXPECT_NE(as_file_name("p q"), as_file_name("p_q"));
  const std::string long_name(200, 'n');
  EXPECT_LT(as_file_name(long_name).size(), 100u);
  EXPECT_NE(as_file_name(long_name + "a"), as_file_name(long_name + "b"));
}

TEST(MomentArrows, TurnAsTheReaderSeesThem) {
  // About +y of an x-z picture, which points away from the reader: clockwise.
  EXPECT_TRUE(positive_turns_clockwise(FrameBuilder(Plane::xz).model));
  EXPECT_FALSE(positive_turns_clockwise(FrameBuilder(Plane::xy).model));
}

TEST(Views, AreNamedOrGivenInDegrees) {
  const auto front = parse_view("front");
  ASSERT_TRUE(front);
  EXPECT_EQ(front->turned, 0);
  EXPECT_EQ(front->raised, 0);
  const auto given = parse_view("30,-15");
  ASSERT_TRUE(given);
  EXPECT_NEAR(given->turned, M_PI / 6, 1e-12);
  EXPECT_NEAR(given->raised, -M_PI / 12, 1e-12);
  for (const char* wrong : {"", "behind", "30", "30,", "30,x", "1,2,3"}) {
    EXPECT_FALSE(parse_view(wrong)) << wrong;
  }
}

TEST(Views, WhatIsNearerHasLessDepth) {
  FrameBuilder b(Plane::space);
  const std::vector<Vector3d> points = {{0, 0, 0}, {4, 6, 3}};
  const View front(b.model, points, *parse_view("front"));
  EXPECT_LT(front.depth({2, 0, 1}), front.depth({2, 5, 1}));  // y points away
  const View side(b.model, points, *parse_view("side"));
  EXPECT_LT(side.depth({4, 2, 1}), side.depth({0, 2, 1}));  // seen from +x
  const View plan(b.model, points, *parse_view("plan"));
  EXPECT_LT(plan.depth({2, 2, 3}), plan.depth({2, 2, 0}));  // from above
}

}  // namespace
}  // namespace ulterix::testing::parts_test
