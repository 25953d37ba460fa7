// SPDX-License-Identifier: GPL-3.0-or-later
// Checks beside the run: the pose that is shown, a drag by hand, envelopes, free ranges.
#include <QElapsedTimer>
#include <algorithm>

#include "../text.h"
#include "check_book.h"

namespace cooperage::app {

using namespace model;

namespace {
constexpr int kRegion = 400;  ///< points of an overlap

bool same(const std::vector<Pose>& a, const std::vector<Pose>& b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                    [](const Pose& x, const Pose& y) { return x.p == y.p && x.R == y.R; });
}
}  // namespace

void CheckBook::checkPose() {
  solution_.settle();
  if (!solution_.system() || runs_.currentRun() < 0) {
    speaker_.say(tr("There is no run yet whose accuracy could hold: add one in stage Run"), true);
    return;
  }
  struct Answer {
    std::vector<clearance::PoseOverlap> overlaps;
    std::optional<clearance::CheckGeometry> geometry;
    QString problem;
  };
  auto answer = std::make_shared<Answer>();
  const auto source = document_.mechanism();
  const auto figures = solution_.prepared()->resolved;
  const auto nodes = solution_.system()->nodeOfLink;
  const auto poses = pose_.poses();
  const int index = runs_.currentRun();
  jobs_.start(
      tr("Looking for overlaps in this pose"),
      [this, answer, figures, nodes, poses, index](SharedProgress& progress) {
        auto g = clearance::geometryFor(*figures, index, shapes_.store(), shapes_.geometry(), &progress,
                                        clearance::Need::fine);
        if (!g.ok()) {
          answer->problem = g.error().cancelled ? tr("Cancelled") : q(g.error().text);
          return;
        }
        answer->geometry = std::move(g).value();
        clearance::PoseCheck check(*figures, nodes, index, *answer->geometry);
        answer->overlaps = check.at(poses, kRegion);
      },
      [this, answer, source, poses] {
        if (!answer->problem.isEmpty()) {
          speaker_.say(answer->problem, true);
          return;
        }
        if (source != document_.mechanism()) return;
        takeGeometry(std::move(*answer->geometry), source);
        if (!same(poses, pose_.poses())) return;  // they are of another pose
        overlapsAt_ = poses;
        poseOverlaps_ = std::move(answer->overlaps);
        speaker_.say(poseOverlaps_.empty()
                         ? tr("No links overlap in this pose")
                         : tr("%1 of links overlap in this pose")
                               .arg(counted(static_cast<qsizetype>(poseOverlaps_.size()), tr("pair"), tr("pairs"))));
        emit changed();
      });
}

void CheckBook::dropOverlaps() {
  if (poseOverlaps_.empty() && !common_) return;
  poseOverlaps_.clear();
  common_.reset();
  emit changed();
}

void CheckBook::dropOverlapsOfOtherPoses() {
  if (!same(overlapsAt_, pose_.poses())) dropOverlaps();
}

void CheckBook::workOutCommonVolume() {
  solution_.settle();
  const auto [a, b] = lookedAtPair();
  const auto links = static_cast<int>(solution_.resolved().links.size());
  if (a < 0 || a >= links || b >= links || pose_.poses().size() != solution_.resolved().links.size() ||
      runs_.currentRun() < 0) {
    speaker_.say(tr("Choose a pair of links first, in the list of stage Check"), true);
    return;
  }
  auto answer = std::make_shared<std::optional<Result<clearance::CommonVolume>>>();
  const auto source = document_.mechanism();
  const auto figures = solution_.prepared()->resolved;
  const auto poses = pose_.poses();
  const auto at = [](int i) { return static_cast<std::size_t>(i); };
  const QString names = q(solution_.resolved().links[at(a)].name + " \u2013 " + solution_.resolved().links[at(b)].name);
  jobs_.start(
      tr("Working out the common volume of %1").arg(names),
      [this, answer, figures, poses, at, a = a, b = b, run = runs_.currentRun()](SharedProgress& progress) {
        auto g =
            clearance::geometryFor(*figures, run, shapes_.store(), shapes_.geometry(), &progress, clearance::Need::all);
        if (!g.ok())
          *answer = g.error();
        else
          *answer = clearance::commonVolume(*g->links[at(a)], poses[at(a)], *g->links[at(b)], poses[at(b)],
                                            g->deflection, &progress);
      },
      [this, answer, source, poses, names, a = a, b = b] {
        if (!*answer) return;
        if (!(*answer)->ok()) {
          speaker_.say((*answer)->error().cancelled ? tr("Cancelled") : q((*answer)->error().text), true);
          return;
        }
        if (source != document_.mechanism() || !same(poses, pose_.poses())) return;  // it is of another pose
        if (!same(overlapsAt_, poses)) poseOverlaps_.clear();
        overlapsAt_ = poses;
        common_ = CommonData{a, b, std::move((*answer)->value())};
        speaker_.say(common_->common.volume > 0
                         ? tr("%1: shared volume %2").arg(names, volumeText(common_->common.volume))
                         : tr("%1 share no volume in this pose").arg(names));
        emit changed();
      });
}

void CheckBook::setHaltAtContact(bool on) {
  haltAtContact_ = on;
  if (on && (!poseCheck_ || geometryOf_ != document_.mechanism())) checkPose();  // makes what the drag needs
  speaker_.say(on ? tr("A drag by hand stops where links meet") : tr("A drag by hand goes through other links"));
}

void CheckBook::dragBegins(const std::vector<Pose>& poses) {
  dropOverlaps();
  dragCheckTime_ = 0;
  overlapsBeforeDrag_.clear();
  if (watchesPose()) overlapsBeforeDrag_ = poseCheck_->pairsAt(poses);
}

/// Does a pair overlap now that did not when the drag began?
bool CheckBook::blocks(const std::vector<Pose>& poses) {
  if (!watchesPose()) return false;
  for (const auto& pair : poseCheck_->pairsAt(poses))
    if (std::find(overlapsBeforeDrag_.begin(), overlapsBeforeDrag_.end(), pair) == overlapsBeforeDrag_.end())
      return true;
  return false;
}

/// What overlaps lights up; depths and regions come when the hand rests.
void CheckBook::dragged(const std::vector<Pose>& poses) {
  constexpr qint64 kMostWhileDragged = 40;  // ms: a heavy assembly is looked through when the hand rests
  if (!watchesPose() || haltAtContact_ || dragCheckTime_ >= kMostWhileDragged) return;
  QElapsedTimer clock;
  clock.start();
  poseOverlaps_.clear();
  for (const auto& [a, b] : poseCheck_->pairsAt(poses)) poseOverlaps_.push_back({a, b, 0, Vec3::Zero(), {}});
  overlapsAt_ = poses;
  dragCheckTime_ = clock.elapsed();
}

void CheckBook::dragRests() {
  if (!poseOverlaps_.empty()) checkPose();
}

void CheckBook::startEnvelope(const EnvelopeAsk& ask) {
  solution_.settle();
  const int index = runs_.currentRun();
  if (index < 0) {
    speaker_.say(tr("There is no run to sweep yet: add one in stage Run"), true);
    return;
  }
  struct Answer {
    std::unique_ptr<EnvelopeData> data;
    QString problem;
  };
  auto answer = std::make_shared<Answer>();
  const auto prepared = solution_.prepared();
  jobs_.start(
      tr("Sweeping the envelope"),
      [this, answer, prepared, index, ask](SharedProgress& progress) {
        const auto refuse = [&](const Error& e) {
          answer->problem = e.cancelled ? tr("Envelope cancelled") : q(e.text);
        };
        clearance::EnvelopeOptions options;
        options.clearance = ask.clearance;
        options.accuracy = ask.accuracy;
        options.from = ask.from;
        options.to = ask.to;
        const auto& links = prepared->resolved->links;
        for (std::size_t i = 0; i < links.size(); ++i) {
          if (std::find(ask.links.begin(), ask.links.end(), links[i].id) != ask.links.end())
            options.links.push_back(static_cast<int>(i));
          if (ask.in != 0 && links[i].id == ask.in) options.in = static_cast<int>(i);
        }
        options.told = [this](const clearance::EnvelopeEstimate& ahead) {
          QMetaObject::invokeMethod(this, [this, e = ahead] {
            speaker_.say(
                tr("Sweeping %1 poses, accuracy %2: about %3 MB and %4 s")
                    .arg(e.poses)
                    .arg(figureText(e.accuracy, dimension::kLength, document_.mechanism()->units, 0, e.accuracy / 5))
                    .arg(e.bytes / 1e6, 0, 'f', 0)
                    .arg(e.seconds, 0, 'f', 1));
          });
        };
        auto done =
            study::envelopeStudy(prepared, index, {shapes_.store(), shapes_.geometry(), &progress}, options, true);
        if (!done.ok()) return refuse(done.error());
        answer->data = std::make_unique<EnvelopeData>();
        answer->data->source = prepared->mechanism;
        answer->data->ask = ask;
        answer->data->envelope = std::move(done->envelope);
        answer->data->gaps = std::move(done->gaps);
      },
      [this, answer] {
        if (!answer->problem.isEmpty()) {
          speaker_.say(answer->problem, true);
          return;
        }
        envelope_ = std::move(answer->data);
        const auto& e = envelope_->envelope;
        speaker_.say(tr("Swept %1, accuracy of the surface %2")
                         .arg(volumeText(e.volume, (e.high - e.low) / 10),
                              figureText(e.error, dimension::kLength, document_.mechanism()->units, 0, e.error / 5)));
        emit changed();
        emit envelopeChanged();
      });
}

void CheckBook::clearEnvelope() {
  envelope_.reset();
  emit changed();
  emit envelopeChanged();
}

void CheckBook::findFreeRange(Id drive) {
  solution_.settle();
  int index = -1;
  for (std::size_t i = 0; i < solution_.resolved().drives.size(); ++i)
    if (solution_.resolved().drives[i].id == drive) index = static_cast<int>(i);
  if (index < 0 || runs_.currentRun() < 0) {
    speaker_.say(tr("Choose a drive first, and have a run whose accuracy holds"), true);
    return;
  }
  auto answer = std::make_shared<std::optional<Result<clearance::FreeRange>>>();
  const auto source = document_.mechanism();
  const auto figures = solution_.prepared()->resolved;
  jobs_.start(
      tr("Looking how far %1 is free").arg(q(solution_.resolved().drives[static_cast<std::size_t>(index)].name)),
      [this, answer, figures, index, run = runs_.currentRun()](SharedProgress& progress) {
        *answer = clearance::findFreeRange(*figures, run, index, shapes_.store(), shapes_.geometry(), &progress);
      },
      [this, answer, source, drive] {
        if (!*answer) return;
        if (!(*answer)->ok()) {
          speaker_.say((*answer)->error().cancelled ? tr("Cancelled") : q((*answer)->error().text), true);
          return;
        }
        freeRange_ = (*answer)->value();
        freeRangeOf_ = source;
        freeRangeDrive_ = drive;
        emit changed();
      });
}

void CheckBook::takeFreeRangeAsStops() {
  if (!freeRange_ || freeRangeOf_ != document_.mechanism()) return;
  const auto& range = *freeRange_;
  const auto& joint = solution_.resolved().joints[static_cast<std::size_t>(range.joint)];
  const auto& value = infoOf(joint.kind).values[static_cast<std::size_t>(range.value)];
  const double unit = document_.mechanism()->units.factor(range.dimension);
  document_.apply(tr("Free range of %1 as stops").arg(q(joint.name)),
                  changedJoint(*document_.mechanism(), joint.id, [&](Joint& x) {
                    auto& stops = x.stops[value.name];
                    // inwards to a hundredth of the unit: what is not free must not lie within the stops
                    if (range.low.kind != kinematics::EndKind::turn && range.low.kind != kinematics::EndKind::search)
                      stops.low = Field(std::ceil(range.low.value / unit * 100 - 1e-6) / 100);
                    if (range.high.kind != kinematics::EndKind::turn && range.high.kind != kinematics::EndKind::search)
                      stops.high = Field(std::floor(range.high.value / unit * 100 + 1e-6) / 100);
                  }));
}

}  // namespace cooperage::app
