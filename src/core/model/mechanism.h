// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/expression.h"
#include "base/geometry.h"
#include "base/special_members.h"
#include "base/units.h"
#include "curves/interpolation.h"
#include "model/joint_kind.h"
#include "model/kinds.h"
#include "motion/law_kind.h"
#include "model/gauge_kinds.h"

namespace cooperage::model {

/// Never reused within a process; 0 means none. Names live in the objects, formulas and references hold ids.
using Id = std::uint64_t;
Id newId();

/// Keys of the file that this version does not know, as JSON texts; written back as they came.
using Extra = std::vector<std::pair<std::string, std::string>>;

/// A number field: a plain number in the document's units, or a formula with units.
struct Field {
  double number = 0;
  std::shared_ptr<const Expression> formula;

  COOPERAGE_SPECIAL_MEMBERS(Field);
  Field(double plain);  // NOLINT(google-explicit-constructor): plain numbers are fields
  explicit Field(Expression e);
};

using Triple = std::array<Field, 3>;

/// Takes link axes to ground (or body axes to the link); turn is a quaternion w, x, y, z.
struct Placement {
  COOPERAGE_SPECIAL_MEMBERS(Placement);
  Triple at;
  std::array<Field, 4> turn{Field(1), Field(0), Field(0), Field(0)};
};

struct Colour {
  double r = 0, g = 0, b = 0;  ///< sRGB, 0 to 1
};

enum class BodyKind {
  file,
  box,
  cylinder,
  sphere,
  bar,
  plate,
  slottedBar,
  disc,
  roller,
  shaft,
  pin,
  gear,
  ringGear,
  rack,
  bevelGear,
  worm,
  pulley,
  sprocket,
  screw,
  nut,
  cam,
  linkPlate  ///< along the lines of its link
};

/// A plane or a cylinder that parts a solid. Inside is behind the plane (against its axis) or within the radius.
/// Figures in m, body axes.
struct CutTool {
  bool cylinder = false;
  Vec3 at{0, 0, 0}, axis{0, 0, 1};
  double radius = 0;
  bool operator==(const CutTool& o) const {
    return cylinder == o.cylinder && at == o.at && axis == o.axis && radius == o.radius;
  }
};
/// One cut of a solid: kept is what lies inside all its tools, or what does not.
struct Cut {
  std::vector<CutTool> tools;
  bool inside = true;
  bool operator==(const Cut& o) const { return inside == o.inside && tools == o.tools; }
};

/// A plane at which a solid is made longer or shorter: what lies beyond it, where the axis points, is moved along.
struct Stretch {
  COOPERAGE_SPECIAL_MEMBERS(Stretch);
  Vec3 at{0, 0, 0}, axis{0, 0, 1};  ///< in the solid as it is without any, m, body axes
  Field by;                         ///< length; negative: shorter
};

/// What a link weighs, typed: it counts before what its bodies give.
struct TypedMass {
  COOPERAGE_SPECIAL_MEMBERS(TypedMass);
  Field value;
  Triple centre;                 ///< centre of mass, link axes
  std::array<Field, 6> inertia;  ///< Ixx, Iyy, Izz, Ixy, Ixz, Iyz: entries of the matrix about the centre, link axes
  Extra extra;
};

/// One solid of a link: from a geometry file, or an element made of a few figures.
struct Body {
  COOPERAGE_SPECIAL_MEMBERS(Body);
  Id id = 0;
  std::string name;
  BodyKind kind = BodyKind::box;
  std::string file;                      ///< relative to the document's folder, of a file body
  int solid = 0;                         ///< index in the file
  std::vector<Cut> cuts;                 ///< what was cut off, in order
  std::vector<Stretch> stretches;        ///< of a file body: where it is then made longer or shorter
  std::map<std::string, Field> figures;  ///< of an element: "size x", "radius", "length" ...
  Id curve = 0;                          ///< of a cam: the curve of its link that it has as its profile
  Placement placement;                   ///< in link axes; of a cam, in the axes of its curve's seat
  std::optional<Colour> colour;
  bool hidden = false;
  std::string material;          ///< name of one of the document's, or of those that the program knows
  std::optional<Field> density;  ///< counts before the material's
  Extra extra;
};

/// A face, edge or corner by what it is: enough to find it again in another version of a file. m, axes of the body.
struct Feature {
  COOPERAGE_SPECIAL_MEMBERS(Feature);
  Word<FeatureKind> kind;
  bool inward = false;  ///< of round faces: a bore, seen from inside
  Vec3 at{0, 0, 0};     ///< middle of the piece: on its axis, its centre, or its middle
  Vec3 axis{0, 0, 1};   ///< axis, outward normal or direction; its sign counts for planes only
  double radius = 0;    ///< of what is round; smaller one of a torus
  double length = 0;    ///< extent along the axis, or length of an edge
  double area = 0;      ///< m^2, of faces
  std::string beside;   ///< kinds of the faces that meet it, sorted: "cylinder plane plane"
};

/// Where a seat was picked, so that it is found again when the geometry changes.
struct SeatSource {
  Id body = 0;
  std::string word;  ///< which place of it: "axis middle", "axis end", "centre"
  Feature feature;
  Pose inFeature;  ///< X_FS: seat axes to the axes of the place when it was picked
};

/// A named place on a link, in link axes: z = axis, x = ref, y = axis x ref.
struct Seat {
  COOPERAGE_SPECIAL_MEMBERS(Seat);
  Id id = 0;
  std::string name;
  Triple at, axis{Field(0), Field(0), Field(1)}, ref{Field(1), Field(0), Field(0)};
  std::optional<SeatSource> source;
  bool broken = false;  ///< the geometry that it came from is gone; it stands where it was
  Extra extra;
};

using Pair = std::array<Field, 2>;

/// A piece of a chain curve.
struct CurvePiece {
  COOPERAGE_SPECIAL_MEMBERS(CurvePiece);
  PieceKind kind = PieceKind::line;
  std::vector<Pair> points;  ///< ends; all points of a spline; u and v of an ellipse; control points of a nurbs
  Pair centre;
  bool ccw = true;
  Field from, to;                      ///< of an ellipse: centre + u cos t + v sin t between these angles
  int degree = 3;                      ///< of a nurbs
  std::vector<double> knots, weights;  ///< of a nurbs; no weights: all one
};

/// One row of a programme or of a cam's law. The figures are those that the law needs, by their names in the file; a
/// cam's rows have "over" and "lift" in place of "time" and "by".
struct ProgrammeRow {
  COOPERAGE_SPECIAL_MEMBERS(ProgrammeRow);
  Word<motion::LawKind> law;
  std::map<std::string, Field> figures;
  std::vector<Field> list;                    ///< coefficients of "polynomial"
  std::vector<Pair> points;                   ///< time and value, of "spline" and "table"
  Word<curves::Interpolation> interpolation;  ///< of "table"
  std::string file;  ///< of a "table": where its points were read from, relative to the document's folder
  Extra extra;
};

/// A curve in the plane of a seat of its link, or on a sheet.
struct Curve {
  COOPERAGE_SPECIAL_MEMBERS(Curve);
  Id id = 0;
  std::string name;
  Id seat = 0;
  Word<CurveKind> kind;  ///< those of a later version are kept, not computed
  /// "centre x", "centre y", "radius"; "u from", "u to", "x", "y", "z"; of a cam-law "base", "roller", "offset",
  /// "pivot x", "pivot y", "arm"; of a text "x", "y", "height"
  std::map<std::string, Field> figures;
  std::vector<CurvePiece> pieces;
  bool closed = false;
  Id body = 0;                     ///< of edges: a body of the same link
  std::vector<int> edges;          ///< indices among the edges of its solid
  std::vector<ProgrammeRow> rows;  ///< of a cam-law
  CamForm form = CamForm::disc;
  ContactKind follower = ContactKind::roller;
  bool swing = false;
  int hand = 1;
  bool outline = false;       ///< of a link: drawn only; it may have corners until something runs on it
  Id sheet = 0;               ///< of a link's outline: the sheet on which it was drawn, if that is there still
  std::string text;           ///< of a text: what it says
  std::string layer;          ///< of the drawing that it was read from
  bool construction = false;  ///< on a sheet: drawn, but not to belong to a link
  bool gone = false;          ///< the drawing, read again, doesn't hold it any more
  Extra extra;
};

/// A plane of ground or of a link that holds curves which belong to no link yet, drawn or read from a drawing.
struct Sheet {
  COOPERAGE_SPECIAL_MEMBERS(Sheet);
  Id id = 0;
  std::string name;
  std::optional<Id> on;  ///< the link that carries it; ground if none
  Triple at, axis{Field(0), Field(0), Field(1)}, ref{Field(1), Field(0), Field(0)};  ///< x = ref, y = axis x ref
  Field depth;                                                                       ///< how far it lies along its axis
  bool hidden = false;
  std::string file;            ///< the drawing that it was read from, relative to the document's folder
  std::string unit;            ///< that the drawing was read in, where it names none itself
  std::optional<Field> merge;  ///< ends of the drawing nearer than that were merged
  bool annotated = false;      ///< the drawing's text, dimensions and hatching came with it, as construction
  std::vector<std::shared_ptr<const Curve>> curves;
  Extra extra;
};

/// What a dimension is of: a seat, or a piece of a chain or a circle of the same link.
struct DimensionEnd {
  Id object = 0;
  int piece = 0;  ///< of a chain, from 0
};
/// A figure that holds points and curves of a link, in the plane x, y of its axes.
struct DrawnDimension {
  COOPERAGE_SPECIAL_MEMBERS(DrawnDimension);
  Id id = 0;
  Word<DimensionKind> kind;
  std::vector<DimensionEnd> of;
  Field value;
  std::optional<Field> step;  ///< by which it is rounded and stepped
  Extra extra;
};

struct Link {
  COOPERAGE_SPECIAL_MEMBERS(Link);
  Id id = 0;
  std::string name;
  bool ground = false;
  bool hidden = false;
  Placement placement;
  std::vector<std::shared_ptr<const Body>> bodies;
  std::vector<std::shared_ptr<const Body>> aside;  ///< what it was made of before an exchange: kept, nowhere to be seen
  std::vector<std::shared_ptr<const Seat>> seats;
  std::vector<std::shared_ptr<const Curve>> curves;
  std::vector<std::shared_ptr<const DrawnDimension>> dimensions;
  std::optional<Colour> colour;
  std::optional<TypedMass> mass;
  Extra extra;
};

struct Stops {
  std::optional<Field> low, high;
};

struct Joint {
  COOPERAGE_SPECIAL_MEMBERS(Joint);
  Id id = 0;
  std::string name;
  JointKind kind = JointKind::revolute;
  std::array<Id, 2> seats{};  ///< first, second
  std::map<std::string, Field> home;
  std::map<std::string, Stops> stops;
  bool held = false, enabled = true, flip = false;
  Field slideOffset, turnOffset;
  Field lead;           ///< of a screw
  Id curve = 0;         ///< of point-curve, a curve of the first link
  Id surfaceBody = 0;   ///< of point-surface, a body of the first link
  int surfaceFace = 0;  ///< index of its face
  Extra extra;
};

enum class CouplingKind { linear, gear, ratio, rack, belt, screw, table, formula };

/// A relation between joint values, as in the file format.
struct Coupling {
  COOPERAGE_SPECIAL_MEMBERS(Coupling);
  Id id = 0;
  std::string name;
  CouplingKind kind = CouplingKind::linear;
  std::vector<Symbol> values;  ///< joint values, in order
  std::vector<Field> figures;  ///< coefficients, teeth, radii, ratio or lead
  bool flip = false;           ///< flip, or crossed of a belt
  bool internal = false;
  Word<GearType> type;          ///< of a gear; none counts as spur
  std::vector<int> sides;       ///< of a belt over more than two: +1 or -1 a wheel, the side on which the belt lies
  std::vector<Id> bodies;       ///< the elements that mesh, where they were made together with the coupling
  bool teeth = false;           ///< a belt given by teeth (a chain)
  Id carrier = 0;               ///< of a gear: the link that carries one or both axes, 0 if they stand still
  std::optional<Field> module;  ///< of a gear, to check the centre distance
  std::vector<Pair> points;     ///< of a table: first value, second value
  Word<curves::Interpolation> interpolation = curves::Interpolation::spline;  ///< of a table
  Field formula;  ///< of a formula coupling, of other joint values
  bool enabled = true;
  Extra extra;
};

/// A curve of one link that touches a point, roller, flat or curve of another.
struct CamPair {
  COOPERAGE_SPECIAL_MEMBERS(CamPair);
  Id id = 0;
  std::string name;
  ContactKind kind = ContactKind::roller;
  Id cam = 0;       ///< curve
  Id follower = 0;  ///< seat; a curve if rolling
  Field radius;     ///< of the roller
  bool inside = false, enabled = true;
  Extra extra;
};

/// Links that push one another where they meet: each of the first side against each of the second.
struct Contact {
  COOPERAGE_SPECIAL_MEMBERS(Contact);
  Id id = 0;
  std::string name;
  std::vector<Id> sideA, sideB;  ///< links
  bool enabled = true;
  Extra extra;
};

/// A force: an effort along a joint value, or a force and a moment on a seat.
struct Force {
  COOPERAGE_SPECIAL_MEMBERS(Force);
  Id id = 0;
  std::string name;
  std::optional<Symbol> of;  ///< JOINT.VALUE, of an effort
  Field effort;              ///< along the positive value, on the second link: N m of a turn, N of a slide
  Id on = 0;                 ///< seat, of the others
  Triple force, moment;      ///< at its origin
  std::optional<Id> in;      ///< link in whose axes they stand; ground if none
  // by what it is multiplied: a table of plain numbers over a joint value, such as the curve of a press
  std::optional<Symbol> over;
  std::vector<Pair> overPoints;
  Word<curves::Interpolation> overInterpolation;
  bool enabled = true;
  Extra extra;
};

/// A spring with a damper between two seats, or along a joint value. It pulls where it is longer than free.
struct Spring {
  COOPERAGE_SPECIAL_MEMBERS(Spring);
  Id id = 0;
  std::string name;
  std::array<Id, 2> seats{};  ///< between which it lies
  std::optional<Symbol> of;   ///< or the joint value along which it acts
  std::optional<Field> stiffness;
  Field free;  ///< length, or value, where it pulls by its preload alone
  std::optional<Field> preload, damping;
  std::vector<Pair> points;  ///< in place of a stiffness: longer than free by, and its pull there
  Word<curves::Interpolation> interpolation;
  bool enabled = true;
  Extra extra;
};

/// What a joint value's motion is braked by.
struct Friction {
  COOPERAGE_SPECIAL_MEMBERS(Friction);
  Id id = 0;
  std::string name;
  Symbol of;                         ///< JOINT.VALUE
  std::optional<Field> coefficient;  ///< Coulomb's, of the force that the joint bears across the motion
  std::optional<Field> radius;       ///< of a turn: where it rubs
  std::optional<Field> viscous;      ///< N s/m, N m s/rad
  bool enabled = true;
  Extra extra;
};

struct Material {
  COOPERAGE_SPECIAL_MEMBERS(Material);
  Id id = 0;
  std::string name;
  Field density;
  Extra extra;
};

/// A programme with a name of its own, for several drives.
struct NamedProgramme {
  COOPERAGE_SPECIAL_MEMBERS(NamedProgramme);
  Id id = 0;
  std::string name;
  std::vector<ProgrammeRow> rows;
  Extra extra;
};

struct Drive {
  COOPERAGE_SPECIAL_MEMBERS(Drive);
  Id id = 0;
  std::string name;
  Symbol value;                         ///< JOINT.VALUE, where no gauge is driven
  Id gauge = 0;                         ///< an angle or a distance that is driven in its place
  std::vector<ProgrammeRow> programme;  ///< its own rows, where it shares none
  Id shared = 0;                        ///< a named programme
  bool reverse = false, enabled = true;
  Extra extra;
};

/// A measured quantity. `of` names what it measures; their meaning depends on the kind.
struct Gauge {
  COOPERAGE_SPECIAL_MEMBERS(Gauge);
  Id id = 0;
  std::string name;
  Word<GaugeKind> kind;
  std::vector<Symbol> of;  ///< joint values, seats or links
  std::optional<Id> in;    ///< link whose axes and motion count; ground if none
  Word<Component> component;
  std::optional<Id> on;   ///< of a reaction: the link that it acts on, the joint's second one if none
  Word<EnergyPart> part;  ///< of an energy
  std::optional<Symbol> about;
  Field formula;  ///< of a formula of joint values and t
  // a curve of one's own laid over it: a formula of joint values and t, or a table over the travel axis
  std::optional<Field> overFormula;
  std::vector<Pair> overPoints;
  std::string overFile;
  Id lane = 0;                       ///< a gauge in whose lane it is drawn
  std::optional<Field> dwellWithin;  ///< what counts as a dwell stays so near to its level; without it: rests
  bool flagged = false;              ///< its value stands in the scene
  Extra extra;
};

struct Requirement {
  COOPERAGE_SPECIAL_MEMBERS(Requirement);
  Id id = 0;
  std::string name;
  Id gauge = 0;
  Word<Measure> measure = Measure::range;
  std::optional<Field> min, max, at;
  Extra extra;
};

struct Sweep {
  Id drive = 0;
  Field from, to, speed;
};

struct Run {
  COOPERAGE_SPECIAL_MEMBERS(Run);
  Id id = 0;
  std::string name;
  std::optional<Field> duration;
  std::optional<Field> turns;  ///< in place of a duration: whole turns of the axis drive, or of the first that acts
  std::optional<Sweep> sweep;
  int steps = 360;
  std::optional<Field> stepSize;          ///< on the travel axis, in place of a number of steps
  std::optional<Field> stepRate;          ///< steps a second, in place of a number
  Id axis = 0;                            ///< a drive, or 0 for time
  std::optional<std::vector<Id>> drives;  ///< which act; all enabled ones if absent
  std::vector<Id> off;                    ///< joints, couplings, cam pairs and contacts that don't act in it
  std::vector<std::pair<Id, Field>> start;
  int ghostEvery = 0;             ///< a ghost each so many steps; 0: none
  std::vector<Field> ghostMarks;  ///< and at these places of the travel axis
  AtLimit atLimit = AtLimit::stop;
  bool pastStops = false, stopAtContact = false;
  bool freeStart = false;  ///< begins at the nearest pose in which no links of contacts overlap
  std::optional<Field> accuracy, fitDepth, fitAngle, fitLength;
  std::vector<Word<RunCheck>> check{RunCheck::interference, RunCheck::requirements, RunCheck::stops};
  std::vector<std::pair<Id, Id>> leaveOut;  ///< pairs of links
  /// Two sides: each link of the first is checked against each of the second, and no other pair; both empty: all pairs.
  std::vector<Id> sideA, sideB;
  Extra extra;
};

/// The curve that a point draws in the axes of a link.
struct Path {
  COOPERAGE_SPECIAL_MEMBERS(Path);
  Id id = 0;
  std::string name;
  Id of = 0;                  ///< seat
  std::optional<Id> in;       ///< link; ground if none
  std::optional<Field> tick;  ///< time between two ticks
  bool bySpeed = false;       ///< coloured by the point's speed
  Extra extra;
};

struct Parameter {
  COOPERAGE_SPECIAL_MEMBERS(Parameter);
  Id id = 0;
  std::string name;
  Field value;
  Extra extra;
};

/// What came from another document, with what it is called there. Its objects are the document's own.
struct Group {
  COOPERAGE_SPECIAL_MEMBERS(Group);
  struct Member {
    Id id = 0;          ///< of a link, joint, coupling, cam pair or parameter
    std::string of;     ///< its name there
    std::string value;  ///< of a parameter: its value there when it was read last
  };
  Id id = 0;
  std::string name;
  std::string file;  ///< relative to the document's folder: it is refreshed from there; empty: a copy of its own
  std::vector<Member> members;
  Extra extra;
};

/// The document: an immutable tree of shared parts. A change makes a new tree that shares all parts it did not touch,
/// so that a snapshot is a pointer and a result knows by pointers whether what it read has changed.
struct Mechanism {
  COOPERAGE_SPECIAL_MEMBERS(Mechanism);
  std::string title;
  DocumentUnits units;
  std::vector<std::shared_ptr<const Parameter>> parameters;
  std::vector<std::shared_ptr<const Link>> links;
  std::vector<std::shared_ptr<const Joint>> joints;
  std::vector<std::shared_ptr<const Coupling>> couplings;
  std::vector<std::shared_ptr<const CamPair>> camPairs;
  std::vector<std::shared_ptr<const Contact>> contacts;
  std::optional<Triple> gravity;  ///< acceleration, ground axes
  std::vector<std::shared_ptr<const Material>> materials;
  std::vector<std::shared_ptr<const Spring>> springs;
  std::vector<std::shared_ptr<const Force>> forces;
  std::vector<std::shared_ptr<const Friction>> frictions;
  std::vector<std::shared_ptr<const NamedProgramme>> programmes;
  std::vector<std::shared_ptr<const Drive>> drives;
  std::vector<std::shared_ptr<const Gauge>> gauges;
  std::vector<std::shared_ptr<const Requirement>> requirements;
  std::vector<std::shared_ptr<const Path>> paths;
  std::vector<std::shared_ptr<const Sheet>> sheets;
  std::vector<std::shared_ptr<const Run>> runs;
  std::vector<std::shared_ptr<const Group>> groups;
  Extra extra;
};
using MechanismPtr = std::shared_ptr<const Mechanism>;

/// The rows that a drive follows: its own, or those of the named programme that it shares.
const std::vector<ProgrammeRow>& rowsOf(const Mechanism& m, const Drive& drive);

/// Where a seat or a body stands: its link and itself.
struct SeatPlace {
  std::shared_ptr<const Link> link;
  std::shared_ptr<const Seat> seat;
};
struct BodyPlace {
  std::shared_ptr<const Link> link;
  std::shared_ptr<const Body> body;
};

std::shared_ptr<const Link> findLink(const Mechanism& m, Id id);
std::shared_ptr<const Joint> findJoint(const Mechanism& m, Id id);
std::optional<SeatPlace> findSeat(const Mechanism& m, Id id);
/// Where a curve lies.
struct CurvePlace {
  std::shared_ptr<const Link> link;
  std::shared_ptr<const Curve> curve;
};
std::optional<CurvePlace> findCurve(const Mechanism& m, Id id);
/// Where a curve lies that belongs to no link.
struct SheetCurvePlace {
  std::shared_ptr<const Sheet> sheet;
  std::shared_ptr<const Curve> curve;
};
std::optional<SheetCurvePlace> findSheetCurve(const Mechanism& m, Id id);
std::optional<BodyPlace> findBody(const Mechanism& m, Id id);

template <class T>
std::shared_ptr<const T> findById(const std::vector<std::shared_ptr<const T>>& list, Id id) {
  for (const auto& item : list)
    if (item->id == id) return item;
  return nullptr;
}
template <class T>
std::shared_ptr<const T> findByName(const std::vector<std::shared_ptr<const T>>& list, const std::string& name) {
  for (const auto& item : list)
    if (item->name == name) return item;
  return nullptr;
}

/// Present name of what a formula, drive or gauge refers to: "crank", "main bearing.turn", "frame/datum".
/// @param quotes put names that are no identifiers in quotes, as formulas want them
std::string nameOf(const Mechanism& m, const Symbol& symbol, bool quotes);

/// A joint value by its text "JOINT.VALUE" (split at the last dot).
std::optional<Symbol> findJointValue(const Mechanism& m, const std::string& text);
/// Looks a formula's name up: a parameter, else a joint value.
std::optional<Symbol> resolveName(const Mechanism& m, std::string_view name);

/// Reads a number field as a user types it: a plain number stays one, all else is a formula.
Result<Field> parseField(const Mechanism& m, std::string_view text);
/// The text of a field as a user sees it.
std::string fieldText(const Mechanism& m, const Field& field);

const char* elementName(BodyKind kind);
/// The elements, by their names in the file.
std::optional<BodyKind> elementNamed(std::string_view name);
/// A figure of an element and which values it may have.
struct ElementFigure {
  const char* name;
  bool mayBeZero = false;  ///< it may be left out then
  Dimension dimension = dimension::kLength;
  bool mayBeNegative = false;
  double otherwise = 0;  ///< SI figure where it is left out, if it may be
};
/// The figures that an element needs, in order, with what they are called in its card. Of a plate without its pivots.
const std::vector<ElementFigure>& elementFigures(BodyKind kind);
/// Names of all figures of a body, in order; "pivot 1 x", "pivot 1 y", ... first if it is a plate.
std::vector<std::string> figureNames(const Body& body);
/// How many pivots a plate has.
int pivotCount(const Body& plate);

}  // namespace cooperage::model
