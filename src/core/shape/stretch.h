// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <TopoDS_Shape.hxx>
#include <vector>

#include "base/geometry.h"
#include "base/result.h"
#include "model/resolve.h"

namespace cooperage::shape {

/// A solid made longer or shorter at a plane: what lies beyond it is moved along its normal, and what runs through it
/// along the normal is drawn out or shortened. Faces, edges and corners stay the same ones in the same order, so that
/// whatever was picked on one is found on the other. Volume changes by section times figure.
/// @param at, axis the plane, m, axes of the solid; beyond is where the axis points
/// @param by m; negative: shorter, by less than the length over which the section is constant about the plane
/// @return an error that tells why: the plane misses the solid, its section is not constant there (only flat sides,
///         round sides and edges along the normal may run through it), or less is there than would be taken away
Result<TopoDS_Shape> stretched(const TopoDS_Shape& solid, const Vec3& at, const Vec3& axis, double by);

/// The same at several planes. Each stands where it does in the solid as given: those beyond another go along with it.
Result<TopoDS_Shape> stretched(const TopoDS_Shape& solid, const std::vector<model::Resolved::StretchR>& stretches);

/// Where a place of the stretched solid is in the solid as it is without; what lies in a section that was drawn out
/// comes to its plane. m, body axes
Vec3 unstretched(const std::vector<model::Resolved::StretchR>& stretches, const Vec3& place);

/// The nearest plane behind a flat face at which the solid could be made longer, so that the face moves out.
/// @param at, axis a place of the face and its outward normal, m
/// @return a place in that plane, or an error where the section is constant nowhere behind the face
Result<Vec3> placeBehind(const TopoDS_Shape& solid, const Vec3& at, const Vec3& axis);

}  // namespace cooperage::shape
