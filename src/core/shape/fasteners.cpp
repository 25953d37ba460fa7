// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/fasteners.h"

#include <fmt/format.h>

#include <BRep_Tool.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>

#include "base/units.h"
#include "shape/face_features.h"
#include "shape/measure.h"
#include "shape/occt_units.h"
#include "shape/refresh.h"

namespace cooperage::shape {
namespace {

constexpr int kMostFaces = 80;
constexpr double kRoom = 2e-4;  // m; so much play between head and nut still clamps

using Spans = std::vector<std::pair<double, double>>;

/// What is covered of a stretch, and whether gaps wider than a room are left.
bool isFilled(Spans spans, double low, double high) {
  std::sort(spans.begin(), spans.end());
  double at = low;
  for (const auto& [a, b] : spans) {
    if (a > at + kRoom) break;
    at = std::max(at, b);
  }
  return at > high - kRoom;
}

double lengthOf(Spans spans) {
  std::sort(spans.begin(), spans.end());
  double sum = 0, at = -1e300;
  for (const auto& [a, b] : spans) {
    sum += std::max(0.0, b - std::max(a, at));
    at = std::max(at, b);
  }
  return sum;
}

/// A line in space.
struct Axis {
  Vec3 at, along;
  double of(const Vec3& p) const { return (p - at).dot(along); }
  double off(const Vec3& p) const { return (p - at - of(p) * along).norm(); }
};

/// Reach of a round face along a line, if it is about that line. @param slack m sideways
std::optional<std::pair<double, double>> reachOn(const Axis& axis, const RoundFace& f, const Pose& pose, double slack) {
  const Vec3 a = pose * f.low, b = pose * f.high;
  if (axis.off(a) > slack || axis.off(b) > slack) return std::nullopt;
  return std::minmax(axis.of(a), axis.of(b));
}

/// Figures of a solid about its one axis.
struct Turned {
  Axis axis;
  double low = 1e300, high = -1e300, reach = 0;    ///< along it; furthest corner from it
  std::vector<std::pair<double, double>> corners;  ///< place along, distance
  std::map<double, Spans> outward, inward;         ///< by radius
  std::vector<double> flats;                       ///< distances of planes along the axis
};

std::optional<Turned> turnedOf(const TopoDS_Shape& solid) {
  int faces = 0;
  for (TopExp_Explorer f(solid, TopAbs_FACE); f.More(); f.Next()) ++faces;
  if (faces > kMostFaces) return std::nullopt;
  const RoundFacesPtr rounds = roundFacesOf(solid);
  const auto longest = std::max_element(rounds->begin(), rounds->end(), [](const RoundFace& a, const RoundFace& b) {
    return (a.cone ? 0 : (a.high - a.low).norm()) < (b.cone ? 0 : (b.high - b.low).norm());
  });
  if (longest == rounds->end() || longest->cone || (longest->high - longest->low).norm() < 1e-6) return std::nullopt;
  Turned t;
  t.axis = {longest->low, (longest->high - longest->low).normalized()};
  for (const RoundFace& f : *rounds) {
    const auto reach = reachOn(t.axis, f, Pose{}, 1e-5 + 0.01 * longest->radius);
    if (!reach) return std::nullopt;  // turned about more than one axis
    if (f.cone) continue;
    auto& by = f.inward ? t.inward : t.outward;
    double radius = f.radius;
    for (const auto& [known, spans] : by)
      if (std::abs(known - radius) < 1e-6 + 1e-4 * radius) radius = known;
    by[radius].push_back(*reach);
  }
  for (TopExp_Explorer v(solid, TopAbs_VERTEX); v.More(); v.Next()) {
    const Vec3 p = point(BRep_Tool::Pnt(TopoDS::Vertex(v.Current())));
    t.corners.emplace_back(t.axis.of(p), t.axis.off(p));
    t.low = std::min(t.low, t.corners.back().first);
    t.high = std::max(t.high, t.corners.back().first);
    t.reach = std::max(t.reach, t.corners.back().second);
  }
  for (TopExp_Explorer e(solid, TopAbs_FACE); e.More(); e.Next()) {
    const model::Feature f = featureOf(TopoDS::Face(e.Current()));
    if (f.kind != model::FeatureKind::plane || std::abs(f.axis.normalized().dot(t.axis.along)) > 0.01) continue;
    t.flats.push_back(std::abs((f.at - t.axis.at).dot(f.axis.normalized())));
  }
  return t;
}

/// Distance of the outermost flats, if four or more are alike: a hexagon or a square.
std::optional<double> polygonOf(const Turned& t) {
  if (t.flats.empty()) return std::nullopt;
  const double out = *std::max_element(t.flats.begin(), t.flats.end());
  const auto alike = std::count_if(t.flats.begin(), t.flats.end(), [&](double d) { return d > 0.98 * out; });
  return alike >= 4 ? std::optional<double>(out) : std::nullopt;
}

std::optional<Fastener> ringOf(const Turned& t) {
  if (t.inward.empty()) return std::nullopt;
  const auto& [bore, spans] = *t.inward.begin();
  const double height = t.high - t.low;
  Fastener f{FastenerKind::none, t.axis.at, t.axis.along, bore, t.low, t.high, 0};
  if (lengthOf(spans) < 0.6 * height) return std::nullopt;
  if (const auto flats = polygonOf(t)) {
    if (*flats < 1.2 * bore || *flats > 3 * bore || height < 0.4 * bore || height > 4 * bore) return std::nullopt;
    f.kind = FastenerKind::nut;
    return f;
  }
  if (!t.flats.empty() || t.outward.empty()) return std::nullopt;
  const double outside = t.outward.rbegin()->first;
  if (outside < 1.3 * bore || outside > 4 * bore || height > 0.8 * bore) return std::nullopt;
  f.kind = FastenerKind::washer;
  return f;
}

std::optional<Fastener> boltOf(const Turned& t) {
  // the shank: the longest of what is narrower than the head
  double shank = 0, length = 0;
  for (const auto& [radius, spans] : t.outward)
    if (radius < 0.85 * t.reach && lengthOf(spans) > length) {
      shank = radius;
      length = lengthOf(spans);
    }
  if (shank == 0) return std::nullopt;
  double low = 1e300, high = -1e300;  // of the head
  for (const auto& [s, off] : t.corners)
    if (off > 1.15 * shank) {
      low = std::min(low, s);
      high = std::max(high, s);
    }
  const double whole = t.high - t.low, slack = 0.05 * whole;
  const bool atLow = low<t.low + slack, atHigh = high> t.high - slack;
  if (atLow == atHigh || high - low > 3 * shank) return std::nullopt;
  const double rest = whole - (high - low);
  Spans thin;
  for (const auto& [radius, spans] : t.outward)
    if (radius > 0.7 * shank && radius < 1.05 * shank) thin.insert(thin.end(), spans.begin(), spans.end());
  if (rest < 1.5 * shank || lengthOf(thin) < 0.5 * rest) return std::nullopt;
  for (const auto& [radius, spans] : t.inward)  // hollow: a bush
    for (const auto& [a, b] : spans)
      if (atLow ? b > high + slack : a < low - slack) return std::nullopt;
  Fastener f;
  f.kind = FastenerKind::bolt;
  f.radius = shank;
  f.at = t.axis.at;
  f.axis = atLow ? t.axis.along : Vec3(-t.axis.along);
  f.low = atLow ? t.low : -t.high;
  f.high = atLow ? t.high : -t.low;
  f.seat = atLow ? high : -low;
  return f;
}

/// One solid in place with what it was found to be.
struct Part {
  Fastener fastener;  ///< ground axes
  RoundFacesPtr rounds;
  Pose pose;
};

Axis axisOf(const Fastener& f) { return {f.at, f.axis}; }

/// Reach of a fastener along another one's axis, if both are on one.
std::optional<std::pair<double, double>> reachOn(const Axis& axis, const Fastener& f, double slack) {
  const Vec3 a = f.at + f.low * f.axis, b = f.at + f.high * f.axis;
  if (axis.off(a) > slack || axis.off(b) > slack) return std::nullopt;
  return std::minmax(axis.of(a), axis.of(b));
}

/// Who moves with whom.
class Union {
 public:
  explicit Union(std::size_t n) : parent_(n) { std::iota(parent_.begin(), parent_.end(), std::size_t{0}); }
  std::size_t root(std::size_t i) const {
    while (parent_[i] != i) i = parent_[i];
    return i;
  }
  void join(std::size_t a, std::size_t b) {
    a = root(a);
    b = root(b);
    parent_[std::max(a, b)] = std::min(a, b);
  }

 private:
  std::vector<std::size_t> parent_;
};

class Grouping {
 public:
  explicit Grouping(const std::vector<Part>& parts) : parts_(parts), groups_(parts.size()), placed_(parts.size()) {}

  void bolts() {
    for (std::size_t i = 0; i < parts_.size(); ++i)
      if (parts_[i].fastener.kind == FastenerKind::bolt) bolt(i);
  }
  void looseNuts() {
    for (std::size_t i = 0; i < parts_.size(); ++i)
      if (parts_[i].fastener.kind == FastenerKind::nut && !placed_[i]) nutOnPin(i);
  }
  void looseWashers() {
    for (std::size_t i = 0; i < parts_.size(); ++i)
      if (parts_[i].fastener.kind == FastenerKind::washer && !placed_[i]) washer(i);
  }
  std::vector<LinkProposal> links() const {
    std::map<std::size_t, LinkProposal> byRoot;
    for (std::size_t i = 0; i < parts_.size(); ++i) byRoot[groups_.root(i)].solids.push_back(static_cast<int>(i));
    for (const auto& [who, why] : reasons_) byRoot[groups_.root(who)].reasons.push_back(why);
    std::vector<LinkProposal> out;
    for (auto& [root, link] : byRoot) out.push_back(std::move(link));
    return out;
  }

 private:
  struct Bored {
    std::size_t part;
    double low, high, bore;  ///< of its bores on the axis; the narrowest
  };
  /// Parts that are no bolts or nuts with a bore on an axis that a shank goes through, within a stretch.
  std::vector<Bored> boredOn(const Axis& axis, double shank, double low, double high, std::size_t but) const {
    std::vector<Bored> out;
    for (std::size_t k = 0; k < parts_.size(); ++k) {
      const auto kind = parts_[k].fastener.kind;
      if (k == but || kind == FastenerKind::bolt || kind == FastenerKind::nut) continue;
      Bored b{k, 1e300, -1e300, 1e300};
      for (const RoundFace& f : *parts_[k].rounds) {
        if (!f.inward) continue;
        const auto reach = reachOn(axis, f, parts_[k].pose, 0.3 * shank);
        if (!reach || reach->second < low || reach->first > high) continue;
        b.low = std::min(b.low, reach->first);
        b.high = std::max(b.high, reach->second);
        if (!f.cone) b.bore = std::min(b.bore, f.radius);
      }
      if (b.bore > 0.7 * shank && b.bore < 1.6 * shank && b.low < b.high) out.push_back(b);
    }
    return out;
  }

  void bolt(std::size_t i) {
    const Fastener& b = parts_[i].fastener;
    const Axis axis = axisOf(b);
    std::vector<std::size_t> nuts;
    double end = b.high;
    for (std::size_t k = 0; k < parts_.size(); ++k) {
      const Fastener& n = parts_[k].fastener;
      if (n.kind != FastenerKind::nut || n.radius < 0.7 * b.radius || n.radius > 1.05 * b.radius) continue;
      const auto reach = reachOn(axis, n, 0.3 * b.radius);
      if (!reach || reach->first < b.seat - kRoom || reach->first > b.high) continue;
      nuts.push_back(k);
      end = std::min(end, reach->first);
    }
    std::vector<Bored> on = boredOn(axis, b.radius, b.seat + kRoom, end - kRoom, i);
    bool screwed = false;
    if (nuts.empty()) {
      // screwed into the last part that its tip reaches
      const auto last =
          std::max_element(on.begin(), on.end(), [](const Bored& x, const Bored& y) { return x.high < y.high; });
      screwed = last != on.end() && last->bore <= 1.02 * b.radius;
      if (screwed) end = last->low;
    }
    Spans spans;
    for (const Bored& x : on) spans.emplace_back(x.low, x.high);
    const bool clamps = (screwed || !nuts.empty()) && !on.empty() && isFilled(spans, b.seat, end);
    for (const std::size_t n : nuts) take(i, n);
    int held = 0;
    for (const Bored& x : on) {
      const bool washer = parts_[x.part].fastener.kind == FastenerKind::washer;
      if (!washer && !clamps) continue;
      if (washer && nuts.empty() && !clamps) continue;
      take(i, x.part);
      held += washer ? 0 : 1;
    }
    if (nuts.empty() && !clamps) return;
    const std::string what = fmt::format("bolt of {}", millimetres(2 * b.radius));
    const std::string parts = fmt::format("{} {}", held, held == 1 ? "part" : "parts");
    reasons_.emplace_back(i, clamps ? screwed ? fmt::format("{} is screwed into one of {}", what, parts)
                                              : fmt::format("{} with its nut clamps {}", what, parts)
                                    : fmt::format("{} with its nut; there is room between head and nut", what));
  }

  void nutOnPin(std::size_t i) {
    const Fastener& n = parts_[i].fastener;
    const Axis axis = axisOf(n);
    const double middle = 0.5 * (n.low + n.high);
    for (std::size_t k = 0; k < parts_.size(); ++k) {
      if (k == i || parts_[k].fastener.kind == FastenerKind::nut) continue;
      for (const RoundFace& f : *parts_[k].rounds) {
        if (f.cone || f.inward || f.radius < 0.9 * n.radius || f.radius > 1.3 * n.radius) continue;
        const auto reach = reachOn(axis, f, parts_[k].pose, 0.3 * n.radius);
        if (!reach || reach->first > middle || reach->second < middle) continue;
        take(k, i);
        reasons_.emplace_back(k, fmt::format("nut on its pin of {}", millimetres(2 * f.radius)));
        return;
      }
    }
  }

  void washer(std::size_t i) {
    const Fastener& w = parts_[i].fastener;
    const Axis axis = axisOf(w);
    for (std::size_t k = 0; k < parts_.size(); ++k) {
      const Fastener& f = parts_[k].fastener;
      if (k == i || f.kind == FastenerKind::none) continue;
      const auto reach = reachOn(axis, f, 0.3 * w.radius);
      const double seat = f.kind == FastenerKind::bolt ? axis.of(f.at + f.seat * f.axis) : 0;
      const bool against =
          reach && (f.kind == FastenerKind::bolt
                        ? std::min(std::abs(seat - w.low), std::abs(seat - w.high)) < kRoom
                        : std::abs(reach->first - w.high) < kRoom || std::abs(reach->second - w.low) < kRoom);
      if (!against) continue;
      take(k, i);
      return;
    }
  }

  void take(std::size_t a, std::size_t b) {
    groups_.join(a, b);
    placed_[a] = placed_[b] = true;
  }

  const std::vector<Part>& parts_;
  Union groups_;
  std::vector<bool> placed_;
  std::vector<std::pair<std::size_t, std::string>> reasons_;
};

}  // namespace

Fastener fastenerOf(const TopoDS_Shape& solid) {
  const auto turned = turnedOf(solid);
  if (!turned) return {};
  if (const auto bolt = boltOf(*turned)) return *bolt;
  if (const auto ring = ringOf(*turned)) return *ring;
  return {};
}

std::vector<LinkProposal> proposeLinks(const std::vector<std::pair<TopoDS_Shape, Pose>>& solids, Progress* progress) {
  std::vector<Part> parts;
  for (std::size_t i = 0; i < solids.size(); ++i) {
    if (progress) {
      progress->report(static_cast<double>(i) / static_cast<double>(solids.size()));
      if (progress->cancelled()) return {};
    }
    Part p;
    p.pose = solids[i].second;
    p.fastener = fastenerOf(solids[i].first);
    p.fastener.at = p.pose * p.fastener.at;
    p.fastener.axis = p.pose.R * p.fastener.axis;
    p.rounds = roundFacesOf(solids[i].first);
    parts.push_back(std::move(p));
  }
  Grouping grouping(parts);
  grouping.bolts();
  grouping.looseNuts();
  grouping.looseWashers();
  std::vector<LinkProposal> out = grouping.links();
  double most = 0;
  LinkProposal* ground = nullptr;
  for (LinkProposal& link : out) {
    double volume = 0;
    for (const int i : link.solids) volume += volumeOf(solids[static_cast<std::size_t>(i)].first);
    if (volume <= most) continue;
    most = volume;
    ground = &link;
  }
  if (ground) ground->ground = true;
  return out;
}

}  // namespace cooperage::shape
