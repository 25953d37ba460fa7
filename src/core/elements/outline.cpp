// SPDX-License-Identifier: GPL-3.0-or-later
#include "elements/outline.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cooperage::elements {

using Vec2 = Eigen::Vector2d;

std::vector<Vec2> sampled(const curves::Curve& curve, double tolerance) {
  std::vector<double> knots{curve.low()};
  for (double c : curve.corners())
    if (c > curve.low() && c < curve.high()) knots.push_back(c);
  knots.push_back(curve.high());
  std::vector<Vec2> out;
  for (std::size_t i = 0; i + 1 < knots.size(); ++i) {
    const double a = knots[i], h = knots[i + 1] - a;
    // sagitta of a chord = second derivative across it / 8 h^2
    double bend = 0;
    for (int k = 0; k <= 32; ++k) {
      const auto p = curve.at(a + h * (k + 0.5) / 33);
      bend = std::max(bend, (p[2] - p[2].dot(p[1]) / p[1].squaredNorm() * p[1]).norm());
    }
    const int n = std::clamp(static_cast<int>(std::ceil(h * std::sqrt(1.3 * bend / (8 * tolerance)))), 1, 20000);
    for (int k = 0; k < n; ++k) out.push_back(curve.at(a + h * k / n)[0].head<2>());
  }
  if (!curve.closed()) out.push_back(curve.at(curve.high())[0].head<2>());
  return out;
}

std::string outlineDxf(const std::vector<Vec2>& points, bool closed) {
  // group codes of the published R12 exchange format; figures in mm ($INSUNITS came later and readers ignore it)
  std::string out = "0\nSECTION\n2\nENTITIES\n0\nPOLYLINE\n8\nPROFILE\n66\n1\n10\n0.0\n20\n0.0\n30\n0.0\n70\n";
  out += closed ? "1\n" : "0\n";
  for (const Vec2& p : points)
    out += fmt::format("0\nVERTEX\n8\nPROFILE\n10\n{:.9f}\n20\n{:.9f}\n30\n0.0\n", p.x() * 1e3, p.y() * 1e3);
  return out + "0\nSEQEND\n8\nPROFILE\n0\nENDSEC\n0\nEOF\n";
}

std::string outlineSvg(const std::vector<Vec2>& points, bool closed) {
  Vec2 low(1e300, 1e300), high(-1e300, -1e300);
  for (const Vec2& p : points) {
    low = low.cwiseMin(p);
    high = high.cwiseMax(p);
  }
  const Vec2 size = 1e3 * (high - low);
  std::string out = fmt::format(
      "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{:.6f}mm\" "
      "height=\"{:.6f}mm\" viewBox=\"0 0 {:.6f} {:.6f}\">\n<path fill=\"none\" stroke=\"black\" stroke-width=\"0.1\" "
      "d=\"",
      size.x(), size.y(), size.x(), size.y());
  for (std::size_t i = 0; i < points.size(); ++i)
    out += fmt::format("{}{:.6f} {:.6f}", i == 0 ? "M" : " L", 1e3 * (points[i].x() - low.x()),
                       1e3 * (high.y() - points[i].y()));
  return out + (closed ? " Z" : "") + "\"/>\n</svg>\n";
}

std::string outlineCsv(const std::vector<Vec2>& points) {
  std::string out = "x [mm],y [mm]\n";
  for (const Vec2& p : points) out += fmt::format("{:.9f},{:.9f}\n", 1e3 * p.x(), 1e3 * p.y());
  return out;
}

}  // namespace cooperage::elements
