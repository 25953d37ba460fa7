// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "clearance/travel_check.h"

namespace cooperage::clearance {

struct EnvelopeOptions {
  std::vector<int> links;
  int in = -1;           ///< link in whose axes the space is swept, -1 for ground
  double clearance = 0;  ///< m, grown all round
  double accuracy = 0;   ///< m, greatest error of the surface; 0: 1/200 of the size
  int outlineAxis = -1;  ///< 0, 1, 2: the area of the shadow along that axis too
};

/// The space that links sweep during a run, grown by a clearance.
struct Envelope {
  shape::Mesh mesh;
  double volume = 0, low = 0, high = 0;  ///< m^3: best estimate and bounds that hold the true one
  Vec3 boxLow = Vec3::Zero(), boxHigh = Vec3::Zero();
  double outlineArea = 0;
  double voxel = 0, error = 0;  ///< m
  int poses = 0;
};

/// One signed distance field a body; the swept space is the least over all poses, taken in blocks of 8 x 8 x 8 by the
/// inverse placements. Error: half the largest step of any point between poses, the tessellation and half a voxel.
Result<Envelope> sweep(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::Travel& travel,
                       shape::ShapeStore& store, const EnvelopeOptions& options, Progress* progress);

}  // namespace cooperage::clearance
