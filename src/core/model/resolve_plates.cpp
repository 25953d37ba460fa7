// SPDX-License-Identifier: GPL-3.0-or-later
// Flat parts along the lines of links: what they are made along, and how far their pins reach from level to level.
#include <fmt/format.h>

#include <cmath>
#include <deque>
#include <map>

#include "base/index.h"
#include "drawing/link_plate.h"
#include "model/resolving.h"

namespace cooperage::model {
namespace {

using drawing::Vec2;

constexpr double kOneAxis = 1e-9;  // m
enum Figure : std::size_t { width, thickness, bore, pin, level, pitch };

/// Links that are pinned about one axis: along it, where each link's plate lies.
struct Axis {
  struct Member {
    int link = -1;
    Vec2 at{0, 0};             ///< in the axes of its plate
    double low = 0, high = 0;  ///< of the plate, along the axis of the first member
    double shift = 0;          ///< where its plate's axes lie along that
    int sign = 1;
  };
  std::vector<Member> members;
};

class Plates {
 public:
  explicit Plates(Resolving& ctx) : ctx_(ctx) {
    for (std::size_t i = 0; i < ctx.out.links.size(); ++i)
      for (auto& b : ctx.out.links[i].bodies)
        if (b.kind == BodyKind::linkPlate && !plate_.emplace(static_cast<int>(i), &b).second)
          further_.emplace_back(static_cast<int>(i), &b);
  }

  bool resolve() {
    if (plate_.empty()) return true;
    std::map<int, drawing::PlateSource> sources;
    for (const auto& [link, body] : plate_)
      if (!outlines(link, *body, sources[link])) return false;
    for (const Axis& axis : axes()) {
      places(axis, sources);
      auto& known = ctx_.out.pinAxes.emplace_back();
      for (const Axis::Member& m : axis.members)
        known.members.push_back(
            {m.link, plate_.at(m.link)->placement * Pose{Mat3::Identity(), Vec3(m.at.x(), m.at.y(), 0)}});
    }
    for (const auto& [link, source] : sources) {
      auto& figures = plate_[link]->figures;
      const auto numbers = drawing::encoded(source);
      figures.insert(figures.end(), numbers.begin(), numbers.end());
    }
    for (const auto& [link, body] : further_) {  // the pins are the first one's
      drawing::PlateSource source;
      if (!outlines(link, *body, source)) return false;
      const auto numbers = drawing::encoded(source);
      body->figures.insert(body->figures.end(), numbers.begin(), numbers.end());
    }
    return true;
  }

 private:
  double heightOf(const Resolved::BodyR& b) const { return b.figures[level] * b.figures[pitch]; }

  bool outlines(int link, const Resolved::BodyR& body, drawing::PlateSource& source) {
    const auto& own = *ctx_.m.links[u(link)];
    const Pose toPlate = body.placement.inverse();
    for (const auto& c : own.curves) {
      if (!c->outline || (c->kind != CurveKind::circle && c->kind != CurveKind::chain)) continue;
      const Pose plane = toPlate * ctx_.curveSeat[c->id];
      const std::string object = "curve " + own.name + "/" + c->name;
      if (std::abs(plane.R(2, 2)) < 1 - kOneAxis) {
        ctx_.warn("plate", object, "it lies in another plane than the link's plate, which leaves it out");
        continue;
      }
      drawing::Outline o;
      if (!outlineOf(ctx_, *c, object, o)) return false;
      source.outlines.push_back(drawing::mapped({plane.R.topLeftCorner<2, 2>(), plane.p.head<2>()}, o));
    }
    return true;
  }

  /// The seat of a joint on a link, in the axes of that link's plate; none if its axis isn't square to the plate.
  std::optional<Pose> seatOn(int link, const Pose& seat) const {
    const auto it = plate_.find(link);
    if (it == plate_.end()) return std::nullopt;
    const Pose s = it->second->placement.inverse() * seat;
    return std::abs(s.R(2, 2)) < 1 - kOneAxis ? std::nullopt : std::optional<Pose>(s);
  }

  /// Pins that lie on one axis belong together: two joints do that share a place of a link.
  std::vector<Axis> axes() const {
    struct Pin {
      int links[2];
      Pose seats[2];
      double slide = 0;
      bool flip = false, used = false;
    };
    std::vector<Pin> pins;
    for (const auto& j : ctx_.out.joints) {
      if (!j.enabled || j.kind != JointKind::revolute) continue;
      const auto a = seatOn(j.linkA, j.seatA), b = seatOn(j.linkB, j.seatB);
      if (a && b) pins.push_back({{j.linkA, j.linkB}, {*a, *b}, j.offset.p.z(), j.flip});
    }
    std::vector<Axis> out;
    for (Pin& first : pins) {
      if (first.used) continue;
      Axis axis;
      const auto add = [&](int link, const Pose& seat, double seatAt, int seatSign) {
        // the seat lies at seatAt along the axis and points along it or against it; the plate about the seat
        Axis::Member m;
        m.link = link;
        m.at = seat.p.head<2>();
        const int up = seat.R(2, 2) > 0 ? 1 : -1;
        m.sign = seatSign * up;
        m.shift = seatAt - m.sign * seat.p.z();
        const auto& body = *plate_.at(link);
        const double h = heightOf(body), t = body.figures[thickness];
        const double a = m.shift + m.sign * h, b = m.shift + m.sign * (h + t);
        m.low = std::min(a, b);
        m.high = std::max(a, b);
        axis.members.push_back(m);
      };
      add(first.links[0], first.seats[0], 0, 1);
      for (bool more = true; more;) {
        more = false;
        for (Pin& p : pins) {
          if (p.used) continue;
          for (int end = 0; end < 2 && !p.used; ++end)
            for (std::size_t k = 0; k < axis.members.size(); ++k) {
              const Axis::Member m = axis.members[k];
              if (m.link != p.links[end] || (m.at - p.seats[end].p.head<2>()).norm() > kOneAxis) continue;
              p.used = more = true;
              // along the axis, where this end's seat lies, then the other's
              const int up = p.seats[end].R(2, 2) > 0 ? 1 : -1, here = m.sign * up, over = p.flip ? -1 : 1;
              const double at = m.shift + m.sign * p.seats[end].p.z();
              const double other = end == 0 ? at + here * p.slide : at - here * over * p.slide;
              const bool known = std::any_of(axis.members.begin(), axis.members.end(), [&](const Axis::Member& x) {
                return x.link == p.links[1 - end] && (x.at - p.seats[1 - end].p.head<2>()).norm() <= kOneAxis;
              });
              if (!known) add(p.links[1 - end], p.seats[1 - end], other, here * over);
              break;
            }
        }
      }
      if (axis.members.size() > 1) out.push_back(std::move(axis));
    }
    return out;
  }

  /// One link of an axis carries the pin, ground if it is one of them, else the one that lies lowest; the others have a
  /// bore for it.
  void places(const Axis& axis, std::map<int, drawing::PlateSource>& sources) const {
    const Axis::Member* carrier = &axis.members.front();
    double low = carrier->low, high = carrier->high;
    for (const Axis::Member& m : axis.members) {
      low = std::min(low, m.low);
      high = std::max(high, m.high);
      const bool ground = ctx_.out.links[u(m.link)].ground, before = ctx_.out.links[u(carrier->link)].ground;
      const double own = plate_.at(m.link)->figures[level], best = plate_.at(carrier->link)->figures[level];
      if (ground != before ? ground : own < best) carrier = &m;
    }
    for (const Axis::Member& m : axis.members) {
      drawing::PinPlace p;
      p.at = m.at;
      p.carries = &m == carrier && plate_.at(m.link)->figures[pin] > 0;
      if (p.carries) {
        const double a = m.sign * (low - m.shift), b = m.sign * (high - m.shift);
        p.from = std::min(a, b);
        p.to = std::max(a, b);
      }
      sources[m.link].places.push_back(p);
    }
  }

  Resolving& ctx_;
  std::map<int, Resolved::BodyR*> plate_;  ///< by link; of several the first
  std::vector<std::pair<int, Resolved::BodyR*>> further_;
};

}  // namespace

bool resolveLinkPlates(Resolving& ctx) { return Plates(ctx).resolve(); }

}  // namespace cooperage::model
