// SPDX-License-Identifier: GPL-3.0-or-later
#include "selection.h"

#include <algorithm>

namespace cooperage::app {

using namespace model;

bool Selection::isSelected(Id id) const { return std::find(ids_.begin(), ids_.end(), id) != ids_.end(); }

void Selection::select(std::vector<Id> ids) {
  if (ids == ids_) return;
  ids_ = std::move(ids);
  emit changed();
}

void Selection::setStage(Stage stage) {
  if (stage == stage_) return;
  stage_ = stage;
  emit stageChanged();
}

void Selection::focusInterference(int index) {
  interference_ = index;
  if (index >= 0) pair_ = {-1, -1};
}

void Selection::focusPair(int linkA, int linkB) {
  pair_ = {linkA, linkB};
  interference_ = -1;
}

void Selection::clearFocus() {
  interference_ = -1;
  pair_ = {-1, -1};
}

bool Selection::keepThoseOf(const Mechanism& m) {
  const auto there = [&](Id id) {
    return findLink(m, id) || findJoint(m, id) || findSeat(m, id) || findBody(m, id) || findById(m.drives, id) ||
           findById(m.gauges, id) || findById(m.requirements, id) || findById(m.runs, id) ||
           findById(m.parameters, id) || findById(m.couplings, id) || findById(m.camPairs, id) ||
           findById(m.contacts, id) || findById(m.forces, id) || findById(m.paths, id) || findById(m.sheets, id) ||
           findCurve(m, id) || findSheetCurve(m, id);
  };
  const auto gone = std::remove_if(ids_.begin(), ids_.end(), [&](Id id) { return !there(id); });
  const bool fewer = gone != ids_.end();
  ids_.erase(gone, ids_.end());
  return fewer;
}

void Selection::clear() {
  ids_.clear();
  clearFocus();
}

}  // namespace cooperage::app
