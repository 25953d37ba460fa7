// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Used within shape/ only: flat parts along the lines of links.
#include <TopoDS_Shape.hxx>
#include <vector>

#include "base/result.h"

namespace cooperage::shape {

/// The solid of a link plate, mm. @param figures as a resolved body has them, m
Result<TopoDS_Shape> linkPlate(const std::vector<double>& figures);

}  // namespace cooperage::shape
