// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shape/surface.h"

namespace cooperage::shape {

/// Volume of a solid with its centre and the matrix of inertia about it at a density of 1: m^3, m, m^5, axes of the
/// solid.
struct VolumeFigures {
  double volume = 0;
  Vec3 centre{0, 0, 0};
  Mat3 inertia;
};
/// By integration over the exact faces, each weighed by the normal (divergence theorem); of a solid of triangles, over
/// these. What encloses nothing has none.
VolumeFigures volumeFigures(const TopoDS_Shape& solid);

/// Puts into a mechanism what the solids of its links weigh that have a density; it counts where no mass is typed.
/// Solids are measured once.
void attachMasses(model::Resolved& resolved, const SolidOf& solidOf);

}  // namespace cooperage::shape
