// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "clearance/envelope.h"

namespace cooperage::clearance {

/// How far another link stays from a swept space.
struct EnvelopeGap {
  int link = -1;
  double least = 0;     ///< m left; 0 or less: it reaches in, minus the depth
  double at = 0;        ///< on the travel axis; where it stands still, the start
  Vec3 point{0, 0, 0};  ///< on the envelope (or the deepest point), axes of the envelope
};
/// The envelope against all links that were not swept, over the same travel as seen from the envelope's axes. What is
/// left is over and above the clearance that the envelope was grown by; true to the envelope's error.
/// Keep-out bodies are bodies of a link as any others.
Result<std::vector<EnvelopeGap>> checkEnvelope(kinematics::TravelRun& run, kinematics::Measurer& measurer,
                                               const kinematics::Travel& travel, const CheckGeometry& geometry,
                                               const EnvelopeOptions& options, const Envelope& envelope,
                                               Progress* progress);

}  // namespace cooperage::clearance
