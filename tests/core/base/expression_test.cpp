// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/expression.h"

#include <gmock/gmock.h>
#include <rapidcheck/gtest.h>

#include <cmath>

#include "base/geometry.h"

namespace cooperage {
namespace {

constexpr double kRounding = 1e-14;

Result<double> inSi(const std::string& text, const Dimension& wanted, const DocumentUnits& units = {}) {
  const auto e = Expression::parse(text, nullptr);
  if (!e.ok()) return e.error();
  const auto q = e->evaluate(nullptr);
  if (!q.ok()) return q.error();
  return toSi(*q, wanted, units);
}
std::string why(const std::string& text, const Dimension& wanted) {
  const auto r = inSi(text, wanted);
  return r.ok() ? "accepted: " + formatNumber(*r) : r.error().text;
}

struct Case {
  const char* text;
  Dimension wanted;
  double si;
};

TEST(Expression, ReadsUnitsFractionsAndPrecedence) {
  using namespace dimension;
  const Case cases[] = {{"14 mm", kLength, 0.014},
                        {"3/8 in", kLength, 0.009525},
                        {"0.5 in + 2 mm", kLength, 0.0147},
                        {"1 + 2*3", kLength, 0.007},     // no unit at all: document units, mm
                        {"2*3/8 in", kLength, 0.01905},  // a unit binds to its fraction first
                        {"(1 + 2) mm", kLength, 0.003},
                        {"30 rpm", kTurnSpeed, kPi},
                        {"90", kAngle, kPi / 2},  // document units, deg
                        {"pi*1 rad", kAngle, kPi},
                        {"10 mm/s", kSpeed, 0.01},
                        {"300 deg/s^2", kTurnAcceleration, 300 * kPi / 180},
                        {"sqrt(9 mm*4 mm)", kLength, 0.006},
                        {"20 mm*(1-cos(60 deg))", kLength, 0.010},
                        {"18 mm*30 deg", kLength, 0.018 * kPi / 6},  // rad drops in products
                        {"atan2(1 mm, 1 mm)", kAngle, kPi / 4},
                        {"asin(0.5)", kAngle, kPi / 6},
                        {"max(3 mm, 0.2 in)", kLength, 0.00508},
                        {"atan2(25,60)", kAngle, std::atan2(25.0, 60.0)},  // the comma parts figures, blank or not
                        {"max(1,min(2,3))*1 mm", kLength, 0.002},
                        {"mod(370 deg, 360 deg)", kAngle, kPi / 18},
                        {"mod(-30 deg,360 deg)", kAngle, 11 * kPi / 6},
                        {"mod(7 mm, -3 mm)", kLength, -0.002},
                        {"2^3*1 mm", kLength, 0.008},
                        {"abs(-4 mm)", kLength, 0.004},
                        {"sin(pi/2)*1 mm", kLength, 0.001},  // plain numbers are radians in sin
                        {"5 mm/rev", {1, -1, 0, 0}, 0.005 / (2 * kPi)}};
  for (const Case& c : cases) {
    const auto r = inSi(c.text, c.wanted);
    ASSERT_TRUE(r.ok()) << c.text << ": " << r.error().text;
    EXPECT_NEAR(*r, c.si, kRounding) << c.text;
  }
}

TEST(Expression, RefusesWhatWouldGoWrongSilently) {
  using namespace dimension;
  EXPECT_THAT(why("1 mm + 2", kLength), testing::HasSubstr("can't be added"));
  EXPECT_THAT(why("1 mm + 1 deg", kLength), testing::HasSubstr("can't be added"));
  EXPECT_THAT(why("3 deg", kLength), testing::HasSubstr("a length is wanted here, not an angle"));
  EXPECT_THAT(why("1/0", kLength), testing::HasSubstr("divides by zero"));
  EXPECT_THAT(why("sin(3 mm)", kPlain), testing::HasSubstr("takes an angle"));
  EXPECT_THAT(why("2 +", kPlain), testing::HasSubstr("missing"));
  EXPECT_THAT(why("(1", kPlain), testing::HasSubstr("closing parenthesis"));
  EXPECT_THAT(why("1,5 mm", kLength), testing::HasSubstr("decimal point"));
  EXPECT_THAT(why("sin(1,5)", kPlain), testing::HasSubstr("decimal point"));
  EXPECT_THAT(why("max(1, sin(1,5))", kPlain), testing::HasSubstr("decimal point"));
  EXPECT_THAT(why("max(1,5, 2)", kPlain), testing::HasSubstr("decimal point"));
  EXPECT_THAT(why("mod(1 mm, 2 deg)", kPlain), testing::HasSubstr("two alike quantities"));
  EXPECT_THAT(why("crank*2", kLength), testing::HasSubstr("nothing named 'crank'"));
  EXPECT_THAT(why("mm", kLength), testing::HasSubstr("needs a number"));
  EXPECT_THAT(why("sqrt(-1)", kPlain), testing::HasSubstr("no finite value"));
  EXPECT_THAT(why(std::string(5000, '('), kPlain), testing::HasSubstr("longer"));
  EXPECT_THAT(why(std::string(600, '(') + "1", kPlain), testing::HasSubstr("nested"));
}

TEST(Expression, NamesAreIdsSoThatARenameChangesTheTextOnly) {
  const auto resolve = [](std::string_view name) -> std::optional<Symbol> {
    if (name == "crank") return Symbol{7, ""};
    if (name == "main bearing.turn") return Symbol{9, "turn"};
    return std::nullopt;
  };
  const auto e = Expression::parse("4*crank + 'main bearing.turn'/2 - crank", resolve);
  ASSERT_TRUE(e.ok());
  const auto text =
      e->text([](const Symbol& s) { return s.id == 7 ? std::string("radius") : "'shaft." + s.member + "'"; });
  EXPECT_EQ(text, "4*radius + 'shaft.turn'/2 - radius");
  EXPECT_EQ(e->references().size(), 3u);
}

TEST(Expression, ExactDerivativesAgreeWithDifferences) {
  const auto e =
      Expression::parse("0.9*sin(2*t) + exp(-t)*t^3/(1 + t) + atan2(t, 2) + sqrt(1 + t) + mod(3*t^2, 0.4)", nullptr);
  ASSERT_TRUE(e.ok());
  const auto at = [&](double t) { return e->jet([t](const Symbol&) { return Jet(t, 1, 0, 0); }); };
  const double h = 1e-4, t = 0.7;
  const double tolerance = 1e-6;  // central differences with step 1e-4: error about h^2
  EXPECT_NEAR(at(t).d1, (at(t + h).v - at(t - h).v) / (2 * h), tolerance);
  EXPECT_NEAR(at(t).d2, (at(t + h).d1 - at(t - h).d1) / (2 * h), tolerance);
  EXPECT_NEAR(at(t).d3, (at(t + h).d2 - at(t - h).d2) / (2 * h), tolerance);
}

RC_GTEST_PROP(Expression, AnyTextIsReadOrRefusedButNeverCrashes, (const std::string& text)) {
  const auto e = Expression::parse(text, nullptr);
  if (e.ok()) (void)e->evaluate(nullptr).ok();
}

RC_GTEST_PROP(Expression, NumbersPrintAndReadBackAsTheSameDouble, (double value)) {
  RC_PRE(std::isfinite(value) && value >= 0);
  const auto r = Expression::parse(formatNumber(value), nullptr);
  RC_ASSERT(r.ok());
  RC_ASSERT(r->evaluate(nullptr)->value == value);
}

TEST(DocumentUnits, CompoundPlainNumbersFollowTheFilesRule) {
  const DocumentUnits u{"mm", "deg", "kg", "s", "kN"};
  EXPECT_DOUBLE_EQ(u.factor(dimension::kSpeed), 1e-3);
  EXPECT_DOUBLE_EQ(u.factor(dimension::kForce + dimension::kLength), 1.0);           // moment: kN*mm
  EXPECT_DOUBLE_EQ(u.factor({2, 0, 1, 0}), 1e-6);                                    // inertia: kg*mm^2
  EXPECT_DOUBLE_EQ(u.factor(dimension::kForce + (-1.0 * dimension::kLength)), 1e6);  // stiffness: kN/mm
  EXPECT_EQ(u.label(dimension::kTurnAcceleration), "deg/s^2");
}

// A joint may be named like a unit: with a dot behind it, it is its value.
TEST(Expression, AUnitWithADotBehindItIsAJointValue) {
  std::string asked;
  const auto e = Expression::parse("20 mm*(1-cos(in.turn)) + 2 in", [&](std::string_view name) {
    asked = name;
    return std::optional<Symbol>(Symbol{7, "turn"});
  });
  ASSERT_TRUE(e.ok()) << e.error().text;
  EXPECT_EQ(asked.substr(0, 2), "in");
  const auto q = e->evaluate([](const Symbol&) {
    return Result<Quantity>(Quantity{kPi / 3, dimension::kAngle, true});
  });
  ASSERT_TRUE(q.ok()) << q.error().text;
  EXPECT_NEAR(q->value, 0.010 + 0.0508, kRounding);
  EXPECT_FALSE(Expression::parse("2*in", nullptr).ok()) << "the unit alone needs a number";
}

}  // namespace
}  // namespace cooperage
