// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/convex.h"

#include <algorithm>

#include "clearance/triangles.h"

namespace cooperage::clearance {

using model::BodyKind;

Vec3 Convex::support(const Vec3& d) const {
  const Eigen::Vector2d flat(d.x(), d.y());
  const Eigen::Vector2d* best = &corners.front();
  for (const auto& c : corners)
    if (c.dot(flat) > best->dot(flat)) best = &c;
  Vec3 p(best->x(), best->y(), d.z() >= 0 ? half : -half);
  const double length = flat.norm();
  if (rim > 0 && length > 0) p.head<2>() += rim / length * flat;
  return p;
}

double Convex::signedDistance(const Vec3& point) const { return ownSignedDistance(placement.inverse() * point); }

std::pair<Vec3, Vec3> Convex::ownBox() const {
  Eigen::Vector2d low = corners.front(), high = low;
  for (const auto& x : corners) {
    low = low.cwiseMin(x);
    high = high.cwiseMax(x);
  }
  const Vec3 more(rim + ball, rim + ball, half + ball);
  return {Vec3(low.x(), low.y(), 0) - more, Vec3(high.x(), high.y(), 0) + more};
}

/// From the middle line of a cylinder or a bar to a place, square to z.
static Eigen::Vector2d across(const Convex& c, const Vec3& p) {
  const Eigen::Vector2d flat = p.head<2>(), a = c.corners.front(), d = c.corners.back() - a;
  const double length2 = d.squaredNorm();
  const double t = length2 > 0 ? std::clamp((flat - a).dot(d) / length2, 0.0, 1.0) : 0;
  return flat - a - t * d;
}

double Convex::ownSignedDistance(const Vec3& p) const {
  if (corners.size() == 1 && rim == 0) return p.norm() - ball;
  if (corners.size() <= 2) {
    const Eigen::Vector2d q(across(*this, p).norm() - rim, std::abs(p.z()) - half);
    return q.cwiseMax(0.0).norm() + std::min(0.0, q.maxCoeff());
  }
  const Vec3 q = p.cwiseAbs() - Vec3(std::abs(corners[0].x()), std::abs(corners[0].y()), half);
  return q.cwiseMax(0.0).norm() + std::min(0.0, q.maxCoeff());
}

/// Nearest point of the core to a point, both in its own axes.
static Vec3 nearestOfCore(const Convex& c, const Vec3& p) {
  Eigen::Vector2d low = c.corners.front(), high = low;  // the corners span a point, a segment or a rectangle along x, y
  for (const auto& x : c.corners) {
    low = low.cwiseMin(x);
    high = high.cwiseMax(x);
  }
  const Eigen::Vector2d flat = p.head<2>(), on = flat.cwiseMax(low).cwiseMin(high), out = flat - on;
  const double d = out.norm();
  Vec3 q;
  q.head<2>() = d <= c.rim ? flat : Eigen::Vector2d(on + c.rim / d * out);
  q.z() = std::clamp(p.z(), -c.half, c.half);
  return q;
}

Vec3 Convex::outward(const Vec3& point) const { return placement.R * ownOutward(placement.inverse() * point); }

Vec3 Convex::ownOutward(const Vec3& p) const {
  if (corners.size() == 1 && rim == 0) return p.norm() > 0 ? Vec3(p.normalized()) : Vec3::UnitX();
  Vec3 q = p.cwiseAbs() - Vec3(std::abs(corners[0].x()), std::abs(corners[0].y()), half);
  Vec3 sides[3] = {Vec3::UnitX(), Vec3::UnitY(), Vec3::UnitZ()};
  for (int k = 0; k < 3; ++k)
    if (p[k] < 0) sides[k] = -sides[k];
  if (corners.size() <= 2) {  // radius in place of x and y
    const Eigen::Vector2d out = across(*this, p);
    const double r = out.norm();
    q = Vec3(r - rim, -1e300, std::abs(p.z()) - half);
    if (r > 0) sides[0] = Vec3(out.x() / r, out.y() / r, 0);
  }
  Vec3 n = Vec3::Zero();
  for (int k = 0; k < 3; ++k)
    if (q[k] > 0) n += q[k] * sides[k];
  if (n.squaredNorm() > 0) return n.normalized();
  Eigen::Index nearest = 0;
  q.maxCoeff(&nearest);
  return sides[nearest];
}

double Convex::coreDistance(const Vec3& point) const {
  const Vec3 p = placement.inverse() * point;
  return (nearestOfCore(*this, p) - p).norm();
}

bool Convex::inHole(const Vec3& point, double tolerance) const {
  if (holes.empty()) return false;
  const Vec3 p = placement.inverse() * point;
  return std::any_of(holes.begin(), holes.end(),
                     [&](const Vec3& h) { return (p.head<2>() - h.head<2>()).norm() < h.z() + tolerance; });
}

std::optional<Convex> convexOf(const model::Resolved::BodyR& body) {
  if (!body.cuts.empty()) return {};
  Convex c;
  c.placement = body.placement;
  const auto& f = body.figures;
  switch (body.kind) {
    case BodyKind::box:
      for (const double x : {-0.5, 0.5})
        for (const double y : {-0.5, 0.5}) c.corners.emplace_back(x * f[0], y * f[1]);
      c.half = 0.5 * f[2];
      return c;
    case BodyKind::cylinder:
      c.corners.emplace_back(0, 0);
      c.rim = f[0];
      c.half = 0.5 * f[1];
      return c;
    case BodyKind::sphere:
      c.corners.emplace_back(0, 0);
      c.ball = f[0];
      return c;
    case BodyKind::bar:  // length, width, thickness, bore
      c.corners.emplace_back(0, 0);
      c.corners.emplace_back(f[0], 0);
      c.rim = 0.5 * f[1];
      c.half = 0.5 * f[2];
      if (f[3] > 0)
        for (const double x : {0.0, f[0]}) c.holes.emplace_back(x, 0, 0.5 * f[3]);
      return c;
    default: return {};
  }
}

namespace {

constexpr double kOverlap = -1e300;
constexpr double kCertain = 1e-12;  // of size: what both bounds of a distance may be apart
constexpr double kAtWorst = 1e-10;  // the same, where rounding keeps them farther apart

/// Points of the difference of two cores, with where they came from.
struct Corner {
  Vec3 w = Vec3::Zero(), a = Vec3::Zero(), b = Vec3::Zero();
};
struct Simplex {
  Corner p[4];
  int n = 0;
};

Vec3 nearestOnSegment(const Corner& p, const Corner& q, int& feature) {
  const Vec3 d = q.w - p.w;
  const double t = -p.w.dot(d) / std::max(d.squaredNorm(), 1e-300);
  feature = t <= 0 ? 0 : t >= 1 ? 1 : 3;
  return p.w + std::clamp(t, 0.0, 1.0) * d;
}

/// Point of the simplex nearest to the origin; keeps the corners that carry it.
/// @return false if the origin is inside
bool reduce(Simplex& s, Vec3& v) {
  if (s.n == 1) {
    v = s.p[0].w;
    return true;
  }
  if (s.n == 2) {
    int f = 0;
    v = nearestOnSegment(s.p[0], s.p[1], f);
    if (f < 2) {
      s.p[0] = s.p[f];
      s.n = 1;
    }
    return true;
  }
  const auto face = [](const Corner& a, const Corner& b, const Corner& c, Simplex& out) {
    int f = 6;
    const Vec3 x = nearestOnTriangle(Vec3::Zero(), a.w, b.w, c.w, f);
    const Corner* all[3] = {&a, &b, &c};
    if (f < 3) {
      out.p[0] = *all[f];
      out.n = 1;
    } else if (f < 6) {
      out.p[0] = *all[f - 3];
      out.p[1] = *all[(f - 2) % 3];
      out.n = 2;
    } else {
      out.p[0] = a;
      out.p[1] = b;
      out.p[2] = c;
      out.n = 3;
    }
    return x;
  };
  if (s.n == 3) {
    const Simplex was = s;
    v = face(was.p[0], was.p[1], was.p[2], s);
    return true;
  }
  // A tetrahedron that rounding can't tell from a flat one holds nothing: the nearest of its faces is taken.
  static const int kFaces[4][4] = {{0, 1, 2, 3}, {0, 3, 1, 2}, {0, 2, 3, 1}, {1, 3, 2, 0}};
  const Simplex was = s;
  const Vec3 e = was.p[1].w - was.p[0].w, f = was.p[2].w - was.p[0].w, g = was.p[3].w - was.p[0].w;
  const double volume = std::abs(e.cross(f).dot(g));
  double size = 0;  // of the figures that the volume was worked out from
  for (const Corner& c : was.p) size = std::max(size, c.w.cwiseAbs().maxCoeff());
  const double area = std::max({e.cross(f).norm(), f.cross(g).norm(), g.cross(e).norm()});
  const bool flat = !(volume > 1e-13 * size * area);
  double best = 1e300;
  bool outside = false;
  for (const auto& at : kFaces) {
    const Corner &a = was.p[at[0]], &b = was.p[at[1]], &c = was.p[at[2]], &d = was.p[at[3]];
    const Vec3 n = (b.w - a.w).cross(c.w - a.w);
    const double other = n.dot(d.w - a.w), origin = -n.dot(a.w);
    if (!flat && origin * other > 0) continue;  // on the inner side of this face
    outside = true;
    Simplex t;
    const Vec3 x = face(a, b, c, t);
    if (x.squaredNorm() < best) {
      best = x.squaredNorm();
      v = x;
      s = t;
    }
  }
  return outside;
}

/// Shares of the corners in a point of their simplex.
void shares(const Simplex& s, const Vec3& v, double* out) {
  if (s.n == 1) {
    out[0] = 1;
  } else if (s.n == 2) {
    const Vec3 d = s.p[1].w - s.p[0].w;
    out[1] = d.squaredNorm() > 0 ? std::clamp((v - s.p[0].w).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0;
    out[0] = 1 - out[1];
  } else {
    const Vec3 n = (s.p[1].w - s.p[0].w).cross(s.p[2].w - s.p[0].w);
    const double nn = std::max(n.squaredNorm(), 1e-300);
    out[1] = (v - s.p[0].w).cross(s.p[2].w - s.p[0].w).dot(n) / nn;
    out[2] = (s.p[1].w - s.p[0].w).cross(v - s.p[0].w).dot(n) / nn;
    out[0] = 1 - out[1] - out[2];
  }
}

/// Corners so near one another that a share of one is a share of the other.
bool shaky(const Simplex& s) {
  for (int i = 0; i < s.n; ++i)
    for (int k = 0; k < i; ++k)
      if ((s.p[i].w - s.p[k].w).squaredNorm() < 1e-8 * s.p[i].w.squaredNorm()) return true;
  return false;
}

/// One descent from a start direction. @param gapLeft how far upper and lower bound still are apart at its end
ConvexGap descend(const Convex& ca, const Convex& cb, const Pose& bInA, Vec3 v, double& gapLeft, double& size,
                  bool& rough) {
  const Pose pa = ca.placement, pb = bInA * cb.placement;
  const auto corner = [&](const Vec3& direction) {
    Corner c;
    c.a = pa * ca.support(pa.R.transpose() * direction);
    c.b = pb * cb.support(pb.R.transpose() * -direction);
    c.w = c.a - c.b;
    return c;
  };
  Simplex s;
  s.p[0] = corner(-v);
  s.n = 1;
  v = s.p[0].w;
  size = std::max(ca.half + ca.rim, cb.half + cb.rim) + v.norm();
  const auto apart = [&](double distance) {
    ConvexGap g;
    double l[3];
    shares(s, v, l);
    for (int i = 0; i < s.n; ++i) {
      g.onA += l[i] * s.p[i].a;
      g.onB += l[i] * s.p[i].b;
    }
    const Vec3 n = distance > 0 ? Vec3(v / distance) : Vec3::Zero();
    g.along = -n;
    // of a sliver of a simplex the distance is known better than the shares of its corners
    rough = (g.onA - g.onB - v).norm() > 1e-13 * size || shaky(s);
    g.onA -= ca.ball * n;
    g.onB += cb.ball * n;
    g.gap = distance - ca.ball - cb.ball;
    return g;
  };
  double before = 1e300, best = -1e300;
  gapLeft = 0;
  for (int k = 0; k < 200; ++k) {
    const double d = v.norm();
    if (d <= 1e-15 * size) break;
    const Corner c = corner(-v);
    best = std::max(best, v.dot(c.w) / d);
    gapLeft = std::max(0.0, d - best);
    if (gapLeft <= 2e-15 * size) return apart(d);
    const bool known = std::any_of(s.p, s.p + s.n, [&](const Corner& p) { return p.w == c.w; });
    // rounding keeps it from coming nearer
    if (known || (k > 60 && d >= before)) return apart(d);
    before = std::min(before, d);
    s.p[s.n++] = c;
    if (!reduce(s, v)) {
      // the origin is in the tetrahedron: its shares give a place in both
      Eigen::Matrix3d edges;
      for (int i = 0; i < 3; ++i) edges.col(i) = s.p[i + 1].w - s.p[0].w;
      const Vec3 share = edges.fullPivLu().solve(-s.p[0].w);
      ConvexGap g;
      g.onA = s.p[0].a;
      for (int i = 0; i < 3; ++i) g.onA += share[i] * (s.p[i + 1].a - s.p[0].a);
      g.onB = g.onA;
      g.gap = kOverlap;
      return g;
    }
  }
  if (v.norm() > 1e-15 * size) return apart(v.norm());
  // they touch, or the place where both come together was met
  ConvexGap g = apart(0);
  if (ca.ball + cb.ball > 0) return g;
  g.gap = kOverlap;
  g.onA = g.onB = 0.5 * (g.onA + g.onB);
  return g;
}

/// Is a place (axes of A) in both, to rounding? Where an overlap is thin, the shares of a flat tetrahedron lead a
/// little beside it: the place is then moved into one body and the other in turn.
bool inBoth(const Convex& ca, const Convex& cb, const Pose& bInA, Vec3& p, double size) {
  const Pose pa = ca.placement, pb = bInA * cb.placement, toA = pa.inverse(), toB = pb.inverse();
  for (int k = 0; k < 50; ++k) {
    const Vec3 a = pa * nearestOfCore(ca, toA * p), b = pb * nearestOfCore(cb, toB * a);
    p = b;
    if ((b - a).norm() <= 1e-13 * size) return true;
  }
  return false;
}

/// Lower bound of the distance of the cores: what a plane square to a direction leaves between them.
double between(const Convex& ca, const Convex& cb, const Pose& bInA, const Vec3& n) {
  const Pose pa = ca.placement, pb = bInA * cb.placement;
  return n.dot(pb * cb.support(pb.R.transpose() * -n)) - n.dot(pa * ca.support(pa.R.transpose() * n));
}

/// Directions that kinks of the bound pass through: edges and axes of either core. The bound has its best value on one
/// of them, where two, or between them all.
class Kinks {
 public:
  Kinks(const Convex& ca, const Convex& cb, const Pose& bInA) {
    add(ca, ca.placement.R);
    add(cb, bInA.R * cb.placement.R);
  }
  /// Calls for a direction and for all that lie on kinks within reach of it.
  template <class Try>
  void around(const Vec3& n, double reach, const Try& consider) const {
    consider(n);
    for (int i = 0; i < count_; ++i) {
      const double off = n.dot(edges_[i]);
      if (n.cross(edges_[i]).norm() < reach) consider(off > 0 ? edges_[i] : Vec3(-edges_[i]));  // square to a face
      if (std::abs(off) > reach) continue;
      consider((n - off * edges_[i]).normalized());
      for (int k = 0; k < i; ++k) {
        if (std::abs(n.dot(edges_[k])) > reach) continue;
        const Vec3 both = edges_[i].cross(edges_[k]);
        const double length = both.norm();
        if (length > 1e-9) consider(both * ((both.dot(n) > 0 ? 1 : -1) / length));
      }
    }
  }

 private:
  void add(const Convex& c, const Mat3& R) {
    edges_[count_++] = R.col(2);
    if (c.corners.size() < 2) return;
    edges_[count_++] = R.col(0);
    if (c.corners.size() > 2) edges_[count_++] = R.col(1);
  }
  Vec3 edges_[6];
  int count_ = 0;
};

/// Climbs to the direction that parts the cores best, from one that is near it: the bound is concave in the direction
/// where it is positive. A pattern of directions around the best, and those on kinks beside them, drawn closer each
/// time none helps.
void bestPlane(const Convex& ca, const Convex& cb, const Pose& bInA, double reach, Vec3& n, double& low,
               double enough) {
  const Kinks kinks(ca, cb, bInA);
  Vec3 best = n;
  const auto consider = [&](const Vec3& d) {
    const double l = between(ca, cb, bInA, d);
    if (l <= low) return;
    low = l;
    best = d;
  };
  kinks.around(n, reach, consider);
  for (double step = reach; step > 1e-14 && low < enough;) {
    n = best;
    const Vec3 t = anyPerpendicular(n), b = n.cross(t);
    for (int k = 0; k < 8; ++k) {
      const double angle = kPi / 4 * k;
      kinks.around((n + step * (std::cos(angle) * t + std::sin(angle) * b)).normalized(), 2 * step, consider);
    }
    step *= best != n ? 1.5 : 0.5;
  }
  n = best;
}

/// Nearest place to p of those that lie farthest in a direction (a corner, an edge or ruling, a face), own axes.
/// @param tied how little a corner may lie behind, and a direction lean, to count as no less far
Vec3 nearestOfFace(const Convex& c, const Vec3& n, const Vec3& p, double tied) {
  const Eigen::Vector2d flat = n.head<2>();
  const double side = flat.norm();
  if (side <= tied) {
    Vec3 q = nearestOfCore(c, p);
    q.z() = n.z() > 0 ? c.half : -c.half;
    return q;
  }
  const Eigen::Vector2d out = c.rim / side * flat, wanted = p.head<2>() - out;
  double most = -1e300;
  for (const auto& x : c.corners) most = std::max(most, flat.dot(x));
  const Eigen::Vector2d *one = nullptr, *other = nullptr;
  for (const auto& x : c.corners)
    if (flat.dot(x) >= most - tied * (side + x.norm())) (one ? other : one) = &x;
  Eigen::Vector2d at = *one;
  if (other) {
    const Eigen::Vector2d d = *other - *one;
    at += std::clamp((wanted - *one).dot(d) / d.squaredNorm(), 0.0, 1.0) * d;
  }
  at += out;
  const double z = std::abs(n.z()) > tied ? (n.z() > 0 ? c.half : -c.half) : std::clamp(p.z(), -c.half, c.half);
  return {at.x(), at.y(), z};
}

/// Distance of the cores by both bounds. @param within of size: what they may be apart, else false comes back
bool certified(const Convex& ca, const Convex& cb, const Pose& bInA, ConvexGap& g, double size, double within) {
  if (g.gap <= kOverlap) return inBoth(ca, cb, bInA, g.onA, size);
  const double balls = ca.ball + cb.ball, core = g.gap + balls;
  const auto together = [&](const Vec3& place) {  // no distance but rounding is left between places of either body
    g.gap = balls > 0 ? std::min(g.gap, 0.0) : kOverlap;
    g.onA = g.onB = place;
    return true;
  };
  if (core <= 1e-15 * size) {
    Vec3 place = 0.5 * (g.onA + g.onB);
    return inBoth(ca, cb, bInA, place, size) && together(place);
  }
  Vec3 n = g.along;
  if (!(n.squaredNorm() > 0)) return balls > 0;
  Vec3 x = g.onA - ca.ball * n, y = g.onB + cb.ball * n;
  if (ca.coreDistance(x) > 1e-12 * size || cb.coreDistance(bInA.inverse() * y) > 1e-12 * size) return false;
  double high = (y - x).norm(), low = between(ca, cb, bInA, n);
  if (high < balls) return true;  // the two places prove the overlap; how deep it is, is asked elsewhere
  for (const double reach : {1e-4, 1e-1})
    if (high - low > kCertain * size) bestPlane(ca, cb, bInA, reach, n, low, high - kCertain * size);
  if (high <= kCertain * size || (high <= kAtWorst * size && !(low > 0))) return together(0.5 * (x + y));
  if (high - low > kCertain * size) {
    // the places may lag behind the plane: those that it touches, and their feet on the other body
    const Pose pa = ca.placement, pb = bInA * cb.placement, toA = pa.inverse(), toB = pb.inverse();
    const auto consider = [&](const Vec3& onA, const Vec3& onB) {
      const double d = (onB - onA).norm();
      if (d >= high) return;
      high = d;
      x = onA;
      y = onB;
    };
    const Vec3 a = pa * ca.support(pa.R.transpose() * n), b = pb * cb.support(pb.R.transpose() * -n);
    consider(a, pb * nearestOfCore(cb, toB * a));
    consider(pa * nearestOfCore(ca, toA * b), b);
    // where a round side all but touches a flat one those get nowhere: then in the faces that the plane touches
    for (const double tied : {1e-13, 1e-10, 1e-7}) {
      Vec3 onB = y;
      for (int k = 0; k < 30 && high - low > kCertain * size; ++k) {
        const Vec3 onA = pa * nearestOfFace(ca, pa.R.transpose() * n, toA * onB, tied);
        onB = pb * nearestOfFace(cb, pb.R.transpose() * -n, toB * onA, tied);
        consider(onA, onB);
      }
    }
    for (int k = 0; k < 200 && high - low > kCertain * size; ++k) {
      const Vec3 onA = pa * nearestOfCore(ca, toA * y);
      consider(onA, pb * nearestOfCore(cb, toB * onA));
    }
    g.onA = x + ca.ball * n;
    g.onB = y - cb.ball * n;
    g.along = n;
  }
  if (high - low > within * size) return high <= kAtWorst * size && together(0.5 * (x + y));
  g.gap = 0.5 * (high + low) - balls;
  return true;
}

/// Projections to and fro (Cheney and Goldstein 1959): slow, but they never get stuck on a round face.
void polish(const Convex& ca, const Convex& cb, const Pose& bInA, ConvexGap& g) {
  constexpr int kMost = 2000;
  const double balls = ca.ball + cb.ball;
  const Pose pa = ca.placement, pb = bInA * cb.placement, toA = pa.inverse(), toB = pb.inverse();
  Vec3 x = g.onA - ca.ball * g.along, y = g.onB + cb.ball * g.along;
  for (int k = 0; k < kMost; ++k) {
    const Vec3 nx = pa * nearestOfCore(ca, toA * y), ny = pb * nearestOfCore(cb, toB * nx);
    const bool still = (nx - x).norm() + (ny - y).norm() <= 1e-16;
    x = nx;
    y = ny;
    if (still) break;
    const double d = (y - x).norm();
    if (!(d > 0)) return;
    const Vec3 n = (y - x) / d;
    const double low = n.dot(pb * cb.support(pb.R.transpose() * -n)) - n.dot(pa * ca.support(pa.R.transpose() * n));
    if (d - low <= 1e-15) break;
  }
  const double d = (y - x).norm();
  const Vec3 n = (y - x) / d;
  g.along = n;
  g.gap = d - balls;
  g.onA = x + ca.ball * n;
  g.onB = y - cb.ball * n;
}

}  // namespace

ConvexGap convexGap(const Convex& a, const Convex& b, const Pose& bInA) {
  // bodies that lie square to one another can make a flat simplex, from which no step leads on: another start does
  const Vec3 starts[] = {a.placement.p - bInA * b.placement.p, Vec3(0.611, 0.389, 0.689), Vec3(-0.317, 0.853, 0.415),
                         Vec3(0.713, -0.541, 0.447), Vec3(-0.469, -0.283, -0.837)};
  ConvexGap best;
  double least = 1e300, bestSize = 1;
  for (const Vec3& start : starts) {
    double left = 0, size = 1;
    bool rough = false;
    ConvexGap g = descend(a, b, bInA, start.squaredNorm() > 0 ? start : Vec3::UnitX(), left, size, rough);
    if (left <= kCertain * size) {
      if (rough && g.gap > 0) {
        const double exact = g.gap;
        polish(a, b, bInA, g);
        g.gap = exact;
      }
      g.certain = certified(a, b, bInA, g, size, kCertain);
      if (g.certain) return g;
    }
    if (left < least) {
      least = left;
      best = g;
      bestSize = size;
    }
  }
  if (best.gap > 0) polish(a, b, bInA, best);
  best.certain = certified(a, b, bInA, best, bestSize, kAtWorst);
  // slivers of simplices lead beside a common place that is easy to have from the middles of the bodies
  for (Vec3 place : {a.middle(), Vec3(bInA * b.middle())}) {
    if (best.certain || !inBoth(a, b, bInA, place, bestSize)) continue;
    best.gap = a.ball + b.ball > 0 ? -(a.ball + b.ball) : kOverlap;
    best.onA = best.onB = place;
    best.certain = true;
  }
  return best;
}

}  // namespace cooperage::clearance
