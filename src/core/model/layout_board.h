// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Used within model/ only: what drawing links and pulling pivots share.
#include "drawing/outline.h"
#include "model/edits.h"
#include "model/sheet_edits.h"

namespace cooperage::model::layout {

using Vec2 = Eigen::Vector2d;

/// The sheet's plane and what is needed of the document to draw on it.
struct Board {
  const Mechanism& m;
  const std::vector<Pose>& poses;
  Pose plane;  ///< X_GS
  double unit = 1e-3;

  static Result<Board> on(const Mechanism& m, Id sheet, const std::vector<Pose>& poses) {
    const auto plane = sheetPose(m, sheet, poses);
    if (!plane.ok()) return plane.error();
    return Board{m, poses, *plane, m.units.factor(dimension::kLength)};
  }
  Vec3 space(const Vec2& x) const { return plane * Vec3(x.x(), x.y(), 0); }
  Vec2 flat(const Vec3& x) const { return (plane.inverse() * x).head<2>(); }
  Vec3 normal() const { return plane.R.col(2); }
  /// A frame on the sheet: origin there, x at an angle, z the sheet's normal.
  Pose frame(const Vec2& at, double angle) const { return {plane.R * rotationAbout(2, angle), space(at)}; }
};

Seat seatAt(const std::string& name, const Pose& frame, const DocumentUnits& units);
/// The link that stands still; a new one, the frame, where there is none.
Id groundOf(Mechanism& m);
Id addSeat(Mechanism& m, Id link, const std::string& name, const Pose& inGround, const std::vector<Pose>& poses);
void dimensioned(Mechanism& m, Id link, DimensionKind kind, const std::vector<DimensionEnd>& of, const Field& value);
CurvePiece linePiece(double x1, double y1, double x2, double y2);
Curve outlineCurve(const std::string& name, Id seat, Id sheet, std::vector<CurvePiece> pieces, bool closed);

/// Where a seat stands on the sheet, and how: its place, its height over the sheet, whether its axis points away from
/// it.
struct SeatOnSheet {
  Vec2 at{0, 0};
  double height = 0;
  bool down = false;
  Id link = 0;
};
Result<SeatOnSheet> seatOn(const Board& b, Id seat);
/// A pin between a seat that is there and one of the new link that lies on the sheet.
Id pin(Mechanism& m, const SeatOnSheet& there, Id seat, Id link, Id own);
/// How many links meet at a pivot already.
int pinsAt(const Mechanism& m, Id seat);

}  // namespace cooperage::model::layout
