// SPDX-License-Identifier: GPL-3.0-or-later
// Figures of a run show no digit that they don't carry, wherever they stand.
#include <gtest/gtest.h>

#include "workbench/run_data.h"

namespace cooperage::app {
namespace {

TEST(SpeedsText, ShowsNoDigitFinerThanTheSpeedChangesFromStepToStep) {
  DocumentUnits units;
  units.length = "mm";
  kinematics::PointPath path;
  for (int i = 0; i <= 100; ++i) {  // from 90.16 to 352.28 mm/s in steps of 2.6: tens are told
    path.points.emplace_back(0, 0, 0);
    path.times.push_back(i * 0.01);
    path.speed.push_back(1e-3 * (90.16 + (352.28 - 90.16) * i / 100));
  }
  const std::string text = speedsText(path, units).toStdString();
  EXPECT_EQ(text, "90 mm/s to 350 mm/s");
  for (double& v : path.speed) v = 0.1 + 1e-3 * v;  // steps of 0.0026 mm/s
  EXPECT_EQ(speedsText(path, units).toStdString(), "100.09 mm/s to 100.35 mm/s");
}

}  // namespace
}  // namespace cooperage::app
