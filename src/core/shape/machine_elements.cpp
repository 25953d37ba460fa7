// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/machine_elements.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepFill.hxx>
#include <BRepLib.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeRevol.hxx>
#include <BRep_Builder.hxx>
#include <GeomAPI_Interpolate.hxx>
#include <Geom_BSplineCurve.hxx>
#include <TColgp_HArray1OfPnt.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Solid.hxx>
#include <algorithm>
#include <cmath>
#include <gp_Ax1.hxx>
#include <gp_Ax2.hxx>

#include "elements/belt.h"
#include "elements/figures.h"
#include "shape/swept.h"
#include "shape/occt_units.h"

namespace cooperage::shape {
namespace {

using elements::GearProfile;
using elements::GearSpec;
using Vec2 = Eigen::Vector2d;

/// A half tooth from the space's middle to the tooth's, as pieces in mm on the +y side.
std::vector<OutlinePiece> halfTooth(const GearProfile& profile) {
  std::vector<OutlinePiece> out;
  for (const auto& part : profile.parts()) {
    const Vec2 a = kToMm * profile.at(part, 0).at, b = kToMm * profile.at(part, 1).at;
    if (part.kind == GearProfile::Kind::rootArc || part.kind == GearProfile::Kind::tipArc) {
      out.push_back(arcPiece(a, b, Vec2::Zero()));
    } else if (part.kind == GearProfile::Kind::chamfer) {
      out.push_back(straight(a, b));
    } else {
      const int n = part.kind == GearProfile::Kind::involute ? 12 : 9;
      out.push_back(pieceOf(
          [&](double share) {
            const auto p = profile.at(part, share);
            return std::pair<Vec2, Vec2>(kToMm * p.at, kToMm * p.slope);
          },
          0.0, 1.0, n));
    }
  }
  return out;
}

/// The piece run backwards, without mirroring.
OutlinePiece backwards(const OutlinePiece& p) {
  OutlinePiece out = mirrored(p);
  for (Vec2& x : out.points) x.y() = -x.y();
  out.centre.y() = -out.centre.y();
  out.first.y() = -out.first.y();
  out.last.y() = -out.last.y();
  if (p.arc) out.first.x() = -p.first.x();
  return out;
}

/// All teeth, counter-clockwise: up the flank on the -y side of each, over the tip, down the other, along the root.
std::vector<OutlinePiece> wheelOutline(const GearProfile& profile) {
  auto half = halfTooth(profile);
  const double pitch = 2 * kPi / profile.spec().teeth;
  std::vector<OutlinePiece> root, tip;
  const auto whole = [](const OutlinePiece& first, const OutlinePiece& second) {
    OutlinePiece p = arcPiece(first.points.front(), second.points.back(), Vec2::Zero());
    p.first = Vec2(1, 0);
    return p;
  };
  if (half.front().arc) {
    root.push_back(whole(backwards(half.front()), turnedPiece(backwards(mirrored(half.front())), pitch)));
    half.erase(half.begin());
  }
  if (half.back().arc) {
    tip.push_back(whole(backwards(mirrored(half.back())), backwards(half.back())));
    half.pop_back();
  }
  std::vector<OutlinePiece> tooth;
  for (const OutlinePiece& p : half) tooth.push_back(backwards(mirrored(p)));
  tooth.insert(tooth.end(), tip.begin(), tip.end());
  for (std::size_t i = half.size(); i-- > 0;) tooth.push_back(backwards(half[i]));
  tooth.insert(tooth.end(), root.begin(), root.end());
  std::vector<OutlinePiece> out;
  for (int k = 0; k < profile.spec().teeth; ++k)
    for (const OutlinePiece& p : tooth) out.push_back(turnedPiece(p, pitch * k));
  return out;
}

/// Stations of a helix over a width: so close that the cubic between them is true to a ten-thousandth of a millimetre.
std::vector<Station> helixStations(double width, double turnPerMm) {
  const int n = std::max(3, static_cast<int>(std::ceil(std::abs(turnPerMm) * width / 0.18)) + 1);
  std::vector<Station> out;
  for (int i = 0; i < n; ++i) {
    const double z = width * (static_cast<double>(i) / (n - 1) - 0.5);
    out.push_back({z, turnPerMm * z, 1});
  }
  return out;
}

TopoDS_Shape gearSolid(const GearSpec& g, double boreRadius, double hubRadius, double hubLength) {
  const GearProfile profile(g);
  const auto outline = wheelOutline(profile);
  const double width = kToMm * g.width, bore = kToMm * boreRadius;
  TopoDS_Shape s;
  if (g.helix == 0) {
    std::vector<std::vector<OutlinePiece>> holes;
    if (bore > 0) holes.push_back(circleOutline(bore));
    s = prismSolid(outline, holes, -0.5 * width, gp_Vec(0, 0, width));
  } else {
    const double turn = std::tan(g.helix) / (kToMm * profile.size().pitchRadius);
    s = sweptSolid(outline, helixStations(width, turn), bore);
  }
  if (hubRadius > 0 && hubLength > 0) {
    const gp_Ax2 at(gp_Pnt(0, 0, 0.5 * width), gp_Dir(0, 0, 1));
    TopoDS_Shape hub = BRepPrimAPI_MakeCylinder(at, kToMm * hubRadius, kToMm * hubLength).Shape();
    if (bore > 0) hub = BRepAlgoAPI_Cut(hub, BRepPrimAPI_MakeCylinder(at, bore, kToMm * hubLength).Shape()).Shape();
    s = BRepAlgoAPI_Fuse(s, hub).Shape();
  }
  return s;
}

TopoDS_Shape ringSolid(const GearSpec& g, double rim) {
  const GearProfile profile(g);
  const auto outline = wheelOutline(profile);
  const double width = kToMm * g.width;
  if (g.helix == 0) return prismSolid(circleOutline(kToMm * rim), {outline}, -0.5 * width, gp_Vec(0, 0, width));
  return sweptSolid(outline, helixStations(width, std::tan(g.helix) / (kToMm * profile.size().pitchRadius)), 0,
                    kToMm * rim);
}

TopoDS_Shape rackSolid(const GearSpec& g, double height) {
  const auto half = elements::rackHalfTooth(g);
  const double pitch = kToMm * kPi * g.module / std::cos(g.helix), width = kToMm * g.width;
  const double floor = -kToMm * (height > g.dedendum * g.module ? height : g.dedendum * g.module + 2.5 * g.module);
  std::vector<OutlinePiece> out;
  // from right to left over the teeth (counter-clockwise), then below them back
  const int first = -g.teeth / 2;
  const auto add = [&](const Vec2& a, const Vec2& b, double bulge) {
    if ((b - a).norm() < 1e-9) return;
    if (bulge == 0) {
      out.push_back(straight(a, b));
      return;
    }
    // centre of the arc with that tangent of a quarter of its angle
    const Vec2 d = b - a, n(-d.y(), d.x());
    out.push_back(arcPiece(a, b, 0.5 * (a + b) + n * ((1 - bulge * bulge) / (4 * bulge))));
  };
  for (int k = g.teeth - 1; k >= 0; --k) {
    const Vec2 shift((first + k) * pitch, 0);
    for (std::size_t i = 0; i + 1 < half.size(); ++i)
      add(kToMm * half[i].at + shift, kToMm * half[i + 1].at + shift, half[i].bulge);
    const auto other = [&](std::size_t i) {
      return Vec2(Vec2(-kToMm * half[i].at.x(), kToMm * half[i].at.y()) + shift);
    };
    for (std::size_t i = half.size() - 1; i > 0; --i) add(other(i), other(i - 1), half[i - 1].bulge);
  }
  const Vec2 end = out.back().points.back(), start = out.front().points.front();
  add(end, {end.x(), floor}, 0);
  add({end.x(), floor}, {start.x(), floor}, 0);
  add({start.x(), floor}, start, 0);
  const double slant = std::tan(g.helix) * width;
  for (OutlinePiece& p : out) {
    for (Vec2& x : p.points) x.x() -= 0.5 * slant;
    p.centre.x() -= 0.5 * slant;
  }
  return prismSolid(out, {}, -0.5 * width, gp_Vec(slant, 0, width));
}

TopoDS_Shape bevelSolid(const elements::BevelSpec& b, double boreRadius) {
  const elements::BevelProfile profile(b);
  constexpr int kFlank = 12;
  const auto points = profile.halfTooth(kFlank);
  const bool below = points.size() == kFlank + 3;  // a straight piece from the root to the base cone
  std::vector<OutlinePiece> half;
  std::size_t i = 0;
  half.push_back(arcPiece(points[0], points[1], Vec2::Zero()));
  if (below) half.push_back(straight(points[1], points[2]));
  i = below ? 2 : 1;
  OutlinePiece flank;
  for (std::size_t k = 0; k < kFlank; ++k) {
    flank.at.push_back(static_cast<double>(k));
    flank.points.push_back(points[i + k]);
  }
  const auto slope = [&](std::size_t a, std::size_t c, std::size_t d) {  // of the parabola through three points
    return Vec2(-1.5 * flank.points[a] + 2 * flank.points[c] - 0.5 * flank.points[d]);
  };
  flank.first = slope(0, 1, 2);
  flank.last = -slope(kFlank - 1, kFlank - 2, kFlank - 3);
  half.push_back(flank);
  half.push_back(arcPiece(points[points.size() - 2], points.back(), Vec2::Zero()));
  std::vector<OutlinePiece> outline;
  for (int k = 0; k < b.teeth; ++k) {
    for (const OutlinePiece& p : half) outline.push_back(turnedPiece(backwards(mirrored(p)), 2 * kPi * k / b.teeth));
    for (std::size_t n = half.size(); n-- > 0;)
      outline.push_back(turnedPiece(backwards(half[n]), 2 * kPi * k / b.teeth));
  }
  const double inner = kToMm * profile.innerPlane(), outer = kToMm * profile.outerPlane();
  return sweptSolid(outline, {{inner, 0, inner}, {outer, 0, outer}}, kToMm * boreRadius);
}

/// Thread drawn plainly: a round groove for every turn of every start. A true helix of many turns is slow to mesh and
/// to check, and a nut fits over its crests all the same.
TopoDS_Shape screwSolid(const std::vector<double>& f) {
  const double radius = 0.5 * kToMm * f[0], half = 0.5 * kToMm * f[3];
  const double pitch = kToMm * std::abs(f[1]) / std::round(f[2]), depth = 0.5 * pitch;
  const bool opposed = f[5] != 0;
  const double plain = std::min(kToMm * f[4], 1.8 * half);
  BRepBuilderAPI_MakePolygon p;
  const auto add = [&](double x, double z) { p.Add(gp_Pnt(x, 0, z)); };
  add(0, -half);
  add(radius, -half);
  const auto grooves = [&](double from, double to) {
    const int n = static_cast<int>(std::floor((to - from) / pitch + 1e-9));
    const double start = 0.5 * (from + to - n * pitch);
    for (int i = 0; i < n; ++i) {
      const double z = start + pitch * (i + 0.5);
      add(radius, z - 0.315 * pitch);
      add(radius - depth, z - 0.185 * pitch);
      add(radius - depth, z + 0.185 * pitch);
      add(radius, z + 0.315 * pitch);
    }
  };
  if (opposed) {
    const double middle = 0.5 * std::max(plain, pitch);
    grooves(-half, -middle);
    grooves(middle, half);
  } else {
    grooves(-half + plain, half);
  }
  add(radius, half);
  add(0, half);
  p.Close();
  return BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(p.Wire()).Face(), gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)))
      .Shape();
}

TopoDS_Shape pulleySolid(const std::vector<double>& f) {
  const double r = kToMm * f[0], w = 0.5 * kToMm * f[1], bore = 0.5 * kToMm * f[2], flange = kToMm * f[3],
               groove = kToMm * f[4];
  BRepBuilderAPI_MakePolygon p;
  const auto add = [&](double x, double z) { p.Add(gp_Pnt(x, 0, z)); };
  add(bore, -w);
  const double rim = std::min(0.15 * w, 2.0);
  if (flange > 0) {
    add(r + flange, -w);
    add(r + flange, -w + rim);
    add(r, -w + rim);
  } else {
    add(r, -w);
  }
  if (groove > 0) {
    const double open = std::min(0.42 * 2 * groove + 0.2 * w, 0.8 * w),
                 floor = std::max(0.3 * open, open - 0.34 * groove);
    add(r, -open);
    add(r - groove, -floor);
    add(r - groove, floor);
    add(r, open);
  }
  if (flange > 0) {
    add(r, w - rim);
    add(r + flange, w - rim);
    add(r + flange, w);
  } else {
    add(r, w);
  }
  add(bore, w);
  p.Close();
  return BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(p.Wire()).Face(), gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)))
      .Shape();
}

TopoDS_Shape sprocketSolid(const std::vector<double>& f) {
  std::vector<OutlinePiece> outline;
  for (const auto& p : elements::sprocketOutline(f[0], static_cast<int>(std::lround(f[1])), f[2])) {
    const Vec2 a = kToMm * p.points[0], b = kToMm * p.points[1];
    if (p.kind == curves::Piece::Kind::line) {
      outline.push_back(straight(a, b));
    } else {
      outline.push_back(arcPiece(a, b, kToMm * p.centre));
      outline.back().first = Vec2(p.ccw ? 1 : -1, 0);
    }
  }
  std::vector<std::vector<OutlinePiece>> holes;
  if (f[4] > 0) holes.push_back(circleOutline(0.5 * kToMm * f[4]));
  const double width = kToMm * f[3];
  return prismSolid(outline, holes, -0.5 * width, gp_Vec(0, 0, width));
}

TopoDS_Shape nutSolid(const std::vector<double>& f) {
  std::vector<OutlinePiece> outline;
  const double r = kToMm * f[0] / std::sqrt(3.0), length = kToMm * f[1];
  for (int k = 0; k < 6; ++k) {
    const auto at = [&](int i) { return Vec2(r * std::cos(kPi / 3 * i), r * std::sin(kPi / 3 * i)); };
    outline.push_back(straight(at(k), at(k + 1)));
  }
  return prismSolid(outline, {circleOutline(0.5 * kToMm * f[2])}, -0.5 * length, gp_Vec(0, 0, length));
}

/// Cylinder with a groove of the roller's width along the path.
TopoDS_Shape barrelSolid(const elements::CamSpec& c, double length, double bore, double depth) {
  double low = 1e300, high = -1e300;
  for (int i = 0; i <= 360; ++i) {
    const double s = c.law->at(c.law->end() * i / 360).position;
    low = std::min(low, s);
    high = std::max(high, s);
  }
  const double middle = 0.5 * kToMm * (low + high), radius = kToMm * c.base, roller = kToMm * c.roller;
  const gp_Ax2 foot(gp_Pnt(0, 0, middle - 0.5 * length), gp_Dir(0, 0, 1));
  TopoDS_Shape s = BRepPrimAPI_MakeCylinder(foot, radius, length).Shape();
  if (bore > 0) s = BRepAlgoAPI_Cut(s, BRepPrimAPI_MakeCylinder(foot, bore, length).Shape()).Shape();
  if (roller <= 0) return s;
  // the groove's two sides on the unrolled cylinder, at two radii; ruled faces between four closed curves
  const auto side = [&](double sign, double r) {
    constexpr int n = 360;
    Handle(TColgp_HArray1OfPnt) p = new TColgp_HArray1OfPnt(1, n);
    for (int i = 0; i < n; ++i) {
      const double u = 2 * kPi * i / n;
      const auto d = c.law->derivatives(u);
      const double slope = d[1] / c.base, norm = std::hypot(1, slope);
      const double angle = 0.5 * kPi - (u - sign * roller * slope / norm / radius);
      p->SetValue(i + 1, gp_Pnt(r * std::cos(angle), r * std::sin(angle), kToMm * d[0] + sign * roller / norm));
    }
    GeomAPI_Interpolate make(p, true, 1e-7);
    make.Perform();
    return BRepBuilderAPI_MakeEdge(make.Curve()).Edge();
  };
  const TopoDS_Edge edges[] = {side(1, radius + 1), side(1, radius - depth), side(-1, radius - depth),
                               side(-1, radius + 1)};
  BRepBuilderAPI_Sewing sew(1e-5);
  for (int k = 0; k < 4; ++k) sew.Add(BRepFill::Face(edges[k], edges[(k + 1) % 4]));
  sew.Perform();
  TopoDS_Solid tool;
  BRep_Builder builder;
  builder.MakeSolid(tool);
  for (TopExp_Explorer e(sew.SewedShape(), TopAbs_SHELL); e.More(); e.Next()) builder.Add(tool, e.Current());
  BRepLib::OrientClosedSolid(tool);
  return BRepAlgoAPI_Cut(s, tool).Shape();
}

}  // namespace

TopoDS_Shape machineElement(model::BodyKind kind, const std::vector<double>& f) {
  using model::BodyKind;
  double rim = 0;
  switch (kind) {
    case BodyKind::gear: return gearSolid(elements::gearOf(f), 0.5 * f[6], f[7], f[8]);
    case BodyKind::ringGear: {
      const GearSpec g = elements::ringOf(f, rim);
      return ringSolid(g, rim);
    }
    case BodyKind::rack: return rackSolid(elements::rackOf(f), f[5]);
    case BodyKind::bevelGear: return bevelSolid(elements::bevelOf(f), 0.5 * f[5]);
    case BodyKind::worm: return gearSolid(elements::wormOf(f), 0.5 * f[5], 0, 0);
    case BodyKind::pulley: return pulleySolid(f);
    case BodyKind::sprocket: return sprocketSolid(f);
    case BodyKind::screw: return screwSolid(f);
    case BodyKind::nut: return nutSolid(f);
    default: return {};
  }
}

namespace {

/// A smooth piece of a cam's profile, and at how many places it is taken.
struct ProfilePiece {
  double from, to;
  int places;
};
std::vector<ProfilePiece> piecesOf(const curves::Curve& profile) {
  std::vector<double> knots{profile.low()};
  for (double c : profile.corners())
    if (c > profile.low() + 1e-12 && c < profile.high() - 1e-12) knots.push_back(c);
  knots.push_back(profile.high());
  std::vector<ProfilePiece> out;
  const double whole = profile.high() - profile.low();
  for (std::size_t i = 0; i + 1 < knots.size(); ++i) {
    const double a = knots[i], b = knots[i + 1];
    out.push_back({a, b, std::clamp(static_cast<int>(std::ceil(240 * (b - a) / whole)) + 1, 5, 241)});
  }
  return out;
}
/// Place and direction in mm; at the end of a piece its own direction, not that of the one that begins.
std::pair<Vec2, Vec2> placeAt(const curves::Curve& profile, const ProfilePiece& piece, double u) {
  const auto p = profile.at(u >= piece.to ? std::nextafter(piece.to, piece.from) : u);
  return {kToMm * p[0].head<2>(), kToMm * p[1].head<2>()};
}

}  // namespace

std::vector<double> camSource(const curves::CurvePtr& profile, const elements::CamSpec* spec) {
  std::vector<double> out{profile->closed() ? 1.0 : 0.0, profile->windingSign()};
  for (const ProfilePiece& piece : piecesOf(*profile)) {
    out.insert(out.end(), {piece.from, piece.to, static_cast<double>(piece.places)});
    pieceOf(
        [&](double u) {
          const auto p = placeAt(*profile, piece, u);
          out.insert(out.end(), {p.first.x(), p.first.y(), p.second.x(), p.second.y()});
          return p;
        },
        piece.from, piece.to, piece.places);
  }
  if (!spec) return out;
  out.insert(out.end(), {static_cast<double>(spec->form), spec->base, spec->roller});
  if (spec->form != elements::CamSpec::Form::barrel) return out;
  constexpr int kPlaces = 360;  // where barrelSolid() takes it
  for (int i = 0; i <= kPlaces; ++i) {
    const auto d = spec->law->derivatives(i < kPlaces ? 2 * kPi * i / kPlaces : spec->law->end());
    out.insert(out.end(), {d[0], d[1], spec->law->at(spec->law->end() * i / kPlaces).position});
  }
  return out;
}

Result<TopoDS_Shape> camShape(const curves::CurvePtr& profile, const elements::CamSpec* spec,
                              const std::vector<double>& f) {
  if (!profile) return Error{"cam", "", "its curve isn't known yet"};
  const double thickness = kToMm * f[0], bore = 0.5 * kToMm * f[1], depth = kToMm * f[4];
  if (spec && spec->form == elements::CamSpec::Form::barrel)
    return barrelSolid(*spec, thickness, bore, depth > 0 ? depth : kToMm * std::max(spec->roller, 0.1 * spec->base));
  std::vector<OutlinePiece> outline;
  for (const ProfilePiece& piece : piecesOf(*profile))
    outline.push_back(
        pieceOf([&](double u) { return placeAt(*profile, piece, u); }, piece.from, piece.to, piece.places));
  if (profile->windingSign() < 0) {
    std::reverse(outline.begin(), outline.end());
    for (OutlinePiece& p : outline) p = backwards(p);
  }
  std::vector<std::vector<OutlinePiece>> holes;
  if (profile->closed()) {
    if (bore > 0) holes.push_back(circleOutline(bore));
  } else {
    const Vec2 start = outline.front().points.front(), end = outline.back().points.back();
    double lowest = 1e300;
    for (const auto& p : outline)
      for (const Vec2& x : p.points) lowest = std::min(lowest, x.y());
    const double floor = lowest - (depth > 0 ? depth : 0.5 * (spec ? kToMm * spec->base : thickness));
    outline.push_back(straight(end, {end.x(), floor}));
    outline.push_back(straight({end.x(), floor}, {start.x(), floor}));
    outline.push_back(straight({start.x(), floor}, start));
  }
  TopoDS_Shape s = prismSolid(outline, holes, -0.5 * thickness, gp_Vec(0, 0, thickness));
  if (f[2] > 0 && f[3] > 0 && profile->closed()) {
    const gp_Ax2 at(gp_Pnt(0, 0, 0.5 * thickness), gp_Dir(0, 0, 1));
    TopoDS_Shape hub = BRepPrimAPI_MakeCylinder(at, kToMm * f[2], kToMm * f[3]).Shape();
    if (bore > 0) hub = BRepAlgoAPI_Cut(hub, BRepPrimAPI_MakeCylinder(at, bore, kToMm * f[3]).Shape()).Shape();
    s = BRepAlgoAPI_Fuse(s, hub).Shape();
  }
  return s;
}

}  // namespace cooperage::shape
