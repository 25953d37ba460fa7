// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "drawing/drawing.h"
#include "model/edits.h"

/// Sheets, the curves on them, and which link a curve belongs to. A curve lies either on its sheet, and belongs to no
/// link, or in one link, as its outline; its figures stay those of the sheet's axes, so that it goes back as it came.
namespace cooperage::model {

/// A new sheet; its name is made free.
std::pair<Mechanism, Id> withSheet(const Mechanism& m, Sheet sheet);
Mechanism changedSheet(const Mechanism& m, Id sheet, const std::function<void(Sheet&)>& edit);

/// Where a sheet lies, its depth included, ground axes. @param poses X_GL of all links; empty: as they are placed
Result<Pose> sheetPose(const Mechanism& m, Id sheet, const std::vector<Pose>& poses = {});

/// Curves onto a sheet, each named after what it is ("line 12") where it has no name.
/// @return the new mechanism and the curves' ids, in order
std::pair<Mechanism, std::vector<Id>> withDrawn(const Mechanism& m, Id sheet, std::vector<Curve> curves);

/// A curve of a sheet with one piece more at its end; where that comes back to the start, it is closed.
Result<Mechanism> withPieceAdded(const Mechanism& m, Id curve, const drawing::Piece& piece);

/// A drawing onto one sheet, or onto one for each of its layers.
/// @param drawing in m; its annotations and notes come as construction
/// @param plane   where the sheets are to lie, and the file that the drawing came from
/// @return the new mechanism and the sheets' ids
std::pair<Mechanism, std::vector<Id>> withDrawing(const Mechanism& m, const drawing::Drawing& drawing,
                                                  const Sheet& plane, bool sheetALayer);

/// What reading a drawing again has found.
struct ReadAgain {
  Mechanism mechanism;
  int same = 0, fresh = 0, gone = 0;
};
/// The drawing of a file, read again: curves that are as they were stay where they are and in the links that they
/// belong to; new ones come onto their sheet; those that the drawing holds no more are marked.
/// @param drawing   in m
/// @param tolerance by which a curve may differ, m
ReadAgain withDrawingReadAgain(const Mechanism& m, const std::string& file, const drawing::Drawing& drawing,
                               double tolerance);

/// Gives curves to a link, from sheets and from other links alike. Where the link has no plane for the sheet of a curve
/// yet, it gets a seat there.
/// @param link  0: a new link, which stands on the sheet of the first of them
/// @param name  of the new link
/// @param poses X_GL of all links as they are seen; empty: as they are placed
/// @return the new mechanism and the link; an error if something hangs on a curve that would leave its link
Result<std::pair<Mechanism, Id>> gathered(const Mechanism& m, const std::vector<Id>& curves, Id link,
                                          const std::string& name, const std::vector<Pose>& poses = {});
/// The same, but each curve stays where it is too: the link gets a copy.
Result<std::pair<Mechanism, Id>> gatheredCopies(const Mechanism& m, const std::vector<Id>& curves, Id link,
                                                const std::vector<Pose>& poses = {});
/// Curves of links go back to the sheets on which they were drawn.
Result<Mechanism> released(const Mechanism& m, const std::vector<Id>& curves);

/// Curves that are drawn, but are to belong to no link; or no such any more. Those of links stay as they are.
Mechanism withConstruction(const Mechanism& m, const std::vector<Id>& curves, bool on);

/// How many curves on sheets belong to no link and are no construction.
int countLoose(const Mechanism& m);

}  // namespace cooperage::model
