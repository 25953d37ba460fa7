// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "main_window.h"

namespace cooperage::app {

/// Imports a file while the window is alive, then turns the scene and hovers over it; prints what scripts/bench wants:
/// import_s, import_event_gap_ms (longest time between two events), scene_fps (turning), scene_rest_ms (the full
/// picture at rest), hover_ms (pointer to highlight, worst of 200).
/// @return false if the file can't be imported
bool measureWindow(Session& session, MainWindow& window, const QString& file);

}  // namespace cooperage::app
