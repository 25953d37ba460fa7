// SPDX-License-Identifier: GPL-3.0-or-later
// What the session computes beside the window: runs, checks, envelopes, each on a snapshot of the document.
#include <QElapsedTimer>

#include "session.h"
#include "text.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
}  // namespace

int Session::currentRun() const {
  for (std::size_t i = 0; i < resolved_->runs.size(); ++i)
    if (resolved_->runs[i].id == currentRun_) return static_cast<int>(i);
  return resolved_->runs.empty() ? -1 : 0;
}
void Session::setCurrentRun(Id id) {
  currentRun_ = id;
  emit resultsChanged();
}

namespace {

/// A run computed on a snapshot, in the thread of a job.
struct Computed {
  std::unique_ptr<RunData> run;
  std::optional<clearance::CheckGeometry> geometry;
  QString problem;
};

Computed computeRun(const MechanismPtr& source, const Resolved& resolved, int index, bool withGeometry,
                    shape::ShapeStore& store, clearance::GeometryCache& cache, SharedProgress& progress) {
  Computed out;
  auto travel = kinematics::TravelRun::prepare(resolved, index);
  if (!travel.ok()) {
    out.problem = q(travel.error().text);
    return out;
  }
  kinematics::ClearanceAt clearanceAt;
  for (const auto& g : resolved.gauges) withGeometry = withGeometry || g.kind == "clearance";
  if (withGeometry) {
    auto geometry = clearance::geometryFor(resolved, index, store, cache, &progress);
    if (!geometry.ok()) {
      out.problem = geometry.error().cancelled ? Session::tr("Cancelled") : q(geometry.error().text);
      return out;
    }
    out.geometry = std::move(geometry).value();
    clearanceAt = clearance::clearanceWith(*out.geometry);
  }
  out.run = std::make_unique<RunData>();
  out.run->source = source;
  out.run->travel = std::move(travel).value();
  out.run->measurer = std::make_unique<kinematics::Measurer>(*out.run->travel, clearanceAt);
  QElapsedTimer clock;  // the figure shown is that of the travel, geometry apart
  clock.start();
  out.run->result = kinematics::tabulate(*out.run->travel, *out.run->measurer, &progress);
  out.run->milliseconds = static_cast<double>(clock.nsecsElapsed()) * 1e-6;
  if (out.run->result.travel.cancelled) out.problem = Session::tr("Cancelled");
  return out;
}

}  // namespace

void Session::startRun() {
  const int index = currentRun();
  if (index < 0) {
    say(tr("There is no run yet: add one in stage Run"), true);
    return;
  }
  auto answer = std::make_shared<Computed>();
  const auto source = mechanism_;
  const auto resolved = std::make_shared<const Resolved>(*resolved_);
  jobs_.start(
      tr("Computing %1").arg(q(resolved->runs[static_cast<std::size_t>(index)].name)),
      [this, answer, source, resolved, index](SharedProgress& progress) {
        *answer = computeRun(source, *resolved, index, false, store_, geometryCache_, progress);
      },
      [this, answer] {
        if (!answer->problem.isEmpty()) {
          say(answer->problem, true);
          return;
        }
        run_ = std::move(answer->run);
        for (const auto& m : run_->result.travel.messages)
          if (m.severity != Severity::note) say(q(m.text), m.severity == Severity::error);
        setCursor(std::min(cursor_, run_->result.travel.steps.back().t), atCursor_ || stage_ >= Stage::run);
        emit resultsChanged();
      });
}

void Session::startCheck() {
  const int index = currentRun();
  if (index < 0) {
    say(tr("There is no run to check yet: add one in stage Run"), true);
    return;
  }
  struct Answer {
    Computed computed;
    std::unique_ptr<CheckData> data;
  };
  auto answer = std::make_shared<Answer>();
  const auto source = mechanism_;
  const auto resolved = std::make_shared<const Resolved>(*resolved_);
  jobs_.start(
      tr("Checking %1").arg(q(resolved->runs[static_cast<std::size_t>(index)].name)),
      [this, answer, source, resolved, index](SharedProgress& progress) {
        Computed& c = answer->computed;
        c = computeRun(source, *resolved, index, true, store_, geometryCache_, progress);
        if (!c.problem.isEmpty()) return;
        answer->data = std::make_unique<CheckData>();
        answer->data->source = source;
        answer->data->result =
            clearance::checkTravel(*c.run->travel, *c.run->measurer, c.run->result, *c.geometry, &progress);
        if (answer->data->result.cancelled) c.problem = tr("Check cancelled");
      },
      [this, answer] {
        if (!answer->computed.problem.isEmpty()) {
          say(answer->computed.problem, true);
          return;
        }
        run_ = std::move(answer->computed.run);
        check_ = std::move(answer->data);
        chosenInterference_ = -1;
        setCursor(std::min(cursor_, run_->result.travel.steps.back().t));
        emit resultsChanged();
        const auto n = check_->result.interference.size();
        say(n == 0 ? tr("No links overlap at any step")
                   : tr("%1 found").arg(counted(static_cast<qsizetype>(n), tr("interference"), tr("interferences"))));
      });
}

void Session::startEnvelope(Id link, double clearanceLength, double accuracy) {
  const int index = currentRun();
  if (index < 0) {
    say(tr("There is no run to sweep yet: add one in stage Run"), true);
    return;
  }
  struct Answer {
    std::unique_ptr<EnvelopeData> data;
    QString problem;
  };
  auto answer = std::make_shared<Answer>();
  const auto source = mechanism_;
  const auto resolved = std::make_shared<const Resolved>(*resolved_);
  auto* store = &store_;
  jobs_.start(
      tr("Sweeping the envelope"),
      [answer, source, resolved, index, store, link, clearanceLength, accuracy](SharedProgress& progress) {
        auto travel = kinematics::TravelRun::prepare(*resolved, index);
        if (!travel.ok()) {
          answer->problem = q(travel.error().text);
          return;
        }
        kinematics::Measurer measurer(**travel);
        const auto steps = (*travel)->run(&progress);
        clearance::EnvelopeOptions options;
        for (std::size_t i = 0; i < resolved->links.size(); ++i)
          if (resolved->links[i].id == link) options.links = {static_cast<int>(i)};
        options.clearance = clearanceLength;
        options.accuracy = accuracy;
        auto swept = clearance::sweep(**travel, measurer, steps, *store, options, &progress);
        if (!swept.ok()) {
          answer->problem = swept.error().cancelled ? tr("Envelope cancelled") : q(swept.error().text);
          return;
        }
        answer->data = std::make_unique<EnvelopeData>();
        answer->data->source = source;
        answer->data->link = link;
        answer->data->envelope = std::move(swept).value();
      },
      [this, answer] {
        if (!answer->problem.isEmpty()) {
          say(answer->problem, true);
          return;
        }
        envelope_ = std::move(answer->data);
        emit resultsChanged();
        emit geometryChanged();
      });
}

void Session::clearEnvelope() {
  envelope_.reset();
  emit resultsChanged();
  emit geometryChanged();
}

void Session::setCursor(double t, bool show) {
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
