// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <string>
#include <vector>

#include "elements/gear_pair.h"
#include "model/edits.h"

/// Makers of machine elements that mesh: each makes bodies, seats and couplings in one step from a draft that keeps the
/// ids of what it makes, so that it can be made again with other figures. `poses` are X_GL of all links at home.
namespace cooperage::model {

/// What turns or slides about a joint: the joint seen from the link that carries the element.
struct Shaft {
  int joint = -1;   ///< index among Resolved::joints
  int link = -1;    ///< that carries the element
  int base = -1;    ///< that holds its bearing
  double sign = 1;  ///< of the joint's first value against a turn or slide of `link` about `frame`'s z
  Pose seat;        ///< X_LS on `link`
  Pose frame;       ///< X_GS, at home
};
/// @param beside another joint: the link that both have in common is the base
Result<Shaft> shaftOf(const Resolved& r, Id joint, Id beside, const std::vector<Pose>& poses);

/// A new link with a revolute joint about a seat.
/// @param poses the new link's is put at the end
Result<Mechanism> withShaft(const Mechanism& m, Id seat, Id joint, std::vector<Pose>& poses);

/// Couples joint values without any geometry.
/// @param values two (three of a linear one) joint values
/// @return an error naming values that the kind can't couple
Result<Mechanism> withCoupling(const Mechanism& m, CouplingKind kind, const std::vector<Symbol>& values, Id coupling);
/// The coupling with another kind, its figures started anew where the old ones have no meaning.
Result<Mechanism> withCouplingKind(const Mechanism& m, Id coupling, CouplingKind kind);
/// The link that carries the axes of two joints and moves; 0 if both stand on ground.
Id carrierOf(const Mechanism& m, Id jointA, Id jointB);

/// Two gears, or a gear and a rack, on two joints.
struct GearDraft {
  enum class Kind { spur, ring, bevel, crossed, worm, rack };
  Kind kind = Kind::spur;
  std::array<Id, 2> joints{};  ///< of a ring: the pinion's first; of a worm: the worm's; of a rack: the gear's
  Field module{2}, width{12};  ///< document units
  Field pressureAngle, helix;  ///< helix (of a worm its lead angle) of the first; the second's follows
  std::array<Field, 2> teeth{Field(20), Field(40)}, shift, bore;
  Field backlash;        ///< play on the pitch circle, both gears share it
  bool moveAxis = true;  ///< the second joint is moved to the right distance; else the second gear's shift makes up
  bool flip = false;     ///< turns the coupling's sign round
  Id coupling = newId();
  std::array<Id, 2> bodies{newId(), newId()};
};
Result<Mechanism> withGears(const Mechanism& m, const GearDraft& draft, const std::vector<Pose>& poses);
/// The draft from which a coupling with its bodies could be made again; none if it has no bodies.
std::optional<GearDraft> gearDraftOf(const Mechanism& m, Id coupling);
/// A figure of a coupling (teeth, a radius, a lead) with the elements that were made for it: gears are made again at
/// their distance and phase, pulleys, sprockets and screws take the figure too. Where gears can't be made so, only the
/// coupling is changed.
Mechanism withCouplingFigure(const Mechanism& m, Id coupling, std::size_t which, const Field& figure,
                             const std::vector<Pose>& poses);
/// Couplings of gears that mesh with one another through gears that they share, that one first: a planetary stage, a
/// differential, a row of gears. One alone is a pair.
std::vector<Id> trainOf(const Mechanism& m, Id coupling);
/// The whole train with another module: its axes move away from the one that stands still in proportion, so that all
/// gears keep their turn; pins on these axes and round plates about the middle go along.
/// @param poses of all links at home; moved along
/// @return an error if axes of the train cross
Result<Mechanism> withTrainModule(const Mechanism& m, Id coupling, const Field& module, std::vector<Pose>& poses);
/// Figures of the pair as it stands, for its card; error if the bodies are gone.
struct PairLook {
  elements::GearSpec first, second;
  double distance = 0;  ///< of the axes at home, m
};
Result<PairLook> pairLook(const Mechanism& m, Id coupling, const std::vector<Pose>& poses);

/// Pulleys or sprockets on two joints or more, and the belt or chain over them.
struct BeltDraft {
  std::vector<Id> joints;
  std::vector<Field> sizes;  ///< pitch radii, or teeth of a chain
  std::vector<int> sides;    ///< of more than two: +1 or -1
  bool chain = false, crossed = false;
  Field width{15}, pitch{Field(12.7)};  ///< document units
  Id coupling = newId();
  std::vector<Id> bodies;  ///< made as needed
};
Result<Mechanism> withBelt(const Mechanism& m, BeltDraft& draft, const std::vector<Pose>& poses);

/// A screw on a joint that turns, and one nut or two (the second of the other hand) on joints that slide along it.
struct ScrewDraft {
  Id turn = 0;
  std::vector<Id> slides;
  Field lead{4}, diameter{16}, length{120}, starts{1};  ///< document units; negative lead: left hand
  std::vector<Id> couplings, bodies;
};
Result<Mechanism> withScrew(const Mechanism& m, ScrewDraft& draft, const std::vector<Pose>& poses);

/// A cam on a joint that turns (a linear one on a joint that slides), and its follower on another joint.
struct CamDraft {
  Id cam = 0, follower = 0;  ///< joints
  std::string form = "disc", kind = "roller";
  Field base{40}, roller{8}, thickness{12}, arm{60};  ///< document units
  int hand = 1;
  std::vector<ProgrammeRow> rows;
  Id curve = newId(), body = newId(), rollerBody = newId(), camSeat = newId(), followerSeat = newId(), pair = newId();
};
Result<Mechanism> withCam(const Mechanism& m, const CamDraft& draft, const std::vector<Pose>& poses);
/// Rise, dwell, return, dwell in document units: what a new cam begins with.
/// A cam's row with another figure; what the turn and the lift must add up to stays: the next dwell gives way, else the
/// next row that has room; of the lift the next move. Figures that are formulas are left alone.
Mechanism withCamFigure(const Mechanism& m, Id curve, std::size_t row, const std::string& key, const Field& figure);
std::vector<ProgrammeRow> firstCamRows(const Mechanism& m, bool swing, bool linear);

/// A cam pair of a curve that is there (its link must move) with a point, roller or flat where a seat stands.
Result<Mechanism> withContact(const Mechanism& m, Id curve, Id seat, const std::string& kind, const Field& radius,
                              Id pair);
/// Two curves of two links that roll on one another without slip.
Result<Mechanism> withRolling(const Mechanism& m, Id first, Id second, Id pair);
/// A curve of edges of a body, in the plane of a new seat. @param plane X_LS of that seat
Mechanism withEdgeCurve(const Mechanism& m, Id body, const std::vector<int>& edges, const Pose& plane, Id curve,
                        Id seat);

/// A planetary stage about a seat of a link that stands still.
struct PlanetaryDraft {
  Id seat = 0;  ///< its axis is the stage's
  int sun = 24, planet = 18, ring = 60, planets = 3;
  int second = 0;              ///< stepped planets: teeth that mesh with the ring; 0: plain planets
  Field module{2}, width{12};  ///< document units
  std::string held = "ring";   ///< sun, carrier or ring
  Id inputLink = 0;            ///< a link that carries the sun (a stage before); 0: a new one
  std::string name = "stage";
};
/// @return an error with figures if the teeth don't close, planets meet, or can't be spread evenly
Result<Mechanism> withPlanetary(const Mechanism& m, const PlanetaryDraft& draft, const std::vector<Pose>& poses);
/// Teeth that close the stage: of the ring from the others.
int ringTeeth(const PlanetaryDraft& draft);

/// A bevel differential about a seat: two side gears, a cage with two planets.
struct DifferentialDraft {
  Id seat = 0;
  int side = 24, planet = 16;
  Field module{2}, width{8};
  std::string name = "differential";
};
Result<Mechanism> withDifferential(const Mechanism& m, const DifferentialDraft& draft, const std::vector<Pose>& poses);

}  // namespace cooperage::model
