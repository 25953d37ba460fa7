// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "contact/pair_gaps.h"
#include "contact/space_body.h"

namespace cooperage::contact {

/// Gap of a feature of A and one of B that move in space: from the middles of both, by Newton's method, the places
/// whose connection is square to both. Its equations are those of the normal, not of the distance, so that they hold as
/// well where both touch or overlap. Where a whole line touches (a roller on a face) one place of it stands for all.
/// @param second whether its acceleration is wanted
/// @param slack how far the foot may lie beyond a feature's end, m
/// @return false where there is no such place near the two
bool spaceGap(const SpaceFeature& a, const SpaceFeature& b, const RelativeMotion& m, bool second, double slack,
              PairGap& out);

/// How far the foot of that gap lies within both features, m: negative beyond them; NaN where something else bounds
/// them, too (the rims of a trimmed face, the normals of edges and balls), or where there is none.
double spaceRoom(const SpaceFeature& a, const SpaceFeature& b, const RelativeMotion& m, double slack);

/// The place of a feature nearest to a point, both in the body's axes.
/// @param signedDistance negative on the inner side of a face
/// @return false where its foot lies beyond the feature
bool nearestOn(const SpaceFeature& f, const Vec3& point, double slack, double& signedDistance);

}  // namespace cooperage::contact
