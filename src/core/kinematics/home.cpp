// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/home.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>
#include <random>

#include "base/index.h"
#include "kinematics/least.h"

namespace cooperage::kinematics {

using model::Resolved;

namespace {

struct Imposed {
  std::vector<std::pair<int, double>> values;  ///< dof, value
};

Imposed imposedAtHome(const System& system, const Resolved& resolved) {
  Imposed out;
  for (std::size_t i = 0; i < resolved.joints.size(); ++i) {
    const int index = system.compiledJoint(static_cast<int>(i));
    if (index < 0) continue;
    const auto& home = resolved.joints[i].home;
    for (std::size_t k = 0; k < home.size(); ++k) {
      const int dof = system.dofOf({static_cast<int>(i), static_cast<int>(k)});
      if (home[k] && dof >= 0) out.values.emplace_back(dof, *home[k]);
    }
  }
  return out;
}

/// @param found if given: the widest joint and its gap
Error cannotClose(const System& system, const Resolved& resolved, const Solver& solver, OpenLoop* found) {
  int worst = -1;
  double most = 0;
  for (std::size_t i = 0; i < system.loops.size(); ++i) {
    const double gap = solver.gapLength(static_cast<int>(i)) / system.size + solver.gapAngle(static_cast<int>(i));
    if (gap > most) {
      most = gap;
      worst = static_cast<int>(i);
    }
  }
  double scalar = 0;
  std::string coupling;
  for (std::size_t i = 0; i < system.scalars.size(); ++i) {
    const double r = std::abs(solver.residual()[6 * system.loops.size() + i]);
    if (!(r <= scalar)) {
      scalar = r;
      const int c = system.scalars[i].coupling;
      coupling = c < 0 ? "" : resolved.couplings[u(c)].name;
    }
  }
  if (worst < 0 || scalar > 100 * most)
    return {
        "cannot-close", coupling,
        coupling.empty()
            ? std::string("can't be assembled at home: the home values contradict one another")
            : fmt::format("coupling {}: the home values contradict it; change a home value or the coupling", coupling)};
  const std::string name = system.nameOf(system.loops[u(worst)].joint, resolved);
  // what is rounding is not told
  std::string open;
  const double gap = solver.gapLength(worst), angle = solver.gapAngle(worst);
  if (found) {
    found->joint = system.joints[u(system.loops[u(worst)].joint)].source;
    found->gap = gap;
    found->angle = angle;
  }
  if (gap > 1e-9 * system.size || angle <= 1e-7) open = fmt::format("{:.6g} mm", gap * 1e3);
  if (angle > 1e-7) open += fmt::format("{}{:.4g} deg", open.empty() ? "" : " and ", angle * 180 / kPi);
  return {"cannot-close", name,
          fmt::format("{} {} can't be assembled at home: {} remain open; change a length, a placement or a home value",
                      system.joints[u(system.loops[u(worst)].joint)].pair >= 0 ? "cam pair" : "joint", name, open)};
}

/// What redundant rows are out: named by the joint of the loop whose axis is out most against the others.
void reportMisfit(const System& system, const Resolved& resolved, const Solver& solver,
                  std::vector<Message>& messages) {
  for (std::size_t i = 0; i < system.loops.size(); ++i) {
    const int loop = static_cast<int>(i);
    const double angle = solver.gapAngle(loop), length = solver.gapLength(loop);
    if (angle < 1e-9 && length < 1e-9 * system.size) continue;
    const std::string name = system.nameOf(system.loops[i].joint, resolved);
    messages.push_back({Severity::note,
                        "misfit",
                        {name},
                        fmt::format("joint {}: its axes are {:.3g} deg and {:.3g} mm out; tolerated within the fit",
                                    name, angle * 180 / kPi, length * 1e3)});
  }
}

/// Turns of revolutes that are nearly parallel, but not quite: the loop's odd one out is named.
void reportTilt(const System& system, const Resolved& resolved, const Solver& solver, std::vector<Message>& messages) {
  for (const auto& loop : system.loops) {
    std::vector<std::pair<int, Vec3>> axes;
    bool all = true;
    const auto take = [&](int t) {
      const auto& j = system.joints[u(t)];
      for (int k = 0; k < j.dofs; ++k)
        if (isTurn(system.dofs[u(j.firstDof + k)].motion)) {
          if (j.dofs > 1) all = false;
          axes.emplace_back(t, solver.dofTwist(j.firstDof + k).w);
        }
    };
    for (int t : loop.pathA) take(t);
    for (int t : loop.pathB) take(t);
    take(loop.joint);
    if (!all || axes.size() < 3) continue;
    // the odd one: the others agree among themselves much better than with it
    int odd = -1;
    double tilt = 0, others = 1e300;
    for (std::size_t i = 0; i < axes.size(); ++i) {
      double own = 1e300, rest = 0;
      for (std::size_t k = 0; k < axes.size(); ++k) {
        if (k == i) continue;
        own = std::min(own, axes[i].second.cross(axes[k].second).norm());
        for (std::size_t m = k + 1; m < axes.size(); ++m)
          if (m != i) rest = std::max(rest, axes[m].second.cross(axes[k].second).norm());
      }
      if (own > 10 * rest && own < 0.2 && own > 1e-8 && own > tilt) {
        tilt = own;
        others = rest;
        odd = axes[i].first;
      }
    }
    if (odd < 0 || others > 1e-3) continue;
    const std::string name = system.nameOf(odd, resolved);
    const bool known = std::any_of(messages.begin(), messages.end(), [&](const Message& m) {
      return m.code == "tilted-axis" && m.objects.front() == name;
    });
    if (known) continue;
    messages.push_back({Severity::note,
                        "tilted-axis",
                        {name},
                        fmt::format("joint {}: its axis is {:.3g} deg out of parallel with the others of its loop",
                                    name, std::asin(std::min(1.0, tilt)) * 180 / kPi)});
  }
}

bool within(const Solver& solver, const HomeOptions& fit) {
  const Openness o = opennessOf(solver);
  return o.angle <= std::max(1e-10, fit.fitAngle) && o.length <= std::max(1e-10, fit.lengthRow());
}

}  // namespace

std::vector<bool> fixedAtHome(const System& system, const Resolved& resolved) {
  std::vector<bool> fixed(u(system.dofCount()), false);
  for (const auto& [dof, value] : imposedAtHome(system, resolved).values) fixed[u(dof)] = true;
  const auto fixAll = [&](const System::Joint& j) {
    for (int k = 0; k < j.dofs; ++k) fixed[u(j.firstDof + k)] = true;
  };
  for (std::size_t i = 0; i < resolved.joints.size(); ++i) {
    const int index = system.compiledJoint(static_cast<int>(i));
    if (index >= 0 && resolved.joints[i].held) fixAll(system.joints[u(index)]);
  }
  for (int f : system.floating) fixAll(system.joints[u(f)]);
  return fixed;
}

namespace {

/// Where no closed way leads from the placements to the home values: closes at the values themselves, from poses that
/// are least open on the way and, failing that, from fixed starts.
/// @param start where the placements are; trial: takes the pose
/// @param close closes from a guess as well as can be @return whether it is closed
bool leap(const System& system, const std::vector<bool>& fixed, const std::vector<std::pair<int, double>>& values,
          const Configuration& start, Configuration& trial, const std::function<bool(Configuration&)>& close) {
  constexpr int kSteps = 16;
  trial = start;
  for (int k = 1; k <= kSteps; ++k) {
    for (const auto& [dof, value] : values)
      trial.q[u(dof)] = start.q[u(dof)] + (value - start.q[u(dof)]) * k / static_cast<double>(kSteps);
    if (close(trial) && k == kSteps) return true;
  }
  const Configuration leastOpen = trial;
  std::vector<int> open;
  for (int k = 0; k < system.dofCount(); ++k)
    if (!fixed[u(k)]) open.push_back(k);
  if (open.size() > 24) return false;
  Solver mover(system, {});
  std::mt19937 random(4711);
  std::vector<double> step(u(system.dofCount()), 0.0);
  std::optional<Configuration> best;
  double least = 0;
  for (int s = 0; s < 8; ++s) {
    for (int k : open)
      step[u(k)] =
          (2.0 * (static_cast<double>(random()) / 4294967296.0) - 1) * (isTurn(system.dofs[u(k)].motion) ? kPi : 1.0);
    Configuration c = leastOpen;
    mover.add(c, step, 1);
    if (!close(c)) continue;
    double far = 0;
    for (double d : difference(system, start, c)) far += d * d;
    if (best && far >= least) continue;
    best = c;
    least = far;
  }
  if (best) trial = *best;
  if (!best) {  // what is told of the gap is of the least open pose there
    trial = leastOpen;
    close(trial);
  }
  return best.has_value();
}

/// Links that stand in one line, as when they were just brought together, pull on one another along it only: the least
/// open pose is a saddle. A little off it, to one side and the other, they fold.
/// @param trial takes the pose @return whether it is closed
bool unfold(const System& system, const std::vector<bool>& fixed, const Configuration& start, Configuration& trial,
            const std::function<bool(Configuration&)>& close) {
  constexpr double kOff = 0.3;  // rad
  Solver mover(system, {});
  std::vector<double> step(u(system.dofCount()), 0.0);
  for (int pattern = 0; pattern < 4; ++pattern) {
    int turns = 0;
    for (int k = 0; k < system.dofCount(); ++k) {
      const bool moves = !fixed[u(k)] && isTurn(system.dofs[u(k)].motion);
      const double sign = (pattern & 1 ? -1 : 1) * (pattern & 2 && turns % 2 ? -1 : 1);
      step[u(k)] = moves ? sign * kOff : 0;
      turns += moves ? 1 : 0;
    }
    trial = start;
    mover.add(trial, step, 1);
    if (close(trial)) return true;
  }
  return false;
}

}  // namespace

Result<Home> assemble(const System& system, const Resolved& resolved, const HomeOptions& options, OpenLoop* open) {
  Home home;
  home.messages = system.messages;
  home.configuration = system.measured();
  Configuration& c = home.configuration;
  const std::vector<bool> fixed = fixedAtHome(system, resolved);
  const Imposed imposed = imposedAtHome(system, resolved);
  Solver solver(system, {});
  LeastMotion least(solver);
  // couplings and screws count from home, so they say nothing about home itself: keep them met at every trial
  const auto close = [&](Configuration& trial) {
    for (int pass = 0; pass < 3; ++pass) {
      solver.setHome(trial);
      least.close(trial, fixed);
    }
    solver.setHome(trial);
    solver.forward(trial);
    return within(solver, options);
  };
  // steps of an imposed value are short enough (0.1 rad, 0.1 of size) that the nearest closed pose is on the same
  // branch
  for (const auto& [dof, value] : imposed.values) {  // whole turns change no pose
    double& q = c.q[u(dof)];
    if (isTurn(system.dofs[u(dof)].motion) && std::isfinite(value)) q += 2 * kPi * std::round((value - q) / (2 * kPi));
  }
  const Configuration start = c;
  double farthest = 0;
  for (const auto& [dof, value] : imposed.values)
    farthest = std::max(farthest, std::abs(value - start.q[u(dof)]) / system.dofs[u(dof)].scale);
  if (!(farthest < 1e3))
    return Error{"cannot-close", "",
                 "a home value is out of all bounds; home values are angles and lengths of this mechanism"};
  const double longest = farthest > 0.1 ? 0.1 / farthest : 1.0;
  double reached = 0, step = longest;
  if (farthest > 0) close(c);  // with the imposed values still where the placements have them
  Configuration last = c;
  while (reached < 1) {
    const double next = std::min(1.0, reached + step);
    Configuration trial = last;
    for (const auto& [dof, value] : imposed.values) {
      const double from = start.q[u(dof)];
      trial.q[u(dof)] = next >= 1 ? value : from + (value - from) * next;
    }
    if (close(trial)) {
      last = trial;
      reached = next;
      step = std::min(2 * step, longest);
    } else if (step > longest / 128 && farthest > 0) {
      step /= 2;
    } else if (farthest > 0 && reached < 1 && leap(system, fixed, imposed.values, start, trial, close)) {
      last = trial;
      reached = 1;
      home.messages.push_back(
          {Severity::note,
           "home-leap",
           {},
           "between the placements and the home values it can't be assembled; of the assembly modes at "
           "the home values the nearest is taken"});
    } else if (Configuration folded; farthest == 0 && unfold(system, fixed, start, folded, close)) {
      last = folded;
      reached = 1;
    } else {
      close(trial);  // what is told of the gap is of the pose as placed
      Error error = cannotClose(system, resolved, solver, open);
      if (open) open->configuration = trial;
      std::vector<Message> tilted;
      reportTilt(system, resolved, solver, tilted);
      for (const Message& m : tilted) error.text += "; " + m.text;
      return error;
    }
  }
  c = last;
  // to rounding on the rows that are solved; what redundant rows are out stays
  std::vector<int> stay;
  for (int k = 0; k < system.dofCount(); ++k)
    if (fixed[u(k)]) stay.push_back(k);
  Solver polish(system, stay, options.solver());
  polish.setHome(c);
  polish.pick(c);
  Configuration closed = c;
  if (polish.close(closed).closed) {
    polish.setHome(closed);
    polish.forward(closed);
    const Openness before = opennessOf(solver), after = opennessOf(polish);
    // never for the worse: near a singular home the least-squares pose may be the better one
    if (std::max(after.angle, after.length) <= std::max(1e-12, std::max(before.angle, before.length))) c = closed;
  }
  solver.setHome(c);
  solver.forward(c);
  const Openness o = opennessOf(solver);
  home.misfit = std::max(o.angle, o.length);
  reportMisfit(system, resolved, solver, home.messages);
  reportTilt(system, resolved, solver, home.messages);
  return home;
}

std::vector<double> difference(const System& s, const Configuration& from, const Configuration& to) {
  std::vector<double> d(u(s.dofCount()));
  for (int i = 0; i < s.dofCount(); ++i) {
    const auto& dof = s.dofs[u(i)];
    if (dof.ball < 0) {
      d[u(i)] = (to.q[u(i)] - from.q[u(i)]) / dof.scale;
      continue;
    }
    const Vec3 turn = rotationVector(to.balls[u(dof.ball)] * from.balls[u(dof.ball)].transpose());
    for (int k = 0; k < 3; ++k) d[u(i + k)] = turn[k];
    i += 2;
  }
  return d;
}

std::vector<Configuration> waysToClose(const System& system, const Resolved& resolved, const Home& home,
                                       const std::vector<int>& driven, int most) {
  std::vector<Configuration> ways{home.configuration};
  std::vector<bool> fixed = fixedAtHome(system, resolved);
  for (int d : driven)
    if (d >= 0) fixed[u(d)] = true;
  // what no loop needs stays too: it could be anything
  std::vector<bool> inLoop(u(system.dofCount()), false);
  for (const auto& loop : system.loops)
    for (const auto& m : loop.members) inLoop[u(m.dof)] = true;
  std::vector<int> open;
  for (int k = 0; k < system.dofCount(); ++k) {
    if (!inLoop[u(k)]) fixed[u(k)] = true;
    if (!fixed[u(k)]) open.push_back(k);
  }
  if (open.empty() || open.size() > 60) return ways;
  Solver solver(system, {});
  solver.setHome(home.configuration);
  LeastMotion least(solver);
  // turns that a coupling counts from home may differ by whole turns: compare poses, not values
  const auto same = [&](const Configuration& a, const Configuration& b) {
    for (int k : open) {
      const auto& dof = system.dofs[u(k)];
      if (dof.ball >= 0) {
        if ((a.balls[u(dof.ball)] - b.balls[u(dof.ball)]).norm() > 1e-6) return false;
        continue;
      }
      double d = (a.q[u(k)] - b.q[u(k)]) / dof.scale;
      if (isTurn(dof.motion)) d = std::remainder(d, 2 * kPi);
      if (std::abs(d) > 1e-6) return false;
    }
    return true;
  };
  std::mt19937 random(20251);
  const auto uniform = [&] { return 2.0 * (static_cast<double>(random()) / 4294967296.0) - 1; };
  const int starts = 40 + 12 * static_cast<int>(open.size());
  std::vector<double> step(u(system.dofCount()), 0.0);
  for (int s = 0; s < starts && static_cast<int>(ways.size()) < most; ++s) {
    std::fill(step.begin(), step.end(), 0.0);
    for (int k : open) step[u(k)] = uniform() * (isTurn(system.dofs[u(k)].motion) ? kPi : 1.0);
    Configuration c = home.configuration;
    solver.add(c, step, 1);
    if (!(least.close(c, fixed) < 1e-10)) continue;
    bool inside = true;  // stops choose too
    for (std::size_t i = 0; i < resolved.joints.size() && inside; ++i) {
      const int index = system.compiledJoint(static_cast<int>(i));
      if (index < 0) continue;
      const auto& j = resolved.joints[i];
      for (std::size_t v = 0; v < j.low.size(); ++v) {
        const int dof = system.dofOf({static_cast<int>(i), static_cast<int>(v)});
        if (dof >= 0 && isTurn(system.dofs[u(dof)].motion) && !fixed[u(dof)])  // nearest turn to home
          c.q[u(dof)] =
              home.configuration.q[u(dof)] + std::remainder(c.q[u(dof)] - home.configuration.q[u(dof)], 2 * kPi);
        const double q = jointValue(system, c, static_cast<int>(i), static_cast<int>(v), resolved);
        if ((j.low[v] && q < *j.low[v] - 1e-9) || (j.high[v] && q > *j.high[v] + 1e-9)) inside = false;
      }
    }
    if (!inside) continue;
    if (std::none_of(ways.begin(), ways.end(), [&](const Configuration& w) { return same(w, c); }))
      ways.push_back(std::move(c));
  }
  const auto far = [&](const Configuration& c) {
    double sum = 0;
    for (double d : difference(system, home.configuration, c)) sum += d * d;
    return sum;
  };
  std::stable_sort(ways.begin() + 1, ways.end(),
                   [&](const Configuration& a, const Configuration& b) { return far(a) < far(b); });
  return ways;
}

double jointValue(const System& system, const Configuration& c, int sourceJoint, int value, const Resolved&) {
  const int index = system.compiledJoint(sourceJoint);
  if (index < 0) return 0;
  const System::Joint& j = system.joints[u(index)];
  // a spherical joint's angles: from its ball, or three turns of their own; swing is the angle of the two axes
  if (j.ball < 0 && value < j.dofs) return c.q[u(j.firstDof + value)];
  if (j.ball >= 0 && value < j.ballAt) return c.q[u(j.firstDof + value)];
  if (j.ball < 0) {
    const double* q = &c.q[u(j.firstDof + j.dofs - 3)];
    const Mat3 R = ballRotation({q[0], q[1], q[2]});
    return std::atan2(std::hypot(R(0, 2), R(1, 2)), R(2, 2));
  }
  const Mat3& R = c.balls[u(j.ball)];
  const int angle = value - j.ballAt;
  if (angle == 3) return std::atan2(std::hypot(R(0, 2), R(1, 2)), R(2, 2));
  return ballAngles(R)[angle];
}

}  // namespace cooperage::kinematics
