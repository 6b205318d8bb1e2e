// Labels, views and files of the figures.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <sstream>

#include "draw/figure.hpp"
#include "draw/label_placer.hpp"
#include "draw/model_figure.hpp"
#include "draw/page.hpp"
#include "draw/result_figures.hpp"
#include "draw/view.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing {
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
  EXPECT_EQ(draw_results(r, UnitSystem(), folder), 4);
  draw_files({(folder / "model.svg").string()}, "every symbol: the model",
             [&](Canvas& canvas) { draw_model(canvas, b.model, UnitSystem()); });
  for (const char* name : {"deflected-G.svg", "moment-G.svg", "model.svg"}) {
    EXPECT_NE(read(name).find("<title>every symbol"), std::string::npos) << name;
  }
  EXPECT_GT(fs::file_size(folder / "deflected-G.png"), 10000u);
}

TEST_F(Drawing, AnUnloadedFrameDrawsToo) {
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 4);
  b.member("m", A, B, b.section(bending_only(1e-4, 1e-2)), b.material(210e9, 81e9));
  b.fix(A, {0, 2, 4});
  const RunResult r = b.run();
  EXPECT_EQ(draw_results(r, UnitSystem(), folder), 4);
}

}  // namespace
}  // namespace ulterix::testing
