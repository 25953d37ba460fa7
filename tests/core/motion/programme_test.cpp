// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/programme.h"

#include <gmock/gmock.h>

#include "base/geometry.h"

namespace cooperage::motion {
namespace {

constexpr double kRounding = 1e-12;

RowFigures row(const std::string& law, std::map<std::string, double> figures) {
  return {law, std::move(figures), {}, {}, {}, nullptr};
}
Programme make(const std::vector<RowFigures>& rows, double start = 0) {
  return Programme::compile(rows, start, false, "d").value();
}

TEST(Programme, RowsFollowOneAnotherFromTheStartValue) {
  const auto p = make({row("poly-345", {{"to", 2}, {"time", 1}}), row("dwell", {{"time", 0.5}}),
                       row("cycloidal", {{"by", -3}, {"time", 2}})},
                      1);
  EXPECT_NEAR(p.at(0).position, 1, kRounding);
  EXPECT_NEAR(p.at(1.2).position, 2, kRounding);
  EXPECT_NEAR(p.at(3.5).position, -1, kRounding);
  EXPECT_NEAR(p.at(9).position, -1, kRounding);
  EXPECT_NEAR(p.at(9).velocity, 0, kRounding);
}

// Areas: 180 deg/s reached at 300 deg/s^2 takes 0.6 s and covers 54 deg; 2 s at speed 360 deg; run-down again 54 deg.
TEST(Programme, RunUpPlateauAndRunDownHaveExactAreas) {
  const double deg = kPi / 180;
  const auto p = make({row("run-up", {{"speed", 180 * deg}, {"acceleration", 300 * deg}}),
                       row("constant-speed", {{"speed", 180 * deg}, {"time", 2}}),
                       row("run-down", {{"acceleration", 300 * deg}})});
  EXPECT_NEAR(p.knots()[1], 0.6, kRounding);
  EXPECT_NEAR(p.at(0.6).position, 54 * deg, kRounding);
  EXPECT_NEAR(p.at(2.6).position, 414 * deg, kRounding);
  EXPECT_NEAR(p.end(), 3.2, kRounding);
  EXPECT_NEAR(p.at(3.2).position, 468 * deg, kRounding);
  EXPECT_NEAR(p.at(0.6).acceleration, 0, kRounding) << "at a knot the rates are those of the row that begins";
}

TEST(Programme, ReversedMirrorsAboutTheStart) {
  const auto forward = make({row("poly-345", {{"to", 2}, {"time", 1}})}, 0.5);
  const auto back = Programme::compile({row("poly-345", {{"to", 2}, {"time", 1}})}, 0.5, true, "d").value();
  for (double t : {0.0, 0.3, 0.8, 1.0}) {
    EXPECT_NEAR(back.at(t).position - 0.5, 0.5 - forward.at(t).position, kRounding);
    EXPECT_NEAR(back.at(t).velocity, -forward.at(t).velocity, kRounding);
  }
}

}  // namespace
}  // namespace cooperage::motion
