// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "model/mechanism.h"

namespace cooperage::model {

/// Pitch of the coarse metric thread of a nominal diameter (ISO 261, first and second choice, 1 to 64 mm), m.
/// @param diameter m; up to 4 % off a nominal one counts as that, further off there is none
std::optional<double> coarsePitch(double diameter);

/// The pitch that the thread of a screw joint is likely to have: by the pin, else the bore, that its seats were picked
/// on.
std::optional<double> likelyPitch(const std::optional<SeatSource>& first, const std::optional<SeatSource>& second);
std::optional<double> likelyPitch(const Mechanism& m, const Joint& joint);

}  // namespace cooperage::model
