// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/space_body.h"

#include <fmt/format.h>

#include <BRepAdaptor_Surface.hxx>
#include <BRepTools.hxx>
#include <BRepTopAdaptor_FClass2d.hxx>
#include <BRep_Tool.hxx>
#include <ElSLib.hxx>
#include <Geom2d_Curve.hxx>
#include <Standard_Failure.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Vertex.hxx>
#include <gp_Sphere.hxx>

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <mutex>
#include <optional>

#include "base/index.h"
#include "base/units.h"
#include "contact/per_solid.h"
#include "contact/spline_spans.h"
#include "shape/occt_units.h"
#include "shape/placement.h"

namespace cooperage::contact {
namespace {

constexpr double kTurn = 0.6;      // rad: how far the normal turns over a part of a face
constexpr double kSharp = 1e-7;    // rad: faces that meet at less go on into one another
constexpr double kNormals = 1e-9;  // cosine: how far a direction may lie beyond an edge's or corner's own

Vec3 metres(const gp_Pnt& p) { return shape::point(p); }
Vec3 metres(const gp_Vec& v) { return shape::kFromMm * Vec3(v.X(), v.Y(), v.Z()); }

/// Which places of a face's parameters have material.
class Trim {
 public:
  explicit Trim(const TopoDS_Face& face) : face_(face) {
    BRepTools::UVBounds(face, low_[0], high_[0], low_[1], high_[1]);
    // a face whose edges all lie on the ends of its parameters has no holes
    for (TopExp_Explorer e(face, TopAbs_EDGE); e.More() && plain_; e.Next()) {
      double first, last;
      const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(TopoDS::Edge(e.Current()), face, first, last);
      for (int i = 0; i <= 8 && plain_; ++i) {
        const gp_Pnt2d p = c.IsNull() ? gp_Pnt2d(low_[0], low_[1]) : c->Value(first + (last - first) * i / 8);
        const auto off = [&](double x, int k) {
          return std::min(std::abs(x - low_[k]), std::abs(x - high_[k])) > 1e-7 * (high_[k] - low_[k]);
        };
        plain_ = !(off(p.X(), 0) && off(p.Y(), 1));
      }
    }
    if (!plain_) classifier_ = std::make_unique<BRepTopAdaptor_FClass2d>(face_, 1e-9);
  }
  double low(int k) const { return low_[k]; }
  double high(int k) const { return high_[k]; }
  bool plain() const { return plain_; }
  bool covers(double u, double v) const {
    if (plain_) return true;
    const std::lock_guard lock(mutex_);
    const TopAbs_State s = classifier_->Perform(gp_Pnt2d(u, v), Standard_True);
    return s == TopAbs_IN || s == TopAbs_ON;
  }

 private:
  TopoDS_Face face_;
  double low_[2], high_[2];
  bool plain_ = true;
  std::unique_ptr<BRepTopAdaptor_FClass2d> classifier_;
  mutable std::mutex mutex_;
};

class FaceManifold final : public Manifold {
 public:
  FaceManifold(const Handle(Geom_Surface) & surface, std::shared_ptr<const Trim> trim)
      : surface_(surface), trim_(std::move(trim)) {}
  void at(const double* x, SpacePoint& out) const override {
    gp_Pnt p;
    gp_Vec u, v, uu, vv, uv;
    surface_.at(x[0], x[1], p, u, v, uu, vv, uv);
    out.x = metres(p);
    out.d[0] = metres(u);
    out.d[1] = metres(v);
    out.dd[0] = metres(uu);
    out.dd[1] = metres(uv);
    out.dd[2] = metres(vv);
  }
  bool covers(const double* x) const override { return trim_->covers(x[0], x[1]); }
  /// Outward normal; zero where the surface has none.
  Vec3 normal(double sense, double u, double v) const {
    gp_Pnt p;
    gp_Vec du, dv;
    surface_.at(u, v, p, du, dv);
    const Vec3 n = metres(du).cross(metres(dv));
    const double size = n.norm();
    return size > 1e-9 * metres(du).norm() * metres(dv).norm() && size > 0 ? Vec3(sense * n / size) : Vec3(0, 0, 0);
  }

 private:
  SpanSurface surface_;
  std::shared_ptr<const Trim> trim_;
};

/// A face beside an edge.
struct Beside {
  std::shared_ptr<const FaceManifold> face;
  double sense = 1;
  Handle(Geom2d_Curve) curve;  // the edge in the face's parameters
  double along = 1;            // the edge's way round the face
};

class EdgeManifold final : public Manifold {
 public:
  EdgeManifold(const Handle(Geom_Curve) & curve, std::array<Beside, 2> sides)
      : curve_(curve), sides_(std::move(sides)) {}
  void at(const double* x, SpacePoint& out) const override {
    gp_Pnt p;
    gp_Vec d, dd;
    curve_.at(x[0], p, d, dd);
    out.x = metres(p);
    out.d[0] = metres(d);
    out.dd[0] = metres(dd);
  }
  bool faces(const double* x, const Vec3& direction) const override {
    for (const Beside& s : sides_) {
      Vec3 n, inward;
      look(s, x[0], n, inward);
      if (inward.dot(direction) > kNormals) return false;
    }
    return true;
  }
  /// Normal of a face at the edge, and the way from the edge into the face.
  void look(const Beside& s, double at, Vec3& n, Vec3& inward) const {
    const gp_Pnt2d uv = s.curve->Value(at);
    n = s.face->normal(s.sense, uv.X(), uv.Y());
    gp_Pnt p;
    gp_Vec d, dd;
    curve_.at(at, p, d, dd);
    inward = n.cross(s.along * metres(d)).normalized();
  }
  const std::array<Beside, 2>& sides() const { return sides_; }

 private:
  SpanCurve curve_;
  std::array<Beside, 2> sides_;
};

class CornerManifold final : public Manifold {
 public:
  CornerManifold(const Vec3& at, std::vector<Vec3> edges) : at_(at), edges_(std::move(edges)) {}
  void at(const double*, SpacePoint& out) const override { out.x = at_; }
  bool faces(const double*, const Vec3& direction) const override {
    return std::none_of(edges_.begin(), edges_.end(), [&](const Vec3& e) { return e.dot(direction) > kNormals; });
  }

 private:
  Vec3 at_;
  std::vector<Vec3> edges_;  // their directions away from the corner
};

class BallManifold final : public Manifold {
 public:
  BallManifold(const gp_Sphere& sphere, std::shared_ptr<const Trim> trim) : sphere_(sphere), trim_(std::move(trim)) {}
  void at(const double*, SpacePoint& out) const override { out.x = metres(sphere_.Location()); }
  bool faces(const double*, const Vec3& direction) const override {
    if (trim_->plain() && trim_->high(0) - trim_->low(0) > 2 * kPi - 1e-9 &&
        trim_->high(1) - trim_->low(1) > kPi - 1e-9)
      return true;
    const gp_Pnt at =
        sphere_.Location().Translated(sphere_.Radius() * gp_Vec(direction.x(), direction.y(), direction.z()));
    double a, b;
    ElSLib::Parameters(sphere_, at, a, b);
    if (!trim_->plain()) return trim_->covers(a, b);
    while (a < trim_->low(0) - kNormals) a += 2 * kPi;
    return a <= trim_->high(0) + kNormals && b >= trim_->low(1) - kNormals && b <= trim_->high(1) + kNormals;
  }

 private:
  gp_Sphere sphere_;
  std::shared_ptr<const Trim> trim_;
};

/// The box along the axes of the places' scatter.
void boxAround(SpaceFeature& f, const std::vector<Vec3>& places) {
  Vec3 mean = Vec3::Zero();
  for (const Vec3& p : places) mean += p / static_cast<double>(places.size());
  Mat3 scatter = Mat3::Zero();
  for (const Vec3& p : places) scatter += (p - mean) * (p - mean).transpose();
  f.boxAxes = Eigen::SelfAdjointEigenSolver<Mat3>(scatter).eigenvectors();
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const Vec3& p : places) {
    low = low.cwiseMin(f.boxAxes.transpose() * p);
    high = high.cwiseMax(f.boxAxes.transpose() * p);
  }
  f.boxCentre = f.boxAxes * (0.5 * (low + high));
  f.boxHalf = 0.5 * (high - low);
}

/// A cone, a box and a sphere that hold places with their normals.
void enclose(SpaceFeature& f, const std::vector<Vec3>& places, const std::vector<Vec3>& normals) {
  Vec3 low = places.front(), high = low, mean = Vec3::Zero();
  for (const Vec3& p : places) {
    low = low.cwiseMin(p);
    high = high.cwiseMax(p);
  }
  boxAround(f, places);
  f.centre = 0.5 * (low + high);
  f.bound = 0;
  for (const Vec3& p : places) f.bound = std::max(f.bound, (p - f.centre).norm());
  for (const Vec3& n : normals) mean += n;
  f.half = kPi;
  if (mean.norm() < 1e-6) return;
  f.axis = mean.normalized();
  f.half = 0;
  for (const Vec3& n : normals)
    if (n.squaredNorm() > 0) f.half = std::max(f.half, angleBetween(n, f.axis));
}

class Maker {
 public:
  explicit Maker(const TopoDS_Shape& shape) : shape_(shape) {}
  SpaceBody make() {
    TopExp::MapShapes(shape_, TopAbs_FACE, faces_);
    for (int i = 1; i <= faces_.Extent(); ++i) face(TopoDS::Face(faces_(i)));
    edges();
    out_.surfaces = FeatureTree(out_.features, surfaces_);
    out_.sharp = FeatureTree(out_.features, sharp_);
    measure();
    return std::move(out_);
  }

 private:
  void add(SpaceFeature f, std::vector<int>& list) {
    list.push_back(static_cast<int>(out_.features.size()));
    out_.features.push_back(std::move(f));
  }

  void face(const TopoDS_Face& face) {
    const Handle(Geom_Surface) surface = BRep_Tool::Surface(face);
    const auto trim = std::make_shared<const Trim>(face);
    const auto manifold = std::make_shared<const FaceManifold>(surface, trim);
    double sense = face.Orientation() == TopAbs_REVERSED ? -1 : 1;
    known_.push_back({manifold, sense});
    const int source = source_++;
    const BRepAdaptor_Surface adaptor(face);
    if (adaptor.GetType() == GeomAbs_Sphere) {
      const gp_Sphere sphere = adaptor.Sphere();
      // d0 x d1 of a sphere of right-handed axes points outwards
      if ((sense > 0) == sphere.Direct()) {
        SpaceFeature f;
        f.source = source;
        f.of = std::make_shared<const BallManifold>(sphere, trim);
        f.radius = sphere.Radius() * shape::kFromMm;
        f.centre = metres(sphere.Location());
        f.bound = f.radius;
        f.boxCentre = f.centre;
        f.boxHalf = Vec3::Constant(f.radius);
        f.half = kPi;
        add(std::move(f), surfaces_);
        return;
      }
    }
    split(manifold, *trim, sense, source, {trim->low(0), trim->low(1)}, {trim->high(0), trim->high(1)}, 0);
  }

  /// Parts of a face, halved until the normal turns little over each.
  void split(const std::shared_ptr<const FaceManifold>& m, const Trim& trim, double sense, int source,
             const std::array<double, 2>& low, const std::array<double, 2>& high, int depth) {
    constexpr int n = 4;
    std::vector<Vec3> places, normals;
    bool covered = trim.plain();
    double turnU = 0, turnV = 0, spacing = 0;
    for (int i = 0; i <= n; ++i)
      for (int k = 0; k <= n; ++k) {
        const double x[2] = {low[0] + (high[0] - low[0]) * i / n, low[1] + (high[1] - low[1]) * k / n};
        SpacePoint p;
        m->at(x, p);
        places.push_back(p.x);
        normals.push_back(m->normal(sense, x[0], x[1]));
        covered = covered || trim.covers(x[0], x[1]);
      }
    const auto index = [&](int i, int k) { return u(i * (n + 1) + k); };
    for (int i = 0; i <= n; ++i)
      for (int k = 0; k < n; ++k) {
        const auto step = [&](std::size_t a, std::size_t b, double& turn) {
          if (normals[a].squaredNorm() > 0 && normals[b].squaredNorm() > 0)
            turn = std::max(turn, n * angleBetween(normals[a], normals[b]));
          spacing = std::max(spacing, (places[a] - places[b]).norm());
        };
        step(index(i, k), index(i, k + 1), turnV);
        step(index(k, i), index(k + 1, i), turnU);
      }
    if (std::max(turnU, turnV) > kTurn && depth < 16) {
      const std::size_t d = turnU >= turnV ? 0 : 1;
      const double mid = 0.5 * (low[d] + high[d]);
      std::array<double, 2> lower = high, upper = low;
      lower[d] = upper[d] = mid;
      split(m, trim, sense, source, low, lower, depth + 1);
      split(m, trim, sense, source, upper, high, depth + 1);
      return;
    }
    if (!covered && !reached(trim, low, high)) return;
    SpaceFeature f;
    f.dim = 2;
    f.source = source;
    f.of = m;
    f.sense = sense;
    for (std::size_t d = 0; d < 2; ++d) {
      f.low[d] = low[d];
      f.high[d] = high[d];
    }
    enclose(f, places, normals);
    // between the places that were looked at
    const double turn = std::max(turnU, turnV);
    f.bound += 0.25 * spacing * std::min(1.0, turn);
    f.boxHalf += Vec3::Constant(0.25 * spacing * std::min(1.0, turn));
    f.half = std::min(kPi, f.half + 0.25 * turn + 1e-6);
    add(std::move(f), surfaces_);
  }
  /// Does a part with no material at the places that were looked at have some beside an edge?
  static bool reached(const Trim& trim, const std::array<double, 2>& low, const std::array<double, 2>& high) {
    constexpr int n = 24;
    for (int i = 0; i <= n; ++i)
      for (int k = 0; k <= n; ++k)
        if (trim.covers(low[0] + (high[0] - low[0]) * i / n, low[1] + (high[1] - low[1]) * k / n)) return true;
    return false;
  }

  void edges() {
    TopTools_IndexedDataMapOfShapeListOfShape around;
    TopExp::MapShapesAndAncestors(shape_, TopAbs_EDGE, TopAbs_FACE, around);
    std::map<int, std::vector<Vec3>> directions;  // of the edges at a corner
    std::map<int, std::vector<Vec3>> normals;
    std::map<int, bool> outward;
    TopTools_IndexedMapOfShape vertices;
    TopExp::MapShapes(shape_, TopAbs_VERTEX, vertices);
    for (int e = 1; e <= around.Extent(); ++e) {
      const TopoDS_Edge edge = TopoDS::Edge(around.FindKey(e));
      if (BRep_Tool::Degenerated(edge)) continue;
      double first = 0, last = 0;
      const Handle(Geom_Curve) curve = BRep_Tool::Curve(edge, first, last);
      if (curve.IsNull() || !(last > first)) continue;
      const auto sides = beside(edge, around(e));
      if (!sides) continue;
      const auto m = std::make_shared<const EdgeManifold>(curve, *sides);
      const int source = source_++;
      const bool sharp = edgeParts(m, source, first, last);
      // at its ends
      for (const bool atEnd : {false, true}) {
        TopoDS_Vertex from, to;
        TopExp::Vertices(TopoDS::Edge(edge.Oriented(TopAbs_FORWARD)), from, to);
        const int v = vertices.FindIndex(atEnd ? to : from);
        if (v == 0) continue;
        const double s = atEnd ? last : first;
        SpacePoint p;
        m->at(&s, p);
        directions[v].push_back((atEnd ? -1 : 1) * p.d[0].normalized());
        for (const Beside& b : *sides) {
          Vec3 n, inward;
          m->look(b, s, n, inward);
          normals[v].push_back(n);
        }
        outward[v] = outward[v] || sharp;
      }
    }
    for (const auto& [v, list] : directions) {
      if (!outward[v]) continue;
      SpaceFeature f;
      f.source = source_++;
      const Vec3 at = metres(BRep_Tool::Pnt(TopoDS::Vertex(vertices(v))));
      f.of = std::make_shared<const CornerManifold>(at, list);
      enclose(f, {at}, normals[v]);
      if (f.half > 0.45 * kPi) f.half = kPi;  // what lies between normals so far apart may lie beyond them
      add(std::move(f), sharp_);
    }
  }

  /// The two faces of an edge; none of an edge that has not two.
  std::optional<std::array<Beside, 2>> beside(const TopoDS_Edge& edge, const TopTools_ListOfShape& list) const {
    std::vector<Beside> found;
    for (const TopoDS_Shape& s : list) {
      const TopoDS_Face face = TopoDS::Face(s);
      const int index = faces_.FindIndex(face);
      if (index == 0) return {};
      for (TopExp_Explorer x(face, TopAbs_EDGE); x.More(); x.Next()) {
        if (!x.Current().IsSame(edge)) continue;
        const TopoDS_Edge here = TopoDS::Edge(x.Current());
        double first, last;
        Beside b;
        b.curve = BRep_Tool::CurveOnSurface(here, face, first, last);
        if (b.curve.IsNull()) return {};
        std::tie(b.face, b.sense) = known_[u(index - 1)];
        b.along = here.Orientation() == TopAbs_REVERSED ? -1 : 1;
        if (found.size() < 2) found.push_back(b);
      }
    }
    if (found.size() != 2) return {};
    return std::array<Beside, 2>{found[0], found[1]};
  }

  /// Parts of an edge that point outwards. @return whether there are any
  bool edgeParts(const std::shared_ptr<const EdgeManifold>& m, int source, double first, double last) {
    bool any = false;
    const auto part = [&](auto& self, double low, double high, int depth) -> void {
      constexpr int n = 4;
      std::vector<Vec3> places, normals;
      Vec3 tangents[n + 1];
      bool sharp = false;
      double turn = 0, spacing = 0;
      for (int i = 0; i <= n; ++i) {
        const double s = low + (high - low) * i / n;
        SpacePoint p;
        m->at(&s, p);
        places.push_back(p.x);
        tangents[i] = p.d[0].normalized();
        Vec3 n0, n1, in0, in1;
        m->look(m->sides()[0], s, n0, in0);
        m->look(m->sides()[1], s, n1, in1);
        // outwards: the other face falls away behind the plane of the one
        if (n1.dot(in0) < 0 && angleBetween(n0, n1) > kSharp) sharp = true;
        if (i > 0) {
          turn += angleBetween(tangents[i - 1], tangents[i]);
          spacing = std::max(spacing, (places[u(i)] - places[u(i - 1)]).norm());
          turn = std::max(turn, angleBetween(normals[normals.size() - 2], n0));
        }
        normals.push_back(n0);
        normals.push_back(n1);
      }
      if (!sharp) return;
      if (turn > kTurn && depth < 12) {
        self(self, low, 0.5 * (low + high), depth + 1);
        self(self, 0.5 * (low + high), high, depth + 1);
        return;
      }
      SpaceFeature f;
      f.dim = 1;
      f.source = source;
      f.of = m;
      f.low[0] = low;
      f.high[0] = high;
      enclose(f, places, normals);
      f.bound += 0.25 * spacing * std::min(1.0, turn);
      f.boxHalf += Vec3::Constant(0.25 * spacing * std::min(1.0, turn));
      f.boxHalf += Vec3::Constant(0.25 * spacing * std::min(1.0, turn));
      f.half = f.half > 0.45 * kPi ? kPi : std::min(kPi, f.half + 0.25 * turn + 1e-6);
      add(std::move(f), sharp_);
      any = true;
    };
    part(part, first, last, 0);
    return any;
  }

  /// Volume, its first and second moments by the triangles; thickness by rays from the middles of all parts of faces.
  void measure() {
    auto mesh = shape::displayMesh(shape_);
    if (!mesh) {
      Vec3 low = Vec3::Constant(1e300), high = -low;
      for (const SpaceFeature& f : out_.features) {
        low = low.cwiseMin(f.centre - Vec3::Constant(f.bound));
        high = high.cwiseMax(f.centre + Vec3::Constant(f.bound));
      }
      auto made = shape::tessellate(shape_, 2e-3 * (high - low).norm());
      if (made.ok()) mesh = std::move(made).value();
    }
    if (!mesh) return;
    const Vec3 o = mesh->vertices.front();
    Vec3 first = Vec3::Zero();
    Mat3 second = Mat3::Zero();
    std::vector<std::array<Vec3, 3>> triangles;
    for (const auto& t : mesh->triangles) {
      const Vec3 a = mesh->vertices[u(t[0])] - o, b = mesh->vertices[u(t[1])] - o, c = mesh->vertices[u(t[2])] - o;
      triangles.push_back({a, b, c});
      const double v = a.dot(b.cross(c)) / 6;
      const Vec3 s = a + b + c;
      out_.volume += v;
      first += v / 4 * s;
      second += v / 20 * (s * s.transpose() + a * a.transpose() + b * b.transpose() + c * c.transpose());
    }
    const Vec3 mid = first / out_.volume;
    const Mat3 spread = second / out_.volume - mid * mid.transpose();
    out_.second = spread.trace() * Mat3::Identity() - spread;
    out_.centroid = mid + o;
    for (const Vec3& x : mesh->vertices) out_.reach = std::max(out_.reach, (x - out_.centroid).norm());
    out_.reach *= 1 + 2e-3;  // surfaces bulge out of their triangles
    out_.thinnest = 2 * out_.reach;
    for (const int i : surfaces_) {
      const SpaceFeature& f = out_.features[u(i)];
      if (f.dim < 2) {
        out_.thinnest = std::min(out_.thinnest, 2 * f.radius);
        continue;
      }
      const double x[2] = {0.5 * (f.low[0] + f.high[0]), 0.5 * (f.low[1] + f.high[1])};
      if (!f.of->covers(x)) continue;
      SpacePoint p;
      f.of->at(x, p);
      const Vec3 n = f.sense * p.d[0].cross(p.d[1]);
      if (!(n.norm() > 0)) continue;
      out_.thinnest = std::min(out_.thinnest, through(triangles, p.x - o, -n.normalized()));
    }
  }
  /// How far a ray goes through the material until it comes out (Moeller and Trumbore 1997).
  double through(const std::vector<std::array<Vec3, 3>>& triangles, const Vec3& from, const Vec3& along) const {
    double least = 2 * out_.reach;
    const double skip = 2e-3 * out_.reach;  // the triangles under the place itself
    for (const auto& [a, b, c] : triangles) {
      const Vec3 e1 = b - a, e2 = c - a, h = along.cross(e2);
      const double det = e1.dot(h);
      if (e1.cross(e2).dot(along) <= 0 || std::abs(det) < 1e-30) continue;
      const Vec3 s = from - a, q = s.cross(e1);
      const double x = s.dot(h) / det, y = along.dot(q) / det;
      if (x < 0 || y < 0 || x + y > 1) continue;
      const double t = e2.dot(q) / det;
      if (t > skip && t < least) least = t;
    }
    return least;
  }

  TopoDS_Shape shape_;
  SpaceBody out_;
  TopTools_IndexedMapOfShape faces_;
  std::vector<std::pair<std::shared_ptr<const FaceManifold>, double>> known_;
  std::vector<int> surfaces_, sharp_;
  int source_ = 0;
};

}  // namespace

Result<std::shared_ptr<const SpaceBody>> spaceBodyOf(const shape::SolidPtr& solid, const Pose& placement) {
  static PerSolid<SpaceBody> known;
  if (auto body = known.find(solid, placement)) return body;
  try {
    for (TopExp_Explorer e(solid->shape, TopAbs_FACE); e.More(); e.Next())
      if (BRep_Tool::Surface(TopoDS::Face(e.Current())).IsNull())
        return Error{"surface", "", "it consists of triangles, which have no exact faces"};
    SpaceBody made = Maker(solid->shape.Moved(TopLoc_Location(shape::toTrsf(placement)))).make();
    if (made.surfaces.nodes().empty() || !(made.volume > 0)) return Error{"surface", "", "it has no faces to touch"};
    return known.keep(solid, placement, std::move(made));
  } catch (const Standard_Failure& f) {
    return Error{"surface", "", fmt::format("its faces can't be used: {}", f.GetMessageString())};
  }
}

}  // namespace cooperage::contact
