// SPDX-License-Identifier: GPL-3.0-or-later
// Gears on joints: at the right distance, in the right phase, with their coupling.
#include "model/gear_edits.h"

#include <algorithm>

#include "elements/bevel.h"
#include "elements/figures.h"
#include "model/machine_parts.h"

namespace cooperage::model {

using elements::GearSpec;
using Kind = GearDraft::Kind;

namespace {

GearType typeOf(Kind kind) {
  switch (kind) {
    case Kind::bevel: return GearType::bevel;
    case Kind::crossed: return GearType::crossed;
    case Kind::worm: return GearType::worm;
    default: return GearType::spur;
  }
}

/// All figures of a draft in SI.
struct Figures {
  double module = 0, pressure = 0, helix = 0, width = 0, backlash = 0;
  int teeth[2] = {0, 0};
  double shift[2] = {0, 0}, bore[2] = {0, 0};
};

class GearMaker {
 public:
  GearMaker(const Mechanism& m, const GearDraft& d, const std::vector<Pose>& poses)
      : m_(m), d_(d), poses_(poses), out_(m) {}

  Result<Mechanism> run() {
    if (auto s = read(); !s.ok()) return s.error();
    auto r = resolve(m_);
    if (!r.ok()) return r.error();
    r_ = std::move(r).value();
    if (r_.links.size() != poses_.size()) return Error{"poses", "", "the poses are not those of this mechanism"};
    for (int k = 0; k < 2; ++k) {
      auto s = shaftOf(r_, d_.joints[u(k)], d_.joints[u(1 - k)], poses_);
      if (!s.ok()) return s.error();
      shaft_[k] = *s;
    }
    if (shaft_[0].link == shaft_[1].link)
      return Error{"same-link", "", "both joints carry the same link; choose the joints of two shafts"};
    const bool rack = d_.kind == Kind::rack;
    // a pinion that rides on what slides runs on a rack of the link that it slides on
    if (rack && shaft_[0].base == shaft_[1].link) turnRound(shaft_[1]);
    for (int k = 0; k < 2; ++k) {
      const auto& j = r_.joints[u(shaft_[k].joint)];
      const char* wanted = rack && k == 1 ? "slide" : "turn";
      if (valueIndex(j.kind, wanted) < 0)
        return Error{"figure", j.name,
                     fmt::format("joint {}: it has no {} that a {} could follow", j.name, wanted,
                                 rack && k == 1 ? "rack" : "gear")};
    }
    Status s = d_.kind == Kind::bevel                              ? bevel()
               : d_.kind == Kind::rack                             ? rackAndGear()
               : d_.kind == Kind::crossed || d_.kind == Kind::worm ? crossed()
                                                                   : parallel();
    if (!s.ok()) return s.error();
    couple();
    return out_;
  }

 private:
  Status read() {
    const auto one = [&](const Field& f, const Dimension& dim, const char* what, double& v) -> Status {
      auto got = valueOf(m_, f, dim, what);
      if (!got.ok()) return got.error();
      v = *got;
      return Done{};
    };
    double teeth[2] = {0, 0};
    const std::tuple<const Field*, Dimension, const char*, double*> all[] = {
        {&d_.module, dimension::kLength, "module", &f_.module},
        {&d_.pressureAngle, dimension::kAngle, "pressure angle", &f_.pressure},
        {&d_.helix, dimension::kAngle, d_.kind == Kind::worm ? "lead angle" : "helix angle", &f_.helix},
        {&d_.width, dimension::kLength, "width", &f_.width},
        {&d_.backlash, dimension::kLength, "backlash", &f_.backlash},
        {&d_.teeth[0], dimension::kPlain, "teeth of the first", &teeth[0]},
        {&d_.teeth[1], dimension::kPlain, "teeth of the second", &teeth[1]},
        {&d_.shift[0], dimension::kPlain, "shift of the first", &f_.shift[0]},
        {&d_.shift[1], dimension::kPlain, "shift of the second", &f_.shift[1]},
        {&d_.bore[0], dimension::kLength, "bore of the first", &f_.bore[0]},
        {&d_.bore[1], dimension::kLength, "bore of the second", &f_.bore[1]}};
    for (const auto& [field, dim, what, into] : all)
      if (auto s = one(*field, dim, what, *into); !s.ok()) return s;
    if (f_.pressure == 0) f_.pressure = 20 * kPi / 180;
    if (!(f_.module > 0)) return Error{"figure", "module", "the module must be greater than zero"};
    if (!(f_.width > 0)) return Error{"figure", "width", "the width must be greater than zero"};
    if (f_.backlash < 0) return Error{"figure", "backlash", "the backlash must be zero or more"};
    for (int k = 0; k < 2; ++k) {
      const double least = d_.kind == Kind::worm && k == 0 ? 1 : 4;
      if (teeth[k] != std::floor(teeth[k]) || teeth[k] < least || teeth[k] > 2000)
        return Error{"figure", "teeth",
                     fmt::format("teeth must be whole numbers of {} or more, not {:.6g}", least, teeth[k])};
      f_.teeth[k] = static_cast<int>(teeth[k]);
    }
    if (d_.kind == Kind::ring && f_.teeth[1] <= f_.teeth[0])
      return Error{"figure", "teeth", "the ring must have more teeth than its pinion"};
    return Done{};
  }
  GearSpec spec(int k) const {
    GearSpec g;
    g.module = f_.module;
    g.teeth = f_.teeth[k];
    g.pressureAngle = f_.pressure;
    g.width = f_.width;
    g.shift = f_.shift[k];
    g.backlash = 0.5 * f_.backlash;
    g.internal = d_.kind == Kind::ring && k == 1;
    // mates on parallel axes have opposite hands, a ring the same
    g.helix = k == 0 || g.internal ? f_.helix : -f_.helix;
    return g;
  }
  /// The joint seen from its other link.
  void turnRound(Shaft& s) const {
    const auto& j = r_.joints[u(s.joint)];
    std::swap(s.link, s.base);
    const bool second = s.link == j.linkB;
    s.seat = second ? j.seatB : j.seatA;
    s.frame = poses_[u(s.link)] * s.seat;
    const Vec3 axis = (poses_[u(j.linkA)] * j.seatA).R.col(2);
    s.sign = (axis.dot(s.frame.R.col(2)) > 0 ? 1 : -1) * (second ? 1 : -1);
  }
  /// Moves the second shaft: its bearing on the base and its link go along.
  void move(const Vec3& shift) {
    if (shift.norm() < 1e-12) return;
    Shaft& b = shaft_[1];
    const auto& j = r_.joints[u(b.joint)];
    const Id baseSeat = findJoint(out_, j.id)->seats[b.base == j.linkA ? 0 : 1];
    const Pose& base = poses_[u(b.base)];
    Pose seat = base * (b.base == j.linkA ? j.seatA : j.seatB);
    seat.p += shift;
    out_ = changedSeat(out_, baseSeat, [&](Seat& s) { s.at = placementOf(base.inverse() * seat, m_.units).at; });
    Pose link = poses_[u(b.link)];
    link.p += shift;
    out_ = changedLink(out_, r_.links[u(b.link)].id, [&](Link& l) { l.placement = placementOf(link, m_.units); });
    poses_[u(b.link)] = link;
    b.frame.p += shift;
  }
  Error cantMove(double have, double want) const {
    return {"centre-distance", "",
            fmt::format("the axes are {:.6g} mm apart and the teeth ask for {:.6g} mm; let the second be moved, or "
                        "change module or "
                        "teeth",
                        have * 1e3, want * 1e3)};
  }
  /// Where a gear of the pair stands already, if it is on its shaft; ground axes.
  std::optional<Pose> standing(int k) const {
    const Shaft& s = shaft_[k];
    const auto place = findBody(m_, d_.bodies[u(k)]);
    if (!place || place->link->id != r_.links[u(s.link)].id) return std::nullopt;
    const auto local = poseOf(m_, place->body->placement);
    if (!local.ok()) return std::nullopt;
    const Pose at = poses_[u(s.link)] * *local;
    const Vec3 z = s.frame.R.col(2), d = at.p - s.frame.p;
    if (at.R.col(2).dot(z) < 1 - 1e-12 || (d - d.dot(z) * z).norm() > 1e-6) return std::nullopt;
    return at;
  }
  void put(int k, BodyKind kind, const std::string& name, const Pose& world, std::map<std::string, Field> figures) {
    const Shaft& s = shaft_[k];
    Body b = element(d_.bodies[u(k)], kind, name, poses_[u(s.link)].inverse() * world, m_.units);
    b.figures = std::move(figures);
    if (kind == BodyKind::gear || kind == BodyKind::ringGear || kind == BodyKind::rack)
      b.figures["helix angle"] = k == 0 ? d_.helix : figureOf(spec(k).helix, dimension::kAngle, m_.units);
    if (d_.pressureAngle.formula || d_.pressureAngle.number != 0) b.figures["pressure angle"] = d_.pressureAngle;
    if (f_.backlash > 0) b.figures["backlash"] = figureOf(0.5 * f_.backlash, dimension::kLength, m_.units);
    out_ = withBody(out_, r_.links[u(s.link)].id, std::move(b));
  }
  std::map<std::string, Field> wheel(int k) const {
    std::map<std::string, Field> f{{"module", d_.module}, {"teeth", d_.teeth[u(k)]}, {"width", d_.width}};
    if (f_.shift[k] != 0) f["shift"] = d_.shift[u(k)].formula || shiftMade_ != k ? d_.shift[u(k)] : Field(f_.shift[k]);
    if (f_.bore[k] > 0) f["bore"] = d_.bore[u(k)];
    return f;
  }

  Status parallel() {
    Shaft &a = shaft_[0], &b = shaft_[1];
    const Vec3 n = a.frame.R.col(2), zb = b.frame.R.col(2);
    if (n.cross(zb).norm() > 1e-3)
      return Error{"gear-axes", "", "the axes are not parallel; make a bevel, crossed or worm pair of them"};
    Vec3 line = b.frame.p - a.frame.p;
    line -= line.dot(n) * n;
    const double have = line.norm();
    const Vec3 e1 = have > 1e-9 ? Vec3(line / have) : Vec3(a.frame.R.col(0));
    const double want = elements::pairSize(spec(0), spec(1)).centre;
    if (std::abs(want - have) > 1e-12) {
      if (d_.moveAxis) {
        move((want - have) * e1);
      } else if (auto s = shiftToFit(have); !s.ok()) {
        return s;
      }
    }
    // a gear that is there, and may mesh with others, keeps its turn and its plane; the other is laid to it
    const Vec3 e2 = n.cross(e1);
    const auto turnOf = [&](const Pose& p) { return std::atan2(p.R.col(0).dot(e2), p.R.col(0).dot(e1)); };
    const auto turned = [&](const Pose& at, const Vec3& z, double turn) {
      return frameFrom(at.p, z, std::cos(turn) * e1 + std::sin(turn) * e2);
    };
    const auto onAxis = [](const Pose& axis, const Vec3& plane) {
      const Vec3 z = axis.R.col(2);
      return Pose{axis.R, axis.p + z * (plane - axis.p).dot(z)};
    };
    const auto one = standing(0), two = standing(1);
    Pose first = one ? *one : a.frame;
    if (!one && two)
      first = turned(onAxis(a.frame, two->p), n, elements::meshingTurnOfFirst(spec(0), spec(1), turnOf(*two), 0));
    double other = elements::meshingTurn(spec(0), spec(1), turnOf(first), 0);
    if (two) {  // of all turns that mesh the one that it has
      const double pitch = 2 * kPi / f_.teeth[1];
      other += pitch * std::round((turnOf(*two) - other) / pitch);
    }
    const Pose second = turned(onAxis(b.frame, first.p), zb, other);
    put(0, BodyKind::gear, fmt::format("gear {}", f_.teeth[0]), first, wheel(0));
    auto figures = wheel(1);
    if (d_.kind == Kind::ring) {
      figures.erase("bore");
      if (const double addendum = elements::ringAddendum(spec(0), spec(1)); addendum < 1)
        figures["addendum"] = Field(addendum);
      put(1, BodyKind::ringGear, fmt::format("ring {}", f_.teeth[1]), second, std::move(figures));
    } else {
      put(1, BodyKind::gear, fmt::format("gear {}", f_.teeth[1]), second, std::move(figures));
    }
    flip_ = a.sign * b.sign * (zb.dot(n) > 0 ? 1 : -1) < 0;
    return Done{};
  }
  /// The axes stay: the second gear's shift makes the working distance theirs.
  Status shiftToFit(double have) {
    const GearSpec a = spec(0), b = spec(1);
    const elements::GearSize sa = gearSize(a), sb = gearSize(b);
    const double side = b.internal ? -1 : 1, nominal = sb.pitchRadius + side * sa.pitchRadius;
    const double cosine = nominal * std::cos(sa.pressureAngle) / have;
    if (!(cosine < 1) || std::abs(have - nominal) > 1.2 * f_.module)
      return cantMove(have, elements::pairSize(a, b).centre);
    const double sum = (elements::involute(std::acos(cosine)) - elements::involute(sa.pressureAngle)) *
                       (b.teeth + side * a.teeth) / (2 * std::tan(f_.pressure));
    f_.shift[1] = std::round((sum - side * f_.shift[0]) * 1e9) / 1e9;
    shiftMade_ = 1;
    return Done{};
  }

  /// Where the two axes come nearest to one another, on each.
  std::pair<Vec3, Vec3> nearest() const {
    const Pose &a = shaft_[0].frame, &b = shaft_[1].frame;
    const Vec3 za = a.R.col(2), zb = b.R.col(2), across = za.cross(zb), d = b.p - a.p;
    const double square = across.squaredNorm();
    return {a.p + d.cross(zb).dot(across) / square * za, b.p + d.cross(za).dot(across) / square * zb};
  }
  Status bevel() {
    Shaft &a = shaft_[0], &b = shaft_[1];
    const Vec3 za = a.frame.R.col(2), zb = b.frame.R.col(2);
    const Vec3 across = za.cross(zb);
    if (across.norm() < 0.05) return Error{"gear-axes", "", "the axes are parallel; make a spur pair of them"};
    const auto [onA, onB] = nearest();
    if ((onA - onB).norm() > 1e-9) {
      if (!d_.moveAxis) return cantMove((onA - onB).norm(), 0);
      move(onA - onB);
    }
    const auto away = [&](const Shaft& s, const Vec3& z) { return (s.frame.p - onA).dot(z) < -1e-9 ? Vec3(-z) : z; };
    const Vec3 ua = away(a, za), ub = away(b, zb);
    const double angle = std::acos(std::clamp(ua.dot(ub), -1.0, 1.0));
    const double cone[2] = {elements::bevelCone(f_.teeth[0], f_.teeth[1], angle),
                            elements::bevelCone(f_.teeth[1], f_.teeth[0], angle)};
    const Vec3 ea = (ub - ub.dot(ua) * ua).normalized(), eb = (ua - ua.dot(ub) * ub).normalized();
    const Vec3 xa = a.frame.R.col(0);
    const double turn = std::atan2(xa.dot(ua.cross(ea)), xa.dot(ea));
    const double other = -turn * f_.teeth[0] / f_.teeth[1] + kPi / f_.teeth[1];
    const Pose world[2] = {frameFrom(onA, ua, xa),
                           frameFrom(onA, ub, std::cos(other) * eb + std::sin(other) * ub.cross(eb))};
    for (int k = 0; k < 2; ++k) {
      std::map<std::string, Field> f{{"module", d_.module},
                                     {"teeth", d_.teeth[u(k)]},
                                     {"width", d_.width},
                                     {"cone angle", figureOf(cone[k], dimension::kAngle, m_.units)}};
      if (f_.bore[k] > 0) f["bore"] = d_.bore[u(k)];
      put(k, BodyKind::bevelGear, fmt::format("bevel gear {}", f_.teeth[k]), world[k], std::move(f));
    }
    flip_ = a.sign * b.sign * (ua.dot(za) > 0 ? 1 : -1) * (ub.dot(zb) > 0 ? 1 : -1) < 0;
    return Done{};
  }

  /// Screw gears: what moves one flank along its normal moves the other as fast.
  Status crossed() {
    Shaft &a = shaft_[0], &b = shaft_[1];
    const Vec3 za = a.frame.R.col(2), zb = b.frame.R.col(2);
    const Vec3 across = za.cross(zb);
    if (across.norm() < 0.05) return Error{"gear-axes", "", "the axes are parallel; make a spur pair of them"};
    Vec3 n = across.normalized();
    if ((b.frame.p - a.frame.p).dot(n) < 0) n = -n;
    const double have = (b.frame.p - a.frame.p).dot(n);
    GearSpec ga = spec(0), gb = spec(1);
    if (d_.kind == Kind::worm) ga.helix = std::copysign(0.5 * kPi - std::abs(f_.helix), f_.helix);
    const Vec3 t1 = za.cross(n), t2 = zb.cross(-n);
    const Vec3 trace = za * std::cos(ga.helix) + t1 * std::sin(ga.helix);
    gb.helix = std::atan2(trace.dot(t2), trace.dot(zb));
    if (gb.helix > 0.5 * kPi) gb.helix -= kPi;
    if (gb.helix < -0.5 * kPi) gb.helix += kPi;
    if (std::abs(gb.helix) > 80 * kPi / 180)
      return Error{"figure", "helix",
                   fmt::format("the second gear would need a helix of {:.4g} degrees; change that of the first",
                               gb.helix * 180 / kPi)};
    const double want = elements::crossedCentre(ga, gb);
    if (std::abs(want - have) > 1e-12) {
      if (!d_.moveAxis) return cantMove(have, want);
      move((want - have) * n);
    }
    const auto [onA, onB] = nearest();
    const Vec3 v1 = t1 * std::cos(ga.helix) - za * std::sin(ga.helix),
               v2 = t2 * std::cos(gb.helix) - zb * std::sin(gb.helix);
    const double sense = v1.dot(v2) > 0 ? 1 : -1;
    const Vec3 xa = a.frame.R.col(0);
    const double turn = std::atan2(xa.dot(t1), xa.dot(n));
    const double other = sense * turn * ga.teeth / gb.teeth + kPi / gb.teeth;
    const Pose first = frameFrom(onA, za, xa);
    const Pose second = frameFrom(onB, zb, std::cos(other) * -n + std::sin(other) * t2);
    if (d_.kind == Kind::worm) {
      std::map<std::string, Field> f{{"module", d_.module}, {"starts", d_.teeth[0]}, {"lead angle", d_.helix}};
      // long enough for its wheel's teeth
      const double reach = 2 * std::sqrt(std::max(0.0, (gb.teeth + 1) * f_.module * f_.module)) + 2 * f_.module;
      f["length"] = figureOf(std::ceil(reach * 1e3) / 1e3, dimension::kLength, m_.units);
      if (f_.bore[0] > 0) f["bore"] = d_.bore[0];
      put(0, BodyKind::worm, f_.teeth[0] == 1 ? "worm" : fmt::format("worm {}", f_.teeth[0]), first, std::move(f));
    } else {
      put(0, BodyKind::gear, fmt::format("gear {}", f_.teeth[0]), first, wheel(0));
    }
    put(1, BodyKind::gear, fmt::format("{} {}", d_.kind == Kind::worm ? "worm wheel" : "gear", f_.teeth[1]), second,
        wheel(1));
    out_ = changedBody(out_, d_.bodies[1], [&](Body& body) {
      body.figures["helix angle"] = figureOf(gb.helix, dimension::kAngle, m_.units);
    });
    flip_ = sense * a.sign * b.sign > 0;
    return Done{};
  }

  Status rackAndGear() {
    Shaft &a = shaft_[0], &b = shaft_[1];
    const Vec3 za = a.frame.R.col(2), way = b.frame.R.col(2);  // a prismatic joint slides along its axis
    if (std::abs(za.dot(way)) > 1e-3) return Error{"gear-axes", "", "the slide must be square to the gear's axis"};
    Vec3 side = b.frame.p - a.frame.p;
    side -= side.dot(za) * za + side.dot(way) * way;
    Vec3 n = way.cross(za).normalized();
    if (side.dot(n) < 0) n = -n;
    GearSpec g = spec(0), rack = spec(1);
    const double distance = elements::rackPair(g, rack).centre;
    const Vec3 t = za.cross(n);
    const Vec3 xa = a.frame.R.col(0);
    const double turn = std::atan2(xa.dot(t), xa.dot(n));
    const double r = gearSize(g).pitchRadius, pitch = kPi * f_.module / std::cos(f_.helix);
    // a space of the rack opposite the tooth; that one which lies nearest to the middle of what slides
    double along = r * turn + 0.5 * pitch;
    const double middle = (b.frame.p - a.frame.p).dot(t);
    along += pitch * std::round((middle - along) / pitch);
    const Pose second = frameFrom(a.frame.p + distance * n + along * t, za, t);
    put(0, BodyKind::gear, fmt::format("pinion {}", f_.teeth[0]), a.frame, wheel(0));
    std::map<std::string, Field> f{{"module", d_.module}, {"teeth", d_.teeth[1]}, {"width", d_.width}};
    put(1, BodyKind::rack, "rack", second, std::move(f));
    rackRadius_ = r;
    flip_ = a.sign * b.sign * (t.dot(way) > 0 ? 1 : -1) < 0;
    return Done{};
  }

  void couple() {
    Coupling c;
    if (const auto old = findById(m_.couplings, d_.coupling)) c = *old;
    c.id = d_.coupling;
    const auto& one = r_.joints[u(shaft_[0].joint)];
    const auto& two = r_.joints[u(shaft_[1].joint)];
    c.values = {{one.id, "turn"}, {two.id, d_.kind == Kind::rack ? "slide" : "turn"}};
    c.bodies = {d_.bodies[0], d_.bodies[1]};
    c.flip = flip_ != d_.flip;
    const std::string between = r_.links[u(shaft_[0].link)].name + " - " + r_.links[u(shaft_[1].link)].name;
    c.name = between;
    if (d_.kind == Kind::rack) {
      c.kind = CouplingKind::rack;
      c.figures = {figureOf(rackRadius_, dimension::kLength, m_.units)};
    } else {
      c.kind = CouplingKind::gear;
      c.type = typeOf(d_.kind);
      c.internal = d_.kind == Kind::ring;
      c.figures = {d_.teeth[0], d_.teeth[1]};
      c.carrier = carrierOf(m_, one.id, two.id);
    }
    putIn(out_.couplings, std::move(c));
  }

  const Mechanism& m_;
  const GearDraft& d_;
  std::vector<Pose> poses_;
  Mechanism out_;
  Resolved r_;
  Figures f_;
  Shaft shaft_[2];
  bool flip_ = false;
  int shiftMade_ = -1;
  double rackRadius_ = 0;
};

/// The machine element of a body, in figures.
Result<std::vector<double>> figuresOf(const Mechanism& m, const Body& b) {
  std::vector<double> out;
  for (const ElementFigure& f : elementFigures(b.kind)) {
    const auto it = b.figures.find(f.name);
    if (it == b.figures.end()) {
      out.push_back(f.otherwise);
      continue;
    }
    auto v = valueOf(m, it->second, f.dimension, f.name);
    if (!v.ok()) return v.error();
    out.push_back(*v);
  }
  return out;
}

}  // namespace

Result<Mechanism> withGears(const Mechanism& m, const GearDraft& draft, const std::vector<Pose>& poses) {
  return GearMaker(m, draft, poses).run();
}

std::optional<GearDraft> gearDraftOf(const Mechanism& m, Id coupling) {
  const auto c = findById(m.couplings, coupling);
  if (!c || c->bodies.size() != 2 || c->values.size() != 2) return std::nullopt;
  const auto a = findBody(m, c->bodies[0]), b = findBody(m, c->bodies[1]);
  if (!a || !b) return std::nullopt;
  GearDraft d;
  switch (b->body->kind) {
    case BodyKind::ringGear: d.kind = Kind::ring; break;
    case BodyKind::rack: d.kind = Kind::rack; break;
    case BodyKind::bevelGear: d.kind = Kind::bevel; break;
    case BodyKind::gear:
      d.kind = a->body->kind == BodyKind::worm ? Kind::worm : c->type == GearType::crossed ? Kind::crossed : Kind::spur;
      break;
    default: return std::nullopt;
  }
  const auto figure = [](const Body& body, const char* key) {
    const auto it = body.figures.find(key);
    return it == body.figures.end() ? Field(0) : it->second;
  };
  d.joints = {c->values[0].id, c->values[1].id};
  d.module = figure(*a->body, "module");
  d.width = figure(*b->body, "width");
  d.pressureAngle = figure(*a->body, "pressure angle");
  d.helix = figure(*a->body, d.kind == Kind::worm ? "lead angle" : "helix angle");
  d.teeth = {figure(*a->body, d.kind == Kind::worm ? "starts" : "teeth"), figure(*b->body, "teeth")};
  d.shift = {figure(*a->body, "shift"), figure(*b->body, "shift")};
  d.bore = {figure(*a->body, "bore"), figure(*b->body, "bore")};
  const auto thin = evaluateField(m, figure(*a->body, "backlash"), dimension::kLength);
  d.backlash = figureOf(thin.ok() ? 2 * *thin : 0, dimension::kLength, m.units);
  d.coupling = coupling;
  d.bodies = {c->bodies[0], c->bodies[1]};
  return d;
}

Result<PairLook> pairLook(const Mechanism& m, Id coupling, const std::vector<Pose>& poses) {
  const auto c = findById(m.couplings, coupling);
  if (!c || c->bodies.size() != 2) return Error{"missing", "", "the coupling has no gears of its own"};
  PairLook look;
  GearSpec* specs[] = {&look.first, &look.second};
  Pose at[2];
  for (std::size_t k = 0; k < 2; ++k) {
    const auto place = findBody(m, c->bodies[k]);
    if (!place) return Error{"missing", "", "one of its gears is gone"};
    auto f = figuresOf(m, *place->body);
    if (!f.ok()) return f.error();
    double rim = 0;
    switch (place->body->kind) {
      case BodyKind::gear: *specs[k] = elements::gearOf(*f); break;
      case BodyKind::ringGear: *specs[k] = elements::ringOf(*f, rim); break;
      case BodyKind::worm: *specs[k] = elements::wormOf(*f); break;
      case BodyKind::rack: *specs[k] = elements::rackOf(*f); break;
      default: return Error{"kind", "", "no figures of this kind"};
    }
    const auto body = poseOf(m, place->body->placement);
    if (!body.ok()) return body.error();
    for (std::size_t l = 0; l < m.links.size() && l < poses.size(); ++l)
      if (m.links[l]->id == place->link->id) at[k] = poses[l] * *body;
  }
  const Vec3 z = at[0].R.col(2), other = at[1].R.col(2), d = at[1].p - at[0].p;
  const Vec3 across = z.cross(other);
  look.distance = across.norm() > 1e-3 ? std::abs(d.dot(across.normalized())) : (d - d.dot(z) * z).norm();
  return look;
}

}  // namespace cooperage::model
