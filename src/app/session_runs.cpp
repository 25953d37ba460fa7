// SPDX-License-Identifier: GPL-3.0-or-later
// Session: runs, asked for or done again by themselves, the ones that they are compared with, and the cursor.
#include "session_runs.h"

#include <QElapsedTimer>
#include <algorithm>
#include <cmath>

#include "text.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
constexpr double kShort = 250;  ///< ms: a run that takes no longer follows every change by itself

constexpr std::size_t kGhosts = 24;  ///< more can't be told apart

/// A path of very many steps, as fine as a picture can show it.
kinematics::PointPath thinned(kinematics::PointPath path) {
  constexpr std::size_t kFine = 4000;
  if (path.points.size() <= kFine) return path;
  double length = 0;
  for (std::size_t i = 1; i < path.points.size(); ++i) length += (path.points[i] - path.points[i - 1]).norm();
  kinematics::PointPath out;
  for (std::size_t i = 0; i < path.points.size(); ++i) {
    const bool last = i + 1 == path.points.size();
    if (!out.points.empty() && !last && (path.points[i] - out.points.back()).norm() < length / kFine) continue;
    out.points.push_back(path.points[i]);
    out.times.push_back(path.times[i]);
    out.speed.push_back(path.speed[i]);
  }
  return out;
}

/// Paths, ghosts, the nearest pose of an end, requirements, and what is too coarse: all that is drawn beside the table.
void readOff(RunData& run, SharedProgress& progress) {
  auto& travel = *run.travel;
  const auto& result = run.result;
  const auto& r = travel.resolved();
  if (result.travel.steps.empty()) return;
  for (const auto& p : r.paths)
    run.paths.push_back(thinned(kinematics::pathOf(travel, *run.measurer, result.travel, p.seat, p.in,
                                                   2e-4 * travel.system().size, &progress)));
  const auto& settings = travel.settings();
  const auto ghost = [&](const kinematics::TravelStep& s) {
    run.ghosts.emplace_back();
    run.measurer->linkPoses(s, run.ghosts.back());
  };
  if (settings.ghostEvery > 0)
    for (std::size_t i = 0, stride = std::max(static_cast<std::size_t>(settings.ghostEvery),
                                              result.travel.steps.size() / kGhosts);
         i < result.travel.steps.size(); i += stride)
      ghost(result.travel.steps[i]);
  for (double mark : settings.ghostMarks) {
    kinematics::TravelStep s;
    const double t = travel.timeOf(mark);
    if (t <= result.travel.steps.back().t && travel.poseAt(result.travel, t, s)) ghost(s);
  }
  if (const auto& ended = result.travel.ended; ended && !ended->nearest.q.empty()) {
    const std::vector<double> zero(ended->nearest.q.size(), 0.0);
    run.measurer->linkPoses({ended->t, ended->nearest, zero, zero}, run.nearest);
  }
  if (progress.cancelled()) return;
  run.requirements = kinematics::judge(travel, *run.measurer, result);
  run.steps = kinematics::checkSteps(travel, *run.measurer, result, &progress);
}
}  // namespace

kinematics::Samples PartialRun::samples(const std::string& column) const {
  kinematics::Samples out;
  std::size_t c = 0;
  while (c < columns_.size() && columns_[c].name != column) ++c;
  const std::lock_guard<std::mutex> lock(mutex_);
  out.x = axis_;
  out.y.reserve(rows_.size());
  for (const auto& row : rows_) out.y.push_back(c < row.size() ? row[c] : std::nan(""));
  return out;
}

Computed computeRun(const MechanismPtr& source, const Resolved& resolved, int index, bool withGeometry,
                    shape::ShapeStore& store, clearance::GeometryCache& cache, SharedProgress& progress,
                    const std::function<void(std::shared_ptr<PartialRun>)>& partial) {
  Computed out;
  QElapsedTimer whole;
  whole.start();
  auto travel = kinematics::TravelRun::prepare(resolved, index);
  if (!travel.ok()) {
    out.problem = q(travel.error().text);
    return out;
  }
  kinematics::ClearanceAt clearanceAt;
  kinematics::ClearanceAlong clearanceAlong;
  const auto need = withGeometry ? clearance::Need::checks : clearance::Need::measures;
  for (const auto& g : resolved.gauges) withGeometry = withGeometry || g.kind == "clearance";
  withGeometry = withGeometry || resolved.runs[static_cast<std::size_t>(index)].stopAtContact;
  if (withGeometry) {
    auto geometry = clearance::geometryFor(resolved, index, store, cache, &progress, need);
    if (!geometry.ok()) {
      out.problem = geometry.error().cancelled ? Session::tr("Cancelled") : q(geometry.error().text);
      return out;
    }
    out.geometry = std::move(geometry).value();
    clearanceAt = clearance::clearanceWith(*out.geometry);
    clearanceAlong = clearance::clearanceAlong(*out.geometry);
  }
  out.run = std::make_shared<RunData>();
  out.run->source = source;
  out.run->id = resolved.runs[static_cast<std::size_t>(index)].id;
  out.run->travel = std::move(travel).value();
  out.run->measurer = std::make_unique<kinematics::Measurer>(*out.run->travel, clearanceAt, clearanceAlong);
  kinematics::RowSink sink;
  if (partial) {
    auto rows = std::make_shared<PartialRun>(out.run->measurer->columns(), out.run->travel->axisAt(0),
                                             out.run->travel->axisAt(out.run->travel->settings().duration));
    partial(rows);
    sink = [rows](const std::vector<double>& row, double axis) { rows->add(row, axis); };
  }
  QElapsedTimer clock;  // the figure shown is that of the travel, geometry apart
  clock.start();
  out.run->result = kinematics::tabulate(*out.run->travel, *out.run->measurer, &progress, sink);
  out.run->milliseconds = static_cast<double>(clock.nsecsElapsed()) * 1e-6;
  if (out.geometry)
    clearance::stopAtContact(*out.run->travel, *out.run->measurer, *out.geometry, out.run->result, &progress);
  if (!out.run->result.travel.cancelled) readOff(*out.run, progress);
  if (out.run->result.travel.cancelled || progress.cancelled()) out.problem = Session::tr("Cancelled");
  out.run->wholeTime = static_cast<double>(whole.nsecsElapsed()) * 1e-6;
  return out;
}

int Session::currentRun() const {
  for (std::size_t i = 0; i < resolved_->runs.size(); ++i)
    if (resolved_->runs[i].id == currentRun_) return static_cast<int>(i);
  return resolved_->runs.empty() ? -1 : 0;
}

const RunData* Session::resultOf(Id run) const {
  const auto it = results_.find(run);
  return it == results_.end() ? nullptr : it->second.get();
}

void Session::setCurrentRun(Id id) {
  if (id == currentRun_ && run_ && run_->id == id) return;
  currentRun_ = id;
  before_.reset();
  pinned_.reset();
  check_.reset();
  chosenInterference_ = -1;
  const auto known = results_.find(id);
  if (known != results_.end() && known->second->source == mechanism_) {
    run_ = known->second;
    setCursor(0, atCursor_ || stage_ >= Stage::run);
    emit resultsChanged();
  } else if (homeProblem_.isEmpty() && currentRun() >= 0) {
    startRun();
  } else {
    emit resultsChanged();
  }
}

int Session::columnOf(Id gauge) const {
  if (!run_) return -1;
  const auto& gauges = run_->travel->resolved().gauges;
  for (std::size_t g = 0; g < gauges.size(); ++g)
    if (gauges[g].id == gauge) return run_->measurer->firstGauge() + static_cast<int>(g);
  return -1;
}

/// Drives as they act in the present run: two runs may drive one joint in two ways.
Resolved Session::withActingDrives() const {
  Resolved r = *resolved_;
  const int run = currentRun();
  if (run < 0) return r;
  const auto& acting = r.runs[static_cast<std::size_t>(run)].drives;
  for (std::size_t d = 0; d < r.drives.size(); ++d)
    if (std::find(acting.begin(), acting.end(), static_cast<int>(d)) == acting.end()) r.drives[d].enabled = false;
  return r;
}

/// A new run takes the place of the old one, which stays to compare with: of many changes within one gesture, the one
/// before the first.
void Session::takeRun(std::shared_ptr<RunData> run, bool quiet) {
  const int gesture = undo_.index();
  if (run_ && run_->source != run->source && run_->id == run->id && runGesture_ != gesture) before_ = run_;
  if (run_ && run_->id != run->id) before_.reset();
  runGesture_ = gesture;
  run_ = std::move(run);
  results_[run_->id] = run_;
  partial_.reset();
  if (quiet) return;
  const auto& messages = run_->result.travel.messages;
  for (const auto& m : messages)
    if (m.severity != Severity::note) say(q(m.text), m.severity == Severity::error);
}

void Session::startRun() {
  const int index = currentRun();
  if (index < 0) {
    say(tr("There is no run yet: add one in stage Run"), true);
    return;
  }
  live_.stop();
  liveAgain_ = false;
  auto answer = std::make_shared<Computed>();
  const auto source = mechanism_;
  const auto resolved = std::make_shared<const Resolved>(*resolved_);
  partial_.reset();
  jobs_.start(
      tr("Computing %1").arg(q(resolved->runs[static_cast<std::size_t>(index)].name)),
      [this, answer, source, resolved, index](SharedProgress& progress) {
        *answer = computeRun(source, *resolved, index, false, store_, geometryCache_, progress,
                             [this](std::shared_ptr<PartialRun> rows) {
                               QMetaObject::invokeMethod(
                                   this,
                                   [this, rows] {
                                     if (!jobs_.busy()) return;
                                     partial_ = rows;
                                     emit partialChanged();
                                   },
                                   Qt::QueuedConnection);
                             });
      },
      [this, answer] {
        partial_.reset();
        if (!answer->problem.isEmpty()) {
          say(answer->problem, true);
          emit resultsChanged();
          return;
        }
        takeRun(answer->run, false);
        setCursor(std::min(cursor_, run_->result.travel.steps.back().t), atCursor_ || stage_ >= Stage::run);
        emit resultsChanged();
      });
}

void Session::startAllRuns() {
  if (currentRun() < 0) {
    say(tr("There is no run yet: add one in stage Run"), true);
    return;
  }
  auto answers = std::make_shared<std::vector<Computed>>();
  const auto source = mechanism_;
  const auto resolved = std::make_shared<const Resolved>(*resolved_);
  const int present = currentRun();
  jobs_.start(
      tr("Computing all runs"),
      [this, answers, source, resolved](SharedProgress& progress) {
        for (std::size_t i = 0; i < resolved->runs.size() && !progress.cancelled(); ++i)
          answers->push_back(
              computeRun(source, *resolved, static_cast<int>(i), false, store_, geometryCache_, progress));
      },
      [this, answers, present] {
        int ended = 0;
        QString problem;
        for (std::size_t i = 0; i < answers->size(); ++i) {
          Computed& c = (*answers)[i];
          if (!c.problem.isEmpty()) {
            problem = c.problem;
            continue;
          }
          ended += c.run->result.travel.completed ? 0 : 1;
          if (static_cast<int>(i) == present)
            takeRun(c.run, true);
          else
            results_[c.run->id] = c.run;
        }
        if (run_ && !run_->result.travel.steps.empty())
          setCursor(std::min(cursor_, run_->result.travel.steps.back().t), atCursor_ || stage_ >= Stage::run);
        emit resultsChanged();
        if (!problem.isEmpty())
          say(problem, true);
        else
          say(ended == 0 ? tr("All %1 runs are complete").arg(answers->size())
                         : tr("%1 of %2 runs end early").arg(ended).arg(answers->size()),
              ended != 0);
      });
}

// ---------------------------------------------------------------- by itself, after a change

bool Session::goesOnLive() const {
  return run_ && run_->source != mechanism_ && run_->wholeTime < kShort && currentRun() >= 0 && !jobs_.busy() &&
         resolved_->runs[static_cast<std::size_t>(currentRun())].id == run_->id;
}

/// One at a time: what changes meanwhile is done when it is ready, so that a slider never waits for a row of runs.
void Session::startLive() {
  if (live_.busy()) {
    liveAgain_ = true;
    return;
  }
  liveAgain_ = false;
  const int index = currentRun();
  auto answer = std::make_shared<Computed>();
  const auto source = mechanism_;
  const auto resolved = std::make_shared<const Resolved>(*resolved_);
  live_.start(
      tr("Following the change"),
      [this, answer, source, resolved, index](SharedProgress& progress) {
        *answer = computeRun(source, *resolved, index, false, store_, geometryCache_, progress);
      },
      [this, answer] {
        if (!answer->problem.isEmpty() || answer->run->result.travel.steps.empty()) {
          if (!answer->problem.isEmpty()) say(answer->problem, true);
          if (atCursor_) goHome();
        } else {
          const bool ended = run_ && run_->result.travel.ended.has_value();
          takeRun(answer->run, false);
          if (ended && run_->result.travel.completed) say(tr("The travel is complete"));
          setCursor(std::min(cursor_, run_->result.travel.steps.back().t), atCursor_);
        }
        emit resultsChanged();
        if (liveAgain_ && goesOnLive()) startLive();
      });
}

void Session::togglePin() {
  if (pinned_)
    pinned_.reset();
  else
    pinned_ = run_;
  say(pinned_ ? tr("These curves stay, to compare later ones with") : tr("Compared with the run before again"));
  emit resultsChanged();
}

void Session::refineRun() {
  if (!run_ || run_->steps.coarse.empty()) return;
  int steps = 0;
  for (const auto& c : run_->steps.coarse) steps = std::max(steps, c.suggested);
  if (apply(tr("Refine the run"), changed<Run>(*mechanism_, &Mechanism::runs, run_->id, [&](Run& r) {
              r.steps = steps;
              r.stepSize.reset();
              r.stepRate.reset();
            })))
    startRun();
}

void Session::turnBackAtLimit() {
  if (!run_) return;
  if (apply(tr("Turn back at the limit"),
            changed<Run>(*mechanism_, &Mechanism::runs, run_->id, [](Run& r) { r.atLimit = "reverse"; })) &&
      !live_.busy())
    startRun();
}

/// The stop that was met gives way as far as the whole travel asks: found by a run that may pass it.
void Session::moveStopAway() {
  if (!run_ || !run_->result.travel.ended || run_->result.travel.ended->kind != "stop") return;
  const std::string name = run_->result.travel.ended->joint;
  const int index = currentRun();
  auto free = std::make_shared<Resolved>(*resolved_);
  free->runs[static_cast<std::size_t>(index)].pastStops = true;
  struct Reach {
    std::size_t joint = 0;
    std::vector<double> low, high;
  };
  auto reach = std::make_shared<Reach>();
  jobs_.start(
      tr("Looking how far %1 goes").arg(q(name)),
      [free, reach, index, name](SharedProgress& progress) {
        auto travel = kinematics::TravelRun::prepare(*free, index);
        if (!travel.ok()) return;
        const auto steps = (*travel)->run(&progress);
        for (std::size_t j = 0; j < free->joints.size(); ++j) {
          if (free->joints[j].name != name) continue;
          reach->joint = j;
          reach->low.assign(free->joints[j].low.size(), 1e300);
          reach->high.assign(free->joints[j].low.size(), -1e300);
        }
        kinematics::Measurer measurer(**travel);
        for (const auto& s : steps.steps)
          for (std::size_t v = 0; v < reach->low.size(); ++v) {
            const double x = kinematics::jointValue((*travel)->system(), s.c, static_cast<int>(reach->joint),
                                                    static_cast<int>(v), *free);
            reach->low[v] = std::min(reach->low[v], x);
            reach->high[v] = std::max(reach->high[v], x);
          }
      },
      [this, reach, name] {
        if (reach->low.empty()) return;
        const auto j = findByName(mechanism_->joints, name);
        if (!j) return;
        const auto& values = infoOf(j->kind).values;
        const auto& now = resolved_->joints[reach->joint];
        const Mechanism next = changedJoint(*mechanism_, j->id, [&](Joint& x) {
          for (std::size_t v = 0; v < values.size() && v < reach->low.size(); ++v) {
            const double unit = mechanism_->units.factor(dimensionOf(values[v]));
            if (now.low[v] && reach->low[v] < *now.low[v] + 1e-9)
              x.stops[values[v].name].low = Field(std::floor(reach->low[v] / unit * 100 + 1e-6) / 100);
            if (now.high[v] && reach->high[v] > *now.high[v] - 1e-9)
              x.stops[values[v].name].high = Field(std::ceil(reach->high[v] / unit * 100 - 1e-6) / 100);
          }
        });
        if (apply(tr("Move the stop"), next)) {
          say(tr("The stop of %1 has given way as far as the travel asks").arg(q(name)));
          startRun();
        }
      });
}

// ---------------------------------------------------------------- cursor

void Session::setCursor(double t, bool show) {
  if (show) dropPoseOverlaps();
  if (!run_ || run_->result.travel.steps.empty()) return;
  cursor_ = std::clamp(t, run_->result.travel.steps.front().t, run_->result.travel.steps.back().t);
  kinematics::TravelStep s;
  if (run_->travel->poseAt(run_->result.travel, cursor_, s)) {
    run_->measurer->row(s, cursorRow_);
    if (show && !isRunStale()) {
      run_->measurer->linkPoses(s, poses_);
      byHand_ = false;
      atCursor_ = true;
      emit posesChanged();
    }
  }
  emit cursorChanged();
}

}  // namespace cooperage::app
