// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "clearance/travel_check.h"

namespace cooperage::clearance {

/// What a sweep would take; known before it starts.
struct EnvelopeEstimate {
  double accuracy = 0;  ///< m
  int poses = 0;
  double bytes = 0, seconds = 0;
  bool fits = true;
};

struct EnvelopeOptions {
  std::vector<int> links;
  int in = -1;                     ///< link in whose axes the space is swept, -1 for ground
  double clearance = 0;            ///< m, grown all round
  double accuracy = 0;             ///< m, greatest error of the surface; 0: 1/200 of the size
  int outlineAxis = -1;            ///< 0, 1, 2: the area of the shadow along that axis too
  std::optional<double> from, to;  ///< s: a part of the travel
  bool onlySteps = false;          ///< the poses of the steps alone, nothing between them
  /// Told before a sweep begins that is not refused, from the thread that sweeps.
  std::function<void(const EnvelopeEstimate&)> told = {};
  double mostSeconds = 3600;  ///< more is refused
};

/// The space that links sweep during a run, grown by a clearance.
struct Envelope {
  shape::Mesh mesh;
  shape::Mesh light;                     ///< the same with fewer triangles where it is flat, for files of faces
  double volume = 0, low = 0, high = 0;  ///< m^3: best estimate and bounds that hold the true one
  Vec3 boxLow{0, 0, 0}, boxHigh{0, 0, 0};
  double outlineArea = 0;
  double voxel = 0, error = 0;  ///< m
  int poses = 0;
  double prepareSeconds = 0;  ///< of the fields of the bodies
  double sweepSeconds = 0;    ///< of the sweep itself
};

/// One signed distance field a body, or its closed form (boxes, cylinders, balls); the swept space is the least over
/// all poses, taken in cubes that are halved down to blocks of 8 x 8 x 8 where the surface is (see SweptGrid), and at
/// the surface over all that lies between the nearest pose and its neighbours. Error of the surface: half a voxel, the
/// tessellation and a sixteenth of the way between poses. The volume is set right by the exact distance of a sample of
/// the surface; its bounds are the standard error of that, and the tessellation. Open shells are refused by name, and
/// what would not fit in memory with the figure.
Result<Envelope> sweep(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::Travel& travel,
                       shape::ShapeStore& store, const EnvelopeOptions& options, Progress* progress);

/// Poses, memory and time that sweep() would take.
Result<EnvelopeEstimate> estimateSweep(kinematics::TravelRun& run, kinematics::Measurer& measurer,
                                       const kinematics::Travel& travel, shape::ShapeStore& store,
                                       const EnvelopeOptions& options, Progress* progress);

}  // namespace cooperage::clearance
