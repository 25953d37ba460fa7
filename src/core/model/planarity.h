// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "model/resolve.h"

namespace cooperage::model {

/// The normal of the plane in which a planar mechanism moves: its joints turn about parallel axes and slide square to
/// them, and lead to every link from ground. What is measured in it is measured in that plane; how deep a link lies
/// over it changes nothing. Worked out from the joints' seats alone, not from where the links are placed.
/// @return unit normals, one a link in its own axes; empty if the mechanism is not planar (axes more than 1e-9 rad out,
///         a link that no joint leads to, a joint or a contact that leaves the plane)
std::vector<Vec3> planeNormals(const Resolved& r);

}  // namespace cooperage::model
