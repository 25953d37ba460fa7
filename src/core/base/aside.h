// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "base/progress.h"

namespace cooperage {

/// Does work that can't be asked to end (one face of OCCT's mesher) on a thread of its own, so that a cancel is
/// answered within hundredths of a second: the work then runs to its end unheeded, and the program waits for it at its
/// own end. So it must own all that it touches.
/// @param progress may be null: then the work is simply done
/// @param meanwhile called every few hundredths of a second while it lasts
/// @return false if it was cancelled; what the work has made is then not to be read
bool doAside(Progress* progress, std::function<void()> work, const std::function<void()>& meanwhile = {});

}  // namespace cooperage
