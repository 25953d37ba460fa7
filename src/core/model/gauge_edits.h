// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "model/joint_edits.h"

/// Gauges and paths made from picked places.
namespace cooperage::model {

/// How many places a kind of gauge is picked by: 1 or 2 (0: it isn't made by picking places).
int picksOf(GaugeKind kind);

/// A gauge on one or two picked places: seats that are there are used, others are made. Its name tells what it
/// measures: "coupler fork velocity", "crank pin to frame bearing". Links (clearance, link rates) take the places'
/// links.
/// @return the mechanism and the gauge's id; error if two places lie on one link where they must not
Result<std::pair<Mechanism, Id>> withGauge(const Mechanism& m, GaugeKind kind, const std::vector<Place>& places,
                                           Component component, const std::vector<Pose>& linkPoses);

/// Several gauges on the same picked places, made as one. @return the mechanism and the first gauge's id
Result<std::pair<Mechanism, Id>> withGauges(const Mechanism& m, const std::vector<GaugeKind>& kinds,
                                            const std::vector<Place>& places, Component component,
                                            const std::vector<Pose>& linkPoses);

/// The ratio of the rates of two joint values. @return the mechanism and the gauge's id
std::pair<Mechanism, Id> withRatioGauge(const Mechanism& m, const Symbol& value, const Symbol& per);

/// The difference of two gauges as a gauge of its own.
/// @return the mechanism and the gauge's id; error where one is neither of a joint value nor a formula, or their units
/// don't go together
Result<std::pair<Mechanism, Id>> withDifference(const Mechanism& m, Id first, Id second);

/// The path of a picked place in ground's axes. @return the mechanism and the path's id
Result<std::pair<Mechanism, Id>> withPath(const Mechanism& m, const Place& place, const std::vector<Pose>& linkPoses);

/// A requirement on a gauge.
std::pair<Mechanism, Id> withRequirement(const Mechanism& m, Id gauge, Measure measure);

/// The requirement that holds a gauge within bounds at every pose, or null.
std::shared_ptr<const Requirement> boundsOf(const Mechanism& m, Id gauge);

/// Holds a gauge within a bound at every pose: its requirement is made, changed, or taken away with its last bound.
/// @param member Requirement::min or Requirement::max; @param bound none takes it away
Mechanism withBound(const Mechanism& m, Id gauge, std::optional<Field> Requirement::*member,
                    const std::optional<Field>& bound);

/// A copy of a run under a free name. @return the mechanism and the copy's id
Result<std::pair<Mechanism, Id>> withRunCopied(const Mechanism& m, Id run);

}  // namespace cooperage::model
