// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <gp_Dir.hxx>
#include <gp_Pnt.hxx>

#include "base/geometry.h"

/// OCCT's shapes are in millimetres, the document in metres.
namespace cooperage::shape {

inline constexpr double kToMm = 1e3, kFromMm = 1e-3;

/// @return in m
inline Vec3 point(const gp_Pnt& p) { return Vec3(p.X(), p.Y(), p.Z()) * kFromMm; }
inline Vec3 direction(const gp_Dir& d) { return {d.X(), d.Y(), d.Z()}; }

}  // namespace cooperage::shape
