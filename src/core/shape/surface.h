// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "model/resolve.h"
#include "shape/solid.h"

namespace cooperage::shape {

/// The solid of a body of a link, or null if it is not known (yet).
using SolidOf = std::function<SolidPtr(const model::Resolved::LinkR&, const model::Resolved::BodyR&)>;

/// The surface of a face in m, in its body's axes.
/// @param face index among the solid's faces, from 0
/// @return an error that tells how many faces there are
Result<std::shared_ptr<const model::Surface>> surfaceOf(const SolidPtr& solid, int face, const Pose& placement);

/// Gives every enabled joint of a point on a surface its surface, and every curve of edges its form. Bodies that are
/// not known (null) are left out: the kinematics names the joint then.
/// @param solidOf the solid of a body of a link
Status attachGeometry(model::Resolved& resolved, const SolidOf& solidOf);

}  // namespace cooperage::shape
