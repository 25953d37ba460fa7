// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "drawing/outline.h"
#include "model/edits.h"

/// Laying a mechanism out in the plane of a sheet: links drawn as lines, joined as they are drawn. All places are those
/// of the sheet's axes, in m; depth changes no joint: what lies on another level is joined over a slide offset.
namespace cooperage::model {

/// Where a click lands.
struct LayoutSpot {
  Eigen::Vector2d at{0, 0};
  Id seat = 0;          ///< a pivot that is there: the new link is joined to its link
  bool ground = false;  ///< a new pivot on ground
  /// A line along which the end of the new link is to slide.
  struct Line {
    Id link = 0;  ///< that has it; 0: ground
    Eigen::Vector2d from{0, 0}, to{0, 0};
  };
  std::optional<Line> line;
};

/// A link as it is drawn: from a pivot to another.
struct LinkStroke {
  LayoutSpot from, to;
  std::optional<Field> length;  ///< as typed: it holds
  std::optional<Field> angle;   ///< from the sheet's x axis, as typed: of a link on ground it is the home value
  std::optional<Field> x, y;    ///< of a new pivot on ground, as typed: they hold
  std::string name;             ///< empty: after what it joins, such as crank, coupler, rocker
};

struct LayoutStep {
  Mechanism mechanism;
  Id link = 0;                    ///< the new one
  Id end = 0;                     ///< the seat at its end, from which the next one may go on; 0: it is joined there
  std::vector<Id> joints;         ///< that were made
  std::vector<std::string> said;  ///< what a person should know, such as two pins where three links meet
};

/// A pivot on ground, with a grounded link where there is none yet. @return the seat
Result<std::pair<Mechanism, Id>> withGroundPivot(const Mechanism& m, Id sheet, const Eigen::Vector2d& at);

/// The link of a stroke with its seats, its line, what was typed as dimensions, and its joints. A stroke that ends on a
/// line gets a slider there, with a pin and a slide.
/// @param poses X_GL of all links as they are seen
Result<LayoutStep> withLinkDrawn(const Mechanism& m, Id sheet, const LinkStroke& stroke,
                                 const std::vector<Pose>& poses);

/// One more pivot on a link (a ternary link), with lines to those that it lies nearest to. @return the seat
Result<std::pair<Mechanism, Id>> withPivotAdded(const Mechanism& m, Id sheet, Id link, const Eigen::Vector2d& at,
                                                const std::vector<Pose>& poses);

/// A link with a pivot at each of three corners or more and a closed outline, joined where a corner lands on a pivot or
/// is to be one on ground.
Result<LayoutStep> withPlateDrawn(const Mechanism& m, Id sheet, const std::vector<LayoutSpot>& corners,
                                  const std::vector<Pose>& poses);

/// A pivot pulled to another place: what was typed holds, other lengths follow. Links that were not drawn as lines, and
/// those with dimensions of other kinds than length, stay rigid; ground stays, but for a pivot of its own that is
/// pulled.
Result<Mechanism> withPivotPulled(const Mechanism& m, Id sheet, Id seat, const Eigen::Vector2d& to,
                                  const std::vector<Pose>& poses);

/// Whether a link was drawn as lines: it has an outline and no bodies.
bool isDrawn(const Link& link);
/// Whether all its lines were drawn in this document: those of a drawing that was read have their figures from there.
bool isDrawnHere(const Mechanism& m, const Link& link);

}  // namespace cooperage::model
