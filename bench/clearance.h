// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

namespace bench {

/// Figures of interference, clearance and envelopes whose names begin with the prefix, one a line.
void clearanceFigures(const std::string& prefix);

/// Fine envelopes of a box, a cylinder, a ball and a bar.
void fineSweeps();
/// Checks of meshing gears, each printed, and the longest.
void gearChecks();
/// A turn of an indexing wheel by contact beside the same by a dynamics engine; runs of the demos by contact.
void contactAgainstBullet();
void contactDemos();
/// A travel with its drive's torque and all reactions beside the same without.
void inverseDynamics();

}  // namespace bench
