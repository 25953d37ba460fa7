// SPDX-License-Identifier: GPL-3.0-or-later
#include "card.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>

#include "../theme.h"
#include "number_field.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
}  // namespace

Card::Card(Session& session, QWidget* parent) : QScrollArea(parent), session_(session) {
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
  connect(&session_, &Session::documentChanged, this, later);
  connect(&session_, &Session::selectionChanged, this, later);
  connect(&session_, &Session::stageChanged, this, later);
  connect(&session_, &Session::resultsChanged, this, later);
  connect(&session_, &Session::posesChanged, this, &Card::refreshLive);
  connect(&session_, &Session::cursorChanged, this, &Card::refreshLive);
  rebuild();
}

void Card::rebuild() {
  // the focus stays on the field of the same name, so that Tab goes on after a change
  const QString focused = focusWidget() ? focusWidget()->objectName() : QString();
  const bool had = focusWidget() && focusWidget()->hasFocus();
  live_.clear();
  body_ = new QWidget;
  column_ = new QVBoxLayout(body_);
  column_->setContentsMargins(0, 0, 0, 10);
  column_->setSpacing(0);
  const auto& m = *session_.mechanism();
  const auto& s = session_.selection();
  if (session_.stage() == Stage::check && session_.chosenInterference() >= 0 && session_.check()) {
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
    else if (const auto d = findById(m.drives, id))
      showDrive(*d);
    else if (const auto g = findById(m.gauges, id))
      showGauge(*g);
    else if (const auto r = findById(m.requirements, id))
      showRequirement(*r);
    else if (const auto run = findById(m.runs, id))
      showRun(*run);
    else if (const auto pa = findById(m.parameters, id))
      showParameter(*pa);
  } else {
    showMechanism();
  }
  column_->addStretch(1);
  setWidget(body_);
  refreshLive();
  if (had && !focused.isEmpty())
    if (auto* again = body_->findChild<QWidget*>(focused)) again->setFocus();
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

namespace {
QLabel* formLabel(const QString& text) {
  auto* l = new QLabel(text);
  l->setProperty("mute", true);
  l->setMinimumWidth(82);
  l->setFixedHeight(26);
  return l;
}
}  // namespace

void Card::nameField(QFormLayout* form, Id id, const std::string& name) {
  auto* edit = new QLineEdit(q(name));
  edit->setObjectName(QStringLiteral("name"));
  edit->setAccessibleName(tr("Name"));
  connect(edit, &QLineEdit::editingFinished, this, [this, edit, id, name] {
    const QString text = edit->text().trimmed();
    if (text == q(name)) return;
    if (!session_.apply(tr("Rename"), renamed(*session_.mechanism(), id, text.toStdString()))) edit->setText(q(name));
  });
  form->addRow(formLabel(tr("Name")), edit);
}

void Card::figure(QFormLayout* form, const QString& label, const Field& field, const Dimension& wanted,
                  std::function<Mechanism(const Field&)> change) {
  auto* f = new NumberField(session_, field, wanted, [this, label, change](const Field& typed) {
    return session_.apply(tr("Change %1").arg(label.toLower()), change(typed));
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

/// Position, and the turn as angles about x, then y, then z.
void Card::placement(QFormLayout* form, const Placement& p, std::function<Mechanism(const Placement&)> change) {
  static const char* kAxes[] = {"x", "y", "z"};
  for (std::size_t i = 0; i < 3; ++i)
    figure(form, tr("At %1").arg(QLatin1String(kAxes[i])), p.at[i], dimension::kLength, [p, i, change](const Field& f) {
      Placement next = p;
      next.at[i] = f;
      return change(next);
    });
  const auto pose = poseOf(*session_.mechanism(), p);
  if (!pose.ok()) return;
  const Vec3 angles = kinematics::ballAngles(pose->R);
  for (int i = 0; i < 3; ++i) {
    const double unit = session_.mechanism()->units.factor(dimension::kAngle);
    const double shown = std::round(angles[i] / unit * 1e9) / 1e9;
    figure(form, tr("Turn about %1").arg(QLatin1String(kAxes[i])), Field(shown == 0 ? 0.0 : shown), dimension::kAngle,
           [this, p, i, angles, change](const Field& f) {
             Vec3 a = angles;
             const auto v = evaluateField(*session_.mechanism(), f, dimension::kAngle);
             if (v.ok()) a[i] = *v;
             Placement next = p;
             next.turn = placementOf({kinematics::ballRotation(a), Vec3::Zero()}, session_.mechanism()->units).turn;
             return change(next);
           });
  }
}

void Card::showLink(const Link& link) {
  heading(q(link.name), link.ground ? tr("link, ground") : tr("link"));
  auto* form = section();
  nameField(form, link.id, link.name);
  auto* ground = new QCheckBox(tr("stands still (ground)"));
  ground->setObjectName(QStringLiteral("ground"));
  ground->setChecked(link.ground);
  const Id id = link.id;
  connect(ground, &QCheckBox::toggled, this,
          [this, id](bool on) { session_.apply(on ? tr("Ground link") : tr("Free link"), grounded(*session_.mechanism(), {id}, on)); });
  form->addRow(formLabel(QString()), ground);
  auto* place = section(tr("Placement"));
  placement(place, link.placement, [this, id](const Placement& p) {
    return changedLink(*session_.mechanism(), id, [&](Link& l) { l.placement = p; });
  });
  auto* list = section(tr("Joints"));
  int n = 0;
  for (const auto& j : session_.mechanism()->joints)
    for (Id seat : j->seats)
      if (const auto s = findSeat(*session_.mechanism(), seat); s && s->link->id == id) {
        const Id joint = j->id;
        auto* b = new QPushButton(icon(QStringLiteral("joints/") + QLatin1String(infoOf(j->kind).name)), q(j->name));
        b->setStyleSheet(QStringLiteral("text-align: left"));
        connect(b, &QPushButton::clicked, this, [this, joint] { session_.select({joint}); });
        list->addRow(b);
        ++n;
      }
  if (n == 0) note(list, tr("None yet. Stage Join makes them."));
}

void Card::showBody(const Link& link, const Body& body) {
  heading(q(body.name), body.kind == BodyKind::file ? tr("solid") : QLatin1String(elementName(body.kind)));
  auto* form = section();
  nameField(form, body.id, body.name);
  const Id id = body.id;
  if (body.kind == BodyKind::file) {
    note(form, tr("From %1, solid %2").arg(q(body.file)).arg(body.solid + 1));
    if (const QString problem = session_.bodyProblem(id); !problem.isEmpty()) note(form, problem);
  }
  for (const std::string& key : elementFigures(body.kind)) {
    const auto it = body.figures.find(key);
    figure(form, q(key), it == body.figures.end() ? Field(0) : it->second, dimension::kLength, [this, id, key](const Field& f) {
      return changedBody(*session_.mechanism(), id, [&](Body& b) { b.figures[key] = f; });
    });
  }
  note(form, tr("Part of the link %1").arg(q(link.name)));
  auto* place = section(tr("Placement in the link"));
  placement(place, body.placement, [this, id](const Placement& p) {
    return changedBody(*session_.mechanism(), id, [&](Body& b) { b.placement = p; });
  });
  auto* more = section();
  button(more, tr("Make it a link of its own"), [this, id] {
    session_.apply(tr("Make a link of its own"), separated(*session_.mechanism(), {id}));
  });
}

void Card::showSeat(const Link& link, const Seat& seat) {
  heading(q(seat.name), tr("seat on %1").arg(q(link.name)));
  auto* form = section();
  nameField(form, seat.id, seat.name);
  const Id id = seat.id;
  static const char* kAxes[] = {"x", "y", "z"};
  const auto three = [&](const QString& label, Triple Seat::*member, const Dimension& d) {
    for (std::size_t i = 0; i < 3; ++i)
      figure(form, label + QLatin1String(kAxes[i]), (seat.*member)[i], d, [this, id, i, member](const Field& f) {
        return changedSeat(*session_.mechanism(), id, [&](Seat& s) { (s.*member)[i] = f; });
      });
  };
  three(tr("At "), &Seat::at, dimension::kLength);
  three(tr("Axis "), &Seat::axis, dimension::kPlain);
  three(tr("Reference "), &Seat::ref, dimension::kPlain);
}

void Card::showJoint(const Joint& joint) {
  const auto& m = *session_.mechanism();
  heading(q(joint.name), QLatin1String(infoOf(joint.kind).name));
  auto* form = section();
  nameField(form, joint.id, joint.name);
  const Id id = joint.id;
  auto* kind = new QComboBox;
  kind->setObjectName(QStringLiteral("kind"));
  kind->setAccessibleName(tr("Kind"));
  for (const auto& info : jointKinds()) kind->addItem(icon(QStringLiteral("joints/") + QLatin1String(info.name)), QLatin1String(info.name));
  kind->setCurrentText(QLatin1String(infoOf(joint.kind).name));
  connect(kind, &QComboBox::textActivated, this, [this, id](const QString& text) {
    const auto k = jointKindNamed(text.toStdString());
    if (!k) return;
    session_.apply(tr("Change joint kind"), changedJoint(*session_.mechanism(), id, [&](Joint& j) {
      j.kind = *k;
      if (*k == JointKind::screw && !j.lead.formula && j.lead.number == 0)
        j.lead = Field(6e-3 / session_.mechanism()->units.factor(dimension::kLength));
      for (auto it = j.home.begin(); it != j.home.end();) it = valueIndex(*k, it->first) < 0 ? j.home.erase(it) : std::next(it);
      for (auto it = j.stops.begin(); it != j.stops.end();) it = valueIndex(*k, it->first) < 0 ? j.stops.erase(it) : std::next(it);
    }));
  });
  form->addRow(formLabel(tr("Kind")), kind);
  note(form, tr("Between %1 and %2").arg(q(nameOf(m, {joint.seats[0], ""}, false)), q(nameOf(m, {joint.seats[1], ""}, false))));
  figure(form, tr("Offset along"), joint.slideOffset, dimension::kLength, [this, id](const Field& f) {
    return changedJoint(*session_.mechanism(), id, [&](Joint& j) { j.slideOffset = f; });
  });
  figure(form, tr("Offset about"), joint.turnOffset, dimension::kAngle, [this, id](const Field& f) {
    return changedJoint(*session_.mechanism(), id, [&](Joint& j) { j.turnOffset = f; });
  });
  if (joint.kind == JointKind::screw)
    figure(form, tr("Lead"), joint.lead, dimension::kLength, [this, id](const Field& f) {
      return changedJoint(*session_.mechanism(), id, [&](Joint& j) { j.lead = f; });
    });
  const auto flag = [&](const QString& text, const char* name, bool on, std::function<void(Joint&, bool)> set) {
    auto* box = new QCheckBox(text);
    box->setObjectName(QLatin1String(name));
    box->setChecked(on);
    connect(box, &QCheckBox::toggled, this, [this, id, text, set](bool now) {
      session_.apply(text, changedJoint(*session_.mechanism(), id, [&](Joint& j) { set(j, now); }));
    });
    form->addRow(formLabel(QString()), box);
  };
  flag(tr("turned over"), "flip", joint.flip, [](Joint& j, bool on) { j.flip = on; });
  flag(tr("held at home"), "held", joint.held, [](Joint& j, bool on) { j.held = on; });
  flag(tr("acts"), "enabled", joint.enabled, [](Joint& j, bool on) { j.enabled = on; });
  const auto seats = joint.seats;
  button(form, tr("Reverse direction"), [this, seats] {
    // both seats turn over about their reference: the joint counts the other way and nothing moves
    Mechanism next = *session_.mechanism();
    for (Id seat : seats)
      next = changedSeat(next, seat, [&](Seat& s) {
        for (Field& f : s.axis) {
          if (!f.formula) {
            f.number = f.number == 0 ? 0 : -f.number;
            continue;
          }
          if (auto minus = parseField(next, "-(" + fieldText(next, f) + ")"); minus.ok()) f = *minus;
        }
      });
    session_.apply(tr("Reverse joint"), next);
  });
  for (std::size_t v = 0; v < infoOf(joint.kind).values.size(); ++v) {
    const auto& value = infoOf(joint.kind).values[v];
    auto* part = section(QLatin1String(value.name));
    const std::string key = value.name;
    const Dimension d = dimensionOf(value);
    live(part, tr("Now"), [this, id, v, d]() -> QString {
      const auto& r = session_.resolved();
      if (!session_.system() || !session_.home()) return QStringLiteral("\u2013");
      for (std::size_t i = 0; i < r.joints.size(); ++i) {
        if (r.joints[i].id != id) continue;
        const auto& j = r.joints[i];
        const Pose a = session_.poses()[static_cast<std::size_t>(j.linkA)] * j.seatA * j.offset;
        const Pose flip = j.flip ? Pose{rotationAbout(0, kPi), Vec3::Zero()} : Pose{};
        const Pose J = a.inverse() * (session_.poses()[static_cast<std::size_t>(j.linkB)] * j.seatB * flip);
        double now = std::atan2(J.R(1, 0), J.R(0, 0));
        const std::string name = infoOf(j.kind).values[v].name;
        if (name == "slide") now = j.kind == JointKind::pinSlot ? J.p.x() : J.p.z();
        if (name == "x") now = J.p.x();
        if (name == "y") now = J.p.y();
        if (name == "tilt_x") now = kinematics::ballAngles(J.R)[0];
        if (name == "tilt_y") now = kinematics::ballAngles(J.R)[1];
        if (name == "swing") now = std::atan2(std::hypot(J.R(0, 2), J.R(1, 2)), J.R(2, 2));
        if (name == "turn" && j.kind == JointKind::spherical) now = kinematics::ballAngles(J.R)[2];
        const auto& units = session_.mechanism()->units;
        return QStringLiteral("%1 %2").arg(now / units.factor(d), 0, 'f', 3).arg(q(units.label(d)));
      }
      return {};
    });
    const auto stops = joint.stops.find(key);
    const auto optionalField = [&](const QString& label, const std::optional<Field>& f, bool low) {
      auto* edit = new QLineEdit(f ? q(fieldText(m, *f)) : QString());
      edit->setObjectName(q(key) + label);
      edit->setAccessibleName(q(key) + ' ' + label);
      edit->setPlaceholderText(tr("none"));
      connect(edit, &QLineEdit::editingFinished, this, [this, edit, id, key, low, was = f ? fieldText(m, *f) : std::string()] {
        const std::string text = edit->text().trimmed().toStdString();
        if (text == was) return;
        std::optional<Field> typed;
        if (!text.empty()) {
          auto parsed = parseField(*session_.mechanism(), text);
          if (!parsed.ok()) {
            session_.say(q(parsed.error().text), true);
            return;
          }
          typed = *parsed;
        }
        session_.apply(tr("Change stop"), changedJoint(*session_.mechanism(), id, [&](Joint& j) {
          auto& s = j.stops[key];
          (low ? s.low : s.high) = typed;
          if (!s.low && !s.high) j.stops.erase(key);
        }));
      });
      part->addRow(formLabel(label), edit);
    };
    optionalField(tr("Lower stop"), stops == joint.stops.end() ? std::nullopt : stops->second.low, true);
    optionalField(tr("Upper stop"), stops == joint.stops.end() ? std::nullopt : stops->second.high, false);
  }
}

void Card::showDrive(const Drive& drive) {
  const auto& m = *session_.mechanism();
  heading(q(drive.name), tr("drive"));
  auto* form = section();
  nameField(form, drive.id, drive.name);
  note(form, tr("Moves %1").arg(q(nameOf(m, drive.value, false))));
  const Id id = drive.id;
  const auto changeDrive = [this, id](std::function<void(Drive&)> edit) {
    return changed<Drive>(*session_.mechanism(), &Mechanism::drives, id, edit);
  };
  const auto flag = [&](const QString& text, bool on, std::function<void(Drive&, bool)> set) {
    auto* box = new QCheckBox(text);
    box->setChecked(on);
    connect(box, &QCheckBox::toggled, this, [this, text, set, changeDrive](bool now) {
      session_.apply(text, changeDrive([&](Drive& d) { set(d, now); }));
    });
    form->addRow(formLabel(QString()), box);
  };
  flag(tr("reversed"), drive.reverse, [](Drive& d, bool on) { d.reverse = on; });
  flag(tr("acts"), drive.enabled, [](Drive& d, bool on) { d.enabled = on; });
  const auto joint = findJoint(m, drive.value.id);
  const int v = joint ? valueIndex(joint->kind, drive.value.member) : -1;
  const Dimension value = v < 0 ? dimension::kAngle : dimensionOf(infoOf(joint->kind).values[static_cast<std::size_t>(v)]);
  for (std::size_t i = 0; i < drive.programme.size(); ++i) {
    const auto& row = drive.programme[i];
    auto* part = section(tr("Row %1: %2").arg(i + 1).arg(q(row.law)));
    for (const auto& [key, field] : row.figures) {
      const auto d = figureDimension(row.law, key, value);
      if (!d || key == "formula") continue;
      const std::string name = key;
      figure(part, q(key), field, *d, [changeDrive, i, name](const Field& f) {
        return changeDrive([&](Drive& x) { x.programme[i].figures[name] = f; });
      });
    }
  }
}

void Card::showGauge(const Gauge& gauge) {
  const auto& m = *session_.mechanism();
  heading(q(gauge.name), tr("gauge"));
  auto* form = section();
  nameField(form, gauge.id, gauge.name);
  QString of;
  for (const auto& s : gauge.of) of += (of.isEmpty() ? "" : ", ") + q(nameOf(m, s, false));
  note(form, tr("%1 of %2").arg(q(gauge.kind).replace('-', ' '), of));
  const Id id = gauge.id;
  if (gauge.kind.rfind("point-", 0) == 0 || gauge.kind.rfind("link-", 0) == 0) {
    auto* c = new QComboBox;
    c->addItems({QStringLiteral("x"), QStringLiteral("y"), QStringLiteral("z"), QStringLiteral("size")});
    c->setCurrentText(gauge.component.empty() ? QStringLiteral("size") : q(gauge.component));
    connect(c, &QComboBox::textActivated, this, [this, id](const QString& text) {
      session_.apply(tr("Change component"), changed<Gauge>(*session_.mechanism(), &Mechanism::gauges, id, [&](Gauge& g) { g.component = text.toStdString(); }));
    });
    form->addRow(formLabel(tr("Component")), c);
  }
  button(form, tr("Require a bound on it"), [this, id] {
    const auto& now = *session_.mechanism();
    Requirement r;
    r.id = newId();
    r.gauge = id;
    r.measure = "range";
    r.name = freeName(now.requirements, findById(now.gauges, id)->name + " range");
    Mechanism next = now;
    next.requirements.push_back(std::make_shared<const Requirement>(r));
    if (session_.apply(tr("Add requirement"), next)) session_.select({r.id});
  });
}

void Card::showRequirement(const Requirement& requirement) {
  const auto& m = *session_.mechanism();
  heading(q(requirement.name), tr("requirement"));
  auto* form = section();
  nameField(form, requirement.id, requirement.name);
  const auto g = findById(m.gauges, requirement.gauge);
  note(form, tr("On the gauge %1").arg(g ? q(g->name) : QString()));
  const Id id = requirement.id;
  auto* measure = new QComboBox;
  measure->setObjectName(QStringLiteral("measure"));
  measure->addItems({QStringLiteral("range"), QStringLiteral("min"), QStringLiteral("max"), QStringLiteral("mean"), QStringLiteral("end"), QStringLiteral("always")});
  measure->setCurrentText(q(requirement.measure));
  connect(measure, &QComboBox::textActivated, this, [this, id](const QString& text) {
    session_.apply(tr("Change measure"), changed<Requirement>(*session_.mechanism(), &Mechanism::requirements, id, [&](Requirement& r) { r.measure = text.toStdString(); }));
  });
  form->addRow(formLabel(tr("Measure")), measure);
  const auto bound = [&](const QString& label, const std::optional<Field>& f, std::optional<Field> Requirement::*member) {
    auto* edit = new QLineEdit(f ? q(fieldText(m, *f)) : QString());
    edit->setObjectName(label);
    edit->setAccessibleName(label);
    edit->setPlaceholderText(tr("none"));
    connect(edit, &QLineEdit::editingFinished, this, [this, edit, id, member, was = f ? fieldText(m, *f) : std::string()] {
      const std::string text = edit->text().trimmed().toStdString();
      if (text == was) return;
      std::optional<Field> typed;
      if (!text.empty()) {
        auto parsed = parseField(*session_.mechanism(), text);
        if (!parsed.ok()) {
          session_.say(q(parsed.error().text), true);
          return;
        }
        typed = *parsed;
      }
      session_.apply(tr("Change bound"), changed<Requirement>(*session_.mechanism(), &Mechanism::requirements, id, [&](Requirement& r) { r.*member = typed; }));
    });
    form->addRow(formLabel(label), edit);
  };
  bound(tr("At least"), requirement.min, &Requirement::min);
  bound(tr("At most"), requirement.max, &Requirement::max);
  if (!session_.check()) return;
  for (const auto& r : session_.check()->result.requirements) {
    if (r.name != requirement.name) continue;
    const auto& units = m.units;
    auto* part = section(tr("Last check"));
    note(part, tr("%1 %2: %3%4").arg(q(formatNumber(r.value / units.factor(r.dimension), 7)), q(units.label(r.dimension)), r.met ? tr("met") : tr("not met"),
                                     session_.isCheckStale() ? tr(" (before the last change)") : QString()));
  }
}

void Card::showRun(const Run& run) {
  const auto& m = *session_.mechanism();
  heading(q(run.name), tr("run"));
  auto* form = section();
  nameField(form, run.id, run.name);
  const Id id = run.id;
  const auto change = [this, id](std::function<void(Run&)> edit) { return changed<Run>(*session_.mechanism(), &Mechanism::runs, id, edit); };
  if (run.duration) figure(form, tr("Duration"), *run.duration, dimension::kTime, [change](const Field& f) { return change([&](Run& r) { r.duration = f; }); });
  figure(form, tr("Steps"), Field(run.steps), dimension::kPlain, [this, change](const Field& f) {
    const auto v = evaluateField(*session_.mechanism(), f, dimension::kPlain);
    return change([&](Run& r) { r.steps = v.ok() ? static_cast<int>(std::lround(std::clamp(*v, -1e9, 1e9))) : 0; });
  });
  auto* axis = new QComboBox;
  axis->addItem(tr("time"), QVariant::fromValue<qulonglong>(0));
  for (const auto& d : m.drives) axis->addItem(q(d->name), QVariant::fromValue<qulonglong>(d->id));
  axis->setCurrentIndex(std::max(0, axis->findData(QVariant::fromValue<qulonglong>(run.axis))));
  connect(axis, &QComboBox::activated, this, [this, axis, change](int) {
    const Id drive = axis->currentData().toULongLong();
    session_.apply(tr("Change travel axis"), change([&](Run& r) { r.axis = drive; }));
  });
  form->addRow(formLabel(tr("Axis")), axis);
  figure(form, tr("Accuracy"), run.accuracy.value_or(Field(2e-5 / m.units.factor(dimension::kLength))), dimension::kLength,
         [change](const Field& f) { return change([&](Run& r) { r.accuracy = f; }); });
  button(form, tr("Compute"), [this] { session_.startRun(); }, true);
}

void Card::showParameter(const Parameter& parameter) {
  heading(q(parameter.name), tr("parameter"));
  auto* form = section();
  nameField(form, parameter.id, parameter.name);
  parameters();
}

/// All named parameters with their values, to play with.
void Card::parameters() {
  const auto& m = *session_.mechanism();
  auto* form = section(tr("Parameters in play"));
  for (const auto& p : m.parameters) {
    Dimension d;
    for (const auto& [id, value] : session_.resolved().parameters)
      if (id == p->id) d = value.dimension;
    const Id id = p->id;
    auto* f = new NumberField(session_, p->value, d, [this, id](const Field& typed) {
      return session_.apply(tr("Change parameter"), changed<Parameter>(*session_.mechanism(), &Mechanism::parameters, id, [&](Parameter& x) { x.value = typed; }));
    });
    f->edit()->setObjectName(QStringLiteral("parameter ") + q(p->name));
    f->edit()->setAccessibleName(q(p->name));
    form->addRow(formLabel(q(p->name)), f);
  }
  if (m.parameters.empty()) note(form, tr("None yet."));
  button(form, tr("Add parameter"), [this] {
    Mechanism next = *session_.mechanism();
    Parameter p;
    p.id = newId();
    int n = 1;
    std::string name = "size";
    while (findByName(next.parameters, name)) name = "size_" + std::to_string(++n);
    p.name = name;
    p.value = *parseField(next, "10 " + next.units.length);
    next.parameters.push_back(std::make_shared<const Parameter>(p));
    if (session_.apply(tr("Add parameter"), next)) session_.select({p.id});
  });
}

void Card::showInterference() {
  const auto& list = session_.check()->result.interference;
  const auto n = static_cast<std::size_t>(session_.chosenInterference());
  if (n >= list.size() || !session_.run()) {
    showMechanism();
    return;
  }
  const auto& i = list[n];
  const auto& r = session_.resolved();
  const auto& units = session_.mechanism()->units;
  const double axis = units.factor(session_.run()->result.axisDimension), mm = units.factor(dimension::kLength);
  const QString axisUnit = q(units.label(session_.run()->result.axisDimension));
  const auto nameOfLink = [&](int l) { return l < static_cast<int>(r.links.size()) ? q(r.links[static_cast<std::size_t>(l)].name) : QString(); };
  heading(nameOfLink(i.linkA) + QStringLiteral(" \u2013 ") + nameOfLink(i.linkB), tr("pair"));
  auto* form = section();
  const auto text = [&](const QString& label, const QString& value) {
    auto* l = new QLabel(value);
    l->setTextInteractionFlags(Qt::TextSelectableByMouse);
    l->setFixedHeight(24);
    form->addRow(formLabel(label), l);
  };
  text(tr("Contact"), tr("%1 to %2 %3").arg(i.from / axis, 0, 'f', 2).arg(i.to / axis, 0, 'f', 2).arg(axisUnit));
  text(tr("First contact"), tr("%1 %2 \u00b7 %3 s").arg(i.from / axis, 0, 'f', 3).arg(axisUnit).arg(i.fromTime, 0, 'f', 4));
  text(tr("Deepest"), tr("%1 %2 at %3 %4").arg(i.deepest.depth / mm, 0, 'f', 2).arg(q(units.length)).arg(i.deepest.at / axis, 0, 'f', 1).arg(axisUnit));
  auto* row = new QHBoxLayout;
  auto* first = new QPushButton(tr("Go to first contact"));
  first->setProperty("primary", true);
  auto* deepest = new QPushButton(tr("Deepest"));
  connect(first, &QPushButton::clicked, this, [this, t = i.fromTime] { session_.setCursor(t); });
  connect(deepest, &QPushButton::clicked, this, [this, t = i.deepest.time] { session_.setCursor(t); });
  row->addWidget(first);
  row->addWidget(deepest);
  form->addRow(row);
  if (session_.isCheckStale()) note(form, tr("The mechanism has changed since this check. Check again."));
  parameters();
}

void Card::showMechanism() {
  const auto& m = *session_.mechanism();
  const auto& s = session_.selection();
  if (s.size() > 1) {
    heading(tr("%n objects", nullptr, static_cast<int>(s.size())), tr("selection"));
    auto* form = section();
    std::vector<Id> links, bodies;
    for (Id id : s) {
      if (findLink(m, id)) links.push_back(id);
      if (findBody(m, id)) bodies.push_back(id);
    }
    if (!links.empty()) {
      button(form, tr("Ground these links"), [this, links] { session_.apply(tr("Ground links"), grounded(*session_.mechanism(), links, true)); });
      button(form, tr("Free these links"), [this, links] { session_.apply(tr("Free links"), grounded(*session_.mechanism(), links, false)); });
    }
    if (links.size() > 1 || bodies.size() > 1)
      button(form, tr("Put together as one link"), [this, links, bodies] {
        std::vector<Id> all = bodies;
        for (Id id : links)
          for (const auto& b : findLink(*session_.mechanism(), id)->bodies) all.push_back(b->id);
        const Id target = links.empty() ? 0 : links.front();
        const auto first = all.empty() ? std::nullopt : findBody(*session_.mechanism(), all.front());
        const auto result = regrouped(*session_.mechanism(), all, target, first ? first->body->name : "link");
        if (session_.apply(tr("Put together as one link"), result.first)) session_.select({result.second});
      });
    return;
  }
  heading(m.title.empty() ? session_.title() : q(m.title), tr("mechanism"));
  auto* form = section();
  auto* title = new QLineEdit(q(m.title));
  title->setObjectName(QStringLiteral("title"));
  title->setPlaceholderText(tr("what it is"));
  connect(title, &QLineEdit::editingFinished, this, [this, title] {
    if (title->text().toStdString() == session_.mechanism()->title) return;
    Mechanism next = *session_.mechanism();
    next.title = title->text().toStdString();
    session_.apply(tr("Change title"), next);
  });
  form->addRow(formLabel(tr("Title")), title);
  const auto unit = [&](const QString& label, const Dimension& d, std::string DocumentUnits::*member) {
    auto* box = new QComboBox;
    box->setObjectName(QStringLiteral("unit ") + label);
    for (const auto& name : unitsOf(d)) box->addItem(q(name));
    box->setCurrentText(q(m.units.*member));
    connect(box, &QComboBox::textActivated, this, [this, member](const QString& text) {
      DocumentUnits units = session_.mechanism()->units;
      units.*member = text.toStdString();
      session_.apply(tr("Change units"), withUnits(*session_.mechanism(), units));
    });
    form->addRow(formLabel(label), box);
  };
  unit(tr("Lengths"), dimension::kLength, &DocumentUnits::length);
  unit(tr("Angles"), dimension::kAngle, &DocumentUnits::angle);
  unit(tr("Times"), dimension::kTime, &DocumentUnits::time);
  parameters();
}

}  // namespace cooperage::app
