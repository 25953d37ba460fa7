// SPDX-License-Identifier: GPL-3.0-or-later
// The rows that all pages are made of.
#include "card_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSlider>
#include <QVBoxLayout>

#include "../choice_box.h"
#include "../merges.h"
#include "../text.h"
#include "../theme.h"
#include "io/curve_table.h"
#include "model/joint_edits.h"
#include "number_field.h"

namespace cooperage::app {

using namespace model;

QLabel* formLabel(const QString& text) {
  auto* l = new QLabel(text);
  l->setProperty("mute", true);
  // a long label wraps, so that figures stand in one column and are never pushed out of the card
  l->setWordWrap(true);
  l->setMinimumSize(82, 26);
  l->setMaximumWidth(104);
  return l;
}

void CardPage::heading(const QString& title, const QString& kind) {
  auto* row = new QHBoxLayout;
  row->setContentsMargins(12, 12, 12, 6);
  auto* t = new QLabel(title);
  t->setProperty("heading", true);
  t->setWordWrap(true);
  auto* k = new QLabel(kind);
  k->setProperty("mute", true);
  k->setFont(uiFont(8.5));
  row->addWidget(t, 1);
  row->addWidget(k, 0, Qt::AlignTop);
  card_.column()->addLayout(row);
}

QFormLayout* CardPage::section(const QString& title) {
  if (card_.column()->count() > 1) {
    auto* line = new QFrame;
    line->setFixedHeight(1);
    line->setStyleSheet(QStringLiteral("background: %1").arg(theme().line.name()));
    card_.column()->addSpacing(4);
    card_.column()->addWidget(line);
    card_.column()->addSpacing(4);
  }
  if (!title.isEmpty()) {
    auto* t = new QLabel(title);
    t->setFont(uiFont(9, QFont::DemiBold));
    t->setContentsMargins(12, 6, 12, 2);
    card_.column()->addWidget(t);
  }
  auto* form = new QFormLayout;
  form->setContentsMargins(12, 4, 12, 4);
  form->setHorizontalSpacing(10);
  form->setVerticalSpacing(6);
  form->setLabelAlignment(Qt::AlignLeft);
  form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
  card_.column()->addLayout(form);
  return form;
}

void CardPage::nameField(QFormLayout* form, Id id, const std::string& name) {
  auto* edit = new QLineEdit(q(name));
  edit->setObjectName(QStringLiteral("name"));
  edit->setAccessibleName(tr("Name"));
  edit->setCursorPosition(0);  // a long name is told by its beginning
  connect(edit, &QLineEdit::editingFinished, this, [this, edit, id, name] {
    const QString text = edit->text().trimmed();
    if (text == q(name)) return;
    if (!bench_.document().apply(tr("Rename"), renamed(*bench_.document().mechanism(), id, text.toStdString())))
      edit->setText(q(name));
  });
  form->addRow(formLabel(tr("Name")), edit);
}

void CardPage::figure(QFormLayout* form, const QString& label, const Field& field, const Dimension& wanted,
                      std::function<Mechanism(const Field&)> change) {
  auto* f = new NumberField(bench_, field, wanted, [this, label, change](const Field& typed) {
    return bench_.document().apply(tr("Change %1").arg(label.toLower()), change(typed));
  });
  f->edit()->setObjectName(label);
  f->edit()->setAccessibleName(label);
  form->addRow(formLabel(label), f);
}

void CardPage::note(QFormLayout* form, const QString& text) {
  auto* l = new QLabel(text);
  l->setWordWrap(true);
  l->setProperty("mute", true);
  form->addRow(l);
}

void CardPage::button(QFormLayout* form, const QString& text, std::function<void()> press, bool primary) {
  auto* b = new QPushButton(text);
  b->setProperty("primary", primary);
  connect(b, &QPushButton::clicked, this, [press] { press(); });
  form->addRow(b);
}

void CardPage::live(QFormLayout* form, const QString& label, std::function<QString()> text) {
  auto* l = new QLabel;
  l->setObjectName(QStringLiteral("live ") + label);
  l->setTextInteractionFlags(Qt::TextSelectableByMouse);
  l->setFixedHeight(24);
  form->addRow(formLabel(label), l);
  card_.keepLive(l, std::move(text));
}

void CardPage::optionalFigure(QFormLayout* form, const QString& label, const QString& objectName,
                              const std::optional<Field>& field,
                              std::function<Mechanism(const std::optional<Field>&)> change) {
  const std::string was = field ? fieldText(*bench_.document().mechanism(), *field) : std::string();
  auto* edit = new QLineEdit(q(was));
  edit->setObjectName(objectName);
  edit->setAccessibleName(objectName);
  edit->setPlaceholderText(tr("none"));
  connect(edit, &QLineEdit::editingFinished, this, [this, edit, label, was, change] {
    const std::string text = edit->text().trimmed().toStdString();
    if (text == was) return;
    std::optional<Field> typed;
    if (!text.empty()) {
      auto parsed = parseField(*bench_.document().mechanism(), text);
      if (!parsed.ok()) {
        bench_.say(q(parsed.error().text), true);
        return;
      }
      typed = *parsed;
    }
    if (!bench_.document().apply(tr("Change %1").arg(label.toLower()), change(typed))) edit->setText(q(was));
  });
  form->addRow(formLabel(label), edit);
}

/// Position, and the turn as angles about x, then y, then z.
void CardPage::placement(QFormLayout* form, const Placement& p, std::function<Mechanism(const Placement&)> change) {
  static const char* kAxes[] = {"x", "y", "z"};
  for (std::size_t i = 0; i < 3; ++i)
    figure(form, tr("At %1").arg(QLatin1String(kAxes[i])), p.at[i], dimension::kLength, [p, i, change](const Field& f) {
      Placement next = p;
      next.at[i] = f;
      return change(next);
    });
  const auto pose = poseOf(*bench_.document().mechanism(), p);
  if (!pose.ok()) return;
  const Vec3 angles = kinematics::ballAngles(pose->R);
  for (int i = 0; i < 3; ++i) {
    const double unit = bench_.document().mechanism()->units.factor(dimension::kAngle);
    const double shown = std::round(angles[i] / unit * 1e9) / 1e9;
    figure(form, tr("Turn about %1").arg(QLatin1String(kAxes[i])), Field(shown == 0 ? 0.0 : shown), dimension::kAngle,
           [this, p, i, angles, change](const Field& f) {
             Vec3 a = angles;
             const auto v = evaluateField(*bench_.document().mechanism(), f, dimension::kAngle);
             if (v.ok()) a[i] = *v;
             Placement next = p;
             next.turn =
                 placementOf({kinematics::ballRotation(a), Vec3::Zero()}, bench_.document().mechanism()->units).turn;
             return change(next);
           });
  }
}

void CardPage::slider(QFormLayout* form, double low, double high, double now, const QString& objectName,
                      std::function<void(double)> move, std::function<void()> end) {
  auto* s = new QSlider(Qt::Horizontal);
  s->setObjectName(objectName);
  s->setAccessibleName(objectName);
  s->setRange(0, 1000);
  const double span = high - low;
  s->setValue(static_cast<int>(std::lround(1000 * (now - low) / span)));
  connect(s, &QSlider::sliderPressed, this, [this] { card_.hold(); });
  connect(s, &QSlider::valueChanged, this, [low, span, move](int v) { move(low + span * v / 1000); });
  connect(s, &QSlider::sliderReleased, this, [this, end] {
    end();
    card_.letGo();
  });
  form->addRow(s);
}

/// All named parameters with their values, to play with.
void CardPage::parameters() {
  const auto& m = *bench_.document().mechanism();
  auto* form = section(tr("Parameters"));
  for (const auto& p : m.parameters) {
    Dimension d;
    for (const auto& [id, value] : bench_.solution().resolved().parameters)
      if (id == p->id) d = value.dimension;
    const Id id = p->id;
    auto* f = new NumberField(bench_, p->value, d, [this, id](const Field& typed) {
      return bench_.document().apply(tr("Change parameter"),
                                     changed<Parameter>(*bench_.document().mechanism(), &Mechanism::parameters, id,
                                                        [&](Parameter& x) { x.value = typed; }));
    });
    f->keepUnit();
    f->edit()->setObjectName(QStringLiteral("parameter ") + q(p->name));
    f->edit()->setAccessibleName(q(p->name));
    form->addRow(formLabel(q(p->name)), f);
    // a plain figure with its unit can be swept live, from half of it to twice
    const Field start = p->value;
    if (start.formula && !start.formula->references().empty()) continue;
    const auto value = evaluateField(m, start, d);
    if (!value.ok() || *value == 0) continue;
    const double v = *value, unit = m.units.factor(d);
    const std::string label = m.units.label(d);
    slider(
        form, std::min(0.5 * v, 2 * v), std::max(0.5 * v, 2 * v), v, QStringLiteral("slide ") + q(p->name),
        [this, id, unit, label, f](double x) {
          const double shown = std::round(x / unit * 1e3) / 1e3;
          const auto typed =
              parseField(*bench_.document().mechanism(), formatNumber(shown) + (label.empty() ? "" : " " + label));
          if (!typed.ok()) return;
          bench_.document().apply(tr("Change parameter"),
                                  changed<Parameter>(*bench_.document().mechanism(), &Mechanism::parameters, id,
                                                     [&](Parameter& y) { y.value = *typed; }),
                                  kMergeParameter);
          f->setField(*typed);
        },
        [this] { bench_.document().endGesture(); });
  }
  if (m.parameters.empty()) note(form, tr("None yet."));
  button(form, tr("Add parameter"), [this] {
    Mechanism next = *bench_.document().mechanism();
    Parameter p;
    p.id = newId();
    int n = 1;
    std::string name = "size";
    while (findByName(next.parameters, name)) name = "size_" + std::to_string(++n);
    p.name = name;
    p.value = *parseField(next, "10 " + next.units.length);
    next.parameters.push_back(std::make_shared<const Parameter>(p));
    if (bench_.document().apply(tr("Add parameter"), next)) bench_.selection().select({p.id});
  });
}

void CardPage::check(QFormLayout* form, const QString& text, const QString& name, bool now,
                     std::function<Mechanism(bool)> change, const QString& tip) {
  auto* b = new QCheckBox(text);
  b->setToolTip(tip);
  b->setObjectName(name);
  b->setChecked(now);
  connect(b, &QCheckBox::toggled, this,
          [this, text, change](bool on) { bench_.document().apply(tr("Change %1").arg(text), change(on)); });
  form->addRow(formLabel(QString()), b);
}

void CardPage::pickOne(QFormLayout* form, const QString& label, const QString& name,
                       const std::vector<std::pair<QString, QString>>& items, const QString& now,
                       std::function<Result<Mechanism>(const QString&)> change) {
  auto* c = new ChoiceBox;
  c->setObjectName(name);
  c->setAccessibleName(label);
  for (const auto& [key, text] : items) c->addItem(text, key);
  c->setCurrentIndex(c->findData(now));
  c->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  c->setMinimumContentsLength(9);
  connect(c, &QComboBox::activated, this, [this, c, label, change](int) {
    bench_.document().apply(tr("Change %1").arg(label.toLower()), change(c->currentData().toString()));
  });
  form->addRow(formLabel(label), c);
}

QLabel* CardPage::figureLine(QFormLayout* form, const QString& label, const QString& value, const QString& name) {
  auto* l = new QLabel(value);
  l->setObjectName(name);
  l->setToolTip(value);
  l->setTextInteractionFlags(Qt::TextSelectableByMouse);
  l->setFixedHeight(24);
  l->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  form->addRow(formLabel(label), l);
  return l;
}

/// In whose axes, and against whose motion, something is measured.
void CardPage::axesOf(QFormLayout* form, const std::optional<Id>& in,
                      std::function<Mechanism(std::optional<Id>)> change) {
  std::vector<std::pair<QString, QString>> links{{QStringLiteral("0"), tr("ground")}};
  for (const auto& l : bench_.document().mechanism()->links)
    if (!l->ground) links.emplace_back(QString::number(l->id), q(l->name));
  const auto known = in ? findLink(*bench_.document().mechanism(), *in) : nullptr;
  pickOne(form, tr("In axes of"), QStringLiteral("in"), links,
          known && !known->ground ? QString::number(*in) : QStringLiteral("0"),
          [change](const QString& key) -> Result<Mechanism> {
            const Id link = key.toULongLong();
            return change(link == 0 ? std::nullopt : std::optional<Id>(link));
          });
}

void CardPage::readTable(const QString& title, std::function<void(const std::vector<Pair>&, const std::string&)> take) {
  const QString path = QFileDialog::getOpenFileName(&card_, title, {}, tr("Tables (*.csv *.txt);;All files (*)"));
  if (path.isEmpty()) return;
  const auto points = io::readCurveTable(*bench_.document().mechanism(), path.toStdString());
  if (points.ok())
    take(*points, bench_.document().relativeFile(path).toStdString());
  else
    bench_.say(q(points.error().text), true);
}

}  // namespace cooperage::app
