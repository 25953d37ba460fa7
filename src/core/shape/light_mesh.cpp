// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/light_mesh.h"

#include <meshoptimizer.h>

#include <BRep_Tool.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_MapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <algorithm>
#include <cmath>

namespace cooperage::shape {
namespace {

using Point = LightMesh::Point;

constexpr std::size_t kFew = 100;       // triangles: no use in making them fewer
constexpr double kLighter = 0.6;        // of the triangles: more left than these is no gain
constexpr double kEdgeShare = 0.005;    // of the size: what edges may be off
constexpr float kSurfaceShare = 0.01F;  // the same of surfaces
constexpr float kNoArea = 1e-9F;        // mm^2

Point pointOf(const gp_Pnt& p) {
  return {static_cast<float>(p.X()), static_cast<float>(p.Y()), static_cast<float>(p.Z())};
}
Point minus(const Point& a, const Point& b) { return {a[0] - b[0], a[1] - b[1], a[2] - b[2]}; }
Point cross(const Point& a, const Point& b) {
  return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}
float norm(const Point& a) { return std::sqrt(a[0] * a[0] + a[1] * a[1] + a[2] * a[2]); }

/// Triangles of a face with normals of its own, so that its edges stay sharp.
void addFace(const TopoDS_Face& face, const Poly_Triangulation& tri, const gp_Trsf& place, LightMesh& out) {
  const auto first = static_cast<unsigned>(out.points.size());
  for (int i = 1; i <= tri.NbNodes(); ++i) out.points.push_back(pointOf(tri.Node(i).Transformed(place)));
  out.normals.resize(out.points.size(), Point{0, 0, 0});
  for (int i = 1; i <= tri.NbTriangles(); ++i) {
    int a = 0, b = 0, c = 0;
    tri.Triangle(i).Get(a, b, c);
    if (face.Orientation() == TopAbs_REVERSED) std::swap(b, c);
    const std::array<unsigned, 3> t{first + static_cast<unsigned>(a) - 1, first + static_cast<unsigned>(b) - 1,
                                    first + static_cast<unsigned>(c) - 1};
    const Point n = cross(minus(out.points[t[1]], out.points[t[0]]), minus(out.points[t[2]], out.points[t[0]]));
    if (norm(n) < kNoArea) continue;  // at the pole of a ball
    for (const unsigned k : t) {
      out.triangles.push_back(k);
      for (std::size_t x = 0; x < 3; ++x) out.normals[k][x] += n[x];
    }
  }
}

/// Leaves out points of a line that lie nearer to it than the tolerance (Douglas and Peucker 1973).
void thin(const std::vector<Point>& line, std::size_t from, std::size_t to, float tolerance, std::vector<Point>& out) {
  const Point d = minus(line[to], line[from]);
  const float length = norm(d);
  float most = 0;
  std::size_t at = from;
  for (std::size_t k = from + 1; k < to; ++k) {
    const Point v = minus(line[k], line[from]);
    const float off = length > 0 ? norm(cross(d, v)) / length : norm(v);
    if (off <= most) continue;
    most = off;
    at = k;
  }
  if (most > tolerance) {
    thin(line, from, at, tolerance, out);
    thin(line, at, to, tolerance, out);
  } else {
    out.push_back(line[to]);
  }
}

void addEdges(const TopoDS_Face& face, const Handle(Poly_Triangulation) & tri, const TopLoc_Location& location,
              float tolerance, TopTools_MapOfShape& done, LightMesh& out) {
  for (TopExp_Explorer e(face, TopAbs_EDGE); e.More(); e.Next()) {
    const TopoDS_Edge& edge = TopoDS::Edge(e.Current());
    if (BRep_Tool::Degenerated(edge) || !done.Add(edge)) continue;
    const auto on = BRep_Tool::PolygonOnTriangulation(edge, tri, location);
    if (on.IsNull() || on->NbNodes() < 2) continue;
    std::vector<Point> line, kept;
    for (int k = 1; k <= on->NbNodes(); ++k)
      line.push_back(pointOf(tri->Node(on->Node(k)).Transformed(location.Transformation())));
    kept.push_back(line.front());
    thin(line, 0, line.size() - 1, tolerance, kept);
    out.edges.push_back(std::move(kept));
  }
}

/// Fewer triangles; points that none of them uses go.
void simplify(LightMesh& mesh) {
  const float scale = meshopt_simplifyScale(mesh.points.data()->data(), mesh.points.size(), sizeof(Point));
  std::vector<unsigned> fewer(mesh.triangles.size());
  float error = 0;
  fewer.resize(meshopt_simplify(fewer.data(), mesh.triangles.data(), mesh.triangles.size(), mesh.points.data()->data(),
                                mesh.points.size(), sizeof(Point), 0, kSurfaceShare, 0, &error));
  mesh.error = static_cast<double>(error * scale);
  std::vector<unsigned> place(mesh.points.size(), ~0U);
  LightMesh kept;
  for (unsigned& k : fewer) {
    if (place[k] == ~0U) {
      place[k] = static_cast<unsigned>(kept.points.size());
      kept.points.push_back(mesh.points[k]);
      kept.normals.push_back(mesh.normals[k]);
    }
    k = place[k];
  }
  mesh.points = std::move(kept.points);
  mesh.normals = std::move(kept.normals);
  mesh.triangles = std::move(fewer);
}

}  // namespace

LightMeshPtr lightMesh(const TopoDS_Shape& shape) {
  auto out = std::make_shared<LightMesh>();
  for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next()) {
    TopLoc_Location location;
    const auto tri = BRep_Tool::Triangulation(TopoDS::Face(e.Current()), location);
    if (tri.IsNull()) return nullptr;
    addFace(TopoDS::Face(e.Current()), *tri, location.Transformation(), *out);
  }
  out->fullSize = static_cast<long>(out->triangles.size() / 3);
  if (out->triangles.size() < 3 * kFew) return nullptr;
  simplify(*out);
  if (static_cast<double>(out->triangles.size()) > kLighter * 3 * static_cast<double>(out->fullSize)) return nullptr;
  for (Point& n : out->normals)
    if (const float length = norm(n); length > 0)
      for (float& x : n) x /= length;
  Point low = out->points.front(), high = low;
  for (const Point& p : out->points)
    for (std::size_t x = 0; x < 3; ++x) {
      low[x] = std::min(low[x], p[x]);
      high[x] = std::max(high[x], p[x]);
    }
  TopTools_MapOfShape done;
  for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next()) {
    TopLoc_Location location;
    const auto tri = BRep_Tool::Triangulation(TopoDS::Face(e.Current()), location);
    addEdges(TopoDS::Face(e.Current()), tri, location, static_cast<float>(kEdgeShare) * norm(minus(high, low)), done,
             *out);
  }
  return out;
}

}  // namespace cooperage::shape
