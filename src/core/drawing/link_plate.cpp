// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawing/link_plate.h"

#include <algorithm>
#include <cmath>

#include "base/geometry.h"
#include "drawing/nurbs.h"

namespace cooperage::drawing {
namespace {

class NumberWriter {
 public:
  void put(double v) { out_.push_back(v); }
  void put(const Vec2& v) {
    put(v.x());
    put(v.y());
  }
  void put(const std::vector<double>& list) {
    put(static_cast<double>(list.size()));
    for (double v : list) put(v);
  }
  std::vector<double> take() { return std::move(out_); }

 private:
  std::vector<double> out_;
};

class NumberReader {
 public:
  NumberReader(const std::vector<double>& in, std::size_t at) : in_(in), at_(at) {}
  double number() { return in_.at(at_++); }
  std::size_t count() { return static_cast<std::size_t>(number()); }
  Vec2 point() {
    const double x = number();
    return {x, number()};
  }
  std::vector<double> list() {
    std::vector<double> out(count());
    for (double& v : out) v = number();
    return out;
  }

 private:
  const std::vector<double>& in_;
  std::size_t at_;
};

}  // namespace

std::vector<double> encoded(const PlateSource& source) {
  NumberWriter w;
  w.put(static_cast<double>(source.outlines.size()));
  for (const Outline& o : source.outlines) {
    w.put(o.closed ? 1 : 0);
    w.put(static_cast<double>(o.pieces.size()));
    for (const Piece& p : o.pieces) {
      w.put(static_cast<double>(p.kind));
      switch (p.kind) {
        case Piece::Kind::line:
          w.put(p.a);
          w.put(p.b);
          break;
        case Piece::Kind::conic:
          for (const Vec2& v : {p.centre, p.u, p.v}) w.put(v);
          w.put(p.from);
          w.put(p.to);
          break;
        case Piece::Kind::spline:
          w.put(p.spline->degree);
          w.put(p.spline->knots);
          w.put(static_cast<double>(p.spline->points.size()));
          for (const Vec2& v : p.spline->points) w.put(v);
          w.put(p.spline->weights);
          break;
      }
    }
  }
  w.put(static_cast<double>(source.places.size()));
  for (const PinPlace& p : source.places) {
    w.put(p.at);
    w.put(p.carries ? 1 : 0);
    w.put(p.from);
    w.put(p.to);
  }
  return w.take();
}

PlateSource decoded(const std::vector<double>& numbers, std::size_t from) {
  NumberReader r(numbers, from);
  PlateSource out;
  out.outlines.resize(r.count());
  for (Outline& o : out.outlines) {
    o.closed = r.number() != 0;
    o.pieces.resize(r.count());
    for (Piece& p : o.pieces) switch (static_cast<Piece::Kind>(static_cast<int>(r.number()))) {
        case Piece::Kind::line: {
          const Vec2 a = r.point();
          p = Piece::line(a, r.point());
          break;
        }
        case Piece::Kind::conic: {
          const Vec2 centre = r.point(), u = r.point(), v = r.point();
          const double begin = r.number();
          p = Piece::conic(centre, u, v, begin, r.number());
          break;
        }
        case Piece::Kind::spline: {
          Nurbs n;
          n.degree = static_cast<int>(r.number());
          n.knots = r.list();
          n.points.resize(r.count());
          for (Vec2& v : n.points) v = r.point();
          n.weights = r.list();
          p = Piece::of(std::move(n));
          break;
        }
      }
  }
  out.places.resize(r.count());
  for (PinPlace& p : out.places) {
    p.at = r.point();
    p.carries = r.number() != 0;
    p.from = r.number();
    p.to = r.number();
  }
  return out;
}

Loops loopsOf(const std::vector<Outline>& outlines, double near) {
  Loops out;
  std::vector<Outline> open;
  for (const Outline& o : outlines) {
    if (o.pieces.empty()) continue;
    if (o.closed || (o.end() - o.start()).norm() <= near) {
      out.closed.push_back(o);
      out.closed.back().closed = true;
    } else {
      open.push_back(o);
    }
  }
  std::vector<bool> used(open.size(), false);
  // at an end where three lines meet no chain goes on
  const auto others = [&](const Vec2& x) {
    int n = 0;
    for (const Outline& o : open) n += ((o.start() - x).norm() <= near) + ((o.end() - x).norm() <= near);
    return n;
  };
  for (std::size_t i = 0; i < open.size(); ++i) {
    if (used[i]) continue;
    used[i] = true;
    Outline chain = open[i];
    for (int way = 0; way < 2 && !chain.closed; ++way) {
      for (bool more = true; more && !chain.closed;) {
        more = false;
        if (others(chain.end()) != 2) break;
        for (std::size_t k = 0; k < open.size() && !more; ++k) {
          if (used[k]) continue;
          const bool start = (open[k].start() - chain.end()).norm() <= near,
                     end = (open[k].end() - chain.end()).norm() <= near;
          if (!start && !end) continue;
          used[k] = more = true;
          const Outline next = start ? open[k] : reversed(open[k]);
          chain.pieces.insert(chain.pieces.end(), next.pieces.begin(), next.pieces.end());
        }
        chain.closed = (chain.end() - chain.start()).norm() <= near && chain.pieces.size() > 1;
      }
      if (!chain.closed) chain = reversed(chain);
    }
    (chain.closed ? out.closed : out.open).push_back(std::move(chain));
  }
  return out;
}

bool runsAbout(const Outline& closed, const Vec2& x) {
  // the winding of its points, so near to it that none of them can pass the point on the other side
  const double distance = nearestPlace(closed, x).distance;
  const auto points = flattened(closed, std::max(0.25 * distance, 1e-12));
  double turned = 0;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const Vec2 a = points[i] - x, b = points[(i + 1) % points.size()] - x;
    turned += std::atan2(a.x() * b.y() - a.y() * b.x(), a.dot(b));
  }
  return std::abs(turned) > kPi;
}

bool isInside(const std::vector<Outline>& closed, const Vec2& x) {
  return std::count_if(closed.begin(), closed.end(), [&](const Outline& o) { return runsAbout(o, x); }) % 2 == 1;
}

}  // namespace cooperage::drawing
