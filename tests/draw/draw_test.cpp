// Labels, views and files of the figures.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "draw/figure.hpp"
#include "draw/frame_planes.hpp"
#include "draw/label_placer.hpp"
#include "draw/model_figure.hpp"
#include "draw/page.hpp"
#include "draw/result_figures.hpp"
#include "draw/scene.hpp"
#include "draw/view.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::draw_test {
namespace {

namespace fs = std::filesystem;

class Drawing : public ::testing::Test {
 protected:
  Drawing() {
    std::string pattern = (fs::temp_directory_path() / "ulterix-draw-XXXXXX").string();
    folder = mkdtemp(pattern.data());
  }
  ~Drawing() override {
    std::error_code ignored;
    fs::remove_all(folder, ignored);
  }
  std::string read(const std::string& name) const {
    std::ifstream in(folder / name, std::ios::binary);
    std::ostringstream all;
    all << in.rdbuf();
    return all.str();
  }
  fs::path folder;
};

TEST(RoundScale, TakesOneTwoOrFive) {
  EXPECT_EQ(round_scale(85), 50);
  EXPECT_EQ(round_scale(49), 20);
  EXPECT_EQ(round_scale(19.9), 10);
  EXPECT_DOUBLE_EQ(round_scale(0.03), 0.02);
  EXPECT_EQ(round_scale(0), 1);
}

TEST(View, APlaneFrameKeepsItsProportionsAndFits) {
  FrameBuilder b(Plane::xz);
  b.node("A", 0, 0, 0);
  b.node("B", 12, 0, 5);
  const View view(b.model, {{0, 0, 0}, {12, 0, 5}}, default_view(b.model));
  const Vector2d a = view({0, 0, 0}), c = view({12, 0, 5});
  EXPECT_NEAR((c[0] - a[0]) / 12, view.scale(), 1e-9);
  EXPECT_NEAR((a[1] - c[1]) / 5, view.scale(), 1e-9);  // up is up
  for (const Vector2d& p : {a, c}) {
    EXPECT_GT(p.minCoeff(), 0);
    EXPECT_LT(p[0], Canvas::kWidth);
    EXPECT_LT(p[1], Canvas::kHeight);
  }
}

TEST(View, ASpaceFrameShowsAllThreeAxesEquallyLong) {
  FrameBuilder b(Plane::space);
  const View view(b.model, {{0, 0, 0}, {1, 1, 1}}, default_view(b.model));
  const double x = view.direction({1, 0, 0}).norm();
  EXPECT_NEAR(view.direction({0, 1, 0}).norm(), x, 1e-12);
  EXPECT_NEAR(view.direction({0, 0, 1}).norm(), x, 1e-12);
  EXPECT_LT(view.direction({0, 0, 1})[1], 0);
}

TEST_F(Drawing, LabelsKeepAwayFromEachOtherAndFromLines) {
  int placed = 0, dropped = 0;
  draw_files({(folder / "labels.svg").string()}, "labels", [&](Canvas& canvas) {
    LabelPlacer labels(canvas);
    labels.avoid({{100, 300}, {1100, 300}});
    for (int i = 0; i < 5; ++i) placed += labels.place({600, 300}, "1234.5", {}) ? 1 : 0;
    // Nothing is left free around this point.
    for (int i = 0; i < 60; ++i) labels.place({600, 300}, "a label that takes much room", {});
    dropped = labels.dropped();
  });
  EXPECT_EQ(placed, 5);
  EXPECT_GT(dropped, 20);
}

TEST_F(Drawing, CurvesKeepThePointsThatTheyNeed) {
  FrameBuilder b(Plane::xz);
  const NodeId p = b.node("A", 0, 0, 0), q = b.node("B", 8, 0, 0);
  b.member("M", p, q, b.section(bending_only(1e-4, 1e-2)), b.material(210e9, 81e9));
  std::vector<Vector3d> straight, wave;
  for (int i = 0; i <= 64; ++i) {
    const double x = i / 8.0;
    straight.emplace_back(x, 0, 1);
    wave.emplace_back(x, 0, 0.5 * std::sin(M_PI * x / 8));
  }
  // Back along itself: the turning point counts although it lies on the line.
  const std::vector<Vector3d> there_and_back = {{0, 0, 2}, {8, 0, 2}, {4, 0, 2}};
  const View view(b.model, {{0, 0, 0}, {8, 0, 2}}, default_view(b.model));
  std::vector<std::vector<Vector2d>> lines;
  draw_files({(folder / "c.svg").string()}, "curves", [&](Canvas& canvas) {
    Scene scene(canvas, view, b.model);
    lines = scene.draw_curves({straight, wave, there_and_back}, {palette::kInk, 1, {}});
  });
  ASSERT_EQ(lines.size(), 3U);
  EXPECT_EQ(lines[0].size(), 2U);
  EXPECT_EQ(lines[2].size(), 3U);
  EXPECT_LT(lines[1].size(), 60U);
  for (const Vector3d& point : wave) {
    double off = 1e9;
    for (std::size_t i = 0; i + 1 < lines[1].size(); ++i) {
      const Vector2d d = lines[1][i + 1] - lines[1][i], to = view(point) - lines[1][i];
      const double along = std::clamp(to.dot(d) / d.squaredNorm(), 0.0, 1.0);
      off = std::min(off, (to - along * d).norm());
    }
    EXPECT_LT(off, 0.11);  // px
  }
  // All of one depth are one path.
  const std::string svg = read("c.svg");
  EXPECT_EQ(svg.find("<path", svg.find("<path") + 1), std::string::npos);
}

TEST_F(Drawing, EveryFormatCarriesItsKind) {
  const std::vector<std::string> paths = {(folder / "a.svg").string(), (folder / "a.png").string(),
                                          (folder / "a.pdf").string()};
  draw_files(paths, "a < b & c", [](Canvas& canvas) { draw_heading(canvas, "title", "line"); });
  EXPECT_NE(read("a.svg").find("<title>a &lt; b &amp; c</title>"), std::string::npos);
  EXPECT_EQ(read("a.png").substr(1, 3), "PNG");
  EXPECT_EQ(read("a.pdf").substr(0, 5), "%PDF-");
  EXPECT_THROW(draw_files({"/nowhere/at/all.png"}, "", [](Canvas&) {}), std::ios_base::failure);
}

/// A space portal with every kind of support, hinge and load draws without complaint.
TEST_F(Drawing, ASpaceFrameWithEverySymbol) {
  FrameBuilder b(Plane::space);
  const SectionId s = b.section(bending_only(1e-4, 1e-2));
  const MaterialId steel = b.material(210e9, 81e9, 7850);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 4), C = b.node("C", 6, 0, 4),
               D = b.node("D", 6, 0, 0), E = b.node("E", 0, 5, 4), F = b.node("F", 0, 5, 0);
  b.member("AB", A, B, s, steel);
  const MemberId beam = b.member("BC", B, C, s, steel);
  b.member("DC", D, C, s, steel);
  const MemberId side = b.member("BE", B, E, s, steel);
  b.member("FE", F, E, s, steel);
  b.model.members[beam].joints[1][4] = 0;
  b.model.members[side].joints[0][4] = 5e6;
  b.fix_all(A);
  b.fix(D, {0, 1, 2});
  b.fix(F, {1, 2});
  b.spring(F, 0, 1e6);
  b.spring(F, 5, 1e6);
  b.uniform(beam, 2, -5e3);
  b.point(side, 2, force6(0, 0, -1e4));
  b.nodal_load(C, force6(3e3, 0, -1e5, 0, 2e3, 0));
  b.model.title = "every symbol";
  const RunResult r = b.run();
  ASSERT_TRUE(r.find("p-delta", "G")->outcome.stands());
  EXPECT_EQ(draw_results(r, UnitSystem(), folder),
            (std::vector<std::string>{"model", "deflected-G", "moment-G"}));
  for (const char* name : {"deflected-G.svg", "moment-G.svg", "model.svg"}) {
    EXPECT_NE(read(name).find("<title>every symbol"), std::string::npos) << name;
  }
  EXPECT_GT(fs::file_size(folder / "deflected-G.png"), 10000u);
}

/// A grid of 2 x 1 bays and 2 storeys, and a brace across its plan.
Model grid_frame() {
  FrameBuilder b(Plane::space);
  const SectionId s = b.section(bending_only(1e-4, 1e-2));
  const MaterialId steel = b.material(210e9, 81e9, 7850);
  NodeId at[3][2][3];
  for (int x = 0; x < 3; ++x) {
    for (int y = 0; y < 2; ++y) {
      for (int z = 0; z < 3; ++z) {
        at[x][y][z] = b.node(std::string("N") + std::to_string(100 * x + 10 * y + z), 6.0 * x,
                             5.0 * y, 3.5 * z);
        const std::string name = std::to_string(100 * x + 10 * y + z);
        if (z == 0) {
          b.fix_all(at[x][y][z]);
          continue;
        }
        b.member("C" + name, at[x][y][z - 1], at[x][y][z], s, steel);
        if (x > 0) b.member("X" + name, at[x - 1][y][z], at[x][y][z], s, steel);
        if (y > 0) b.member("Y" + name, at[x][y - 1][z], at[x][y][z], s, steel);
      }
    }
  }
  b.member("brace", at[0][0][2], at[2][1][2], s, steel);
  return b.model;
}

TEST(FramePlanes, AreFoundFromTheCoordinatesAndNamedByWhatIsConstant) {
  const Model model = grid_frame();
  const std::vector<FramePlane> planes = find_planes(model, UnitSystem());
  std::vector<std::string> names;
  for (const FramePlane& p : planes) names.push_back(p.name);
  EXPECT_EQ(names, (std::vector<std::string>{"y = 0 m", "y = 5 m", "x = 0 m", "x = 6 m", "x = 12 m",
                                             "N0 to N210", "z = 3.5 m", "z = 7 m"}));
  const FramePlane* front = find_plane(planes, "y=0");
  ASSERT_NE(front, nullptr);
  EXPECT_EQ(front->members.size(), 3 * 2u + 2 * 2u);  // columns and beams
  EXPECT_EQ(find_plane(planes, "y = 5 m"), &planes[1]);
  EXPECT_EQ(find_plane(planes, "x=1"), nullptr);  // not the start of x = 12
  EXPECT_EQ(find_plane(planes, "N0toN210"), &planes[5]);
  // The diagonal plane holds the brace and the four columns beneath its ends.
  EXPECT_EQ(planes[5].members.size(), 5u);
  // A column stands in two planes: the one with more members shows it.
  EXPECT_EQ(plane_of(planes, MemberId(0)), front);
  EXPECT_EQ(plane_of(planes, MemberId()), nullptr);
  FrameBuilder flat(Plane::xz);
  EXPECT_TRUE(find_planes(flat.model, UnitSystem()).empty());
}

/// Every plane is seen from the front: its points keep their distances on the page.
TEST(FramePlanes, AreSeenFromTheFront) {
  const Model model = grid_frame();
  for (const FramePlane& p : find_planes(model, UnitSystem())) {
    std::vector<Vector3d> points;
    for (const MemberId id : p.members)
      points.push_back(model.nodes[model.members[id].end].position);
    const View view(model, points, p.view(model));
    for (const MemberId id : p.members) {
      const Member& m = model.members[id];
      const Vector3d &a = model.nodes[m.start].position, &b = model.nodes[m.end].position;
      EXPECT_NEAR((view(a) - view(b)).norm(), view.scale() * (a - b).norm(), 1e-6) << p.name;
    }
    if (!p.floor) {
      EXPECT_GT(view.direction(Vector3d(1, 1, 0))[0], 0) << p.name;
      EXPECT_LT(view.direction(Vector3d(0, 0, 1))[1], 0) << p.name;
    }
  }
}

TEST_F(Drawing, AnUnloadedFrameDrawsToo) {
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 4);
  b.member("m", A, B, b.section(bending_only(1e-4, 1e-2)), b.material(210e9, 81e9));
  b.fix(A, {0, 2, 4});
  const RunResult r = b.run();
  EXPECT_EQ(draw_results(r, UnitSystem(), folder),
            (std::vector<std::string>{"model", "deflected-G", "moment-G"}));
}

}  // namespace
}  // namespace ulterix::testing::draw_test
