// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <vector>

#include "../workbench/workbench.h"

class QMenu;

namespace cooperage::app {

/// Gauges of masses and loads, for what is chosen: entries of a menu.
/// @param add puts gauges into the document
void addLoadGauges(QMenu* menu, Workbench& bench,
                   std::function<bool(const QString& what, std::vector<model::Gauge>)> add);

}  // namespace cooperage::app
