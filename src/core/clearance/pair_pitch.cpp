// SPDX-License-Identifier: GPL-3.0-or-later
// PairTravel: gears and the like, which look the same again after one pitch. Two parts that turn about axes fixed in
// what lies between them, tied by a fixed ratio, stand to one another as one angle says; if either looks the same after
// a whole turn over its teeth, what holds at all angles of one pitch holds for ever.
#include <tbb/parallel_invoke.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <cmath>

#include "clearance/pair_travel.h"
#include "clearance/triangles.h"

namespace cooperage::clearance {
namespace {

std::size_t u(int i) { return static_cast<std::size_t>(i); }
constexpr int kCells = 16;        // of a pitch to begin with
constexpr int kHalvings = 14;     // of one of them
constexpr int kMostPitches = 64;  // after which both must look the same again
constexpr double kSame = 1e-9;    // rad, or of the radius: an axis of a body is that of its joint

Pose turned(const kinematics::Twist& t, double angle, const Pose& pose) {
  const Mat3 R = rotationOf(angle * t.w);
  return {R * pose.R, R * (pose.p - t.at) + t.at};
}

bool turnsAbout(const Part& part, const Pose& pose, const kinematics::Twist& t) {
  const Vec3 axis = pose.R * part.axis, at = pose * part.axisAt;
  return axis.cross(t.w).norm() < kSame && (at - t.at).cross(t.w).norm() < kSame * part.radius;
}

/// What a mesh goes through when it turns right round an axis.
struct Turned {
  Vec3 at, axis;  ///< ground axes
  double low = 1e300, high = -1e300, inner = 1e300, outer = 0;

  Turned(const shape::Mesh& mesh, const Pose& pose, const kinematics::Twist& t) : at(t.at), axis(t.w.normalized()) {
    for (const auto& triangle : mesh.triangles) {
      std::array<Vec3, 3> flat;
      for (std::size_t k = 0; k < 3; ++k) {
        const Vec3 v = pose * mesh.vertices[u(triangle[k])] - at;
        const double z = v.dot(axis);
        low = std::min(low, z);
        high = std::max(high, z);
        flat[k] = v - z * axis;
        outer = std::max(outer, flat[k].norm());
      }
      if (flat[0].norm() > 2 * inner + (flat[1] - flat[0]).norm() + (flat[2] - flat[0]).norm()) continue;
      int feature = 0;
      inner = std::min(inner, nearestOnTriangle(Vec3::Zero(), flat[0], flat[1], flat[2], feature).norm());
    }
  }
  /// Could a triangle come nearer than a margin if each of its places moves no farther than `way`?
  bool reaches(const std::array<Vec3, 3>& t, double way) const {
    const Vec3 c = (t[0] + t[1] + t[2]) / 3 - at;
    const double z = c.dot(axis), r = (c - z * axis).norm();
    double along = 0, across = 0;
    for (const Vec3& v : t) {
      const Vec3 d = v - at - c;
      const double dz = d.dot(axis);
      along = std::max(along, std::abs(dz));
      across = std::max(across, (d - dz * axis).norm());
    }
    return z - along - way < high && z + along + way > low && r - across - way < outer && r + across + way > inner;
  }
};

/// Triangles of a body that may meet what turns about the other axis while it turns itself between two angles.
std::vector<char> within(const shape::Mesh& mesh, const Pose& pose, const kinematics::Twist& about, double from,
                         double to, const Turned& other, double margin) {
  const Pose middle = turned(about, 0.5 * (from + to), pose);
  const Vec3 axis = about.w.normalized();
  const double swing = std::min(2.0, 0.5 * std::abs(to - from));
  std::vector<char> out(mesh.triangles.size(), 0);
  for (std::size_t i = 0; i < out.size(); ++i) {
    std::array<Vec3, 3> t;
    double radius = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      t[k] = middle * mesh.vertices[u(mesh.triangles[i][k])];
      radius = std::max(radius, (t[k] - about.at).cross(axis).norm());
    }
    out[i] = other.reaches(t, swing * radius + margin) ? 1 : 0;
  }
  return out;
}

/// Trees of those triangles alone, as they are and moved inwards.
struct Teeth {
  MeshTree whole, shrunk;
};
Teeth teethOf(const Facets& facets, double shrink, const std::vector<char>& keep) {
  shape::Mesh part;
  part.vertices = facets.mesh().vertices;
  std::vector<char> corners(part.vertices.size(), 0);
  for (std::size_t i = 0; i < keep.size(); ++i) {
    if (!keep[i]) continue;
    part.triangles.push_back(facets.mesh().triangles[i]);
    for (const int v : part.triangles.back()) corners[u(v)] = 1;
  }
  // the corners beside them say which way a corner moves: of the whole mesh
  shape::Mesh inner = clearance::shrunk(facets.mesh(), shrink, facets.distance(), &corners);
  inner.triangles = part.triangles;
  return {MeshTree(part), MeshTree(inner)};
}

bool whole(double x) { return std::abs(x - std::round(x)) < 1e-9; }

}  // namespace

/// Turn about one of the two axes in the middle of an interval, and how far it gets from there.
std::pair<double, double> PairTravel::turnsAt(const kinematics::IntervalMotion& m, std::size_t from,
                                              std::size_t to) const {
  double value = 0, linear = 0, rest = 0;
  for (std::size_t k = from; k < to; ++k) {
    const std::size_t d = u(path_.steps[k].dof);
    value += turns_->sense[k] * m.value[d];
    linear += turns_->sense[k] * m.linear[d];
    rest += m.rest[d];
  }
  return {value, std::abs(linear) + rest};
}

std::unique_ptr<Pitch> PairTravel::makePitch(PartPair& p, const kinematics::IntervalMotion& m) {
  const Part &x = *p.x, &y = *p.y;
  const Pose &pa = m.links[u(a_)], &pb = m.links[u(b_)];
  const auto& second = m.twists[u(path_.steps[0].dof)];
  const auto& first = m.twists[u(path_.steps[turns_->split].dof)];
  if ((x.fold == 0 && y.fold == 0) || (x.fold == 0 && !x.revolves) || (y.fold == 0 && !y.revolves)) return nullptr;
  if (!turnsAbout(x, pa, first) || !turnsAbout(y, pb, second)) return nullptr;
  // the least turn after which both look the same
  auto pitch = std::make_unique<Pitch>();
  const double one = x.fold > 0 ? 2 * kPi / x.fold : 2 * kPi / y.fold / std::abs(turns_->ratio);
  for (int k = 1; k <= kMostPitches && pitch->length == 0; ++k)
    if (y.fold == 0 || whole(k * one * turns_->ratio * y.fold / (2 * kPi))) pitch->length = k * one;
  if (pitch->length == 0) return nullptr;
  pitch->from = turnsAt(m, turns_->split, path_.steps.size()).first;
  pitch->offset = turnsAt(m, 0, turns_->split).first - turns_->ratio * pitch->from;

  // the same motion, about the axes as they lie here: the second turns by the ratio against the first
  kinematics::IntervalMotion at;
  at.proven = true;
  at.size = m.size;
  at.twists = {second, first};
  at.rest = {0, 0};
  at.value = {0, 0};
  at.links.resize(2);
  kinematics::PairPath path;
  path.steps = {{0, 1}, {1, 1}};
  path.connected = true;
  const double margin = p.errors + 1e-7;
  const double ratio = turns_->ratio;
  // a corner moves inwards by four times what its mesh is shrunk by at most, see shrunk()
  constexpr double kMostShrunk = 4;
  std::optional<Teeth> teethX, teethY;
  // Whoever waits here must not take up another piece of the same pair's travel, which would wait for this one.
  tbb::this_task_arena::isolate([&] {
    tbb::parallel_invoke(
        [&] {
          const Turned y2(p.fy->mesh(), pb, second);
          teethX = teethOf(*p.fx, p.shrinkX,
                           within(p.fx->mesh(), pa, first, -pitch->length, 0, y2, margin + kMostShrunk * p.shrinkX));
        },
        [&] {
          const Turned x2(p.fx->mesh(), pa, first);
          teethY =
              teethOf(*p.fy, p.shrinkY,
                      within(p.fy->mesh(), pb, second, 0, ratio * pitch->length, x2, margin + kMostShrunk * p.shrinkY));
        });
  });
  MeshTree::Hot hotWhole, hotInner;
  const auto look = [&](double low, double high) {
    const double middle = 0.5 * (low + high), half = 0.5 * (high - low);
    // seen from what lies between, the first turns back
    at.links[0] = turned(first, -middle, pa);
    at.links[1] = turned(second, turns_->ratio * middle, pb);
    at.linear = {turns_->ratio * half, half};
    const Motion motion = at.pair(path, 0, 1, y.centre, y.radius);
    const Pose bInA = at.links[0].inverse() * at.links[1];
    const bool in = inside(p, at.links[0], at.links[1], 0);
    if (!in && MeshTree::apart(teethX->whole, teethY->whole, bInA, motion, margin, &hotWhole)) return 0;
    if (in && inside(p, at.links[0], at.links[1], p.shrinkX + p.shrinkY)) return 2;
    return MeshTree::apart(teethX->shrunk, teethY->shrunk, bInA, motion, 0, &hotInner) ? 1 : 2;
  };
  pitch->ends = {0};
  const std::function<void(double, double, int)> go = [&](double low, double high, int depth) {
    if (cancelled()) return;
    const int found = look(low, high);
    const double way = (high - low) * (x.radius + std::abs(turns_->ratio) * y.radius);
    if (found == 2 && depth < kHalvings && way > 0.25 * (p.shrinkX + p.shrinkY)) {
      go(low, 0.5 * (low + high), depth + 1);
      go(0.5 * (low + high), high, depth + 1);
      return;
    }
    pitch->ends.push_back(high);
    pitch->found.push_back(found);
  };
  for (int k = 0; k < kCells; ++k) go(pitch->length * k / kCells, pitch->length * (k + 1) / kCells, 0);
  return pitch;
}

const Pitch* PairTravel::pitchOf(PartPair& p, const kinematics::IntervalMotion& m) {
  std::call_once(p.shared->pitchOnce, [&] { p.shared->pitch = makePitch(p, m); });
  return p.shared->pitch.get();
}

/// What is known of the angles that an interval goes through; none where this isn't such a pair.
std::optional<PairTravel::Found> PairTravel::byPitch(PartPair& p, const kinematics::IntervalMotion& m) {
  if (!turns_ || !m.proven || !p.fine || (p.x->fold == 0 && p.y->fold == 0)) return {};
  const Pitch* pitch = pitchOf(p, m);
  if (!pitch || cancelled()) return {};
  const auto [turn, way] = turnsAt(m, turns_->split, path_.steps.size());
  // the coupling is solved to rounding: were it not, the table would not hold
  const double off = turnsAt(m, 0, turns_->split).first - turns_->ratio * turn - pitch->offset;
  if (!(std::abs(off) < 1e-9 * (1 + std::abs(turn)))) return {};
  int worst = 0;
  const auto over = [&](double low, double high) {
    auto k =
        static_cast<std::size_t>(std::upper_bound(pitch->ends.begin(), pitch->ends.end(), low) - pitch->ends.begin());
    for (k = k > 0 ? k - 1 : 0; k < pitch->found.size() && pitch->ends[k] <= high; ++k)
      worst = std::max(worst, pitch->found[k]);
  };
  constexpr double kSlack = 1e-9;  // rad: an end of a cell is in both
  double low = turn - way - pitch->from - kSlack;
  const double high = low + 2 * way + 2 * kSlack;
  if (high - low >= pitch->length) {
    over(0, pitch->length);
  } else {
    const double begin = low - pitch->length * std::floor(low / pitch->length), end = begin + (high - low);
    over(begin, std::min(end, pitch->length));
    if (end > pitch->length) over(0, end - pitch->length);
  }
  return worst == 0 ? Found::free : worst == 1 ? Found::meeting : Found::open;
}

}  // namespace cooperage::clearance
