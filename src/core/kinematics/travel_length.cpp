// SPDX-License-Identifier: GPL-3.0-or-later
// TravelRun: how long a run lasts, in how many steps, and the axis along which it is shown.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/index.h"

#include "kinematics/travel.h"

namespace cooperage::kinematics {

/// A run without a duration lasts as long as its programmes; one that ends before them says so.
Status TravelRun::lastAsProgrammes() {
  auto& s = resolved_.runs[u(run_)];
  const ActiveDrive* longest = nullptr;
  const ActiveDrive* endless = nullptr;
  for (const ActiveDrive& d : drives_) {
    if (!std::isfinite(d.programme.end()))
      endless = &d;
    else if (!longest || d.programme.end() > longest->programme.end())
      longest = &d;
  }
  const auto nameOf = [&](const ActiveDrive& d) { return resolved_.drives[u(d.drive)].name; };
  if (s.asProgrammes) {
    if (endless)
      return Error{"missing", s.name,
                   fmt::format("run {}: the programme of drive {} has no end; give the run a duration, or the last row "
                               "of the programme a time",
                               s.name, nameOf(*endless))};
    if (!longest || !(longest->programme.end() > 0))
      return Error{"missing", s.name,
                   fmt::format("run {}: needs a duration, a number of turns, or a sweep: no drive has a programme that "
                               "lasts",
                               s.name)};
    s.duration = longest->programme.end();
  } else if (s.sweepDrive < 0 && !(s.turns > 0) && longest &&
             s.duration < longest->programme.end() - 1e-9 * longest->programme.end()) {
    messages_.push_back({Severity::note,
                         "run-short",
                         {s.name, nameOf(*longest)},
                         fmt::format("run {} ends at {:.6g} s; the programme of drive {} goes on to {:.6g} s", s.name,
                                     s.duration, nameOf(*longest), longest->programme.end())});
  }
  return Done{};
}

/// A travel axis rises or falls all along; where the drive that was to be it does not, time is taken.
void TravelRun::checkAxis() {
  auto& s = resolved_.runs[u(run_)];
  const int k = s.axis < 0 ? -1 : activeDrive(s.axis);
  if (k < 0) return;
  const auto& programme = drives_[u(k)].programme;
  std::vector<double> times{0, s.duration};
  for (const double t : programme.breaks())
    if (t > 0 && t < s.duration) times.push_back(t);
  std::sort(times.begin(), times.end());
  constexpr int kParts = 32;
  double least = programme.at(0).position, greatest = least, last = least, up = 0, down = 0;
  for (std::size_t i = 0; i + 1 < times.size(); ++i)
    for (int part = 1; part <= kParts; ++part) {
      const double x = programme.at(times[i] + (times[i + 1] - times[i]) * part / kParts).position;
      up += std::max(0.0, x - last);
      down += std::max(0.0, last - x);
      least = std::min(least, x);
      greatest = std::max(greatest, x);
      last = x;
    }
  const double range = greatest - least;
  const bool flat = !(range > 1e-9);
  if (!flat && std::min(up, down) <= 1e-9 * range) return;
  messages_.push_back({Severity::warning,
                       "axis",
                       {s.name, resolved_.drives[u(s.axis)].name},
                       fmt::format("run {}: drive {} {}; time is taken as the travel axis", s.name,
                                   resolved_.drives[u(s.axis)].name, flat ? "stands still" : "oscillates")});
  s.axis = -1;
  s.stepSize = 0;  // it was one of the drive
  for (auto& q : resolved_.requirements)
    if (q.at) q.at = std::numeric_limits<double>::quiet_NaN();  // places on the drive: no value
}

/// Duration and number of steps where the run gives turns, or a size or a rate of steps.
Status TravelRun::makeDuration() {
  auto& s = resolved_.runs[u(run_)];
  if (s.turns > 0 && !s.drives.empty()) {
    const int k = s.axis >= 0 ? activeDrive(s.axis) : drives_.empty() ? -1 : 0;
    const auto* drive = k < 0 ? nullptr : &resolved_.drives[u(drives_[u(k)].drive)];
    if (!drive || !(drive->dimension == dimension::kAngle))
      return Error{"turns", s.name,
                   fmt::format("run {}: turns are counted on a drive that turns; give it a duration", s.name)};
    const auto& p = drives_[u(k)].programme;
    const double first = p.at(0).position, wanted = s.turns * 2 * kPi;
    const auto turned = [&](double t) { return std::abs(p.at(t).position - first); };
    double low = 0, high = std::isfinite(p.end()) ? std::min(p.end(), 1.0) : 1.0;
    const double last = std::isfinite(p.end()) ? p.end() : 1e7;
    while (turned(high) < wanted && high < last) {
      low = high;
      high = std::min(2 * high, last);
    }
    if (turned(high) < wanted * (1 - 1e-12))
      return Error{"turns", s.name,
                   fmt::format("run {}: drive {} makes {:.6g} turns in all, not {:.6g}; lengthen its programme or ask "
                               "for fewer",
                               s.name, drive->name, turned(high) / (2 * kPi), s.turns)};
    for (int i = 0; i < 200 && high - low > 1e-16 * high; ++i) {
      const double mid = 0.5 * (low + high);
      (turned(mid) < wanted ? low : high) = mid;
    }
    s.duration = high;
  }
  if (const Status lasts = lastAsProgrammes(); !lasts.ok()) return lasts;
  checkAxis();
  const double way = s.stepSize > 0   ? std::abs(axisAt(s.duration) - axisAt(0)) / s.stepSize
                     : s.stepRate > 0 ? s.duration * s.stepRate
                                      : s.steps;
  if (!(way < 1e7))
    return Error{"figure", s.name, fmt::format("run {}: its steps are too small: more than 10,000,000", s.name)};
  if (s.stepSize > 0 || s.stepRate > 0) s.steps = std::max(1, static_cast<int>(std::ceil(way - 1e-9)));
  for (const ActiveDrive& d : drives_)
    for (double k : d.programme.breaks())
      if (k > 0 && k < s.duration) knots_.push_back(k);
  std::sort(knots_.begin(), knots_.end());
  return Done{};
}

double TravelRun::tauAt(double t, int& direction) const {
  std::size_t i = folds_.size() - 1;
  while (i > 0 && t < folds_[i].t) --i;
  direction = folds_[i].direction;
  return std::max(0.0, folds_[i].tau + direction * (t - folds_[i].t));
}

double TravelRun::axisAt(double t) const {
  const int k = settings().axis < 0 ? -1 : activeDrive(settings().axis);
  int direction = 1;
  return k < 0 ? t : drives_[u(k)].programme.at(tauAt(t, direction)).position;
}

double TravelRun::timeOf(double value) const {
  double low = 0, high = settings().duration;
  const double a = axisAt(low), b = axisAt(high);
  const double sign = b >= a ? 1 : -1;
  if (sign * (value - a) <= 0) return low;
  if (sign * (value - b) >= 0) return high;
  for (int i = 0; i < 200 && high - low > 1e-16 * settings().duration; ++i) {
    const double mid = 0.5 * (low + high);
    (sign * (axisAt(mid) - value) < 0 ? low : high) = mid;
  }
  return 0.5 * (low + high);
}

}  // namespace cooperage::kinematics
