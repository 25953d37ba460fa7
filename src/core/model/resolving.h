// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Within model/ only: a document being worked out.
#include <functional>
#include <set>
#include <unordered_map>

#include "drawing/outline.h"
#include "model/resolve.h"

namespace cooperage::model {

/// What is known so far of a document that is being worked out, and the first error. All below return false after an
/// error, which names the object.
struct Resolving {
  explicit Resolving(const Mechanism& mechanism) : m(mechanism) {}

  Result<double> field(const Field& f, const Dimension& wanted);
  bool fail(const std::string& code, const std::string& object, const std::string& text);
  void warn(const std::string& code, const std::string& object, const std::string& text);
  Result<Quantity> symbol(const Symbol& s);
  Result<Quantity> parameter(const Parameter& p);
  bool parameters();
  /// Reads a field into `value`, or fails naming object and quantity.
  bool read(const Field& f, const Dimension& wanted, const std::string& object, const std::string& quantity,
            double& value);
  bool read(const Triple& t, const Dimension& wanted, const std::string& object, const std::string& quantity,
            Vec3& value);
  bool read(const Placement& p, const std::string& object, Pose& pose);
  /// A formula whose value is only known along the motion: of time, a curve's parameter or joint values. Checked for
  /// its dimension at some trial values.
  /// @param trial quantity of what is no parameter, or nothing if it may not be named here
  bool readFormula(const Field& f, const Dimension& wanted, const std::string& object, const std::string& quantity,
                   const std::function<std::optional<Quantity>(const Symbol&)>& trial,
                   std::shared_ptr<const Resolved::FormulaR>& into);
  /// A frame by its place, its axis and its reference; fails naming the object where they give none.
  bool frame(const Triple& at, const Triple& axis, const Triple& ref, const std::string& object, Pose& into);
  bool direction(const Triple& t, const std::string& object, const std::string& quantity, Vec3& v);

  const Mechanism& m;
  Resolved out;
  Error error;
  std::unordered_map<Id, Quantity> values;  ///< of parameters
  std::vector<const Parameter*> open;       ///< parameters that are being worked out, to find circles
  std::unordered_map<Id, int> linkIndex, jointIndex, driveIndex, gaugeIndex, pairIndex, contactIndex;
  std::unordered_map<Id, std::pair<int, int>> seatIndex;
  std::unordered_map<Id, Pose> curveSeat;
  std::set<Id> used;                                                ///< curves on which something touches or runs
  std::unordered_map<Id, std::pair<int, curves::CurvePtr>> curves;  ///< link and curve; null: not computed
};

/// Curves that are more than drawn: contacts, points and cams run on them.
void findUsedCurves(Resolving& ctx);
/// A curve of a link, into the table of curves.
bool resolveCurve(Resolving& ctx, const Link& link, const Curve& c);
/// One row of a programme that moves a value of a dimension.
bool resolveRow(Resolving& ctx, const ProgrammeRow& row, const Dimension& value, const std::string& object,
                Resolved::RowR& r);
/// Links with their bodies, seats and curves.
bool resolveLinks(Resolving& ctx);
/// A circle or a chain as it is drawn (see outlines.h).
bool outlineOf(Resolving& ctx, const Curve& c, const std::string& object, drawing::Outline& into);
/// One piece of a chain that is no spline through points. @param points its points, worked out
bool drawnPiece(Resolving& ctx, const CurvePiece& p, const std::string& object,
                const std::vector<drawing::Vec2>& points, drawing::Piece& into);
bool piecePoints(Resolving& ctx, const CurvePiece& p, const std::string& object, std::vector<drawing::Vec2>& into);
/// Sheets with their planes.
bool resolveSheets(Resolving& ctx);
/// Joints between seats that are known.
bool resolveJoints(Resolving& ctx);
/// What flat parts along the lines of links are made along; joints must be known.
bool resolveLinkPlates(Resolving& ctx);
/// The joint and the index of the value that a symbol names.
bool resolveValue(Resolving& ctx, const Symbol& s, const std::string& object, Resolved::ValueRef& ref);
/// Dimension of a joint value.
Dimension dimensionOf(Resolving& ctx, const Resolved::ValueRef& ref);
/// Relations between joint values.
bool resolveCouplings(Resolving& ctx);
/// A formula of joint values (and of time), checked for its dimension.
bool valueFormula(Resolving& ctx, const Field& f, const Dimension& wanted, const std::string& object,
                  std::shared_ptr<const Resolved::FormulaR>& into, bool time = false);
/// Contacts of curves.
bool resolveCamPairs(Resolving& ctx);
/// Links that push one another.
bool resolveContacts(Resolving& ctx);
/// Gravity, springs, forces, friction.
bool resolveLoads(Resolving& ctx);
/// What a body's own density or its material says; a material that is not known is a warning.
bool resolveDensity(Resolving& ctx, const Body& b, const std::string& object, std::optional<double>& into);
/// A mass that was typed: error where nothing can weigh like that.
bool resolveMass(Resolving& ctx, const TypedMass& mass, const std::string& object, Resolved::MassR& into);
/// A place on a travel axis.
bool readOnAxis(Resolving& ctx, const Field& f, const Dimension& axis, const std::string& object, const char* what,
                double& into);
/// What is measured.
bool resolveGauges(Resolving& ctx);
/// What gauges must keep to.
bool resolveRequirements(Resolving& ctx);
/// What is driven, with the rows of its programme.
bool resolveDrives(Resolving& ctx);
/// Curves that points draw.
bool resolvePaths(Resolving& ctx);
/// Runs with their settings.
bool resolveRuns(Resolving& ctx);

}  // namespace cooperage::model
