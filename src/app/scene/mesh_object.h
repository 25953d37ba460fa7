// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QColor>

#include "shape/solid.h"
// OCCT last
#include <AIS_Triangulation.hxx>

namespace cooperage::app {

/// A mesh (m) as an object of the picture, smooth, of one colour.
/// @param transparency 0 to 1
Handle(AIS_Triangulation) meshObject(const shape::Mesh& mesh, const QColor& colour, double transparency);

}  // namespace cooperage::app
