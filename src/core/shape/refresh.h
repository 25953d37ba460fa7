// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "shape/face_features.h"

namespace cooperage::shape {

/// What became of the geometry that a seat came from.
struct SeatCheck {
  model::Id seat = 0;
  enum class State { same, moved, lost } state = State::lost;
  Pose frame;           ///< where it would stand on the geometry found, body axes; of moved
  double distance = 0;  ///< from where it was, m
  std::string what;     ///< "bore of 16 mm", for messages
};

/// Looks for the geometry of all seats that came from a body in its present solid. Found again is what has the same
/// kind, radius, axis and place; what has the same kind, radius and axis at another place has moved; else it is lost.
/// @param seats of the body's link
std::vector<SeatCheck> checkSeats(const std::vector<std::shared_ptr<const model::Seat>>& seats, model::Id body,
                                  const SolidPtr& solid);

/// Marks lost and moved seats as broken, and those that are found as whole. They stay where they are: nothing moves
/// by itself. @return the same document if nothing changes
model::Mechanism withChecks(const model::Mechanism& m, const std::vector<SeatCheck>& checks);

/// A broken seat follows its geometry to the place where it was found.
model::Mechanism withSeatFollowing(const model::Mechanism& m, const SeatCheck& check, const SolidPtr& solid);
/// A broken seat stays where it is and forgets what it came from.
model::Mechanism withSeatKept(const model::Mechanism& m, model::Id seat);

/// Seats that were picked on a drawn element keep to the same face or edge when its figures change. The pieces of an
/// element come in the same order whatever its figures.
model::Mechanism withElementSeats(const model::Mechanism& m, model::Id body, const TopoDS_Shape& before,
                                  const TopoDS_Shape& after);

/// "bore of 16 mm", "flat face", "edge of 12 mm".
std::string wordsFor(const model::Feature& feature);

}  // namespace cooperage::shape
