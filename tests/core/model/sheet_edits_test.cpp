// SPDX-License-Identifier: GPL-3.0-or-later
// Sheets: curves are gathered into links and let go, and none is ever lost or had twice.
#include <rapidcheck/gtest.h>

#include "../support.h"
#include "model/outlines.h"
#include "model/sheet_edits.h"

namespace cooperage::model {
namespace {

using namespace cooperage::test;
using drawing::Outline;
using drawing::Piece;
using drawing::Vec2;
using testing::HasSubstr;

/// Two sheets, one of them on a link, with curves of every kind on them.
std::string sheets() {
  return R"({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},"parameters":[{"name":"reach","value":"40 mm"}],
   "links":[{"name":"frame","ground":true,"seats":[{"name":"o"},{"name":"far","at":[100,0,0]}]},
     {"name":"arm","placement":{"at":[10,20,5],"turn":[0.8,0,0,0.6]},"seats":[{"name":"o"}]}],
   "joints":[{"name":"hinge","kind":"revolute","between":["frame/far","arm/o"]}],
   "sheets":[{"name":"layout","depth":2,"curves":[
      {"name":"line 1","kind":"chain","pieces":[{"line":[[0,0],["reach",0]]}]},
      {"name":"kinked","kind":"chain","closed":true,"pieces":[{"line":[[0,0],[5,0]]},{"line":[[5,0],[5,5]]},{"line":[[5,5],[0,0]]}]},
      {"name":"bore","kind":"circle","centre":[40,0],"radius":4},
      {"name":"arc","kind":"chain","pieces":[{"arc":{"from":[5,0],"to":[0,5],"centre":[0,0],"ccw":true}}]},
      {"name":"oval","kind":"chain","closed":true,"pieces":[{"ellipse":{"centre":[1,2],"u":[8,0],"v":[0,3],"from":0,"to":360}}]},
      {"name":"flow","kind":"chain","layer":"cut","pieces":[{"nurbs":{"degree":2,"points":[[0,0],[5,5],[10,0]],"knots":[0,0,0,1,1,1],"weights":[1,2,1]}}]},
      {"name":"axis","kind":"chain","construction":true,"pieces":[{"line":[[-50,0],[50,0]]}]},
      {"name":"through","kind":"chain","pieces":[{"spline":[[0,0],[5,3],[9,-2],[14,0]]}]}]},
    {"name":"on the arm","on":"arm","at":[1,2,3],"axis":[0,0,1],"ref":[0,1,0],"curves":[
      {"name":"line 1","kind":"chain","pieces":[{"line":[[3,4],[6,8]]}]}]}]})";
}

std::map<Id, int> timesThere(const Mechanism& m) {
  std::map<Id, int> n;
  for (const auto& s : m.sheets)
    for (const auto& c : s->curves) ++n[c->id];
  for (const auto& l : m.links)
    for (const auto& c : l->curves) ++n[c->id];
  return n;
}
std::vector<Id> idsOf(const Mechanism& m) {
  std::vector<Id> ids;
  for (const auto& [id, n] : timesThere(m)) ids.push_back(id);
  return ids;
}
Id curveNamed(const Mechanism& m, const std::string& sheet, const std::string& name) {
  return findByName(findByName(m.sheets, sheet)->curves, name)->id;
}

TEST(Sheets, AreWrittenAsTheyAreRead) {
  const Mechanism m = read(sheets());
  const std::string once = io::writeCoop(m);
  EXPECT_EQ(io::writeCoop(read(once)), once);
  ASSERT_EQ(m.sheets.size(), 2u);
  EXPECT_TRUE(resolve(m).ok());
  EXPECT_EQ(countLoose(m), 8);
  const Outline oval = outlineOf(m, *findByName(m.sheets[0]->curves, "oval")).value();
  EXPECT_NEAR(drawing::areaOf(oval), 24e-6 * kPi, 1e-18);
  EXPECT_NEAR(drawing::lengthOf(outlineOf(m, *findByName(m.sheets[0]->curves, "line 1")).value()), 0.04, 1e-15);
}

TEST(Sheets, ACurveOfEachKindComesBackFromItsOutline) {
  const Mechanism m = read(sheets());
  for (const auto& c : m.sheets[0]->curves) {
    const Outline o = outlineOf(m, *c).value();
    Curve again = curveOf(o, m.units);
    again.name = c->name;
    EXPECT_TRUE(drawing::sameShape(o, outlineOf(m, again).value(), 1e-15)) << c->name;
  }
}

TEST(Sheets, WhatIsBrokenOnThemIsNamed) {
  const auto said = [](const std::string& from, const std::string& to) {
    std::string text = sheets();
    text.replace(text.find(from), from.size(), to);
    const auto m = io::readCoop(text);
    if (!m.ok()) return m.error().text;
    const auto r = resolve(*m);
    return r.ok() ? std::string() : r.error().text;
  };
  EXPECT_THAT(said("\"radius\":4", "\"radius\":-4"),
              HasSubstr("curve layout/bore: the radius must be greater than zero"));
  EXPECT_THAT(said("[0,0,0,1,1,1]", "[0,0,0,1,1]"),
              HasSubstr("curve layout/flow: a spline: it has 5 knots in place of 6"));
  EXPECT_THAT(said("\"on\":\"arm\"", "\"on\":\"leg\""), HasSubstr("no link 'leg'"));
  EXPECT_THAT(said("\"name\":\"kinked\"", "\"name\":\"line 1\""), HasSubstr("the name is used twice"));
  EXPECT_THAT(said("\"ref\":[0,1,0]", "\"ref\":[0,0,1]"), HasSubstr("sheet on the arm"));
}

TEST(Gathering, ALinkHasItsCurvesWhereTheyAreDrawn) {
  const Mechanism m = read(sheets());
  const auto made = gathered(m, {curveNamed(m, "layout", "bore"), curveNamed(m, "on the arm", "line 1")}, 0, "lever");
  ASSERT_TRUE(made.ok()) << made.error().text;
  const auto& [with, lever] = *made;
  const auto r = resolve(with);
  ASSERT_TRUE(r.ok()) << r.error().text;
  const auto link = findLink(with, lever);
  ASSERT_EQ(link->curves.size(), 2u);
  // the places on the sheets and in the link are the same in space
  const auto place = [&](const Curve& c, const Vec2& x) {
    const auto& l = r->links[*indexOf(with, lever)];
    for (const auto& s : l.seats)
      if (s.id == c.seat) return Vec3(l.placement * (s.frame * Vec3(x.x(), x.y(), 0)));
    return Vec3(Vec3::Constant(1e9));
  };
  EXPECT_LT((place(*link->curves[0], {0.04, 0}) - Vec3(0.04, 0, 0.002)).norm(), 1e-12);
  const Vec3 onArm = Pose{Eigen::Quaterniond(0.8, 0, 0, 0.6).toRotationMatrix(), {0.01, 0.02, 0.005}} *
                     Vec3(0.001 - 0.004, 0.002 + 0.003, 0.003);
  EXPECT_LT((place(*link->curves[1], {0.003, 0.004}) - onArm).norm(), 1e-12);
  EXPECT_EQ(countLoose(with), 6);
}

TEST(Gathering, CornersAreWelcomeUntilSomethingRunsOnThem) {
  const Mechanism m = read(sheets());
  auto made = gathered(m, {curveNamed(m, "layout", "kinked")}, findByName(m.links, "arm")->id, "");
  ASSERT_TRUE(made.ok());
  Mechanism with = made->first;
  EXPECT_TRUE(resolve(with).ok());
  EXPECT_TRUE(resolve(read(io::writeCoop(with))).ok());
  CamPair touch;
  touch.id = newId();
  touch.name = "touch";
  touch.kind = ContactKind::point;
  touch.cam = findLink(with, made->second)->curves[0]->id;
  touch.follower = findByName(with.links, "frame")->seats[0]->id;
  with.camPairs.push_back(std::make_shared<const CamPair>(touch));
  const auto r = resolve(with);
  ASSERT_FALSE(r.ok());
  EXPECT_THAT(r.error().text, HasSubstr("kink"));
  const auto back = released(with, {touch.cam});
  ASSERT_FALSE(back.ok());
  EXPECT_THAT(back.error().text, HasSubstr("contact touch runs on it"));
}

TEST(Gathering, ACurveThatWentThereAndBackIsAsItWas) {
  const Mechanism m = read(sheets());
  const Id bore = curveNamed(m, "layout", "flow");
  const auto there = gathered(m, {bore}, findByName(m.links, "arm")->id, "");
  ASSERT_TRUE(there.ok());
  const auto back = released(there->first, {bore});
  ASSERT_TRUE(back.ok()) << back.error().text;
  EXPECT_TRUE(drawing::sameShape(outlineOf(m, *findSheetCurve(m, bore)->curve).value(),
                                 outlineOf(*back, *findSheetCurve(*back, bore)->curve).value(), 0));
  EXPECT_EQ(findSheetCurve(*back, bore)->curve->layer, "cut");
}

TEST(Gathering, ASheetThatGoesLeavesTheLinksTheirOutlines) {
  const Mechanism m = read(sheets());
  const auto made = gathered(m, {curveNamed(m, "layout", "kinked")}, 0, "lever");
  const auto less = removed(made->first, {m.sheets[0]->id});
  ASSERT_TRUE(less.ok()) << less.error().text;
  EXPECT_EQ(findLink(*less, made->second)->curves.size(), 1u);
  EXPECT_TRUE(resolve(read(io::writeCoop(*less))).ok());
  const auto back = released(*less, {findLink(*less, made->second)->curves[0]->id});
  ASSERT_FALSE(back.ok());
  EXPECT_THAT(back.error().text, HasSubstr("the sheet on which it was drawn is gone"));
}

RC_GTEST_PROP(Gathering, KeepsEveryCurveExactlyOnce, ()) {
  const Mechanism first = read(sheets());
  const auto all = idsOf(first);
  Mechanism m = first;
  std::vector<std::string> before{io::writeCoop(m)};
  std::vector<Mechanism> history{m};
  const int steps = *rc::gen::inRange(1, 12);
  for (int k = 0; k < steps; ++k) {
    std::vector<Id> some;
    for (Id id : all)
      if (*rc::gen::inRange(0, 3) == 0) some.push_back(id);
    if (some.empty()) continue;
    if (*rc::gen::inRange(0, 3) == 0) {
      auto r = released(m, some);
      RC_ASSERT(r.ok());
      m = *r;
    } else {
      const auto n = static_cast<int>(m.links.size());
      const int pick = *rc::gen::inRange(0, n + 1);
      auto r = gathered(m, some, pick == n ? 0 : m.links[static_cast<std::size_t>(pick)]->id, "link");
      RC_ASSERT(r.ok());
      m = r->first;
    }
    const auto there = timesThere(m);
    RC_ASSERT(there.size() == all.size());
    for (const auto& [id, n] : there) RC_ASSERT(n == 1);
    RC_ASSERT(resolve(m).ok());
    const std::string text = io::writeCoop(m);
    RC_ASSERT(io::writeCoop(read(text)) == text);
    history.push_back(m);
    before.push_back(text);
  }
  // undo: each document that was there is what it was, to the byte
  for (std::size_t i = 0; i < history.size(); ++i) RC_ASSERT(io::writeCoop(history[i]) == before[i]);
}

TEST(Gathering, UseInBothLeavesTheFirstItsCurve) {
  const Mechanism m = read(sheets());
  const Id bore = curveNamed(m, "layout", "bore");
  const auto one = gathered(m, {bore}, 0, "lever");
  const auto both = gatheredCopies(one->first, {bore}, findByName(m.links, "arm")->id);
  ASSERT_TRUE(both.ok());
  EXPECT_EQ(findLink(both->first, one->second)->curves.size(), 1u);
  EXPECT_EQ(findByName(both->first.links, "arm")->curves.size(), 1u);
  EXPECT_EQ(timesThere(both->first).size(), timesThere(m).size() + 1);
}

drawing::Drawing someDrawing() {
  drawing::Drawing d;
  d.layers = {"frame", "arm"};
  d.curves = {{{{Piece::line({0, 0}, {0.1, 0})}, false}, "frame"},
              {{{Piece::arc({0, 0}, 0.01, 0, 2 * kPi)}, true}, "frame"},
              {{{Piece::line({0, 0}, {0.05, 0.05})}, false}, "arm"}};
  d.unit = 1;
  return d;
}

TEST(Drawings, ReadAgainKeepTheGroupingAndMarkWhatIsGone) {
  Mechanism m;
  Sheet plane;
  plane.name = "cradle";
  plane.file = "cradle.dxf";
  auto [with, ids] = withDrawing(m, someDrawing(), plane, true);
  ASSERT_EQ(ids.size(), 2u);
  EXPECT_EQ(findById(with.sheets, ids[1])->name, "arm");
  const Id line = findById(with.sheets, ids[0])->curves[0]->id;
  auto lever = gathered(with, {line}, 0, "lever");
  ASSERT_TRUE(lever.ok());
  // the circle has gone, another has come; the order is another one, and the line runs the other way
  drawing::Drawing next = someDrawing();
  next.curves[1].outline = {{Piece::arc({0, 0}, 0.02, 0, 2 * kPi)}, true};
  next.curves[0].outline = drawing::reversed(next.curves[0].outline);
  std::swap(next.curves[0], next.curves[2]);
  const auto again = withDrawingReadAgain(lever->first, "cradle.dxf", next, 1e-9);
  EXPECT_EQ(again.same, 2);
  EXPECT_EQ(again.gone, 1);
  EXPECT_EQ(again.fresh, 1);
  EXPECT_EQ(findLink(again.mechanism, lever->second)->curves[0]->id, line);
  const auto& frame = findById(again.mechanism.sheets, ids[0])->curves;
  ASSERT_EQ(frame.size(), 2u);
  EXPECT_TRUE(frame[0]->gone);
  EXPECT_FALSE(frame[1]->gone);
  const auto third = withDrawingReadAgain(again.mechanism, "cradle.dxf", someDrawing(), 1e-9);
  EXPECT_FALSE(findById(third.mechanism.sheets, ids[0])->curves[0]->gone) << "it has come back";
}

TEST(Drawings, AHundredThousandCurvesAreGatheredAtOnce) {
  drawing::Drawing d;
  for (int i = 0; i < 100000; ++i) {
    const Vec2 at(i % 400 * 1e-3, i / 400 * 1e-3);
    d.curves.push_back({{{Piece::line(at, at + Vec2(5e-4, 2e-4))}, false}, "many"});
  }
  d.layers = {"many"};
  Sheet plane;
  plane.name = "many";
  auto [with, ids] = withDrawing({}, d, plane, false);
  std::vector<Id> all;
  for (const auto& c : findById(with.sheets, ids[0])->curves) all.push_back(c->id);
  const auto made = gathered(with, all, 0, "block");
  ASSERT_TRUE(made.ok());
  EXPECT_EQ(findLink(made->first, made->second)->curves.size(), 100000u);
  EXPECT_EQ(countLoose(made->first), 0);
}

}  // namespace
}  // namespace cooperage::model
