// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "main_window.h"

namespace cooperage::app {

/// On an open mechanism with a run: prints live_redesign_fps (a parameter's slider moved, until curves, path and pose
/// have followed), strip_zoom_ms (worst repaint while zooming into a run of 100,000 steps) and run_cancel_ms (from the
/// cancel to the end of such a run's job).
/// @return false if there is no run or no parameter
bool measureTravel(Workbench& bench, MainWindow& window, const QString& parameter);

/// Imports a file while the window is alive, then turns the scene and hovers over it; prints what scripts/bench wants:
/// import_s, import_event_gap_ms (longest time between two events), scene_fps (turning), scene_rest_ms (the full
/// picture at rest), hover_ms (pointer to highlight, worst of 200).
/// @return false if the file can't be imported
bool measureWindow(Workbench& bench, MainWindow& window, const QString& file);

/// Slides a parameter as a hand does and prints the longest time that the event loop did not come round (edit_gap_ms),
/// and how often a document was worked out for each change (resolves_per_edit). A parameter `module` that is not there
/// is made that of all gears.
bool measureEdits(Workbench& bench, MainWindow& window, const QString& parameter);

}  // namespace cooperage::app
