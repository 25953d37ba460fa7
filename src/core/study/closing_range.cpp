// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/closing_range.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <functional>
#include <optional>

#include "kinematics/home.h"
#include "model/drawn_dimensions.h"
#include "model/edits.h"
#include "shape/refresh.h"

namespace cooperage::study {

using namespace model;

namespace {

constexpr std::chrono::milliseconds kLongest{2000};

/// One figure of a document: what it is called, its values before and now (SI), and how another is put in its place.
struct Changed {
  std::string name;
  Dimension dimension;
  double was = 0, now = 0;
  std::function<Result<Mechanism>(double)> with;
};

Result<Field> fieldOf(const Mechanism& m, double v, const Dimension& d) {
  const std::string label = m.units.label(d);
  return parseField(m, formatNumber(v / m.units.factor(d)) + (label.empty() ? "" : " " + label));
}

/// Collects the figures that differ; more than one of them and the answer is none.
class Difference {
 public:
  Difference(const Mechanism& good, const Mechanism& bad) : good_(good), bad_(bad) {
    const auto r = resolve(bad);
    if (!r.ok() || good.links.size() != bad.links.size() || good.joints.size() != bad.joints.size()) return;
    parameters(*r);
    bodies();
    dimensions();
    homes();
  }
  std::optional<Changed> only() const {
    return found_.size() == 1 ? std::optional<Changed>(found_.front()) : std::nullopt;
  }

 private:
  void add(const std::string& name, const Dimension& d, const Field& was, const Field& now,
           std::function<Mechanism(const Field&)> with) {
    const auto a = evaluateField(good_, was, d), b = evaluateField(bad_, now, d);
    if (!a.ok() || !b.ok() || *a == *b) return;
    found_.push_back({name, d, *a, *b, [this, with, d](double v) -> Result<Mechanism> {
                        const auto f = fieldOf(good_, v, d);
                        if (!f.ok()) return f.error();
                        return with(*f);
                      }});
  }
  void parameters(const Resolved& r) {
    for (const auto& p : bad_.parameters) {
      const auto old = findById(good_.parameters, p->id);
      if (!old) continue;
      Dimension d;
      for (const auto& [id, value] : r.parameters)
        if (id == p->id) d = value.dimension;
      add(p->name, d, old->value, p->value, [this, id = p->id](const Field& f) {
        return changed<Parameter>(good_, &Mechanism::parameters, id, [&](Parameter& x) { x.value = f; });
      });
    }
  }
  void bodies() {
    for (const auto& l : bad_.links)
      for (const auto& b : l->bodies) {
        const auto old = findBody(good_, b->id);
        if (!old || old->body->kind != b->kind) continue;
        for (const auto& name : elementFigures(b->kind)) {
          const auto a = old->body->figures.find(name.name), c = b->figures.find(name.name);
          if (a == old->body->figures.end() || c == b->figures.end()) continue;
          // one that names a parameter changes with it, and is told there
          if (a->second.formula && c->second.formula && fieldText(good_, a->second) == fieldText(bad_, c->second))
            continue;
          add(fmt::format("{} of {}", name.name, b->name), name.dimension, a->second, c->second,
              [this, id = b->id, key = std::string(name.name)](const Field& f) {
                return changedBody(good_, id, [&](Body& x) { x.figures[key] = f; });
              });
        }
      }
  }
  /// Those of links that are drawn as lines; one that is new held nothing before, and was what it measured.
  void dimensions() {
    for (const auto& l : bad_.links) {
      const auto before = findLink(good_, l->id);
      if (!before) continue;
      for (const auto& d : l->dimensions) {
        const Dimension unit = d->kind == DimensionKind::angle ? dimension::kAngle : dimension::kLength;
        const auto old = findById(before->dimensions, d->id);
        if (old && old->value.formula && d->value.formula && fieldText(good_, old->value) == fieldText(bad_, d->value))
          continue;  // it changes with a parameter, which is told
        const auto now = measured(good_, l->id, *d);
        if (!old && !now) continue;
        add(fmt::format("{} of {}", d->kind.text(), l->name), unit,
            old ? old->value : Field(*now / good_.units.factor(unit)), d->value,
            [this, link = l->id, d](const Field& f) {
              return changedLink(good_, link, [&](Link& x) {
                DrawnDimension other = *d;
                other.value = f;
                dropIf(x.dimensions, [&](const DrawnDimension& k) { return k.id == d->id; });
                x.dimensions.push_back(std::make_shared<const DrawnDimension>(std::move(other)));
              });
            });
      }
    }
  }
  void homes() {
    for (const auto& j : bad_.joints) {
      const auto old = findJoint(good_, j->id);
      if (!old || old->kind != j->kind) continue;
      for (const auto& [key, field] : j->home) {
        const auto a = old->home.find(key);
        const int v = valueIndex(j->kind, key);
        if (a == old->home.end() || v < 0) continue;
        add("home of " + j->name, dimensionOf(infoOf(j->kind).values[static_cast<std::size_t>(v)]), a->second, field,
            [this, id = j->id, k = key](const Field& f) {
              return changedJoint(good_, id, [&](Joint& x) { x.home[k] = f; });
            });
      }
    }
  }

  const Mechanism &good_, &bad_;
  std::vector<Changed> found_;
};

}  // namespace

std::string changedFigure(const Mechanism& good, const Mechanism& bad) {
  const Difference difference(good, bad);
  const auto figure = difference.only();
  return figure ? figure->name : std::string();
}

std::string closingRange(const Mechanism& good, const Mechanism& bad, shape::ShapeStore& store, Progress* progress) {
  const Difference difference(good, bad);
  const auto figure = difference.only();
  const auto before = resolve(good);
  if (!figure || !before.ok()) return {};
  const auto until = std::chrono::steady_clock::now() + kLongest;
  const auto enough = [&] { return (progress && progress->cancelled()) || std::chrono::steady_clock::now() > until; };
  double fit = 1e-7;  // what is out already may stay so; what the fit of home tolerates besides is no closing
  const auto closes = [&](double v) {
    const auto next = figure->with(v);
    if (!next.ok()) return false;
    auto after = resolve(*next);
    if (!after.ok()) return false;
    const auto whole = shape::withSeatsOfElements(good, *before, *next, *after, store);
    if (!whole.ok()) return false;
    after = resolve(*whole);
    if (!after.ok()) return false;
    const auto system = kinematics::System::compile(*after);
    if (!system.ok()) return false;
    const auto home = kinematics::assemble(*system, *after);
    return home.ok() && home->misfit <= fit;
  };
  if (const auto system = kinematics::System::compile(*before); system.ok())
    if (const auto home = kinematics::assemble(*system, *before); home.ok()) fit = std::max(fit, 2 * home->misfit);
  if (!closes(figure->was)) return {};
  // the place between one value that closes and one that doesn't
  const auto limit = [&](double inside, double outside) -> std::optional<double> {
    const double fine = 1e-7 * std::abs(outside - inside) + 1e-10;
    while (std::abs(outside - inside) > fine) {
      if (enough()) return std::nullopt;
      const double mid = 0.5 * (inside + outside);
      (closes(mid) ? inside : outside) = mid;
    }
    return inside;
  };
  const auto near = limit(figure->was, figure->now);
  if (!near) return {};
  // the other way: as far as ten times what was gone
  std::optional<double> far;
  double step = figure->was - figure->now, inside = figure->was;
  for (int k = 0; k < 6 && !far; ++k, step *= 2) {
    double next = figure->was + step;
    if (next <= 0 && figure->was > 0 && figure->dimension == dimension::kLength)
      next = 0.5 * inside;  // none is negative
    if (enough()) break;
    if (closes(next))
      inside = next;
    else
      far = limit(inside, next);
  }
  const auto& units = good.units;
  // rounded inwards: what is told closes
  const auto text = [&](double v, bool least) {
    const double unit = units.factor(figure->dimension), grid = 1e-3;
    const double shown = (least ? std::ceil(v / unit / grid - 1e-9) : std::floor(v / unit / grid + 1e-9)) * grid;
    const std::string label = units.label(figure->dimension);
    return formatNumber(shown, 7) + (label == "deg" ? "\u00b0" : label.empty() ? "" : " " + label);
  };
  const bool upper = figure->now > figure->was;
  if (far)
    return fmt::format("{} closes at home from {} to {}", figure->name, text(upper ? *far : *near, true),
                       text(upper ? *near : *far, false));
  return upper ? fmt::format("{} closes at home up to {}", figure->name, text(*near, false))
               : fmt::format("{} closes at home from {} on", figure->name, text(*near, true));
}

}  // namespace cooperage::study
