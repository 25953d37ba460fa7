// SPDX-License-Identifier: GPL-3.0-or-later
// Exact pieces of curves, drawings in SVG, and what is found about ends and shapes.
#include <gmock/gmock.h>
#include <rapidcheck/gtest.h>

#include "base/geometry.h"
#include "drawing/drawing.h"

namespace cooperage::drawing {
namespace {

using testing::HasSubstr;

double figure(int low, int high) { return *rc::gen::inRange(low * 1000, high * 1000) / 1000.0; }

/// A quarter of a circle as a rational spline of the second degree.
Nurbs quarter(double r) { return {2, {0, 0, 0, 1, 1, 1}, {{r, 0}, {r, r}, {0, r}}, {1, std::sqrt(0.5), 1}}; }

TEST(Outline, ARationalSplineIsARoundArc) {
  const Piece p = Piece::of(quarter(5));
  EXPECT_NEAR(lengthOf(p), 2.5 * kPi, 1e-13);
  EXPECT_NEAR(areaOf({{p, Piece::line({0, 5}, {0, 0}), Piece::line({0, 0}, {5, 0})}, true}), 25 * kPi / 4, 1e-13);
  for (double t : {0.0, 0.3, 0.71, 1.0}) EXPECT_NEAR(p.at(t)[0].norm(), 5, 1e-14);
}

RC_GTEST_PROP(Outline, DerivativesOfASplineAreItsDifferences, ()) {
  Nurbs s;
  s.degree = *rc::gen::inRange(1, 6);
  const int n = s.degree + 1 + *rc::gen::inRange(0, 5);
  double knot = 0;
  for (int i = 0; i <= s.degree; ++i) s.knots.push_back(0);
  for (int i = s.degree + 1; i < n; ++i) s.knots.push_back(knot += 1 + figure(0, 1));
  for (int i = 0; i <= s.degree; ++i) s.knots.push_back(knot + 1);
  for (int i = 0; i < n; ++i) {
    s.points.emplace_back(figure(-10, 10), figure(-10, 10));
    s.weights.push_back(figure(1, 3));
  }
  RC_ASSERT(check(s).ok());
  const double h = 1e-5;
  const auto spans = s.spans();
  for (std::size_t i = 1; i < spans.size(); ++i) {
    const double t = spans[i - 1] + 0.37 * (spans[i] - spans[i - 1]);
    const auto at = s.at(t), before = s.at(t - h), after = s.at(t + h);
    for (std::size_t k = 1; k < 5; ++k) {
      const double size = 1 + at[k].norm() + (k < 4 ? at[k + 1].norm() : at[k].norm());
      RC_ASSERT(((after[k - 1] - before[k - 1]) / (2 * h) - at[k]).norm() < 1e-4 * size);
    }
  }
}

RC_GTEST_PROP(Outline, LengthAndAreaFollowAnAffineMap, ()) {
  const double r = figure(1, 9), turn = figure(0, 6);
  const Outline o{{Piece::arc({figure(-5, 5), figure(-5, 5)}, r, 0, 2 * kPi)}, true};
  Affine map;
  map.M << std::cos(turn), -std::sin(turn), std::sin(turn), std::cos(turn);
  map.M *= 3;
  map.p = {figure(-5, 5), 1};
  RC_ASSERT(std::abs(lengthOf(mapped(map, o)) - 6 * kPi * r) < 1e-12 * r);
  RC_ASSERT(std::abs(areaOf(mapped(map, o)) - 9 * kPi * r * r) < 1e-11 * r * r);
  RC_ASSERT(std::abs(areaOf(reversed(o)) + kPi * r * r) < 1e-12 * r * r);
  RC_ASSERT(sameShape(o, reversed(o), 1e-9));
  RC_ASSERT(!sameShape(o, mapped(map, o), 1e-9));
}

RC_GTEST_PROP(Outline, StraightPartsStayWithinTheirDistance, ()) {
  const Piece conic = Piece::conic({1, 2}, {figure(3, 9), figure(-1, 1)}, {figure(-1, 1), figure(3, 5)}, 0.3, 5.5);
  const Outline o{{*rc::gen::inRange(0, 2) == 0 ? conic : Piece::of(quarter(3))}, false};
  const double within = 1e-3;
  const auto points = flattened(o, within);
  for (std::size_t i = 1; i < points.size(); ++i) {
    const auto near = nearestPlace(o, 0.5 * (points[i - 1] + points[i]));
    RC_ASSERT(near.distance < 1.01 * within);
  }
  const Box box = boxOf(o);
  for (const Vec2& p : points)
    RC_ASSERT((p.array() >= box.low.array() - 1e-12).all() && (p.array() <= box.high.array() + 1e-12).all());
}

TEST(Svg, PathsInEveryManner) {
  const auto d =
      readSvg(R"svg(<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="50mm" viewBox="0 0 200 100">
    <g id="frame"><path d="M10,10h20v20H10z m40 0 l 3 4"/><rect x="0" y="0" width="10" height="4" rx="1"/></g>
    <g id="arm" transform="translate(50 50) scale(2)"><circle r="3"/>
      <path d="M 5 0 A 5 5 0 0 1 -5 0"/><path d="M0 0 C 0 5.5228 4.4772 10 10 10 s 10 -4.4772 10 -10"/><path d="M0 0q5 10 10 0t10 0"/></g>
    <text>words</text><g style="display:none"><path d="M0 0L9 9"/></g></svg>)svg",
              "d.svg");
  ASSERT_TRUE(d.ok()) << d.error().text;
  EXPECT_NEAR(d->unit, 0.5e-3, 1e-15);
  EXPECT_EQ(d->layers, (std::vector<std::string>{"frame", "arm"}));
  EXPECT_EQ(d->leftOut, (std::map<std::string, int>{{"text", 1}, {"hidden part", 1}}));
  ASSERT_EQ(d->curves.size(), 7u);
  EXPECT_NEAR(std::abs(areaOf(d->curves[0].outline)), 400, 1e-12);
  EXPECT_NEAR(lengthOf(d->curves[1].outline), 5, 1e-12);
  EXPECT_NEAR(d->curves[1].outline.start().y(), 90, 1e-12) << "its y axis points upwards";
  EXPECT_NEAR(std::abs(areaOf(d->curves[2].outline)), 40 - 4 + kPi, 1e-12);
  EXPECT_NEAR(std::abs(areaOf(d->curves[3].outline)), 36 * kPi, 1e-12);
  EXPECT_NEAR(lengthOf(d->curves[4].outline), 10 * kPi, 1e-12);
  EXPECT_NEAR(lengthOf(d->curves[5].outline), 20 * kPi, 0.02) << "Bezier's two quarters of a circle";
  // a parabola of 10 by 5: the middle of its arch is half as high as its control point
  const double a = 4 * 5 / 10.0, arch = 10 * (std::sqrt(1 + a * a) / 2 + std::asinh(a) / (2 * a));
  EXPECT_NEAR(lengthOf(d->curves[6].outline), 2 * 2 * arch, 1e-9);
}

TEST(Svg, UsesAndWhatIsBroken) {
  const std::string head = R"(<svg xmlns:xlink="http://www.w3.org/1999/xlink">)";
  const auto d = readSvg(head + R"(<defs><path id="p" d="M0 0L3 4"/></defs><use xlink:href="#p" x="1"/><use href="#p"/>
    <path d="M0 0 L 1 1 L 2 what"/></svg>)",
                         "d.svg");
  ASSERT_TRUE(d.ok()) << d.error().text;
  EXPECT_EQ(d->unit, 0) << "it names none";
  ASSERT_EQ(d->curves.size(), 3u);
  EXPECT_NEAR(d->curves[0].outline.start().x(), 1, 1e-15);
  EXPECT_THAT(d->remarks, testing::ElementsAre(HasSubstr("can't be read to its end")));
  const auto loop = readSvg(head + R"(<g id="a"><use href="#a"/></g></svg>)", "loop.svg");
  ASSERT_FALSE(loop.ok());
  EXPECT_THAT(loop.error().text, HasSubstr("loop.svg: the part 'a' holds itself"));
  EXPECT_FALSE(readSvg(head + "<g>", "cut.svg").ok());
  EXPECT_FALSE(readSvg("<html/>", "x.svg").ok());
  EXPECT_TRUE(readDrawing(head + R"(<path d="M0 0L3 4"/></svg>)", "x").ok());
}

Drawing drawn(std::vector<Outline> outlines) {
  Drawing d;
  for (auto& o : outlines) d.curves.push_back({std::move(o), "0"});
  return d;
}
Outline line(double x1, double y1, double x2, double y2) { return {{Piece::line({x1, y1}, {x2, y2})}, false}; }

TEST(Ends, NearOnesAreMergedAndTheRestIsNamed) {
  const auto joined = withEndsMerged(drawn({line(0, 0, 10, 0),
                                            line(10.00001, 0, 10, 8),
                                            {{Piece::arc({5, 8}, 5, 0, kPi)}, false},
                                            line(0, 8, 0.0, 0.3),
                                            line(10, 0, 0, 0),
                                            line(3, 3, 3, 3),
                                            {{Piece::arc({5, 8}, 2, 0, 2 * kPi)}, true},
                                            {{Piece::arc({5, 8}, 2, 1, 2 * kPi)}, true}}),
                                     1e-3, 1);
  EXPECT_EQ(joined.merged, 1);
  ASSERT_EQ(joined.drawing.curves.size(), 7u);
  EXPECT_EQ(joined.drawing.curves[1].outline.start(), joined.drawing.curves[0].outline.end());
  int gaps = 0, twice = 0, none = 0;
  for (const auto& f : joined.findings) {
    gaps += f.kind == Finding::Kind::gap;
    twice += f.kind == Finding::Kind::twice;
    none += f.kind == Finding::Kind::noLength;
    if (f.kind == Finding::Kind::gap) {
      EXPECT_NEAR(f.size, 0.3, 1e-12);
    }
  }
  EXPECT_EQ(gaps, 1);
  EXPECT_EQ(twice, 2) << "a line there and back, a circle that begins elsewhere";
  EXPECT_EQ(none, 1);
}

TEST(Ends, AnArcIsTurnedAndStretchedOntoItsNeighbour) {
  const auto joined =
      withEndsMerged(drawn({line(0, 0, 5, 0), {{Piece::arc({0, 0}, 5.001, 0, kPi / 2)}, false}}), 0.01, 0.01);
  EXPECT_EQ(joined.merged, 1);
  const auto& arc = joined.drawing.curves[1].outline;
  EXPECT_LT((arc.start() - Vec2(5, 0)).norm(), 1e-14);
  EXPECT_LT((arc.end() - Vec2(0, 5.001)).norm(), 1e-14);
  EXPECT_TRUE(radiusOf(arc.pieces[0]).has_value()) << "it stays an arc";
}

RC_GTEST_PROP(Ends, WhatIsReadAgainIsFoundWhateverItsOrder, ()) {
  std::vector<Outline> before;
  const int n = *rc::gen::inRange(1, 30);
  for (int i = 0; i < n; ++i) {
    const Vec2 c(figure(-50, 50), figure(-50, 50));
    if (*rc::gen::inRange(0, 2) == 0)
      before.push_back({{Piece::arc(c, figure(1, 5), figure(0, 6), figure(1, 3))}, false});
    else
      before.push_back(line(c.x(), c.y(), c.x() + figure(1, 9), figure(-50, 50)));
  }
  std::vector<Outline> now = before;
  for (auto& o : now)
    if (*rc::gen::inRange(0, 2) == 0) o = reversed(o);
  std::reverse(now.begin(), now.end());
  const std::size_t lost = static_cast<std::size_t>(*rc::gen::inRange(0, n));
  now.erase(now.begin() + static_cast<std::ptrdiff_t>(lost));
  const auto match = matched(before, now, 1e-9);
  std::set<std::size_t> taken;
  for (const auto& m : match)
    if (m) taken.insert(*m);
  RC_ASSERT(taken.size() == now.size());
  RC_ASSERT(std::count(match.begin(), match.end(), std::nullopt) == 1);
}

}  // namespace
}  // namespace cooperage::drawing
