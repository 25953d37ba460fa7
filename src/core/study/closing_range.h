// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "base/progress.h"
#include "model/resolve.h"
#include "shape/shape_store.h"

namespace cooperage::study {

/// Where home could be closed, if one figure alone was changed so that it can't be any more: the range of that figure
/// about its last good value. Looks for no longer than two seconds.
/// @param good the last document that closed, its links placed as they stand at home; bad: the present one
/// @return "rod_length closes at home from 60 to 151.2 mm"; nothing if several figures differ, none closes any more, or
///         it was cancelled
std::string closingRange(const model::Mechanism& good, const model::Mechanism& bad, shape::ShapeStore& store,
                         Progress* progress = nullptr);

/// What that figure is called; nothing if several differ.
std::string changedFigure(const model::Mechanism& good, const model::Mechanism& bad);

}  // namespace cooperage::study
