// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <BSplCLib_Cache.hxx>
#include <BSplSLib_Cache.hxx>
#include <Geom_Curve.hxx>
#include <Geom_Surface.hxx>

#include <vector>

namespace cooperage::contact {

/// A surface that is looked at many times: of a spline each span's polynomial is worked out beforehand. Places in the
/// units of the solid. Any thread may ask.
class SpanSurface {
 public:
  explicit SpanSurface(const Handle(Geom_Surface) & surface);
  void at(double u, double v, gp_Pnt& p, gp_Vec& du, gp_Vec& dv) const;
  void at(double u, double v, gp_Pnt& p, gp_Vec& du, gp_Vec& dv, gp_Vec& duu, gp_Vec& dvv, gp_Vec& duv) const;

 private:
  const BSplSLib_Cache& span(double u, double v) const;
  Handle(Geom_Surface) surface_;
  std::vector<double> knotsU_, knotsV_;
  std::vector<Handle(BSplSLib_Cache)> spans_;  ///< all of V for each of U; empty: no spline
};

/// The same of a curve.
class SpanCurve {
 public:
  explicit SpanCurve(const Handle(Geom_Curve) & curve);
  void at(double t, gp_Pnt& p, gp_Vec& d, gp_Vec& dd) const;

 private:
  Handle(Geom_Curve) curve_;
  std::vector<double> knots_;
  std::vector<Handle(BSplCLib_Cache)> spans_;
};

}  // namespace cooperage::contact
