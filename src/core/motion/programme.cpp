// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/programme.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "base/numeric.h"
#include "base/geometry.h"

namespace cooperage::motion {
namespace {

constexpr double kForever = std::numeric_limits<double>::infinity();

/// Integral of a smooth speed formula.
double integrate(const std::function<Jet(const Jet&)>& rate, double t) {
  const int panels = std::max(8, static_cast<int>(std::ceil(t * 20)));
  return gauss5(0, t, panels, [&](double x) { return rate(Jet(x)).v; });
}

}  // namespace

namespace {

/// A move with its law: linear, parabolic ... quintic, spline.
double figureOf(const RowFigures& r, const char* key, double otherwise) {
  const auto it = r.figures.find(key);
  return it == r.figures.end() ? otherwise : it->second;
}

}  // namespace

Status Programme::move(const RowFigures& r, const MotionState& before, const std::string& drive, Row& row) {
  row.rise = r.figures.count("to") ? figureOf(r, "to", 0) - before.position : figureOf(r, "by", 0);
  const double T = row.duration;
  if (r.law == LawKind::quintic) {
    // over the time T the rise R turns a normalised speed v into v R / T; without a rise the move is taken as it is
    if (std::abs(row.rise) < 1e-300)
      return Error{"law", drive, fmt::format("drive {}: a quintic move needs a rise; use a dwell", drive)};
    const double speed = T / row.rise, acceleration = T * speed;
    row.law = std::make_shared<const Law>(Law::quintic(before.velocity * speed, before.acceleration * acceleration,
                                                       figureOf(r, "end_speed", 0) * speed,
                                                       figureOf(r, "end_acceleration", 0) * acceleration));
    return Done{};
  }
  if (r.law == LawKind::spline) {
    std::vector<std::pair<double, double>> points;
    double last = 0;
    for (const auto& [t, value] : r.points) {
      if (t == 0 || t == T) continue;  // both ends are known
      if (!(t > last) || !(t < T) || std::abs(row.rise) < 1e-300)
        return Error{"law", drive,
                     fmt::format("drive {}: the points of a spline must rise in time, lie within the row, and the row "
                                 "must lead to another value",
                                 drive)};
      last = t;
      points.emplace_back(t / T, (value - before.position) / row.rise);
    }
    row.law = std::make_shared<const Law>(Law::spline(points));
    return Done{};
  }
  const double up = figureOf(r, "up", 1.0 / 3), down = figureOf(r, "down", 1.0 / 3);
  if (!(up > 0) || !(down > 0) || up + down > 1 + 1e-12)
    return Error{"law", drive,
                 fmt::format("drive {}: up and down must be greater than zero and add to 1 at most", drive)};
  const auto law = Law::named(r.law, up, down);
  if (!law) return Error{"law", drive, fmt::format("drive {}: there is no motion law '{}'", drive, r.law.text())};
  row.law = std::make_shared<const Law>(*law);
  return Done{};
}

Result<Programme> Programme::compile(const std::vector<RowFigures>& rows, double start, bool reverse,
                                     const std::string& drive) {
  Programme p;
  p.start_ = start;
  p.sign_ = reverse ? -1 : 1;
  MotionState before{start, 0, 0, 0};
  double t = 0;
  for (const auto& r : rows) {
    Row row;
    row.kind = r.law == LawKind::dwell                                ? Kind::dwell
               : r.law == LawKind::constantSpeed                      ? Kind::constantSpeed
               : r.law == LawKind::runUp || r.law == LawKind::runDown ? Kind::ramp
               : r.law == LawKind::sine                               ? Kind::sine
               : r.law == LawKind::formula                            ? Kind::formula
               : r.law == LawKind::speedFormula                       ? Kind::speedFormula
               : r.law == LawKind::polynomial                         ? Kind::polynomial
               : r.law == LawKind::table                              ? Kind::table
                                                                      : Kind::move;
    row.from = before.position;
    row.formula = r.formula;
    row.list = r.list;
    const double speed = before.velocity;
    row.duration = figureOf(r, "time", kForever);
    row.speed = figureOf(r, "speed", speed);
    row.acceleration = figureOf(r, "acceleration", 0);
    if (r.law == LawKind::runUp) {
      row.acceleration = std::copysign(row.acceleration, row.speed - speed);
      row.duration = std::abs(row.speed - speed) / std::abs(row.acceleration);
      row.speed = speed;  // the speed at the row's start
    } else if (r.law == LawKind::runDown) {
      row.acceleration = -std::copysign(row.acceleration, speed);
      row.duration = std::abs(speed / row.acceleration);
      row.speed = speed;
    } else if (row.kind == Kind::move) {
      if (auto s = move(r, before, drive, row); !s.ok()) return s.error();
    } else if (row.kind == Kind::table) {
      auto table = curves::Table::make(r.points, r.interpolation, "drive " + drive);
      if (!table.ok()) return table.error();
      row.table = std::make_shared<const curves::Table>(std::move(table).value());
      if (r.figures.count("time") == 0) row.duration = r.points.back().first;
    } else if (r.law == LawKind::sine) {
      row.mean = figureOf(r, "mean", before.position);
      row.amplitude = figureOf(r, "amplitude", 0);
      row.frequency = figureOf(r, "frequency", 0);
      row.phase = figureOf(r, "phase", 0);
    }
    p.rows_.push_back(row);
    t += row.duration;
    p.knots_.push_back(t);
    if (!std::isfinite(t)) break;
    const Derivatives end = p.rowAt(p.rows_.back(), row.duration);
    before = {end[0], r.law == LawKind::runDown ? 0 : end[1], r.law == LawKind::runDown ? 0 : end[2], end[3]};
    if (!std::isfinite(before.position))
      return Error{"law", drive, fmt::format("drive {}: the programme has no finite value", drive)};
  }
  p.last_ = before.position;
  return p;
}

Derivatives Programme::rowAt(const Row& row, double t) const {
  const Kind kind = row.kind;
  if (kind == Kind::dwell) return {row.from};
  if (kind == Kind::constantSpeed) return {row.from + row.speed * t, row.speed};
  if (kind == Kind::ramp)
    return {row.from + row.speed * t + 0.5 * row.acceleration * t * t, row.speed + row.acceleration * t,
            row.acceleration};
  if (kind == Kind::sine) {
    const double w = 2 * kPi * row.frequency, p = w * t + row.phase, s = std::sin(p), c = std::cos(p);
    const double cycle[4] = {s, c, -s, -c};
    Derivatives d;
    double factor = row.amplitude;
    for (std::size_t n = 0; n < d.size(); ++n, factor *= w) d[n] = factor * cycle[n % 4];
    d[0] += row.mean;
    return d;
  }
  if (kind == Kind::formula || kind == Kind::speedFormula) {
    const Jet j = row.formula(Jet(t, 1, 0, 0));
    if (kind == Kind::formula) return {j.v, j.d1, j.d2, j.d3};
    return {row.from + integrate(row.formula, t), j.v, j.d1, j.d2};
  }
  if (kind == Kind::table) {
    const ScalarJet j = row.table->at(t);
    return {j[0], j[1], j[2], j[3]};
  }
  const double T = row.duration;
  Derivatives d{};
  if (kind == Kind::polynomial) {
    const double x = t / T;
    for (std::size_t i = row.list.size(); i-- > 0;) {
      for (std::size_t n = d.size(); n-- > 1;) d[n] = d[n] * x + static_cast<double>(n) * d[n - 1];
      d[0] = d[0] * x + row.list[i];
    }
  } else {
    d = row.law->at(t / T);
    for (double& v : d) v *= row.rise;
    d[0] += row.from;
  }
  double scale = 1;
  for (std::size_t n = 1; n < d.size(); ++n) d[n] *= (scale /= T);
  return d;
}

/// Greatest acceleration within a row, jumps of speed apart.
double Programme::mostAcceleration(const Row& row, double t0, double t1) {
  switch (row.kind) {
    case Kind::dwell:
    case Kind::constantSpeed: return 0;
    case Kind::ramp: return std::abs(row.acceleration);
    case Kind::sine: {
      const double w = 2 * kPi * row.frequency, a = w * t0 + row.phase, b = w * t1 + row.phase;
      return std::abs(row.amplitude) * w * w * mostOfSine(std::min(a, b), std::max(a, b));
    }
    case Kind::formula:
    case Kind::speedFormula: return kForever;
    case Kind::table: return row.table->mostSecond(t0, t1);
    case Kind::polynomial: {
      const double T = row.duration;
      return mostOfSecond(row.list.data(), row.list.size(), t0 / T, t1 / T) / (T * T);
    }
    case Kind::move: break;
  }
  const double T = row.duration;
  return std::abs(row.rise) * row.law->mostAcceleration(t0 / T, t1 / T) / (T * T);
}

/// Times inside a row, from its start, where the pieces of its law meet.
std::vector<double> Programme::pieceEnds(const Row& row) {
  std::vector<double> out;
  if (row.kind == Kind::table) {
    for (double x : row.table->places())
      if (x > 0 && x < row.duration) out.push_back(x);
  } else if (row.kind == Kind::move) {
    for (double x : row.law->joints()) out.push_back(x * row.duration);
  }
  return out;
}

std::vector<double> Programme::breaks() const {
  std::vector<double> out{0};
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    for (double t : pieceEnds(rows_[i])) out.push_back(knots_[i] + t);
    if (std::isfinite(knots_[i + 1])) out.push_back(knots_[i + 1]);
  }
  return out;
}

double Programme::deviation(double t0, double t1) const {
  const double half = 0.5 * (t1 - t0);
  double acceleration = 0, speedJumps = 0, jumps = 0, size = std::abs(start_);
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    const double from = knots_[i], to = knots_[i + 1];
    if (t1 < from || t0 > to) continue;
    const Row& row = rows_[i];
    const double a = std::max(0.0, t0 - from), b = std::min(t1, to) - from;
    acceleration = std::max(acceleration, mostAcceleration(row, a, b));
    if (row.kind == Kind::table)
      for (std::size_t k = 0; k < row.table->places().size(); ++k)
        if (row.table->places()[k] > a && row.table->places()[k] < b) speedJumps += std::abs(row.table->slopeJump(k));
    const Derivatives atEnd = rowAt(row, b);
    size = std::max({size, std::abs(atEnd[0]), std::abs(rowAt(row, a)[0])});
    if (to < t1) {  // what comes next begins inside
      const Derivatives next = i + 1 < rows_.size() ? rowAt(rows_[i + 1], 0) : Derivatives{last_};
      speedJumps += std::abs(next[1] - atEnd[1]);
      jumps += std::abs(next[0] - atEnd[0]);
    }
  }
  // what rounding loses of the values themselves
  return 0.5 * half * half * acceleration + half * speedJumps + jumps + 4e-16 * size;
}

Derivatives Programme::derivatives(double t) const {
  Derivatives d{last_};
  if (rows_.empty()) {
    d[0] = start_;
  } else if (t <= end()) {
    std::size_t i = 0;
    while (i + 1 < rows_.size() && t >= knots_[i + 1]) ++i;
    d = rowAt(rows_[i], std::max(0.0, t - knots_[i]));
  }
  if (sign_ < 0) {
    for (double& v : d) v = -v;
    d[0] += 2 * start_;
  }
  return d;
}

std::vector<Programme::Jump> Programme::jumps() const {
  std::vector<Jump> out;
  double scale = 0;
  const auto add = [&](double t, double from, double to) {
    scale = std::max({scale, std::abs(from), std::abs(to)});
    out.push_back({t, sign_ * from, sign_ * to});
  };
  for (std::size_t i = 0; i <= rows_.size(); ++i) {
    if (i < rows_.size() && i > 0) {
      add(knots_[i], rowAt(rows_[i - 1], knots_[i] - knots_[i - 1])[1], rowAt(rows_[i], 0)[1]);
    } else if (i == 0 && !rows_.empty() && rows_[0].kind == Kind::move) {
      add(0, 0, rowAt(rows_[0], 0)[1]);
    } else if (i > 0 && std::isfinite(end())) {
      add(end(), rowAt(rows_.back(), end() - knots_[i - 1])[1], 0);
    }
  }
  const auto small = [&](const Jump& j) { return std::abs(j.to - j.from) <= 1e-9 * scale; };
  out.erase(std::remove_if(out.begin(), out.end(), small), out.end());
  return out;
}

std::vector<double> Programme::knotValues() const {
  std::vector<double> out;
  for (double k : knots_)
    if (std::isfinite(k)) out.push_back(at(k).position);
  return out;
}

MotionState Programme::at(double t) const {
  const Derivatives d = derivatives(t);
  return {d[0], d[1], d[2], d[3]};
}

}  // namespace cooperage::motion
