// SPDX-License-Identifier: GPL-3.0-or-later
#include "machine_fields.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QSpinBox>
#include <algorithm>

#include "../choice_box.h"
#include "../card/number_field.h"
#include "../text.h"
#include "../theme.h"

namespace cooperage::app {

using namespace model;

bool hasValue(const Joint& j, const char* value) {
  return *value ? valueIndex(j.kind, value) >= 0 : valueIndex(j.kind, "turn") >= 0 || valueIndex(j.kind, "slide") >= 0;
}

MachineFields::MachineFields(Workbench& bench, const Mechanism& base, Card card)
    : bench_(bench), base_(base), card_(std::move(card)), form_(card_.addForm()) {}

void MachineFields::row(const QString& label, QWidget* field) {
  auto* l = new QLabel(label);
  l->setProperty("mute", true);
  l->setFixedHeight(26);
  form_->addRow(l, field);
}

void MachineFields::number(const QString& label, const QString& name, Field& field, const Dimension& wanted) {
  auto* f = new NumberField(bench_, field, wanted, [&field, make = card_.make](const Field& typed) {
    field = typed;
    make();
    return true;
  });
  f->edit()->setObjectName(name);
  f->edit()->setAccessibleName(label);
  if (name == QStringLiteral("module"))
    f->edit()->setToolTip(QObject::tr("Module, or by diametral pitch: 1 in/12 for twelve teeth an inch"));
  row(label, f);
}

void MachineFields::whole(const QString& label, const QString& name, int& value, std::function<void()> then) {
  auto* s = new QSpinBox;
  s->setObjectName(name);
  s->setAccessibleName(label);
  s->setRange(0, 2000);
  s->setButtonSymbols(QAbstractSpinBox::NoButtons);
  s->setValue(value);
  s->setKeyboardTracking(false);
  QObject::connect(s, &QSpinBox::valueChanged, card_.widget,
                   [&value, then = std::move(then), make = card_.make](int v) {
                     value = v;
                     if (then) then();
                     make();
                   });
  row(label, s);
}

void MachineFields::text(const QString& label, const QString& name, std::string& value) {
  auto* e = new QLineEdit(q(value));
  e->setObjectName(name);
  e->setAccessibleName(label);
  e->setCursorPosition(0);
  QObject::connect(e, &QLineEdit::editingFinished, card_.widget, [e, &value, make = card_.make] {
    const std::string typed = e->text().trimmed().toStdString();
    if (typed.empty() || typed == value) return;
    value = typed;
    make();
  });
  row(label, e);
}

void MachineFields::joint(const QString& label, const QString& name, Id& id, const char* values) {
  auto* c = new ChoiceBox;
  c->setObjectName(name);
  c->setAccessibleName(label);
  for (const auto& j : base_.joints)
    if (hasValue(*j, values))
      c->addItem(icon(QStringLiteral("joints/") + QLatin1String(infoOf(j->kind).name)), q(j->name),
                 QVariant::fromValue<qulonglong>(j->id));
  c->setCurrentIndex(c->findData(QVariant::fromValue<qulonglong>(id)));
  c->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  c->setMinimumContentsLength(12);
  QObject::connect(c, &QComboBox::activated, card_.widget, [c, &id, make = card_.make](int) {
    id = c->currentData().toULongLong();
    make();
  });
  row(label, c);
}

void MachineFields::choice(const QString& label, const QString& name,
                           const std::vector<std::pair<QString, QString>>& items, const QString& now,
                           std::function<void(const QString&)> chosen) {
  auto* c = new ChoiceBox;
  c->setObjectName(name);
  c->setAccessibleName(label);
  for (const auto& [key, text] : items) c->addItem(text, key);
  c->setCurrentIndex(std::max(0, c->findData(now)));
  QObject::connect(c, &QComboBox::activated, card_.widget, [c, chosen = std::move(chosen), make = card_.make](int) {
    chosen(c->currentData().toString());
    make();
  });
  row(label, c);
}

void MachineFields::object(const QString& label, const QString& name, const std::vector<std::pair<Id, QString>>& items,
                           Id& id, const QString& tip) {
  auto* c = new ChoiceBox;
  c->setObjectName(name);
  c->setAccessibleName(label);
  for (const auto& [key, text] : items) c->addItem(text, QVariant::fromValue<qulonglong>(key));
  c->setCurrentIndex(c->findData(QVariant::fromValue<qulonglong>(id)));
  c->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  c->setMinimumContentsLength(12);
  c->setToolTip(tip);
  QObject::connect(c, &QComboBox::activated, card_.widget, [c, &id, make = card_.make](int) {
    id = c->currentData().toULongLong();
    make();
  });
  row(label, c);
}

void MachineFields::box(const QString& label, const QString& name, bool now, std::function<void(bool)> chosen) {
  auto* b = new QCheckBox(label);
  b->setObjectName(name);
  b->setChecked(now);
  QObject::connect(b, &QCheckBox::toggled, card_.widget, [chosen = std::move(chosen), make = card_.make](bool on) {
    chosen(on);
    make();
  });
  form_->addRow(b);
}

void MachineFields::derived(const QString& label, const QString& name, double now, const QString& tip,
                            std::function<bool(const Field&)> typed, const Dimension& wanted) {
  const Field shown(std::round(now / base_.units.factor(wanted) * 1e6) / 1e6);
  auto* f = new NumberField(bench_, shown, wanted, [typed = std::move(typed), make = card_.make](const Field& value) {
    if (!typed(value)) return false;
    make();
    return true;
  });
  f->edit()->setObjectName(name);
  f->edit()->setAccessibleName(label);
  f->setToolTip(tip);
  row(label, f);
}

void MachineFields::button(const QString& text, const QString& tip, const QString& name, std::function<void()> press) {
  if (!buttons_) buttons_ = card_.addRow();
  card_.addButton(buttons_, text, tip, name, std::move(press));
}

void MachineFields::finish() {
  if (buttons_) buttons_->addStretch(1);
}

void MachineFields::words(const QString& name, const QString& text) { card_.addText(name)->setText(text); }

}  // namespace cooperage::app
