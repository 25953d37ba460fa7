// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "curves/curve.h"

namespace cooperage::elements {

/// Points of a curve, so close that the chords stay within `tolerance` of it; corners of its pieces are among them.
std::vector<Eigen::Vector2d> sampled(const curves::Curve& curve, double tolerance);

/// A closed or open outline in mm as files that other programs read. Deterministic.
std::string outlineDxf(const std::vector<Eigen::Vector2d>& points, bool closed);  ///< R12, one polyline
std::string outlineSvg(const std::vector<Eigen::Vector2d>& points, bool closed);  ///< size in mm
std::string outlineCsv(const std::vector<Eigen::Vector2d>& points);               ///< head x [mm],y [mm]

}  // namespace cooperage::elements
