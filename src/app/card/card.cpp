// SPDX-License-Identifier: GPL-3.0-or-later
#include "card.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QFileDialog>
#include <QPushButton>
#include <QSlider>
#include <QTimer>
#include <QVBoxLayout>

#include "../theme.h"
#include "kept_text.h"
#include "model/joint_edits.h"
#include "number_field.h"
#include "../text.h"
#include "../merges.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
}  // namespace

Card::Card(Workbench& bench, QWidget* parent) : QScrollArea(parent), bench_(bench) {
  setObjectName(QStringLiteral("card"));
  setAccessibleName(tr("Card of the selection"));
  setWidgetResizable(true);
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  const auto later = [this] {
    // after the present event: the field that caused the change may still be on the stack
    if (rebuilding_) return;
    rebuilding_ = true;
    QTimer::singleShot(0, this, [this] {
      rebuilding_ = false;
      rebuild();
    });
  };
  connect(&bench_.document(), &Document::changed, this, later);
  connect(&bench_.selection(), &Selection::changed, this, later);
  connect(&bench_.selection(), &Selection::stageChanged, this, later);
  connect(&bench_, &Workbench::resultsChanged, this, later);
  connect(&bench_.pose(), &PoseControl::changed, this, &Card::refreshLive);
  connect(&bench_.runs(), &RunBook::cursorChanged, this, &Card::refreshLive);
  rebuild();
}

void Card::rebuild() {
  if (sliding_) return;  // the slider in the hand must not go; it is done again at its release
  // the focus stays on the field of the same name, so that Tab goes on after a change; so does what is being typed
  const KeptText kept(body_);
  const auto shown = std::make_pair(bench_.selection().stage(), bench_.selection().ids());
  const bool same = shown == shown_;
  shown_ = shown;
  live_.clear();
  body_ = new QWidget;
  column_ = new QVBoxLayout(body_);
  column_->setContentsMargins(0, 0, 0, 10);
  column_->setSpacing(0);
  const auto& m = *bench_.document().mechanism();
  const auto& s = bench_.selection().ids();
  if (bench_.selection().stage() == Stage::check && bench_.selection().chosenInterference() >= 0 &&
      bench_.checks().check()) {
    showInterference();
  } else if (s.size() == 1) {
    const Id id = s[0];
    if (const auto l = findLink(m, id))
      showLink(*l);
    else if (const auto b = findBody(m, id))
      showBody(*b->link, *b->body);
    else if (const auto p = findSeat(m, id))
      showSeat(*p->link, *p->seat);
    else if (const auto j = findJoint(m, id))
      showJoint(*j);
    else if (const auto k = findById(m.couplings, id))
      showCoupling(*k);
    else if (const auto cp = findById(m.camPairs, id))
      showCamPair(*cp);
    else if (const auto cu = findCurve(m, id))
      showCurve(*cu->link, *cu->curve);
    else if (const auto d = findById(m.drives, id))
      showDrive(*d);
    else if (const auto g = findById(m.gauges, id))
      showGauge(*g);
    else if (const auto r = findById(m.requirements, id))
      showRequirement(*r);
    else if (const auto path = findById(m.paths, id))
      showPath(*path);
    else if (const auto run = findById(m.runs, id))
      showRun(*run);
    else if (const auto pa = findById(m.parameters, id))
      showParameter(*pa);
  } else {
    showMechanism();
  }
  column_->addStretch(1);
  retire(takeWidget());
  setWidget(body_);
  refreshLive();
  kept.putInto(body_, same);
}

void Card::refreshLive() {
  for (auto& [label, text] : live_) label->setText(text());
}

void Card::heading(const QString& title, const QString& kind) {
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
  column_->addLayout(row);
}

QFormLayout* Card::section(const QString& title) {
  if (column_->count() > 1) {
    auto* line = new QFrame;
    line->setFixedHeight(1);
    line->setStyleSheet(QStringLiteral("background: %1").arg(theme().line.name()));
    column_->addSpacing(4);
    column_->addWidget(line);
    column_->addSpacing(4);
  }
  if (!title.isEmpty()) {
    auto* t = new QLabel(title);
    t->setFont(uiFont(9, QFont::DemiBold));
    t->setContentsMargins(12, 6, 12, 2);
    column_->addWidget(t);
  }
  auto* form = new QFormLayout;
  form->setContentsMargins(12, 4, 12, 4);
  form->setHorizontalSpacing(10);
  form->setVerticalSpacing(6);
  form->setLabelAlignment(Qt::AlignLeft);
  form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
  column_->addLayout(form);
  return form;
}

QLabel* formLabel(const QString& text) {
  auto* l = new QLabel(text);
  l->setProperty("mute", true);
  l->setMinimumWidth(82);
  l->setFixedHeight(26);
  return l;
}

void Card::nameField(QFormLayout* form, Id id, const std::string& name) {
  auto* edit = new QLineEdit(q(name));
  edit->setObjectName(QStringLiteral("name"));
  edit->setAccessibleName(tr("Name"));
  connect(edit, &QLineEdit::editingFinished, this, [this, edit, id, name] {
    const QString text = edit->text().trimmed();
    if (text == q(name)) return;
    if (!bench_.document().apply(tr("Rename"), renamed(*bench_.document().mechanism(), id, text.toStdString())))
      edit->setText(q(name));
  });
  form->addRow(formLabel(tr("Name")), edit);
}

void Card::figure(QFormLayout* form, const QString& label, const Field& field, const Dimension& wanted,
                  std::function<Mechanism(const Field&)> change) {
  auto* f = new NumberField(bench_, field, wanted, [this, label, change](const Field& typed) {
    return bench_.document().apply(tr("Change %1").arg(label.toLower()), change(typed));
  });
  f->edit()->setObjectName(label);
  f->edit()->setAccessibleName(label);
  form->addRow(formLabel(label), f);
}

void Card::note(QFormLayout* form, const QString& text) {
  auto* l = new QLabel(text);
  l->setWordWrap(true);
  l->setProperty("mute", true);
  form->addRow(l);
}

void Card::button(QFormLayout* form, const QString& text, std::function<void()> press, bool primary) {
  auto* b = new QPushButton(text);
  b->setProperty("primary", primary);
  connect(b, &QPushButton::clicked, this, [press] { press(); });
  form->addRow(b);
}

void Card::live(QFormLayout* form, const QString& label, std::function<QString()> text) {
  auto* l = new QLabel;
  l->setObjectName(QStringLiteral("live ") + label);
  l->setTextInteractionFlags(Qt::TextSelectableByMouse);
  l->setFixedHeight(24);
  form->addRow(formLabel(label), l);
  live_.emplace_back(l, std::move(text));
}

void Card::optionalFigure(QFormLayout* form, const QString& label, const QString& objectName,
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
void Card::placement(QFormLayout* form, const Placement& p, std::function<Mechanism(const Placement&)> change) {
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

void Card::slider(QFormLayout* form, double low, double high, double now, const QString& objectName,
                  std::function<void(double)> move, std::function<void()> end) {
  auto* s = new QSlider(Qt::Horizontal);
  s->setObjectName(objectName);
  s->setAccessibleName(objectName);
  s->setRange(0, 1000);
  const double span = high - low;
  s->setValue(static_cast<int>(std::lround(1000 * (now - low) / span)));
  connect(s, &QSlider::sliderPressed, this, [this] { sliding_ = true; });
  connect(s, &QSlider::valueChanged, this, [low, span, move](int v) { move(low + span * v / 1000); });
  connect(s, &QSlider::sliderReleased, this, [this, end] {
    sliding_ = false;
    end();
    QTimer::singleShot(0, this, [this] { rebuild(); });
  });
  form->addRow(s);
}

void Card::showParameter(const Parameter& parameter) {
  heading(q(parameter.name), tr("parameter"));
  auto* form = section();
  nameField(form, parameter.id, parameter.name);
  parameters();
}

/// All named parameters with their values, to play with.
void Card::parameters() {
  const auto& m = *bench_.document().mechanism();
  auto* form = section(tr("Parameters in play"));
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

void Card::showMechanism() {
  const auto& m = *bench_.document().mechanism();
  const auto& s = bench_.selection().ids();
  if (s.size() > 1) {
    heading(tr("%1 objects").arg(s.size()), tr("selection"));
    auto* form = section();
    std::vector<Id> links, bodies;
    for (Id id : s) {
      if (findLink(m, id)) links.push_back(id);
      if (findBody(m, id)) bodies.push_back(id);
    }
    if (!links.empty()) {
      button(form, tr("Ground these links"), [this, links] {
        bench_.document().apply(tr("Ground links"), grounded(*bench_.document().mechanism(), links, true));
      });
      button(form, tr("Free these links"), [this, links] {
        bench_.document().apply(tr("Free links"), grounded(*bench_.document().mechanism(), links, false));
      });
    }
    if (bodies.size() > 1)
      button(form, tr("Each a link of its own"), [this, bodies] {
        bench_.document().apply(tr("Make links of their own"), separated(*bench_.document().mechanism(), bodies));
      });
    if (links.size() > 1 || bodies.size() > 1 || (links.size() == 1 && !bodies.empty()))
      button(form, links.size() > 1 && bodies.empty() ? tr("Put together as one link") : tr("Make one link of them"),
             [this, links, bodies] {
               // what is loose travels with the first link chosen; of solids alone a new link is made
               const auto& now = *bench_.document().mechanism();
               std::pair<Mechanism, Id> result{now, 0};
               if (!links.empty()) result = merged(now, links);
               if (!bodies.empty())
                 result = regrouped(result.first, bodies, result.second, findBody(now, bodies.front())->body->name);
               if (bench_.document().apply(tr("Put together as one link"),
                                           bench_.importer().namedByLargest(result.first, result.second)))
                 bench_.selection().select({result.second});
             });
    return;
  }
  heading(m.title.empty() ? bench_.document().title() : q(m.title), tr("mechanism"));
  auto* form = section();
  auto* title = new QLineEdit(q(m.title));
  title->setObjectName(QStringLiteral("title"));
  title->setPlaceholderText(tr("what it is"));
  connect(title, &QLineEdit::editingFinished, this, [this, title] {
    if (title->text().toStdString() == bench_.document().mechanism()->title) return;
    Mechanism next = *bench_.document().mechanism();
    next.title = title->text().toStdString();
    bench_.document().apply(tr("Change title"), next);
  });
  form->addRow(formLabel(tr("Title")), title);
  const auto unit = [&](const QString& label, const Dimension& d, std::string DocumentUnits::*member) {
    auto* box = new QComboBox;
    box->setObjectName(QStringLiteral("unit ") + label);
    for (const auto& name : unitsOf(d)) box->addItem(q(name));
    box->setCurrentText(q(m.units.*member));
    connect(box, &QComboBox::textActivated, this, [this, member](const QString& text) {
      DocumentUnits units = bench_.document().mechanism()->units;
      units.*member = text.toStdString();
      bench_.document().apply(tr("Change units"), withUnits(*bench_.document().mechanism(), units));
    });
    form->addRow(formLabel(label), box);
  };
  unit(tr("Lengths"), dimension::kLength, &DocumentUnits::length);
  unit(tr("Angles"), dimension::kAngle, &DocumentUnits::angle);
  unit(tr("Times"), dimension::kTime, &DocumentUnits::time);
  parameters();
}

}  // namespace cooperage::app
