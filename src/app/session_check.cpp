// SPDX-License-Identifier: GPL-3.0-or-later
// What the session knows of links that meet: in the pose that is shown, under the hand, and how far a drive is free.
#include "session.h"
#include "text.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
constexpr int kRegion = 400;  // points of an overlap that light up
}  // namespace

void Session::takeGeometry(clearance::CheckGeometry geometry, const MechanismPtr& source) {
  if (!geometry.whole && geometry_ && geometry_->whole && geometryOf_ == source) return;  // what is there tells more
  distances_.clear();
  geometry_ = std::move(geometry);
  geometryOf_ = source;
  poseCheck_.reset();
  if (system_ && source == mechanism_ && geometry_->whole)
    poseCheck_ = std::make_unique<clearance::PoseCheck>(*resolved_, system_->nodeOfLink, currentRun(), *geometry_);
}

void Session::dropPoseOverlaps() {
  if (poseOverlaps_.empty() && !common_) return;
  poseOverlaps_.clear();
  common_.reset();
  emit resultsChanged();
}

void Session::checkPose() {
  if (!system_ || currentRun() < 0) {
    say(tr("There is no run yet whose accuracy could hold: add one in stage Run"), true);
    return;
  }
  struct Answer {
    std::vector<clearance::PoseOverlap> overlaps;
    std::optional<clearance::CheckGeometry> geometry;
    QString problem;
  };
  auto answer = std::make_shared<Answer>();
  const auto source = mechanism_;
  const auto resolved = std::make_shared<const Resolved>(*resolved_);
  const auto nodes = system_->nodeOfLink;
  const auto poses = poses_;
  const int index = currentRun();
  jobs_.start(
      tr("Looking for overlaps in this pose"),
      [this, answer, resolved, nodes, poses, index](SharedProgress& progress) {
        auto g = clearance::geometryFor(*resolved, index, store_, geometryCache_, &progress, clearance::Need::fine);
        if (!g.ok()) {
          answer->problem = g.error().cancelled ? tr("Cancelled") : q(g.error().text);
          return;
        }
        answer->geometry = std::move(g).value();
        clearance::PoseCheck check(*resolved, nodes, index, *answer->geometry);
        answer->overlaps = check.at(poses, kRegion);
      },
      [this, answer, source] {
        if (!answer->problem.isEmpty()) {
          say(answer->problem, true);
          return;
        }
        if (source != mechanism_) return;
        takeGeometry(std::move(*answer->geometry), source);
        poseOverlaps_ = std::move(answer->overlaps);
        say(poseOverlaps_.empty()
                ? tr("No links overlap in this pose")
                : tr("%1 of links overlap in this pose")
                      .arg(counted(static_cast<qsizetype>(poseOverlaps_.size()), tr("pair"), tr("pairs"))));
        emit resultsChanged();
      });
}

std::pair<int, int> Session::lookedAtPair() const {
  if (check_ && chosenInterference_ >= 0 &&
      chosenInterference_ < static_cast<int>(check_->result.interference.size())) {
    const auto& i = check_->result.interference[static_cast<std::size_t>(chosenInterference_)];
    return {i.linkA, i.linkB};
  }
  if (chosenPair_.first >= 0) return chosenPair_;
  if (!poseOverlaps_.empty()) return {poseOverlaps_.front().linkA, poseOverlaps_.front().linkB};
  return {-1, -1};
}

void Session::workOutCommonVolume() {
  const auto [a, b] = lookedAtPair();
  const auto links = static_cast<int>(resolved_->links.size());
  if (a < 0 || a >= links || b >= links || poses_.size() != resolved_->links.size() || currentRun() < 0) {
    say(tr("Choose a pair of links first, in the list of stage Check"), true);
    return;
  }
  auto answer = std::make_shared<std::optional<Result<clearance::CommonVolume>>>();
  const auto source = mechanism_;
  const auto resolved = std::make_shared<const Resolved>(*resolved_);
  const auto poses = poses_;
  const auto at = [](int i) { return static_cast<std::size_t>(i); };
  const QString names = q(resolved_->links[at(a)].name + " \u2013 " + resolved_->links[at(b)].name);
  jobs_.start(
      tr("Working out the common volume of %1").arg(names),
      [this, answer, resolved, poses, at, a = a, b = b, run = currentRun()](SharedProgress& progress) {
        auto g = clearance::geometryFor(*resolved, run, store_, geometryCache_, &progress, clearance::Need::all);
        if (!g.ok())
          *answer = g.error();
        else
          *answer = clearance::commonVolume(*g->links[at(a)], poses[at(a)], *g->links[at(b)], poses[at(b)],
                                            g->deflection, &progress);
      },
      [this, answer, source, poses, names, a = a, b = b] {
        if (!*answer) return;
        if (!(*answer)->ok()) {
          say((*answer)->error().cancelled ? tr("Cancelled") : q((*answer)->error().text), true);
          return;
        }
        const auto same = [](const Pose& x, const Pose& y) { return x.p == y.p && x.R == y.R; };
        if (source != mechanism_ || !std::equal(poses.begin(), poses.end(), poses_.begin(), poses_.end(), same))
          return;  // it is of another pose
        common_ = CommonData{a, b, std::move((*answer)->value())};
        say(common_->common.volume > 0
                ? tr("%1 have %2 cm\u00b3 in common").arg(names).arg(common_->common.volume * 1e6, 0, 'g', 4)
                : tr("%1 have no volume in common in this pose").arg(names));
        emit resultsChanged();
      });
}

void Session::leavePairOut() {
  const auto [a, b] = lookedAtPair();
  const auto links = static_cast<int>(mechanism_->links.size());
  if (a < 0 || a >= links || b >= links || currentRun() < 0) {
    say(tr("Choose a pair of links first, in the list of stage Check"), true);
    return;
  }
  const auto &x = *mechanism_->links[static_cast<std::size_t>(a)], &y = *mechanism_->links[static_cast<std::size_t>(b)];
  const std::pair<Id, Id> pair{x.id, y.id};
  const QString text = tr("Leave %1 \u2013 %2 out of the check").arg(q(x.name), q(y.name));
  chosenPair_ = {-1, -1};
  chosenInterference_ = -1;
  if (apply(text,
            changed<Run>(*mechanism_, &Mechanism::runs, mechanism_->runs[static_cast<std::size_t>(currentRun())]->id,
                         [&](Run& r) { r.leaveOut.push_back(pair); })))
    say(tr("%1 \u2013 %2 is left out of this run's check; its card takes it in again").arg(q(x.name), q(y.name)));
}

void Session::setHaltAtContact(bool on) {
  haltAtContact_ = on;
  if (on && (!poseCheck_ || geometryOf_ != mechanism_)) checkPose();  // makes what the drag needs
  say(on ? tr("A drag by hand halts where links meet") : tr("A drag by hand goes through other links"));
}

/// Does a pair overlap now that did not when the drag began?
bool Session::overlapsAnew() {
  if (!poseCheck_ || geometryOf_ != mechanism_) return false;
  for (const auto& pair : poseCheck_->pairsAt(poses_))
    if (std::find(overlapsBeforeDrag_.begin(), overlapsBeforeDrag_.end(), pair) == overlapsBeforeDrag_.end())
      return true;
  return false;
}

void Session::choosePair(int linkA, int linkB, bool go) {
  chosenPair_ = {linkA, linkB};
  chosenInterference_ = -1;
  if (go && check_ && run_)
    for (const auto& c : check_->result.clearances)
      if (c.linkA == linkA && c.linkB == linkB) setCursor(c.time);
  emit selectionChanged();
}

std::vector<Witness> Session::witnesses() {
  std::vector<Witness> out;
  if (!geometry_ || geometryOf_ != mechanism_ || poses_.size() != geometry_->links.size()) return out;
  std::vector<std::pair<int, int>> pairs;
  if (chosenPair_.first >= 0) pairs.push_back(chosenPair_);
  for (const auto& g : resolved_->gauges)
    if (g.kind == "clearance" && g.links.size() == 2 && isSelected(g.id)) pairs.emplace_back(g.links[0], g.links[1]);
  for (const auto& [a, b] : pairs) {
    if (std::max(a, b) >= static_cast<int>(poses_.size())) continue;
    const auto &ga = *geometry_->links[static_cast<std::size_t>(a)],
               &gb = *geometry_->links[static_cast<std::size_t>(b)];
    if (ga.empty() || gb.empty()) continue;
    auto& distance = distances_.try_emplace({a, b}, ga, gb).first->second;
    const auto gap = distance.at(poses_[static_cast<std::size_t>(a)], poses_[static_cast<std::size_t>(b)]);
    out.push_back({a, b, gap.distance, gap.onA, gap.onB});
  }
  return out;
}

void Session::findFreeRange(Id drive) {
  int index = -1;
  for (std::size_t i = 0; i < resolved_->drives.size(); ++i)
    if (resolved_->drives[i].id == drive) index = static_cast<int>(i);
  if (index < 0 || currentRun() < 0) {
    say(tr("Choose a drive first, and have a run whose accuracy holds"), true);
    return;
  }
  auto answer = std::make_shared<std::optional<Result<clearance::FreeRange>>>();
  const auto source = mechanism_;
  const auto resolved = std::make_shared<const Resolved>(*resolved_);
  jobs_.start(
      tr("Looking how far %1 is free").arg(q(resolved_->drives[static_cast<std::size_t>(index)].name)),
      [this, answer, resolved, index, run = currentRun()](SharedProgress& progress) {
        *answer = clearance::findFreeRange(*resolved, run, index, store_, geometryCache_, &progress);
      },
      [this, answer, source, drive] {
        if (!*answer) return;
        if (!(*answer)->ok()) {
          say((*answer)->error().cancelled ? tr("Cancelled") : q((*answer)->error().text), true);
          return;
        }
        freeRange_ = (*answer)->value();
        freeRangeOf_ = source;
        freeRangeDrive_ = drive;
        emit resultsChanged();
      });
}

void Session::takeFreeRangeAsStops() {
  if (!freeRange_ || freeRangeOf_ != mechanism_) return;
  const auto& range = *freeRange_;
  const auto& joint = resolved_->joints[static_cast<std::size_t>(range.joint)];
  const auto& value = infoOf(joint.kind).values[static_cast<std::size_t>(range.value)];
  const double unit = mechanism_->units.factor(range.dimension);
  apply(tr("Free range of %1 as stops").arg(q(joint.name)), changedJoint(*mechanism_, joint.id, [&](Joint& x) {
          auto& stops = x.stops[value.name];
          // inwards to a hundredth of the unit: what is not free must not lie within the stops
          if (range.low.kind != "turn" && range.low.kind != "search")
            stops.low = Field(std::ceil(range.low.value / unit * 100 - 1e-6) / 100);
          if (range.high.kind != "turn" && range.high.kind != "search")
            stops.high = Field(std::floor(range.high.value / unit * 100 + 1e-6) / 100);
        }));
}

}  // namespace cooperage::app
