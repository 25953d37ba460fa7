// SPDX-License-Identifier: GPL-3.0-or-later
// DXF by dxflib, which reads the groups; what they mean as curves stands here. The text is looked through before, since
// dxflib takes counts at their word and lines at a length of its own.
#include <dxflib/dl_creationadapter.h>
#include <dxflib/dl_dxf.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <set>
#include <sstream>

#include "base/geometry.h"
#include "curves/table.h"
#include "drawing/drawing.h"

namespace cooperage::drawing {
namespace {

constexpr std::size_t kMostCurves = 2000000;  // what inserts in rows may grow to
constexpr std::size_t kLongestLine = 1000;

/// Left within this file only: dxflib calls back, and has no way to be stopped.
struct Stopped {
  Error error;
};

struct Insert {
  std::string block, layer;
  Affine map;  ///< from the block's axes, for the first of its rows
  Vec2 column{0, 0}, row{0, 0};
  int columns = 1, rows = 1;
};
/// A block, or the drawing itself.
struct Content {
  Vec2 base{0, 0};
  std::vector<DrawnCurve> curves;
  std::vector<Insert> inserts;
  std::map<std::string, int> leftOut;
  std::vector<DrawnCurve> annotations;
  std::vector<Note> notes;
};

/// The plane of an entity seen from above: its x and y as it is extruded along n (the arbitrary axis rule of DXF).
Affine planeOf(const Vec3& given, double elevation) {
  if (!(given.norm() > 1e-12)) return {};
  const Vec3 n = given.normalized();
  const bool steep = std::abs(n.x()) < 1.0 / 64 && std::abs(n.y()) < 1.0 / 64;
  const Vec3 x = (steep ? Vec3(Vec3::UnitY().cross(n)) : Vec3(Vec3::UnitZ().cross(n))).normalized(), y = n.cross(x);
  Affine map;
  map.M << x.x(), y.x(), x.y(), y.y();
  map.p = elevation * n.head<2>();
  return map;
}

class Reader : public DL_CreationAdapter {
 public:
  Reader(std::string name, Progress* progress) : name_(std::move(name)), progress_(progress) {}

  using DL_CreationAdapter::setVariableInt;
  void setVariableInt(const std::string& key, int value, int) override {
    if (key == "$INSUNITS") unit_ = value;
  }
  using DL_CreationAdapter::processCodeValuePair;

  void addBlock(const DL_BlockData& b) override {
    finish();
    block_ = b.name;
    if (blocks_.count(block_) > 0) remark(fmt::format("the block '{}' is there twice; the later one counts", block_));
    blocks_[block_] = {};
    blocks_[block_].base = {b.bpx, b.bpy};
  }
  void endBlock() override {
    finish();
    block_.clear();
  }
  // endEntity and endSection come too early and too often: before the corners of a polyline of the old kind
  void endSequence() override { finish(); }

  void addLine(const DL_LineData& l) override {
    begin();
    flat(l.z1, l.z2);
    put(Piece::line({l.x1, l.y1}, {l.x2, l.y2}));
  }
  void addCircle(const DL_CircleData& c) override {
    begin();
    put(mapped(ocs(c.cz), Piece::arc({c.cx, c.cy}, c.radius, 0, 2 * kPi)), true);
  }
  void addArc(const DL_ArcData& a) override {
    begin();
    const double from = a.angle1 * kDegree;
    double sweep = std::fmod((a.angle2 - a.angle1) * kDegree, 2 * kPi);
    if (sweep <= 0) sweep += 2 * kPi;
    put(mapped(ocs(a.cz), Piece::arc({a.cx, a.cy}, a.radius, from, sweep)));
  }
  void addEllipse(const DL_EllipseData& e) override {
    begin();
    const Vec3 major(e.mx, e.my, e.mz), minor = e.ratio * normal().cross(major);
    double sweep = e.angle2 - e.angle1;
    while (sweep <= 1e-12) sweep += 2 * kPi;
    if (sweep > 2 * kPi) sweep = 2 * kPi;
    const bool whole = std::abs(sweep - 2 * kPi) < 1e-9;
    put(Piece::conic({e.cx, e.cy}, major.head<2>(), minor.head<2>(), e.angle1, e.angle1 + (whole ? 2 * kPi : sweep)),
        whole);
  }
  void addPolyline(const DL_PolylineData& p) override {
    begin();
    polyline_ = Polyline{{}, (p.flags & 1) != 0, ocs(p.elevation), getAttributes().getLayer()};
    if ((p.flags & (16 | 64)) != 0) polyline_->mesh = true;
    polyline_->space = (p.flags & 8) != 0;
  }
  void addVertex(const DL_VertexData& v) override {
    if (polyline_) polyline_->vertices.push_back({{v.x, v.y}, v.bulge});
  }
  void addSpline(const DL_SplineData& s) override {
    begin();
    spline_ = Spline{{}, {}, (s.flags & 1) != 0, getAttributes().getLayer()};
    spline_->nurbs.degree = static_cast<int>(s.degree);
  }
  void addControlPoint(const DL_ControlPointData& p) override {
    if (!spline_) return;
    spline_->nurbs.points.emplace_back(p.x, p.y);
    spline_->nurbs.weights.push_back(p.w);
  }
  void addFitPoint(const DL_FitPointData& p) override {
    if (spline_) spline_->fit.emplace_back(p.x, p.y);
  }
  void addKnot(const DL_KnotData& k) override {
    if (spline_) spline_->nurbs.knots.push_back(k.k);
  }
  void addInsert(const DL_InsertData& i) override {
    begin();
    Insert x;
    x.block = i.name;
    x.layer = getAttributes().getLayer();
    const double a = i.angle * kDegree, c = std::cos(a), s = std::sin(a);
    const Affine plane = ocs(i.ipz);
    Affine own;
    own.M << c * i.sx, -s * i.sy, s * i.sx, c * i.sy;
    own.p = {i.ipx, i.ipy};
    x.map = plane * own;
    x.columns = std::max(1, i.cols);
    x.rows = std::max(1, i.rows);
    x.column = plane.M * Vec2(c * i.colSp, s * i.colSp);
    x.row = plane.M * Vec2(-s * i.rowSp, c * i.rowSp);
    here().inserts.push_back(std::move(x));
  }

  void addPoint(const DL_PointData&) override { leave("point"); }
  void addXLine(const DL_XLineData&) override { leave("construction line"); }
  void addRay(const DL_RayData&) override { leave("construction line"); }
  void addText(const DL_TextData& t) override {
    leave("text");
    note(t.text, t.ipx, t.ipy, t.height);
  }
  void addMTextChunk(const std::string& text) override { chunks_ += text; }
  void addMText(const DL_MTextData& t) override {
    leave("text");
    note(plainText(std::exchange(chunks_, {}) + t.text), t.ipx, t.ipy, t.height);
  }
  void addArcAlignedText(const DL_ArcAlignedTextData&) override { leave("text"); }
  void addAttribute(const DL_AttributeData&) override { leave("text"); }
  void addDimAlign(const DL_DimensionData& d, const DL_DimAlignedData& a) override {
    const Vec2 from(a.epx1, a.epy1), to(a.epx2, a.epy2);
    lengthLines(d, from, to, to - from);
  }
  void addDimLinear(const DL_DimensionData& d, const DL_DimLinearData& a) override {
    const double angle = a.angle * kDegree;
    lengthLines(d, {a.dpx1, a.dpy1}, {a.dpx2, a.dpy2}, {std::cos(angle), std::sin(angle)});
  }
  void addDimRadial(const DL_DimensionData& d, const DL_DimRadialData& a) override {
    arrowLine(d, {a.dpx, a.dpy}, "R");
  }
  void addDimDiametric(const DL_DimensionData& d, const DL_DimDiametricData& a) override {
    arrowLine(d, {a.dpx, a.dpy}, "\u00d8");
  }
  void addDimAngular(const DL_DimensionData&, const DL_DimAngular2LData&) override { leave("dimension"); }
  void addDimAngular3P(const DL_DimensionData&, const DL_DimAngular3PData&) override { leave("dimension"); }
  void addDimOrdinate(const DL_DimensionData&, const DL_DimOrdinateData&) override { leave("dimension"); }
  void addLeader(const DL_LeaderData&) override {
    leave("dimension");
    leader_.clear();
  }
  void addLeaderVertex(const DL_LeaderVertexData& v) override {
    const Vec2 at(v.x, v.y);
    if (!leader_.empty()) annotate({{Piece::line(leader_.back(), at)}, false});
    leader_.push_back(at);
  }
  void addHatch(const DL_HatchData&) override { leave("hatching"); }
  void addHatchEdge(const DL_HatchEdgeData& e) override {
    if (auto piece = hatchEdge(e)) annotate({{*piece}, false});
  }
  void addSolid(const DL_SolidData&) override { leave("filled area"); }
  void addTrace(const DL_TraceData&) override { leave("filled area"); }
  void add3dFace(const DL_3dFaceData&) override { leave("face in space"); }
  void addImage(const DL_ImageData&) override { leave("picture"); }

  Drawing drawing() {
    finish();
    Drawing d;
    d.unit = unitLength();
    expand(main_, {}, "", d);
    std::set<std::string> known;
    for (const auto& c : d.curves)
      if (known.insert(c.layer).second) d.layers.push_back(c.layer);
    if (offPlane_ > 0)
      remark(fmt::format("{} curve{} not in the plane x, y; seen from above", offPlane_,
                         offPlane_ == 1 ? " lies" : "s lie"));
    d.remarks = std::move(remarks_);
    return d;
  }

 private:
  struct Vertex {
    Vec2 at;
    double bulge = 0;
  };
  struct Polyline {
    std::vector<Vertex> vertices;
    bool closed = false;
    Affine plane;
    std::string layer;
    bool mesh = false, space = false;
  };
  struct Spline {
    Nurbs nurbs;
    std::vector<Vec2> fit;
    bool closed = false;
    std::string layer;
  };

  Content& here() { return block_.empty() ? main_ : blocks_[block_]; }
  void note(const std::string& text, double x, double y, double height) {
    if (!text.empty() && std::isfinite(x + y + height) && height > 0)
      here().notes.push_back({text, getAttributes().getLayer(), {x, y}, height});
  }
  void annotate(Outline outline) {
    if (std::all_of(outline.pieces.begin(), outline.pieces.end(), finite))
      here().annotations.push_back({std::move(outline), getAttributes().getLayer()});
  }
  /// What a dimension says: what was written in it, else what it measures.
  void measureNote(const DL_DimensionData& d, double measured, const char* before) {
    constexpr double kHeight = 2.5;  // of the text of a drawing that names none, in its own unit
    std::string text = plainText(d.text);
    if (text.empty() || text == "<>") text = before + fmt::format("{:.6g}", measured * d.linearFactor);
    note(text, d.mpx, d.mpy, kHeight * (d.dimScale > 0 ? d.dimScale : 1));
  }
  /// The line with the figure, along a direction through the given point, and those that lead to it.
  void lengthLines(const DL_DimensionData& d, const Vec2& from, const Vec2& to, const Vec2& along) {
    leave("dimension");
    if (!(along.norm() > 0)) return;
    const Vec2 way = along.normalized(), through(d.dpx, d.dpy);
    const auto foot = [&](const Vec2& x) { return Vec2(through + way * way.dot(x - through)); };
    const Vec2 a = foot(from), b = foot(to);
    for (const auto& [p, q] : {std::pair{from, a}, {to, b}, {a, b}})
      if ((q - p).norm() > 0) annotate({{Piece::line(p, q)}, false});
    measureNote(d, (b - a).norm(), "");
  }
  void arrowLine(const DL_DimensionData& d, const Vec2& to, const char* before) {
    leave("dimension");
    const Vec2 from(d.dpx, d.dpy);
    if ((to - from).norm() > 0) annotate({{Piece::line(from, to)}, false});
    measureNote(d, (to - from).norm(), before);
  }
  static std::optional<Piece> hatchEdge(const DL_HatchEdgeData& e) {
    if (e.type == 1) return Piece::line({e.x1, e.y1}, {e.x2, e.y2});
    const double sign = e.ccw ? 1 : -1;
    if (e.type == 2) return Piece::arc({e.cx, e.cy}, e.radius, sign * e.angle1, sign * (e.angle2 - e.angle1));
    if (e.type == 3) {
      const Vec2 major(e.mx, e.my), minor = e.ratio * Vec2(-e.my, e.mx);
      return Piece::conic({e.cx, e.cy}, major, minor, sign * e.angle1, sign * e.angle2);
    }
    return std::nullopt;  // splines: dxflib gives their points without a knot vector that can be relied on
  }
  /// Text of several lines without its signs for fonts, colours and line ends.
  static std::string plainText(const std::string& text) {
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
      const char c = text[i];
      if (c == '{' || c == '}') continue;
      if (c != '\\' || i + 1 >= text.size()) {
        out += c;
        continue;
      }
      const char sign = text[++i];
      if (sign == 'P' || sign == '~')
        out += ' ';
      else if (sign == '\\' || sign == '{' || sign == '}')
        out += sign;
      else if (std::string_view("ACfFHQTWpS").find(sign) != std::string_view::npos) {
        const std::size_t end = text.find(';', i);
        if (end == std::string::npos) break;
        i = end;
      }
    }
    return out;
  }
  Vec3 normal() {
    const double* d = getExtrusion()->getDirection();
    const Vec3 n(d[0], d[1], d[2]);
    return n.norm() > 1e-12 ? Vec3(n.normalized()) : Vec3(0, 0, 1);
  }
  Affine ocs(double elevation) {
    const Vec3 n = normal();
    if (n.head<2>().norm() > 1e-12) ++offPlane_;
    return planeOf(n, elevation);
  }
  void flat(double z1, double z2) {
    if (std::abs(z1 - z2) > 1e-9 * (1 + std::abs(z1))) ++offPlane_;
  }
  void leave(const char* kind) {
    begin();
    ++here().leftOut[kind];
  }
  void remark(std::string text) {
    constexpr std::size_t kMost = 50;
    if (remarks_.size() < kMost) remarks_.push_back(std::move(text));
  }
  void begin() {
    finish();
    if (++seen_ % 256 == 0 && progress_ && progress_->cancelled())
      throw Stopped{{"cancelled", name_, "cancelled", true}};
  }
  /// Checks that all figures of a piece can be drawn.
  static bool finite(const Piece& p) {
    if (p.kind == Piece::Kind::line) return p.a.allFinite() && p.b.allFinite();
    if (p.kind == Piece::Kind::spline) return true;  // checked by check()
    return p.centre.allFinite() && p.u.allFinite() && p.v.allFinite() && std::isfinite(p.from) && std::isfinite(p.to);
  }
  void put(const Piece& piece, bool closed = false) { put({{piece}, closed}, getAttributes().getLayer()); }
  void put(Outline outline, const std::string& layer) {
    if (!std::all_of(outline.pieces.begin(), outline.pieces.end(), finite)) {
      remark("a curve whose figures are no numbers was left out");
      return;
    }
    here().curves.push_back({std::move(outline), layer});
  }
  /// What came in parts is whole: a polyline, a spline.
  void finish() {
    if (polyline_) {
      const Polyline p = std::move(*polyline_);
      polyline_.reset();
      if (p.mesh)
        ++here().leftOut["mesh"];
      else
        putPolyline(p);
    }
    if (spline_) {
      Spline s = std::move(*spline_);
      spline_.reset();
      putSpline(s);
    }
  }
  void putPolyline(const Polyline& p) {
    Outline o;
    const std::size_t n = p.vertices.size();
    for (std::size_t i = 0; i + (p.closed ? 0 : 1) < n; ++i) {
      const Vertex &a = p.vertices[i], &b = p.vertices[(i + 1) % n];
      if ((b.at - a.at).norm() == 0) continue;  // a corner that is written twice
      Piece piece = Piece::line(a.at, b.at);
      if (a.bulge != 0) {  // the tangent of a quarter of the arc's angle
        const double sweep = 4 * std::atan(a.bulge);
        const Vec2 chord = b.at - a.at, left(-chord.y(), chord.x());
        const Vec2 centre = 0.5 * (a.at + b.at) + left * (1 - a.bulge * a.bulge) / (4 * a.bulge);
        const Vec2 arm = a.at - centre;
        piece = Piece::conic(centre, arm, Vec2(-arm.y(), arm.x()), 0, sweep);
      }
      o.pieces.push_back(mapped(p.space ? Affine() : p.plane, piece));
    }
    if (o.pieces.empty()) {
      remark("a polyline with a single point was left out");
      return;
    }
    o.closed = p.closed;
    if (!o.closed && o.pieces.size() > 1 && (o.end() - o.start()).norm() == 0) o.closed = true;
    put(std::move(o), p.layer);
  }
  void putSpline(Spline& s) {
    Nurbs& n = s.nurbs;
    if (std::all_of(n.weights.begin(), n.weights.end(), [](double w) { return w == 1; })) n.weights.clear();
    if (n.points.empty() && s.fit.size() > 1) {  // through points only: the cubic that bends least at its ends
      std::vector<double> t{0};
      std::vector<Vec2> through{s.fit.front()};
      for (std::size_t i = 1; i < s.fit.size(); ++i)
        if (const double d = (s.fit[i] - through.back()).norm(); d > 0) {
          t.push_back(t.back() + d);
          through.push_back(s.fit[i]);
        }
      if (through.size() > 1)
        n = throughPoints(
            t, through,
            curves::cubicSlopes(t, through, nullptr, nullptr,
                                s.closed && through.size() > 3 && (through.front() - through.back()).norm() == 0));
    }
    if (const auto ok = check(n); !ok.ok()) {
      remark("a spline was left out: " + ok.error().text);
      return;
    }
    Outline o{{Piece::of(std::move(n))}, false};
    o.closed = s.closed || (o.end() - o.start()).norm() == 0;
    if (o.closed && (o.end() - o.start()).norm() > 1e-9 * lengthOf(o)) o.closed = false;
    put(std::move(o), s.layer);
  }

  double unitLength() const {
    switch (unit_) {  // DXF reference, $INSUNITS
      case 1: return 0.0254;
      case 2: return 0.3048;
      case 3: return 1609.344;
      case 4: return 1e-3;
      case 5: return 1e-2;
      case 6: return 1;
      case 7: return 1e3;
      case 8: return 2.54e-8;
      case 9: return 2.54e-5;
      case 10: return 0.9144;
      case 11: return 1e-10;
      case 12: return 1e-9;
      case 13: return 1e-6;
      case 14: return 0.1;
      default: return 0;
    }
  }

  void expand(const Content& content, const Affine& map, const std::string& layer, Drawing& into) {
    const auto onLayer = [&](const std::string& own) { return own == "0" && !layer.empty() ? layer : own; };
    for (const auto& [kind, count] : content.leftOut) into.leftOut[kind] += count;
    for (const DrawnCurve& c : content.curves) {
      if (into.curves.size() >= kMostCurves)
        throw Stopped{
            {"drawing", name_, fmt::format("{}: its blocks grow to more than {} curves", name_, kMostCurves)}};
      into.curves.push_back({mapped(map, c.outline), onLayer(c.layer)});
      if (into.curves.size() % 4096 == 0 && progress_ && progress_->cancelled())
        throw Stopped{{"cancelled", name_, "cancelled", true}};
    }
    for (const DrawnCurve& c : content.annotations)
      into.annotations.push_back({mapped(map, c.outline), onLayer(c.layer)});
    for (const Note& n : content.notes)
      into.notes.push_back({n.text, onLayer(n.layer), map * n.at, n.height * std::sqrt(std::abs(map.M.determinant()))});
    for (const Insert& i : content.inserts) {
      const auto block = blocks_.find(i.block);
      if (block == blocks_.end()) {
        remark(fmt::format("a block '{}' is used that is not there", i.block));
        continue;
      }
      if (!open_.insert(i.block).second)
        throw Stopped{{"drawing", name_, fmt::format("{}: the block '{}' holds itself", name_, i.block)}};
      if (static_cast<double>(i.columns) * i.rows > static_cast<double>(kMostCurves))
        throw Stopped{{"drawing", name_,
                       fmt::format("{}: the block '{}' is set {} by {} times", name_, i.block, i.columns, i.rows)}};
      Affine base;
      base.p = -block->second.base;
      for (int r = 0; r < i.rows; ++r)
        for (int c = 0; c < i.columns; ++c) {
          Affine own = i.map;
          own.p += c * i.column + r * i.row;
          expand(block->second, map * own * base, onLayer(i.layer), into);
        }
      open_.erase(i.block);
    }
  }

  std::string name_, block_;
  Progress* progress_;
  int unit_ = 0, offPlane_ = 0;
  long seen_ = 0;
  Content main_;
  std::map<std::string, Content> blocks_;
  std::set<std::string> open_;  ///< blocks that are being set, to find those that hold themselves
  std::string chunks_;          ///< of a text of several lines
  std::vector<Vec2> leader_;
  std::optional<Polyline> polyline_;
  std::optional<Spline> spline_;
  std::vector<std::string> remarks_;
};

/// One line without its end and the blanks around it. @return false at the end of the text
bool nextLine(const std::string& text, std::size_t& at, std::string_view& line) {
  if (at >= text.size()) return false;
  const std::size_t end = text.find('\n', at);
  line = std::string_view(text).substr(at, end == std::string::npos ? end : end - at);
  at = end == std::string::npos ? text.size() : end + 1;
  while (!line.empty() && (line.back() == '\r' || line.back() == ' ' || line.back() == '\t')) line.remove_suffix(1);
  return true;
}

/// The groups of the file, looked through: pairs of a code and a value up to EOF, counts that the file can hold.
Result<std::string> lookedThrough(const std::string& text, const std::string& name) {
  const auto wrong = [&](const std::string& what) { return Error{"drawing", name, name + ": " + what}; };
  if (text.compare(0, 18, "AutoCAD Binary DXF") == 0) return wrong("is a binary DXF; write it in the ASCII form");
  std::string out;
  out.reserve(text.size() + 16);
  std::size_t at = 0, number = 0;
  bool sections = false;
  std::string_view code, value;
  const auto counts = [](int c) { return c == 72 || c == 73 || c == 74 || (c >= 90 && c <= 99); };
  std::string entity;
  while (nextLine(text, at, code)) {
    ++number;
    while (!code.empty() && (code.front() == ' ' || code.front() == '\t')) code.remove_prefix(1);
    if (number == 1 && code.compare(0, 3, "\xEF\xBB\xBF") == 0) code.remove_prefix(3);
    if (code.empty() && at >= text.size()) break;
    char* end = nullptr;
    const std::string digits(code);
    const long c = std::strtol(digits.c_str(), &end, 10);
    if (digits.empty() || *end != '\0' || c < -5 || c > 1071)
      return wrong(number == 1 ? "is no DXF" : fmt::format("line {} should hold a group code", number));
    if (!nextLine(text, at, value)) return wrong(fmt::format("is cut off after line {}", number));
    ++number;
    std::string_view tidy = value;
    while (!tidy.empty() && tidy.front() == ' ') tidy.remove_prefix(1);
    if (c == 0) entity = std::string(tidy);
    sections = sections || (c == 0 && tidy == "SECTION");
    if (counts(static_cast<int>(c)) &&
        (entity == "LWPOLYLINE" || entity == "SPLINE" || entity == "HATCH" || entity == "LEADER")) {
      const long n = std::strtol(std::string(tidy).c_str(), &end, 10);
      if (n < 0 || static_cast<std::size_t>(n) > text.size())
        return wrong(fmt::format("line {}: {} counts {} parts, more than the file can hold", number, entity, n));
    }
    if (value.size() > kLongestLine) value = value.substr(0, kLongestLine);
    out += digits;
    out += '\n';
    out += value;
    out += '\n';
    if (c == 0 && tidy == "EOF")
      return sections ? Result<std::string>(std::move(out)) : wrong("is no DXF: it has no sections");
  }
  return wrong(number == 0 ? "is empty" : sections ? "is cut off: it does not end with EOF" : "is no DXF");
}

}  // namespace

Result<Drawing> readDxf(const std::string& bytes, const std::string& name, Progress* progress) {
  auto text = lookedThrough(bytes, name);
  if (!text.ok()) return text.error();
  try {
    Reader reader(name, progress);
    std::istringstream stream(*text);
    DL_Dxf dxf;
    if (!dxf.in(stream, &reader)) return Error{"drawing", name, name + ": can't be read as DXF"};
    return reader.drawing();
  } catch (const Stopped& s) {
    return s.error;
  } catch (const std::bad_alloc&) {
    return Error{"drawing", name, name + ": holds more than the memory does"};
  }
}

}  // namespace cooperage::drawing
