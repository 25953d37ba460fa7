// SPDX-License-Identifier: GPL-3.0-or-later
// Checks of the run: interference, the pair that is looked at, distances of pairs.
#include "check_book.h"

#include <QElapsedTimer>
#include <algorithm>

#include "../text.h"

namespace cooperage::app {

using namespace model;

CheckBook::CheckBook(Document& document, Selection& selection, BodyShapes& shapes, Solution& solution,
                     PoseControl& pose, RunBook& runs, JobRunner& jobs, Speaker& speaker)
    : document_(document),
      selection_(selection),
      shapes_(shapes),
      solution_(solution),
      pose_(pose),
      runs_(runs),
      jobs_(jobs),
      speaker_(speaker) {
  recheck_.setSingleShot(true);
  recheck_.setInterval(150);
  connect(&recheck_, &QTimer::timeout, this, [this] {
    if (!isCheckStale() || !solution_.closes() || jobs_.busy()) return;
    startCheck();
    rechecking_ = true;
  });
  connect(&runs_, &RunBook::chosen, this, [this] {
    check_.reset();
    selection_.focusInterference(-1);
  });
  connect(&pose_, &PoseControl::changed, this, &CheckBook::dropOverlapsOfOtherPoses);
}

void CheckBook::startCheck() {
  solution_.settle();
  const int index = runs_.currentRun();
  if (index < 0) {
    speaker_.say(tr("There is no run to check yet: add one in stage Run"), true);
    return;
  }
  struct Answer {
    Computed computed;
    std::unique_ptr<CheckData> data;
    double milliseconds = 0;
  };
  runs_.haltLive();
  rechecking_ = false;
  auto answer = std::make_shared<Answer>();
  const auto prepared = solution_.prepared();
  // a run that is of this document is not computed again: the check has one of its own
  std::shared_ptr<RunData> fresh;
  if (runs_.run() && runs_.run()->source == document_.mechanism() && runs_.run()->run == index &&
      !runs_.run()->result.travel.cancelled) {
    fresh = std::make_shared<RunData>(study::twinOf(*runs_.run()), runs_.run()->id);
    static_cast<RunPicture&>(*fresh) = *runs_.run();
  }
  jobs_.start(
      tr("Checking %1").arg(q(solution_.resolved().runs[static_cast<std::size_t>(index)].name)),
      [this, answer, prepared, fresh, index](SharedProgress& progress) {
        QElapsedTimer clock;
        clock.start();
        const study::Tools tools{shapes_.store(), shapes_.geometry(), &progress};
        Computed& c = answer->computed;
        if (fresh)
          c.run = fresh;
        else
          c = computeRun(prepared, index, tools, progress);
        if (!c.problem.isEmpty()) return;
        auto checked = study::checkStudy(*c.run, tools, {&pairMemory_, false});
        if (!checked.ok()) {
          c.problem = checked.error().cancelled ? tr("Check cancelled") : q(checked.error().text);
          return;
        }
        answer->data = std::make_unique<CheckData>();
        answer->data->source = prepared->mechanism;
        answer->data->result = std::move(checked).value();
        if (answer->data->result.cancelled) c.problem = tr("Check cancelled");
        answer->milliseconds = static_cast<double>(clock.elapsed());
      },
      [this, answer] {
        if (!answer->computed.problem.isEmpty()) {
          speaker_.say(answer->computed.problem, true);
          return;
        }
        runs_.take(std::move(answer->computed.run), true);
        takeGeometry(*runs_.run()->geometry, answer->data->source);
        check_ = std::move(answer->data);
        checkTime_ = answer->milliseconds;
        selection_.focusInterference(-1);
        runs_.keepCursor();
        emit changed();
        const auto n = check_->result.interference.size();
        const auto& found = check_->result;
        speaker_.say(
            n == 0 ? (!found.unsure.empty() ? tr("No overlap was found, but %1 nearer than the accuracy")
                                                  .arg(counted(static_cast<qsizetype>(found.unsure.size()),
                                                               tr("pair comes"), tr("pairs come")))
                      : found.provenShare >= 1 ? tr("No links overlap, at the steps or between them")
                                               : tr("No overlap was found; not all of it is proven"))
                   : tr("%1 found").arg(counted(static_cast<qsizetype>(n), tr("interference"), tr("interferences"))));
      });
}

void CheckBook::takeGeometry(clearance::CheckGeometry geometry, const MechanismPtr& source) {
  if (!geometry.whole && geometry_ && geometry_->whole && geometryOf_ == source) return;  // what is there tells more
  distances_.clear();
  geometry_ = std::move(geometry);
  geometryOf_ = source;
  poseCheck_.reset();
  if (solution_.system() && source == document_.mechanism() && geometry_->whole)
    poseCheck_ = std::make_unique<clearance::PoseCheck>(solution_.resolved(), solution_.system()->nodeOfLink,
                                                        runs_.currentRun(), *geometry_);
}

void CheckBook::haltRecheck() {
  if (rechecking_ && jobs_.busy()) jobs_.stop();
  rechecking_ = false;
}

void CheckBook::recheckSoon() {
  constexpr double kShort = 4000;  // ms: a longer check is asked for by hand
  if (check_ && checkTime_ < kShort && solution_.closes()) recheck_.start();
}

void CheckBook::chooseInterference(int index) {
  selection_.focusInterference(index);
  if (check_ && runs_.run() && index >= 0 && index < static_cast<int>(check_->result.interference.size()))
    runs_.setCursor(check_->result.interference[static_cast<std::size_t>(index)].deepest.time);
  emit selection_.changed();
}

void CheckBook::choosePair(int linkA, int linkB, bool go) {
  selection_.focusPair(linkA, linkB);
  if (go && check_ && runs_.run())
    for (const auto& c : check_->result.clearances)
      if (c.linkA == linkA && c.linkB == linkB) runs_.setCursor(c.time);
  emit selection_.changed();
}

std::pair<int, int> CheckBook::lookedAtPair() const {
  if (check_ && selection_.chosenInterference() >= 0 &&
      selection_.chosenInterference() < static_cast<int>(check_->result.interference.size())) {
    const auto& i = check_->result.interference[static_cast<std::size_t>(selection_.chosenInterference())];
    return {i.linkA, i.linkB};
  }
  if (selection_.chosenPair().first >= 0) return selection_.chosenPair();
  if (!poseOverlaps_.empty()) return {poseOverlaps_.front().linkA, poseOverlaps_.front().linkB};
  return {-1, -1};
}

void CheckBook::leavePairOut() {
  const auto [a, b] = lookedAtPair();
  const auto links = static_cast<int>(document_.mechanism()->links.size());
  if (a < 0 || a >= links || b >= links || runs_.currentRun() < 0) {
    speaker_.say(tr("Choose a pair of links first, in the list of stage Check"), true);
    return;
  }
  const auto &x = *document_.mechanism()->links[static_cast<std::size_t>(a)],
             &y = *document_.mechanism()->links[static_cast<std::size_t>(b)];
  const std::pair<Id, Id> pair{x.id, y.id};
  const QString text = tr("Leave %1 \u2013 %2 out of the check").arg(q(x.name), q(y.name));
  selection_.clearFocus();
  if (document_.apply(text,
                      model::changed<Run>(*document_.mechanism(), &Mechanism::runs,
                                          document_.mechanism()->runs[static_cast<std::size_t>(runs_.currentRun())]->id,
                                          [&](Run& r) { r.leaveOut.push_back(pair); })))
    speaker_.say(
        tr("%1 \u2013 %2 is left out of this run's check; its card takes it in again").arg(q(x.name), q(y.name)));
}

std::vector<Witness> CheckBook::witnesses() {
  std::vector<Witness> out;
  if (!geometry_ || geometryOf_ != document_.mechanism() || pose_.poses().size() != geometry_->links.size()) return out;
  std::vector<std::pair<int, int>> pairs;
  if (selection_.chosenPair().first >= 0) pairs.push_back(selection_.chosenPair());
  for (const auto& g : solution_.resolved().gauges)
    if (g.kind == GaugeKind::clearance && g.links.size() == 2 && selection_.isSelected(g.id))
      pairs.emplace_back(g.links[0], g.links[1]);
  for (const auto& [a, b] : pairs) {
    if (std::max(a, b) >= static_cast<int>(pose_.poses().size())) continue;
    const auto &ga = *geometry_->links[static_cast<std::size_t>(a)],
               &gb = *geometry_->links[static_cast<std::size_t>(b)];
    if (ga.empty() || gb.empty()) continue;
    auto& distance = distances_.try_emplace({a, b}, ga, gb).first->second;
    const auto gap =
        distance.at(pose_.poses()[static_cast<std::size_t>(a)], pose_.poses()[static_cast<std::size_t>(b)]);
    out.push_back({a, b, gap.distance, gap.onA, gap.onB});
  }
  return out;
}

void CheckBook::clear() {
  recheck_.stop();
  check_.reset();
  envelope_.reset();
  geometry_.reset();
  distances_.clear();
  poseCheck_.reset();
  dropOverlaps();
  freeRange_.reset();
  freeRangeDrive_ = 0;
}

}  // namespace cooperage::app
