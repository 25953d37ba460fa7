// SPDX-License-Identifier: GPL-3.0-or-later
#include "run_book.h"
#include "../text.h"

#include <algorithm>
#include <cmath>

namespace cooperage::app {

using namespace model;

namespace {
constexpr double kShort = 250;  ///< ms: a run that takes no longer follows every change by itself
}  // namespace

RunBook::RunBook(Document& document, const Selection& selection, BodyShapes& shapes, Solution& solution,
                 PoseControl& pose, JobRunner& jobs, Speaker& speaker)
    : document_(document),
      selection_(selection),
      shapes_(shapes),
      solution_(solution),
      pose_(pose),
      jobs_(jobs),
      speaker_(speaker) {}

int RunBook::indexIn(const Resolved& figures) const {
  for (std::size_t i = 0; i < figures.runs.size(); ++i)
    if (figures.runs[i].id == currentRun_) return static_cast<int>(i);
  return figures.runs.empty() ? -1 : 0;
}

const RunData* RunBook::resultOf(Id run) const {
  const auto it = results_.find(run);
  return it == results_.end() ? nullptr : it->second.get();
}

void RunBook::setCurrentRun(Id id) {
  if (id == currentRun_ && run_ && run_->id == id) return;
  currentRun_ = id;
  before_.reset();
  pinned_.reset();
  emit chosen(currentRun());
  const auto known = results_.find(id);
  if (known != results_.end() && known->second->source == document_.mechanism()) {
    run_ = known->second;
    setCursor(0, pose_.isAtCursor() || selection_.stage() >= Stage::run);
    emit changed();
  } else if (solution_.closes() && currentRun() >= 0) {
    startRun();
  } else {
    emit changed();
  }
}

int RunBook::columnOf(Id gauge) const {
  if (!run_) return -1;
  const auto& gauges = run_->travel->resolved().gauges;
  for (std::size_t g = 0; g < gauges.size(); ++g)
    if (gauges[g].id == gauge) return run_->measurer->firstGauge() + static_cast<int>(g);
  return -1;
}

/// A new run takes the place of the old one, which stays to compare with: of many changes within one gesture, the one
/// before the first.
void RunBook::take(std::shared_ptr<RunData> run, bool quiet) {
  const int gesture = document_.undoStack()->index();
  if (run_ && run_->source != run->source && run_->id == run->id && runGesture_ != gesture) before_ = run_;
  if (run_ && run_->id != run->id) before_.reset();
  runGesture_ = gesture;
  run_ = std::move(run);
  results_[run_->id] = run_;
  partial_.reset();
  if (quiet) return;
  const auto& messages = run_->result.travel.messages;
  for (const auto& m : messages)
    if (m.severity != Severity::note) speaker_.say(q(m.text), m.severity == Severity::error);
}

/// What can't be run has no result: one of this very document was worked out before all its bodies were there.
void RunBook::drop() {
  if (!run_ || run_->source != document_.mechanism()) return;
  results_.erase(run_->id);
  run_.reset();
  if (pose_.isAtCursor()) pose_.goHome();
}

void RunBook::startRun() {
  solution_.settle();
  const int index = currentRun();
  if (index < 0) {
    speaker_.say(tr("There is no run yet: add one in stage Run"), true);
    return;
  }
  haltLive();
  auto answer = std::make_shared<Computed>();
  const auto prepared = solution_.prepared();
  partial_.reset();
  jobs_.start(
      tr("Computing %1").arg(q(solution_.resolved().runs[static_cast<std::size_t>(index)].name)),
      [this, answer, prepared, index](SharedProgress& progress) {
        *answer = computeRun(prepared, index, {shapes_.store(), shapes_.geometry(), &progress}, progress,
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
          if (answer->refused) drop();
          speaker_.say(answer->problem, true);
          emit changed();
          return;
        }
        take(answer->run, false);
        keepCursor();
        emit changed();
      });
}

void RunBook::startAllRuns() {
  solution_.settle();
  if (currentRun() < 0) {
    speaker_.say(tr("There is no run yet: add one in stage Run"), true);
    return;
  }
  auto answers = std::make_shared<std::vector<Computed>>();
  const auto prepared = solution_.prepared();
  const int present = currentRun();
  jobs_.start(
      tr("Computing all runs"),
      [this, answers, prepared](SharedProgress& progress) {
        for (std::size_t i = 0; i < prepared->resolved->runs.size() && !progress.cancelled(); ++i)
          answers->push_back(
              computeRun(prepared, static_cast<int>(i), {shapes_.store(), shapes_.geometry(), &progress}, progress));
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
            take(c.run, true);
          else
            results_[c.run->id] = c.run;
        }
        if (run_ && !run_->result.travel.steps.empty()) keepCursor();
        emit changed();
        if (!problem.isEmpty())
          speaker_.say(problem, true);
        else
          speaker_.say(ended == 0 ? tr("All %1 runs are complete").arg(answers->size())
                                  : tr("%1 of %2 runs end early").arg(ended).arg(answers->size()),
                       ended != 0);
      });
}

// ---------------------------------------------------------------- by itself, after a change

bool RunBook::goesOnLive() const {
  return run_ && run_->source != document_.mechanism() && run_->wholeTime < kShort && currentRun() >= 0 &&
         !jobs_.busy() && solution_.resolved().runs[static_cast<std::size_t>(currentRun())].id == run_->id;
}

/// One at a time: what changes meanwhile is done when it is ready, so that a slider never waits for a row of runs.
void RunBook::startLive() {
  if (live_.busy()) {
    liveAgain_ = true;
    return;
  }
  liveAgain_ = false;
  const int index = currentRun();
  auto answer = std::make_shared<Computed>();
  const auto prepared = solution_.prepared();
  live_.start(
      tr("Following the change"),
      [this, answer, prepared, index](SharedProgress& progress) {
        *answer = computeRun(prepared, index, {shapes_.store(), shapes_.geometry(), &progress}, progress);
      },
      [this, answer] {
        if (!answer->problem.isEmpty() || answer->run->result.travel.steps.empty()) {
          if (answer->refused) drop();
          if (!answer->problem.isEmpty()) speaker_.say(answer->problem, true);
          if (pose_.isAtCursor()) pose_.goHome();
        } else {
          const bool ended = run_ && run_->result.travel.ended.has_value();
          take(answer->run, false);
          if (ended && run_->result.travel.completed) speaker_.say(tr("The travel is complete"));
          setCursor(std::min(cursor_, run_->result.travel.steps.back().t), pose_.isAtCursor());
        }
        emit changed();
        if (liveAgain_ && goesOnLive()) startLive();
      });
}

void RunBook::togglePin() {
  if (pinned_)
    pinned_.reset();
  else
    pinned_ = run_;
  speaker_.say(pinned_ ? tr("These curves stay, to compare later ones with")
                       : tr("Compared with the run before again"));
  emit changed();
}

void RunBook::refineRun() {
  if (!run_ || run_->steps.coarse.empty()) return;
  int steps = 0;
  for (const auto& c : run_->steps.coarse) steps = std::max(steps, c.suggested);
  if (document_.apply(tr("Refine the run"),
                      model::changed<Run>(*document_.mechanism(), &Mechanism::runs, run_->id, [&](Run& r) {
                        r.steps = steps;
                        r.stepSize.reset();
                        r.stepRate.reset();
                      })))
    startRun();
}

void RunBook::turnBackAtLimit() {
  if (!run_) return;
  if (document_.apply(tr("Turn back at the limit"),
                      model::changed<Run>(*document_.mechanism(), &Mechanism::runs, run_->id,
                                          [](Run& r) { r.atLimit = AtLimit::reverse; })) &&
      !live_.busy())
    startRun();
}

/// The stop that was met gives way as far as the whole travel asks: found by a run that may pass it.
void RunBook::moveStopAway() {
  solution_.settle();
  if (!run_ || !run_->result.travel.ended || run_->result.travel.ended->kind != kinematics::EndKind::stop) return;
  const std::string name = run_->result.travel.ended->joint;
  const int index = currentRun();
  auto free = std::make_shared<Resolved>(solution_.resolved());
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
        const auto j = findByName(document_.mechanism()->joints, name);
        if (!j) return;
        const auto& values = infoOf(j->kind).values;
        const auto& now = solution_.resolved().joints[reach->joint];
        const Mechanism next = changedJoint(*document_.mechanism(), j->id, [&](Joint& x) {
          for (std::size_t v = 0; v < values.size() && v < reach->low.size(); ++v) {
            const double unit = document_.mechanism()->units.factor(dimensionOf(values[v]));
            if (now.low[v] && reach->low[v] < *now.low[v] + 1e-9)
              x.stops[values[v].name].low = Field(std::floor(reach->low[v] / unit * 100 + 1e-6) / 100);
            if (now.high[v] && reach->high[v] > *now.high[v] - 1e-9)
              x.stops[values[v].name].high = Field(std::ceil(reach->high[v] / unit * 100 - 1e-6) / 100);
          }
        });
        if (document_.apply(tr("Move the stop"), next)) {
          speaker_.say(tr("The stop of %1 has given way as far as the travel asks").arg(q(name)));
          startRun();
        }
      });
}

// ---------------------------------------------------------------- cursor

void RunBook::setCursor(double t, bool show) {
  if (!run_ || run_->result.travel.steps.empty()) return;
  cursor_ = std::clamp(t, run_->result.travel.steps.front().t, run_->result.travel.steps.back().t);
  kinematics::TravelStep s;
  if (run_->travel->poseAt(run_->result.travel, cursor_, s)) {
    run_->measurer->row(s, cursorRow_);
    if (show && !isRunStale()) {
      std::vector<Pose> poses;
      run_->measurer->linkPoses(s, poses);
      pose_.showAtCursor(poses, s.c);
    }
  }
  emit cursorChanged();
}

void RunBook::keepCursor() {
  if (!run_ || run_->result.travel.steps.empty()) return;
  setCursor(std::min(cursor_, run_->result.travel.steps.back().t),
            pose_.isAtCursor() || selection_.stage() >= Stage::run);
}

void RunBook::haltLive() {
  live_.stop();
  liveAgain_ = false;
}

void RunBook::clear() {
  live_.stop();
  run_.reset();
  before_.reset();
  pinned_.reset();
  results_.clear();
  partial_.reset();
  currentRun_ = 0;
}

}  // namespace cooperage::app
