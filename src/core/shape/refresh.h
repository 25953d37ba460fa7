// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "shape/face_features.h"
#include "shape/shape_store.h"

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
/// @param solid the body's, as it is now
std::vector<SeatCheck> checkSeats(const model::Mechanism& m, model::Id body, const SolidPtr& solid);

/// The same for a link that has got another solid, for the seats that were picked on one that is gone or put aside:
/// what is the same in the same place of the link is found again.
/// @param solids of the link's bodies as they are now, by body
std::vector<SeatCheck> checkSeatsOf(const model::Mechanism& m, model::Id link,
                                    const std::map<model::Id, SolidPtr>& solids);

/// Marks lost and moved seats as broken, and those that are found as whole. They stay where they are: nothing moves
/// by itself. @return the same document if nothing changes
model::Mechanism withChecks(const model::Mechanism& m, const std::vector<SeatCheck>& checks);

/// A broken seat follows its geometry to the place where it was found.
model::Mechanism withSeatFollowing(const model::Mechanism& m, const SeatCheck& check, const SolidPtr& solid);
/// A broken seat stays where it is and forgets what it came from.
model::Mechanism withSeatKept(const model::Mechanism& m, model::Id seat);

/// A drawn element: its form and where it stands in its link.
struct Element {
  const TopoDS_Shape& shape;
  Pose placement;  ///< X_LB
};
/// Seats that were picked on a drawn element keep to the same place of the same face or edge when its figures change.
/// The pieces of an element, and the places of a piece, come in the same order whatever its figures.
model::Mechanism withElementSeats(const model::Mechanism& m, model::Id body, const Element& before,
                                  const Element& after);

/// The same for all elements, and for solids that are made longer or shorter, whose figures, or whose places by a
/// parameter, an edit or `--set` has changed.
/// @param before the document that the seats' places belong to, worked out; after: the changed one, worked out
/// @param store makes the solids
/// @return the changed document with its seats, or an error that names the body that can't be made
Result<model::Mechanism> withSeatsOfElements(const model::Mechanism& from, const model::Resolved& before,
                                             const model::Mechanism& changed, const model::Resolved& after,
                                             ShapeStore& store);

/// "bore of 16 mm", "flat face", "edge of 12 mm".
std::string wordsFor(const model::Feature& feature);

}  // namespace cooperage::shape
