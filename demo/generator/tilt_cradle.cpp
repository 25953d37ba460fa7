// SPDX-License-Identifier: GPL-3.0-or-later
#include "tilt_cradle.h"

#include <fmt/format.h>

#include <cmath>
#include <cstdio>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "base/geometry.h"
#include "drawing/drawing.h"
#include "io/coop_file.h"
#include "model/plane_joints.h"
#include "model/sheet_edits.h"
#include "model/thickness.h"
#include "study/levels.h"

namespace cooperage::demo {
namespace {

using Vec2 = Eigen::Vector2d;
using Json = nlohmann::ordered_json;

Vec2 towards(double angle) { return {std::cos(angle), std::sin(angle)}; }

/// A drawing as text: the entities of a DXF file, mm.
class Paper {
 public:
  explicit Paper(std::string layer) : layer_(std::move(layer)) {}
  void setLayer(const std::string& layer) { layer_ = layer; }
  void line(const Vec2& a, const Vec2& b) {
    entity("LINE");
    point(10, a);
    point(11, b);
  }
  void circle(const Vec2& centre, double radius) {
    entity("CIRCLE");
    point(10, centre);
    real(40, radius);
  }
  /// Counter-clockwise, rad.
  void arc(const Vec2& centre, double radius, double from, double to) {
    entity("ARC");
    point(10, centre);
    real(40, radius);
    real(50, from * 180 / kPi);
    real(51, to * 180 / kPi);
  }
  /// A bar with round ends, which may differ.
  void bar(const Vec2& a, double ra, const Vec2& b, double rb) {
    const Vec2 way = b - a;
    const double along = std::atan2(way.y(), way.x()), off = std::acos((ra - rb) / way.norm());
    line(a + ra * towards(along + off), b + rb * towards(along + off));
    arc(b, rb, along - off, along + off);
    line(b + rb * towards(along - off), a + ra * towards(along - off));
    arc(a, ra, along + off, along - off);
  }
  int count() const { return count_; }
  std::string text() const {
    return "0\nSECTION\n2\nHEADER\n9\n$ACADVER\n1\nAC1015\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n" +
           body_ + "0\nENDSEC\n0\nEOF\n";
  }

 private:
  void entity(const char* kind) {
    body_ += fmt::format("0\n{}\n8\n{}\n", kind, layer_);
    ++count_;
  }
  void real(int code, double v) { body_ += fmt::format("{}\n{:.13g}\n", code, v); }
  void point(int code, const Vec2& x) {
    real(code, x.x());
    real(code + 10, x.y());
  }
  std::string layer_, body_;
  int count_ = 0;
};

/// Where the pins lie at home.
struct Pins {
  Vec2 left{0, 0}, right{420, 0}, leftTie, rightTie;
};
Pins pinsAtHome() {
  constexpr double kLeftArm = 160, kRightArm = 140, kTie = 430, kHome = 70 * kPi / 180;
  Pins p;
  p.leftTie = p.left + kLeftArm * towards(kHome);
  const Vec2 way = p.leftTie - p.right;
  const double d = way.norm();
  const double inner = std::acos((kRightArm * kRightArm + d * d - kTie * kTie) / (2 * kRightArm * d));
  p.rightTie = p.right + kRightArm * towards(std::atan2(way.y(), way.x()) - inner);
  return p;
}

/// Entities of each link, one after another: of which the first is where the last link's end.
struct Drawn {
  std::string text;
  int frame = 0, left = 0, right = 0, tie = 0;  ///< where each link's entities end
};
Drawn drawn(const Pins& p) {
  Drawn out;
  Paper paper("cradle");
  // the frame: a bed with two bearing blocks
  const double bed = -92, top = -64, lug = 17, foot = 34;
  const Vec2 corners[] = {{-70, top}, {-70, bed}, {p.right.x() + 70, bed}, {p.right.x() + 70, top}};
  for (int i = 0; i < 3; ++i) paper.line(corners[i], corners[i + 1]);
  const auto block = [&](const Vec2& at) {  // from right to left, over the bearing
    const Vec2 right(at.x() + foot, top), left(at.x() - foot, top);
    const auto side = [&](const Vec2& from, double sign) {  // where the side touches the round of the block
      const Vec2 way = at - from;
      const double along = std::atan2(way.y(), way.x()), off = std::asin(lug / way.norm());
      return Vec2(from + std::cos(off) * way.norm() * towards(along + sign * off));
    };
    const Vec2 a = side(right, -1), b = side(left, 1);
    paper.line(right, a);
    paper.arc(at, lug, std::atan2((a - at).y(), (a - at).x()), std::atan2((b - at).y(), (b - at).x()));
    paper.line(b, left);
  };
  paper.line(corners[3], {p.right.x() + foot, top});
  block(p.right);
  paper.line({p.right.x() - foot, top}, {p.left.x() + foot, top});
  block(p.left);
  paper.line({p.left.x() - foot, top}, corners[0]);
  paper.circle(p.left, 11);
  paper.circle(p.right, 11);
  out.frame = paper.count();
  const auto arm = [&](const Vec2& bearing, const Vec2& tie) {
    paper.bar(bearing, 25, tie, 19);
    const Vec2 way = (tie - bearing).normalized();
    paper.bar(bearing + 44 * way, 10, tie - 36 * way, 7.5);  // a window saves weight
    paper.circle(bearing, 8);
    paper.circle(tie, 8);
  };
  arm(p.left, p.leftTie);
  out.left = paper.count();
  arm(p.right, p.rightTie);
  out.right = paper.count();
  paper.bar(p.leftTie, 13, p.rightTie, 13);
  paper.circle(p.leftTie, 6);
  paper.circle(p.rightTie, 6);
  out.tie = paper.count();
  paper.setLayer("cask");
  const Vec2 middle = 0.5 * (p.leftTie + p.rightTie) + Vec2(0, 13);
  constexpr double kCask = 120;
  paper.circle(middle + Vec2(0, kCask), kCask);
  paper.circle(middle + Vec2(0, kCask), kCask - 9);
  out.text = paper.text();
  return out;
}

Result<model::Mechanism> gatheredFrom(const Drawn& drawing, const Pins& pins) {
  using namespace model;
  auto read = drawing::readDxf(drawing.text, "cradle.dxf");
  if (!read.ok()) return read.error();
  const auto joined = drawing::withEndsMerged(*read, 1e-6, 1e-4);
  Mechanism m;
  m.title = "Tilt cradle";
  Sheet plane;  // upright, seen along ground's y
  plane.name = "cradle";
  plane.file = "cradle.dxf";
  plane.axis = {Field(0), Field(-1), Field(0)};
  plane.merge = Field(1e-6);
  m = withDrawing(m, drawing::scaled(joined.drawing, read->unit), plane, false).first;
  const auto all = m.sheets.front()->curves;
  const auto ids = [&](int from, int to) {
    std::vector<Id> out;
    for (int i = from; i < to; ++i) out.push_back(all[static_cast<std::size_t>(i)]->id);
    return out;
  };
  const struct {
    const char* name;
    int from, to;
  } links[] = {{"frame", 0, drawing.frame},
               {"left arm", drawing.frame, drawing.left},
               {"right arm", drawing.left, drawing.right},
               {"tie bar", drawing.right, drawing.tie}};
  for (const auto& l : links) {
    auto made = gathered(m, ids(l.from, l.to), 0, l.name);
    if (!made.ok()) return made.error();
    m = std::move(made->first);
  }
  m = withConstruction(m, ids(drawing.tie, static_cast<int>(all.size())), true);
  m = changedLink(m, m.links[0]->id, [](Link& l) { l.ground = true; });
  std::vector<Pose> poses;
  for (const auto& l : m.links) poses.push_back(poseOf(m, l->placement).value());
  const auto point = [&](std::size_t link, const Vec2& at) {
    PlanePick p;
    p.link = m.links[link]->id;
    p.name = "centre";
    p.at = Vec3(at.x(), 0, at.y()) * 1e-3;
    p.normal = -Vec3::UnitY();
    return p;
  };
  const std::pair<std::vector<PlanePick>, const char*> joints[] = {
      {{point(0, pins.left), point(1, pins.left)}, "left bearing"},
      {{point(0, pins.right), point(2, pins.right)}, "right bearing"},
      {{point(1, pins.leftTie), point(3, pins.leftTie)}, "left pin"},
      {{point(2, pins.rightTie), point(3, pins.rightTie)}, "right pin"}};
  for (const auto& [points, name] : joints) {
    auto made = pinned(m, points, poses);
    if (!made.ok()) return made.error();
    m = changedJoint(made->mechanism, made->made.front(), [n = name](Joint& j) { j.name = n; });
  }
  return m;
}

/// Plates along the lines, on the least number of levels.
Result<model::Mechanism> withSolids(const model::Mechanism& m) {
  const auto links = model::withoutPlates(m);
  auto thick = model::withThickness(m, links, model::platesFor(m, links));
  if (!thick.ok()) return thick;
  shape::ShapeStore store;
  clearance::GeometryCache cache;
  const auto rules =
      study::plateRules(std::make_shared<const model::Mechanism>(*thick), 0, {}, {store, cache, nullptr});
  if (!rules.ok()) return rules.error();
  const auto plan = study::leastLevels(rules->problem);
  std::vector<std::pair<model::Id, int>> levels;
  for (std::size_t i = 0; i < plan.levels.size(); ++i) levels.emplace_back(rules->links[i], plan.levels[i]);
  return model::withLevels(*thick, levels);
}

/// How it is driven, and what is asked of it.
std::string withTravel(const std::string& coop) {
  Json j = Json::parse(coop);
  j["drives"] = {{{"name", "tilt cylinder"},
                  {"value", "left bearing.turn"},
                  {"programme",
                   {{{"law", "poly-345"}, {"by", "40 deg"}, {"time", "2 s"}},
                    {{"law", "dwell"}, {"time", "1.5 s"}},
                    {{"law", "poly-345"}, {"by", "-40 deg"}, {"time", "2 s"}}}}}};
  j["gauges"] = {{{"name", "left arm"}, {"kind", "joint-value"}, {"of", "left bearing.turn"}},
                 {{"name", "right arm"}, {"kind", "joint-value"}, {"of", "right bearing.turn"}},
                 {{"name", "left less right"},
                  {"kind", "formula"},
                  {"formula", "'left bearing'.turn - 'right bearing'.turn"},
                  {"flag", true}},
                 {{"name", "transmission angle"}, {"kind", "transmission-angle"}, {"of", "right pin"}}};
  j["requirements"] = {
      {{"name", "the cask stays level"}, {"gauge", "left less right"}, {"measure", "range"}, {"max", "6 deg"}},
      {{"name", "good transmission"}, {"gauge", "transmission angle"}, {"measure", "always"}, {"min", "40 deg"}}};
  j["runs"] = {{{"name", "tilt and back"},
                {"duration", "5.5 s"},
                {"steps", 550},
                {"axis", "time"},
                {"check", {"interference", "requirements"}}}};
  return j.dump();
}

}  // namespace

bool makeTiltCradle(const std::filesystem::path& folder) {
  const Pins pins = pinsAtHome();
  const Drawn drawing = drawn(pins);
  const auto m = gatheredFrom(drawing, pins);
  if (!m.ok()) {
    std::fprintf(stderr, "tilt cradle: %s\n", m.error().text.c_str());
    return false;
  }
  const auto to = folder / "tilt-cradle";
  std::filesystem::create_directories(to);
  const auto whole = io::readCoop(withTravel(io::writeCoop(*m)));
  if (!whole.ok()) {
    std::fprintf(stderr, "tilt cradle: %s\n", whole.error().text.c_str());
    return false;
  }
  const auto solid = withSolids(*whole);
  if (!solid.ok()) {
    std::fprintf(stderr, "tilt cradle: %s\n", solid.error().text.c_str());
    return false;
  }
  return io::writeFile(to / "cradle.dxf", drawing.text).ok() &&
         io::writeFile(to / "tilt-cradle.coop", io::writeCoop(*solid)).ok();
}

}  // namespace cooperage::demo
