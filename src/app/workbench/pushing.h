// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>

#include "run_data.h"

namespace cooperage::app {

class Workbench;

/// The links that are chosen (or whose bodies are) push one another: the first against all others.
void pushSelected(Workbench& bench);
/// A force along the value of the chosen joint, to be set on its card.
void holdSelected(Workbench& bench);
/// Home goes to the nearest pose in which no links of contacts overlap.
void takeFreePose(Workbench& bench);
/// The current run begins at that pose; home stays as it is.
void startFree(Workbench& bench);
/// The deepest overlap at home that keeps the current run from starting; none if it begins at a free pose.
std::optional<contact::Overlap> overlapInTheWay(const Workbench& bench);

/// "touches", "hands over", "leaves", "falls" in the user's language.
QString pushWord(const std::string& code);
/// What is left between the links where it happened, and at what place.
QString pushText(const kinematics::Mark& mark, const DocumentUnits& units);
/// Which links, and where on the axis.
QString pushTitle(const kinematics::Mark& mark, const RunData& run, const DocumentUnits& units);

}  // namespace cooperage::app
