// SPDX-License-Identifier: GPL-3.0-or-later
// Cards of what is measured: gauges with what is read off their curves, requirements, paths.
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <algorithm>

#include "../gauge_readings.h"
#include "../strip/lane_list.h"
#include "../text.h"
#include "../theme.h"
#include "card_page.h"
#include "model/gauge_edits.h"

namespace cooperage::app {

using namespace model;

namespace {
/// Tells how a requirement was judged in the run.
class JudgedPage : public CardPage {
 public:
  using CardPage::CardPage;

 protected:
  void judged(QFormLayout* form, const Requirement& requirement);
};
class GaugePage : public JudgedPage {
 public:
  using JudgedPage::JudgedPage;
  void showGauge(const Gauge& gauge);

 private:
  void reactionOn(QFormLayout* form, const Gauge& gauge);
  void gaugeBounds(const Gauge& gauge);
  void gaugeReadings(const Gauge& gauge);
  void gaugeOverlay(const Gauge& gauge);
};
class RequirementPage : public JudgedPage {
 public:
  using JudgedPage::JudgedPage;
  void showRequirement(const Requirement& requirement);
};
class PathPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showPath(const Path& path);
};
}  // namespace

void GaugePage::showGauge(const Gauge& gauge) {
  const auto& m = *bench_.document().mechanism();
  heading(q(gauge.name), tr("gauge"));
  auto* form = section();
  nameField(form, gauge.id, gauge.name);
  QString of;
  for (const auto& s : gauge.of) of += (of.isEmpty() ? "" : ", ") + q(nameOf(m, s, false));
  const Id id = gauge.id;
  const auto change = [this, id](std::function<void(Gauge&)> edit) {
    return changed<Gauge>(*bench_.document().mechanism(), &Mechanism::gauges, id, edit);
  };
  if (gauge.kind == GaugeKind::formula)
    optionalFigure(form, tr("Formula"), QStringLiteral("formula"), gauge.formula,
                   [change](const std::optional<Field>& f) {
                     return change([&](Gauge& g) { g.formula = f.value_or(Field(0)); });
                   });
  else
    note(form, of.isEmpty() ? q(gauge.kind.text()).replace('-', ' ')
                            : tr("%1 of %2").arg(q(gauge.kind.text()).replace('-', ' '), of));
  const bool forces = hasForceComponent(gauge.kind);
  const bool vector = isOfPoint(gauge.kind) || isOfLink(gauge.kind) || gauge.kind == GaugeKind::massCentre || forces;
  if (gauge.kind == GaugeKind::reaction) reactionOn(form, gauge);
  if (gauge.kind == GaugeKind::energy) {
    std::vector<std::pair<QString, QString>> parts;
    for (const auto word : wordsOf(EnergyPart{})) parts.emplace_back(q(std::string(word)), q(std::string(word)));
    pickOne(form, tr("Part"), QStringLiteral("part"), parts,
            gauge.part.empty() ? q(wordFor(EnergyPart::total)) : q(gauge.part.text()),
            [change](const QString& c) -> Result<Mechanism> {
              return change([&](Gauge& g) { g.part = Word<EnergyPart>::read(c.toStdString()); });
            });
  }
  if (vector) {
    std::vector<std::pair<QString, QString>> parts;
    const std::vector<const char*> six{"fx", "fy", "fz", "mx", "my", "mz"}, three{"x", "y", "z", "size"};
    for (const char* c : forces ? six : three) parts.emplace_back(QLatin1String(c), QLatin1String(c));
    pickOne(form, tr("Component"), QStringLiteral("component"), parts,
            gauge.component.empty() ? QStringLiteral("size") : q(gauge.component.text()),
            [change](const QString& c) -> Result<Mechanism> {
              return change([&](Gauge& g) { g.component = Word<model::Component>::read(c.toStdString()); });
            });
    axesOf(form, gauge.in, [change](std::optional<Id> in) { return change([&](Gauge& g) { g.in = in; }); });
  }
  if (gauge.kind == GaugeKind::angle) {
    // about a seat's axis it has a sense, and a driven one counts on past half a turn
    std::vector<std::pair<QString, QString>> seats{{QStringLiteral("0"), tr("the plane of both")}};
    for (const auto& l : m.links) {
      const bool its = std::any_of(gauge.of.begin(), gauge.of.end(), [&](const Symbol& s) {
        const auto place = findSeat(m, s.id);
        return place && place->link->id == l->id;
      });
      if (its)
        for (const auto& s : l->seats) seats.emplace_back(QString::number(s->id), q(l->name + "/" + s->name));
    }
    pickOne(form, tr("Counts about"), QStringLiteral("about"), seats,
            gauge.about ? QString::number(gauge.about->id) : QStringLiteral("0"),
            [change](const QString& key) -> Result<Mechanism> {
              const Id seat = key.toULongLong();
              return change([&](Gauge& g) {
                g.about = seat == 0 ? std::nullopt : std::optional<Symbol>(Symbol{seat, ""});
              });
            });
  }
  check(form, tr("value in the scene"), QStringLiteral("flag"), gauge.flagged,
        [change](bool on) { return change([&](Gauge& g) { g.flagged = on; }); });
  if (bench_.runs().columnOf(id) >= 0) {
    live(form, tr("At the cursor"), [this, id] {
      const int c = bench_.runs().columnOf(id);
      const auto& row = bench_.runs().cursorRow();
      if (c < 0 || static_cast<std::size_t>(c) >= row.size()) return QString();
      return bench_.runs().run()->text(c, row[static_cast<std::size_t>(c)], bench_.document().mechanism()->units);
    });
  }
  gaugeBounds(gauge);
  gaugeReadings(gauge);
  auto* more = section();
  auto* line = new QHBoxLayout;
  auto* require = new QPushButton(tr("Require\u2026"));
  require->setObjectName(QStringLiteral("require"));
  require->setToolTip(tr("Require its mean, its range, or its value at a place"));
  connect(require, &QPushButton::clicked, this, [this, id] {
    const auto made = withRequirement(*bench_.document().mechanism(), id, Measure::always);
    if (bench_.document().apply(tr("Add requirement"), made.first)) bench_.selection().select({made.second});
  });
  auto* chart = new QPushButton(tr("Chart"));
  chart->setToolTip(tr("Against another gauge"));
  connect(chart, &QPushButton::clicked, this, [this, id] { emit card_.chartWanted(id); });
  line->addWidget(require);
  line->addWidget(chart);
  more->addRow(line);
  gaugeOverlay(gauge);
}

/// The link that a reaction acts on: one of the joint's two.
void GaugePage::reactionOn(QFormLayout* form, const Gauge& gauge) {
  const auto& m = *bench_.document().mechanism();
  const auto joint = gauge.of.empty() ? nullptr : findJoint(m, gauge.of[0].id);
  if (!joint) return;
  std::vector<std::pair<QString, QString>> links;
  for (const Id seat : joint->seats)
    if (const auto place = findSeat(m, seat))
      links.emplace_back(QString::number(place->link->id), q(place->link->name));
  if (links.size() != 2) return;
  pickOne(form, tr("On"), QStringLiteral("on"), links, gauge.on ? QString::number(*gauge.on) : links[1].first,
          [this, id = gauge.id](const QString& key) -> Result<Mechanism> {
            return changed<Gauge>(*bench_.document().mechanism(), &Mechanism::gauges, id,
                                  [&](Gauge& g) { g.on = key.toULongLong(); });
          });
}

/// What it must keep within at every pose: no way to a requirement is shorter.
void GaugePage::gaugeBounds(const Gauge& gauge) {
  const auto there = boundsOf(*bench_.document().mechanism(), gauge.id);
  auto* form = section(tr("Required at every pose"));
  const auto bound = [&](const QString& label, const QString& name, std::optional<Field> Requirement::*member) {
    optionalFigure(form, label, name, there ? (*there).*member : std::nullopt,
                   [this, id = gauge.id, member](const std::optional<Field>& typed) {
                     return withBound(*bench_.document().mechanism(), id, member, typed);
                   });
  };
  bound(tr("At least"), QStringLiteral("gauge at least"), &Requirement::min);
  bound(tr("At most"), QStringLiteral("gauge at most"), &Requirement::max);
  if (there && !bench_.runs().isRunStale()) judged(form, *there);
}

/// Extremes, mean, range, zero crossings, dwells and the way between them.
void GaugePage::gaugeReadings(const Gauge& gauge) {
  const int column = bench_.runs().columnOf(gauge.id);
  if (column < 0 || bench_.runs().isRunStale()) return;
  const auto& result = bench_.runs().run()->result;
  const auto read = readingsOf(*bench_.runs().run(), *bench_.document().mechanism(), gauge.id);
  if (!read) return;
  const auto& units = bench_.document().mechanism()->units;
  const Dimension d = result.columns[static_cast<std::size_t>(column)].dimension;
  const double accuracy = bench_.runs().run()->accuracyOf(column);
  const auto value = [&](double v) { return figureText(v, d, units, read->range(), accuracy); };
  const double span = result.axis.empty() ? 0 : std::abs(result.axis.back() - result.axis.front());
  const auto place = [&](double x) { return figureText(x, result.axisDimension, units, span); };
  auto* form = section(tr("Over the travel"));
  figureLine(form, tr("Greatest"), value(read->greatest), QStringLiteral("greatest"));
  figureLine(form, tr("  at"), place(read->greatestAt), QStringLiteral("greatest at"));
  figureLine(form, tr("Least"), value(read->least), QStringLiteral("least"));
  figureLine(form, tr("  at"), place(read->leastAt), QStringLiteral("least at"));
  figureLine(form, tr("Range"), value(read->range()), QStringLiteral("range"));
  figureLine(form, tr("Mean"), value(read->mean), QStringLiteral("mean"));
  constexpr std::size_t kMost = 6;
  if (!read->zeros.empty()) {
    QStringList zeros;
    for (std::size_t i = 0; i < std::min(kMost, read->zeros.size()); ++i)
      if (const QString at = place(read->zeros[i]); zeros.isEmpty() || zeros.back() != at) zeros << at;
    if (read->zeros.size() > kMost) zeros << tr("and %1 more").arg(read->zeros.size() - kMost);
    figureLine(form, tr("Zero at"), zeros.join(QStringLiteral(", ")), QStringLiteral("zeros"));
  }
  optionalFigure(form, tr("Dwells within \u00b1"), QStringLiteral("dwell within"), gauge.dwellWithin,
                 [this, id = gauge.id](const std::optional<Field>& f) {
                   return changed<Gauge>(*bench_.document().mechanism(), &Mechanism::gauges, id,
                                         [&](Gauge& g) { g.dwellWithin = f; });
                 });
  for (std::size_t i = 0; i < std::min(kMost, read->dwells.size()); ++i) {
    const auto& w = read->dwells[i];
    figureLine(form, i == 0 ? tr("Dwells") : QString(),
               plainFigure(w.from, result.axisDimension, units, span) + QStringLiteral("\u2013") + place(w.to),
               QStringLiteral("dwell %1").arg(i + 1));
    figureLine(form, tr("  level"), value(w.level), QStringLiteral("level %1").arg(i + 1));
    if (i + 1 < read->dwells.size()) {
      const auto& next = read->dwells[i + 1];
      figureLine(form, tr("moves by"), tr("%1 in %2").arg(value(next.level - w.level), place(next.from - w.to)),
                 QStringLiteral("index %1").arg(i + 1));
    }
  }
}

/// A formula or a table of one's own over it.
void GaugePage::gaugeOverlay(const Gauge& gauge) {
  const Id id = gauge.id;
  const auto change = [this, id](std::function<void(Gauge&)> edit) {
    return changed<Gauge>(*bench_.document().mechanism(), &Mechanism::gauges, id, edit);
  };
  auto* form = section(tr("Reference curve"));
  optionalFigure(form, tr("Formula"), QStringLiteral("overlay"), gauge.overFormula,
                 [change](const std::optional<Field>& f) { return change([&](Gauge& g) { g.overFormula = f; }); });
  note(form, gauge.overFile.empty() ? tr("A formula of joint values and t, or a level; or a table of your own.")
                                    : tr("Table from %1").arg(q(gauge.overFile)));
  auto* line = new QHBoxLayout;
  auto* file = new QPushButton(tr("Table\u2026"));
  file->setToolTip(tr("A table over the travel axis, from a file"));
  connect(file, &QPushButton::clicked, this, [this, change] {
    readTable(tr("Table over the travel axis"), [this, change](const auto& points, const std::string& name) {
      bench_.document().apply(tr("Lay table over"), change([&](Gauge& g) {
                                g.overPoints = points;
                                g.overFile = name;
                              }));
    });
  });
  line->addWidget(file);
  auto* none = new QPushButton(tr("None"));
  connect(none, &QPushButton::clicked, this, [this, change] {
    bench_.document().apply(tr("Remove the reference curve"), change([](Gauge& g) {
                              g.overFormula.reset();
                              g.overPoints.clear();
                              g.overFile.clear();
                            }));
  });
  line->addWidget(none);
  form->addRow(line);
}

void RequirementPage::showRequirement(const Requirement& requirement) {
  const auto& m = *bench_.document().mechanism();
  heading(q(requirement.name), tr("requirement"));
  auto* form = section();
  nameField(form, requirement.id, requirement.name);
  const auto g = findById(m.gauges, requirement.gauge);
  note(form, tr("On the gauge %1").arg(g ? q(g->name) : QString()));
  const Id id = requirement.id;
  const auto change = [this, id](std::function<void(Requirement&)> edit) {
    return changed<Requirement>(*bench_.document().mechanism(), &Mechanism::requirements, id, edit);
  };
  std::vector<std::pair<QString, QString>> measures;
  for (const char* w : {"range", "min", "max", "mean", "end", "at", "always"})
    measures.emplace_back(QLatin1String(w), QLatin1String(w));
  pickOne(form, tr("Measure"), QStringLiteral("measure"), measures, q(requirement.measure.text()),
          [change](const QString& text) -> Result<Mechanism> {
            return change([&](Requirement& r) {
              r.measure = Word<Measure>::read(text.toStdString());
              if (r.measure == Measure::at && !r.at) r.at = Field(0);
            });
          });
  const auto bound = [&](const QString& label, const std::optional<Field>& f,
                         std::optional<Field> Requirement::*member) {
    optionalFigure(form, label, label, f, [change, member](const std::optional<Field>& typed) {
      return change([&](Requirement& r) { r.*member = typed; });
    });
  };
  bound(tr("At least"), requirement.min, &Requirement::min);
  bound(tr("At most"), requirement.max, &Requirement::max);
  if (requirement.measure == Measure::at) bound(tr("Place"), requirement.at, &Requirement::at);
  const RunData* run = bench_.runs().run();
  if (run && std::any_of(run->requirements.begin(), run->requirements.end(),
                         [&](const auto& r) { return r.name == requirement.name; }))
    judged(section(bench_.runs().isRunStale() ? tr("Before the last change") : tr("In this run")), requirement);
}

void JudgedPage::judged(QFormLayout* form, const Requirement& requirement) {
  const RunData* run = bench_.runs().run();
  if (!run) return;
  for (const auto& r : run->requirements) {
    if (r.name != requirement.name) continue;
    const auto& units = bench_.document().mechanism()->units;
    const int column = bench_.runs().columnOf(requirement.gauge);
    figureLine(form,
               !r.isBounded() ? tr("No bound")
               : r.met        ? tr("Met")
                              : tr("Not met"),
               figureText(r.value, r.dimension, units, 0, column < 0 ? 0 : run->accuracyOf(column)),
               QStringLiteral("judged"));
    figureLine(form, tr("  at"), figureText(r.where, run->result.axisDimension, units), QStringLiteral("judged at"));
    if (!r.fails() || column < 0) continue;
    button(form, tr("Go there"), [this, where = r.where] {
      if (bench_.runs().run()) bench_.runs().setCursor(bench_.runs().run()->travel->timeOf(where));
    });
  }
}

void PathPage::showPath(const Path& path) {
  const auto& m = *bench_.document().mechanism();
  heading(q(path.name), tr("path"));
  auto* form = section();
  nameField(form, path.id, path.name);
  note(form, tr("The curve that %1 draws").arg(q(nameOf(m, {path.of, ""}, false))));
  const Id id = path.id;
  const auto change = [this, id](std::function<void(Path&)> edit) {
    return changed<Path>(*bench_.document().mechanism(), &Mechanism::paths, id, edit);
  };
  axesOf(form, path.in, [change](std::optional<Id> in) { return change([&](Path& p) { p.in = in; }); });
  optionalFigure(form, tr("Tick every"), QStringLiteral("tick"), path.tick,
                 [change](const std::optional<Field>& f) { return change([&](Path& p) { p.tick = f; }); });
  check(form, tr("coloured by speed"), QStringLiteral("by speed"), path.bySpeed,
        [change](bool on) { return change([&](Path& p) { p.bySpeed = on; }); });
  const RunData* run = bench_.runs().run();
  if (!run || bench_.runs().isRunStale()) return;
  const auto& paths = run->travel->resolved().paths;
  for (std::size_t i = 0; i < paths.size() && i < run->paths.size(); ++i) {
    if (paths[i].id != id || run->paths[i].points.empty()) continue;
    double length = 0;
    for (std::size_t k = 1; k < run->paths[i].points.size(); ++k)
      length += (run->paths[i].points[k] - run->paths[i].points[k - 1]).norm();
    auto* part = section(tr("In this run"));
    figureLine(part, tr("Length"), figureText(length, dimension::kLength, m.units), QStringLiteral("length"));
    figureLine(part, tr("Speed"), speedsText(run->paths[i], m.units), QStringLiteral("speed"));
  }
}

PagePtr gaugePage(Card& card, Id id) {
  return filled<GaugePage>(card, findById(shownIn(card).gauges, id),
                           [](auto& page, const auto& x) { page.showGauge(x); });
}

PagePtr requirementPage(Card& card, Id id) {
  return filled<RequirementPage>(card, findById(shownIn(card).requirements, id),
                                 [](auto& page, const auto& x) { page.showRequirement(x); });
}

PagePtr pathPage(Card& card, Id id) {
  return filled<PathPage>(card, findById(shownIn(card).paths, id), [](auto& page, const auto& x) { page.showPath(x); });
}

}  // namespace cooperage::app
