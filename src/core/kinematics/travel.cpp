// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/travel.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cooperage::kinematics {

using model::Resolved;

namespace {
std::size_t u(int i) { return static_cast<std::size_t>(i); }
constexpr double kStopSlack = 1e-9;  // rad, or of size: a value on its stop is not past it
}  // namespace

Result<std::unique_ptr<TravelRun>> TravelRun::prepare(const Resolved& resolved, int run) {
  std::unique_ptr<TravelRun> r(new TravelRun(resolved, run));
  auto system = System::compile(r->resolved_);
  if (!system.ok()) return system.error();
  r->system_ = std::make_unique<System>(std::move(system).value());
  if (const Status s = r->setUp(); !s.ok()) return s.error();
  return r;
}

Status TravelRun::setUp() {
  const auto& settings = this->settings();
  auto home = assemble(*system_, resolved_, {settings.fitAngle, settings.fitLength});
  if (!home.ok()) return home.error();
  home_ = std::move(home).value();
  mobility_ = analyse(*system_, resolved_, home_);
  messages_ = home_.messages;
  for (std::size_t i = 0; i < resolved_.joints.size(); ++i) {
    const auto& j = resolved_.joints[i];
    if (!j.enabled) continue;
    for (std::size_t v = 0; v < j.low.size(); ++v) {
      const double q = jointValue(*system_, home_.configuration, static_cast<int>(i), static_cast<int>(v), resolved_);
      const auto& value = model::infoOf(j.kind).values[v];
      const double slack = value.angle ? kStopSlack : kStopSlack * system_->size;
      if ((j.low[v] && q < *j.low[v] - slack) || (j.high[v] && q > *j.high[v] + slack))
        return Error{
            "stop-at-home", j.name,
            fmt::format("joint {}: {} is {:.6g} {} at home, outside its stops; move the stop or the home value", j.name,
                        value.name, value.angle ? q * 180 / kPi : q * 1e3, value.angle ? "deg" : "mm")};
    }
  }
  if (const Status s = makeDrives(); !s.ok()) return s;
  Solver::Options options;
  options.misfit = std::max(1e-9, std::min(settings.fitAngle, 1e-3));
  solver_ = std::make_unique<Solver>(*system_, drivenDofs_, options);
  solver_->setHome(home_.configuration);
  solver_->pick(home_.configuration);
  const int idle = mobility_.idle;
  const int floating = 6 * static_cast<int>(system_->floating.size());
  if (mobility_.left - idle - floating > 0) {
    std::string names;
    for (const auto& text : mobility_.leftFreedoms) names += (names.empty() ? "" : "; ") + text;
    messages_.push_back({Severity::warning,
                         "left-over",
                         {},
                         fmt::format("{} freedom(s) are left without a drive and stay at home: {}",
                                     mobility_.left - idle - floating, names)});
  }
  for (const auto& name : mobility_.redundantDrives)
    messages_.push_back({Severity::warning,
                         "redundant-drive",
                         {name},
                         fmt::format("drive {}: its joint is driven already by the others", name)});
  if (settings.reverseAtLimit)
    messages_.push_back(
        {Severity::warning,
         "at-limit",
         {settings.name},
         fmt::format("run {}: turning back at a limit is not computed yet; the run stops there", settings.name)});
  return Done{};
}

Status TravelRun::makeDrives() {
  const auto& settings = this->settings();
  for (int d : settings.drives) {
    const auto& drive = resolved_.drives[u(d)];
    if (!drive.enabled) continue;
    const auto& joint = resolved_.joints[u(drive.value.joint)];
    const int dof = system_->dofOf(drive.value);
    if (dof < 0) {
      if (!joint.enabled)
        return Error{"drive", drive.name,
                     fmt::format("drive {}: its joint {} is switched off", drive.name, joint.name)};
      return Error{"drive", drive.name,
                   fmt::format("drive {}: the angles of the spherical joint {} can't be driven in this version",
                               drive.name, joint.name)};
    }
    if (std::find(mobility_.stuckDrives.begin(), mobility_.stuckDrives.end(), drive.name) !=
        mobility_.stuckDrives.end())
      return Error{
          "stuck-drive", drive.name,
          fmt::format("drive {}: the joint {} cannot move; free a joint or drive another", drive.name, joint.name)};
    ActiveDrive active{d, dof, {}, home_.configuration.q[u(dof)]};
    double start = active.home;
    for (const auto& [index, value] : settings.start)
      if (index == d) start = value;
    std::vector<Resolved::RowR> rows = drive.rows;
    bool reverse = drive.reverse;
    if (settings.sweepDrive == d) {
      start = settings.sweepFrom;
      Resolved::RowR row;
      row.law = "linear";
      row.figures = {{"to", settings.sweepTo}, {"time", settings.duration}};
      rows = {row};
      reverse = false;
    }
    auto programme = motion::Programme::compile(rows, start, reverse, drive.name);
    if (!programme.ok()) return programme.error();
    active.programme = std::move(programme).value();
    for (double k : active.programme.knots())
      if (k > 0 && k < settings.duration) knots_.push_back(k);
    drivenDofs_.push_back(dof);
    drives_.push_back(std::move(active));
  }
  std::sort(knots_.begin(), knots_.end());
  for (std::size_t i = 0; i < resolved_.joints.size(); ++i) {
    const int index = system_->compiledJoint(static_cast<int>(i));
    if (!resolved_.joints[i].held || index < 0) continue;
    const auto& j = system_->joints[u(index)];
    for (int k = 0; k < j.dofs; ++k) drivenDofs_.push_back(j.firstDof + k);
  }
  for (int f : system_->floating) {
    const auto& j = system_->joints[u(f)];
    for (int k = 0; k < j.dofs; ++k) drivenDofs_.push_back(j.firstDof + k);
  }
  return Done{};
}

int TravelRun::activeDrive(int drive) const {
  for (std::size_t i = 0; i < drives_.size(); ++i)
    if (drives_[i].drive == drive) return static_cast<int>(i);
  return -1;
}

double TravelRun::axisAt(double t) const {
  const int k = settings().axis < 0 ? -1 : activeDrive(settings().axis);
  return k < 0 ? t : drives_[u(k)].programme.at(t).position;
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

void TravelRun::drive(double t, TravelStep& s) const {
  s.t = t;
  for (const ActiveDrive& d : drives_) {
    const motion::MotionState m = d.programme.at(t);
    s.c.q[u(d.dof)] = m.position;
    s.qd[u(d.dof)] = m.velocity;
    s.qdd[u(d.dof)] = m.acceleration;
  }
}

void TravelRun::approach(double share, TravelStep& s) const {
  s.t = share;
  for (const ActiveDrive& d : drives_) {
    const double way = d.programme.at(0).position - d.home;
    s.c.q[u(d.dof)] = d.home + way * share;
    s.qd[u(d.dof)] = way;
    s.qdd[u(d.dof)] = 0;
  }
}

bool TravelRun::finish(TravelStep& s) { return solver_->rates(s.c, s.qd, s.qdd); }

/// One step from a closed pose with rates to a time: predict by position, rate and acceleration, correct by Newton.
/// It is refused if the correction is large against the step or the determinant changes sign: then another branch may
/// have been met, and half the step tells.
template <class Drive>
bool TravelRun::trial(const TravelStep& from, double to, const Drive& drive, TravelStep& out) {
  const double h = to - from.t;
  const int n = system_->dofCount();
  out.c = from.c;
  out.qd = from.qd;
  out.qdd = from.qdd;
  std::vector<double>& step = out.qdd;  // reused as scratch before rates() fills it
  double moved = 0;
  for (int i = 0; i < n; ++i) {
    step[u(i)] = (from.qd[u(i)] * h + 0.5 * from.qdd[u(i)] * h * h) / system_->dofs[u(i)].scale;
    moved = std::max(moved, std::abs(step[u(i)]));
  }
  if (!(moved < 1.0)) return false;
  solver_->add(out.c, step, 1);
  drive(to, out);
  const double before = solver_->determinantSign();
  const Solver::Outcome o = solver_->close(out.c);
  if (!o.closed || o.correction > std::max(0.1 * moved, 1e-7)) return false;
  if (solver_->determinantSign() * before < 0) return false;
  return finish(out);
}

/// Goes on from s towards a time, halving where a step is refused. @return the time reached
template <class Drive>
double TravelRun::advance(TravelStep& s, double to, double smallest, const Drive& drive) {
  TravelStep next = s;
  double h = to - s.t;
  bool repicked = false;
  solver_->rates(s.c, s.qd, s.qdd);  // sets the determinant's sign at the start
  while (s.t < to) {
    const double target = s.t + h >= to - smallest ? to : s.t + h;
    if (trial(s, target, drive, next)) {
      std::swap(s, next);
      h = std::min(to - s.t, 2 * h);
      repicked = false;
      continue;
    }
    if (!repicked) {  // perhaps only the chosen rows are badly placed here
      solver_->pick(s.c);
      repicked = true;
      if (!solver_->rates(s.c, s.qd, s.qdd)) break;
      continue;
    }
    h *= 0.5;
    if (h < smallest) break;
    solver_->rates(s.c, s.qd, s.qdd);
  }
  return s.t;
}

std::optional<Ended> TravelRun::stopBetween(const TravelStep& from, TravelStep& to) {
  if (settings().pastStops) return std::nullopt;
  const auto past = [&](const TravelStep& s, std::size_t i, std::size_t v) {
    const auto& j = resolved_.joints[i];
    if (!j.low[v] && !j.high[v]) return -1.0;
    const double q = jointValue(*system_, s.c, static_cast<int>(i), static_cast<int>(v), resolved_);
    double most = -1e300;
    if (j.low[v]) most = std::max(most, *j.low[v] - q);
    if (j.high[v]) most = std::max(most, q - *j.high[v]);
    return most;
  };
  const auto driveNow = [this](double t, TravelStep& s) { drive(t, s); };
  std::optional<Ended> first;
  double firstTime = to.t;
  for (std::size_t i = 0; i < resolved_.joints.size(); ++i) {
    const int index = system_->compiledJoint(static_cast<int>(i));
    if (index < 0) continue;
    const auto& j = resolved_.joints[i];
    for (std::size_t v = 0; v < j.low.size(); ++v) {
      if (!j.low[v] && !j.high[v]) continue;
      const bool angle = model::infoOf(j.kind).values[v].angle;
      const double slack = angle ? kStopSlack : kStopSlack * system_->size;
      double high = to.t;
      TravelStep probe = to;
      if (past(to, i, v) <= slack) {
        // not past at the end: an extreme between the two poses may be, where the rate changes sign
        const int dof =
            system_->joints[u(index)].ball < 0 ? system_->joints[u(index)].firstDof + static_cast<int>(v) : -1;
        if (dof < 0 || from.qd[u(dof)] * to.qd[u(dof)] >= 0) continue;
        double a = from.t, b = to.t;
        for (int k = 0; k < 60 && b - a > 1e-15 * settings().duration; ++k) {
          TravelStep mid = from;
          if (advance(mid, 0.5 * (a + b), 1e-13 * settings().duration, driveNow) < 0.5 * (a + b)) break;
          (mid.qd[u(dof)] * from.qd[u(dof)] > 0 ? a : b) = mid.t;
          probe = mid;
        }
        if (past(probe, i, v) <= slack) continue;
        high = probe.t;
      }
      double low = from.t;
      for (int k = 0; k < 60 && high - low > 1e-15 * settings().duration; ++k) {
        TravelStep mid = from;
        const double t = 0.5 * (low + high);
        if (advance(mid, t, 1e-13 * settings().duration, driveNow) < t) break;
        if (past(mid, i, v) > 0) {
          high = t;
          probe = mid;
        } else {
          low = t;
        }
      }
      if (high < firstTime || !first) {
        firstTime = high;
        first = Ended{"stop", axisAt(high), high, j.name, 0};
        TravelStep at = from;
        advance(at, high, 1e-13 * settings().duration, driveNow);
        to = at;
      }
    }
  }
  return first;
}

Ended TravelRun::failure(const TravelStep& last, double asked) {
  Ended e{"dead-point", axisAt(last.t), last.t, "", 0};
  // the gap: drives where they were asked to be, all but the worst joint closed as well as can be
  std::vector<bool> fixed(u(system_->dofCount()), false);
  for (int d : drivenDofs_) fixed[u(d)] = true;
  Solver open(*system_, {});
  open.setHome(home_.configuration);
  for (const double t : {asked, settings().duration}) {
    TravelStep s = last;
    drive(t, s);
    closeFromAfar(*system_, open, s.c, fixed);
    double worst = 0;
    int loop = -1;
    for (std::size_t i = 0; i < system_->loops.size(); ++i) {
      const double gap = open.gapLength(static_cast<int>(i)) / system_->size + open.gapAngle(static_cast<int>(i));
      if (gap >= worst) {
        worst = gap;
        loop = static_cast<int>(i);
      }
    }
    if (loop < 0 || (worst < 1e-8 && !e.joint.empty())) continue;
    e.joint = resolved_.joints[u(system_->joints[u(system_->loops[u(loop)].joint)].source)].name;
    e.gap = open.gapLength(loop);
  }
  if (!mobility_.redundantDrives.empty()) e.kind = "drives-contradict";
  return e;
}

std::optional<Ended> TravelRun::contradictionIn(double from, double to) const {
  for (std::size_t i = 0; i < drives_.size(); ++i)
    for (std::size_t k = i + 1; k < drives_.size(); ++k) {
      if (drives_[i].dof != drives_[k].dof) continue;
      const double scale = system_->dofs[u(drives_[i].dof)].scale;
      const auto differ = [&](double t) {
        return std::abs(drives_[i].programme.at(t).position - drives_[k].programme.at(t).position) > kStopSlack * scale;
      };
      if (!differ(to)) continue;
      double low = from, high = to;
      for (int n = 0; n < 60 && !differ(low); ++n) (differ(0.5 * (low + high)) ? high : low) = 0.5 * (low + high);
      const auto& value = resolved_.drives[u(drives_[i].drive)].value;
      return Ended{"drives-contradict", axisAt(low), low, resolved_.joints[u(value.joint)].name, 0};
    }
  return std::nullopt;
}

Travel TravelRun::run(Progress* progress) {
  Travel travel;
  travel.messages = messages_;
  const auto& settings = this->settings();
  TravelStep s;
  s.c = home_.configuration;
  s.qd.assign(u(system_->dofCount()), 0.0);
  s.qdd = s.qd;
  const auto driveNow = [this](double t, TravelStep& x) { drive(t, x); };
  bool away = false;
  for (const ActiveDrive& d : drives_)
    if (std::abs(d.programme.at(0).position - d.home) > 1e-12) away = true;
  if (away) {
    approach(0, s);
    finish(s);
    const auto come = [this](double t, TravelStep& x) { approach(t, x); };
    for (int k = 1; k <= 64; ++k) {
      if (advance(s, k / 64.0, 1e-12, come) < k / 64.0) {
        Ended e = failure(s, 0);
        e.at = axisAt(0);
        e.t = 0;
        travel.ended = e;
        travel.messages.push_back(
            {Severity::error,
             e.kind,
             {e.joint},
             fmt::format("the start of run {} can't be reached from home; joint {} would open by {:.6g} mm",
                         settings.name, e.joint, e.gap * 1e3)});
        return travel;
      }
    }
  }
  drive(0, s);
  solver_->pick(s.c);
  if (!finish(s)) {
    solver_->close(s.c);
    finish(s);
  }
  travel.steps.reserve(u(settings.steps) + 2);
  travel.steps.push_back(s);
  const double smallest = 1e-13 * settings.duration;
  std::size_t knot = 0;
  for (int k = 1; k <= settings.steps; ++k) {
    const double t = k == settings.steps ? settings.duration : settings.duration * k / settings.steps;
    if (const auto contradiction = contradictionIn(s.t, t)) {
      if (contradiction->t > s.t) advance(s, contradiction->t, smallest, driveNow);
      if (s.t > travel.steps.back().t) travel.steps.push_back(s);
      travel.ended = contradiction;
      travel.messages.push_back({Severity::error, contradiction->kind, {contradiction->joint},
                                 fmt::format("joint {}: two drives ask different values of it", contradiction->joint)});
      return travel;
    }
    const TravelStep before = s;
    bool reached = true;
    while (reached && knot < knots_.size() && knots_[knot] < t - smallest) {
      if (knots_[knot] > s.t + smallest) reached = advance(s, knots_[knot], smallest, driveNow) >= knots_[knot];
      if (reached) {
        drive(s.t, s);  // rates of the row that begins
        finish(s);
        ++knot;
      }
    }
    reached = reached && advance(s, t, smallest, driveNow) >= t;
    if (reached && k == settings.steps) {
      drive(t, s);
      finish(s);
    }
    TravelStep end = s;
    if (const auto stop = stopBetween(before, end)) {
      travel.ended = stop;
      travel.messages.push_back({Severity::error,
                                 "stop",
                                 {stop->joint},
                                 fmt::format("joint {} meets its stop at {}", stop->joint, formatNumber(stop->at, 8))});
      travel.steps.push_back(end);
      return travel;
    }
    if (!reached) {
      travel.ended = failure(s, t);
      if (s.t > travel.steps.back().t) travel.steps.push_back(s);
      travel.messages.push_back(
          {Severity::error,
           travel.ended->kind,
           {travel.ended->joint},
           fmt::format("the travel ends at {} of the run's axis (SI): {}; joint {} would have to open by {:.6g} mm",
                       formatNumber(travel.ended->at, 10),
                       travel.ended->kind == "dead-point" ? "a dead point" : "the drives contradict one another",
                       travel.ended->joint, travel.ended->gap * 1e3)});
      return travel;
    }
    travel.steps.push_back(s);
    if (progress) {
      progress->report(static_cast<double>(k) / settings.steps);
      if (progress->cancelled()) {
        travel.cancelled = true;
        return travel;
      }
    }
  }
  travel.completed = true;
  return travel;
}

bool TravelRun::poseAt(const Travel& travel, double t, TravelStep& out) {
  if (travel.steps.empty()) return false;
  const auto& steps = travel.steps;
  t = std::clamp(t, steps.front().t, steps.back().t);
  auto it = std::lower_bound(steps.begin(), steps.end(), t, [](const TravelStep& s, double x) { return s.t < x; });
  if (it == steps.end()) --it;
  if (it->t == t) {
    out = *it;
    solver_->forward(out.c);
    return true;
  }
  if (it != steps.begin() && t - std::prev(it)->t <= it->t - t) --it;
  // nearest stored step; going back works as going on does, with negative step
  out = *it;
  solver_->pick(out.c);
  const auto driveNow = [this](double x, TravelStep& s) { drive(x, s); };
  if (t > out.t) return advance(out, t, 1e-13 * settings().duration, driveNow) >= t;
  TravelStep back = out;
  solver_->rates(back.c, back.qd, back.qdd);
  if (trial(back, t, driveNow, out)) return true;
  if (it == steps.begin()) return false;
  out = *std::prev(it);
  return advance(out, t, 1e-13 * settings().duration, driveNow) >= t;
}

}  // namespace cooperage::kinematics
