// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

#include "base/geometry.h"
#include "curves/curve.h"
#include "curves/table.h"
#include "elements/cam.h"
#include "model/mechanism.h"
#include "motion/programme.h"
#include "motion/rows.h"

namespace cooperage::model {

/// A face on which a point may lie, in the axes of its body's link; found from the geometry after resolve().
class Surface {
 public:
  virtual ~Surface() = default;
  /// Partial derivatives at (u, v): [i][j] is d^(i+j) / du^i dv^j for i + j <= 3; m.
  using Partials = std::array<std::array<Vec3, 4>, 4>;
  virtual void at(double u, double v, Partials& out) const = 0;
  /// Parameters of the place nearest to a point.
  virtual std::pair<double, double> nearest(const Vec3& x) const = 0;
};

/// A mechanism in figures: all formulas worked out, all names turned into indices, all in SI. What the solvers read.
struct Resolved {
  COOPERAGE_SPECIAL_MEMBERS(Resolved);
  struct SeatR {
    Id id = 0;
    std::string name;
    Pose frame;  ///< X_LS: seat axes to link axes
  };
  /// What weighs: mass, its centre, and the matrix of inertia about it. kg, m, kg m^2.
  struct MassR {
    double value = 0;
    Vec3 centre{0, 0, 0};
    Mat3 inertia;
  };
  struct StretchR {
    Vec3 at, axis;
    double by = 0;
    bool operator==(const StretchR& o) const { return at == o.at && axis == o.axis && by == o.by; }
  };
  struct BodyR {
    COOPERAGE_SPECIAL_MEMBERS(BodyR);
    Id id = 0;
    std::string name;
    BodyKind kind = BodyKind::box;
    std::string file;
    int solid = 0;
    std::vector<double> figures;    ///< as figureNames() orders them, SI; of a link plate then what it is made along
    Pose placement;                 ///< X_LB: body axes to link axes
    std::optional<double> density;  ///< kg/m^3, its own or its material's
    std::vector<Cut> cuts;
    std::vector<StretchR> stretches;
    curves::CurvePtr profile;                      ///< of a cam
    std::shared_ptr<const elements::CamSpec> cam;  ///< of a cam made from a law
  };
  /// A curve of a link. `curve` is null until the geometry is known (edges), or if its kind can't be computed.
  struct CurveR {
    COOPERAGE_SPECIAL_MEMBERS(CurveR);
    Id id = 0;
    std::string name;
    int link = -1;
    Pose seat;  ///< plane of the curve in its link
    curves::CurvePtr curve;
    std::shared_ptr<const elements::CamSpec> cam;  ///< of a cam-law
    Id body = 0;                                   ///< of edges
    std::vector<int> edges;
  };
  /// The plane of a sheet, its depth included.
  /// Links with plates that are pinned about one axis.
  struct PinAxisR {
    struct Member {
      int link = -1;
      Pose frame;  ///< in the link's axes: origin on the axis and in the plane of its plate, z along the plate's normal
    };
    std::vector<Member> members;
  };
  struct SheetR {
    Id id = 0;
    int link = -1;  ///< that carries it; -1: ground
    Pose frame;     ///< in that link's axes, or ground's
  };
  struct LinkR {
    COOPERAGE_SPECIAL_MEMBERS(LinkR);
    Id id = 0;
    std::string name;
    bool ground = false;
    Pose placement;  ///< X_GL, the start guess
    std::vector<SeatR> seats;
    std::vector<BodyR> bodies;
    bool massTyped = false;         ///< `mass` is as it was typed; else it comes from the solids, where they are known
    std::optional<MassR> mass;      ///< that counts; none: massless
    std::optional<MassR> ofSolids;  ///< what its solids weigh, where they are known and have a density
  };
  struct JointR {
    COOPERAGE_SPECIAL_MEMBERS(JointR);
    Id id = 0;
    std::string name;
    JointKind kind = JointKind::revolute;
    int linkA = -1, linkB = -1;
    Pose seatA, seatB;  ///< in their links' axes
    Pose offset;        ///< slide along and turn about the axis
    bool flip = false, held = false, enabled = true;
    std::vector<std::optional<double>> home, low, high;  ///< one a value; rad or m
    double lead = 0;                                     ///< m a turn, of a screw
    curves::CurvePtr curve;                              ///< of point-curve, in the axes of seatA
    Id curveId = 0;
    Id surfaceBody = 0;  ///< of point-surface
    int surfaceFace = 0;
    std::shared_ptr<const Surface> surface;  ///< in the axes of linkA; null until the geometry is known
  };
  struct ValueRef {
    int joint = -1, value = -1;  ///< joint -1: a grounded link's, always zero
  };
  /// A formula of joint values, time or a curve's parameter, ready for exact derivatives.
  struct FormulaR {
    COOPERAGE_SPECIAL_MEMBERS(FormulaR);
    std::shared_ptr<const Expression> expression;
    double scale = 1;  ///< one document unit, of a formula without any unit
    std::unordered_map<Id, double> parameters;
    std::vector<std::pair<Symbol, ValueRef>> values;  ///< joint values that it names
    /// @param variable jets of what is no parameter: joint values, t, u
    Jet at(const std::function<Jet(const Symbol&)>& variable) const;
  };
  struct CouplingR {
    COOPERAGE_SPECIAL_MEMBERS(CouplingR);
    Id id = 0;
    std::string name;
    std::vector<ValueRef> values;
    std::vector<double> coefficients;  ///< sum of coefficient * (value - home value) = 0, of all but table and formula
    bool enabled = true;
    std::shared_ptr<const curves::Table> table;  ///< values[1] = table(values[0])
    std::shared_ptr<const FormulaR> formula;     ///< values[0] = formula
  };
  struct CamPairR {
    COOPERAGE_SPECIAL_MEMBERS(CamPairR);
    Id id = 0;
    std::string name;
    ContactKind kind = ContactKind::roller;
    int camLink = -1, followerLink = -1;
    Pose camSeat, followerSeat;  ///< plane of the cam's curve; follower's seat or plane of its curve
    curves::CurvePtr cam, follower;
    double radius = 0;
    bool inside = false, enabled = true;
    Id camCurve = 0, followerCurve = 0;
  };
  /// Links that push one another, side against side.
  struct ContactR {
    COOPERAGE_SPECIAL_MEMBERS(ContactR);
    Id id = 0;
    std::string name;
    std::vector<int> sideA, sideB;
    bool enabled = true;
  };
  /// A figure, or a formula of joint values and time that gives it along the motion.
  struct LoadR {
    double value = 0;
    std::shared_ptr<const FormulaR> formula;
  };
  struct ForceR {
    COOPERAGE_SPECIAL_MEMBERS(ForceR);
    Id id = 0;
    std::string name;
    ValueRef of;                       ///< joint -1 where it acts on a seat
    LoadR effort;                      ///< N m or N, along the value
    std::pair<int, int> seat{-1, -1};  ///< link, index among its seats
    std::array<LoadR, 3> force, moment;
    int in = -1;    ///< link in whose axes they stand, or -1 for ground
    ValueRef over;  ///< of what a table multiplies it by; joint -1: nothing
    std::shared_ptr<const curves::Table> times;
    bool enabled = true;
  };
  struct SpringR {
    COOPERAGE_SPECIAL_MEMBERS(SpringR);
    Id id = 0;
    std::string name;
    ValueRef of;                                                     ///< joint -1 where it lies between seats
    std::array<std::pair<int, int>, 2> seats{{{-1, -1}, {-1, -1}}};  ///< link, index among its seats
    double stiffness = 0, free = 0, preload = 0, damping = 0;
    std::shared_ptr<const curves::Table> table;  ///< pull by how much longer than free it is
    bool enabled = true;
  };
  struct FrictionR {
    COOPERAGE_SPECIAL_MEMBERS(FrictionR);
    Id id = 0;
    std::string name;
    ValueRef of;
    double coefficient = 0, radius = 0, viscous = 0;
    bool enabled = true;
  };
  using RowR = motion::RowFigures;
  struct DriveR {
    COOPERAGE_SPECIAL_MEMBERS(DriveR);
    Id id = 0;
    std::string name;
    ValueRef value;  ///< joint -1 where a gauge is driven
    std::vector<RowR> rows;
    bool reverse = false, enabled = true;
    int gauge = -1;       ///< index of the driven gauge
    Dimension dimension;  ///< of what is driven
  };
  struct GaugeR {
    COOPERAGE_SPECIAL_MEMBERS(GaugeR);
    Id id = 0;
    std::string name;
    Word<GaugeKind> kind;
    std::vector<ValueRef> values;            ///< of joint gauges
    std::vector<std::pair<int, int>> seats;  ///< link, index among its seats
    std::vector<int> links;                  ///< of link gauges
    int in = -1;                             ///< link, or -1 for ground
    int component = 3;                       ///< as Component counts
    int joint = -1;                          ///< of a transmission angle
    int pair = -1;                           ///< of a cam pair's gauge
    int drive = -1;                          ///< of what a drive gives
    int contact = -1;                        ///< of a contact's force
    int on = -1;                             ///< of a reaction: the link that it acts on
    EnergyPart part = EnergyPart::total;
    std::shared_ptr<const FormulaR> formula;
    std::optional<std::pair<int, int>> about;
    Dimension dimension;
    bool inPlane = false;                  ///< a distance that counts in the plane of a planar mechanism
    std::shared_ptr<const FormulaR> over;  ///< a curve of one's own laid over it
    std::vector<std::pair<double, double>> overPoints;
  };
  struct PathR {
    Id id = 0;
    std::string name;
    std::pair<int, int> seat;  ///< link, index among its seats
    int in = -1;
    double tick = 0;  ///< s; 0: none
    bool bySpeed = false;
  };
  struct RequirementR {
    Id id = 0;
    std::string name;
    int gauge = -1;
    Measure measure = Measure::range;
    std::optional<double> min, max, at;
  };
  struct RunR {
    COOPERAGE_SPECIAL_MEMBERS(RunR);
    Id id = 0;
    std::string name;
    double duration = 0;        ///< s
    bool asProgrammes = false;  ///< it lasts as long as the longest programme of its drives
    int steps = 360;
    int axis = -1;            ///< index of a drive, or -1 for time
    std::vector<int> drives;  ///< those that act
    std::vector<std::pair<int, double>> start;
    int sweepDrive = -1;
    double sweepFrom = 0, sweepTo = 0;
    bool reverseAtLimit = false, pastStops = false, stopAtContact = false, freeStart = false;
    double accuracy = 2e-5, fitDepth = 2e-5, fitAngle = 1e-4, fitLength = 1e-5;
    std::vector<Word<RunCheck>> check;
    bool wants(RunCheck what) const { return std::find(check.begin(), check.end(), what) != check.end(); }
    std::vector<std::pair<int, int>> leaveOut;  ///< links
    std::vector<int> sideA, sideB;              ///< links; both empty: all pairs
    double turns = 0;                           ///< in place of a duration, of the axis drive or the first that acts
    double stepSize = 0, stepRate = 0;          ///< in place of a number of steps; SI, on the axis; 1/s
    std::vector<int> offJoints, offCouplings, offPairs, offContacts;
    int ghostEvery = 0;
    std::vector<double> ghostMarks;
  };

  DocumentUnits units;
  std::vector<std::pair<Id, Quantity>> parameters;
  std::vector<LinkR> links;
  std::vector<CurveR> curveList;
  std::vector<SheetR> sheets;
  std::vector<PinAxisR> pinAxes;  ///< of links with plates
  std::vector<JointR> joints;
  std::vector<CouplingR> couplings;
  std::vector<CamPairR> camPairs;
  std::vector<ContactR> contacts;
  Vec3 gravity{0, 0, 0};  ///< acceleration, ground axes
  std::vector<SpringR> springs;
  std::vector<ForceR> forces;
  std::vector<FrictionR> frictions;
  std::vector<DriveR> drives;
  std::vector<PathR> paths;
  std::vector<GaugeR> gauges;
  std::vector<RequirementR> requirements;
  std::vector<RunR> runs;
  std::vector<Vec3> normals;      ///< of the plane of a planar mechanism, one a link in its axes; else empty
  std::vector<Message> messages;  ///< what is odd but usable
};

/// Works a mechanism out. The error names the first object that can't be used and what is wrong with it: a formula of
/// the wrong dimension, parameters that go in a circle (by name), a zero axis, an unknown law.
Result<Resolved> resolve(const Mechanism& mechanism);
/// How many documents this process has worked out so far, for measurements.
long resolvesDone();

/// A single number field, for read-outs beside the field.
Result<double> evaluateField(const Mechanism& mechanism, const Field& field, const Dimension& wanted);

/// Dimension of a figure of a row of a cam's law, or none if the law has no such.
std::optional<Dimension> camRowDimension(const Curve& cam, const Word<motion::LawKind>& law, const std::string& key);

/// Dimension of what a gauge measures.
Result<Dimension> gaugeDimension(const Mechanism& mechanism, const Gauge& gauge);

/// Figures to plain poses; the placement must be resolvable.
Pose toPose(const Eigen::Vector3d& at, const Eigen::Vector4d& turn);

}  // namespace cooperage::model
