// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "model/edits.h"

/// Which bodies make which links. Bodies stay where they are in space; seats that were picked on a body, and the curves
/// on those seats, go with it; joints that would then join a link to itself go.
namespace cooperage::model {

/// Moves bodies to a link (0: a new link of that name). A link that gives all its bodies away gives its seats too, and
/// goes. @return the new mechanism and the link's id
std::pair<Mechanism, Id> regrouped(const Mechanism& m, const std::vector<Id>& bodies, Id link, const std::string& name);

/// Each of the bodies becomes a link of its own, named after it.
Mechanism separated(const Mechanism& m, const std::vector<Id>& bodies);

/// All bodies, seats and curves of the links come to the first of them.
std::pair<Mechanism, Id> merged(const Mechanism& m, const std::vector<Id>& links);

/// Bodies that become one link.
struct BodyGroup {
  std::string name;  ///< of the link, made free; empty: that of its first body
  std::vector<Id> bodies;
  bool ground = false;  ///< else as one of the links that they come from
};
/// Groups bodies anew, all at once: a new link a group, in their order. 500 solids take no time.
Mechanism groupedAs(const Mechanism& m, const std::vector<BodyGroup>& groups);

/// How the solids of one import become links.
enum class LinkRule { eachSolid, eachAssembly, allOne };
struct ImportedSolid {
  Id body = 0;
  std::vector<std::string> path;  ///< of sub-assemblies, outermost first
};
/// Groups the bodies anew by a rule. An assembly is one below the file's own top assembly.
/// @param name of the link if all become one
Mechanism groupedByRule(const Mechanism& m, const std::vector<ImportedSolid>& solids, LinkRule rule,
                        const std::string& name);

/// Cuts one body in two: what lies inside the cut stays, the rest becomes a body of a new link.
/// @param goes which seats of the link go with the rest, by their frames in link axes
/// @return the new mechanism and the new link's id
std::pair<Mechanism, Id> cutInTwo(const Mechanism& m, Id body, const std::vector<CutTool>& tools,
                                  const std::function<bool(const Seat&)>& goes);

/// What a link is made of and what it was made of before change places. The seats stay, each with what it was picked on.
Mechanism exchanged(const Mechanism& m, Id link);
/// A solid comes in place of all that a link is made of, which is kept aside; what was kept before goes.
/// @param body its name is made free in the link
Mechanism withSolidFor(const Mechanism& m, Id link, Body body);

/// Another file in the place of a body's; its seats, joints and drives stay.
Mechanism withGeometryReplaced(const Mechanism& m, Id body, const std::string& file, int solid);

}  // namespace cooperage::model
