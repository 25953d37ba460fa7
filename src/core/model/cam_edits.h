// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "model/edits.h"

/// Cams, contacts and curves of edges. A maker makes bodies, seats and couplings in one step from a draft that keeps
/// the ids of what it makes, so that it can be made again with other figures. `poses` are X_GL of all links at home.
namespace cooperage::model {

/// A cam on a joint that turns (a linear one on a joint that slides), and its follower on another joint.
struct CamDraft {
  Id cam = 0, follower = 0;  ///< joints
  CamForm form = CamForm::disc;
  ContactKind kind = ContactKind::roller;
  Field base{40}, roller{8}, thickness{12}, arm{60};  ///< document units
  int hand = 1;
  std::vector<ProgrammeRow> rows;
  Id curve = newId(), body = newId(), rollerBody = newId(), camSeat = newId(), followerSeat = newId(), pair = newId();
};
Result<Mechanism> withCam(const Mechanism& m, const CamDraft& draft, const std::vector<Pose>& poses);
/// A cam's row with another figure; what the turn and the lift must add up to stays: the next dwell gives way, else the
/// next row that has room; of the lift the next move. Figures that are formulas are left alone.
Mechanism withCamFigure(const Mechanism& m, Id curve, std::size_t row, const std::string& key, const Field& figure);
/// Rise, dwell, return, dwell in document units: what a new cam begins with.
std::vector<ProgrammeRow> firstCamRows(const Mechanism& m, bool swing, bool linear);

/// A cam pair of a curve that is there (its link must move) with a point, roller or flat where a seat stands.
Result<Mechanism> withContact(const Mechanism& m, Id curve, Id seat, ContactKind kind, const Field& radius, Id pair);
/// Two curves of two links that roll on one another without slip.
Result<Mechanism> withRolling(const Mechanism& m, Id first, Id second, Id pair);
/// A curve of edges of a body, in the plane of a new seat. @param plane X_LS of that seat
Mechanism withEdgeCurve(const Mechanism& m, Id body, const std::vector<int>& edges, const Pose& plane, Id curve,
                        Id seat);

}  // namespace cooperage::model
