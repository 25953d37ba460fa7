// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <vector>

#include "machine_fields.h"
#include "model/machine_base.h"

namespace cooperage::app {

/// Elements that mesh, as they are offered.
enum class Machine { spur, ring, bevel, crossed, worm, rack, belt, chain, screw, cam, planetary, differential };

/// What a new element begins with: what is selected, filled up with the first joints that could serve.
struct MachineStart {
  std::vector<model::Id> turns, slides, seats;
  std::size_t chosenTurns = 0;  ///< of the turns: how many were selected
};

/// The draft of one kind of element in the maker's card: which figures it asks for, and what is made from them. Its
/// fields keep pointing into it: it outlives the rows that it fills.
class MachineForm {
 public:
  virtual ~MachineForm() = default;
  virtual void fill(MachineFields& fields) = 0;
  virtual Result<model::Mechanism> made(const model::Mechanism& base, const std::vector<Pose>& poses) = 0;
  /// What is selected once it is made; 0: what was.
  virtual model::Id shown() const { return 0; }
  /// The wrong way round: the sense of a coupling, the hand of a screw or of a follower. @return false if it has none
  virtual bool flip(const model::Mechanism& base);
};

std::unique_ptr<MachineForm> machineForm(Machine machine, const model::Mechanism& base, const MachineStart& start);
/// Of a gear pair that was made before; null if the coupling has no gears of its own.
std::unique_ptr<MachineForm> gearFormOf(const model::Mechanism& base, model::Id coupling,
                                        const std::vector<Pose>& poses, Machine& machine);

/// Of a planetary stage that was made before; null if the coupling is of none.
std::unique_ptr<MachineForm> planetaryFormOf(const model::Mechanism& base, model::Id coupling);

/// How many joints of each kind an element wants.
struct MachineWants {
  std::size_t turns = 0, slides = 0;
};
/// Where the shafts and slides of an element stand if there are none: what it takes in the order of MachineWants, turns
/// first; of a stage the seat.
std::vector<model::BaseAxis> baseOf(Machine machine);
MachineWants wantsOf(Machine machine, std::size_t chosenTurns);

// one a file
std::unique_ptr<MachineForm> newGearForm(Machine machine, const model::Mechanism& base, const MachineStart& start);
std::unique_ptr<MachineForm> newBeltForm(bool chain, const model::Mechanism& base, const MachineStart& start);
std::unique_ptr<MachineForm> newScrewForm(const model::Mechanism& base, const MachineStart& start);
std::unique_ptr<MachineForm> newCamForm(const model::Mechanism& base, const MachineStart& start);
std::unique_ptr<MachineForm> newPlanetaryForm(const model::Mechanism& base, const MachineStart& start);
std::unique_ptr<MachineForm> newDifferentialForm(const model::Mechanism& base, const MachineStart& start);

/// A length in the document's units.
model::Field millimetres(const model::Mechanism& base, double mm);
inline model::Id idAt(const std::vector<model::Id>& list, std::size_t i) { return i < list.size() ? list[i] : 0; }
/// The seat that a stage begins about: one that is selected, else the first that stands still.
model::Id stageSeat(const model::Mechanism& base, const MachineStart& start);

}  // namespace cooperage::app
