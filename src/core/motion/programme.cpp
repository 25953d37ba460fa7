// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/programme.h"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <limits>

#include "base/geometry.h"

namespace cooperage::motion {
namespace {

constexpr double kForever = std::numeric_limits<double>::infinity();

/// Integral of a smooth speed formula by Gauss-Legendre with 5 points on n panels.
double integrate(const model::Resolved::FormulaR& rate, double t) {
  constexpr std::array<double, 5> x{-0.9061798459386640, -0.5384693101056831, 0, 0.5384693101056831,
                                    0.9061798459386640};
  constexpr std::array<double, 5> w{0.2369268850561891, 0.4786286704993665, 0.5688888888888889, 0.4786286704993665,
                                    0.2369268850561891};
  const int panels = std::max(8, static_cast<int>(std::ceil(t * 20)));
  const double h = t / panels;
  double sum = 0;
  for (int i = 0; i < panels; ++i)
    for (std::size_t k = 0; k < 5; ++k) {
      const double at = h * (i + 0.5 + 0.5 * x[k]);
      sum += 0.5 * h * w[k] * rate.at([&](const Symbol&) { return Jet(at); }).v;
    }
  return sum;
}

}  // namespace

Normalised normalisedMove(const std::string& law, double x, double up, double down) {
  if (law == "linear") return {x, 1, 0, 0};
  if (law == "parabolic") {
    if (x < 0.5) return {2 * x * x, 4 * x, 4, 0};
    return {1 - 2 * (1 - x) * (1 - x), 4 * (1 - x), -4, 0};
  }
  if (law == "harmonic")
    return {0.5 * (1 - std::cos(kPi * x)), 0.5 * kPi * std::sin(kPi * x), 0.5 * kPi * kPi * std::cos(kPi * x),
            -0.5 * kPi * kPi * kPi * std::sin(kPi * x)};
  if (law == "cycloidal") {
    const double p = 2 * kPi * x;
    return {x - std::sin(p) / (2 * kPi), 1 - std::cos(p), 2 * kPi * std::sin(p), 4 * kPi * kPi * std::cos(p)};
  }
  if (law == "poly-345")
    return {x * x * x * (10 + x * (-15 + 6 * x)), 30 * x * x * (1 - x) * (1 - x), 60 * x * (1 + x * (-3 + 2 * x)),
            60 * (1 + x * (-6 + 6 * x))};
  if (law == "poly-4567")
    return {x * x * x * x * (35 + x * (-84 + x * (70 - 20 * x))), 140 * std::pow(x * (1 - x), 3),
            420 * x * x * (1 - x) * (1 - x) * (1 - 2 * x), 840 * x * (1 + x * (-6 + x * (10 - 5 * x)))};
  if (law == "smooth-step") return {x * x * (3 - 2 * x), 6 * x * (1 - x), 6 - 12 * x, -12};
  // trapezoid of speed: area 1 with plateau v
  const double v = 1 / (1 - 0.5 * (up + down));
  if (x < up) return {0.5 * v / up * x * x, v / up * x, v / up, 0};
  if (x > 1 - down) {
    const double y = 1 - x;
    return {1 - 0.5 * v / down * y * y, v / down * y, -v / down, 0};
  }
  return {0.5 * v * up + v * (x - up), v, 0, 0};
}

Result<Programme> Programme::compile(const std::vector<model::Resolved::RowR>& rows, double start, bool reverse,
                                     const std::string& drive) {
  Programme p;
  p.start_ = start;
  p.sign_ = reverse ? -1 : 1;
  double value = start, speed = 0, t = 0;
  const auto figure = [](const model::Resolved::RowR& r, const char* key, double otherwise) {
    const auto it = r.figures.find(key);
    return it == r.figures.end() ? otherwise : it->second;
  };
  for (const auto& r : rows) {
    Row row;
    row.law = r.law;
    row.kind = r.law == "dwell"                           ? Kind::dwell
               : r.law == "constant-speed"                ? Kind::constantSpeed
               : r.law == "run-up" || r.law == "run-down" ? Kind::ramp
               : r.law == "sine"                          ? Kind::sine
               : r.law == "formula"                       ? Kind::formula
               : r.law == "speed-formula"                 ? Kind::speedFormula
               : r.law == "polynomial"                    ? Kind::polynomial
                                                          : Kind::move;
    row.from = value;
    row.formula = r.formula;
    row.list = r.list;
    row.duration = figure(r, "time", kForever);
    row.speed = figure(r, "speed", speed);
    row.acceleration = figure(r, "acceleration", 0);
    if (r.law == "run-up") {
      row.acceleration = std::copysign(row.acceleration, row.speed - speed);
      row.duration = std::abs(row.speed - speed) / std::abs(row.acceleration);
      row.speed = speed;  // the speed at the row's start
    } else if (r.law == "run-down") {
      row.acceleration = -std::copysign(row.acceleration, speed);
      row.duration = std::abs(speed / row.acceleration);
      row.speed = speed;
    } else if (r.figures.count("to") + r.figures.count("by") > 0) {
      row.rise = r.figures.count("to") ? figure(r, "to", value) - value : figure(r, "by", 0);
      row.up = figure(r, "up", 1.0 / 3);
      row.down = figure(r, "down", 1.0 / 3);
      if (!(row.up > 0) || !(row.down > 0) || row.up + row.down > 1 + 1e-12)
        return Error{"law", drive,
                     fmt::format("drive {}: up and down must be greater than zero and add to 1 at most", drive)};
    } else if (r.law == "sine") {
      row.mean = figure(r, "mean", value);
      row.amplitude = figure(r, "amplitude", 0);
      row.frequency = figure(r, "frequency", 0);
      row.phase = figure(r, "phase", 0);
    }
    p.rows_.push_back(row);
    t += row.duration;
    p.knots_.push_back(t);
    if (!std::isfinite(t)) break;
    const MotionState end = p.rowAt(p.rows_.back(), row.duration);
    value = end.position;
    speed = row.law == "run-down" ? 0 : end.velocity;
    if (!std::isfinite(value))
      return Error{"law", drive, fmt::format("drive {}: the programme has no finite value", drive)};
  }
  p.last_ = value;
  return p;
}

MotionState Programme::rowAt(const Row& row, double t) const {
  const Kind kind = row.kind;
  if (kind == Kind::dwell) return {row.from, 0, 0, 0};
  if (kind == Kind::constantSpeed) return {row.from + row.speed * t, row.speed, 0, 0};
  if (kind == Kind::ramp)
    return {row.from + row.speed * t + 0.5 * row.acceleration * t * t, row.speed + row.acceleration * t,
            row.acceleration, 0};
  if (kind == Kind::sine) {
    const double w = 2 * kPi * row.frequency, p = w * t + row.phase;
    return {row.mean + row.amplitude * std::sin(p), row.amplitude * w * std::cos(p),
            -row.amplitude * w * w * std::sin(p), -row.amplitude * w * w * w * std::cos(p)};
  }
  if (kind == Kind::formula || kind == Kind::speedFormula) {
    const Jet j = row.formula->at([&](const Symbol&) { return Jet(t, 1, 0, 0); });
    if (kind == Kind::formula) return {j.v, j.d1, j.d2, j.d3};
    return {row.from + integrate(*row.formula, t), j.v, j.d1, j.d2};
  }
  if (kind == Kind::polynomial) {
    const double T = row.duration, x = t / T;
    MotionState s;
    for (std::size_t i = row.list.size(); i-- > 0;) {
      s.jerk = s.jerk * x + 3 * s.acceleration;
      s.acceleration = s.acceleration * x + 2 * s.velocity;
      s.velocity = s.velocity * x + s.position;
      s.position = s.position * x + row.list[i];
    }
    return {s.position, s.velocity / T, s.acceleration / (T * T), s.jerk / (T * T * T)};
  }
  const Normalised n = normalisedMove(row.law, t / row.duration, row.up, row.down);
  const double T = row.duration;
  return {row.from + row.rise * n.s, row.rise * n.v / T, row.rise * n.a / (T * T), row.rise * n.j / (T * T * T)};
}

MotionState Programme::at(double t) const {
  MotionState s{last_, 0, 0, 0};
  if (rows_.empty()) {
    s = {start_, 0, 0, 0};
  } else if (t <= end()) {
    std::size_t i = 0;
    while (i + 1 < rows_.size() && t >= knots_[i + 1]) ++i;
    s = rowAt(rows_[i], std::max(0.0, t - knots_[i]));
  }
  return {start_ + sign_ * (s.position - start_), sign_ * s.velocity, sign_ * s.acceleration, sign_ * s.jerk};
}

}  // namespace cooperage::motion
