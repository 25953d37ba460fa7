// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <BRepBndLib.hxx>
#include <Bnd_Box.hxx>
#include <TopoDS_Shape.hxx>

#include "base/geometry.h"

namespace cooperage::shape {

/// A box along the axes around shapes, m.
struct Extent {
  Vec3 low = Vec3::Constant(1e300), high = Vec3::Constant(-1e300);

  bool empty() const { return low.x() > high.x(); }
  Vec3 corner(int n) const {
    return {n & 1 ? high.x() : low.x(), n & 2 ? high.y() : low.y(), n & 4 ? high.z() : low.z()};
  }
  Vec3 middle() const { return 0.5 * (low + high); }
  double size() const { return empty() ? 0 : (high - low).norm(); }
  /// Takes a shape in, placed; its own box is turned with it, so that the result may be a little large.
  void add(const TopoDS_Shape& shape, const Pose& pose) {
    Bnd_Box box;
    BRepBndLib::Add(shape, box, true);
    if (box.IsVoid()) return;
    const gp_Pnt from = box.CornerMin(), to = box.CornerMax();
    add({Vec3(from.X(), from.Y(), from.Z()) / 1e3, Vec3(to.X(), to.Y(), to.Z()) / 1e3}, pose);
  }
  void add(const Extent& own, const Pose& pose) {
    if (own.empty()) return;
    for (int c = 0; c < 8; ++c) {
      const Vec3 p = pose * own.corner(c);
      low = low.cwiseMin(p);
      high = high.cwiseMax(p);
    }
  }
  bool holds(const Vec3& p, double gap) const {
    return ((low.array() - gap) <= p.array()).all() && ((high.array() + gap) >= p.array()).all();
  }
  bool meets(const Extent& b, double gap) const {
    return ((low.array() - gap) < b.high.array()).all() && ((b.low.array() - gap) < high.array()).all();
  }
};

}  // namespace cooperage::shape
