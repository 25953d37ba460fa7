// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/contacts.h"

#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "base/units.h"

namespace cooperage::shape {
namespace {

struct Round {
  Vec3 at, axis;
  double radius, length, angle, halfAngle;
  bool inward, cone;
  Vec3 middle;  ///< direction to the middle of its arc
};
struct Flat {
  Vec3 at, normal;
  std::vector<std::array<Vec3, 3>> triangles;
  Vec3 low, high;
};
struct Ball {
  Vec3 at;
  double radius, share;
  bool inward;
};
struct Shapes {
  std::vector<Round> rounds;
  std::vector<Flat> flats;
  std::vector<Ball> balls;
};

/// Half a bore is not a bore: it must reach round its pin by more than this to hold it, rad.
constexpr double kHolds = 3.4;

void addRound(std::vector<Round>& list, Round r) {
  for (Round& k : list) {
    if (k.inward != r.inward || k.cone != r.cone || std::abs(k.radius - r.radius) > 1e-3 * r.radius + 1e-7) continue;
    if (std::abs(k.axis.dot(r.axis)) < 1 - 1e-6) continue;
    const Vec3 d = r.at - k.at;
    const double along = d.dot(k.axis);
    if ((d - along * k.axis).norm() > 1e-3 * r.radius + 1e-6) continue;
    // pieces of one bore meet end to end or side by side
    if (std::abs(along) > 0.5 * (k.length + r.length) + 1e-4) continue;
    const bool sideBySide = std::abs(along) < 0.5 * std::min(k.length, r.length);
    const double low = std::min(-0.5 * k.length, along - 0.5 * r.length),
                 high = std::max(0.5 * k.length, along + 0.5 * r.length);
    k.angle = std::min(2 * kPi, sideBySide ? k.angle + r.angle : std::max(k.angle, r.angle));
    k.at += 0.5 * (low + high) * k.axis;
    k.length = high - low;
    return;
  }
  list.push_back(r);
}

Shapes shapesOf(const Part& part, const Vec3& low, const Vec3& high) {
  Shapes out;
  for (const auto& [faces, pose] : part.solids)
    for (const Face& f : faces->faces) {
      Vec3 l = Vec3::Constant(std::numeric_limits<double>::infinity()), h = -l;
      for (int c = 0; c < 8; ++c) {
        const Vec3 p =
            pose * Vec3(c & 1 ? f.high.x() : f.low.x(), c & 2 ? f.high.y() : f.low.y(), c & 4 ? f.high.z() : f.low.z());
        l = l.cwiseMin(p);
        h = h.cwiseMax(p);
      }
      if ((l.array() > high.array()).any() || (h.array() < low.array()).any()) continue;
      const Vec3 at = pose * f.feature.at, axis = pose.R * f.feature.axis;
      const auto& kind = f.feature.kind;
      if (kind == model::FeatureKind::cylinder || kind == model::FeatureKind::cone) {
        Round r{at,          axis.normalized(), f.feature.radius, f.feature.length,
                f.angle,     f.halfAngle,       f.feature.inward, kind == model::FeatureKind::cone,
                Vec3::Zero()};
        const Vec3 box = 0.5 * (l + h) - at;
        r.middle = box - box.dot(r.axis) * r.axis;
        addRound(out.rounds, r);
      } else if (kind == model::FeatureKind::plane) {
        Flat p{at, axis.normalized(), {}, l, h};
        for (const auto& t : f.triangles) p.triangles.push_back({pose * t[0], pose * t[1], pose * t[2]});
        out.flats.push_back(std::move(p));
      } else if (kind == model::FeatureKind::sphere) {
        bool known = false;
        for (Ball& b : out.balls)
          if (b.inward == f.feature.inward && (b.at - at).norm() < 1e-6 + 1e-3 * b.radius &&
              std::abs(b.radius - f.feature.radius) < 1e-3 * b.radius) {
            b.share += f.share;
            known = true;
          }
        if (!known) out.balls.push_back({at, f.feature.radius, f.share, f.feature.inward});
      }
    }
  return out;
}

/// Common part of two triangles in the plane.
using Point2 = Eigen::Vector2d;
double clipArea(const std::array<Point2, 3>& a, std::array<Point2, 3> b, std::vector<Point2>& corners) {
  const auto cross = [](const Point2& u, const Point2& v) { return u.x() * v.y() - u.y() * v.x(); };
  std::vector<Point2> poly(a.begin(), a.end()), next;
  if (cross(b[1] - b[0], b[2] - b[0]) < 0) std::swap(b[1], b[2]);
  for (std::size_t e = 0; e < 3 && !poly.empty(); ++e) {
    const Point2 p = b[e], d = b[(e + 1) % 3] - p;
    next.clear();
    for (std::size_t i = 0; i < poly.size(); ++i) {
      const Point2 &u = poly[i], &v = poly[(i + 1) % poly.size()];
      const double su = cross(d, u - p), sv = cross(d, v - p);
      if (su >= 0) next.push_back(u);
      if ((su > 0 && sv < 0) || (su < 0 && sv > 0)) next.push_back(u + (v - u) * (su / (su - sv)));
    }
    poly.swap(next);
  }
  double area = 0;
  for (std::size_t i = 2; i < poly.size(); ++i) area += 0.5 * cross(poly[i - 1] - poly[0], poly[i] - poly[0]);
  if (std::abs(area) > 1e-14) corners.insert(corners.end(), poly.begin(), poly.end());
  return std::abs(area);
}

class Finder {
 public:
  Finder(const Shapes& a, const Shapes& b, const AdviceOptions& o) : a_(a), b_(b), o_(o) {}

  std::vector<Contact> run() {
    for (const Round& x : a_.rounds)
      for (const Round& y : b_.rounds) {
        if (x.inward == y.inward || x.cone != y.cone) continue;
        if (x.cone)
          cones(x, y);
        else
          bearing(x.inward ? x : y, x.inward ? y : x);
      }
    for (const Ball& x : a_.balls)
      for (const Ball& y : b_.balls)
        if (x.inward != y.inward) socket(x.inward ? x : y, x.inward ? y : x);
    for (const Ball& x : a_.balls)
      for (const Round& y : b_.rounds) track(x, y, true);
    for (const Ball& x : b_.balls)
      for (const Round& y : a_.rounds) track(x, y, false);
    for (const Flat& x : a_.flats)
      for (const Flat& y : b_.flats) flats(x, y);
    for (const Flat& x : a_.flats) {
      for (const Round& y : b_.rounds) line(x, y, 1);
      for (const Ball& y : b_.balls) point(x, y, 1);
    }
    for (const Flat& x : b_.flats) {
      for (const Round& y : a_.rounds) line(x, y, -1);
      for (const Ball& y : a_.balls) point(x, y, -1);
    }
    return std::move(out_);
  }

 private:
  double play(double radius) const { return std::max(o_.play, o_.relativePlay * radius); }
  bool parallel(const Vec3& u, const Vec3& v) const { return std::abs(u.dot(v)) > std::cos(o_.angle); }
  /// Directions that are nearly the same count as one, or play would look like a constraint.
  Vec3 snapped(const Vec3& d) {
    for (const Vec3& k : directions_)
      if (parallel(k, d)) return k.dot(d) > 0 ? k : Vec3(-k);
    directions_.push_back(d);
    return d;
  }

  /// What two coaxial round faces share along their axis. @return false if they are not coaxial or do not overlap
  bool overlap(const Round& x, const Round& y, double aside, double& low, double& high) const {
    if (!parallel(x.axis, y.axis)) return false;
    const double along = (y.at - x.at).dot(x.axis);
    low = std::max(-0.5 * x.length, along - 0.5 * y.length);
    high = std::min(0.5 * x.length, along + 0.5 * y.length);
    if (!(high - low > std::max(1e-4, 0.02 * x.radius))) return false;
    // across, in the middle of what they share
    const double middle = 0.5 * (low + high);
    const double onY = (middle - along) / x.axis.dot(y.axis);
    const Vec3 d = (y.at + onY * y.axis) - (x.at + middle * x.axis);
    return (d - d.dot(x.axis) * x.axis).norm() <= aside;
  }

  void bearing(const Round& bore, const Round& pin) {
    const double gap = bore.radius - pin.radius;
    double low = 0, high = 0;
    Contact c;
    if (gap < -0.03 * pin.radius && gap > -0.25 * pin.radius) {  // its crests bite into the bore: a thread
      if (!overlap(bore, pin, 0.02 * pin.radius, low, high) || high - low < 0.5 * pin.radius) return;
      if (bore.angle < kHolds || pin.angle < kHolds) return;
      c.kind = Contact::Kind::thread;
      c.twoSided = true;
      c.minor = bore.radius;
    } else {
      if (gap < -1e-5 - 1e-3 * pin.radius || gap > play(pin.radius)) return;
      if (!overlap(bore, pin, std::max(gap, 0.0) + 2e-5 + 1e-3 * pin.radius, low, high)) return;
      if (bore.angle < kHolds || pin.angle < kHolds) return;
      c.kind = Contact::Kind::bearing;
      c.twoSided = true;
    }
    c.axis = snapped(bore.axis);
    c.at = bore.at + 0.5 * (low + high) * bore.axis;
    c.radius = pin.radius;
    c.length = high - low;
    c.words = fmt::format("bore and pin of {}", millimetres(2 * pin.radius));
    around(c, c.length);
    out_.push_back(std::move(c));
  }

  void around(Contact& c, double length) {
    const Vec3 x = anyPerpendicular(c.axis), y = c.axis.cross(x);
    for (double end : {-0.5 * length, 0.5 * length})
      for (const Vec3& n : {x, y}) c.points.push_back({c.at + end * c.axis, n});
  }

  void cones(const Round& x, const Round& y) {
    double low = 0, high = 0;
    if (std::abs(x.halfAngle - y.halfAngle) > o_.angle || !overlap(x, y, o_.play, low, high)) return;
    if (x.angle < kHolds || y.angle < kHolds) return;
    Contact c;
    c.kind = Contact::Kind::cone;
    c.twoSided = true;
    c.axis = snapped(x.axis);
    c.at = x.at + 0.5 * (low + high) * x.axis;
    c.length = high - low;
    c.words = "cone in a cone";
    around(c, c.length);
    c.points.push_back({c.at, c.axis});
    out_.push_back(std::move(c));
  }

  void socket(const Ball& hollow, const Ball& ball) {
    const double gap = hollow.radius - ball.radius;
    if (gap < -1e-5 - 1e-3 * ball.radius || gap > play(ball.radius)) return;
    if ((hollow.at - ball.at).norm() > std::max(gap, 0.0) + 2e-5 + 1e-3 * ball.radius) return;
    if (hollow.share < 0.3) return;  // a dish: the ball rolls out of it
    Contact c;
    c.kind = Contact::Kind::socket;
    c.twoSided = true;
    c.at = hollow.at;
    for (int i = 0; i < 3; ++i) c.points.push_back({c.at, Vec3::Unit(i)});
    c.radius = ball.radius;
    c.words = fmt::format("ball and socket of {}", millimetres(2 * ball.radius));
    out_.push_back(std::move(c));
  }

  void track(const Ball& ball, const Round& tube, bool tubeOnSecond) {
    if (ball.inward || !tube.inward || tube.cone || tube.angle < kHolds || ball.share < 0.3) return;
    const double gap = tube.radius - ball.radius;
    if (gap < -1e-5 - 1e-3 * ball.radius || gap > play(ball.radius)) return;
    const Vec3 d = ball.at - tube.at;
    const double along = d.dot(tube.axis);
    if (std::abs(along) > 0.5 * tube.length) return;
    if ((d - along * tube.axis).norm() > std::max(gap, 0.0) + 2e-5 + 1e-3 * ball.radius) return;
    Contact c;
    c.kind = Contact::Kind::track;
    c.hostIsSecond = tubeOnSecond;
    c.twoSided = true;
    c.axis = snapped(tube.axis);
    c.at = ball.at;
    const Vec3 x = anyPerpendicular(c.axis);
    c.points = {{c.at, x}, {c.at, c.axis.cross(x)}};
    c.words = fmt::format("ball of {} in a bore", millimetres(2 * ball.radius));
    out_.push_back(std::move(c));
  }

  void flats(const Flat& x, const Flat& y) {
    if (x.normal.dot(y.normal) > -std::cos(o_.angle)) return;
    const double gap = (y.at - x.at).dot(x.normal);
    if (gap < -o_.play || gap > o_.play) return;
    const Vec3 grow = Vec3::Constant(2 * o_.play);
    if (((x.low - grow).array() > y.high.array()).any() || ((y.low - grow).array() > x.high.array()).any()) return;
    const Vec3 u = anyPerpendicular(x.normal), v = x.normal.cross(u);
    const auto flat = [&](const std::array<Vec3, 3>& t) {
      std::array<Point2, 3> out;
      for (std::size_t i = 0; i < 3; ++i) out[i] = {(t[i] - x.at).dot(u), (t[i] - x.at).dot(v)};
      return out;
    };
    std::vector<std::array<Point2, 3>> ys;
    for (const auto& t : y.triangles) ys.push_back(flat(t));
    std::vector<Point2> corners;
    double area = 0;
    for (const auto& t : x.triangles) {
      const auto tx = flat(t);
      for (const auto& ty : ys) area += clipArea(tx, ty, corners);
    }
    if (!(area > 1e-8)) return;  // less than 0.01 mm^2: edges that meet
    Contact c;
    c.kind = Contact::Kind::flat;
    c.normal = snapped(x.normal);
    // the corners of what they share that lie farthest out
    for (int k = 0; k < 8; ++k) {
      const Point2 d(std::cos(k * kPi / 4 + 0.1), std::sin(k * kPi / 4 + 0.1));
      const auto far = std::max_element(corners.begin(), corners.end(),
                                        [&](const Point2& p, const Point2& q) { return p.dot(d) < q.dot(d); });
      c.points.push_back({x.at + far->x() * u + far->y() * v, c.normal});
    }
    c.at = c.points[0].at;
    c.words = "faces against one another";
    out_.push_back(std::move(c));
  }

  /// Points of a line or a point on the face?
  static bool covers(const Flat& f, const Vec3& p) {
    for (const auto& t : f.triangles) {
      const Vec3 n = (t[1] - t[0]).cross(t[2] - t[0]);
      bool in = n.norm() > 0;
      for (std::size_t i = 0; i < 3 && in; ++i)
        in = (t[(i + 1) % 3] - t[i]).cross(p - t[i]).dot(n) >= -1e-9 * n.norm() * (t[(i + 1) % 3] - t[i]).norm();
      if (in) return true;
    }
    return false;
  }

  void line(const Flat& f, const Round& r, double sense) {
    if (r.inward || r.cone || std::abs(f.normal.dot(r.axis)) > o_.angle) return;
    const double height = (r.at - f.at).dot(f.normal);
    if (height < r.radius - 1e-5 - 1e-3 * r.radius || height > r.radius + play(r.radius)) return;
    // a round end of a bar touches only where its arc is
    if (r.angle < 6 && r.middle.norm() > 0 &&
        std::acos(std::clamp(r.middle.normalized().dot(-f.normal), -1.0, 1.0)) > 0.5 * r.angle + 0.1)
      return;
    double low = 1, high = -1;
    for (int i = 0; i <= 16; ++i) {
      const double s = r.length * (i / 16.0 - 0.5) * 0.999;
      if (!covers(f, r.at + s * r.axis - height * f.normal)) continue;
      if (high < low) low = s;
      high = std::max(high, s);
    }
    if (!(high > low)) return;
    Contact c;
    c.kind = Contact::Kind::line;
    c.hostIsSecond = sense < 0;
    c.normal = sense * snapped(f.normal);
    const Vec3 axis = snapped(r.axis);
    c.axis = axis;
    c.at = r.at + 0.5 * (low + high) * r.axis;
    for (double s : {low, high}) c.points.push_back({r.at + s * axis - height * f.normal, c.normal});
    c.words = fmt::format("pin of {} along a face", millimetres(2 * r.radius));
    out_.push_back(std::move(c));
  }

  void point(const Flat& f, const Ball& b, double sense) {
    if (b.inward || b.share < 0.3) return;
    const double height = (b.at - f.at).dot(f.normal);
    if (height < b.radius - 1e-5 - 1e-3 * b.radius || height > b.radius + play(b.radius)) return;
    if (!covers(f, b.at - height * f.normal)) return;
    Contact c;
    c.kind = Contact::Kind::point;
    c.hostIsSecond = sense < 0;
    c.normal = sense * snapped(f.normal);
    c.at = b.at;
    // at the ball's centre: its own turns do not move it
    c.points.push_back({b.at, c.normal});
    c.words = fmt::format("ball of {} on a face", millimetres(2 * b.radius));
    out_.push_back(std::move(c));
  }

  const Shapes &a_, &b_;
  const AdviceOptions& o_;
  std::vector<Vec3> directions_;
  std::vector<Contact> out_;
};

void boxOf(const Part& part, Vec3& low, Vec3& high) {
  low = Vec3::Constant(std::numeric_limits<double>::infinity());
  high = -low;
  for (const auto& [faces, pose] : part.solids)
    for (int c = 0; c < 8; ++c) {
      const Vec3 p = pose * Vec3(c & 1 ? faces->high.x() : faces->low.x(), c & 2 ? faces->high.y() : faces->low.y(),
                                 c & 4 ? faces->high.z() : faces->low.z());
      low = low.cwiseMin(p);
      high = high.cwiseMax(p);
    }
}

}  // namespace

std::vector<Contact> contactsOf(const Part& a, const Part& b, const AdviceOptions& options) {
  // only faces within the other's box can meet it
  Vec3 lowA, highA, lowB, highB;
  boxOf(a, lowA, highA);
  boxOf(b, lowB, highB);
  const Vec3 grow = Vec3::Constant(options.play);
  const Vec3 low = lowA.cwiseMax(lowB) - grow, high = highA.cwiseMin(highB) + grow;
  const Shapes sa = shapesOf(a, low, high), sb = shapesOf(b, low, high);
  return Finder(sa, sb, options).run();
}

namespace {

/// Do two flat faces that look at one another along a direction overlap, seen along it?
bool faceToFace(const Flat& x, const Flat& y, const Vec3& d) {
  const Vec3 u = anyPerpendicular(d), v = d.cross(u);
  const auto seen = [&](const std::array<Vec3, 3>& t) {
    std::array<Point2, 3> out;
    for (std::size_t i = 0; i < 3; ++i) out[i] = {t[i].dot(u), t[i].dot(v)};
    return out;
  };
  std::vector<Point2> corners;
  double area = 0;
  for (const auto& t : x.triangles)
    for (const auto& w : y.triangles) area += clipArea(seen(t), seen(w), corners);
  return area > 1e-8;
}

}  // namespace

SlideRange slideRange(const Part& first, const Part& second, const Vec3& direction, const Vec3& at, const Vec3& pin) {
  const Vec3 everywhere = Vec3::Constant(1e6);
  const Shapes a = shapesOf(first, -everywhere, everywhere), b = shapesOf(second, -everywhere, everywhere);
  SlideRange out;
  const auto end = [&](double s) {
    if (s >= 0 && (!out.high || s < *out.high)) out.high = s;
    if (s <= 0 && (!out.low || s > *out.low)) out.low = s;
  };
  if (pin.norm() > 0) {
    // round ends of the slot, as wide as the pin; the pin may be on either link
    for (const bool pinOnSecond : {true, false}) {
      const Shapes &slot = pinOnSecond ? a : b, &pins = pinOnSecond ? b : a;
      std::vector<double> radii;  // a pin has a head, too: the thickest that the slot takes
      for (const Round& r : pins.rounds)
        if (!r.inward && !r.cone && std::abs(r.axis.dot(pin)) > 0.999 &&
            (r.at - at - (r.at - at).dot(r.axis) * r.axis).norm() < 1e-4)
          radii.push_back(r.radius);
      std::sort(radii.rbegin(), radii.rend());
      for (const double radius : radii) {
        std::vector<double> ends;
        for (const Round& r : slot.rounds) {
          if (!r.inward || r.cone || std::abs(r.axis.dot(pin)) < 0.999 || r.radius < radius - 1e-5) continue;
          const Vec3 d = r.at - at;
          const double along = d.dot(direction);
          if ((d - along * direction - d.dot(pin.normalized()) * pin.normalized()).norm() > 1e-4) continue;
          // a wider end lets the pin go on by what it is wider
          ends.push_back(along + std::copysign(r.radius - radius, along));
        }
        if (ends.size() < 2) continue;
        const auto [low, high] = std::minmax_element(ends.begin(), ends.end());
        out.low = pinOnSecond ? *low : -*high;
        out.high = pinOnSecond ? *high : -*low;
        return out;
      }
    }
  }
  for (const Flat& x : a.flats)
    for (const Flat& y : b.flats) {
      const double nx = x.normal.dot(direction), ny = y.normal.dot(direction);
      if (std::abs(nx) < 0.999 || std::abs(ny) < 0.999 || nx * ny > 0) continue;
      // the second's face looks along +direction at one that looks back at it, or the other way round
      const double gap = (x.at - y.at).dot(direction);
      if (ny > 0 ? gap < -1e-6 : gap > 1e-6) continue;
      if (faceToFace(x, y, direction)) end(ny > 0 ? std::max(gap, 0.0) : std::min(gap, 0.0));
    }
  return out;
}

}  // namespace cooperage::shape
