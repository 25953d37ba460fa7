// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/axis_span.h"

#include <BRepAdaptor_Surface.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <algorithm>

#include "shape/face_features.h"

namespace cooperage::shape {

RoundFacesPtr roundFacesOf(const TopoDS_Shape& solid) {
  constexpr int kFewSplines = 60;
  auto out = std::make_shared<RoundFaces>();
  std::vector<std::pair<int, TopoDS_Face>> splines;
  const auto add = [&](int index, const TopoDS_Face& face) {
    const model::Feature f = featureOf(face);
    if (f.kind != model::FeatureKind::cylinder && f.kind != model::FeatureKind::cone) return;
    RoundFace r;
    r.index = index;
    r.cone = f.kind == model::FeatureKind::cone;
    r.radius = r.cone ? 0 : f.radius;
    r.inward = f.inward;
    int ends = 0;
    for (const Snap& s : snapsOf(face))
      if (s.word == "axis end") (ends++ == 0 ? r.high : r.low) = s.at;
    if (ends == 2) out->push_back(r);
  };
  int index = 0;
  for (TopExp_Explorer e(solid, TopAbs_FACE); e.More(); e.Next(), ++index) {
    const TopoDS_Face face = TopoDS::Face(e.Current());
    switch (BRepAdaptor_Surface(face, false).GetType()) {
      case GeomAbs_Cylinder:
      case GeomAbs_Cone: add(index, face); break;
      case GeomAbs_BSplineSurface:
      case GeomAbs_BezierSurface:
      case GeomAbs_SurfaceOfExtrusion:
      case GeomAbs_SurfaceOfRevolution: splines.emplace_back(index, face); break;
      default: break;
    }
  }
  if (splines.size() <= kFewSplines)
    for (const auto& [i, face] : splines) add(i, face);
  return out;
}

std::optional<AxisSpan> spanOf(const RoundPart& link, const Vec3& at, const Vec3& axis, const RoundFace* like) {
  constexpr double kOff = 1e-5, kTouch = 1e-6;  // m
  std::vector<std::pair<double, double>> found;
  for (const auto& [faces, pose] : link)
    for (const RoundFace& f : *faces) {
      if (f.cone) continue;
      if (like && (f.inward != like->inward || std::abs(f.radius - like->radius) > 1e-6)) continue;
      double s[2];
      bool on = true;
      for (int k = 0; k < 2; ++k) {
        const Vec3 d = pose * (k == 0 ? f.low : f.high) - at;
        s[k] = d.dot(axis);
        on = on && (d - s[k] * axis).norm() < kOff;
      }
      if (on && std::abs(s[1] - s[0]) > kTouch) found.emplace_back(std::min(s[0], s[1]), std::max(s[0], s[1]));
    }
  if (found.empty()) return std::nullopt;
  std::sort(found.begin(), found.end());
  AxisSpan out{found.front().first, found.front().second, 1};
  for (const auto& [low, high] : found) {
    if (low > out.high + kTouch) ++out.pieces;
    out.high = std::max(out.high, high);
  }
  return out;
}

double gapBetween(const AxisSpan& a, const AxisSpan& b) { return std::max({0.0, a.low - b.high, b.low - a.high}); }

}  // namespace cooperage::shape
