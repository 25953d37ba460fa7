// SPDX-License-Identifier: GPL-3.0-or-later
// Links drawn as lines and joined as they are drawn; dimensions that hold them.
#include <rapidcheck/gtest.h>

#include "../maker.h"
#include "kinematics/home.h"
#include "model/drawn_dimensions.h"
#include "model/layout.h"
#include "model/sheet_edits.h"

namespace cooperage::model {
namespace {

using namespace cooperage::test;
using testing::HasSubstr;
using Vec2 = Eigen::Vector2d;

/// A person who draws: keeps the document, and goes on from where the last link ended.
struct Pencil {
  Mechanism m;
  Id sheet = 0, last = 0;

  explicit Pencil(double depth = 0) {
    Sheet s;
    s.name = "layout";
    s.depth = Field(depth);
    std::tie(m, sheet) = withSheet(m, s);
  }
  Field field(const std::string& text) const {
    auto f = parseField(m, text);
    EXPECT_TRUE(f.ok()) << text;
    return *f;
  }
  void pivot(double x, double y) { std::tie(m, last) = withGroundPivot(m, sheet, Vec2(x, y) * 1e-3).value(); }
  LayoutStep draw(LinkStroke s) {
    s.from.seat = last;
    auto step = withLinkDrawn(m, sheet, s, {});
    EXPECT_TRUE(step.ok()) << (step.ok() ? "" : step.error().text);
    if (!step.ok()) return {};
    m = step->mechanism;
    last = step->end;
    return *step;
  }
  LinkStroke to(double x, double y) const {
    LinkStroke s;
    s.to.at = Vec2(x, y) * 1e-3;
    return s;
  }
};

/// Four clicks: the lengths of crank, coupler and rocker as typed, the last pivot on ground.
Pencil fourBar() {
  Pencil p;
  p.pivot(0, 0);
  auto crank = p.to(20, 30);
  crank.length = p.field("40");
  crank.angle = p.field("60 deg");
  p.draw(crank);
  auto coupler = p.to(120, 90);
  coupler.length = p.field("110");
  p.draw(coupler);
  auto rocker = p.to(118, 3);
  rocker.length = p.field("80 mm");
  rocker.x = p.field("120");
  rocker.y = p.field("0");
  rocker.to.ground = true;
  p.draw(rocker);
  return p;
}

TEST(Layout, AFourBarIsFourClicks) {
  Pencil p = fourBar();
  std::vector<std::string> names;
  for (const auto& l : p.m.links) names.push_back(l->name);
  EXPECT_EQ(names, (std::vector<std::string>{"frame", "crank", "coupler", "rocker"}));
  names.clear();
  for (const auto& j : p.m.joints) names.push_back(j->name);
  EXPECT_EQ(names,
            (std::vector<std::string>{"frame - crank", "crank - coupler", "coupler - rocker", "frame - rocker"}));
  const auto a = analysed(p.m);
  EXPECT_EQ(a.m.freedoms, 1);
  EXPECT_TRUE(a.m.planar);
  EXPECT_EQ(p.last, 0u) << "the chain has ended";
  // what was typed holds, and the loop is closed: the rocker by the cosine law
  Drive d;
  d.id = newId();
  d.name = "motor";
  d.value = {p.m.joints[0]->id, "turn"};
  d.programme.emplace_back();
  d.programme[0].law = motion::LawKind::constantSpeed;
  d.programme[0].figures = {{"speed", p.field("360 deg/s")}, {"time", p.field("1 s")}};
  p.m.drives.push_back(std::make_shared<const Drive>(d));
  model::Run run;
  run.id = newId();
  run.name = "turn";
  run.duration = p.field("1 s");
  run.steps = 90;
  p.m.runs.push_back(std::make_shared<const model::Run>(run));
  const Mechanism again = read(io::writeCoop(p.m));
  const auto r = runFirst(again);
  ASSERT_TRUE(r.travel.completed) << said(r);
  const FourBar f{0.040, 0.110, 0.080, 0.120, kPi / 3};
  const std::size_t in = column(r, "frame - crank.turn"), out = column(r, "frame - rocker.turn");
  EXPECT_NEAR(r.rows[0][in], kPi / 3, 1e-12);
  for (const auto& row : r.rows) {
    // the rocker's line runs from the coupler to ground: its direction is the other way round
    const double want = f.angles(Jet(row[in])).first.v + kPi;
    EXPECT_NEAR(std::remainder(row[out] - want, 2 * kPi), 0, 1e-9);
  }
}

TEST(Layout, ASliderCrankIsThreeClicks) {
  Pencil p;
  p.pivot(0, 0);
  auto crank = p.to(20, 30);
  crank.length = p.field("30 mm");
  p.draw(crank);
  auto rod = p.to(110, 5);
  rod.length = p.field("4 in");
  rod.to.line = LayoutSpot::Line{0, {0, 5e-3}, {0.2, 5e-3}};
  const auto step = p.draw(rod);
  EXPECT_EQ(step.joints.size(), 3u) << "a pin on the crank, one on the slider, and its slide";
  ASSERT_EQ(p.m.links.back()->name, "slider");
  const auto a = analysed(p.m);
  EXPECT_EQ(a.m.freedoms, 1);
  EXPECT_TRUE(a.m.planar);
}

TEST(Layout, LevelsAreOnlyOffsetsOfPins) {
  Pencil p;
  p.pivot(0, 0);
  p.draw(p.to(40, 30));
  Sheet above;
  above.name = "above";
  above.depth = Field(9);
  Id second = 0;
  std::tie(p.m, second) = withSheet(p.m, above);
  p.sheet = second;
  p.draw(p.to(100, 60));
  auto rocker = p.to(120, 0);
  rocker.to.ground = true;
  p.draw(rocker);
  const auto a = analysed(p.m);
  EXPECT_EQ(a.m.freedoms, 1);
  EXPECT_EQ(p.m.joints[1]->slideOffset.number, 9);
  EXPECT_FALSE(a.r.normals.empty()) << "still a planar mechanism";
}

TEST(Layout, WhereThreeLinksMeetThereAreTwoPinsAndItIsSaid) {
  Pencil p = fourBar();
  const Id pin = p.m.joints[2]->seats[0];  // the coupler's end
  p.last = pin;
  auto tie = p.to(60, 150);
  const auto step = p.draw(tie);
  EXPECT_THAT(step.said, testing::ElementsAre(HasSubstr("two pins")));
  EXPECT_EQ(p.m.links.back()->name, "coupler 2");
}

TEST(Layout, WhatCannotBeDrawnIsSaid) {
  Pencil p;
  p.pivot(0, 0);
  p.draw(p.to(40, 0));
  const auto refused = [&](const LinkStroke& given) {
    LinkStroke s = given;
    s.from.seat = p.last;
    const auto r = withLinkDrawn(p.m, p.sheet, s, {});
    return r.ok() ? std::string() : r.error().text;
  };
  EXPECT_THAT(refused(p.to(40, 0)), HasSubstr("at one place"));
  auto zero = p.to(50, 0);
  zero.length = Field(0);
  EXPECT_THAT(refused(zero), HasSubstr("greater than zero"));
  auto back = p.to(0, 0);
  back.to.seat = findByName(p.m.links, "crank")->seats[0]->id;
  EXPECT_THAT(refused(back), HasSubstr("both ends lie on crank"));
}

/// Places of all seats at home, by link and seat.
std::map<std::string, Vec3> places(const Mechanism& m) {
  const auto a = analysed(m);
  std::map<std::string, Vec3> out;
  kinematics::Solver solver(a.s, {});
  solver.forward(a.h.configuration);
  for (std::size_t i = 0; i < a.r.links.size(); ++i)
    for (const auto& s : a.r.links[i].seats)
      out[a.r.links[i].name + "/" + s.name] = solver.linkPose(static_cast<int>(i)) * s.frame.p;
  return out;
}

TEST(Layout, APulledPivotTakesFreeLengthsAlongAndLeavesTypedOnes) {
  Pencil p;
  p.pivot(0, 0);
  auto crank = p.to(30, 40);
  crank.length = p.field("50");
  p.draw(crank);
  const Id elbow = p.last;
  p.draw(p.to(100, 60));
  const Id tip = p.last;
  auto rocker = p.to(120, 0);
  rocker.to.ground = true;
  p.draw(rocker);
  auto pulled = withPivotPulled(p.m, p.sheet, tip, Vec2(0.09, 0.08), {});
  ASSERT_TRUE(pulled.ok()) << pulled.error().text;
  auto at = places(*pulled);
  EXPECT_LT((at["coupler/second pivot"] - Vec3(0.09, 0.08, 0)).norm(), 1e-9);
  EXPECT_LT((at["crank/second pivot"] - Vec3(0.03, 0.04, 0)).norm(), 1e-9) << "others stay";
  EXPECT_LT((at["rocker/second pivot"] - Vec3(0.12, 0, 0)).norm(), 1e-9);
  // the crank's length was typed: its end goes along a circle
  pulled = withPivotPulled(p.m, p.sheet, elbow, Vec2(0, 0.1), {});
  ASSERT_TRUE(pulled.ok());
  at = places(*pulled);
  EXPECT_NEAR(at["crank/second pivot"].norm(), 0.05, 1e-12);
  EXPECT_GT(at["crank/second pivot"].y(), 0.045);
  EXPECT_LT((at["coupler/second pivot"] - Vec3(0.1, 0.06, 0)).norm(), 1e-9);
  // a pivot on ground is pulled by itself
  const Id ground = pulled->links[0]->seats[1]->id;
  const auto moved = withPivotPulled(*pulled, p.sheet, ground, Vec2(0.14, -0.01), {});
  ASSERT_TRUE(moved.ok());
  EXPECT_LT((places(*moved)["frame/pivot 2"] - Vec3(0.14, -0.01, 0)).norm(), 1e-9);
}

RC_GTEST_PROP(Layout, HoweverAPivotIsPulledWhatWasTypedHolds, ()) {
  Pencil p = fourBar();
  Mechanism m = p.m;
  const int pulls = *rc::gen::inRange(1, 5);
  for (int k = 0; k < pulls; ++k) {
    const auto& l = m.links[static_cast<std::size_t>(*rc::gen::inRange(1, 4))];
    const Id seat = l->seats[static_cast<std::size_t>(*rc::gen::inRange(0, 2))]->id;
    const Vec2 to(*rc::gen::inRange(-100, 200) * 1e-3, *rc::gen::inRange(-100, 200) * 1e-3);
    auto next = withPivotPulled(m, p.sheet, seat, to, {});
    if (!next.ok()) continue;
    m = *next;
    const auto at = [&](const char* link) {
      const auto& seats = findByName(m.links, link)->seats;
      return std::hypot(seats[1]->at[0].number - seats[0]->at[0].number,
                        seats[1]->at[1].number - seats[0]->at[1].number);
    };
    RC_ASSERT(std::abs(at("crank") - 40) < 1e-9);
    RC_ASSERT(std::abs(at("coupler") - 110) < 1e-9);
    RC_ASSERT(std::abs(at("rocker") - 80) < 1e-9);
  }
}

TEST(Layout, ATernaryLinkIsALinkWithAPointMore) {
  Pencil p = fourBar();
  const Id coupler = findByName(p.m.links, "coupler")->id;
  const auto added = withPivotAdded(p.m, p.sheet, coupler, Vec2(0.06, 0.12), {});
  ASSERT_TRUE(added.ok()) << added.error().text;
  const auto link = findLink(added->first, coupler);
  EXPECT_EQ(link->curves.size(), 3u) << "a triangle";
  EXPECT_EQ(heldOf(added->first, coupler).free, 2) << "where the third pivot lies";
  auto held = withDimension(added->first, coupler, DimensionKind::length, {{link->seats[0]->id, 0}, {added->second, 0}},
                            p.field("90"));
  ASSERT_TRUE(held.ok()) << held.error().text;
  EXPECT_EQ(heldOf(*held, coupler).free, 1);
  held = withDimension(*held, coupler, DimensionKind::length, {{added->second, 0}, {link->seats[1]->id, 0}},
                       p.field("70"));
  ASSERT_TRUE(held.ok());
  EXPECT_EQ(heldOf(*held, coupler).free, 0);
  EXPECT_TRUE(isHeld(*held, coupler, {added->second, 0}));
  const auto wrong = withDimension(*held, coupler, DimensionKind::length, {{added->second, 0}, {link->seats[1]->id, 0}},
                                   p.field("10"));
  ASSERT_FALSE(wrong.ok()) << "90 + 10 is less than 110";
  EXPECT_THAT(wrong.error().text, HasSubstr("link coupler: its dimensions can't all be met"));
  // its lines end where its pivots are
  const auto& now = *findLink(*held, coupler);
  for (const auto& c : now.curves) {
    const model::Pair& end = c->pieces[0].points[1];
    double best = 1e9;
    for (const auto& s : now.seats)
      best = std::min(best, std::hypot(s->at[0].number - end[0].number, s->at[1].number - end[1].number));
    EXPECT_LT(best, 1e-9);
  }
}

TEST(Dimensions, FollowTheirParameters) {
  Pencil p;
  Parameter reach;
  reach.id = newId();
  reach.name = "reach";
  reach.value = p.field("50 mm");
  p.m.parameters.push_back(std::make_shared<const Parameter>(reach));
  p.pivot(0, 0);
  auto crank = p.to(30, 40);
  crank.length = p.field("2*reach");
  p.draw(crank);
  EXPECT_NEAR(resolve(p.m)->links[1].seats[1].frame.p.x(), 0.1, 1e-15);
  const auto longer = withParameters(p.m, {"reach=60 mm"});
  ASSERT_TRUE(longer.ok());
  EXPECT_NEAR(resolve(*longer)->links[1].seats[1].frame.p.x(), 0.12, 1e-14) << "worked out as it is read";
  const auto fit = settled(*longer);
  ASSERT_TRUE(fit.ok());
  EXPECT_NEAR(fit->links[1]->seats[1]->at[0].number, 120, 1e-11);
  EXPECT_NEAR(fit->links[1]->curves[0]->pieces[0].points[1][0].number, 120, 1e-11) << "its line goes along";
  EXPECT_EQ(settled(*fit)->links[1], fit->links[1]) << "what is met stays the same";
}

/// An outline of a link: a line and an arc that are tangent, a bore.
const char* kLever = R"({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},"links":[
  {"name":"lever","seats":[{"name":"o"},{"name":"tip","at":[60,10,0]}],"curves":[
    {"name":"edge","seat":"o","outline":true,"kind":"chain","pieces":[{"line":[[0,0],[50,0]]},
      {"arc":{"from":[50,0],"to":[60,10],"centre":[50,10],"ccw":true}}]},
    {"name":"rib","seat":"o","outline":true,"kind":"chain","pieces":[{"line":[[0,0],[30,20]]}]},
    {"name":"bore","seat":"o","outline":true,"kind":"circle","centre":[20,30],"radius":4}],
   "dimensions":[%s]}]})";
Mechanism lever(const std::string& dimensions) {
  std::string text = kLever;
  text.replace(text.find("%s"), 2, dimensions);
  return read(text);
}

TEST(Dimensions, OfEveryKindAreMetAndTangentPiecesStayTangent) {
  const Mechanism m = lever(R"(
    {"kind":"length","of":[{"curve":"edge","piece":0}],"value":"70 mm"},
    {"kind":"radius","of":[{"curve":"edge","piece":1}],"value":15},
    {"kind":"radius","of":[{"curve":"bore"}],"value":"0.25 in"},
    {"kind":"angle","of":[{"curve":"edge","piece":0},{"curve":"rib"}],"value":"40 deg"},
    {"kind":"point-line","of":[{"seat":"tip"},{"curve":"edge","piece":0}],"value":12,"step":0.5},
    {"kind":"x","of":[{"seat":"o"},{"seat":"tip"}],"value":82})");
  const auto fit = settled(m);
  ASSERT_TRUE(fit.ok()) << fit.error().text;
  const auto& l = *fit->links[0];
  const auto value = [&](std::size_t i) { return measured(*fit, l.id, *l.dimensions[i]).value_or(-1); };
  EXPECT_NEAR(value(0), 0.070, 1e-14);
  EXPECT_NEAR(value(1), 0.015, 1e-14);
  EXPECT_NEAR(value(2), 0.00635, 1e-15);
  EXPECT_NEAR(value(3), 40 * kDegree, 1e-12);
  EXPECT_NEAR(value(4), 0.012, 1e-14);
  EXPECT_NEAR(value(5), 0.082, 1e-14);
  const auto& arc = l.curves[0]->pieces[1];
  const Vec2 join(arc.points[0][0].number, arc.points[0][1].number), centre(arc.centre[0].number, arc.centre[1].number);
  const auto& line = l.curves[0]->pieces[0];
  const Vec2 way = join - Vec2(line.points[0][0].number, line.points[0][1].number);
  EXPECT_NEAR(way.normalized().dot((join - centre).normalized()), 0, 1e-12);
  EXPECT_EQ(io::writeCoop(read(io::writeCoop(*fit))), io::writeCoop(*fit));
}

TEST(Dimensions, WhatIsWrongWithThemIsNamed) {
  const auto said = [](const std::string& d) {
    const auto r = resolve(lever(d));
    return r.ok() ? std::string() : r.error().text;
  };
  EXPECT_THAT(said(R"({"kind":"length","of":[{"curve":"bore"}],"value":3})"),
              HasSubstr("link lever: 'length' can't be measured"));
  EXPECT_THAT(said(R"({"kind":"radius","of":[{"curve":"bore"}],"value":-3})"), HasSubstr("greater than zero"));
  EXPECT_THAT(
      said(R"({"kind":"length","of":[{"curve":"rib"}],"value":3},{"kind":"length","of":[{"curve":"rib"}],"value":4})"),
      HasSubstr("link lever: its dimensions can't all be met"));
  EXPECT_EQ(
      said(R"({"kind":"length","of":[{"curve":"rib"}],"value":3},{"kind":"length","of":[{"curve":"rib"}],"value":3})"),
      "");
}

TEST(Dimensions, ALinkWithoutAnyMissesItsFiguresAndOneOfFormulasNone) {
  Pencil p;
  p.pivot(0, 0);
  p.draw(p.to(30, 40));
  const Id crank = findByName(p.m.links, "crank")->id;
  EXPECT_EQ(heldOf(p.m, crank).free, 1) << "its length";
  EXPECT_FALSE(isHeld(p.m, crank, {findLink(p.m, crank)->seats[1]->id, 0}));
  // what is a formula can't follow a dimension: they contradict one another
  const std::string text =
      R"({"format":"cooperage","version":1,"links":[{"name":"bar","seats":[{"name":"a","at":["1 mm","0 mm",0]},
    {"name":"b","at":["30 mm","0 mm",0]}],"dimensions":[{"kind":"length","of":[{"seat":"a"},{"seat":"b"}],"value":"40 mm"}]}]})";
  const auto r = resolve(read(text));
  ASSERT_FALSE(r.ok());
  EXPECT_THAT(r.error().text, HasSubstr("link bar: its dimensions can't all be met"));
}

TEST(Dimensions, OneOfALaterVersionIsKeptAndWarnedOf) {
  const Mechanism m = lever(R"({"kind":"curl","of":[{"curve":"rib"}],"value":3})");
  const auto r = resolve(m);
  ASSERT_TRUE(r.ok()) << r.error().text;
  EXPECT_TRUE(std::any_of(r->messages.begin(), r->messages.end(),
                          [](const auto& x) { return x.text.find("no dimension 'curl'") != std::string::npos; }));
  EXPECT_THAT(io::writeCoop(m), HasSubstr("\"curl\""));
}

/// A comb of arcs and lines, each tangent to the next, as a drawing has thousands; one line of another curve is held.
TEST(Dimensions, WhatTheyDoNotReachCostsNothingAndStays) {
  std::string pieces;
  for (int i = 0; i < 2000; ++i) {
    const std::string x0 = std::to_string(4 * i), x1 = std::to_string(4 * i + 2), mid = std::to_string(4 * i + 1),
                      x2 = std::to_string(4 * i + 4), mid2 = std::to_string(4 * i + 3);
    pieces += (i ? "," : "") + std::string(R"({"arc":{"from":[)") + x0 + ",50],\"to\":[" + x1 + ",50],\"centre\":[" +
              mid + R"(,50],"ccw":false}},{"arc":{"from":[)" + x1 + ",50],\"to\":[" + x2 + ",50],\"centre\":[" + mid2 +
              R"(,50],"ccw":true}})";
  }
  std::string text = kLever;
  text.replace(text.find("%s"), 2, R"({"kind":"length","of":[{"curve":"rib"}],"value":50})");
  text.replace(text.find(R"({"name":"rib")"), 0,
               R"({"name":"comb","seat":"o","outline":true,"kind":"chain","pieces":[)" + pieces + "]},");
  const Mechanism m = read(text);
  const auto fit = settled(m);
  ASSERT_TRUE(fit.ok()) << fit.error().text;
  const auto& before = *findByName(m.links[0]->curves, "comb");
  const auto& after = *findByName(fit->links[0]->curves, "comb");
  for (std::size_t i = 0; i < before.pieces.size(); ++i)
    EXPECT_EQ(before.pieces[i].points[0][0].number, after.pieces[i].points[0][0].number);
  EXPECT_NEAR(*measured(*fit, fit->links[0]->id, *fit->links[0]->dimensions[0]), 0.05, 1e-14);
}

RC_GTEST_PROP(Dimensions, WhateverIsAskedIsMetOrRefused, ()) {
  const Mechanism m = lever(R"({"kind":"length","of":[{"curve":"rib"}],"value":36})");
  const Id link = m.links[0]->id, edge = m.links[0]->curves[0]->id, rib = m.links[0]->curves[1]->id;
  const double value = *rc::gen::inRange(1, 200), angle = *rc::gen::inRange(1, 179);
  auto next = withDimension(m, link, DimensionKind::length, {{edge, 0}}, Field(value));
  RC_ASSERT(next.ok());
  next = withDimension(*next, link, DimensionKind::angle, {{edge, 0}, {rib, 0}}, Field(angle));
  RC_ASSERT(next.ok());
  for (const auto& d : next->links[0]->dimensions) {
    const bool isAngle = d->kind == DimensionKind::angle;
    RC_ASSERT(std::abs(*measured(*next, link, *d) - d->value.number * (isAngle ? kDegree : 1e-3)) < 1e-12);
  }
  RC_ASSERT(resolve(*next).ok());
}

}  // namespace
}  // namespace cooperage::model
