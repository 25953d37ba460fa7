// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/programme_edits.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "motion/rows.h"

namespace cooperage::model {

namespace {

double tidy(double x) {
  const double r = std::round(x * 1e9) / 1e9;
  return r == 0 ? 0.0 : r;
}

/// A figure moved by an amount; a typed unit stays ("150 deg" becomes "155 deg").
Result<Field> moved(const Mechanism& m, const Field& f, const Dimension& d, double by, const std::string& drive) {
  if (f.formula && !f.formula->references().empty())
    return Error{"formula", drive,
                 fmt::format("drive {}: '{}' is a formula of parameters; change those", drive, fieldText(m, f))};
  const auto now = evaluateField(m, f, d);
  if (!now.ok()) return now.error();
  const double plain = tidy((*now + by) / m.units.factor(d));
  if (!f.formula) return Field(plain);
  const std::string text = fieldText(m, f);
  const auto space = text.find(' ');
  if (space != std::string::npos) {
    const auto one = parseField(m, "1 " + text.substr(space + 1));
    if (one.ok())
      if (const auto unit = evaluateField(m, *one, d); unit.ok() && *unit > 0)
        if (const auto typed = parseField(m, formatNumber(tidy((*now + by) / *unit)) + " " + text.substr(space + 1));
            typed.ok())
          return *typed;
  }
  return Field(plain);
}

Field text(const Mechanism& m, const std::string& t) {
  const auto f = parseField(m, t);
  return f.ok() ? *f : Field(0);
}

/// A formula to begin with: a swing, or a speed that settles.
Field formulaFor(const Mechanism& m, const Word<motion::LawKind>& law, const Dimension& value);

bool isMove(const ProgrammeRow& r) { return r.figures.count("to") + r.figures.count("by") == 1; }

/// Figures to begin with, in the units that people type.
Field beginning(const Mechanism& m, const std::string& key, const Dimension& value) {
  const bool angle = value == dimension::kAngle;
  const bool plain = !angle && !(value == dimension::kLength);
  const auto pick = [&](const char* a, const char* l, const char* p) { return text(m, angle ? a : plain ? p : l); };
  if (key == "time") return text(m, "1 s");
  if (key == "to" || key == "by") return pick("90 deg", "20 mm", "0.5");
  if (key == "speed") return pick("30 rpm", "20 mm/s", "0.1 Hz");
  if (key == "acceleration") return pick("360 deg/s^2", "100 mm/s^2", "1 Hz^2");
  if (key == "amplitude") return pick("20 deg", "10 mm", "0.2");
  if (key == "frequency") return text(m, "1 Hz");
  if (key == "formula") return pick("20 deg*sin(2*t)", "10 mm*sin(2*t)", "0.2*sin(2*t)");
  return Field(0);
}

Field formulaFor(const Mechanism& m, const Word<motion::LawKind>& law, const Dimension& value) {
  if (law != motion::LawKind::speedFormula) return beginning(m, "formula", value);
  const std::string speed = fieldText(m, beginning(m, "speed", value));
  return text(m, "(" + speed + ")*(1-exp(-t))");
}

}  // namespace

Dimension drivenDimension(const Mechanism& m, const Drive& drive) {
  if (drive.gauge != 0) {
    const auto g = findById(m.gauges, drive.gauge);
    if (!g) return dimension::kAngle;
    const auto d = gaugeDimension(m, *g);
    return d.ok() ? *d : g->kind == GaugeKind::angle ? dimension::kAngle : dimension::kLength;
  }
  const auto j = findJoint(m, drive.value.id);
  const int v = j ? valueIndex(j->kind, drive.value.member) : -1;
  return v < 0 ? dimension::kAngle : dimensionOf(infoOf(j->kind).values[u(v)]);
}

ProgrammeRow rowWithLaw(const Mechanism& m, const ProgrammeRow& row, const Word<motion::LawKind>& law,
                        const Dimension& value) {
  ProgrammeRow out;
  out.law = law;
  out.extra = row.extra;
  const auto take = [&](const std::string& key) {
    const auto it = row.figures.find(key);
    out.figures[key] = it != row.figures.end() ? it->second : beginning(m, key, value);
    if (key == "formula" && row.law != law) out.figures[key] = formulaFor(m, law, value);  // of another dimension
  };
  if (row.figures.count("time")) take("time");
  for (const std::string& key : motion::figuresOf(law)) {
    if (key != "to") {
      take(key);
      continue;
    }
    const auto speed = row.figures.find("speed");
    if (row.figures.count("to") == 0 && row.figures.count("by") == 0 && speed != row.figures.end() &&
        row.figures.count("time")) {  // as far as the constant speed went
      const auto v = evaluateField(m, speed->second, value + dimension::kPerSecond);
      const auto t = evaluateField(m, row.figures.at("time"), dimension::kTime);
      out.figures["by"] = v.ok() && t.ok() ? Field(tidy(*v * *t / m.units.factor(value))) : beginning(m, "by", value);
    } else {
      take(row.figures.count("to") ? "to" : "by");
    }
  }
  if (law == motion::LawKind::constantSpeed && row.figures.count("speed") == 0 && row.figures.count("by") &&
      row.figures.count("time")) {
    const auto by = evaluateField(m, row.figures.at("by"), value);
    const auto t = evaluateField(m, row.figures.at("time"), dimension::kTime);
    if (by.ok() && t.ok() && *t > 0)
      out.figures["speed"] = Field(tidy(*by / *t / m.units.factor(value + dimension::kPerSecond)));
  }
  if (law == motion::LawKind::dwell || law == motion::LawKind::runUp || law == motion::LawKind::runDown) {
    out.figures.erase("to");
    out.figures.erase("by");
    if (law != motion::LawKind::dwell) out.figures.erase("time");
  }
  if (law == motion::LawKind::table) {
    out.figures.erase("time");
    out.points = row.points;
    out.file = row.file;
    out.interpolation = row.interpolation.empty() ? curves::Interpolation::spline : row.interpolation;
    if (out.points.size() < 2) {
      out.points = {
          {text(m, "0 s"), Field(0)}, {text(m, "0.5 s"), beginning(m, "amplitude", value)}, {text(m, "1 s"), Field(0)}};
    }
  }
  if (law == motion::LawKind::polynomial)
    out.list = row.list.empty() ? std::vector<Field>{Field(0), beginning(m, "by", value)} : row.list;
  if (law == motion::LawKind::spline) out.points = row.points;
  return out;
}

Result<std::pair<Mechanism, Id>> withDrive(const Mechanism& m, const Symbol& value, Id gauge, Purpose purpose,
                                           double now) {
  Drive d;
  d.id = newId();
  d.value = value;
  d.gauge = gauge;
  std::string of;
  if (gauge != 0) {
    const auto g = findById(m.gauges, gauge);
    if (!g) return Error{"drive", "", "the gauge is gone"};
    of = g->name;
  } else {
    const auto j = findJoint(m, value.id);
    if (!j) return Error{"drive", "", "the joint is gone"};
    of = j->name;
    if (infoOf(j->kind).values.size() > 1) of += " " + value.member;
  }
  d.name = freeName(m.drives, of + " drive");
  const Dimension dim = drivenDimension(m, d);
  ProgrammeRow row;
  switch (purpose) {
    case Purpose::steady:
      row = rowWithLaw(m, row, motion::LawKind::constantSpeed, dim);
      row.figures["time"] = text(m, "2 s");
      break;
    case Purpose::goTo: {
      row.law = motion::LawKind::poly345;
      const auto by = evaluateField(m, beginning(m, "by", dim), dim);
      row.figures = {{"to", Field(tidy((now + (by.ok() ? *by : 0)) / m.units.factor(dim)))}, {"time", text(m, "1 s")}};
      break;
    }
    case Purpose::goBy:
      row.law = motion::LawKind::poly345;
      row.figures = {{"by", beginning(m, "by", dim)}, {"time", text(m, "1 s")}};
      break;
    case Purpose::swing: {
      row = rowWithLaw(m, row, motion::LawKind::sine, dim);
      row.figures["mean"] = Field(tidy(now / m.units.factor(dim)));
      row.figures["time"] = text(m, "2 s");
      break;
    }
    case Purpose::followTable: {
      row = rowWithLaw(m, row, motion::LawKind::table, dim);
      for (Pair& p : row.points) {
        const auto v = evaluateField(m, p[1], dim);
        p[1] = Field(tidy((now + (v.ok() ? *v : 0)) / m.units.factor(dim)));
      }
      break;
    }
    case Purpose::followFormula: {
      row = rowWithLaw(m, row, motion::LawKind::formula, dim);
      const std::string unit = m.units.label(dim);
      if (now != 0 && !unit.empty())  // it begins where home stands
        row.figures["formula"] = text(m, fmt::format("{} {} + {}", formatNumber(tidy(now / m.units.factor(dim))), unit,
                                                     fieldText(m, row.figures["formula"])));
      row.figures["time"] = text(m, "2 s");
      break;
    }
  }
  d.programme.push_back(row);
  Mechanism next = m;
  const Id id = d.id;
  next.drives.push_back(std::make_shared<const Drive>(d));
  if (next.runs.empty()) {  // a first drive wants a run to be seen in
    Run run;
    run.id = newId();
    run.name = "first run";
    // it lasts as long as the programme, if that has an end
    if (const auto& only = d.programme.back(); only.figures.count("time") == 0 && only.law != motion::LawKind::table)
      run.duration = text(m, "2 s");
    run.axis = purpose == Purpose::steady ? id : 0;
    next.runs.push_back(std::make_shared<const Run>(run));
  }
  if (const auto r = resolve(next); !r.ok()) return r.error();
  return std::pair{next, id};
}

Result<std::pair<Mechanism, Id>> withFollower(const Mechanism& m, const Symbol& value, const Symbol& leader) {
  const auto j = findJoint(m, value.id), k = findJoint(m, leader.id);
  if (!j || !k) return Error{"coupling", "", "choose two joint values: the one that follows and the one that leads"};
  Coupling c;
  c.id = newId();
  c.kind = CouplingKind::formula;
  c.name = freeName(m.couplings, j->name + " follows " + k->name);
  c.values = {value};
  const int a = valueIndex(j->kind, value.member), b = valueIndex(k->kind, leader.member);
  if (a < 0 || b < 0)
    return Error{"coupling", "", "choose two joint values: the one that follows and the one that leads"};
  const bool turnA = dimensionOf(infoOf(j->kind).values[u(a)]) == dimension::kAngle;
  const bool turnB = dimensionOf(infoOf(k->kind).values[u(b)]) == dimension::kAngle;
  const std::string name = nameOf(m, leader, true);
  const std::string formula = turnA == turnB ? "1*" + name : turnB ? "10 mm/rad*" + name : "0.1 rad/mm*" + name;
  const auto f = parseField(m, formula);
  if (!f.ok()) return f.error();
  c.formula = *f;
  Mechanism next = m;
  next.couplings.push_back(std::make_shared<const Coupling>(c));
  if (const auto r = resolve(next); !r.ok()) return r.error();
  return std::pair{next, c.id};
}

Mechanism withRows(const Mechanism& m, Id drive, std::vector<ProgrammeRow> rows) {
  Mechanism out = m;
  const auto d = findById(m.drives, drive);
  if (!d) return out;
  if (findById(m.programmes, d->shared))
    change<NamedProgramme>(out.programmes, d->shared, [&](NamedProgramme& p) { p.rows = std::move(rows); });
  else
    change<Drive>(out.drives, drive, [&](Drive& x) { x.programme = std::move(rows); });
  return out;
}

Mechanism withNamedProgramme(const Mechanism& m, Id drive, const std::string& name) {
  Mechanism out = m;
  const auto d = findById(m.drives, drive);
  if (!d || d->shared != 0) return out;
  NamedProgramme p;
  p.id = newId();
  p.name = freeName(m.programmes, name);
  p.rows = d->programme;
  out.programmes.push_back(std::make_shared<const NamedProgramme>(p));
  change<Drive>(out.drives, drive, [&](Drive& x) {
    x.shared = p.id;
    x.programme.clear();
  });
  return out;
}

Mechanism withShared(const Mechanism& m, Id drive, Id programme) {
  Mechanism out = m;
  const auto d = findById(m.drives, drive);
  if (!d) return out;
  const auto rows = rowsOf(m, *d);
  change<Drive>(out.drives, drive, [&](Drive& x) {
    x.shared = programme;
    if (programme != 0)
      x.programme.clear();
    else
      x.programme = rows;
  });
  return out;
}

Mechanism withRowAfter(const Mechanism& m, Id drive, int at, const Word<motion::LawKind>& law) {
  const auto d = findById(m.drives, drive);
  if (!d) return m;
  auto rows = rowsOf(m, *d);
  ProgrammeRow row;
  if (law != motion::LawKind::dwell && at >= 0 && at < static_cast<int>(rows.size()) && isMove(rows[u(at)])) {
    row = rows[u(at)];  // such a move again, from where it ends
    if (row.figures.count("to")) {
      row.figures["by"] = beginning(m, "by", drivenDimension(m, *d));
      row.figures.erase("to");
    }
  }
  row = rowWithLaw(m, row, law, drivenDimension(m, *d));
  if (row.figures.count("to")) {
    row.figures["by"] = row.figures["to"];
    row.figures.erase("to");
  }
  rows.insert(rows.begin() + std::clamp(at + 1, 0, static_cast<int>(rows.size())), row);
  return withRows(m, drive, rows);
}

Mechanism withoutRow(const Mechanism& m, Id drive, int row) {
  const auto d = findById(m.drives, drive);
  if (!d) return m;
  auto rows = rowsOf(m, *d);
  if (row >= 0 && row < static_cast<int>(rows.size())) rows.erase(rows.begin() + row);
  return withRows(m, drive, rows);
}

Mechanism withRowMoved(const Mechanism& m, Id drive, int row, int by) {
  const auto d = findById(m.drives, drive);
  if (!d) return m;
  auto rows = rowsOf(m, *d);
  const int other = row + by, n = static_cast<int>(rows.size());
  if (row < 0 || row >= n || other < 0 || other >= n) return m;
  std::swap(rows[u(row)], rows[u(other)]);
  return withRows(m, drive, rows);
}

Result<Mechanism> withKnotMoved(const Mechanism& m, Id drive, int knot, double time, double value, bool rest) {
  const auto d = findById(m.drives, drive);
  if (!d) return Error{"drive", "", "the drive is gone"};
  auto rows = rowsOf(m, *d);
  const int n = static_cast<int>(rows.size());
  if (knot < 1 || knot > n)
    return Error{"knot", d->name, fmt::format("drive {}: its start is the home value", d->name)};
  const Dimension dim = drivenDimension(m, *d);
  const auto add = [&](int row, const char* key, const Dimension& kind, double by, const char* what) -> Status {
    const auto it = rows[u(row)].figures.find(key);
    if (it == rows[u(row)].figures.end())
      return Error{"knot", d->name,
                   fmt::format("drive {}: {} of row {} ({}) follows from its other figures; change those", d->name,
                               what, row + 1, rows[u(row)].law.text())};
    const auto f = moved(m, it->second, kind, by, d->name);
    if (!f.ok()) return f.error();
    it->second = *f;
    return Done{};
  };
  if (time != 0) {
    if (const Status s = add(knot - 1, "time", dimension::kTime, time, "the length"); !s.ok()) return s.error();
    if (!rest && knot < n)
      if (const Status s = add(knot, "time", dimension::kTime, -time, "the length"); !s.ok()) return s.error();
  }
  if (value != 0) {
    const double by = d->reverse ? -value : value;
    int leads = knot - 1;  // the row that leads to this level
    while (leads >= 0 && rows[u(leads)].law == motion::LawKind::dwell) --leads;
    if (leads < 0)
      return Error{"knot", d->name, fmt::format("drive {}: it dwells at its home value until here", d->name)};
    auto& row = rows[u(leads)];
    if (row.law == motion::LawKind::constantSpeed) {
      const auto t = evaluateField(m, row.figures["time"], dimension::kTime);
      if (!t.ok()) return t.error();
      if (const Status s = add(leads, "speed", dim + dimension::kPerSecond, by / *t, "the speed"); !s.ok())
        return s.error();
    } else if (isMove(row)) {
      const char* key = row.figures.count("to") ? "to" : "by";
      if (const Status s = add(leads, key, dim, by, "the value"); !s.ok()) return s.error();
    } else {
      return Error{"knot", d->name,
                   fmt::format("drive {}: the value at the end of row {} ({}) follows from its figures; change those",
                               d->name, leads + 1, row.law.text())};
    }
    int next = knot;
    while (next < n && rows[u(next)].law == motion::LawKind::dwell) ++next;
    if (!rest && next < n && rows[u(next)].figures.count("by"))
      if (const Status s = add(next, "by", dim, -by, "the value"); !s.ok()) return s.error();
  }
  const Mechanism out = withRows(m, drive, rows);
  if (const auto r = resolve(out); !r.ok()) return r.error();
  return out;
}

Result<Mechanism> withDwell(const Mechanism& m, Id drive, double at, double duration,
                            const motion::Programme& programme) {
  const auto d = findById(m.drives, drive);
  if (!d) return Error{"drive", "", "the drive is gone"};
  auto rows = rowsOf(m, *d);
  const auto& knots = programme.knots();
  const Dimension dim = drivenDimension(m, *d);
  const double second = m.units.factor(dimension::kTime);
  ProgrammeRow dwell;
  dwell.law = motion::LawKind::dwell;
  dwell.figures["time"] = Field(tidy(duration / second));
  std::size_t row = 0;
  while (row + 1 < rows.size() && row + 1 < knots.size() && at >= knots[row + 1]) ++row;
  const double start = knots[row], end = row + 1 < knots.size() ? knots[row + 1] : start;
  const auto near = [&](double k) { return std::abs(at - k) < 0.03 * std::max(end - start, 1e-9); };
  if (rows.empty() || at >= programme.end() || near(end)) {
    rows.insert(rows.begin() + static_cast<std::ptrdiff_t>(std::min(row + 1, rows.size())), dwell);
  } else if (near(start)) {
    rows.insert(rows.begin() + static_cast<std::ptrdiff_t>(row), dwell);
  } else if (rows[row].law == motion::LawKind::dwell) {
    const auto f = moved(m, rows[row].figures["time"], dimension::kTime, duration, d->name);
    if (!f.ok()) return f.error();
    rows[row].figures["time"] = *f;
  } else if (isMove(rows[row]) || rows[row].law == motion::LawKind::constantSpeed) {
    ProgrammeRow one = rows[row], two = rows[row];
    const double sign = d->reverse ? -1 : 1;
    const double done = sign * (programme.at(at).position - programme.at(start).position);
    const double all = sign * (programme.at(end).position - programme.at(start).position);
    one.figures["time"] = Field(tidy((at - start) / second));
    two.figures["time"] = Field(tidy((end - at) / second));
    if (isMove(rows[row])) {
      one.figures.erase("to");
      one.figures["by"] = Field(tidy(done / m.units.factor(dim)));
      if (two.figures.count("by")) two.figures["by"] = Field(tidy((all - done) / m.units.factor(dim)));
      one.points.clear();
      two.points.clear();
    }
    rows[row] = one;
    rows.insert(rows.begin() + static_cast<std::ptrdiff_t>(row) + 1, {dwell, two});
  } else {
    return Error{"row", d->name,
                 fmt::format("drive {}: a row of the law {} can't be parted; put the dwell before or after it", d->name,
                             rows[row].law.text())};
  }
  const Mechanism out = withRows(m, drive, rows);
  if (const auto r = resolve(out); !r.ok()) return r.error();
  return out;
}

}  // namespace cooperage::model
