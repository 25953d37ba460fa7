// SPDX-License-Identifier: GPL-3.0-or-later
// Clearance gauges of a run, measured for many poses at once.
#include <gmock/gmock.h>

#include <cmath>

#include "checked.h"

namespace cooperage::clearance {
namespace {

const std::string kDocument =
    test::turning(R"({"name":"b","element":"disc","radius":60,"thickness":10,"bore":20,"placement":{"at":[80,0,0]}})",
                  R"({"name":"p","element":"slotted-bar","length":90,"width":30,"thickness":8,"slot length":20,)"
                  R"("slot width":8,"placement":{"at":[120,60,15]}})",
                  400, 0, "", 0.2);

struct Ready {
  model::Resolved r;
  std::unique_ptr<kinematics::TravelRun> run;
  CheckGeometry geometry;
  explicit Ready(const std::string& text) {
    r = model::resolve(test::read(text)).value();
    run = std::move(kinematics::TravelRun::prepare(r, 0)).value();
    shape::ShapeStore store;
    GeometryCache cache;
    geometry = geometryFor(r, 0, store, cache, nullptr, Need::measures).value();
  }
};

TEST(ClearanceGauge, ManyPosesAtOnceGiveWhatEachGivesAlone) {
  Ready ready(kDocument);
  kinematics::Measurer alone(*ready.run, clearanceWith(ready.geometry)),
      together(*ready.run, clearanceWith(ready.geometry), clearanceAlong(ready.geometry));
  const auto expected = kinematics::tabulate(*ready.run, alone);
  std::vector<std::vector<double>> told;
  std::vector<double> axis;
  const auto measured =
      kinematics::tabulate(*ready.run, together, nullptr, [&](const std::vector<double>& row, double x) {
        told.push_back(row);
        axis.push_back(x);
      });
  ASSERT_EQ(expected.rows.size(), 401u);
  ASSERT_EQ(measured.rows.size(), 401u);
  const auto gauge = static_cast<std::size_t>(together.firstGauge());
  double least = 1, most = 0;
  for (std::size_t i = 0; i < expected.rows.size(); ++i) {
    EXPECT_NEAR(measured.rows[i][gauge], expected.rows[i][gauge], 1e-14);
    least = std::min(least, expected.rows[i][gauge]);
    most = std::max(most, expected.rows[i][gauge]);
  }
  EXPECT_NEAR(least, 0.006, 1e-9);  // above one another: 15 mm less both halves of the thicknesses
  EXPECT_GT(most, 0.05);
  EXPECT_EQ(told, measured.rows);
  EXPECT_EQ(axis, measured.axis);
}

class AfterSome : public Progress {
 public:
  bool cancelled() const override { return asked++ > 600; }
  mutable std::atomic<int> asked{0};
};

TEST(ClearanceGauge, WhatACancelLeavesOpenHasNoValue) {
  Ready ready(kDocument);
  kinematics::Measurer alone(*ready.run, clearanceWith(ready.geometry)),
      together(*ready.run, clearanceWith(ready.geometry), clearanceAlong(ready.geometry));
  const auto expected = kinematics::tabulate(*ready.run, alone);
  AfterSome progress;
  const auto cut = kinematics::tabulate(*ready.run, together, &progress);
  EXPECT_TRUE(cut.travel.cancelled);
  const auto gauge = static_cast<std::size_t>(together.firstGauge());
  ASSERT_LT(cut.rows.size(), expected.rows.size());
  int open = 0;
  for (std::size_t i = 0; i < cut.rows.size(); ++i) {
    const double v = cut.rows[i][gauge];
    open += std::isnan(v) ? 1 : 0;
    EXPECT_TRUE(std::isnan(v) || std::abs(v - expected.rows[i][gauge]) < 1e-14) << i;
  }
  EXPECT_GT(open, 0);
  EXPECT_LT(open, 200);
}

}  // namespace
}  // namespace cooperage::clearance
