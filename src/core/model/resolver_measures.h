// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Part of resolve.cpp, in its own file by length: gauges, requirements, runs.
#include <algorithm>

#include "model/resolver_motion.h"

namespace cooperage::model {

enum class Measures {
  jointValue,
  jointRate,
  jointAcceleration,
  jointJerk,
  ratio,
  point,
  pointRate,
  pointAcceleration,
  linkRate,
  linkAcceleration,
  distance,
  angle,
  transmission,
  clearance,
  pressureAngle,
  curvature,
  formula
};
struct GaugeKind {
  const char* name;
  Measures measures;
};
inline constexpr GaugeKind kGaugeKinds[] = {
    {"joint-value", Measures::jointValue},
    {"joint-rate", Measures::jointRate},
    {"joint-acceleration", Measures::jointAcceleration},
    {"joint-jerk", Measures::jointJerk},
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
    {"pressure-angle", Measures::pressureAngle},
    {"curvature", Measures::curvature},
    {"formula", Measures::formula},
};
inline const GaugeKind* gaugeKind(const std::string& name) {
  for (const GaugeKind& k : kGaugeKinds)
    if (name == k.name) return &k;
  return nullptr;
}

inline const Dimension kPerSecond{0, 0, 0, -1};

class MeasureResolver : public MotionResolver {
 public:
  using MotionResolver::MotionResolver;

 protected:
  bool gauge(const Gauge& g) {
    const std::string object = "gauge " + g.name;
    const GaugeKind* kind = gaugeKind(g.kind);
    if (!kind) {  // a later version's kind: keep the file usable and say so
      warn("gauge", object, fmt::format("this version can't compute the kind '{}'", g.kind));
      out_.gauges.push_back({g.id, g.name, "", {}, {}, {}, -1, 3, -1, -1, nullptr, {}, {}});
      return true;
    }
    Resolved::GaugeR r{g.id, g.name, g.kind, {}, {}, {}, -1, 3, -1, -1, nullptr, {}, {}};
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
      case Measures::jointJerk:
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
        break;
      }
      case Measures::pressureAngle:
      case Measures::curvature: {
        if (!need(1, "one cam pair")) return false;
        const auto it = pairIndex_.find(g.of[0].id);
        if (it == pairIndex_.end()) return fail("missing-pair", object, "its cam pair is gone");
        r.pair = it->second;
        break;
      }
      case Measures::formula:
        if (!g.formula.formula) return fail("formula", object, "the formula is a plain number");
        if (!formulaDimension(g, object, r.dimension) || !valueFormula(g.formula, r.dimension, object, r.formula))
          return false;
    }
    switch (kind->measures) {
      case Measures::jointValue: r.dimension = dimensionOfRef(r.values[0]); break;
      case Measures::jointRate: r.dimension = dimensionOfRef(r.values[0]) + kPerSecond; break;
      case Measures::jointAcceleration: r.dimension = dimensionOfRef(r.values[0]) + 2.0 * kPerSecond; break;
      case Measures::jointJerk: r.dimension = dimensionOfRef(r.values[0]) + 3.0 * kPerSecond; break;
      case Measures::ratio: r.dimension = dimensionOfRef(r.values[0]) + (-1.0 * dimensionOfRef(r.values[1])); break;
      case Measures::point:
      case Measures::distance:
      case Measures::clearance: r.dimension = dimension::kLength; break;
      case Measures::pointRate: r.dimension = dimension::kSpeed; break;
      case Measures::pointAcceleration: r.dimension = dimension::kAcceleration; break;
      case Measures::linkRate: r.dimension = dimension::kTurnSpeed; break;
      case Measures::linkAcceleration: r.dimension = dimension::kTurnAcceleration; break;
      case Measures::angle:
      case Measures::pressureAngle:
      case Measures::transmission: r.dimension = dimension::kAngle; break;
      case Measures::curvature: r.dimension = -1.0 * dimension::kLength; break;
      case Measures::formula: break;
    }
    out_.gauges.push_back(std::move(r));
    return true;
  }

  /// What a formula of joint values measures: its own dimension.
  bool formulaDimension(const Gauge& g, const std::string& object, Dimension& d) {
    const auto q = g.formula.formula->evaluate([&](const Symbol& s) -> Result<Quantity> {
      Resolved::ValueRef ref;
      if (findById(m_.parameters, s.id)) return symbol(s);
      if (s.id == 0) return Error{"formula", "t", "the time can't be used here"};
      if (!valueRef(s, object, ref)) return error_;
      return Quantity{0.4321, dimensionOfRef(ref), true};
    });
    if (!q.ok() && q.error().text.find("finite") == std::string::npos) return fail("formula", object, q.error().text);
    if (q.ok()) d = q->dimension;
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
        !option(given.fitAngle, dimension::kAngle, "fit angle", r.fitAngle) ||
        !option(given.fitLength, dimension::kPlain, "fit length", r.fitLength))
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
};

}  // namespace cooperage::model
