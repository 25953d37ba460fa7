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
        answer->data->result = clearance::checkTravel(*c.run->travel, *c.run->measurer, c.run->result, *c.geometry,
                                                      &progress, {&pairMemory_, false});
        if (answer->data->result.cancelled) c.problem = tr("Check cancelled");
        answer->milliseconds = static_cast<double>(clock.elapsed());
      },
      [this, answer] {
        if (!answer->computed.problem.isEmpty()) {
          say(answer->computed.problem, true);
          return;
        }
        takeRun(std::move(answer->computed.run), true);
        takeGeometry(std::move(*answer->computed.geometry), answer->data->source);
        check_ = std::move(answer->data);
        checkTime_ = answer->milliseconds;
        chosenInterference_ = -1;
        setCursor(std::min(cursor_, run_->result.travel.steps.back().t), atCursor_ || stage_ >= Stage::run);
        emit resultsChanged();
        const auto n = check_->result.interference.size();
        const auto& found = check_->result;
        say(n == 0 ? (!found.unsure.empty() ? tr("No overlap was found, but %1 nearer than the accuracy")
                                                  .arg(counted(static_cast<qsizetype>(found.unsure.size()),
                                                               tr("pair comes"), tr("pairs come")))
                      : found.provenShare >= 1 ? tr("No links overlap, at the steps or between them")
                                               : tr("No overlap was found; not all of it is proven"))
                   : tr("%1 found").arg(counted(static_cast<qsizetype>(n), tr("interference"), tr("interferences"))));
      });
}

void Session::startEnvelope(const EnvelopeAsk& ask) {
  const int index = currentRun();
  if (index < 0) {
    say(tr("There is no run to sweep yet: add one in stage Run"), true);
    return;
  }
  struct Answer {
    std::unique_ptr<EnvelopeData> data;
    std::optional<clearance::CheckGeometry> geometry;
    QString problem;
  };
  auto answer = std::make_shared<Answer>();
  const auto source = mechanism_;
  const auto resolved = std::make_shared<const Resolved>(*resolved_);
  jobs_.start(
      tr("Sweeping the envelope"),
      [this, answer, source, resolved, index, ask](SharedProgress& progress) {
        const auto refuse = [&](const Error& e) {
          answer->problem = e.cancelled ? tr("Envelope cancelled") : q(e.text);
        };
        auto travel = kinematics::TravelRun::prepare(*resolved, index);
        if (!travel.ok()) return refuse(travel.error());
        kinematics::Measurer measurer(**travel);
        const auto steps = (*travel)->run(&progress);
        clearance::EnvelopeOptions options;
        options.clearance = ask.clearance;
        options.accuracy = ask.accuracy;
        options.from = ask.from;
        options.to = ask.to;
        for (std::size_t i = 0; i < resolved->links.size(); ++i) {
          if (std::find(ask.links.begin(), ask.links.end(), resolved->links[i].id) != ask.links.end())
            options.links.push_back(static_cast<int>(i));
          if (ask.in != 0 && resolved->links[i].id == ask.in) options.in = static_cast<int>(i);
        }
        options.told = [this](const clearance::EnvelopeEstimate& ahead) {
          QMetaObject::invokeMethod(this, [this, e = ahead] {
            say(tr("Sweeping %1 poses, true to %2 mm: about %3 MB and %4 s")
                    .arg(e.poses)
                    .arg(e.accuracy * 1e3, 0, 'g', 2)
                    .arg(e.bytes / 1e6, 0, 'f', 0)
                    .arg(e.seconds, 0, 'f', 1));
          });
        };
        auto swept = clearance::sweep(**travel, measurer, steps, store_, options, &progress);
        if (!swept.ok()) return refuse(swept.error());
        auto geometry =
            clearance::geometryFor(*resolved, index, store_, geometryCache_, &progress, clearance::Need::all);
        if (!geometry.ok()) return refuse(geometry.error());
        auto gaps = clearance::checkEnvelope(**travel, measurer, steps, *geometry, options, *swept, &progress);
        if (!gaps.ok()) return refuse(gaps.error());
        answer->data = std::make_unique<EnvelopeData>();
        answer->data->source = source;
        answer->data->ask = ask;
        answer->data->envelope = std::move(swept).value();
        answer->data->gaps = std::move(gaps).value();
      },
      [this, answer] {
        if (!answer->problem.isEmpty()) {
          say(answer->problem, true);
          return;
        }
        envelope_ = std::move(answer->data);
        const auto& e = envelope_->envelope;
        say(tr("Swept %1 cm\u00b3, surface true to %2 mm")
                .arg(e.volume * 1e6, 0, 'f', 1)
                .arg(e.error * 1e3, 0, 'g', 2));
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
