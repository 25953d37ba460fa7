// SPDX-License-Identifier: GPL-3.0-or-later
// What the card of machine elements asks for, element by element.
#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <algorithm>

#include "../card/number_field.h"
#include "../text.h"
#include "../theme.h"
#include "elements/gear_pair.h"
#include "machine_card.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
QLabel* muted(const QString& text) {
  auto* l = new QLabel(text);
  l->setProperty("mute", true);
  l->setFixedHeight(26);
  return l;
}
}  // namespace

void MachineCard::number(QFormLayout* form, const QString& label, const QString& name, Field& field,
                         const Dimension& wanted) {
  auto* f = new NumberField(bench_, field, wanted, [this, &field](const Field& typed) {
    field = typed;
    make();
    return true;
  });
  f->edit()->setObjectName(name);
  f->edit()->setAccessibleName(label);
  if (name == QStringLiteral("module"))
    f->edit()->setToolTip(tr("Module, or by diametral pitch: 1 in/12 for twelve teeth an inch"));
  form->addRow(muted(label), f);
}

void MachineCard::whole(QFormLayout* form, const QString& label, const QString& name, int& value) {
  auto* s = new QSpinBox;
  s->setObjectName(name);
  s->setAccessibleName(label);
  s->setRange(0, 2000);
  s->setButtonSymbols(QAbstractSpinBox::NoButtons);
  s->setValue(value);
  s->setKeyboardTracking(false);
  connect(s, &QSpinBox::valueChanged, this, [this, &value](int v) {
    value = v;
    if (what_ == What::planetary && &value != &stage_.ring) stage_.ring = ringTeeth(stage_);
    make();
  });
  form->addRow(muted(label), s);
}

void MachineCard::joint(QFormLayout* form, const QString& label, const QString& name, Id& id, const char* values) {
  auto* c = new QComboBox;
  c->setObjectName(name);
  c->setAccessibleName(label);
  for (const auto& j : base_->joints)
    if (hasValue(*j, values))
      c->addItem(icon(QStringLiteral("joints/") + QLatin1String(infoOf(j->kind).name)), q(j->name),
                 QVariant::fromValue<qulonglong>(j->id));
  c->setCurrentIndex(c->findData(QVariant::fromValue<qulonglong>(id)));
  c->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  c->setMinimumContentsLength(12);
  connect(c, &QComboBox::activated, this, [this, c, &id](int) {
    id = c->currentData().toULongLong();
    make();
  });
  form->addRow(muted(label), c);
}

void MachineCard::choice(QFormLayout* form, const QString& label, const QString& name,
                         const std::vector<std::pair<QString, QString>>& items, const QString& now,
                         std::function<void(const QString&)> chosen) {
  auto* c = new QComboBox;
  c->setObjectName(name);
  c->setAccessibleName(label);
  for (const auto& [key, text] : items) c->addItem(text, key);
  c->setCurrentIndex(std::max(0, c->findData(now)));
  connect(c, &QComboBox::activated, this, [this, c, chosen](int) {
    chosen(c->currentData().toString());
    make();
  });
  form->addRow(muted(label), c);
}

void MachineCard::box(QFormLayout* form, const QString& label, const QString& name, bool now,
                      std::function<void(bool)> chosen) {
  auto* b = new QCheckBox(label);
  b->setObjectName(name);
  b->setChecked(now);
  connect(b, &QCheckBox::toggled, this, [this, chosen](bool on) {
    chosen(on);
    make();
  });
  form->addRow(b);
}

void MachineCard::fill() {
  const QString focused = focusedName();
  filling_ = true;
  clear();
  setTitle(titleOf(what_));
  switch (what_) {
    case What::belt:
    case What::chain: fillBelt(); break;
    case What::screw: fillScrew(); break;
    case What::cam: fillCam(); break;
    case What::planetary: fillStage(); break;
    case What::differential: fillDifferential(); break;
    default: fillGears();
  }
  if (!problem_.isEmpty()) {
    auto* wrong = addText(QStringLiteral("machine problem"));
    wrong->setText(problem_);
    wrong->setStyleSheet(QStringLiteral("color: %1").arg(theme().bad.name()));
  }
  addEnd(tr("Keep"));
  filling_ = false;
  fit();
  focusAgain(focused);
}

void MachineCard::fillGears() {
  using Kind = GearDraft::Kind;
  auto* form = addForm();
  const bool worm = gear_.kind == Kind::worm, rack = gear_.kind == Kind::rack;
  joint(form,
        rack                       ? tr("Pinion on")
        : worm                     ? tr("Worm on")
        : gear_.kind == Kind::ring ? tr("Pinion on")
                                   : tr("First on"),
        QStringLiteral("first shaft"), gear_.joints[0], "turn");
  joint(form,
        rack                       ? tr("Rack on")
        : worm                     ? tr("Wheel on")
        : gear_.kind == Kind::ring ? tr("Ring on")
                                   : tr("Second on"),
        QStringLiteral("second shaft"), gear_.joints[1], rack ? "slide" : "turn");
  number(form, tr("Module"), QStringLiteral("module"), gear_.module, dimension::kLength);
  number(form, worm ? tr("Starts") : tr("Teeth, first"), QStringLiteral("teeth first"), gear_.teeth[0],
         dimension::kPlain);
  number(form,
         rack   ? tr("Teeth, rack")
         : worm ? tr("Teeth, wheel")
                : tr("Teeth, second"),
         QStringLiteral("teeth second"), gear_.teeth[1], dimension::kPlain);
  if (!rack) {
    const auto a = evaluateField(*base_, gear_.teeth[0], dimension::kPlain),
               b = evaluateField(*base_, gear_.teeth[1], dimension::kPlain);
    auto* ratio = new NumberField(bench_, Field(a.ok() && b.ok() && *a > 0 ? std::round(*b / *a * 1e6) / 1e6 : 0),
                                  dimension::kPlain, [this](const Field& typed) {
                                    const auto v = evaluateField(*base_, typed, dimension::kPlain);
                                    const auto first = evaluateField(*base_, gear_.teeth[0], dimension::kPlain);
                                    if (!v.ok() || !first.ok() || !(*v > 0)) return false;
                                    gear_.teeth[1] = Field(std::round(*first * *v));
                                    make();
                                    return true;
                                  });
    ratio->edit()->setObjectName(QStringLiteral("ratio"));
    ratio->edit()->setAccessibleName(tr("Ratio"));
    ratio->setToolTip(tr("Teeth of the second follow, to the next whole number"));
    form->addRow(muted(tr("Ratio")), ratio);
  }
  number(form, tr("Width"), QStringLiteral("width"), gear_.width, dimension::kLength);
  if (gear_.kind != Kind::bevel)
    number(form, worm ? tr("Lead angle") : tr("Helix angle"), QStringLiteral("helix"), gear_.helix, dimension::kAngle);
  if (gear_.kind == Kind::spur || gear_.kind == Kind::ring) {
    number(form, tr("Shift, first"), QStringLiteral("shift first"), gear_.shift[0], dimension::kPlain);
    if (gear_.moveAxis)
      number(form, tr("Shift, second"), QStringLiteral("shift second"), gear_.shift[1], dimension::kPlain);
  }
  number(form, tr("Backlash"), QStringLiteral("backlash"), gear_.backlash, dimension::kLength);
  if (!rack) {
    box(form, tr("move the second shaft to fit"), QStringLiteral("move axis"), gear_.moveAxis,
        [this](bool on) { gear_.moveAxis = on; });
  }
  auto* row = addRow();
  addButton(row, tr("Flip"), tr("It turns the wrong way round: change the sense (R)"), QStringLiteral("flip"),
            [this] { flip(); });
  row->addStretch(1);
  if (const QString words = problem_.isEmpty() ? gearWords() : QString(); !words.isEmpty()) {
    auto* text = addText(QStringLiteral("gear figures"));
    text->setText(words);
  }
}

QString MachineCard::gearWords() const {
  const auto look = pairLook(*bench_.document().mechanism(), gear_.coupling, bench_.pose().poses());
  if (!look.ok()) return {};
  const auto length = [&](double v) {
    return exactText(v, dimension::kLength, bench_.document().mechanism()->units, 1e-6);
  };
  QStringList lines, warnings;
  const auto n = [](double v, int digits) { return QString::number(v, 'f', digits); };
  for (const auto* g : {&look->first, &look->second})
    if (gear_.kind != GearDraft::Kind::worm)
      for (const auto& w : gearWarnings(*g)) warnings << tr("%1 teeth: %2").arg(g->teeth).arg(q(w));
  if (gear_.kind == GearDraft::Kind::rack) {
    const auto p = elements::rackPair(look->first, look->second);
    lines << tr("contact ratio %1").arg(n(p.contactRatio, 2))
          << tr("pitch line %1 from the axis").arg(length(p.centre));
  } else if (gear_.kind == GearDraft::Kind::spur || gear_.kind == GearDraft::Kind::ring) {
    const auto p = elements::pairSize(look->first, look->second, look->distance);
    lines << tr("axes %1 apart").arg(length(p.centre))
          << tr("contact ratio %1%2")
                 .arg(n(p.contactRatio, 2),
                      p.overlapRatio > 0 ? tr(" + overlap %1").arg(n(p.overlapRatio, 2)) : QString());
    for (const auto& w : elements::pairWarnings(look->first, look->second, look->distance)) warnings << q(w);
  } else {
    lines << tr("axes %1 apart").arg(length(look->distance));
  }
  if (const auto c = findById(bench_.document().mechanism()->couplings, gear_.coupling); c && c->carrier != 0)
    if (const auto l = findLink(*bench_.document().mechanism(), c->carrier))
      lines << tr("carried by %1").arg(q(l->name));
  QString text = lines.join(QStringLiteral(" \u00b7 "));
  for (const QString& w : warnings)
    text += QStringLiteral("<br><span style='color:%1'>\u25b2 %2</span>").arg(theme().warn.name(), w.toHtmlEscaped());
  return text;
}

void MachineCard::fillBelt() {
  auto* form = addForm();
  for (std::size_t i = 0; i < belt_.joints.size(); ++i) {
    joint(form, tr("Wheel %1 on").arg(i + 1), QStringLiteral("wheel %1").arg(i + 1), belt_.joints[i], "turn");
    number(form, belt_.chain ? tr("Teeth") : tr("Pitch radius"), QStringLiteral("size %1").arg(i + 1), belt_.sizes[i],
           belt_.chain ? dimension::kPlain : dimension::kLength);
    if (belt_.joints.size() > 2)
      box(form, tr("the belt's back lies on it"), QStringLiteral("outside %1").arg(i + 1), belt_.sides[i] < 0,
          [this, i](bool on) { belt_.sides[i] = on ? -1 : 1; });
  }
  if (belt_.chain)
    number(form, tr("Pitch"), QStringLiteral("pitch"), belt_.pitch, dimension::kLength);
  else
    number(form, tr("Width"), QStringLiteral("width"), belt_.width, dimension::kLength);
  if (belt_.joints.size() == 2 && !belt_.chain)
    box(form, tr("crossed"), QStringLiteral("crossed"), belt_.crossed, [this](bool on) { belt_.crossed = on; });
  auto* row = addRow();
  addButton(row, tr("One more wheel"), tr("Lead the belt over one more shaft"), QStringLiteral("more wheels"), [this] {
    for (const auto& j : base_->joints)
      if (hasValue(*j, "turn") && std::find(belt_.joints.begin(), belt_.joints.end(), j->id) == belt_.joints.end()) {
        belt_.joints.push_back(j->id);
        belt_.sizes.push_back(belt_.sizes.empty() ? Field(40) : belt_.sizes.back());
        belt_.sides.push_back(1);
        make();
        return;
      }
    bench_.say(tr("There is no other joint that turns"), true);
  });
  row->addStretch(1);
}

void MachineCard::fillScrew() {
  auto* form = addForm();
  joint(form, tr("Screw on"), QStringLiteral("screw shaft"), screw_.turn, "turn");
  for (std::size_t i = 0; i < screw_.slides.size(); ++i)
    joint(form, screw_.slides.size() > 1 ? (i == 0 ? tr("Right-hand nut") : tr("Left-hand nut")) : tr("Nut on"),
          QStringLiteral("nut %1").arg(i + 1), screw_.slides[i], "slide");
  number(form, tr("Lead"), QStringLiteral("lead"), screw_.lead, dimension::kLength);
  number(form, tr("Starts"), QStringLiteral("starts"), screw_.starts, dimension::kPlain);
  number(form, tr("Diameter"), QStringLiteral("diameter"), screw_.diameter, dimension::kLength);
  number(form, tr("Length"), QStringLiteral("screw length"), screw_.length, dimension::kLength);
  auto* row = addRow();
  if (screw_.slides.size() < 2)
    addButton(row, tr("Second nut"), tr("Right and left hand: a second nut that moves the other way"),
              QStringLiteral("second nut"), [this] {
                for (const auto& j : base_->joints)
                  if (hasValue(*j, "slide") &&
                      std::find(screw_.slides.begin(), screw_.slides.end(), j->id) == screw_.slides.end()) {
                    screw_.slides.push_back(j->id);
                    make();
                    return;
                  }
                bench_.say(tr("There is no other joint that slides"), true);
              });
  addButton(row, tr("Other hand"), tr("Left hand in place of right, or the other way round (R)"),
            QStringLiteral("flip"), [this] { flip(); });
  row->addStretch(1);
}

void MachineCard::fillCam() {
  auto* form = addForm();
  choice(form, tr("Form"), QStringLiteral("cam form"),
         {{QStringLiteral("disc"), tr("disc")},
          {QStringLiteral("linear"), tr("linear")},
          {QStringLiteral("barrel"), tr("barrel (drum)")}},
         q(cam_.form), [this](const QString& v) {
           cam_.form = v.toStdString();
           cam_.rows.clear();
         });
  joint(form, tr("Cam on"), QStringLiteral("cam shaft"), cam_.cam, cam_.form == "linear" ? "slide" : "turn");
  joint(form, tr("Follower on"), QStringLiteral("follower joint"), cam_.follower, "");
  choice(form, tr("Follower"), QStringLiteral("follower kind"),
         {{QStringLiteral("roller"), tr("roller")},
          {QStringLiteral("point"), tr("point")},
          {QStringLiteral("flat"), tr("flat")}},
         q(cam_.kind), [this](const QString& v) { cam_.kind = v.toStdString(); });
  number(form, tr("Base radius"), QStringLiteral("base"), cam_.base, dimension::kLength);
  if (cam_.kind == "roller")
    number(form, tr("Roller radius"), QStringLiteral("roller"), cam_.roller, dimension::kLength);
  const auto j = findJoint(*base_, cam_.follower);
  const bool swing = j && valueIndex(j->kind, "turn") >= 0;
  if (swing && cam_.kind != "flat") number(form, tr("Arm"), QStringLiteral("arm"), cam_.arm, dimension::kLength);
  number(form, cam_.form == "barrel" ? tr("Length") : tr("Thickness"), QStringLiteral("thickness"), cam_.thickness,
         dimension::kLength);
  if (swing) {
    auto* row = addRow();
    addButton(row, tr("Other way"), tr("The follower lifts by turning the other way (R)"), QStringLiteral("flip"),
              [this] { flip(); });
    row->addStretch(1);
  }
  auto* text = addText(QStringLiteral("cam words"));
  text->setText(tr("Rise, dwell and return are edited in the strip below and in the curve's card."));
}

void MachineCard::fillStage() {
  auto* form = addForm();
  const auto seats = [&](Id& id) {
    auto* c = new QComboBox;
    c->setObjectName(QStringLiteral("stage seat"));
    for (const auto& l : base_->links)
      for (const auto& s : l->seats) c->addItem(q(l->name + "/" + s->name), QVariant::fromValue<qulonglong>(s->id));
    c->setCurrentIndex(c->findData(QVariant::fromValue<qulonglong>(id)));
    c->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    c->setMinimumContentsLength(12);
    connect(c, &QComboBox::activated, this, [this, c, &id](int) {
      id = c->currentData().toULongLong();
      make();
    });
    form->addRow(muted(tr("About the seat")), c);
  };
  seats(stage_.seat);
  whole(form, tr("Teeth, sun"), QStringLiteral("sun"), stage_.sun);
  whole(form, tr("Teeth, planet"), QStringLiteral("planet"), stage_.planet);
  whole(form, tr("Second planet rim"), QStringLiteral("second rim"), stage_.second);
  whole(form, tr("Teeth, ring"), QStringLiteral("ring"), stage_.ring);
  whole(form, tr("Planets"), QStringLiteral("planets"), stage_.planets);
  number(form, tr("Module"), QStringLiteral("module"), stage_.module, dimension::kLength);
  number(form, tr("Width"), QStringLiteral("width"), stage_.width, dimension::kLength);
  choice(form, tr("Held"), QStringLiteral("held"),
         {{QStringLiteral("ring"), tr("ring")},
          {QStringLiteral("sun"), tr("sun")},
          {QStringLiteral("carrier"), tr("carrier")}},
         q(stage_.held), [this](const QString& v) { stage_.held = v.toStdString(); });
  auto* sun = new QComboBox;
  sun->setObjectName(QStringLiteral("sun link"));
  sun->addItem(tr("a link of its own"), QVariant::fromValue<qulonglong>(0));
  for (const auto& l : base_->links)
    if (!l->ground) sun->addItem(q(l->name), QVariant::fromValue<qulonglong>(l->id));
  sun->setCurrentIndex(std::max(0, sun->findData(QVariant::fromValue<qulonglong>(stage_.inputLink))));
  sun->setToolTip(tr("Stages in a row: the carrier of the stage before carries this sun"));
  connect(sun, &QComboBox::activated, this, [this, sun](int) {
    stage_.inputLink = sun->currentData().toULongLong();
    make();
  });
  form->addRow(muted(tr("Sun on")), sun);
}

void MachineCard::fillDifferential() {
  auto* form = addForm();
  whole(form, tr("Teeth, sides"), QStringLiteral("side"), differential_.side);
  whole(form, tr("Teeth, planets"), QStringLiteral("planet"), differential_.planet);
  number(form, tr("Module"), QStringLiteral("module"), differential_.module, dimension::kLength);
  number(form, tr("Width"), QStringLiteral("width"), differential_.width, dimension::kLength);
}

}  // namespace cooperage::app
