// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/plane_sweep.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <numeric>

#include "base/index.h"
#include "base/principal_axes.h"
#include "clearance/plane_region.h"
#include "clearance/section_field.h"
#include "shape/shell.h"

namespace cooperage::clearance {
namespace {

using Vec2 = Eigen::Vector2d;
constexpr double kEndless = 1e3;  // m: half the length of a body whose ends are not looked at

/// The direction across the motion, target axes, or none: of bodies other than balls the axis they turn about, or one
/// of their own that they keep square to their way.
std::optional<Vec3> acrossOf(const std::vector<std::vector<Pose>>& poses, bool balls, double leave) {
  if (balls) {  // the plane that fits the ways best
    Vec3 mean = Vec3::Zero();
    double n = 0;
    for (const auto& body : poses)
      for (const Pose& p : body) {
        mean += p.p;
        n += 1;
      }
    mean /= n;
    Mat3 scatter = Mat3::Zero();
    for (const auto& body : poses)
      for (const Pose& p : body) scatter += (p.p - mean) * (p.p - mean).transpose();
    return Vec3(principalAxes(scatter).axes.col(0));
  }
  const Pose& first = poses[0][0];
  double most = 1e-6;
  std::optional<Vec3> axis;
  for (const Pose& p : poses[0]) {
    const Eigen::AngleAxisd turn(Mat3(p.R * first.R.transpose()));
    // near half a turn the axis is no worse known than elsewhere, near none it is
    if (std::abs(turn.angle()) > most) {
      most = std::abs(turn.angle());
      axis = turn.axis();
    }
  }
  if (axis) return axis;
  for (int k = 2; k >= 0; --k) {
    const Vec3 n = first.R.col(k);
    if (std::all_of(poses.begin(), poses.end(), [&](const auto& body) {
          return std::all_of(body.begin(), body.end(),
                             [&](const Pose& p) { return std::abs(n.dot(p.p - body[0].p)) <= leave; });
        }))
      return n;
  }
  return {};
}

/// Turns a body so that one of its own axes is z. @return false if its sections along that axis are not all the same
bool stand(Convex& c, Mat3& turn, Eigen::Index up) {
  if (up == 2) return true;
  if (c.corners.size() != 4) return false;
  const Vec3 half(std::abs(c.corners[0].x()), std::abs(c.corners[0].y()), c.half);
  const Eigen::Index x = (up + 1) % 3, y = (up + 2) % 3;
  turn.col(0) = Vec3::Unit(x);
  turn.col(1) = Vec3::Unit(y);
  turn.col(2) = Vec3::Unit(up);
  c.corners.clear();
  for (const double s : {-1.0, 1.0})
    for (const double t : {-1.0, 1.0}) c.corners.emplace_back(s * half[x], t * half[y]);
  c.half = half[up];
  return true;
}

}  // namespace

struct PlaneSweep::Data {
  Pose plane;  ///< its axes to those of the target: z across the motion, 0 in the middle of the bodies
  std::vector<SweptBody> bodies;
  double half = 0, grown = 0, left = 0;
  Vec2 low = Vec2::Constant(1e300), high = Vec2::Constant(-1e300);  ///< of a box about what is swept

  /// Adds up what the true surface is off between corners; by that the volume is set right.
  struct Off {
    double area = 0, volume = 0, most = 0;
    void add(double size, double off) {
      area += size;
      volume += size * off;
      most = std::max(most, std::abs(off));
    }
  };
  double wayOut(const SectionField& field, const Vec2& at, const Vec2& out, double step) const;
  shape::Mesh flat(const PlaneRegion& region, const SectionField& field, double tolerance, Off& off,
                   Progress* progress) const;
  shape::Mesh raised(const PlaneRegion& region, const SectionField& field, Off& off, Progress* progress) const;
};

PlaneSweep::PlaneSweep(std::unique_ptr<Data> data) : data_(std::move(data)) {}
PlaneSweep::~PlaneSweep() = default;
PlaneSweep::PlaneSweep(PlaneSweep&&) noexcept = default;
PlaneSweep& PlaneSweep::operator=(PlaneSweep&&) noexcept = default;
double PlaneSweep::cells(double accuracy) const {
  const Vec2 size = data_->high - data_->low;
  // of a ball the chords are true to the accuracy
  const double top = data_->grown > 0 ? size.x() * size.y() / (8 * data_->grown * accuracy) : 0;
  return 4 * (size.x() + size.y()) / (8 * accuracy) + top;
}

std::optional<PlaneSweep> PlaneSweep::of(const std::vector<Convex>& bodies, const std::vector<std::vector<Pose>>& poses,
                                         double clearance, double leave) {
  const auto isBall = [](const Convex& c) { return c.corners.size() == 1 && c.rim == 0; };
  const bool balls = isBall(bodies[0]);
  for (const Convex& c : bodies)
    if (isBall(c) != balls || (balls && c.ball != bodies[0].ball) || c.corners.size() > 4 ||
        (c.corners.size() == 4 && c.rim > 0))
      return {};
  const auto n = acrossOf(poses, balls, leave);
  if (!n) return {};
  auto d = std::make_unique<Data>();
  d->grown = clearance + (balls ? bodies[0].ball : 0);
  d->plane.R = Eigen::Quaterniond::FromTwoVectors(Vec3::UnitZ(), *n).toRotationMatrix();
  double level = 0;
  for (std::size_t b = 0; b < bodies.size(); ++b) {
    Convex c = bodies[b];
    Mat3 turn = Mat3::Identity();
    if (!balls) {
      Eigen::Index up = 0;
      (poses[b][0].R.transpose() * *n).cwiseAbs().maxCoeff(&up);
      if (!stand(c, turn, up)) return {};
    }
    if (b == 0) {
      d->half = c.half;
      level = n->dot(poses[0][0].p);
    }
    if (std::abs(c.half - d->half) > leave) return {};
    const auto [low, high] = c.ownBox();
    const double size = std::max(low.norm(), high.norm());
    SweptBody s;
    for (const Pose& p : poses[b]) {
      Pose own = p;
      own.R = p.R * turn;
      const double tilt = balls ? 0 : own.R.col(2).cross(*n).norm() * size;
      const double off = std::abs(n->dot(own.p) - level) + std::abs(c.half - d->half) + tilt;
      if (off > leave) return {};
      d->left = std::max(d->left, off);
      if (balls) own.R = d->plane.R;
      const Pose inPlane = d->plane.inverse() * own;
      const double reach = std::hypot(std::max(-low.x(), high.x()), std::max(-low.y(), high.y()));
      const Vec2 at = inPlane.p.head<2>();
      d->low = d->low.cwiseMin(at - Vec2::Constant(reach + clearance));
      d->high = d->high.cwiseMax(at + Vec2::Constant(reach + clearance));
      Pose here = inPlane;
      here.p.z() = 0;
      s.inverse.push_back(here.inverse());
    }
    c.half = kEndless;
    if (balls) c.ball = 0;
    s.closed = c;
    d->bodies.push_back(std::move(s));
  }
  d->plane.p = level * *n;
  return PlaneSweep(std::move(d));
}

/// How far the rim lies beyond a place, m. Inside, the distance is less than that where a corner has made the rim: its
/// zero is looked for.
double PlaneSweep::Data::wayOut(const SectionField& field, const Vec2& at, const Vec2& out, double step) const {
  double s = 0, f = field.value(at);
  if (f >= 0) return -f;
  double next = std::max(-f, 0.1 * step), g = f;
  for (int k = 0; k < 30; ++k) {  // out to where it is passed
    g = field.value(at + next * out);
    if (g >= 0) break;
    s = next;
    f = g;
    next += std::max(-g, 0.1 * step);
  }
  for (int k = 0; k < 20 && g > f && next - s > 1e-3 * step; ++k) {
    const double mid = k % 3 == 2 ? 0.5 * (s + next) : s - f * (next - s) / (g - f), v = field.value(at + mid * out);
    (v < 0 ? s : next) = mid;
    (v < 0 ? f : g) = v;
  }
  return 0.5 * (s + next);
}

/// Straight walls over the rim, and a lid at either end.
shape::Mesh PlaneSweep::Data::flat(const PlaneRegion& region, const SectionField& field, double tolerance, Off& off,
                                   Progress* progress) const {
  const auto rims = rimsOf(region, tolerance);
  for (const auto& rim : rims)
    for (std::size_t i = 0; i < rim.size(); ++i) {
      if (progress && progress->cancelled()) return {};
      const Vec2 &a = rim[i], d = rim[(i + 1) % rim.size()] - a;
      constexpr int kPlaces = 4;
      const Vec2 out = Vec2(d.y(), -d.x()).normalized();
      for (int k = 0; k < kPlaces; ++k)
        off.add(2 * half * d.norm() / kPlaces, wayOut(field, a + (k + 0.5) / kPlaces * d, out, tolerance));
    }
  // each outline with the holes that lie in it
  const auto areaOf = [](const std::vector<Vec2>& loop) {
    double twice = 0;
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const Vec2 &p = loop[i], &q = loop[(i + 1) % loop.size()];
      twice += p.x() * q.y() - p.y() * q.x();
    }
    return 0.5 * twice;
  };
  const auto holds = [](const std::vector<Vec2>& loop, const Vec2& x) {
    bool in = false;
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const Vec2 &p = loop[i], &q = loop[(i + 1) % loop.size()];
      if ((p.y() > x.y()) != (q.y() > x.y()) && x.x() < p.x() + (x.y() - p.y()) / (q.y() - p.y()) * (q.x() - p.x()))
        in = !in;
    }
    return in;
  };
  std::vector<std::size_t> outer, holes;
  for (std::size_t i = 0; i < rims.size(); ++i) (areaOf(rims[i]) > 0 ? outer : holes).push_back(i);
  std::vector<std::vector<std::size_t>> within(rims.size());
  for (const std::size_t h : holes) {
    std::optional<std::size_t> smallest;
    for (const std::size_t o : outer)
      if (holds(rims[o], rims[h][0]) && (!smallest || areaOf(rims[o]) < areaOf(rims[*smallest]))) smallest = o;
    if (!smallest) return raised(region, field, off, progress);
    within[*smallest].push_back(h);
  }
  shape::Shell shell;
  std::vector<int> below(rims.size()), above(rims.size());
  for (std::size_t i = 0; i < rims.size(); ++i) {
    const bool hole = areaOf(rims[i]) < 0;
    const shape::Loop loop = hole ? shape::Loop(rims[i].rbegin(), rims[i].rend()) : rims[i];
    below[i] = shell.put(loop, -half);
    above[i] = shell.put(loop, half);
    shell.wall(below[i], above[i], hole);
  }
  for (const std::size_t o : outer) {
    std::vector<int> under, over;
    for (const std::size_t h : within[o]) {
      under.push_back(below[h]);
      over.push_back(above[h]);
    }
    // rims that all but touch can't be filled by their corners alone: then all triangles of the region do
    if (!shell.lid(below[o], under, false) || !shell.lid(above[o], over, true))
      return raised(region, field, off, progress);
  }
  return shell.take();
}

/// The region's own triangles, raised to both sides.
shape::Mesh PlaneSweep::Data::raised(const PlaneRegion& region, const SectionField& field, Off& off,
                                     Progress* progress) const {
  off = {};
  shape::Mesh m;
  std::vector<std::array<int, 2>> ends(region.points.size());
  for (std::size_t i = 0; i < region.points.size(); ++i) {
    const double out = std::max(0.0, region.values[i]);
    const double z = half + (region.rim[i] ? 0 : std::sqrt(std::max(0.0, grown * grown - out * out)));
    const Vec2& p = region.points[i];
    ends[i][1] = static_cast<int>(m.vertices.size());
    m.vertices.emplace_back(p.x(), p.y(), z);
    // balls meet at the rim
    ends[i][0] = z > 0 ? static_cast<int>(m.vertices.size()) : ends[i][1];
    if (z > 0) m.vertices.emplace_back(p.x(), p.y(), -z);
  }
  for (const auto& t : region.triangles) {
    m.triangles.push_back({ends[u(t[0])][1], ends[u(t[1])][1], ends[u(t[2])][1]});
    m.triangles.push_back({ends[u(t[0])][0], ends[u(t[2])][0], ends[u(t[1])][0]});
  }
  if (half > 0)
    for (const auto& e : region.edges) {
      m.triangles.push_back({ends[u(e[0])][0], ends[u(e[1])][0], ends[u(e[1])][1]});
      m.triangles.push_back({ends[u(e[0])][0], ends[u(e[1])][1], ends[u(e[0])][1]});
      const Vec2 &a = region.points[u(e[0])], &b = region.points[u(e[1])];
      const Vec2 mid = 0.5 * (a + b), out = Vec2(b.y() - a.y(), a.x() - b.x()).normalized();
      const double way = grown > 0 ? grown - field.value(mid) : wayOut(field, mid, out, 1e-3 * (b - a).norm());
      off.add(2 * half * (b - a).norm(), 2.0 / 3 * way);  // a parabola over its chord
    }
  if (grown <= 0) return m;
  std::vector<std::pair<double, double>> offs(region.triangles.size());
  tbb::parallel_for(std::size_t(0), offs.size(), [&](std::size_t i) {
    if (progress && progress->cancelled()) return;
    std::array<Vec3, 3> c;
    for (std::size_t k = 0; k < 3; ++k) c[k] = m.vertices[u(ends[u(region.triangles[i][k])][1])];
    const double area = 0.5 * (c[1] - c[0]).cross(c[2] - c[0]).norm();
    double sum = 0;
    for (std::size_t k = 0; k < 3; ++k) {  // true to second order
      const Vec3 p = 0.5 * (c[k] + c[(k + 1) % 3]);
      const double out = std::max(0.0, field.value(p.head<2>()));
      sum += grown - std::hypot(out, std::max(0.0, p.z() - half));
    }
    offs[i] = {2 * area, sum / 3};
  });
  for (const auto& [area, one] : offs) off.add(area, one);
  return m;
}

Result<PlaneEnvelope> PlaneSweep::sweep(double accuracy, double way, bool between, Progress* progress) const {
  const Data& d = *data_;
  const auto cancelled = [&] { return progress && progress->cancelled(); };
  const Error stopped{"cancelled", "", "cancelled", true};
  SectionField field(d.bodies, d.grown, accuracy, way, between, progress);
  const Vec2 middle = 0.5 * (d.low + d.high);
  if (!field.build(middle, 0.8 * (d.high - d.low).norm() + 20 * accuracy, d.grown > 0)) return stopped;
  if (progress) progress->report(0.3);
  PlaneCut cut;
  cut.value = [&](const Vec2& x) { return field.value(x); };
  cut.level = d.grown;
  cut.round = d.grown > 0;
  cut.tolerance = (d.grown > 0 ? 0.4 : 0.25) * accuracy;
  cut.base = 8 * accuracy;
  const PlaneRegion region = planeRegion(cut, d.low, d.high, progress);
  if (cancelled()) return stopped;
  if (region.triangles.empty())
    return Error{"envelope", "", "the envelope is empty; is the accuracy finer than the part?"};
  if (progress) progress->report(0.8);
  const double straight = 0.125 * accuracy;
  Data::Off off;
  PlaneEnvelope e;
  e.mesh = d.grown > 0 ? d.raised(region, field, off, progress) : d.flat(region, field, straight, off, progress);
  if (cancelled()) return stopped;
  for (Vec3& v : e.mesh.vertices) v = d.plane * v;
  // between two poses the nearest is looked for down to a hundredth of their way
  const double unknown = (between ? 0.01 * way : 0) + 1e-3 * cut.tolerance + d.left;
  e.error = std::max(off.most, cut.tolerance + (d.grown > 0 ? 0 : straight)) + unknown;
  e.volume = shape::volumeOf(e.mesh) + off.volume;
  // what the places looked at have told is true to a part of itself
  const double bound = off.area * (0.1 * off.most + unknown);
  e.low = std::max(0.0, e.volume - bound);
  e.high = e.volume + bound;
  return e;
}

}  // namespace cooperage::clearance
