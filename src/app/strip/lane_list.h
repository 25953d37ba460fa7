// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QColor>
#include <QString>
#include <optional>
#include <vector>

#include "../workbench/workbench.h"

namespace cooperage::app {

/// One curve of a lane, ready to be drawn: SI figures over the travel axis.
struct LaneCurve {
  model::Id gauge = 0;
  QString title;
  int column = -1;
  Dimension dimension;
  QColor colour;
  kinematics::Samples now, before, over;
  std::optional<double> largest;                 ///< what now differs by from before where it does most
  double accuracy = 0;                           ///< SI, of distances of bodies
  bool isDifference = false;                     ///< now is what it differs by from a run before
  std::optional<kinematics::Readings> readings;  ///< of a chosen gauge, when it is painted
};

/// A stretch of the travel where a requirement is not met.
struct Violation {
  double from = 0, to = 0;
};
struct Band {
  QString name;
  std::optional<double> low, high;  ///< SI
  bool met = true, shown = true;    ///< shown: a level on the curve; a range or a mean is none
  std::vector<Violation> violations;
};

/// A lane of the travel strip: what is drawn under one another over the same axis.
struct Lane {
  enum Kind { programme, gauge, bars, marks } kind = gauge;
  QString title;
  std::vector<LaneCurve> curves;  ///< more than one where gauges are overlaid
  std::vector<Band> bands;
  model::Id id = 0;           ///< drive or first gauge
  int drive = -1;             ///< of a programme: index among the active drives
  std::vector<double> knots;  ///< of a programme, on the axis
  std::vector<std::pair<double, QString>> jumps;
  std::vector<int> interference;                  ///< indices among those of the check
  std::vector<std::pair<double, double>> unsure;  ///< on the travel axis: nearer than can be told
  std::vector<int> mark;                          ///< of the travel
  QColor colour;
  double low = 0, high = 1;  ///< SI, of what is drawn
  double least = 0;          ///< SI: it spans this at least, since what is finer is not to be trusted
  double top = 0, height = 0;
};

/// Everything that the strip shows of the present run, or of the rows that have come of one being computed.
/// @param difference curves are the present ones less those compared with
std::vector<Lane> lanesOf(const Workbench& bench, bool difference);

/// Parts of a curve outside a band, their ends between the samples.
std::vector<Violation> violationsOf(const kinematics::Samples& curve, const Band& band);

}  // namespace cooperage::app
