// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Used within shape/ only: solids of gears, racks, worms, pulleys, screws and cams.
#include <TopoDS_Shape.hxx>

#include "elements/cam.h"
#include "model/mechanism.h"

namespace cooperage::shape {

/// Solid in mm of an element that elements/figures.h describes; null for other kinds.
TopoDS_Shape machineElement(model::BodyKind kind, const std::vector<double>& figures);
/// A cam's solid: a disc of the profile, a plate under an open one, or a cylinder with a groove.
/// @param spec of a cam made from a law; null for a profile from geometry
Result<TopoDS_Shape> camShape(const curves::CurvePtr& profile, const elements::CamSpec* spec,
                              const std::vector<double>& figures);

/// All that a cam's solid is made from besides its own figures: places and directions of the profile where camShape()
/// takes them, and of a barrel its law. Two cams with the same are one solid.
std::vector<double> camSource(const curves::CurvePtr& profile, const elements::CamSpec* spec);

}  // namespace cooperage::shape
