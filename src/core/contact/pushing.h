// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>

#include "contact/bodies.h"
#include "contact/push_run.h"
#include "kinematics/travel.h"

namespace cooperage::contact {

using ContactBodiesPtr = std::shared_ptr<const ContactBodies>;

/// What moves the freedoms of a run that contacts push. Overlaps of contact pairs at home are an error,
/// "overlap-at-home", that names the deepest and how deep it is; up to a micrometre is taken for rounding.
kinematics::MakePushed pushedBy(ContactBodiesPtr bodies);

/// Links of a contact that overlap.
struct Overlap {
  std::string contact;
  std::vector<std::string> links;
  double depth = 0;  ///< m
};
/// Those at home, deepest first.
std::vector<Overlap> overlapsAtHome(const model::Resolved& resolved,
                                    const std::shared_ptr<const kinematics::System>& system,
                                    const kinematics::Home& home, const kinematics::Mobility& mobility,
                                    const ContactBodiesPtr& bodies);

/// A pose with all contact pairs free.
struct FreePose {
  kinematics::Configuration configuration;
  std::vector<Pose> poses;  ///< X_GL of every link
};
/// The one nearest to home, what is driven standing. An error names what overlaps where there is none near by.
Result<FreePose> nearestFree(const model::Resolved& resolved, const std::shared_ptr<const kinematics::System>& system,
                             const kinematics::Home& home, const kinematics::Mobility& mobility,
                             const ContactBodiesPtr& bodies);

}  // namespace cooperage::contact
