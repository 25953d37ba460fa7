// SPDX-License-Identifier: GPL-3.0-or-later
// Making a run ready: what acts in it, its watched values, solver and drives.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "kinematics/travel.h"
#include "kinematics/values.h"

namespace cooperage::kinematics {

using model::Resolved;

namespace {
constexpr double kStopSlack = 1e-9;  // rad, or of size: a value on its stop is not past it
}  // namespace

Result<std::unique_ptr<TravelRun>> TravelRun::prepare(const Resolved& resolved, int run, const Assembled* assembled,
                                                      const MakePushed& pushed) {
  std::unique_ptr<TravelRun> r(new TravelRun(resolved, run));
  const bool whole = !r->leaveOut();
  const auto& settings = r->settings();
  if (assembled &&
      (!whole || assembled->fit.fitAngle != settings.fitAngle || assembled->fit.fitLength != settings.fitLength))
    assembled = nullptr;
  if (assembled) {
    r->system_ = assembled->system;
  } else {
    auto system = System::compile(r->resolved_);
    if (!system.ok()) return system.error();
    r->system_ = std::make_shared<const System>(std::move(system).value());
  }
  if (const Status s = r->setUp(assembled, pushed); !s.ok()) return s.error();
  return r;
}

std::unique_ptr<TravelRun> TravelRun::twin() const {
  std::unique_ptr<TravelRun> other(new TravelRun(*this));
  // what is written while poses are asked for
  other->solver_ = std::make_shared<Solver>(*solver_);
  if (pushed_) {
    other->pushed_ = pushed_->clone();
    other->followRun();
  }
  return other;
}

/// What does not act in this run: its own choice of joints, couplings and contacts, and drives that it does not name.
/// @return whether anything was left out that acts otherwise
bool TravelRun::leaveOut() {
  const auto settings = resolved_.runs[u(run_)];
  bool less = false;
  const auto off = [&](bool& enabled) {
    less = less || enabled;
    enabled = false;
  };
  for (int j : settings.offJoints) off(resolved_.joints[u(j)].enabled);
  for (int c : settings.offCouplings) off(resolved_.couplings[u(c)].enabled);
  for (int p : settings.offPairs) off(resolved_.camPairs[u(p)].enabled);
  for (int c : settings.offContacts) off(resolved_.contacts[u(c)].enabled);
  if (settings.drives.empty()) return less;  // nothing is driven: a count of freedoms asks for all of them
  for (std::size_t d = 0; d < resolved_.drives.size(); ++d)
    if (std::find(settings.drives.begin(), settings.drives.end(), static_cast<int>(d)) == settings.drives.end())
      off(resolved_.drives[d].enabled);
  return less;
}

void TravelRun::makeWatches() {
  for (std::size_t i = 0; i < resolved_.joints.size(); ++i) {
    const auto& j = resolved_.joints[i];
    const int compiled = system_->compiledJoint(static_cast<int>(i));
    if (compiled < 0) continue;
    const auto& values = model::infoOf(j.kind).values;
    for (std::size_t v = 0; v < values.size(); ++v) {
      double low = j.low[v] ? *j.low[v] : -1e300, high = j.high[v] ? *j.high[v] : 1e300;
      if (j.kind == model::JointKind::pointCurve && v == 0 && j.curve && !j.curve->closed()) {
        low = std::max(low, j.curve->low());  // the ends of an open curve stop its point
        high = std::min(high, j.curve->high());
      }
      if (low <= -1e300 && high >= 1e300) continue;
      const int dof = system_->dofOf({static_cast<int>(i), static_cast<int>(v)});
      const double unit = values[v].angle ? 1 : values[v].plain ? std::max(1e-12, high - low) : system_->size;
      watches_.push_back({static_cast<int>(i), static_cast<int>(v), compiled, dof, low, high,
                          kStopSlack * (std::isfinite(unit) && unit < 1e100 ? unit : 1)});
    }
  }
}

std::unique_ptr<Solver> TravelRun::makeSolver(bool fine) const {
  Solver::Options options = HomeOptions{settings().fitAngle, settings().fitLength}.solver();
  if (fine) options.rankTolerance = 1e-9;
  auto solver = std::make_unique<Solver>(*system_, drivenDofs_, options);
  solver->setHome(home_.configuration);
  return solver;
}

Status TravelRun::setUp(const Assembled* assembled, const MakePushed& pushed) {
  const auto& settings = this->settings();
  if (assembled) {
    home_ = assembled->home;
    mobility_ = assembled->mobility;
  } else {
    const HomeOptions fit{settings.fitAngle, settings.fitLength};
    auto home = assemble(*system_, resolved_, fit);
    if (!home.ok()) return home.error();
    home_ = std::move(home).value();
    mobility_ = analyse(*system_, resolved_, home_, fit);
  }
  messages_ = home_.messages;
  makeWatches();
  for (const Watch& w : watches_) {
    const auto& j = resolved_.joints[u(w.joint)];
    const double q = jointValue(*system_, home_.configuration, w.joint, w.value, resolved_);
    const auto& value = model::infoOf(j.kind).values[u(w.value)];
    if (q < w.low - w.slack || q > w.high + w.slack)
      return Error{"stop-at-home", j.name,
                   fmt::format("joint {}: {} is {:.6g}{} at home, outside its stops; move the stop or the home value",
                               j.name, value.name,
                               value.angle   ? q * 180 / kPi
                               : value.plain ? q
                                             : q * 1e3,
                               value.angle   ? " deg"
                               : value.plain ? ""
                                             : " mm")};
  }
  if (const Status s = makeDrives(); !s.ok()) return s;
  // rank is decided where it is the rank of the motion; then rows are chosen anew for home
  solver_ = makeSolver(false);
  solver_->pick(mobility_.generic);
  fullRank_ = solver_->rank();
  solver_->pickAgain(home_.configuration);
  if (pushed)
    if (const Status made = makePushed(pushed, solver_->leftOver()); !made.ok()) return made;
  tellLeft();
  for (const auto& name : mobility_.redundantDrives)
    messages_.push_back({Severity::warning,
                         "redundant-drive",
                         {name},
                         fmt::format("drive {}: its joint is driven already by the others", name)});
  return Done{};
}

Status TravelRun::addDrive(int d) {
  const auto& settings = this->settings();
  const auto& drive = resolved_.drives[u(d)];
  if (!drive.enabled) return Done{};
  const std::string moved = drive.gauge >= 0 ? "gauge " + resolved_.gauges[u(drive.gauge)].name
                                             : "joint " + resolved_.joints[u(drive.value.joint)].name;
  const int dof = system_->dofOfDrive(resolved_, d);
  std::string tilts;  // what may be why nothing moves
  for (const Message& m : home_.messages)
    if (m.code == "tilted-axis") tilts += "; " + m.text;
  if (dof < 0)
    return Error{"drive", drive.name, fmt::format("drive {}: its {} is switched off or fixed", drive.name, moved)};
  if (std::find(mobility_.stuckDrives.begin(), mobility_.stuckDrives.end(), drive.name) != mobility_.stuckDrives.end())
    return Error{
        "stuck-drive", drive.name,
        fmt::format("drive {}: the {} cannot move; free a joint or drive another{}", drive.name, moved, tilts)};
  ActiveDrive active{d, dof, {}, home_.configuration.q[u(dof)]};
  double start = active.home;
  for (const auto& [index, value] : settings.start)
    if (index == d) start = value;
  std::vector<Resolved::RowR> rows = drive.rows;
  bool reverse = drive.reverse;
  if (settings.sweepDrive == d) {
    start = settings.sweepFrom;
    Resolved::RowR row;
    row.law = motion::LawKind::linear;
    row.figures = {{"to", settings.sweepTo}, {"time", settings.duration}};
    rows = {row};
    reverse = false;
  }
  auto programme = motion::Programme::compile(rows, start, reverse, drive.name);
  if (!programme.ok()) return programme.error();
  active.programme = std::move(programme).value();
  if (const auto first = active.programme.at(0);
      !std::isfinite(first.position) || !std::isfinite(first.velocity) || !std::isfinite(first.acceleration))
    return Error{
        "law", drive.name,
        fmt::format("drive {}: its law has no value at the start of the run; change the formula or begin later",
                    drive.name)};
  drivenDofs_.push_back(dof);
  drives_.push_back(std::move(active));
  return Done{};
}

Status TravelRun::makeDrives() {
  for (int d : settings().drives)
    if (const Status s = addDrive(d); !s.ok()) return s;
  if (const Status s = makeDuration(); !s.ok()) return s;
  const auto hold = [&](const System::Joint& j) {
    for (int k = 0; k < j.dofs; ++k) drivenDofs_.push_back(j.firstDof + k);
  };
  for (std::size_t i = 0; i < resolved_.joints.size(); ++i) {
    const int index = system_->compiledJoint(static_cast<int>(i));
    if (resolved_.joints[i].held && index >= 0) hold(system_->joints[u(index)]);
  }
  for (int f : system_->floating) hold(system_->joints[u(f)]);
  return Done{};
}

}  // namespace cooperage::kinematics
