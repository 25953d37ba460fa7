// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/pose_check.h"

#include "../../scratch_folder.h"
#include "checked.h"
#include "clearance/free_range.h"
#include "io/mesh_files.h"
#include "shape/measure.h"

namespace cooperage::clearance {
namespace {

using namespace cooperage::test;

TEST(PoseCheck, ItNamesThePairItsDepthAndTheRegion) {
  const auto c = check(turning(boxAt(10, 10, 20, 50, 0, 0), boxAt(10, 10, 20, 57, 0, 0), 36, 90));
  PoseCheck pose(c.r, c.run->system().nodeOfLink, 0, c.geometry);
  std::vector<Pose> poses{Pose{}, Pose{}, Pose{}};
  const auto found = pose.at(poses, 300);
  ASSERT_EQ(found.size(), 1u);
  EXPECT_EQ(std::make_pair(found[0].linkA, found[0].linkB), std::make_pair(1, 2));
  EXPECT_NEAR(found[0].depth, 3e-3, 1e-5);  // x from 52 to 55
  ASSERT_FALSE(found[0].region.empty());
  for (const Vec3& p : found[0].region) {
    EXPECT_GE(p.x(), 0.052 - 1e-9);
    EXPECT_LE(p.x(), 0.055 + 1e-9);
    EXPECT_LE(std::abs(p.y()), 0.005 + 1e-9);
  }
  poses[2].p.y() = 0.011;  // beside it
  EXPECT_TRUE(pose.pairsAt(poses).empty());
}

// The arm meets the block after a known angle either way: the inner corner of one on the flat of the other.
TEST(FreeRange, GoesToTheFirstContactOnEitherSide) {
  const std::string blocks = boxAt(10, 10, 20, 0, 50, 0) + "," + boxAt(10, 10, 20, 0, -50, 0);
  const auto r = model::resolve(read(turning(boxAt(10, 10, 20, 50, 0, 0), blocks, 36))).value();
  shape::ShapeStore store;
  GeometryCache cache;
  const auto range = findFreeRange(r, 0, 0, store, cache, nullptr).value();
  const double q = kPi / 2 - 2 * std::atan(5.0 / 45);
  EXPECT_NEAR(range.home, 0, 1e-12);
  EXPECT_EQ(range.high.kind, kinematics::EndKind::contact);
  EXPECT_EQ(range.high.by, "plate - arm");
  EXPECT_NEAR(range.high.value, q, 1e-8);
  EXPECT_NEAR(range.low.value, -q, 1e-8);
}

TEST(FreeRange, AStopThatComesFirstIsNamedAndAContactBeforeItSaysSo) {
  std::string text = turning(boxAt(10, 10, 20, 50, 0, 0), boxAt(10, 10, 20, 0, 50, 0), 36);
  const std::string joint = R"("between":["frame/s","arm/s"])";
  text.replace(text.find(joint), joint.size(), joint + R"(,"stops":{"turn":["-30 deg","80 deg"]})");
  const auto r = model::resolve(read(text)).value();
  shape::ShapeStore store;
  GeometryCache cache;
  const auto range = findFreeRange(r, 0, 0, store, cache, nullptr).value();
  EXPECT_EQ(range.low.kind, kinematics::EndKind::stop);
  EXPECT_NEAR(range.low.value, -30 * kPi / 180, 1e-9);
  EXPECT_EQ(range.high.kind, kinematics::EndKind::contact);
  ASSERT_TRUE(range.high.stop.has_value());
  EXPECT_LT(range.high.value, *range.high.stop);
}

shape::Mesh discMesh() {
  return shape::tessellate(*shape::elementShape(model::BodyKind::disc, {0.03, 0.01, 0.02}), 2e-4).value();
}

TEST(MeshFiles, GltfHoldsAllTrianglesAndItsLengthsAgree) {
  const auto mesh = discMesh();
  const std::string glb = io::gltfBinary(mesh, "envelope", {0.7, 0.8, 0.8});
  const auto word = [&](std::size_t at) {
    std::uint32_t x = 0;
    std::memcpy(&x, glb.data() + at, 4);
    return static_cast<std::size_t>(x);
  };
  EXPECT_EQ(glb.substr(0, 4), "glTF");
  EXPECT_EQ(word(8), glb.size());
  const std::size_t json = word(12), data = word(20 + json);
  EXPECT_EQ(20 + json + 8 + data, glb.size());
  EXPECT_EQ(data, mesh.vertices.size() * 24 + mesh.triangles.size() * 12);
  EXPECT_NE(glb.find("\"count\":" + std::to_string(3 * mesh.triangles.size())), std::string::npos);
}

TEST(MeshFiles, AFacetedStepIsReadBackAsOneSolidOfTheSameVolume) {
  const auto mesh = discMesh();
  const test::ScratchFolder folder;
  const auto path = folder / "faceted.step";
  ASSERT_TRUE(io::writeFacetedStep(mesh, "envelope", path).ok());
  const auto back = shape::readStep(path);
  ASSERT_TRUE(back.ok()) << back.error().text;
  ASSERT_EQ(back->size(), 1u);
  const double volume = shape::volumeOf(shape::tessellate((*back)[0]->shape, 1e-4).value());
  EXPECT_NEAR(volume, shape::volumeOf(mesh), 1e-9 * volume + 1e-12);
}

TEST(MeshFiles, OutlinesHaveOneLoopForEveryRim) {
  const auto outline = outlineOf(discMesh(), 2, 5e-5);
  const std::string svg = io::outlineSvg(outline, "a <b>"), dxf = io::outlineDxf(outline);
  const auto count = [](const std::string& text, const std::string& what) {
    int n = 0;
    for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + 1)) ++n;
    return n;
  };
  EXPECT_EQ(count(svg, "Z"), 2);
  EXPECT_NE(svg.find("a &lt;b&gt;"), std::string::npos);
  EXPECT_EQ(count(dxf, "POLYLINE"), 2);
  EXPECT_EQ(count(dxf, "SEQEND"), 2);
}

TEST(MeshFiles, AnEndingThatIsNotKnownIsRefusedWithThoseThatAre) {
  const auto s = io::writeSwept(discMesh(), discMesh(), 2, 1e-4, "x", "x.doc");
  ASSERT_FALSE(s.ok());
  EXPECT_NE(s.error().text.find(".glb"), std::string::npos);
}

}  // namespace
}  // namespace cooperage::clearance
