// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shape/solid.h"

namespace cooperage::shape {

/// What a cut keeps of a solid. Error if nothing is left on that side, or if the shape is a mesh of triangles.
Result<TopoDS_Shape> cutShape(const TopoDS_Shape& shape, const model::Cut& cut);

/// A flat or cylindrical face, extended, as a tool: inside is behind the face or within its radius.
Result<model::CutTool> cutToolOf(const model::Feature& face);

/// A shape that holds triangles only, as STL and OBJ files do.
bool isFaceted(const TopoDS_Shape& shape);

}  // namespace cooperage::shape
