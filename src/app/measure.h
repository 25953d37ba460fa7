// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "main_window.h"

namespace cooperage::app {

/// On an open mechanism with a run: prints live_redesign_fps (a parameter's slider moved, until curves, path and pose
/// have followed), strip_zoom_ms (worst repaint while zooming into a run of 100,000 steps) and run_cancel_ms (from the
/// cancel to the end of such a run's job).
/// @return false if there is no run or no parameter
bool measureTravel(Session& session, MainWindow& window, const QString& parameter);

/// Imports a file while the window is alive, then turns the scene and hovers over it; prints what scripts/bench wants:
/// import_s, import_event_gap_ms (longest time between two events), scene_fps (turning), scene_rest_ms (the full
/// picture at rest), hover_ms (pointer to highlight, worst of 200).
/// @return false if the file can't be imported
bool measureWindow(Session& session, MainWindow& window, const QString& file);

}  // namespace cooperage::app
