// SPDX-License-Identifier: GPL-3.0-or-later
// What the session computes beside the window, each on a snapshot of the document: checks and envelopes.
#include <QElapsedTimer>

#include "session.h"
#include "session_runs.h"
#include "text.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
}  // namespace

void Session::startCheck() {
  const int index = currentRun();
  if (index < 0) {
    say(tr("There is no run to check yet: add one in stage Run"), true);
    return;
  }
  struct Answer {
    Computed computed;
    std::unique_ptr<CheckData> data;
    double milliseconds = 0;
  };
  live_.stop();
  liveAgain_ = false;
  rechecking_ = false;
  auto answer = std::make_shared<Answer>();
  const auto source = mechanism_;
  const auto resolved = std::make_shared<const Resolved>(*resolved_);
  jobs_.start(
      tr("Checking %1").arg(q(resolved->runs[static_cast<std::size_t>(index)].name)),
      [this, answer, source, resolved, index](SharedProgress& progress) {
        QElapsedTimer clock;
        clock.start();
        Computed& c = answer->computed;
        c = computeRun(source, *resolved, index, true, store_, geometryCache_, progress);
        if (!c.problem.isEmpty()) return;
        answer->data = std::make_unique<CheckData>();
        answer->data->source = source;
        answer->data->result =
            clearance::checkTravel(*c.run->travel, *c.run->measurer, c.run->result, *c.geometry, &progress);
        if (answer->data->result.cancelled) c.problem = tr("Check cancelled");
        answer->milliseconds = static_cast<double>(clock.elapsed());
      },
      [this, answer] {
        if (!answer->computed.problem.isEmpty()) {
          say(answer->computed.problem, true);
          return;
        }
        takeRun(std::move(answer->computed.run), true);
        check_ = std::move(answer->data);
        checkTime_ = answer->milliseconds;
        chosenInterference_ = -1;
        setCursor(std::min(cursor_, run_->result.travel.steps.back().t), atCursor_ || stage_ >= Stage::run);
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

}  // namespace cooperage::app
