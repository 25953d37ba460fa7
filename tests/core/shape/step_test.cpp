// SPDX-License-Identifier: GPL-3.0-or-later
#include <gmock/gmock.h>

#include <BRepBndLib.hxx>
#include <Bnd_Box.hxx>
#include <TopExp_Explorer.hxx>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "../../scratch_folder.h"
#include "shape/shape_store.h"

namespace cooperage::shape {
namespace {

using model::BodyKind;
using testing::HasSubstr;

class Step : public testing::Test {
 protected:
  std::string textOf(const std::filesystem::path& p) {
    std::ifstream in(p, std::ios::binary);
    std::ostringstream out;
    out << in.rdbuf();
    return out.str();
  }
  std::string problemOf(const std::string& text) {
    std::ofstream(folder_ / "x.step", std::ios::binary) << text;
    const auto r = readStep(folder_ / "x.step");
    return r.ok() ? "accepted" : r.error().text;
  }
  const test::ScratchFolder folder_;
  const std::filesystem::path crank_ = std::filesystem::path(COOPERAGE_DEMO) / "hoop-press/parts/crank.step";
};

Mesh meshOf(BodyKind kind, const std::vector<double>& figures, double deflection = 1e-5) {
  return tessellate(*elementShape(kind, figures), deflection).value();
}

TEST(Elements, VolumesAreThoseOfTheFormulas) {
  EXPECT_NEAR(volumeOf(meshOf(BodyKind::box, {0.1, 0.2, 0.3})), 0.006, 1e-12);
  EXPECT_NEAR(volumeOf(meshOf(BodyKind::cylinder, {0.05, 0.2})), kPi * 0.0025 * 0.2, 1e-6);
  EXPECT_NEAR(volumeOf(meshOf(BodyKind::sphere, {0.05})), 4.0 / 3 * kPi * 1.25e-4, 2e-6);
  // bar: rectangle and round ends less two bores
  const double w = 0.03, t = 0.01, l = 0.12, b = 0.012;
  EXPECT_NEAR(volumeOf(meshOf(BodyKind::bar, {l, w, t, b})), t * (l * w + kPi * w * w / 4 - 2 * kPi * b * b / 4), 2e-8);
}

TEST(Mesh, IsClosedEveryEdgeServesTwoTrianglesInOppositeSense) {
  std::map<std::pair<int, int>, int> edges;
  for (const auto& t : meshOf(BodyKind::bar, {0.12, 0.03, 0.01, 0.012}).triangles)
    for (std::size_t k = 0; k < 3; ++k) ++edges[{t[k], t[(k + 1) % 3]}];
  for (const auto& [e, n] : edges) {
    EXPECT_EQ(n, 1);
    EXPECT_EQ(edges.count({e.second, e.first}), 1u);
  }
}

TEST_F(Step, AnAssemblyKeepsNamesColoursAndPlacements) {
  Pose p;
  p.p = Vec3(0.1, 0.2, 0.3);
  p.R = rotationAbout(2, kPi / 2);
  ASSERT_TRUE(
      writeStep({{*elementShape(BodyKind::box, {0.02, 0.04, 0.06}), "D\u00e4ube", model::Colour{0.2, 0.4, 0.6}, p},
                 {*elementShape(BodyKind::sphere, {0.01}), "bung", model::Colour{0.9, 0.1, 0.1}, {}}},
                "cask", folder_ / "a.step")
          .ok());
  const auto r = readStep(folder_ / "a.step");
  ASSERT_TRUE(r.ok()) << r.error().text;
  ASSERT_EQ(r->size(), 2u);
  EXPECT_EQ((*r)[0]->name, "D\u00e4ube");
  ASSERT_TRUE((*r)[0]->colour.has_value());
  EXPECT_NEAR((*r)[0]->colour->g, 0.4, 0.01);
  Bnd_Box box;
  BRepBndLib::AddOptimal((*r)[0]->shape, box, false, false);
  double x0, y0, z0, x1, y1, z1;
  box.Get(x0, y0, z0, x1, y1, z1);
  EXPECT_NEAR(x1 - x0, 40, 1e-4) << "turned by a quarter";
  EXPECT_NEAR(0.5 * (z0 + z1), 300, 1e-4);
}

// An occurrence without a name of its own bears that of its product, not its number.
TEST_F(Step, OccurrencesWithoutNamesBearTheirProducts) {
  ASSERT_TRUE(writeStep({{*elementShape(BodyKind::box, {0.02, 0.04, 0.06}), "stave", {}, {}},
                         {*elementShape(BodyKind::sphere, {0.01}), "bung", {}, {}}},
                        "cask", folder_ / "a.step")
                  .ok());
  std::string text = textOf(folder_ / "a.step");
  int named = 0;
  for (std::size_t at = 0; (at = text.find("NEXT_ASSEMBLY_USAGE_OCCURRENCE('", at)) != std::string::npos;) {
    at += 32;
    const std::size_t idEnd = text.find("','", at), nameEnd = text.find("','", idEnd + 3);
    text.replace(at, nameEnd - at, std::to_string(++named) + "','");  // an id, and no name
  }
  ASSERT_EQ(named, 2);
  std::ofstream(folder_ / "b.step") << text;
  const auto r = readStep(folder_ / "b.step");
  ASSERT_TRUE(r.ok()) << r.error().text;
  ASSERT_EQ(r->size(), 2u);
  EXPECT_EQ((*r)[0]->name, "stave");
  EXPECT_EQ((*r)[1]->name, "bung");
}

TEST_F(Step, SeveralSolidsHandOverBetweenProcessesUnchanged) {
  const auto cask = readStep(std::filesystem::path(COOPERAGE_DEMO) / "hoop-press/parts/cask.step");
  ASSERT_TRUE(cask.ok());
  EXPECT_EQ(cask->size(), 5u);
  ASSERT_TRUE(writeSolids(*cask, folder_ / "s").ok());
  const auto again = readSolids(folder_ / "s");
  ASSERT_TRUE(again.ok());
  ASSERT_EQ(again->size(), 5u);
  EXPECT_EQ((*again)[1]->name, (*cask)[1]->name);
  std::filesystem::resize_file(folder_ / "s", 500);
  EXPECT_FALSE(readSolids(folder_ / "s").ok());
}

TEST_F(Step, BadFilesAreRefusedWithTheReason) {
  const std::string whole = textOf(crank_);
  EXPECT_EQ(problemOf(whole), "accepted");
  EXPECT_THAT(problemOf(""), HasSubstr("empty"));
  EXPECT_THAT(problemOf("hello"), HasSubstr("no STEP file"));
  EXPECT_THAT(problemOf(whole.substr(0, whole.size() / 2)), HasSubstr("cut off"));
  const auto missing = readStep(folder_ / "none.step");
  ASSERT_FALSE(missing.ok());
  EXPECT_THAT(missing.error().text, HasSubstr("can't be opened"));
}

// Whole entities lost in the middle: the reader goes on with fewer faces and says nothing.
TEST_F(Step, DamageInTheMiddleIsNoticed) {
  const std::string whole = textOf(crank_);
  std::string cut = whole;
  const auto from = cut.find("\n#", cut.size() / 2), to = cut.find("\n#", from + 900);
  cut.erase(from, to - from);
  EXPECT_THAT(problemOf(cut), HasSubstr("damaged"));
  std::string garbled = whole;  // one face's keyword is garbled: all numbers are still there
  const auto face = garbled.find("ADVANCED_FACE", garbled.size() / 2);
  garbled.replace(face, 13, "ADVANCXD_FACE");
  EXPECT_THAT(problemOf(garbled), testing::AnyOf(HasSubstr("damaged"), HasSubstr("not closed"), HasSubstr("no solid")));
}

TEST(Snaps, ABoreOffersMiddleAndEndsOfItsAxis) {
  const auto shape = *elementShape(BodyKind::cylinder, {0.01, 0.05});
  bool found = false;
  for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next()) {
    const auto snaps = snapsOf(e.Current());
    ASSERT_FALSE(snaps.empty());
    if (snaps[0].word != "axis middle") continue;
    found = true;
    EXPECT_NEAR(snaps[0].at.norm(), 0, 1e-12);
    EXPECT_NEAR(std::abs(snaps[1].at.z()), 0.025, 1e-12);
    EXPECT_NEAR(snaps[1].at.z(), -snaps[2].at.z(), 1e-12);
    EXPECT_NEAR(std::abs(snaps[0].axis.z()), 1, 1e-12);
  }
  EXPECT_TRUE(found);
}

TEST(Snaps, APlanarFaceLooksOutwards) {
  const auto shape = *elementShape(BodyKind::box, {0.02, 0.04, 0.06});
  for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next()) {
    const auto snaps = snapsOf(e.Current());
    ASSERT_EQ(snaps[0].word, "middle");
    EXPECT_GT(snaps[0].at.dot(snaps[0].axis), 0) << "the normal points away from the box's middle";
  }
}

}  // namespace
}  // namespace cooperage::shape
