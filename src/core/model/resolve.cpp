// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/resolve.h"

#include <fmt/format.h>

#include <map>
#include <unordered_map>

namespace cooperage::model {
namespace {

/// The kinds of gauge with what they need and measure.
enum class Measures {
  jointValue,
  jointRate,
  jointAcceleration,
  ratio,
  point,
  pointRate,
  pointAcceleration,
  linkRate,
  linkAcceleration,
  distance,
  angle,
  transmission,
  clearance
};
struct GaugeKind {
  const char* name;
  Measures measures;
};
constexpr GaugeKind kGaugeKinds[] = {
    {"joint-value", Measures::jointValue},
    {"joint-rate", Measures::jointRate},
    {"joint-acceleration", Measures::jointAcceleration},
    {"velocity-ratio", Measures::ratio},
    {"point-position", Measures::point},
    {"point-velocity", Measures::pointRate},
    {"point-acceleration", Measures::pointAcceleration},
    {"link-rate", Measures::linkRate},
    {"link-acceleration", Measures::linkAcceleration},
    {"distance", Measures::distance},
    {"distance-plane", Measures::distance},
    {"distance-axis", Measures::distance},
    {"angle", Measures::angle},
    {"transmission-angle", Measures::transmission},
    {"clearance", Measures::clearance},
};
const GaugeKind* gaugeKind(const std::string& name) {
  for (const GaugeKind& k : kGaugeKinds)
    if (name == k.name) return &k;
  return nullptr;
}

const Dimension kPerSecond{0, 0, 0, -1};

/// Works one mechanism out; holds the parameters found so far and the first error.
class Resolver {
 public:
  explicit Resolver(const Mechanism& m) : m_(m) {}

  Result<Resolved> run() {
    out_.units = m_.units;
    if (!parameters() || !links() || !joints() || !couplings() || !drives() || !gauges() || !requirements() || !runs())
      return error_;
    return std::move(out_);
  }

  Result<double> field(const Field& f, const Dimension& wanted) {
    if (!f.formula) return f.number * m_.units.factor(wanted);
    const auto q = f.formula->evaluate([&](const Symbol& s) { return symbol(s); });
    if (!q.ok()) return q.error();
    return toSi(*q, wanted, m_.units);
  }

 private:
  bool fail(const std::string& code, const std::string& object, const std::string& text) {
    error_ = {code, object, object + ": " + text};
    return false;
  }
  void warn(const std::string& code, const std::string& object, const std::string& text) {
    out_.messages.push_back({Severity::warning, code, {object}, object + ": " + text});
  }

  Result<Quantity> symbol(const Symbol& s) {
    const auto p = findById(m_.parameters, s.id);
    if (!p) {
      if (s.id == 0) return Error{"expression", "t", "the time t can't be used here"};
      const std::string name = nameOf(m_, s, false);
      return Error{"expression", name, fmt::format("'{}' is no parameter and can't be used here", name)};
    }
    return parameter(*p);
  }

  Result<Quantity> parameter(const Parameter& p) {
    const auto known = values_.find(p.id);
    if (known != values_.end()) return known->second;
    for (std::size_t i = 0; i < open_.size(); ++i)
      if (open_[i]->id == p.id) {
        std::string circle;
        for (; i < open_.size(); ++i) circle += open_[i]->name + " -> ";
        return Error{"cycle", p.name, fmt::format("parameters go in a circle: {}{}", circle, p.name)};
      }
    if (!p.value.formula) return Quantity{p.value.number, {}, false};
    open_.push_back(&p);
    auto q = p.value.formula->evaluate([&](const Symbol& s) { return symbol(s); });
    open_.pop_back();
    if (q.ok()) values_.emplace(p.id, *q);
    return q;
  }

  bool parameters() {
    for (const auto& p : m_.parameters) {
      const auto q = parameter(*p);
      if (!q.ok())
        return q.error().code == "cycle" ? (error_ = q.error(), false)
                                         : fail(q.error().code, "parameter " + p->name, q.error().text);
      out_.parameters.emplace_back(p->id, *q);
    }
    return true;
  }

  /// Reads a field into `value`, or fails naming object and quantity.
  bool read(const Field& f, const Dimension& wanted, const std::string& object, const std::string& quantity,
            double& value) {
    const auto q = field(f, wanted);
    if (!q.ok()) return fail(q.error().code, object, quantity + ": " + q.error().text);
    if (!std::isfinite(*q)) return fail("not-finite", object, quantity + " is not a finite number");
    value = *q;
    return true;
  }
  bool read(const Triple& t, const Dimension& wanted, const std::string& object, const std::string& quantity,
            Vec3& value) {
    for (int i = 0; i < 3; ++i)
      if (!read(t[static_cast<std::size_t>(i)], wanted, object, quantity, value[i])) return false;
    return true;
  }
  bool read(const Placement& p, const std::string& object, Pose& pose) {
    Vec3 at;
    if (!read(p.at, dimension::kLength, object, "placement", at)) return false;
    Eigen::Vector4d q;
    for (int i = 0; i < 4; ++i)
      if (!read(p.turn[static_cast<std::size_t>(i)], dimension::kPlain, object, "turn of the placement", q[i]))
        return false;
    if (!(q.norm() > 1e-12) || !(q.norm() < 1e12))
      return fail("zero-turn", object, "the turn of the placement is a quaternion of length zero; use [1, 0, 0, 0]");
    pose = toPose(at, q);
    return true;
  }

  bool direction(const Triple& t, const std::string& object, const std::string& quantity, Vec3& v) {
    // lengths cancel in a direction, so plain numbers and lengths may be mixed freely with a document unit of 1
    for (int i = 0; i < 3; ++i) {
      const Field& f = t[static_cast<std::size_t>(i)];
      if (!f.formula) {
        v[i] = f.number;
        continue;
      }
      const auto q = f.formula->evaluate([&](const Symbol& s) { return symbol(s); });
      if (!q.ok()) return fail(q.error().code, object, quantity + ": " + q.error().text);
      v[i] = q->value;
    }
    return v.allFinite() || fail("not-finite", object, quantity + " is not finite");
  }

  bool seat(const Link& link, const Seat& s) {
    const std::string object = "seat " + link.name + "/" + s.name;
    Pose frame;
    Vec3 axis, ref;
    if (!read(s.at, dimension::kLength, object, "at", frame.p) || !direction(s.axis, object, "axis", axis) ||
        !direction(s.ref, object, "ref", ref))
      return false;
    if (!(axis.norm() > 0)) return fail("zero-axis", object, "the axis is zero; give it a direction");
    if (!(ref.norm() > 0)) return fail("zero-axis", object, "the reference direction is zero; give it a direction");
    if (!axesFrom(axis, ref, frame.R))
      return fail("parallel-axis", object, "axis and reference direction are parallel; turn one of them");
    out_.links.back().seats.push_back({s.id, s.name, frame});
    return true;
  }

  bool body(const Link& link, const Body& b) {
    const std::string object = "body " + link.name + "/" + b.name;
    Resolved::BodyR r{b.id, b.name, b.kind, b.file, b.solid, {}, {}};
    if (!read(b.placement, object, r.placement)) return false;
    for (const std::string& key : elementFigures(b.kind)) {
      const auto it = b.figures.find(key);
      double value = 0;
      if (it == b.figures.end() && key != "bore") return fail("missing", object, key + " is missing");
      if (it != b.figures.end() && !read(it->second, dimension::kLength, object, key, value)) return false;
      if (key == "bore" ? value < 0 : !(value > 0))
        return fail("figure", object, fmt::format("{} must be greater than zero, not {} m", key, formatNumber(value)));
      r.figures.push_back(value);
    }
    if (b.kind == BodyKind::bar && r.figures[3] >= r.figures[1])
      return fail("figure", object, "the bore is as wide as the bar; make it smaller than the width");
    out_.links.back().bodies.push_back(std::move(r));
    return true;
  }

  bool links() {
    for (const auto& link : m_.links) {
      linkIndex_[link->id] = static_cast<int>(out_.links.size());
      out_.links.push_back({link->id, link->name, link->ground, {}, {}, {}});
      if (!read(link->placement, "link " + link->name, out_.links.back().placement)) return false;
      for (const auto& s : link->seats) {
        seatIndex_[s->id] = {linkIndex_[link->id], static_cast<int>(out_.links.back().seats.size())};
        if (!seat(*link, *s)) return false;
      }
      for (const auto& b : link->bodies)
        if (!body(*link, *b)) return false;
    }
    return true;
  }

  bool joint(const Joint& j) {
    const std::string object = "joint " + j.name;
    const auto a = seatIndex_.find(j.seats[0]), b = seatIndex_.find(j.seats[1]);
    if (a == seatIndex_.end() || b == seatIndex_.end())
      return fail("missing-seat", object, "one of its seats is gone; pick the place again");
    if (a->second.first == b->second.first)
      return fail("same-link", object,
                  "both seats are on the link " + out_.links[static_cast<std::size_t>(a->second.first)].name +
                      "; a joint needs two links");
    const auto frame = [&](const std::pair<int, int>& at) {
      return out_.links[static_cast<std::size_t>(at.first)].seats[static_cast<std::size_t>(at.second)].frame;
    };
    Resolved::JointR r{j.id,
                       j.name,
                       j.kind,
                       a->second.first,
                       b->second.first,
                       frame(a->second),
                       frame(b->second),
                       {},
                       j.flip,
                       j.held,
                       j.enabled,
                       {},
                       {},
                       {},
                       0};
    double slide = 0, turn = 0;
    if (!read(j.slideOffset, dimension::kLength, object, "offset slide", slide) ||
        !read(j.turnOffset, dimension::kAngle, object, "offset turn", turn))
      return false;
    r.offset = {rotationAbout(2, turn), Vec3(0, 0, slide)};
    if (j.kind == JointKind::screw) {
      if (!read(j.lead, dimension::kLength, object, "lead", r.lead)) return false;
      if (r.lead == 0) return fail("figure", object, "the lead is zero; a screw needs one");
    }
    const auto& values = infoOf(j.kind).values;
    r.home.resize(values.size());
    r.low.resize(values.size());
    r.high.resize(values.size());
    for (std::size_t i = 0; i < values.size(); ++i) {
      const auto bound = [&](const std::optional<Field>& f, const char* what, std::optional<double>& into) {
        double v = 0;
        if (!f) return true;
        if (!read(*f, dimensionOf(values[i]), object, std::string(what) + " " + values[i].name, v)) return false;
        into = v;
        return true;
      };
      const auto home = j.home.find(values[i].name);
      if (home != j.home.end() && !bound(home->second, "home", r.home[i])) return false;
      const auto stops = j.stops.find(values[i].name);
      if (stops == j.stops.end()) continue;
      if (!bound(stops->second.low, "lower stop of", r.low[i]) ||
          !bound(stops->second.high, "upper stop of", r.high[i]))
        return false;
      if (r.low[i] && r.high[i] && *r.low[i] > *r.high[i])
        return fail("stops", object, fmt::format("the lower stop of {} lies above the upper one", values[i].name));
    }
    out_.joints.push_back(std::move(r));
    return true;
  }

  bool joints() {
    for (const auto& j : m_.joints) {
      jointIndex_[j->id] = static_cast<int>(out_.joints.size());
      if (!joint(*j)) return false;
    }
    return true;
  }

  bool valueRef(const Symbol& s, const std::string& object, Resolved::ValueRef& ref) {
    const auto j = jointIndex_.find(s.id);
    if (j == jointIndex_.end()) {
      const auto l = linkIndex_.find(s.id);
      if (l != linkIndex_.end() && out_.links[static_cast<std::size_t>(l->second)].ground) {
        ref = {-1, -1};
        return true;
      }
      return fail("missing-joint", object, "its joint is gone; choose another");
    }
    const auto& r = out_.joints[static_cast<std::size_t>(j->second)];
    ref = {j->second, valueIndex(r.kind, s.member)};
    if (ref.value < 0)
      return fail("missing-value", object,
                  fmt::format("the joint {} is {} and has no value '{}'", r.name, infoOf(r.kind).name, s.member));
    return true;
  }
  Dimension dimensionOfRef(const Resolved::ValueRef& ref) const {
    if (ref.joint < 0) return dimension::kAngle;
    const auto& values = infoOf(out_.joints[static_cast<std::size_t>(ref.joint)].kind).values;
    return dimensionOf(values[static_cast<std::size_t>(ref.value)]);
  }

  bool couplings() {
    for (const auto& c : m_.couplings) {
      const std::string object = "coupling " + c->name;
      Resolved::CouplingR r{c->id, c->name, {}, {}, c->enabled};
      for (const Symbol& s : c->values) {
        Resolved::ValueRef ref;
        if (!valueRef(s, object, ref)) return false;
        r.values.push_back(ref);
      }
      if (!coefficients(*c, object, r)) return false;
      for (double k : r.coefficients)
        if (k == 0) return fail("figure", object, "a ratio of zero couples nothing");
      out_.couplings.push_back(std::move(r));
    }
    return true;
  }

  bool coefficients(const Coupling& c, const std::string& object, Resolved::CouplingR& r) {
    std::vector<double> f(c.figures.size());
    const auto readAll = [&](const Dimension& d, const char* what) {
      for (std::size_t i = 0; i < f.size(); ++i)
        if (!read(c.figures[i], d, object, what, f[i])) return false;
      return true;
    };
    const double sign = c.flip ? -1 : 1;
    switch (c.kind) {
      case CouplingKind::linear: {
        for (std::size_t i = 0; i < f.size(); ++i) {
          const Field& figure = c.figures[i];
          if (!figure.formula) {
            f[i] = figure.number;  // rad and m whatever the document's units
            continue;
          }
          const auto q = figure.formula->evaluate([&](const Symbol& s) { return symbol(s); });
          if (!q.ok()) return fail(q.error().code, object, "coefficient: " + q.error().text);
          f[i] = q->value;
        }
        r.coefficients = f;
        return true;
      }
      case CouplingKind::gear:
        if (!readAll(dimension::kPlain, "teeth")) return false;
        r.coefficients = {f[0], (c.internal ? -1 : 1) * sign * f[1]};
        return true;
      case CouplingKind::ratio: {
        const Dimension d = dimensionOfRef(r.values[1]) + (-1.0 * dimensionOfRef(r.values[0]));
        if (!readAll(d, "ratio")) return false;
        r.coefficients = {f[0], -1};
        return true;
      }
      case CouplingKind::rack:
        if (!readAll(dimension::kLength, "radius")) return false;
        r.coefficients = {f[0] * sign, -1};
        return true;
      case CouplingKind::screw:
        if (!readAll(dimension::kLength, "lead")) return false;
        r.coefficients = {f[0] / (2 * kPi), -1};
        return true;
      case CouplingKind::belt:
        if (!readAll(c.teeth ? dimension::kPlain : dimension::kLength, c.teeth ? "teeth" : "radii")) return false;
        r.coefficients = {f[0], -sign * f[1]};
        return true;
    }
    return true;
  }

  bool row(const ProgrammeRow& row, const Dimension& value, const std::string& object, Resolved::RowR& r) {
    r.law = row.law;
    if (!isLaw(row.law))
      return fail("law", object, fmt::format("there is no motion law '{}' in this version", row.law));
    for (const std::string& key : figuresOf(row.law)) {
      const bool either = key == "to" || key == "by";
      if (!either && key != "formula" && row.figures.count(key) == 0)
        return fail("missing", object, fmt::format("the row '{}' lacks '{}'", row.law, key));
      if (key == "to" && row.figures.count("to") + row.figures.count("by") != 1)
        return fail("missing", object, fmt::format("the row '{}' needs either 'to' or 'by'", row.law));
    }
    for (const auto& [key, f] : row.figures) {
      const auto d = figureDimension(row.law, key, value);
      if (!d) continue;
      if (key == "formula") {
        r.formula = f.formula;
        if (!f.formula || !formulaFits(*f.formula, *d, object)) {
          if (!f.formula) return fail("formula", object, "the formula is a plain number; use a dwell instead");
          return false;
        }
        continue;
      }
      double v = 0;
      if (!read(f, *d, object, key, v)) return false;
      if (key == "time" && !(v > 0)) return fail("figure", object, "the time of a row must be greater than zero");
      if (key == "acceleration" && !(v > 0))
        return fail("figure", object, "the acceleration of a row must be greater than zero");
      r.figures[key] = v;
    }
    for (const Field& f : row.list) {
      double v = 0;
      if (!read(f, value, object, "coefficients", v)) return false;
      r.list.push_back(v);
    }
    return true;
  }
  bool formulaFits(const Expression& e, const Dimension& d, const std::string& object) {
    const auto q = e.evaluate([&](const Symbol& s) -> Result<Quantity> {
      if (s.id == 0) return Quantity{0.37, {}, false};  // any time: only the dimension is asked
      return symbol(s);
    });
    if (!q.ok() && q.error().text.find("finite") == std::string::npos) return fail("formula", object, q.error().text);
    if (q.ok()) {
      const auto si = toSi(*q, d, m_.units);
      if (!si.ok()) return fail("formula", object, si.error().text);
    }
    return true;
  }

  bool drives() {
    for (const auto& d : m_.drives) {
      const std::string object = "drive " + d->name;
      Resolved::DriveR r{d->id, d->name, {}, {}, d->reverse, d->enabled};
      if (!valueRef(d->value, object, r.value)) return false;
      if (r.value.joint < 0) return fail("missing-joint", object, "ground can't be driven");
      const auto& kind = infoOf(out_.joints[static_cast<std::size_t>(r.value.joint)].kind);
      if (!kind.values[static_cast<std::size_t>(r.value.value)].drivable)
        return fail("figure", object, "this value can only be read, not driven");
      for (const ProgrammeRow& given : d->programme) {
        r.rows.emplace_back();
        if (!row(given, dimensionOfRef(r.value), object, r.rows.back())) return false;
      }
      driveIndex_[d->id] = static_cast<int>(out_.drives.size());
      out_.drives.push_back(std::move(r));
    }
    return true;
  }

  bool gauge(const Gauge& g) {
    const std::string object = "gauge " + g.name;
    const GaugeKind* kind = gaugeKind(g.kind);
    if (!kind) {  // a later version's kind: keep the file usable and say so
      warn("gauge", object, fmt::format("this version can't compute the kind '{}'", g.kind));
      out_.gauges.push_back({g.id, g.name, "", {}, {}, {}, -1, 3, -1, {}, {}});
      return true;
    }
    Resolved::GaugeR r{g.id, g.name, g.kind, {}, {}, {}, -1, 3, -1, {}, {}};
    if (g.in) {
      const auto in = linkIndex_.find(*g.in);
      if (in == linkIndex_.end()) return fail("missing-link", object, "the link that it is measured in is gone");
      r.in = in->second;
    }
    if (!g.component.empty()) {
      const std::size_t i = std::string("xyz").find(g.component);
      if (g.component != "size" && (i == std::string::npos || g.component.size() != 1))
        return fail("figure", object, fmt::format("component '{}' is none of x, y, z, size", g.component));
      r.component = g.component == "size" ? 3 : static_cast<int>(i);
    }
    if (g.about) {
      const auto s = seatIndex_.find(g.about->id);
      if (s == seatIndex_.end()) return fail("missing-seat", object, "the seat it is measured about is gone");
      r.about = s->second;
    }
    const auto need = [&](std::size_t n, const char* what) {
      return g.of.size() == n || fail("figure", object, fmt::format("needs {} in 'of'", what));
    };
    const auto readSeats = [&]() {
      for (const Symbol& s : g.of) {
        const auto it = seatIndex_.find(s.id);
        if (it == seatIndex_.end()) return fail("missing-seat", object, "a seat that it measures is gone");
        r.seats.push_back(it->second);
      }
      return true;
    };
    const auto readLinks = [&]() {
      for (const Symbol& s : g.of) {
        const auto it = linkIndex_.find(s.id);
        if (it == linkIndex_.end()) return fail("missing-link", object, "a link that it measures is gone");
        r.links.push_back(it->second);
      }
      return true;
    };
    switch (kind->measures) {
      case Measures::jointValue:
      case Measures::jointRate:
      case Measures::jointAcceleration:
      case Measures::ratio:
        if (!need(kind->measures == Measures::ratio ? 2 : 1, "a joint value (two for a ratio)")) return false;
        for (const Symbol& s : g.of) {
          r.values.emplace_back();
          if (!valueRef(s, object, r.values.back())) return false;
        }
        break;
      case Measures::point:
      case Measures::pointRate:
      case Measures::pointAcceleration:
        if (!need(1, "one seat") || !readSeats()) return false;
        break;
      case Measures::distance:
      case Measures::angle:
        if (!need(2, "two seats") || !readSeats()) return false;
        break;
      case Measures::linkRate:
      case Measures::linkAcceleration:
        if (!need(1, "one link") || !readLinks()) return false;
        break;
      case Measures::clearance:
        if (!need(2, "two links") || !readLinks()) return false;
        break;
      case Measures::transmission: {
        if (!need(1, "one joint")) return false;
        const auto it = jointIndex_.find(g.of[0].id);
        if (it == jointIndex_.end()) return fail("missing-joint", object, "its joint is gone");
        r.joint = it->second;
      }
    }
    switch (kind->measures) {
      case Measures::jointValue: r.dimension = dimensionOfRef(r.values[0]); break;
      case Measures::jointRate: r.dimension = dimensionOfRef(r.values[0]) + kPerSecond; break;
      case Measures::jointAcceleration: r.dimension = dimensionOfRef(r.values[0]) + 2.0 * kPerSecond; break;
      case Measures::ratio: r.dimension = dimensionOfRef(r.values[0]) + (-1.0 * dimensionOfRef(r.values[1])); break;
      case Measures::point:
      case Measures::distance:
      case Measures::clearance: r.dimension = dimension::kLength; break;
      case Measures::pointRate: r.dimension = dimension::kSpeed; break;
      case Measures::pointAcceleration: r.dimension = dimension::kAcceleration; break;
      case Measures::linkRate: r.dimension = dimension::kTurnSpeed; break;
      case Measures::linkAcceleration: r.dimension = dimension::kTurnAcceleration; break;
      case Measures::angle:
      case Measures::transmission: r.dimension = dimension::kAngle; break;
    }
    out_.gauges.push_back(std::move(r));
    return true;
  }

  bool gauges() {
    for (const auto& g : m_.gauges) {
      gaugeIndex_[g->id] = static_cast<int>(out_.gauges.size());
      if (!gauge(*g)) return false;
    }
    return true;
  }

  bool requirements() {
    for (const auto& q : m_.requirements) {
      const std::string object = "requirement " + q->name;
      const auto g = gaugeIndex_.find(q->gauge);
      if (g == gaugeIndex_.end()) return fail("missing-gauge", object, "its gauge is gone; choose another");
      Resolved::RequirementR r{q->id, q->name, g->second, q->measure, {}, {}, {}};
      static const std::vector<std::string> kMeasures{"range", "min", "max", "mean", "end", "at", "always"};
      if (std::find(kMeasures.begin(), kMeasures.end(), q->measure) == kMeasures.end())
        return fail("figure", object, fmt::format("there is no measure '{}'", q->measure));
      const Dimension d = out_.gauges[static_cast<std::size_t>(g->second)].dimension;
      const auto bound = [&](const std::optional<Field>& f, const char* what, std::optional<double>& into) {
        double v = 0;
        if (!f) return true;
        if (!read(*f, d, object, what, v)) return false;
        into = v;
        return true;
      };
      if (!bound(q->min, "min", r.min) || !bound(q->max, "max", r.max)) return false;
      if (q->measure == "at") {
        if (!q->at) return fail("missing", object, "measure 'at' needs a place on the travel axis");
        double v = 0;  // the axis belongs to the run: an angle, a length or a time, told by its own unit
        const auto t = field(*q->at, dimension::kTime), a = field(*q->at, dimension::kAngle),
                   l = field(*q->at, dimension::kLength);
        v = t.ok() ? *t : a.ok() ? *a : l.ok() ? *l : 0;
        if (!t.ok() && !a.ok() && !l.ok()) return fail("figure", object, "at: " + t.error().text);
        if (!q->at->formula) v = q->at->number * m_.units.factor(axisDimension());
        r.at = v;
      }
      out_.requirements.push_back(std::move(r));
    }
    return true;
  }
  Dimension axisDimension() const {
    if (m_.runs.empty() || m_.runs[0]->axis == 0) return dimension::kTime;
    const auto it = driveIndex_.find(m_.runs[0]->axis);
    return it == driveIndex_.end() ? dimension::kTime
                                   : dimensionOfRef(out_.drives[static_cast<std::size_t>(it->second)].value);
  }

  bool run(const Run& given) {
    const std::string object = "run " + given.name;
    Resolved::RunR r{given.id,
                     given.name,
                     0,
                     given.steps,
                     -1,
                     {},
                     {},
                     -1,
                     0,
                     0,
                     given.atLimit == "reverse",
                     given.pastStops,
                     given.stopAtContact,
                     2e-5,
                     2e-5,
                     1e-4,
                     1e-5,
                     given.check,
                     {}};
    if (given.steps < 1 || given.steps > 10000000)
      return fail("figure", object, "the number of steps must lie between 1 and 10,000,000");
    const auto drive = [&](Id id, int& index) {
      const auto it = driveIndex_.find(id);
      if (it == driveIndex_.end()) return fail("missing-drive", object, "a drive that it names is gone");
      index = it->second;
      return true;
    };
    if (given.axis != 0 && !drive(given.axis, r.axis)) return false;
    if (given.drives) {
      for (Id id : *given.drives) {
        r.drives.push_back(-1);
        if (!drive(id, r.drives.back())) return false;
      }
    } else {
      for (std::size_t i = 0; i < out_.drives.size(); ++i)
        if (out_.drives[i].enabled) r.drives.push_back(static_cast<int>(i));
    }
    for (const auto& [id, f] : given.start) {
      int index = -1;
      double v = 0;
      if (!drive(id, index)) return false;
      if (!read(f, dimensionOfRef(out_.drives[static_cast<std::size_t>(index)].value), object, "start", v))
        return false;
      r.start.emplace_back(index, v);
    }
    if (given.sweep) {
      if (!drive(given.sweep->drive, r.sweepDrive)) return false;
      const Dimension d = dimensionOfRef(out_.drives[static_cast<std::size_t>(r.sweepDrive)].value);
      double speed = 0;
      if (!read(given.sweep->from, d, object, "from", r.sweepFrom) ||
          !read(given.sweep->to, d, object, "to", r.sweepTo) ||
          !read(given.sweep->speed, d + kPerSecond, object, "speed", speed))
        return false;
      if (!(std::abs(speed) > 0)) return fail("figure", object, "the speed of the sweep is zero");
      r.duration = std::abs((r.sweepTo - r.sweepFrom) / speed);
      if (given.axis == 0) r.axis = r.sweepDrive;
    } else if (given.duration) {
      if (!read(*given.duration, dimension::kTime, object, "duration", r.duration)) return false;
    } else {
      return fail("missing", object, "needs a duration or a sweep");
    }
    if (!(r.duration > 0)) return fail("figure", object, "the duration must be greater than zero");
    const auto option = [&](const std::optional<Field>& f, const Dimension& d, const char* what, double& into) {
      if (!f) return true;
      if (!read(*f, d, object, what, into)) return false;
      return into > 0 || fail("figure", object, std::string(what) + " must be greater than zero");
    };
    if (!option(given.accuracy, dimension::kLength, "accuracy", r.accuracy) ||
        !option(given.fitDepth, dimension::kLength, "fit_depth", r.fitDepth) ||
        !option(given.fitAngle, dimension::kAngle, "fit angle", r.fitAngle))
      return false;
    for (const auto& [a, b] : given.leaveOut) {
      const auto ia = linkIndex_.find(a), ib = linkIndex_.find(b);
      if (ia != linkIndex_.end() && ib != linkIndex_.end()) r.leaveOut.emplace_back(ia->second, ib->second);
    }
    out_.runs.push_back(std::move(r));
    return true;
  }
  bool runs() {
    for (const auto& r : m_.runs)
      if (!run(*r)) return false;
    return true;
  }

  const Mechanism& m_;
  Resolved out_;
  Error error_;
  std::unordered_map<Id, Quantity> values_;
  std::vector<const Parameter*> open_;
  std::unordered_map<Id, int> linkIndex_, jointIndex_, driveIndex_, gaugeIndex_;
  std::unordered_map<Id, std::pair<int, int>> seatIndex_;
};

}  // namespace

Result<Resolved> resolve(const Mechanism& mechanism) { return Resolver(mechanism).run(); }

Result<double> evaluateField(const Mechanism& mechanism, const Field& field, const Dimension& wanted) {
  return Resolver(mechanism).field(field, wanted);
}

Result<Dimension> gaugeDimension(const Mechanism& mechanism, const Gauge& gauge) {
  const auto r = resolve(mechanism);
  if (!r.ok()) return r.error();
  for (const auto& g : r->gauges)
    if (g.id == gauge.id) return g.dimension;
  return Error{"gauge", gauge.name, gauge.name + ": there is no such gauge"};
}

Pose toPose(const Eigen::Vector3d& at, const Eigen::Vector4d& turn) {
  return {Quat(turn[0], turn[1], turn[2], turn[3]).normalized().toRotationMatrix(), at};
}

}  // namespace cooperage::model
