// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "study/prepared.h"

namespace cooperage::study {

/// A document that can't be assembled at home, mended by what is least: the second seat of the joint that stays open is
/// put where the first is, as far as the joint's own freedoms leave it open, and the links stand where the loop is
/// least open. Lengths between seats change by the gap.
/// @return an error if it closes, or nothing is known of the gap
Result<model::Mechanism> withGapClosed(const Prepared& source);

}  // namespace cooperage::study
