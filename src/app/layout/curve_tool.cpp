// SPDX-License-Identifier: GPL-3.0-or-later
#include "curve_tool.h"

#include <cmath>
#include <limits>

#include "base/geometry.h"
#include "curves/table.h"

namespace cooperage::app {

using Vec2 = Eigen::Vector2d;

bool drawsCurve(DrawTool tool) {
  return tool != DrawTool::link && tool != DrawTool::pivot && tool != DrawTool::plate && tool != DrawTool::dimension;
}

std::size_t pointsWanted(DrawTool tool) {
  switch (tool) {
    case DrawTool::arc:
    case DrawTool::centreArc: return 3;
    case DrawTool::plate:
    case DrawTool::spline: return std::numeric_limits<std::size_t>::max();
    default: return 2;
  }
}

std::optional<drawing::Outline> curveThrough(DrawTool tool, const std::vector<Vec2>& x) {
  using drawing::Piece;
  if (x.size() < 2) return std::nullopt;
  drawing::Outline o;
  switch (tool) {
    case DrawTool::link:
    case DrawTool::pivot:
    case DrawTool::dimension: return std::nullopt;
    case DrawTool::plate:
      for (std::size_t i = 1; i < x.size(); ++i) o.pieces.push_back(Piece::line(x[i - 1], x[i]));
      return o;
    case DrawTool::line: o.pieces = {Piece::line(x[x.size() - 2], x.back())}; return o;
    case DrawTool::rectangle: {
      const Vec2 a = x[0], c = x[1], b(c.x(), a.y()), d(a.x(), c.y());
      if (std::abs(a.x() - c.x()) < 1e-9 || std::abs(a.y() - c.y()) < 1e-9) return std::nullopt;
      o.pieces = {Piece::line(a, b), Piece::line(b, c), Piece::line(c, d), Piece::line(d, a)};
      o.closed = true;
      return o;
    }
    case DrawTool::circle: o = {{Piece::arc(x[0], (x[1] - x[0]).norm(), 0, 2 * kPi)}, true}; return o;
    case DrawTool::arc: {
      if (x.size() < 3) return drawing::Outline{{Piece::line(x[0], x[1])}, false};
      // the circle through three points, from the first to the second past the third
      const Vec2 b = x[1] - x[0], c = x[2] - x[0];
      const double d = 2 * (b.x() * c.y() - b.y() * c.x());
      if (std::abs(d) < 1e-12 * b.norm() * c.norm()) return std::nullopt;
      const Vec2 u((c.y() * b.squaredNorm() - b.y() * c.squaredNorm()) / d,
                   (b.x() * c.squaredNorm() - c.x() * b.squaredNorm()) / d);
      const Vec2 centre = x[0] + u;
      const auto angle = [&](const Vec2& p) { return std::atan2(p.y() - centre.y(), p.x() - centre.x()); };
      const auto after = [&](double a) { return a - angle(x[0]) + (a < angle(x[0]) ? 2 * kPi : 0); };
      const double to = after(angle(x[1])), through = after(angle(x[2]));
      o.pieces = {Piece::arc(centre, u.norm(), angle(x[0]), through < to ? to : to - 2 * kPi)};
      return o;
    }
    case DrawTool::centreArc: {
      const double r = (x[1] - x[0]).norm();
      if (x.size() < 3) return drawing::Outline{{Piece::line(x[0], x[1])}, false};
      const auto angle = [&](const Vec2& p) { return std::atan2(p.y() - x[0].y(), p.x() - x[0].x()); };
      double sweep = angle(x[2]) - angle(x[1]);
      if (sweep <= 0) sweep += 2 * kPi;
      o.pieces = {Piece::arc(x[0], r, angle(x[1]), sweep)};
      return o;
    }
    case DrawTool::spline: {
      std::vector<double> t{0};
      for (std::size_t i = 1; i < x.size(); ++i) t.push_back(t.back() + (x[i] - x[i - 1]).norm());
      o.pieces = {Piece::of(drawing::throughPoints(t, x, curves::cubicSlopes(t, x, nullptr, nullptr, false)))};
      return o;
    }
  }
  return std::nullopt;
}

}  // namespace cooperage::app
