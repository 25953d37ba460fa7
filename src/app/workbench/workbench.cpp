// SPDX-License-Identifier: GPL-3.0-or-later
#include "workbench.h"

#include "shape/refresh.h"

namespace cooperage::app {

using namespace model;

Workbench::Workbench()
    : document_(speaker_),
      shapes_(document_, speaker_),
      solution_(shapes_),
      pose_(document_, selection_, solution_, speaker_),
      runs_(document_, selection_, shapes_, solution_, pose_, jobs_, speaker_),
      checks_(document_, selection_, shapes_, solution_, pose_, runs_, jobs_, speaker_),
      importer_(document_, selection_, shapes_, solution_, pose_, jobs_, speaker_),
      machine_(document_, solution_, pose_),
      levels_(document_, selection_, shapes_, solution_, pose_, runs_, jobs_, speaker_),
      exchange_(document_, selection_, shapes_, jobs_, speaker_),
      reuser_(document_, selection_, jobs_, speaker_) {
  pose_.setWatch(&checks_);
  document_.setFollowers({[this](const Mechanism& changed, const Resolved& after) {
                            return shape::withSeatsOfElements(*document_.mechanism(), solution_.resolved(), changed,
                                                              after, shapes_.store());
                          },
                          [this](Resolved figures) { follow(std::move(figures)); }, [this] { clear(); },
                          [this](const QString& folder) { shapes_.store().setFolder(folder.toStdString()); }});
  connect(&runs_, &RunBook::changed, this, &Workbench::resultsChanged);
  connect(&checks_, &CheckBook::changed, this, &Workbench::resultsChanged);
  connect(&solution_, &Solution::followed, this, &Workbench::showFollowed);
  connect(&machine_, &MachineFigures::changed, &selection_, &Selection::changed);
  connect(&shapes_, &BodyShapes::read, this, &Workbench::takeSolids);
  connect(&runs_, &RunBook::chosen, this, [this](int run) {
    if (solution_.prepared()->run == run) return;
    solution_.remake(run);  // other drives act: freedoms are counted anew
    pose_.follow();
    emit pose_.changed();
  });
  follow({});
}

/// What a change goes through, from what the document holds to what is computed on it.
void Workbench::follow(Resolved figures) {
  const auto& mechanism = document_.mechanism();
  const bool fewer = selection_.keepThoseOf(*mechanism);
  importer_.follow(*mechanism);
  checks_.haltRecheck();
  const int run = runs_.indexIn(figures);
  if (!cleared_ && solution_.wantsAside(figures)) {
    solution_.makeAside(mechanism, std::move(figures), run);
    pose_.letGo();
    emit document_.changed();
    if (fewer) emit selection_.changed();
    return;
  }
  // a short run follows the change at once: until it has come, the picture stays where the cursor is
  const bool stays = pose_.isAtCursor() && runs_.goesOnLive() && pose_.poses().size() == figures.links.size();
  auto poses = pose_.poses();
  solution_.make(mechanism, std::move(figures), run);
  pose_.follow();
  if (stays && solution_.closes()) pose_.stayAtCursor(std::move(poses));
  if (solution_.closes() && runs_.goesOnLive()) runs_.startLive();
  emit document_.changed();
  if (fewer || cleared_) emit selection_.changed();
  emit pose_.changed();
  shapes_.load();
  checks_.recheckSoon();
  if (!cleared_) return;
  cleared_ = false;
  shapes_.watchFiles();
  emit resultsChanged();
}

/// What was worked out aside: shown as far as it has come, and gone on with when it is of the present document.
void Workbench::showFollowed(bool last) {
  const bool stays = pose_.isAtCursor() && runs_.goesOnLive();
  auto poses = pose_.poses();
  pose_.follow();
  if (stays && solution_.closes()) pose_.stayAtCursor(std::move(poses));
  if (last && solution_.closes() && runs_.goesOnLive()) runs_.startLive();
  emit solution_.changed();
  emit pose_.changed();
  if (!last) {
    emit shapes_.changed();
    return;
  }
  shapes_.load();
  checks_.recheckSoon();
}

/// Solids that have been read: what stands on them is worked out with them.
void Workbench::takeSolids() {
  if (solution_.standsOnSolids()) {
    solution_.remake(runs_.currentRun());
    pose_.follow();
    emit pose_.changed();
  }
  emit shapes_.changed();
  emit document_.changed();
}

void Workbench::clear() {
  jobs_.stop();
  runs_.clear();
  checks_.clear();
  importer_.clear();
  shapes_.clear();
  solution_.clear();
  selection_.clear();
  cleared_ = true;
}

Workbench::~Workbench() {
  jobs_.stop();
  runs_.stop();
  shapes_.stop();
  solution_.stop();
}

}  // namespace cooperage::app
