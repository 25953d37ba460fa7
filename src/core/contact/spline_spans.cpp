// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/spline_spans.h"

#include <Geom_BSplineCurve.hxx>
#include <Geom_BSplineSurface.hxx>
#include <Geom_RectangularTrimmedSurface.hxx>
#include <Geom_TrimmedCurve.hxx>

#include <algorithm>

#include "base/index.h"

namespace cooperage::contact {
namespace {

/// The span in which a parameter lies; beyond the ends the first or the last.
std::size_t spanOf(const std::vector<double>& knots, double x) {
  const auto it = std::upper_bound(knots.begin() + 1, knots.end() - 1, x);
  return static_cast<std::size_t>(it - knots.begin()) - 1;
}

template <class Knot>
std::vector<double> knotsOf(int first, int last, const Knot& knot) {
  std::vector<double> out;
  for (int i = first; i <= last; ++i) out.push_back(knot(i));
  return out;
}

double middle(const std::vector<double>& knots, std::size_t i) { return 0.5 * (knots[i] + knots[i + 1]); }

}  // namespace

SpanSurface::SpanSurface(const Handle(Geom_Surface) & surface) : surface_(surface) {
  Handle(Geom_Surface) basis = surface;
  if (const auto t = Handle(Geom_RectangularTrimmedSurface)::DownCast(basis); !t.IsNull()) basis = t->BasisSurface();
  const Handle(Geom_BSplineSurface) s = Handle(Geom_BSplineSurface)::DownCast(basis);
  if (s.IsNull() || s->IsUPeriodic() || s->IsVPeriodic()) return;
  knotsU_ = knotsOf(s->FirstUKnotIndex(), s->LastUKnotIndex(), [&](int i) { return s->UKnot(i); });
  knotsV_ = knotsOf(s->FirstVKnotIndex(), s->LastVKnotIndex(), [&](int i) { return s->VKnot(i); });
  const TColStd_Array1OfReal &flatU = s->UKnotSequence(), &flatV = s->VKnotSequence();
  for (std::size_t i = 0; i + 1 < knotsU_.size(); ++i)
    for (std::size_t k = 0; k + 1 < knotsV_.size(); ++k) {
      const Handle(BSplSLib_Cache) c =
          new BSplSLib_Cache(s->UDegree(), false, flatU, s->VDegree(), false, flatV, s->Weights());
      c->BuildCache(middle(knotsU_, i), middle(knotsV_, k), flatU, flatV, s->Poles(), s->Weights());
      spans_.push_back(c);
    }
}

const BSplSLib_Cache& SpanSurface::span(double u, double v) const {
  return *spans_[spanOf(knotsU_, u) * (knotsV_.size() - 1) + spanOf(knotsV_, v)];
}

void SpanSurface::at(double u, double v, gp_Pnt& p, gp_Vec& du, gp_Vec& dv) const {
  spans_.empty() ? surface_->D1(u, v, p, du, dv) : span(u, v).D1(u, v, p, du, dv);
}

void SpanSurface::at(double u, double v, gp_Pnt& p, gp_Vec& du, gp_Vec& dv, gp_Vec& duu, gp_Vec& dvv,
                     gp_Vec& duv) const {
  spans_.empty() ? surface_->D2(u, v, p, du, dv, duu, dvv, duv) : span(u, v).D2(u, v, p, du, dv, duu, dvv, duv);
}

SpanCurve::SpanCurve(const Handle(Geom_Curve) & curve) : curve_(curve) {
  Handle(Geom_Curve) basis = curve;
  if (const auto t = Handle(Geom_TrimmedCurve)::DownCast(basis); !t.IsNull()) basis = t->BasisCurve();
  const Handle(Geom_BSplineCurve) s = Handle(Geom_BSplineCurve)::DownCast(basis);
  if (s.IsNull() || s->IsPeriodic()) return;
  knots_ = knotsOf(s->FirstUKnotIndex(), s->LastUKnotIndex(), [&](int i) { return s->Knot(i); });
  const TColStd_Array1OfReal& flat = s->KnotSequence();
  for (std::size_t i = 0; i + 1 < knots_.size(); ++i) {
    const Handle(BSplCLib_Cache) c = new BSplCLib_Cache(s->Degree(), false, flat, s->Poles(), s->Weights());
    c->BuildCache(middle(knots_, i), flat, s->Poles(), s->Weights());
    spans_.push_back(c);
  }
}

void SpanCurve::at(double t, gp_Pnt& p, gp_Vec& d, gp_Vec& dd) const {
  spans_.empty() ? curve_->D2(t, p, d, dd) : spans_[spanOf(knots_, t)]->D2(t, p, d, dd);
}

}  // namespace cooperage::contact
