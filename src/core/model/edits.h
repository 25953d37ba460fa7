// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <functional>
#include <string>
#include <vector>

#include "base/geometry.h"
#include "model/mechanism.h"
#include "model/resolve.h"

/// Changes of the document. Each takes a mechanism and gives a new one that shares all parts it did not touch.
namespace cooperage::model {

/// A copy of a list with one part changed.
/// All of a list, each in a copy of its own.
template <class T, class F>
void changeAll(std::vector<std::shared_ptr<const T>>& list, F edit) {
  for (auto& item : list) {
    auto copy = std::make_shared<T>(*item);
    edit(*copy);
    item = std::move(copy);
  }
}
template <class T>
void change(std::vector<std::shared_ptr<const T>>& list, Id id, const std::function<void(T&)>& edit) {
  for (auto& item : list)
    if (item->id == id) {
      auto copy = std::make_shared<T>(*item);
      edit(*copy);
      item = std::move(copy);
    }
}
template <class T, class F>
void dropIf(std::vector<std::shared_ptr<const T>>& list, F gone) {
  list.erase(std::remove_if(list.begin(), list.end(), [&](const auto& x) { return gone(*x); }), list.end());
}
template <class T>
Mechanism changed(const Mechanism& m, std::vector<std::shared_ptr<const T>> Mechanism::*list, Id id,
                  const std::function<void(T&)>& edit) {
  Mechanism out = m;
  change<T>(out.*list, id, edit);
  return out;
}
Mechanism changedLink(const Mechanism& m, Id id, const std::function<void(Link&)>& edit);
Mechanism changedJoint(const Mechanism& m, Id id, const std::function<void(Joint&)>& edit);
Mechanism changedBody(const Mechanism& m, Id id, const std::function<void(Body&)>& edit);
Mechanism changedSeat(const Mechanism& m, Id id, const std::function<void(Seat&)>& edit);

/// `base`, or `base 2`, `base 3` ... whichever no object of the kind bears yet. '/' becomes '-'.
template <class T>
std::string freeName(const std::vector<std::shared_ptr<const T>>& list, std::string base) {
  for (char& c : base)
    if (c == '/') c = '-';
  if (base.empty()) base = "part";
  std::string name = base;
  for (int n = 2; findByName(list, name); ++n) name = base + " " + std::to_string(n);
  return name;
}

/// Place of a link in the list of links; none if it is gone.
std::optional<std::size_t> indexOf(const Mechanism& m, Id link);
Mechanism addLink(const Mechanism& m, Link link);
Mechanism grounded(const Mechanism& m, const std::vector<Id>& links, bool ground);
/// Hides or shows links and bodies.
Mechanism shown(const Mechanism& m, const std::vector<Id>& ids, bool visible);

/// Gives an object (link, seat, body, joint, drive, gauge, requirement, run, parameter, coupling) another name. The
/// only body of a link goes by the link's name as long as it bears it.
Result<Mechanism> renamed(const Mechanism& m, Id id, const std::string& name);

/// Takes objects away with all that hangs on them (a link's joints, a joint's drives and gauges ...).
/// Error if a formula still uses a parameter.
Result<Mechanism> removed(const Mechanism& m, const std::vector<Id>& ids);

/// Plain figures as a placement in document units.
Placement placementOf(const Pose& pose, const DocumentUnits& units);
/// A direction as figures for people: no 1e-17.
Triple directionOf(const Vec3& v);
/// Pose of a placement that holds plain numbers and formulas alike.
Result<Pose> poseOf(const Mechanism& m, const Placement& placement);

/// A curve of a link, changed; the same document if there is no such curve.
Mechanism changedCurve(const Mechanism& m, Id id, const std::function<void(Curve&)>& edit);

/// Links placed as they are seen, but for grounded ones and those that stand there already.
/// @param poses X_GL of every link
Mechanism withPlacements(const Mechanism& m, const std::vector<Pose>& poses);

/// Other document units; plain numbers are rewritten so that every size stays.
Mechanism withUnits(const Mechanism& m, const DocumentUnits& units);

/// Sets parameters by NAME=EXPR texts, as the command line does.
Result<Mechanism> withParameters(const Mechanism& m, const std::vector<std::string>& settings);

}  // namespace cooperage::model
