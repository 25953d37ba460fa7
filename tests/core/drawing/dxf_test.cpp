// SPDX-License-Identifier: GPL-3.0-or-later
// DXF files of a second writer and by hand: lengths and areas, blocks, units, and what is broken.
#include <gmock/gmock.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "base/geometry.h"
#include "drawing/drawing.h"

namespace cooperage::drawing {
namespace {

using testing::HasSubstr;

std::string bytesOf(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

/// Files that the second writer makes, once for all tests.
class SecondWriter : public testing::Test {
 protected:
  static void SetUpTestSuite() {
    const char* base = std::getenv("TMPDIR");
    std::string pattern = std::string(base ? base : "/tmp") + "/cooperage-dxf-XXXXXX";
    ASSERT_NE(mkdtemp(pattern.data()), nullptr);
    folder() = pattern;
    const std::string command =
        std::string(COOPERAGE_PYTHON " " COOPERAGE_TESTS_FOLDER "/core/drawing/second_writer.py ") + pattern;
    ASSERT_EQ(std::system(command.c_str()), 0) << command;
    expected() = nlohmann::json::parse(bytesOf(folder() / "expected.json"));
  }
  static void TearDownTestSuite() { std::filesystem::remove_all(folder()); }
  static std::filesystem::path& folder() {
    static std::filesystem::path p;
    return p;
  }
  static nlohmann::json& expected() {
    static nlohmann::json j;
    return j;
  }
  static std::string text(const std::string& name) { return bytesOf(folder() / (name + ".dxf")); }

  static void compare(const std::string& name) {
    const auto read = readDxf(text(name), name);
    ASSERT_TRUE(read.ok()) << read.error().text;
    const auto& want = expected()[name];
    ASSERT_NEAR(read->unit, want["unit"].get<double>(), 1e-15);
    const Drawing d = scaled(*read, read->unit);
    EXPECT_EQ(d.layers.size(), want["layers"].size());
    for (const auto& [layer, measures] : want["layers"].items()) {
      double length = 0, area = 0;
      for (const auto& c : d.curves)
        if (c.layer == layer) {
          length += lengthOf(c.outline);
          if (c.outline.closed) area += std::abs(areaOf(c.outline));
        }
      EXPECT_EQ(d.countOn(layer), measures[0].get<int>()) << layer;
      EXPECT_NEAR(length, measures[1].get<double>(), 1e-9 * measures[1].get<double>()) << layer;
      EXPECT_NEAR(area, measures[2].get<double>(), 1e-9 * measures[2].get<double>()) << layer;
    }
  }
};

TEST_F(SecondWriter, EveryKindOfCurveMeasuresWhatItShould) { compare("plain"); }
TEST_F(SecondWriter, BlocksNestTurnMirrorAndRepeat) { compare("blocks"); }
TEST_F(SecondWriter, InchesAreInches) { compare("inches"); }
TEST_F(SecondWriter, AHundredThousandLines) { compare("many"); }

TEST_F(SecondWriter, TextAndHatchingAreLeftOutAndCounted) {
  const auto read = readDxf(text("plain"), "plain");
  ASSERT_TRUE(read.ok());
  EXPECT_EQ(read->leftOut, (std::map<std::string, int>{{"text", 1}, {"hatching", 1}}));
}

TEST_F(SecondWriter, WhatIsLeftOutCanBeHad) {
  const auto read = readDxf(text("annotated"), "annotated");
  ASSERT_TRUE(read.ok());
  EXPECT_EQ(read->curves.size(), 1u);
  EXPECT_EQ(read->leftOut, (std::map<std::string, int>{{"text", 2}, {"dimension", 1}, {"hatching", 1}}));
  const Drawing d = scaled(*read, read->unit);
  for (const auto& [layer, measures] : expected()["annotated"]["layers"].items()) {
    double length = 0;
    int count = 0;
    for (const auto& c : d.annotations)
      if (c.layer == layer) {
        ++count;
        length += lengthOf(c.outline);
      }
    EXPECT_EQ(count, measures[0].get<int>()) << layer;
    EXPECT_NEAR(length, measures[1].get<double>(), 1e-9) << layer;
  }
  std::map<std::string, double> said;
  for (const Note& n : d.notes) said[n.text] = n.height;
  ASSERT_EQ(said.size(), 3u);
  EXPECT_NEAR(said["tie bar"], 3e-3, 1e-15);
  EXPECT_NEAR(said["two lines"], 2.5e-3, 1e-15);
  EXPECT_EQ(said.count("30"), 1u) << "what the dimension measures";
  const Drawing bare = withoutAnnotations(d);
  EXPECT_TRUE(bare.annotations.empty() && bare.notes.empty());
  EXPECT_EQ(bare.curves.size(), 1u);
}

TEST_F(SecondWriter, AFileCutOffAnywhereIsAnErrorByName) {
  const std::string whole = text("blocks");
  const auto right = readDxf(whole, "blocks");
  ASSERT_TRUE(right.ok());
  int errors = 0;
  for (std::size_t cut = 0; cut < whole.size(); cut += 13) {
    const auto part = readDxf(whole.substr(0, cut), "blocks.dxf");
    if (part.ok()) {
      EXPECT_EQ(part->curves.size(), right->curves.size()) << "cut at " << cut;
    } else {
      ++errors;
      EXPECT_THAT(part.error().text, HasSubstr("blocks.dxf")) << cut;
    }
  }
  EXPECT_GT(errors, 1000);
}

/// A DXF from groups, written by hand.
class ByHand {
 public:
  ByHand& add(int code, const std::string& value) {
    out_ << code << "\n" << value << "\n";
    return *this;
  }
  ByHand& add(int code, double value) {
    out_.precision(17);
    out_ << code << "\n" << value << "\n";
    return *this;
  }
  ByHand& section(const std::string& name) { return add(0, "SECTION").add(2, name); }
  ByHand& end() { return add(0, "ENDSEC"); }
  ByHand& unit(int code) { return section("HEADER").add(9, "$INSUNITS").add(70, std::to_string(code)).end(); }
  ByHand& block(const std::string& name) {
    return add(0, "BLOCK").add(8, "0").add(2, name).add(70, "0").add(10, 0.0).add(20, 0.0);
  }
  ByHand& endBlock() { return add(0, "ENDBLK"); }
  ByHand& line(double x1, double y1, double x2, double y2, const std::string& layer = "0") {
    return add(0, "LINE").add(8, layer).add(10, x1).add(20, y1).add(11, x2).add(21, y2);
  }
  ByHand& insert(const std::string& name, double x, double y, double sx = 1, double sy = 1, double angle = 0,
                 const std::string& layer = "0") {
    return add(0, "INSERT").add(8, layer).add(2, name).add(10, x).add(20, y).add(41, sx).add(42, sy).add(50, angle);
  }
  std::string file() const { return out_.str() + "0\nEOF\n"; }

 private:
  std::ostringstream out_;
};

TEST(Dxf, BulgesAreArcsAndASemicircleIsHalfATurn) {
  ByHand f;
  f.section("ENTITIES").add(0, "LWPOLYLINE").add(8, "cut").add(90, "2").add(70, "1");
  f.add(10, 0.0).add(20, 0.0).add(42, 1.0).add(10, 6.0).add(20, 0.0).add(42, 1.0).end();
  const auto d = readDxf(f.file(), "f");
  ASSERT_TRUE(d.ok()) << d.error().text;
  ASSERT_EQ(d->curves.size(), 1u);
  EXPECT_EQ(d->unit, 0) << "it names none";
  EXPECT_TRUE(d->curves[0].outline.closed);
  EXPECT_NEAR(areaOf(d->curves[0].outline), 9 * kPi, 1e-12);
  EXPECT_NEAR(d->box().low.y(), -3, 1e-12);
  EXPECT_NEAR(d->box().high.y(), 3, 1e-12);
}

TEST(Dxf, ABlockOnLayerZeroComesOntoTheLayerOfItsInsert) {
  ByHand f;
  f.section("BLOCKS").block("eye").line(0, 0, 1, 0).line(0, 0, 0, 1, "own").endBlock().end();
  f.section("ENTITIES").insert("eye", 0, 0, 1, 1, 0, "arm").end();
  const auto d = readDxf(f.file(), "f");
  ASSERT_TRUE(d.ok()) << d.error().text;
  EXPECT_EQ(d->layers, (std::vector<std::string>{"arm", "own"}));
}

TEST(Dxf, NegativeAndUnequalScalesMirrorAndStretch) {
  ByHand f;
  f.section("BLOCKS").block("hook").line(0, 0, 2, 0);
  f.add(0, "ARC").add(8, "0").add(10, 2.0).add(20, 1.0).add(40, 1.0).add(50, 270.0).add(51, 0.0).endBlock().end();
  f.section("ENTITIES").insert("hook", 10, 0, -1, 3, 90).end();
  const auto d = readDxf(f.file(), "f");
  ASSERT_TRUE(d.ok()) << d.error().text;
  ASSERT_EQ(d->curves.size(), 2u);
  // (x, y) goes to (-3 y, -x) + (10, 0)
  const Vec2 end = d->curves[1].outline.end(), tip = d->curves[0].outline.end();
  EXPECT_NEAR(tip.x(), 10, 1e-12);
  EXPECT_NEAR(tip.y(), -2, 1e-12);
  EXPECT_NEAR(end.x(), 7, 1e-12);
  EXPECT_NEAR(end.y(), -3, 1e-12);
  // a quarter of an ellipse with the half axes 1 and 3, by its perimeter (Abramowitz and Stegun, 17.3)
  double k = 8.0 / 9, a = 1, b = std::sqrt(1 - k), sum = 1 - k / 2, power = 1;
  for (int i = 0; i < 30; ++i) {
    const double c = 0.5 * (a - b), m = 0.5 * (a + b);
    b = std::sqrt(a * b);
    a = m;
    sum -= power * c * c;
    power *= 2;
  }
  EXPECT_NEAR(lengthOf(d->curves[1].outline), 3 * sum * kPi / (2 * a), 1e-12);
}

TEST(Dxf, ABlockThatHoldsItselfIsNamed) {
  ByHand f;
  f.section("BLOCKS").block("a").insert("b", 0, 0).endBlock().block("b").insert("a", 1, 1).endBlock().end();
  f.section("ENTITIES").insert("a", 0, 0).end();
  const auto d = readDxf(f.file(), "loop.dxf");
  ASSERT_FALSE(d.ok());
  EXPECT_THAT(d.error().text, HasSubstr("loop.dxf: the block 'a' holds itself"));
}

TEST(Dxf, CountsBeyondTheFileAreNamed) {
  ByHand f;
  f.section("ENTITIES").add(0, "LWPOLYLINE").add(8, "0").add(90, "2000000000").end();
  const auto d = readDxf(f.file(), "f");
  ASSERT_FALSE(d.ok());
  EXPECT_THAT(d.error().text, HasSubstr("LWPOLYLINE counts 2000000000 parts"));
  ByHand rows;
  rows.section("BLOCKS").block("a").line(0, 0, 1, 1).endBlock().end().section("ENTITIES");
  rows.insert("a", 0, 0).add(70, "30000").add(71, "30000").add(44, 1.0).add(45, 1.0).end();
  const auto many = readDxf(rows.file(), "f");
  ASSERT_FALSE(many.ok());
  EXPECT_THAT(many.error().text, HasSubstr("'a' is set 30000 by 30000 times"));
}

TEST(Dxf, WhatIsNoDxfIsSaidToBeNone) {
  for (const char* text : {"", "hello", "0\nSECTION\n2\nENTITIES\n", "7\n8\n0\nEOF\n"}) {
    const auto d = readDxf(text, "x.dxf");
    ASSERT_FALSE(d.ok()) << text;
    EXPECT_THAT(d.error().text, HasSubstr("x.dxf"));
  }
  EXPECT_THAT(readDxf("AutoCAD Binary DXF\r\n\x1a", "x").error().text, HasSubstr("binary"));
}

TEST(Dxf, LineEndsOfOtherSystemsAndAByteOrderMarkDoNoHarm) {
  ByHand f;
  f.unit(5).section("ENTITIES").line(0, 0, 3, 4).end();
  std::string text = "\xEF\xBB\xBF";
  for (char c : f.file()) text += c == '\n' ? std::string("\r\n") : std::string(1, c);
  const auto d = readDxf(text, "f");
  ASSERT_TRUE(d.ok()) << d.error().text;
  EXPECT_NEAR(lengthOf(scaled(*d, d->unit).curves.at(0).outline), 0.05, 1e-15);
}

TEST(Dxf, CanBeCancelled) {
  struct Cancelled : Progress {
    bool cancelled() const override { return true; }
  } stop;
  ByHand f;
  f.section("ENTITIES");
  for (int i = 0; i < 1000; ++i) f.line(0, 0, i, 1);
  const auto d = readDxf(f.end().file(), "f", &stop);
  ASSERT_FALSE(d.ok());
  EXPECT_TRUE(d.error().cancelled);
}

}  // namespace
}  // namespace cooperage::drawing
