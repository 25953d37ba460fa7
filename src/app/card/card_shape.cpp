// SPDX-License-Identifier: GPL-3.0-or-later
// Cards of what has a shape: links, bodies, seats.
#include <QCheckBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QPushButton>

#include "../theme.h"
#include "../text.h"
#include "card_page.h"
#include "elements/figures.h"
#include "model/joint_edits.h"

namespace cooperage::app {

using namespace model;

namespace {
class LinkPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showLink(const Link& link);

 private:
  void equals(const Link& link);
};
class BodyPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showBody(const Link& link, const Body& body);
};
class SeatPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showSeat(const Link& link, const Seat& seat);

 private:
  void seatMending(const Seat& seat);
};
}  // namespace

void LinkPage::showLink(const Link& link) {
  heading(q(link.name), link.ground ? tr("link, ground") : tr("link"));
  auto* form = section();
  nameField(form, link.id, link.name);
  auto* ground = new QCheckBox(tr("stands still (ground)"));
  ground->setObjectName(QStringLiteral("ground"));
  ground->setChecked(link.ground);
  const Id id = link.id;
  connect(ground, &QCheckBox::toggled, this, [this, id](bool on) {
    bench_.document().apply(on ? tr("Ground link") : tr("Free link"),
                            grounded(*bench_.document().mechanism(), {id}, on));
  });
  form->addRow(formLabel(QString()), ground);
  auto* place = section(tr("Placement"));
  placement(place, link.placement, [this, id](const Placement& p) {
    return changedLink(*bench_.document().mechanism(), id, [&](Link& l) { l.placement = p; });
  });
  auto* list = section(tr("Joints"));
  int n = 0;
  for (const auto& j : bench_.document().mechanism()->joints)
    for (Id seat : j->seats)
      if (const auto s = findSeat(*bench_.document().mechanism(), seat); s && s->link->id == id) {
        const Id joint = j->id;
        auto* b = new QPushButton(icon(QStringLiteral("joints/") + QLatin1String(infoOf(j->kind).name)), q(j->name));
        b->setStyleSheet(QStringLiteral("text-align: left"));
        connect(b, &QPushButton::clicked, this, [this, joint] { bench_.selection().select({joint}); });
        list->addRow(b);
        ++n;
      }
  if (n == 0) note(list, tr("None yet. Stage Join makes them."));
  equals(link);
  if (link.seats.empty()) return;
  auto* seats = section(tr("Seats"));
  for (const auto& s : link.seats) {
    const Id seat = s->id;
    auto* b =
        new QPushButton(icon(QStringLiteral("app/seat")), q(s->name) + (s->broken ? tr("  (broken)") : QString()));
    b->setStyleSheet(QStringLiteral("text-align: left"));
    connect(b, &QPushButton::clicked, this, [this, seat] { bench_.selection().select({seat}); });
    seats->addRow(b);
  }
}

/// Other links of the same parts: what was joined to this one can be joined to them.
void LinkPage::equals(const Link& link) {
  if (link.bodies.empty()) return;
  const auto same = [&](const Link& other) {
    if (other.id == link.id || other.bodies.size() != link.bodies.size()) return false;
    for (std::size_t i = 0; i < link.bodies.size(); ++i) {
      const Body &a = *link.bodies[i], &b = *other.bodies[i];
      const auto sa = bench_.shapes().solid(a.id), sb = bench_.shapes().solid(b.id);
      if (!sa || !sb || a.kind != b.kind) return false;
      if (sa != sb && !sa->shape.IsPartner(sb->shape)) return false;
    }
    return true;
  };
  std::vector<Id> others;
  QStringList names;
  for (const auto& l : bench_.document().mechanism()->links)
    if (same(*l)) {
      bool joined = false;
      for (const auto& j : bench_.document().mechanism()->joints)
        for (Id seat : j->seats)
          if (const auto s = findSeat(*bench_.document().mechanism(), seat); s && s->link->id == l->id) joined = true;
      if (joined) continue;
      others.push_back(l->id);
      names << q(l->name);
    }
  if (others.empty()) return;
  auto* form = section(tr("Equal parts"));
  note(form, names.join(QStringLiteral(", ")));
  const Id id = link.id;
  button(form, tr("Copy its joints to them"), [this, id, others] {
    Mechanism m = *bench_.document().mechanism();
    for (Id other : others) {
      auto next = withJointsCopied(m, id, other, bench_.pose().poses());
      if (!next.ok()) {
        bench_.say(q(next.error().text), true);
        return;
      }
      m = std::move(next).value();
    }
    bench_.document().apply(tr("Copy joints to equal parts"), m);
  });
}

/// What can be done with a seat whose geometry is gone or has moved.
void SeatPage::seatMending(const Seat& seat) {
  auto* form = section(tr("Broken"));
  const Id id = seat.id;
  const auto* check = bench_.shapes().checkOf(id);
  const bool moved = check && check->state == shape::SeatCheck::State::moved;
  const auto& units = bench_.document().mechanism()->units;
  const QString what = seat.source ? q(shape::wordsFor(seat.source->feature)) : tr("geometry");
  if (moved) {
    note(form,
         tr("Its %1 is now %2 %3 away. The seat stands where it was.")
             .arg(what, q(formatNumber(std::round(check->distance / units.factor(dimension::kLength) * 1e3) / 1e3)),
                  q(units.length)));
    button(
        form, tr("Follow it there"),
        [this, id] {
          const auto* now = bench_.shapes().checkOf(id);
          const auto s = findSeat(*bench_.document().mechanism(), id);
          const auto solid = now && s && s->seat->source ? bench_.shapes().solid(s->seat->source->body) : nullptr;
          if (solid)
            bench_.document().apply(tr("Follow geometry"),
                                    shape::withSeatFollowing(*bench_.document().mechanism(), *now, solid));
        },
        true);
  } else {
    note(form, tr("Its %1 is gone. The seat stands where it was.").arg(what));
  }
  button(
      form, tr("Pick again\u2026"), [this, id] { emit card_.pickSeatAnew(id); }, !moved);
  button(form, tr("Keep it as it is"), [this, id] {
    bench_.document().apply(tr("Keep seat"), shape::withSeatKept(*bench_.document().mechanism(), id));
  });
}

void BodyPage::showBody(const Link& link, const Body& body) {
  heading(q(body.name), body.kind == BodyKind::file ? tr("solid") : QLatin1String(elementName(body.kind)));
  auto* form = section();
  nameField(form, body.id, body.name);
  const Id id = body.id;
  if (body.kind == BodyKind::file) {
    note(form, tr("From %1, solid %2").arg(q(body.file)).arg(body.solid + 1));
    if (const QString problem = bench_.shapes().problem(id); !problem.isEmpty()) note(form, problem);
  }
  const auto& known = elementFigures(body.kind);
  for (const std::string& key : figureNames(body)) {
    const auto it = body.figures.find(key);
    const auto about = std::find_if(known.begin(), known.end(), [&](const auto& f) { return key == f.name; });
    const Dimension d = about == known.end() ? dimension::kLength : about->dimension;
    const double otherwise =
        about == known.end() ? 0 : about->otherwise / bench_.document().mechanism()->units.factor(d);
    figure(form, q(key), it == body.figures.end() ? Field(std::round(otherwise * 1e9) / 1e9) : it->second, d,
           [this, id, key](const Field& f) {
             return changedBody(*bench_.document().mechanism(), id, [&](Body& b) { b.figures[key] = f; });
           });
  }
  if (body.kind == BodyKind::plate)
    button(form, tr("Add a pivot"), [this, id] {
      bench_.document().apply(tr("Add pivot"), changedBody(*bench_.document().mechanism(), id, [&](Body& b) {
                                const std::string pivot = "pivot " + std::to_string(pivotCount(b) + 1);
                                const double step =
                                    20e-3 / bench_.document().mechanism()->units.factor(dimension::kLength);
                                b.figures[pivot + " x"] = Field(step);
                                b.figures[pivot + " y"] = Field(step);
                              }));
    });
  if (body.kind != BodyKind::file) {
    auto* row = new QHBoxLayout;
    auto* increment = new QLineEdit(QStringLiteral("1 mm"));
    increment->setObjectName(QStringLiteral("increment"));
    increment->setAccessibleName(tr("Increment"));
    auto* round = new QPushButton(tr("Round to"));
    round->setObjectName(QStringLiteral("round"));
    round->setToolTip(tr("Round all plain figures of this body to this increment"));
    connect(round, &QPushButton::clicked, this, [this, id, increment] {
      const auto& m = *bench_.document().mechanism();
      const auto f = parseField(m, increment->text().toStdString());
      const auto step = f.ok() ? evaluateField(m, *f, dimension::kLength) : Result<double>(f.error());
      if (!step.ok() || !(*step > 0)) {
        bench_.say(step.ok() ? tr("The increment must be greater than zero") : q(step.error().text), true);
        return;
      }
      const double unit = *step / m.units.factor(dimension::kLength);
      bench_.document().apply(tr("Round figures"), changedBody(m, id, [&](Body& b) {
                                for (auto& [key, x] : b.figures)
                                  if (!x.formula) x.number = std::round(std::round(x.number / unit) * unit * 1e9) / 1e9;
                              }));
    });
    row->addWidget(round);
    row->addWidget(increment, 1);
    form->addRow(row);
  }
  for (const auto& r : bench_.solution().resolved().links)
    for (const auto& b : r.bodies)
      if (b.id == id)
        for (const auto& w : elements::elementWarnings(elementName(body.kind), b.figures))
          note(form, QStringLiteral("\u25b2 ") + q(w));
  if (body.kind == BodyKind::cam && findCurve(*bench_.document().mechanism(), body.curve))
    button(
        form, tr("Edit its law"), [this, curve = body.curve] { bench_.selection().select({curve}); }, true);
  note(form, tr("Part of the link %1").arg(q(link.name)));
  auto* place = section(tr("Placement in the link"));
  placement(place, body.placement, [this, id](const Placement& p) {
    return changedBody(*bench_.document().mechanism(), id, [&](Body& b) { b.placement = p; });
  });
  auto* more = section();
  button(more, tr("Cut it in two\u2026"), [this, id] { emit card_.cutBody(id); });
  button(more, tr("Replace geometry\u2026"), [this, id] {
    const QString path = QFileDialog::getOpenFileName(
        &card_, tr("Geometry in its place"), {},
        tr("Geometry (*.step *.stp *.iges *.igs *.brep *.stl *.obj *.STEP *.STP);;All files (*)"));
    if (!path.isEmpty()) bench_.importer().replaceGeometry(id, path);
  });
  button(more, tr("Separate from the link"), [this, id] {
    bench_.document().apply(tr("Separate from the link"), separated(*bench_.document().mechanism(), {id}));
  });
}

void SeatPage::showSeat(const Link& link, const Seat& seat) {
  heading(q(seat.name), tr("seat on %1").arg(q(link.name)));
  auto* form = section();
  nameField(form, seat.id, seat.name);
  if (seat.broken) seatMending(seat);
  if (seat.source && !seat.broken)
    note(form, tr("On %1 of %2")
                   .arg(q(shape::wordsFor(seat.source->feature)),
                        findBody(*bench_.document().mechanism(), seat.source->body)
                            ? q(findBody(*bench_.document().mechanism(), seat.source->body)->body->name)
                            : tr("a body that is gone")));
  const Id id = seat.id;
  button(form, tr("Copy as a new seat"), [this, id] {
    const auto now = findSeat(*bench_.document().mechanism(), id);
    if (!now) return;
    Seat copy = *now->seat;
    copy.id = newId();
    const Id fresh = copy.id;
    if (bench_.document().apply(tr("Copy seat"),
                                changedLink(*bench_.document().mechanism(), now->link->id, [&](Link& l) {
                                  copy.name = freeName(l.seats, copy.name);
                                  l.seats.push_back(std::make_shared<const Seat>(copy));
                                })))
      bench_.selection().select({fresh});
  });
  // curves about it, to roll on one another or to be followed
  const auto curve = [this, id](const QString& what, Curve c) {
    const auto now = findSeat(*bench_.document().mechanism(), id);
    if (!now) return;
    c.id = newId();
    c.seat = id;
    const Id fresh = c.id;
    if (bench_.document().apply(tr("Add %1").arg(what),
                                changedLink(*bench_.document().mechanism(), now->link->id, [&](Link& l) {
                                  c.name = freeName(l.curves, c.name);
                                  l.curves.push_back(std::make_shared<const Curve>(c));
                                })))
      bench_.selection().select({fresh});
  };
  auto* about = new QHBoxLayout;
  auto* circle = new QPushButton(tr("Circle about it"));
  circle->setObjectName(QStringLiteral("circle about seat"));
  circle->setToolTip(tr("A curve to roll on another, or for a follower: a pitch circle, an eccentric"));
  connect(circle, &QPushButton::clicked, this, [this, curve] {
    Curve c;
    c.kind = CurveKind::circle;
    c.name = "circle";
    c.figures["radius"] = Field(20e-3 / bench_.document().mechanism()->units.factor(dimension::kLength));
    curve(tr("circle"), c);
  });
  auto* ellipse = new QPushButton(tr("Ellipse"));
  ellipse->setObjectName(QStringLiteral("ellipse about seat"));
  ellipse->setToolTip(tr("An ellipse about one of its foci at the seat"));
  connect(ellipse, &QPushButton::clicked, this, [this, curve] {
    Curve c;
    c.kind = CurveKind::formula;
    c.name = "ellipse";
    c.figures["u from"] = Field(0);
    const auto& m = *bench_.document().mechanism();
    const std::pair<const char*, const char*> kParts[] = {{"u to", "2*pi"}};
    for (const auto& [key, text] : kParts)
      if (const auto f = parseField(m, text); f.ok()) c.figures[key] = *f;
    const auto part = [&](const char* key, const char* text) {
      auto f = Expression::parse(text, [](std::string_view name) {
        return name == "u" ? std::optional<Symbol>(Symbol{0, "u"}) : std::nullopt;
      });
      if (f.ok()) c.figures[key] = Field(std::move(f).value());
    };
    part("x", "30 mm*cos(u) - 18 mm");
    part("y", "24 mm*sin(u)");
    curve(tr("ellipse"), c);
  });
  about->addWidget(circle);
  about->addWidget(ellipse);
  form->addRow(about);
  static const char* kAxes[] = {"x", "y", "z"};
  const auto three = [&](const QString& label, Triple Seat::*member, const Dimension& d) {
    for (std::size_t i = 0; i < 3; ++i)
      figure(form, label + QLatin1String(kAxes[i]), (seat.*member)[i], d, [this, id, i, member](const Field& f) {
        return changedSeat(*bench_.document().mechanism(), id, [&](Seat& s) { (s.*member)[i] = f; });
      });
  };
  three(tr("At "), &Seat::at, dimension::kLength);
  three(tr("Axis "), &Seat::axis, dimension::kPlain);
  three(tr("Reference "), &Seat::ref, dimension::kPlain);
}

PagePtr linkPage(Card& card, Id id) {
  return filled<LinkPage>(card, findLink(shownIn(card), id), [](auto& page, const auto& x) { page.showLink(x); });
}

PagePtr bodyPage(Card& card, Id id) {
  return filled<BodyPage>(card, findBody(shownIn(card), id),
                          [](auto& page, const auto& x) { page.showBody(*x.link, *x.body); });
}

PagePtr seatPage(Card& card, Id id) {
  return filled<SeatPage>(card, findSeat(shownIn(card), id),
                          [](auto& page, const auto& x) { page.showSeat(*x.link, *x.seat); });
}

}  // namespace cooperage::app
