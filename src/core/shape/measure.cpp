// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/measure.h"

#include <BRepExtrema_DistShapeShape.hxx>
#include <BRepGProp.hxx>
#include <GProp_GProps.hxx>
#include <Standard_Failure.hxx>

#include "shape/placement.h"

namespace cooperage::shape {
namespace {

bool hasAxis(const model::Feature& f) {
  return f.kind == model::FeatureKind::plane || f.kind == model::FeatureKind::cylinder ||
         f.kind == model::FeatureKind::cone || f.kind == model::FeatureKind::torus ||
         f.kind == model::FeatureKind::line || f.kind == model::FeatureKind::circle;
}
/// A plane by its normal; all else by a line.
bool isFlat(const model::Feature& f) { return f.kind == model::FeatureKind::plane; }

}  // namespace

double volumeOf(const TopoDS_Shape& solid) {
  GProp_GProps props;
  BRepGProp::VolumeProperties(solid, props);
  return std::max(0.0, props.Mass() * 1e-9);
}

Measured measure(const Picked& a) {
  Measured m;
  if (a.feature.radius > 0) m.radiusA = a.feature.radius;
  if (a.feature.length > 0) m.length = a.feature.length;
  if (a.feature.area > 0) m.area = a.feature.area;
  return m;
}

Result<Measured> measure(const Picked& a, const Picked& b) {
  Measured m;
  if (a.feature.radius > 0) m.radiusA = a.feature.radius;
  if (b.feature.radius > 0) m.radiusB = b.feature.radius;
  try {
    BRepExtrema_DistShapeShape extrema(a.part.Moved(TopLoc_Location(toTrsf(a.placement))),
                                       b.part.Moved(TopLoc_Location(toTrsf(b.placement))));
    if (!extrema.IsDone() || extrema.NbSolution() < 1)
      return Error{"measure", "", "no distance can be had between these two"};
    m.distance = extrema.Value() * 1e-3;
    const gp_Pnt p = extrema.PointOnShape1(1), q = extrema.PointOnShape2(1);
    m.from = Vec3(p.X(), p.Y(), p.Z()) * 1e-3;
    m.to = Vec3(q.X(), q.Y(), q.Z()) * 1e-3;
  } catch (const Standard_Failure&) {
    return Error{"measure", "", "no distance can be had between these two"};
  }
  if (!hasAxis(a.feature) || !hasAxis(b.feature)) return m;
  const Vec3 u = a.placement.R * a.feature.axis.normalized(), v = b.placement.R * b.feature.axis.normalized();
  const Vec3 d = b.placement * b.feature.at - a.placement * a.feature.at;
  const bool mixed = isFlat(a.feature) != isFlat(b.feature);
  const double lines = std::atan2(u.cross(v).norm(), std::abs(u.dot(v)));
  m.angle = mixed ? kPi / 2 - lines : lines;  // a line against a plane counts from the plane
  if (*m.angle > 1e-7) return m;
  if (isFlat(a.feature) || isFlat(b.feature)) {
    m.between = std::abs(d.dot(isFlat(a.feature) ? u : v));
  } else {
    m.between = (d - d.dot(u) * u).norm();
    m.coaxial = *m.between < 1e-7;
  }
  return m;
}

}  // namespace cooperage::shape
