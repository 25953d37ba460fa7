// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "clearance/convex.h"
#include "shape/shape_store.h"

namespace cooperage::clearance {

/// One body of a link that is swept.
struct SweptPart {
  int link = -1;
  shape::SolidPtr solid;
  Pose placement;  ///< X_LB
  std::string name;
  std::optional<Convex> convex;             ///< its exact figures, if it is simple enough
  std::optional<Convex> closed;             ///< the same, if its distance is known in closed form
  std::shared_ptr<const shape::Mesh> mesh;  ///< link axes; see meshPart()
  Vec3 low{0, 0, 0}, high{0, 0, 0};         ///< of a box about it, link axes
  double area = 0;                          ///< m^2
};

/// Bodies of links, without their meshes. An error if there are none.
Result<std::vector<SweptPart>> sweptParts(const model::Resolved& resolved, const std::vector<int>& links,
                                          shape::ShapeStore& store, Progress* progress);

/// Makes the mesh of a part. Open shells are refused by name.
/// @param deflection m; a body with a closed form needs a mesh for its size alone
Status meshPart(SweptPart& part, shape::ShapeStore& store, double deflection, Progress* progress);

/// Cubes tell nothing of walls thinner than two of them. @param finest that may be taken without asking, m
/// @return the accuracy, or a finer one that fits the walls; an error where that is finer than `finest`
Result<double> thickEnough(const SweptPart& part, shape::ShapeStore& store, double accuracy, double finest,
                           Progress* progress);

}  // namespace cooperage::clearance
