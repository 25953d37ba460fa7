// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/pair_travel.h"

#include <tbb/parallel_invoke.h>
#include <tbb/task_arena.h>

#include <algorithm>

#include "base/index.h"
#include "clearance/swept_space.h"
#include "clearance/triangles.h"

namespace cooperage::clearance {
namespace {

constexpr int kProofDepth = 4;  // how far an interval is halved to enclose it, before it is only estimated
constexpr int kFreeDepth = 6;   // how far meeting parts are halved to see whether they are free after all
constexpr std::size_t kMostAtOnce = 16, kMostKept = 8192;
constexpr int kSurely = 8;          // intervals after which parts that touched are taken to go on touching
constexpr int kRoughly = 6;         // shorter intervals that are tried before a pair is meshed finely
constexpr double kTouch = 5e-8;     // m, each: faces that lie on one another are no overlap, whatever rounding says
constexpr double kThin = 0.25;      // of what both bodies are shrunk by
constexpr double kFinest = kTouch;  // m: way within the smallest interval
constexpr int kGraze = 64;          // smallest intervals in a row that tell nothing, before larger ones have to do

/// How far any point of a sphere gets in an interval, at most.
double wayOfSphere(const Motion& motion, const Vec3& centre, double radius) {
  return (motion.shift + motion.turn.cross(centre)).norm() + motion.restOf(centre, radius) +
         motion.turn.norm() * radius;
}

}  // namespace

double shrinkOf(const Facets& facets, double tolerance) { return facets.error() + 0.5 * tolerance + kTouch; }

bool isRim(const std::vector<Stretch>& stretches, std::size_t i) {
  const auto overlaps = [&](std::size_t k) { return k < stretches.size() && stretches[k].verdict == Verdict::overlap; };
  return stretches[i].verdict == Verdict::unsure && !stretches[i].coarse &&
         (overlaps(i + 1) || (i > 0 && overlaps(i - 1)));
}

Intervals::Ptr Intervals::over(double t0, double t1, bool onlyProven) {
  const std::lock_guard lock(mutex_);
  const auto it = known_.find({t0, t1, onlyProven});
  if (it != known_.end()) return it->second;
  if (known_.size() > kMostKept) known_.clear();  // pairs go along in time: what lies behind is not asked again
  auto m = std::make_shared<kinematics::IntervalMotion>();
  Ptr p;
  if (enclosure_.over(t0, t1, *m, onlyProven)) p = std::move(m);
  known_[{t0, t1, onlyProven}] = p;
  return p;
}

bool Intervals::poses(double t, std::vector<Pose>& out) {
  const std::lock_guard lock(mutex_);
  return enclosure_.poses(t, out);
}

void Intervals::findRanges(const std::vector<double>& ends,
                           const std::vector<std::pair<std::size_t, std::size_t>>& pieces,
                           const std::function<bool()>& cancelled) {
  ranges_.clear();
  if (!obstacle().empty()) return;
  std::vector<std::pair<double, double>> ranges;
  const auto take = [&](const kinematics::IntervalMotion& m) {
    if (ranges.empty()) ranges.assign(m.value.size(), {1e300, -1e300});
    for (std::size_t d = 0; d < m.value.size(); ++d) {
      const double most = std::abs(m.linear[d]) + m.rest[d];
      ranges[d].first = std::min(ranges[d].first, m.value[d] - most);
      ranges[d].second = std::max(ranges[d].second, m.value[d] + most);
    }
  };
  const std::function<bool(double, double, int)> halves = [&](double t0, double t1, int depth) {
    if (const auto m = over(t0, t1, true)) {
      take(*m);
      return true;
    }
    const double t = 0.5 * (t0 + t1);
    return depth < kProofDepth && halves(t0, t, depth + 1) && halves(t, t1, depth + 1);
  };
  // a few at once: over more, what is enclosed is several times wider than where the joint really goes
  constexpr std::size_t kAtOnce = 4;
  for (const auto& [first, last] : pieces) {
    std::size_t grain = kAtOnce;
    for (std::size_t at = first; at < last;) {
      if (cancelled()) return;
      std::size_t size = grain;
      while (size > 1 && ((at - first) % size != 0 || at + size > last)) size /= 2;
      if (size > 1) {
        const auto m = over(ends[at], ends[at + size], true);
        if (!m) {
          grain = size / 2;
          continue;
        }
        take(*m);
      } else if (!halves(ends[at], ends[at + 1], 0)) {
        return;  // somewhere nothing is known: then nothing is
      }
      at += size;
    }
  }
  ranges_ = std::move(ranges);
}

void Intervals::clear() {
  const std::lock_guard lock(mutex_);
  known_.clear();
}

PairTravel::PairTravel(int a, int b, const LinkGeometry& ga, const LinkGeometry& gb, double tolerance,
                       const kinematics::PairPath& path, Intervals& intervals, Guided& guided, Progress* progress)
    : a_(a),
      b_(b),
      ga_(ga),
      gb_(gb),
      intervals_(intervals),
      tolerance_(tolerance),
      joined_(tolerance > 0),
      path_(path),
      back_(path.reversed()),
      progress_(progress),
      finest_(kFinest) {
  if (intervals.obstacle().empty() && !path.onePin) moves_ = intervals.coupledMoves(path);
  for (const auto& x : ga.parts())
    for (const auto& y : gb.parts()) {
      PartPair p{};
      p.x = x.get();
      p.y = y.get();
      p.fine = x->isFine() && y->isFine();
      look(p, x->now(), y->now());
      p.shared = &guided.parts[parts_.size()];
      if (path.onePin || path.oneSlide) p.guided = &guided.parts[parts_.size()];
      parts_.push_back(p);
    }
}

void PairTravel::look(PartPair& p, const Facets& fx, const Facets& fy) {
  p.fx = &fx;
  p.fy = &fy;
  p.errors = fx.error() + fy.error();
  p.shrinkX = shrinkOf(fx, tolerance_);
  p.shrinkY = shrinkOf(fy, tolerance_);
  p.whole = p.inner = {};
}

void PairTravel::lookFinely(PartPair& p) {
  if (p.fine) return;
  // whoever waits here must not take up another piece of the same work
  tbb::this_task_arena::isolate(
      [&] { tbb::parallel_invoke([&] { p.x->fine(progress_); }, [&] { p.y->fine(progress_); }); });
  look(p, p.x->fine(progress_), p.y->fine(progress_));
  p.fine = p.x->isFine() && p.y->isFine();  // not after a cancel
}

bool PairTravel::inside(const PartPair& p, const Pose& pa, const Pose& pb, double tolerance) const {
  const Meshed x{*p.x, *p.fx}, y{*p.y, *p.fy};
  return contained(x, pa, y, pb, tolerance) || contained(y, pb, x, pa, tolerance);
}

/// Are the bodies apart by what their rough meshes tell? @param times as far as their errors ask for
bool PairTravel::apartRoughly(PartPair& p, const Pose& pa, const Pose& pb, const Motion& motion, double times) {
  return MeshTree::apart(p.fx->whole(), p.fy->whole(), pa.inverse() * pb, motion, times * p.errors + 2 * kTouch,
                         &p.whole) &&
         !inside(p, pa, pb, 0);
}

/// The one turn or slide between the links, from where they are in the middle of an interval; axes of the first link.
MeshTree::Guide PairTravel::guideAt(const kinematics::IntervalMotion& m) const {
  const auto& t = m.twists[u(path_.steps[0].dof)];
  const Pose toA = m.links[u(a_)].inverse();
  MeshTree::Guide guide{toA * t.at, toA.R * (path_.oneSlide ? t.v : t.w).normalized()};
  const auto& ranges = intervals_.ranges();
  if (ranges.empty()) return guide;
  guide.low = guide.high = 0;
  for (const auto& s : path_.steps) {
    const std::size_t d = u(s.dof);
    const double way = s.sign * (path_.oneSlide || t.w.dot(m.twists[d].w) > 0 ? 1 : -1);
    const double down = ranges[d].first - m.value[d], up = ranges[d].second - m.value[d];
    guide.low += way > 0 ? down : -up;
    guide.high += way > 0 ? up : -down;
  }
  return guide;
}

/// Parts of revolution about the one turn that lies between the links look the same at all poses; of the others only
/// the leaves matter that could meet at some angle, or at some place of one slide.
void PairTravel::settle(PartPair& p, const kinematics::IntervalMotion& m) {
  if (!p.guided || p.settled || !m.proven || !p.fine) return;
  p.settled = true;
  std::call_once(p.guided->once, [&] {
    const auto& t = m.twists[u(path_.steps[0].dof)];
    const Pose &pa = m.links[u(a_)], &pb = m.links[u(b_)], bInA = pa.inverse() * pb;
    Guided::Of& of = *p.guided;
    if (path_.onePin) {
      const SweptSpace x(p.fx->mesh(), pa, t), y(p.fy->mesh(), pb, t);
      // like a sun in its ring: their surfaces never meet, nor does one hold the other, whose ring would lie in its own
      if (x.apart(y, p.errors + 2 * kTouch)) {
        of.still = true;
        of.known = 0;
        return;
      }
    }
    const auto about = [&](const Part& part, const Pose& pose) {
      return part.revolves && path_.onePin && part.turnsInItself(pose, t.at, t.w);
    };
    of.still = about(*p.x, pa) || about(*p.y, pb);
    if (of.still) {
      const bool far = MeshTree::apart(p.fx->whole(), p.fy->whole(), bInA, {}, p.errors + 2 * kTouch);
      of.known = far && !inside(p, pa, pb, 0) ? 0 : overlap(p, pa, pb) ? 2 : 1;
      return;
    }
    constexpr std::size_t kMost = 4000;
    const auto guide = guideAt(m);
    const auto near = [&](const MeshTree& x, const MeshTree& y, double margin) {
      return path_.oneSlide ? MeshTree::nearOnLine(x, y, bInA, guide, margin, kMost)
                            : MeshTree::nearOnAxis(x, y, bInA, guide, margin, kMost);
    };
    of.shrunk = near(p.fx->shrunk(p.shrinkX), p.fy->shrunk(p.shrinkY), 0);
    of.whole = near(p.fx->whole(), p.fy->whole(), p.errors + 2 * kTouch);
  });
}

/// What moves the two against one another: bodies of revolution that turn about their own axis stay as they are.
const PairTravel::Paths& PairTravel::pathsOf(PartPair& p, const kinematics::IntervalMotion& m) const {
  if (p.paths) return *p.paths;
  p.paths = Paths{path_, back_};
  if (path_.steps.size() < 2 || path_.onePin) return *p.paths;
  auto& steps = p.paths->there.steps;
  const auto still = [&](const Part& part, int link, const kinematics::PairPath::Step& s) {
    const auto& t = m.twists[u(s.dof)];
    return part.revolves && t.w.squaredNorm() > 0 && part.turnsInItself(m.links[u(link)], t.at, t.w);
  };
  while (!steps.empty() && still(*p.y, b_, steps.front())) steps.erase(steps.begin());
  while (!steps.empty() && still(*p.x, a_, steps.back())) steps.pop_back();
  if (steps.size() < path_.steps.size()) p.paths->back = p.paths->there.reversed();
  return *p.paths;
}
Motion PairTravel::motionOfB(PartPair& p, const kinematics::IntervalMotion& m) const {
  return m.pair(m.proven ? pathsOf(p, m).there : path_, a_, b_, p.y->centre, p.y->radius);
}
Motion PairTravel::motionOfA(PartPair& p, const kinematics::IntervalMotion& m) const {
  return m.pair(m.proven ? pathsOf(p, m).back : back_, b_, a_, p.x->centre, p.x->radius);
}

bool PairTravel::apartShrunk(PartPair& p, const Pose& bInA, const Motion& motion) {
  const MeshTree &x = p.fx->shrunk(p.shrinkX), &y = p.fy->shrunk(p.shrinkY);
  return p.settled && p.guided->shrunk ? MeshTree::apart(*p.guided->shrunk, x, y, bInA, motion, 0, &p.inner)
                                       : MeshTree::apart(x, y, bInA, motion, 0, &p.inner);
}

bool PairTravel::apartWhole(PartPair& p, const Pose& bInA, const Motion& motion) {
  const double margin = p.errors + 2 * kTouch;
  const MeshTree &x = p.fx->whole(), &y = p.fy->whole();
  return p.settled && p.guided->whole ? MeshTree::apart(*p.guided->whole, x, y, bInA, motion, margin, &p.whole)
                                      : MeshTree::apart(x, y, bInA, motion, margin, &p.whole);
}

bool PairTravel::overlap(PartPair& p, const Pose& pa, const Pose& pb) {
  if ((pa * p.x->centre - pb * p.y->centre).norm() > p.x->radius + p.y->radius) return false;
  if (!p.fine && apartRoughly(p, pa, pb, {})) return false;
  lookFinely(p);
  return !apartShrunk(p, pa.inverse() * pb, {}) || inside(p, pa, pb, p.shrinkX + p.shrinkY);
}

bool PairTravel::overlapAt(const Pose& pa, const Pose& pb) {
  return std::any_of(parts_.begin(), parts_.end(), [&](PartPair& p) { return overlap(p, pa, pb); });
}

bool PairTravel::freeAt(const Pose& pa, const Pose& pb) {
  return std::all_of(parts_.begin(), parts_.end(), [&](PartPair& p) {
    if ((pa * p.x->centre - pb * p.y->centre).norm() > p.x->radius + p.y->radius + p.errors) return true;
    if (!p.fine && apartRoughly(p, pa, pb, {})) return true;
    lookFinely(p);
    return apartWhole(p, pa.inverse() * pb, {}) && !inside(p, pa, pb, 0);
  });
}

bool PairTravel::overlapAt(double t) {
  if (!intervals_.poses(t, poses_)) return false;
  return overlapAt(poses_[u(a_)], poses_[u(b_)]);
}

/// A pin in its bore touches all along: no need to try each time whether it is free.
bool PairTravel::worthTrying() const { return meetingFor_ < kSurely || meetingFor_ % kSurely == 0; }

PairTravel::Found PairTravel::query(const kinematics::IntervalMotion& m, bool tryFree) {
  const Pose &pa = m.links[u(a_)], &pb = m.links[u(b_)];
  Found found = Found::free;
  {  // the links as wholes first
    const auto motion = m.pair(path_, a_, b_, gb_.centre(), gb_.radius());
    const Vec3 c = pa.inverse() * (pb * gb_.centre());
    const double way = wayOfSphere(motion, c, gb_.radius());
    if ((c - ga_.centre()).norm() > ga_.radius() + gb_.radius() + way) return Found::free;
  }
  const Pose bInA = pa.inverse() * pb;
  for (PartPair& p : parts_) {
    const Motion motion = motionOfB(p, m);
    const Vec3 c = bInA * p.y->centre;
    const double way = wayOfSphere(motion, c, p.y->radius);
    if ((c - p.x->centre).norm() > p.x->radius + p.y->radius + way) continue;
    way_ = way;
    shrinks_ = p.shrinkX + p.shrinkY;
    if (!p.fine) {
      if (apartRoughly(p, pa, pb, motion)) continue;
      // where a shorter interval will do, no finer mesh is needed; but one is made sooner than many are looked at
      if (p.opened < kRoughly && apartRoughly(p, pa, pb, {}, 2)) {
        ++p.opened;
        return Found::open;
      }
      lookFinely(p);
      if (cancelled()) return Found::open;
    }
    if (const auto known = byPitch(p, m)) {
      if (*known == Found::open) return Found::open;
      // whether joined parts have play is asked on its own
      if (*known == Found::meeting || joined_) found = Found::meeting;
      continue;
    }
    settle(p, m);
    if (p.settled && p.guided->still) {
      if (p.guided->known == 2) return Found::open;
      if (p.guided->known == 1) found = Found::meeting;
      continue;
    }
    if (tryFree && apartWhole(p, bInA, motion)) {
      // no surface meets the other: inside or outside for the whole interval
      if (!inside(p, pa, pb, 0)) continue;
      return Found::open;
    }
    if (!apartShrunk(p, bInA, motion)) return Found::open;
    if (inside(p, pa, pb, p.shrinkX + p.shrinkY)) return Found::open;
    found = Found::meeting;
  }
  return found;
}

double PairTravel::wayOf(const kinematics::IntervalMotion& m) {
  const Pose &pa = m.links[u(a_)], &pb = m.links[u(b_)], bInA = pa.inverse() * pb, aInB = bInA.inverse();
  double most = 0;
  for (PartPair& p : parts_) {
    // only where both are near one another matters: the smaller sphere holds it
    const double ofB = wayOfSphere(motionOfB(p, m), bInA * p.y->centre, p.y->radius);
    const double ofA = wayOfSphere(motionOfA(p, m), aInB * p.x->centre, p.x->radius);
    most = std::max(most, std::min(ofA, ofB));
  }
  return most;
}

double PairTravel::errors() const {
  double most = 0;
  for (const PartPair& p : parts_) most = std::max(most, p.errors);
  return most;
}

bool PairTravel::staysBeyond(const kinematics::IntervalMotion& m, double margin) {
  const Pose &pa = m.links[u(a_)], &pb = m.links[u(b_)], bInA = pa.inverse() * pb;
  return std::all_of(parts_.begin(), parts_.end(), [&](PartPair& p) {
    const Motion motion = motionOfB(p, m);
    const Vec3 c = bInA * p.y->centre;
    if ((c - p.x->centre).norm() > p.x->radius + p.y->radius + margin + wayOfSphere(motion, c, p.y->radius))
      return true;
    if (margin == 0)
      if (const auto known = byPitch(p, m)) return *known == Found::free;
    MeshTree::Hot none;
    return MeshTree::apart(p.fx->whole(), p.fy->whole(), bInA, motion, margin + p.errors, &none) &&
           !inside(p, pa, pb, 0);
  });
}

void PairTravel::push(double t0, double t1, Verdict v, bool proven, bool coarse) {
  if (v != Verdict::unsure) {
    unsureFor_ = 0;
    finest_ = kFinest;
  } else if (++unsureFor_ % kGraze == 0) {
    finest_ *= 2;
  }
  if (!stretches_.empty() && stretches_.back().verdict == v && stretches_.back().proven == proven &&
      stretches_.back().to == t0) {
    stretches_.back().to = t1;
    stretches_.back().coarse = stretches_.back().coarse || coarse;
    return;
  }
  stretches_.push_back({t0, t1, v, proven, coarse});
}

/// Where two triangles cross: the middle of the piece that they have in common, or of their nearest places.
static Vec3 crossingOf(const std::array<Vec3, 3>& a, const std::array<Vec3, 3>& b) {
  Vec3 sum = Vec3::Zero();
  int count = 0;
  const auto pierce = [&](const std::array<Vec3, 3>& edges, const std::array<Vec3, 3>& face) {
    const Vec3 n = (face[1] - face[0]).cross(face[2] - face[0]);
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 &p = edges[k], &q = edges[(k + 1) % 3];
      const double dp = n.dot(p - face[0]), dq = n.dot(q - face[0]);
      if (!(dp * dq < 0)) continue;
      const Vec3 x = p + dp / (dp - dq) * (q - p);
      int feature = 6;
      if ((nearestOnTriangle(x, face[0], face[1], face[2], feature) - x).norm() > 1e-9 * (1 + x.norm())) continue;
      sum += x;
      ++count;
    }
  };
  pierce(a, b);
  pierce(b, a);
  if (count > 0) return sum / count;
  Vec3 onA, onB;
  triangleDistance2(a, b, 1e300, onA, onB);
  return 0.5 * (onA + onB);
}

/// Is there a place that stays inside both for the whole interval? Three poses alone would not tell: a blade may have
/// gone round between them.
bool PairTravel::overlapThroughout(const kinematics::IntervalMotion& m) {
  const Pose &pa = m.links[u(a_)], &pb = m.links[u(b_)], bInA = pa.inverse() * pb;
  for (PartPair& p : parts_) {
    if (!overlap(p, pa, pb)) continue;
    const Meshed x{*p.x, *p.fx}, y{*p.y, *p.fy};
    std::vector<Vec3> starts;
    if (p.inner.a >= 0) {
      auto t = p.fy->shrunk(p.shrinkY).triangle(p.inner.b);
      for (Vec3& v : t) v = bInA * v;
      starts.push_back(crossingOf(p.fx->shrunk(p.shrinkX).triangle(p.inner.a), t));
    }
    // A place as deep in both as they are shrunk by stays in the one with more to spare while it moves by half of that.
    if (!starts.empty() && way_ <= kThin * (p.shrinkX + p.shrinkY) &&
        p.x->signedDistance(*p.fx, starts[0]) <= -0.9 * p.shrinkX &&
        p.y->signedDistance(*p.fy, bInA.inverse() * starts[0]) <= -0.9 * p.shrinkY)
      return true;
    for (const Vec3& v : p.fy->samples()) starts.push_back(bInA * v);
    starts.insert(starts.end(), p.fx->samples().begin(), p.fx->samples().end());
    const OverlapQuestion q{x, y, p.shrinkX, p.shrinkY, bInA, motionOfB(p, m), motionOfA(p, m)};
    if (p.witness.found(q, starts)) return true;
  }
  return false;
}

/// Is one question enough for an interval?
bool PairTravel::settled(double t0, double t1, bool several) {
  const auto m = intervals_.over(t0, t1, several || intervals_.obstacle().empty());
  if (!m) return false;
  const bool tryFree = worthTrying();
  const Found f = query(*m, tryFree);
  if (f == Found::open) return false;
  if (f == Found::meeting && tryFree && !joined_ && !neverFree() && freeAt(m->links[u(a_)], m->links[u(b_)]))
    return false;
  meetingFor_ = f == Found::meeting ? meetingFor_ + 1 : 0;
  push(t0, t1, f == Found::free ? Verdict::free : Verdict::meeting, m->proven);
  return true;
}

bool PairTravel::split(double t0, double t1, int depth) {
  if (cancelled()) return false;
  const double t = 0.5 * (t0 + t1);
  const bool mayProve = intervals_.obstacle().empty() && depth < kProofDepth;
  const auto m = intervals_.over(t0, t1, mayProve);
  if (!m && mayProve) return split(t0, t, depth + 1) && split(t, t1, depth + 1);  // half of it may be enclosed
  if (!m) {
    push(t0, t1, Verdict::unsure, false, true);
    return true;
  }
  const Pose &pa = m->links[u(a_)], &pb = m->links[u(b_)];
  const bool tryFree = worthTrying();
  way_ = 0;
  const Found f = query(*m, tryFree);
  const bool last = way_ <= finest_ || !(t0 < t && t < t1);
  if (f == Found::free) {
    meetingFor_ = 0;
    push(t0, t1, Verdict::free, m->proven);
    return true;
  }
  if (f == Found::meeting) {
    if (!tryFree || joined_ || last || depth >= kFreeDepth || neverFree() || !freeAt(pa, pb)) {
      ++meetingFor_;
      push(t0, t1, Verdict::meeting, m->proven);
      return true;
    }
    return split(t0, t, depth + 1) && split(t, t1, depth + 1);
  }
  // most often only the bound was too weak: half the interval tells more than the pose in its middle
  const bool hit = (depth >= 1 || last) && overlapAt(pa, pb);
  if (hit && overlapThroughout(*m)) {
    push(t0, t1, Verdict::overlap, m->proven);
    return true;
  }
  // Walls thinner than what is taken off hold no such place: over far less motion than that it is taken as it stands.
  if (hit && way_ <= kThin * shrinks_) {
    push(t0, t1, Verdict::overlap, false);
    return true;
  }
  if (last) {
    push(t0, t1, hit ? Verdict::overlap : Verdict::unsure, hit && m->proven, finest_ > kFinest);
    return true;
  }
  return split(t0, t, depth + 1) && split(t, t1, depth + 1);
}

bool PairTravel::over(const std::vector<double>& ends, std::size_t first, std::size_t last) {
  for (std::size_t at = first; at < last;) {
    if (cancelled()) return false;
    // aligned, so that pairs share their intervals
    std::size_t size = grain_;
    while (size > 1 && ((at - first) % size != 0 || at + size > last)) size /= 2;
    if (settled(ends[at], ends[at + size], size > 1)) {
      at += size;
      if (++eased_ >= 2 && size == grain_ && grain_ < kMostAtOnce) {
        grain_ *= 2;
        eased_ = 0;
      }
      continue;
    }
    eased_ = 0;
    if (size > 1) {
      grain_ = size / 2;
      continue;
    }
    if (!split(ends[at], ends[at + 1], 0)) return false;
    ++at;
  }
  return true;
}

}  // namespace cooperage::clearance
