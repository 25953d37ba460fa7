// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "model/gear_edits.h"

/// Trains of gears: planetary stages, differentials, and what holds of gears that mesh with one another. A maker makes
/// bodies, seats and couplings in one step from a draft that keeps the ids of what it makes, so that it can be made
/// again with other figures. `poses` are X_GL of all links at home.
namespace cooperage::model {

/// A new link with a revolute joint about a seat.
/// @param poses the new link's is put at the end
Result<Mechanism> withShaft(const Mechanism& m, Id seat, Id joint, std::vector<Pose>& poses);

/// Couplings of gears that mesh with one another through gears that they share, that one first: a planetary stage, a
/// differential, a row of gears. One alone is a pair.
std::vector<Id> trainOf(const Mechanism& m, Id coupling);
/// The whole train with another module: its axes move away from the one that stands still in proportion, so that all
/// gears keep their turn; pins on these axes and round plates about the middle go along.
/// @param poses of all links at home; moved along
/// @return an error if axes of the train cross
Result<Mechanism> withTrainModule(const Mechanism& m, Id coupling, const Field& module, std::vector<Pose>& poses);

/// Of a coupling with a carrier: the joints of its stage that stand on a link that stands still, the carrier's among
/// them. One of them is held.
std::vector<Id> membersOf(const Mechanism& m, Id coupling);
/// Holds one of them and lets the others go; 0 lets all go. Its home value stays.
Mechanism withHeldMember(const Mechanism& m, Id coupling, Id joint);

/// A planetary stage about a seat of a link that stands still.
struct PlanetaryDraft {
  Id seat = 0;  ///< its axis is the stage's
  int sun = 24, planet = 18, ring = 60, planets = 3;
  int second = 0;              ///< stepped planets: teeth that mesh with the ring; 0: plain planets
  Field module{2}, width{12};  ///< document units
  HeldPart held = HeldPart::ring;
  Id inputLink = 0;  ///< a link that carries the sun (a stage before); 0: a new one
  std::string name = "stage";
  std::string was = {};                  ///< the name of a stage that is changed: what bears it takes the new one
  std::map<std::string, Id> parts = {};  ///< of a stage that is changed: what it is made of
};
/// The draft from which a stage could be made again, by one of its couplings; none if that is no planetary stage with
/// gears of its own.
std::optional<PlanetaryDraft> planetaryDraftOf(const Mechanism& m, Id coupling);
/// Of a draft whose parts are there it changes the stage: other bodies, seats, drives and gauges on its links stay,
/// planets that are too many go.
/// @return an error with figures if the teeth don't close, planets meet, or can't be spread evenly
Result<Mechanism> withPlanetary(const Mechanism& m, const PlanetaryDraft& draft, const std::vector<Pose>& poses);
/// Teeth that close the stage: of the ring from the others.
int ringTeeth(const PlanetaryDraft& draft);
/// Turns of the driving member per turn of the driven one (Willis' rule): sun to carrier with the ring held, ring to
/// carrier with the sun held, sun to ring with the carrier held.
double stageRatio(const PlanetaryDraft& draft);

/// A bevel differential about a seat: two side gears, a cage with two planets.
struct DifferentialDraft {
  Id seat = 0;
  int side = 24, planet = 16;
  Field module{2}, width{8};
  std::string name = "differential";
};
Result<Mechanism> withDifferential(const Mechanism& m, const DifferentialDraft& draft, const std::vector<Pose>& poses);

}  // namespace cooperage::model
