// SPDX-License-Identifier: GPL-3.0-or-later
// Cards of couplings: figures, gears, belts, speeds of the train.
#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QToolButton>

#include "../choice_box.h"
#include "../text.h"
#include "../theme.h"
#include "card_page.h"
#include "elements/belt.h"
#include "kinematics/train.h"
#include "model/coupling_edits.h"
#include "model/gauge_edits.h"
#include "model/gear_edits.h"
#include "model/shaft.h"
#include "model/train_edits.h"
#include "number_field.h"

namespace cooperage::app {

using namespace model;

namespace {
class CouplingPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showCoupling(const Coupling& coupling);

 private:
  void couplingFigures(QFormLayout* form, const Coupling& coupling);
  void gearOptions(QFormLayout* form, const Coupling& coupling);
  void formulaField(QFormLayout* form, const Coupling& coupling);
  void tableFields(QFormLayout* form, const Coupling& coupling);
  void gearFigures(const Coupling& coupling);
  void beltFigures(const Coupling& coupling);
  void trainSpeeds(const Coupling& coupling);
  void heldMember(QFormLayout* form, const Coupling& coupling);
};
}  // namespace

namespace {

const std::pair<CouplingKind, const char*> kKinds[] = {
    {CouplingKind::gear, "gear"},       {CouplingKind::ratio, "ratio"},  {CouplingKind::rack, "rack"},
    {CouplingKind::screw, "screw"},     {CouplingKind::belt, "belt"},    {CouplingKind::table, "table"},
    {CouplingKind::formula, "formula"}, {CouplingKind::linear, "linear"}};

Mechanism changedCoupling(const Mechanism& m, Id id, const std::function<void(Coupling&)>& edit) {
  return changed<Coupling>(m, &Mechanism::couplings, id, edit);
}
}  // namespace

void CouplingPage::showCoupling(const Coupling& coupling) {
  const auto& m = *bench_.document().mechanism();
  heading(q(coupling.name), tr("coupling"));
  auto* form = section();
  nameField(form, coupling.id, coupling.name);
  const Id id = coupling.id;
  std::vector<std::pair<QString, QString>> kinds;
  QString kindNow;
  for (const auto& [kind, name] : kKinds) {
    kinds.emplace_back(QLatin1String(name), QLatin1String(name));
    if (kind == coupling.kind) kindNow = QLatin1String(name);
  }
  pickOne(form, tr("Kind"), QStringLiteral("coupling kind"), kinds, kindNow,
          [this, id](const QString& name) -> Result<Mechanism> {
            for (const auto& [kind, text] : kKinds)
              if (name == QLatin1String(text)) return withCouplingKind(*bench_.document().mechanism(), id, kind);
            return *bench_.document().mechanism();
          });
  // which values
  std::vector<std::pair<QString, QString>> values;
  for (const auto& j : m.joints)
    for (const auto& v : infoOf(j->kind).values)
      if (v.drivable) values.emplace_back(q(j->name + "." + v.name), q(j->name + "." + v.name));
  for (const auto& l : m.links)
    if (l->ground) values.emplace_back(q(l->name), q(l->name));
  for (std::size_t i = 0; i < coupling.values.size(); ++i) {
    const QString label = coupling.kind == CouplingKind::formula ? tr("Gives")
                          : coupling.values.size() == 2          ? (i == 0 ? tr("First") : tr("Second"))
                                                                 : tr("Value %1").arg(i + 1);
    pickOne(form, label, QStringLiteral("coupled %1").arg(i + 1), values, q(nameOf(m, coupling.values[i], false)),
            [this, id, i](const QString& text) -> Result<Mechanism> {
              const auto& now = *bench_.document().mechanism();
              Symbol s{0, ""};
              if (const auto v = findJointValue(now, text.toStdString()))
                s = *v;
              else if (const auto l = findByName(now.links, text.toStdString()))
                s = {l->id, ""};
              return changedCoupling(now, id, [&](Coupling& c) {
                c.values[i] = s;
                c.bodies.clear();
                if (c.kind == CouplingKind::gear) c.carrier = carrierOf(now, c.values[0].id, c.values[1].id);
              });
            });
  }
  couplingFigures(form, coupling);
  check(form, tr("enabled"), QStringLiteral("coupling enabled"), coupling.enabled, [this, id](bool on) {
    return changedCoupling(*bench_.document().mechanism(), id, [on](Coupling& c) { c.enabled = on; });
  });
  if (coupling.bodies.size() == 2 && gearDraftOf(m, id))
    button(
        form, tr("Edit the gears\u2026"), [this, id] { emit card_.editGears(id); }, true);
  gearFigures(coupling);
  beltFigures(coupling);
  trainSpeeds(coupling);
}

/// Type, carrier and module of a gear pair.
void CouplingPage::gearOptions(QFormLayout* form, const Coupling& coupling) {
  const Id id = coupling.id;
  const auto& m = *bench_.document().mechanism();
  pickOne(form, tr("Type"), QStringLiteral("gear type"),
          {{QStringLiteral("spur"), tr("spur")},
           {QStringLiteral("bevel"), tr("bevel")},
           {QStringLiteral("worm"), tr("worm")},
           {QStringLiteral("crossed"), tr("crossed")}},
          coupling.type.empty() ? QStringLiteral("spur") : q(coupling.type.text()),
          [this, id](const QString& t) -> Result<Mechanism> {
            return changedCoupling(*bench_.document().mechanism(), id,
                                   [&](Coupling& c) { c.type = Word<GearType>::read(t.toStdString()); });
          });
  check(form, tr("internal"), QStringLiteral("coupling internal"), coupling.internal, [this, id](bool on) {
    return changedCoupling(*bench_.document().mechanism(), id, [on](Coupling& c) { c.internal = on; });
  });
  std::vector<std::pair<QString, QString>> links{{QString(), tr("none: both axes stand still")}};
  for (const auto& l : m.links)
    if (!l->ground) links.emplace_back(q(l->name), q(l->name));
  const auto carrier = findLink(m, coupling.carrier);
  pickOne(form, tr("Carrier"), QStringLiteral("carrier"), links, carrier ? q(carrier->name) : QString(),
          [this, id](const QString& name) -> Result<Mechanism> {
            const auto l = findByName(bench_.document().mechanism()->links, name.toStdString());
            return changedCoupling(*bench_.document().mechanism(), id, [&](Coupling& c) { c.carrier = l ? l->id : 0; });
          });
  optionalFigure(form, tr("Module"), QStringLiteral("coupling module"), coupling.module,
                 [this, id](const std::optional<Field>& f) {
                   return changedCoupling(*bench_.document().mechanism(), id, [&](Coupling& c) { c.module = f; });
                 });
}

void CouplingPage::formulaField(QFormLayout* form, const Coupling& coupling) {
  const Id id = coupling.id;
  const auto& m = *bench_.document().mechanism();
  auto* edit = new QLineEdit(q(fieldText(m, coupling.formula)));
  edit->setObjectName(QStringLiteral("coupling formula"));
  edit->setAccessibleName(tr("Formula"));
  connect(edit, &QLineEdit::editingFinished, this, [this, edit, id] {
    const auto& now = *bench_.document().mechanism();
    const auto c = findById(now.couplings, id);
    if (!c || edit->text() == q(fieldText(now, c->formula))) return;
    const auto f = parseField(now, edit->text().toStdString());
    if (!f.ok()) {
      bench_.say(q(f.error().text), true);
      return;
    }
    if (!bench_.document().apply(tr("Change formula"), changedCoupling(now, id, [&](Coupling& x) { x.formula = *f; })))
      edit->setText(q(fieldText(now, c->formula)));
  });
  form->addRow(formLabel(tr("Formula")), edit);
  note(form, tr("Of other joint values, as in 20 mm*(1-cos(in.turn))."));
}

/// Points of two joint values, a line each.
void CouplingPage::tableFields(QFormLayout* form, const Coupling& coupling) {
  const Id id = coupling.id;
  const auto& m = *bench_.document().mechanism();
  auto* text = new QPlainTextEdit;
  text->setObjectName(QStringLiteral("coupling table"));
  text->setAccessibleName(tr("Points"));
  text->setFixedHeight(110);
  QStringList lines;
  for (const Pair& p : coupling.points) lines << q(fieldText(m, p[0])) + QStringLiteral("; ") + q(fieldText(m, p[1]));
  text->setPlainText(lines.join(QLatin1Char('\n')));
  form->addRow(text);
  button(form, tr("Take the points"), [this, text, id] {
    const auto& now = *bench_.document().mechanism();
    std::vector<Pair> points;
    int n = 0;
    for (const QString& line : text->toPlainText().split(QLatin1Char('\n'), Qt::SkipEmptyParts)) {
      ++n;
      const QStringList two = line.split(QLatin1Char(';'));
      if (two.size() != 2) {
        bench_.say(tr("Line %1 should be two figures with a semicolon between: 0 deg; 0 mm").arg(n), true);
        return;
      }
      Pair p;
      for (std::size_t i = 0; i < 2; ++i) {
        const auto f = parseField(now, two[static_cast<int>(i)].trimmed().toStdString());
        if (!f.ok()) {
          bench_.say(tr("Line %1: %2").arg(n).arg(q(f.error().text)), true);
          return;
        }
        p[i] = *f;
      }
      points.push_back(p);
    }
    bench_.document().apply(tr("Change table"), changedCoupling(now, id, [&](Coupling& c) { c.points = points; }));
  });
  pickOne(form, tr("Between"), QStringLiteral("interpolation"),
          {{QStringLiteral("spline"), tr("spline")},
           {QStringLiteral("linear"), tr("straight")},
           {QStringLiteral("periodic"), tr("periodic")}},
          q(coupling.interpolation.text()), [this, id](const QString& t) -> Result<Mechanism> {
            return changedCoupling(*bench_.document().mechanism(), id, [&](Coupling& c) {
              c.interpolation = Word<curves::Interpolation>::read(t.toStdString());
            });
          });
}

void CouplingPage::couplingFigures(QFormLayout* form, const Coupling& coupling) {
  const Id id = coupling.id;
  const auto& m = *bench_.document().mechanism();
  const auto one = [&](const QString& label, std::size_t i, const Dimension& d) {
    figure(form, label, coupling.figures[i], d, [this, id, i](const Field& f) {
      return withCouplingFigure(*bench_.document().mechanism(), id, i, f, bench_.pose().poses());
    });
  };
  const auto dimensionOfValue = [&](const Symbol& s) {
    const auto j = findJoint(m, s.id);
    const int v = j ? valueIndex(j->kind, s.member) : -1;
    return v < 0 ? dimension::kAngle : dimensionOf(infoOf(j->kind).values[static_cast<std::size_t>(v)]);
  };
  const auto flip = [&](const QString& text) {
    check(form, text, QStringLiteral("coupling flip"), coupling.flip, [this, id](bool on) {
      return changedCoupling(*bench_.document().mechanism(), id, [on](Coupling& c) { c.flip = on; });
    });
  };
  switch (coupling.kind) {
    case CouplingKind::gear:
      one(tr("Teeth, first"), 0, dimension::kPlain);
      one(tr("Teeth, second"), 1, dimension::kPlain);
      gearOptions(form, coupling);
      flip(tr("reversed"));
      return;
    case CouplingKind::ratio:
      one(tr("Ratio"), 0, dimensionOfValue(coupling.values[1]) + (-1.0 * dimensionOfValue(coupling.values[0])));
      return;
    case CouplingKind::rack:
      one(tr("Radius"), 0, dimension::kLength);
      flip(tr("reversed"));
      return;
    case CouplingKind::screw: one(tr("Travel per turn"), 0, dimension::kLength); return;
    case CouplingKind::belt:
      for (std::size_t i = 0; i < coupling.figures.size(); ++i)
        one(coupling.teeth ? tr("Teeth %1").arg(i + 1) : tr("Radius %1").arg(i + 1), i,
            coupling.teeth ? dimension::kPlain : dimension::kLength);
      if (coupling.values.size() == 2) flip(tr("crossed"));
      return;
    case CouplingKind::linear:
      for (std::size_t i = 0; i < coupling.figures.size(); ++i) one(tr("Factor %1").arg(i + 1), i, dimension::kPlain);
      note(form, tr("The sum of factor times value (less its home value) is zero."));
      return;
    case CouplingKind::formula: formulaField(form, coupling); return;
    case CouplingKind::table: tableFields(form, coupling); return;
  }
}

/// Contact ratio, base pitch, sliding, pins, and what is to be said against the pair.
void CouplingPage::gearFigures(const Coupling& coupling) {
  const auto look = pairLook(*bench_.document().mechanism(), coupling.id, bench_.pose().poses());
  if (!look.ok()) return;
  const auto draft = gearDraftOf(*bench_.document().mechanism(), coupling.id);
  if (!draft) return;
  auto* form = section(tr("Figures of the pair"));
  const auto line = [&](const QString& label, const QString& value, const QString& name) {
    return figureLine(form, label, value, name);
  };
  const auto& units = bench_.document().mechanism()->units;
  const auto length = [&](double v, double step = 1e-7) { return exactText(v, dimension::kLength, units, step); };
  const auto& a = look->first;
  const auto& b = look->second;
  std::vector<std::string> warnings;
  const bool rack = draft->kind == GearDraft::Kind::rack;
  if (rack || draft->kind == GearDraft::Kind::spur || draft->kind == GearDraft::Kind::ring) {
    const auto p = rack ? elements::rackPair(a, b) : elements::pairSize(a, b, look->distance);
    line(rack ? tr("Pitch line") : tr("Centre distance"), length(p.centre), QStringLiteral("pair centre"));
    line(tr("Contact ratio"),
         p.overlapRatio > 0 ? tr("%1 + %2").arg(fixed(p.contactRatio, 3), fixed(p.overlapRatio, 3))
                            : fixed(p.contactRatio, 3),
         QStringLiteral("pair ratio"));
    line(tr("Working pressure angle"), exactText(p.pressureAngle, dimension::kAngle, units, 1e-3 * kDegree),
         QStringLiteral("pair angle"));
    line(tr("Base pitch"), length(p.basePitch), QStringLiteral("base pitch"));
    line(tr("Sliding"), exactText(p.sliding, dimension::kSpeed, units, 1e-5), QStringLiteral("pair sliding"))
        ->setToolTip(tr("Greatest sliding speed of the flanks while the first turns by 1 rad/s"));
    if (!rack) {
      line(tr("Backlash"), length(elements::backlashAt(a, b, look->distance)), QStringLiteral("pair backlash"));
      warnings = elements::pairWarnings(a, b, look->distance);
    }
  } else {
    line(tr("Centre distance"), length(look->distance), QStringLiteral("pair centre"));
  }
  for (const auto* g : {&a, &b}) {
    if (g == &b && rack) continue;
    if (std::abs(g->helix) > 50 * kDegree) continue;
    const auto s = elements::gearSize(*g);
    line(g->internal ? tr("Dimension between pins, %1").arg(g->teeth) : tr("Dimension over pins, %1").arg(g->teeth),
         length(s.overPins, 1e-6), QStringLiteral("pins %1").arg(g->teeth))
        ->setToolTip(tr("Pins of %1").arg(length(s.pin, 1e-6)));
    for (const auto& w : elements::gearWarnings(*g)) warnings.push_back(std::to_string(g->teeth) + " teeth: " + w);
  }
  for (const auto& w : warnings) {
    auto* l = new QLabel(QStringLiteral("\u25b2 ") + q(w));
    l->setWordWrap(true);
    l->setObjectName(QStringLiteral("pair warning"));
    l->setStyleSheet(QStringLiteral("color: %1").arg(theme().warn.name()));
    form->addRow(l);
  }
}

void CouplingPage::beltFigures(const Coupling& coupling) {
  if (coupling.kind != CouplingKind::belt) return;
  const auto path = bench_.machine().beltPath(coupling.id);
  if (!path) return;
  auto* form = section(coupling.teeth ? tr("Chain") : tr("Belt"));
  const auto& units = bench_.document().mechanism()->units;
  const QString length = exactText(path->length, dimension::kLength, units, 1e-5);
  note(form, coupling.teeth
                 ? tr("Length %1: %2 pitches").arg(length, fixed(path->length / std::max(1e-9, path->pitch), 2))
                 : tr("Length %1").arg(length));
  QStringList wraps;
  for (double w : path->wrap) wraps << exactText(w, dimension::kAngle, units, 0.1 * kDegree);
  note(form, tr("Wrap: %1").arg(wraps.join(QStringLiteral(", "))));
}

/// Which member of a stage is held: one choice.
void CouplingPage::heldMember(QFormLayout* form, const Coupling& coupling) {
  const auto& m = *bench_.document().mechanism();
  const auto members = membersOf(m, coupling.id);
  if (members.size() < 3) return;  // a pair holds nothing
  auto* pick = new ChoiceBox;
  pick->setObjectName(QStringLiteral("train held"));
  pick->addItem(tr("none"), QVariant::fromValue<qulonglong>(0));
  int now = 0;
  for (const Id id : members) {
    const auto j = findJoint(m, id);
    pick->addItem(q(j->name), QVariant::fromValue<qulonglong>(id));
    if (j->held) now = pick->count() - 1;
  }
  pick->setCurrentIndex(now);
  pick->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  pick->setMinimumContentsLength(9);
  connect(pick, &QComboBox::activated, this, [this, pick, id = coupling.id](int) {
    bench_.document().apply(tr("Hold another member"),
                            withHeldMember(*bench_.document().mechanism(), id, pick->currentData().toULongLong()));
  });
  form->addRow(formLabel(tr("Held")), pick);
  if (planetaryDraftOf(m, coupling.id))
    button(form, tr("Edit the stage\u2026"), [this, id = coupling.id] { emit card_.editStage(id); });
}

/// Speeds of the whole train per turn of the coupling's first value: as solved, and by Willis' rule.
void CouplingPage::trainSpeeds(const Coupling& coupling) {
  if (coupling.kind == CouplingKind::table || coupling.kind == CouplingKind::formula || coupling.values.empty()) return;
  auto* form = section(tr("Speeds of the train"));
  const Symbol input = bench_.machine().trainInput().id != 0 &&
                               findJoint(*bench_.document().mechanism(), bench_.machine().trainInput().id)
                           ? bench_.machine().trainInput()
                           : coupling.values[0];
  std::vector<std::pair<QString, QString>> inputs;
  for (const auto& c : bench_.document().mechanism()->couplings)
    for (const Symbol& s : c->values) {
      if (!findJoint(*bench_.document().mechanism(), s.id)) continue;
      const QString name = q(nameOf(*bench_.document().mechanism(), s, false));
      if (std::find(inputs.begin(), inputs.end(), std::pair{name, name}) == inputs.end())
        inputs.emplace_back(name, name);
    }
  auto* pick = new ChoiceBox;
  pick->setObjectName(QStringLiteral("train input"));
  for (const auto& [key, text] : inputs) pick->addItem(text, key);
  pick->setCurrentIndex(pick->findData(q(nameOf(*bench_.document().mechanism(), input, false))));
  pick->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  pick->setMinimumContentsLength(9);
  connect(pick, &QComboBox::activated, this, [this, pick](int) {
    if (const auto s = findJointValue(*bench_.document().mechanism(), pick->currentData().toString().toStdString()))
      bench_.machine().setTrainInput(*s);
  });
  form->addRow(formLabel(tr("Per turn of")), pick);
  heldMember(form, coupling);
  const auto& table = bench_.machine().trainTable(input);
  if (!table.ok()) {
    note(form, q(table.error().text));
    return;
  }
  auto* box = new QWidget;
  box->setObjectName(QStringLiteral("train table"));
  auto* grid = new QGridLayout(box);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setVerticalSpacing(3);
  grid->setHorizontalSpacing(10);
  const auto cell = [&](int row, int column, const QString& text, bool head) {
    auto* l = new QLabel(text);
    l->setProperty("mute", head || column == 0);
    l->setFont(uiFont(8.4));
    grid->addWidget(l, row, column, column == 0 ? Qt::AlignLeft : Qt::AlignRight);
    return l;
  };
  cell(0, 1, tr("solved"), true);
  cell(0, 2, tr("Willis"), true);
  int row = 1;
  for (const auto& r : table->rows) {
    auto* name = cell(row, 0, QString(), false);
    name->setText(name->fontMetrics().elidedText(q(r.value), Qt::ElideMiddle, 84));
    name->setToolTip(q(r.value));
    // a slide is told by its way a turn
    const auto value = [&](double v) {
      return r.slides ? exactText(v * 2 * kPi, dimension::kLength, bench_.document().mechanism()->units, 1e-7)
                      : fixed(v, 6);
    };
    cell(row, 1, value(r.solved), false)->setObjectName(QStringLiteral("solved ") + q(r.value));
    cell(row, 2, value(r.willis), false)->setObjectName(QStringLiteral("willis ") + q(r.value));
    const auto member = findJointValue(*bench_.document().mechanism(), r.value);
    if (member && !(*member == input)) {
      auto* gauge = new QToolButton;
      dressIcon(gauge, QStringLiteral("lucide/plus"));
      gauge->setIconSize({12, 12});
      gauge->setAutoRaise(true);
      gauge->setObjectName(QStringLiteral("ratio gauge ") + q(r.value));
      gauge->setToolTip(tr("Gauge the ratio of %1 to %2 over the travel").arg(q(r.value), q(table->input)));
      gauge->setAccessibleName(gauge->toolTip());
      connect(gauge, &QToolButton::clicked, this, [this, member = *member, input] {
        const auto made = withRatioGauge(*bench_.document().mechanism(), member, input);
        if (bench_.document().apply(tr("Add gauge"), made.first))
          bench_.say(tr("Gauge %1 is in stage Run").arg(q(findById(made.first.gauges, made.second)->name)));
      });
      grid->addWidget(gauge, row, 3);
    }
    ++row;
  }
  grid->setColumnStretch(0, 1);
  form->addRow(box);
  if (table->free) note(form, tr("Not all follow from this one value: hold or drive another member too."));
}

PagePtr couplingPage(Card& card, Id id) {
  return filled<CouplingPage>(card, findById(shownIn(card).couplings, id),
                              [](auto& page, const auto& x) { page.showCoupling(x); });
}

}  // namespace cooperage::app
