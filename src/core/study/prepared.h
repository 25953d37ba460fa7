// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <memory>
#include <optional>
#include <vector>

#include "contact/pushing.h"
#include "kinematics/travel.h"
#include "model/edits.h"
#include "shape/surface.h"

/// Documents worked out, and what is computed on them: runs, checks, envelopes. The window, the command line and
/// scripts all go this one way.
namespace cooperage::study {

/// A document worked out once and passed by pointer from then on; nothing of it changes.
struct Prepared {
  model::MechanismPtr mechanism;
  std::shared_ptr<const model::Resolved> resolved;   ///< figures in SI, with what solids give attached
  std::shared_ptr<const kinematics::System> system;  ///< null if it can't be compiled
  std::optional<kinematics::Home> home;              ///< none if it can't be closed
  std::optional<kinematics::Mobility> mobility;      ///< by the drives that act in `run`
  std::vector<Pose> poses;                           ///< X_GL at home; of a mechanism that doesn't close as placed
  std::vector<Message> meshProblems;                 ///< gears that don't mesh as they stand
  std::optional<kinematics::OpenLoop> open;          ///< of one that doesn't close: where it is least open
  contact::ContactBodiesPtr contacts;                ///< what links of contacts touch with; null without contacts
  std::vector<contact::Overlap> overlaps;            ///< of contacts' links at home, deepest first
  std::optional<Error> problem;                      ///< why there is no system or no home
  int run = -1;                                      ///< whose drives act and whose fit holds

  bool closes() const { return home.has_value(); }
  /// For runs, so that they don't compile and close it again; only if it closes.
  kinematics::Assembled assembled() const;
};
using PreparedPtr = std::shared_ptr<const Prepared>;

/// The solid of a body, or null if it is not there (yet).
using shape::SolidOf;

/// Works a document out. Never fails as a whole: what can't be worked out says why in `problem`.
/// @param resolved its figures
/// @param run index of the run whose drives act, -1: all drives that are enabled
PreparedPtr prepare(model::MechanismPtr mechanism, model::Resolved resolved, int run, const SolidOf& solidOf);

/// The document with the nearest pose at home in which no links of contacts overlap: the home values of the joints that
/// they push, and all placements. An error says what overlaps where there is none near by.
Result<model::Mechanism> withFreePose(const Prepared& prepared);

/// The run of a name, or the first one for an empty name; -1 if there is none.
int runNamed(const model::Resolved& resolved, const std::string& name);

}  // namespace cooperage::study
