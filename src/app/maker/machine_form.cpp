// SPDX-License-Identifier: GPL-3.0-or-later
#include "machine_form.h"

namespace cooperage::app {

using namespace model;

bool MachineForm::flip(const Mechanism&) { return false; }

std::unique_ptr<MachineForm> machineForm(Machine machine, const Mechanism& base, const MachineStart& start) {
  switch (machine) {
    case Machine::belt: return newBeltForm(false, base, start);
    case Machine::chain: return newBeltForm(true, base, start);
    case Machine::screw: return newScrewForm(base, start);
    case Machine::cam: return newCamForm(base, start);
    case Machine::planetary: return newPlanetaryForm(base, start);
    case Machine::differential: return newDifferentialForm(base, start);
    default: return newGearForm(machine, base, start);
  }
}

MachineWants wantsOf(Machine machine, std::size_t chosenTurns) {
  switch (machine) {
    case Machine::rack:
    case Machine::screw: return {1, 1};
    case Machine::cam: return {1, chosenTurns < 2 ? std::size_t(1) : 0};
    case Machine::planetary:
    case Machine::differential: return {0, 0};
    default: return {2, 0};
  }
}

std::vector<BaseAxis> baseOf(Machine machine) {
  using Carries = BaseAxis::Carries;
  const Vec3 x = Vec3::UnitX(), y = Vec3::UnitY(), z = Vec3::UnitZ(), o = Vec3::Zero();
  const BaseAxis shaft{Carries::shaft, o, z};
  switch (machine) {
    case Machine::spur:
    case Machine::ring: return {shaft, {Carries::shaft, 0.08 * x, z}};
    case Machine::belt:
    case Machine::chain: return {shaft, {Carries::shaft, 0.2 * x, z}};
    case Machine::bevel: return {shaft, {Carries::shaft, o, x}};
    case Machine::crossed:
    case Machine::worm: return {shaft, {Carries::shaft, 0.06 * x, y}};
    case Machine::rack: return {shaft, {Carries::slide, -0.02 * y, x}};
    case Machine::screw: return {shaft, {Carries::slide, o, z}};
    case Machine::cam: return {shaft, {Carries::slide, 0.06 * y, y}};
    case Machine::planetary:
    case Machine::differential: return {{Carries::nothing, o, z}};
  }
  return {};
}

Field millimetres(const Mechanism& base, double mm) {
  return Field(mm * (1e-3 / base.units.factor(dimension::kLength)));
}

Id stageSeat(const Mechanism& base, const MachineStart& start) {
  if (!start.seats.empty()) return start.seats.front();
  for (const auto& l : base.links)
    if (l->ground && !l->seats.empty()) return l->seats.front()->id;
  return 0;
}

}  // namespace cooperage::app
