// SPDX-License-Identifier: GPL-3.0-or-later
#include "number_field.h"

#include <QStyle>
#include <QVBoxLayout>

#include "../theme.h"

namespace cooperage::app {

NumberField::NumberField(Workbench& bench, const model::Field& field, const Dimension& wanted,
                         std::function<bool(const model::Field&)> commit, QWidget* parent)
    : QWidget(parent), bench_(bench), field_(field), wanted_(wanted), commit_(std::move(commit)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(2);
  edit_ = new QLineEdit;
  note_ = new QLabel;
  note_->setWordWrap(true);
  note_->setFont(uiFont(8));
  note_->hide();
  column->addWidget(edit_);
  column->addWidget(note_);
  setFocusProxy(edit_);
  connect(edit_, &QLineEdit::textEdited, this, &NumberField::showValue);
  connect(edit_, &QLineEdit::editingFinished, this, &NumberField::finish);
  setField(field);
}

NumberField::~NumberField() { edit_->disconnect(this); }

void NumberField::setField(const model::Field& field) {
  field_ = field;
  const auto& m = *bench_.document().mechanism();
  QString text = QString::fromStdString(model::fieldText(m, field));
  const QString unit = QString::fromStdString(m.units.label(wanted_));
  if (!field.formula && !unit.isEmpty()) text += ' ' + unit;
  shown_ = text;
  edit_->setText(text);
  edit_->setCursorPosition(0);
  showValue(text);
}

/// Below the field: the error, or what a formula comes to.
void NumberField::showValue(const QString& text) {
  const auto& m = *bench_.document().mechanism();
  const auto parsed = model::parseField(m, text.toStdString());
  const auto value = parsed.ok() ? model::evaluateField(m, *parsed, wanted_) : Result<double>(parsed.error());
  const bool wrong = !value.ok();
  if (edit_->property("wrong").toBool() != wrong) {
    edit_->setProperty("wrong", wrong);
    edit_->style()->unpolish(edit_);
    edit_->style()->polish(edit_);
  }
  if (wrong) {
    note_->setText(QString::fromStdString(value.error().text));
    note_->setStyleSheet(QStringLiteral("color: %1").arg(theme().bad.name()));
    note_->show();
    return;
  }
  edit_->setToolTip(tr("A number, a unit or a formula: 14 mm, 3/8 in, 4*crank + 2 mm"));
  const bool plain = !parsed->formula || parsed->formula->references().empty();
  if (plain) {
    note_->hide();
    return;
  }
  note_->setText(
      QStringLiteral("= %1 %2").arg(QString::fromStdString(formatNumber(*value / m.units.factor(wanted_), 8)),
                                    QString::fromStdString(m.units.label(wanted_))));
  note_->setStyleSheet(QStringLiteral("color: %1").arg(theme().mute.name()));
  note_->show();
}

void NumberField::finish() {
  if (edit_->text() == shown_) {  // nothing was typed: "6.5 s" stays what it is, and no undo step is made
    edit_->setModified(false);
    return;
  }
  const auto& m = *bench_.document().mechanism();
  auto parsed = model::parseField(m, edit_->text().toStdString());
  if (!parsed.ok() || !model::evaluateField(m, *parsed, wanted_).ok())
    return;  // stays marked; the document is untouched
  edit_->setModified(false);
  // "14 mm" in a document of mm is the plain number 14
  if (!keepUnit_ && parsed->formula && parsed->formula->references().empty()) {
    const std::string unit = m.units.label(wanted_);
    const std::string text = edit_->text().trimmed().toStdString();
    if (!unit.empty() && text.size() > unit.size() && text.compare(text.size() - unit.size(), unit.size(), unit) == 0) {
      const auto bare = model::parseField(m, text.substr(0, text.size() - unit.size()));
      if (bare.ok() && !bare->formula) parsed = bare;
    }
  }
  if (model::fieldText(m, *parsed) == model::fieldText(m, field_)) return;
  const model::Field before = field_;
  field_ = *parsed;
  shown_ = edit_->text();  // before the commit, which may take this field away
  if (!commit_(*parsed)) setField(before);
}

}  // namespace cooperage::app
