// SPDX-License-Identifier: GPL-3.0-or-later
// Paths and runs of a document being worked out.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "model/resolving.h"

namespace cooperage::model {

static bool resolveRun(Resolving& ctx, const Run& given);

bool resolvePaths(Resolving& ctx) {
  for (const auto& p : ctx.m.paths) {
    const std::string object = "path " + p->name;
    Resolved::PathR r{p->id, p->name, {}, -1, 0, p->bySpeed};
    const auto seat = ctx.seatIndex.find(p->of);
    if (seat == ctx.seatIndex.end()) return ctx.fail("missing-seat", object, "its seat is gone; choose another");
    r.seat = seat->second;
    if (p->in) {
      const auto in = ctx.linkIndex.find(*p->in);
      if (in == ctx.linkIndex.end())
        return ctx.fail("missing-link", object, "the link in whose axes it is drawn is gone");
      r.in = in->second;
    }
    if (p->tick) {
      if (!ctx.read(*p->tick, dimension::kTime, object, "ticks", r.tick)) return false;
      if (!(r.tick > 0)) return ctx.fail("figure", object, "the time between two ticks must be greater than zero");
    }
    ctx.out.paths.push_back(r);
  }
  return true;
}

static bool resolveRun(Resolving& ctx, const Run& given) {
  const std::string object = "run " + given.name;
  Resolved::RunR r;
  r.id = given.id;
  r.name = given.name;
  r.steps = given.steps;
  r.reverseAtLimit = given.atLimit == AtLimit::reverse;
  r.pastStops = given.pastStops;
  r.stopAtContact = given.stopAtContact;
  r.freeStart = given.freeStart;
  r.check = given.check;
  r.ghostEvery = given.ghostEvery;
  if (given.steps < 1 || given.steps > 10000000)
    return ctx.fail("figure", object, "the number of steps must lie between 1 and 10,000,000");
  const auto drive = [&](Id id, int& index) {
    const auto it = ctx.driveIndex.find(id);
    if (it == ctx.driveIndex.end()) return ctx.fail("missing-drive", object, "a drive that it names is gone");
    index = it->second;
    return true;
  };
  if (given.axis != 0 && !drive(given.axis, r.axis)) return false;
  if (given.drives) {
    for (Id id : *given.drives) {
      r.drives.push_back(-1);
      if (!drive(id, r.drives.back())) return false;
    }
  } else {
    for (std::size_t i = 0; i < ctx.out.drives.size(); ++i)
      if (ctx.out.drives[i].enabled) r.drives.push_back(static_cast<int>(i));
  }
  for (const auto& [id, f] : given.start) {
    int index = -1;
    double v = 0;
    if (!drive(id, index)) return false;
    if (!ctx.read(f, ctx.out.drives[static_cast<std::size_t>(index)].dimension, object, "start", v)) return false;
    r.start.emplace_back(index, v);
  }
  if (given.sweep) {
    if (!drive(given.sweep->drive, r.sweepDrive)) return false;
    const Dimension d = ctx.out.drives[static_cast<std::size_t>(r.sweepDrive)].dimension;
    double speed = 0;
    if (!ctx.read(given.sweep->from, d, object, "from", r.sweepFrom) ||
        !ctx.read(given.sweep->to, d, object, "to", r.sweepTo) ||
        !ctx.read(given.sweep->speed, d + dimension::kPerSecond, object, "speed", speed))
      return false;
    if (!(std::abs(speed) > 0)) return ctx.fail("figure", object, "the speed of the sweep is zero");
    r.duration = std::abs((r.sweepTo - r.sweepFrom) / speed);
    if (given.axis == 0) r.axis = r.sweepDrive;
  } else if (given.duration) {
    if (!ctx.read(*given.duration, dimension::kTime, object, "duration", r.duration)) return false;
  } else if (given.turns) {
    if (!ctx.read(*given.turns, dimension::kPlain, object, "turns", r.turns)) return false;
    if (!(r.turns > 0)) return ctx.fail("figure", object, "the number of turns must be greater than zero");
    r.duration = 1;  // until the programme is known
  } else {
    r.asProgrammes = true;
    r.duration = 1;  // until the programmes are known
  }
  if (!(r.duration > 0)) return ctx.fail("figure", object, "the duration must be greater than zero");
  const Dimension axis = r.axis < 0 ? dimension::kTime : ctx.out.drives[static_cast<std::size_t>(r.axis)].dimension;
  if (given.stepSize && !readOnAxis(ctx, *given.stepSize, axis, object, "step", r.stepSize)) return false;
  if (given.stepRate && !ctx.read(*given.stepRate, dimension::kPerSecond, object, "rate", r.stepRate)) return false;
  if ((given.stepSize && !(r.stepSize > 0)) || (given.stepRate && !(r.stepRate > 0)))
    return ctx.fail("figure", object, "the size and the rate of steps must be greater than zero");
  for (const Field& f : given.ghostMarks) {
    r.ghostMarks.emplace_back();
    if (!readOnAxis(ctx, f, axis, object, "ghosts", r.ghostMarks.back())) return false;
  }
  for (Id id : given.off) {
    if (const auto j = ctx.jointIndex.find(id); j != ctx.jointIndex.end())
      r.offJoints.push_back(j->second);
    else if (const auto p = ctx.pairIndex.find(id); p != ctx.pairIndex.end())
      r.offPairs.push_back(p->second);
    else if (const auto c = ctx.contactIndex.find(id); c != ctx.contactIndex.end())
      r.offContacts.push_back(c->second);
    else
      for (std::size_t i = 0; i < ctx.out.couplings.size(); ++i)
        if (ctx.out.couplings[i].id == id) r.offCouplings.push_back(static_cast<int>(i));
  }
  const auto option = [&](const std::optional<Field>& f, const Dimension& d, const char* what, double& into) {
    if (!f) return true;
    if (!ctx.read(*f, d, object, what, into)) return false;
    return into > 0 || ctx.fail("figure", object, std::string(what) + " must be greater than zero");
  };
  if (!option(given.accuracy, dimension::kLength, "accuracy", r.accuracy) ||
      !option(given.fitDepth, dimension::kLength, "fit_depth", r.fitDepth) ||
      !option(given.fitAngle, dimension::kAngle, "fit angle", r.fitAngle) ||
      !option(given.fitLength, dimension::kPlain, "fit length", r.fitLength))
    return false;
  for (const auto& [a, b] : given.leaveOut) {
    const auto ia = ctx.linkIndex.find(a), ib = ctx.linkIndex.find(b);
    if (ia != ctx.linkIndex.end() && ib != ctx.linkIndex.end()) r.leaveOut.emplace_back(ia->second, ib->second);
  }
  const auto side = [&](const std::vector<Id>& from, std::vector<int>& to) {
    for (Id id : from)
      if (const auto it = ctx.linkIndex.find(id); it != ctx.linkIndex.end()) to.push_back(it->second);
  };
  side(given.sideA, r.sideA);
  side(given.sideB, r.sideB);
  ctx.out.runs.push_back(std::move(r));
  return true;
}
bool resolveRuns(Resolving& ctx) {
  for (const auto& r : ctx.m.runs)
    if (!resolveRun(ctx, *r)) return false;
  return true;
}

}  // namespace cooperage::model
