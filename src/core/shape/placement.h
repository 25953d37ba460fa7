// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <gp_Trsf.hxx>

#include "base/geometry.h"

namespace cooperage::shape {

/// A pose in m as OCCT has it, in mm.
inline gp_Trsf toTrsf(const Pose& p) {
  gp_Trsf t;
  t.SetValues(p.R(0, 0), p.R(0, 1), p.R(0, 2), p.p.x() * 1e3, p.R(1, 0), p.R(1, 1), p.R(1, 2), p.p.y() * 1e3, p.R(2, 0),
              p.R(2, 1), p.R(2, 2), p.p.z() * 1e3);
  return t;
}

}  // namespace cooperage::shape
