// SPDX-License-Identifier: GPL-3.0-or-later
// The card of a seat: where it is, which way it looks, what stands on it.
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QPushButton>

#include "../choice_box.h"
#include "../text.h"
#include "../theme.h"
#include "card_page.h"
#include "model/joint_edits.h"

namespace cooperage::app {

using namespace model;

namespace {
class SeatPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showSeat(const Link& link, const Seat& seat);

 private:
  enum class Direction { axis, reference };
  void seatMending(const Seat& seat);
  void direction(QFormLayout* form, const Seat& seat, Direction which);
  static inline Id shown_ = 0;  ///< the seat whose figures are shown although its axes are plain
};

constexpr const char* kDirections[] = {"x", "y", "z", "-x", "-y", "-z"};

/// Which of the link's six directions it is, or -1.
int alongOf(const Triple& t) {
  int out = -1;
  for (std::size_t i = 0; i < 3; ++i) {
    if (t[i].formula) return -1;
    if (t[i].number == 0) continue;
    if (out >= 0) return -1;
    out = static_cast<int>(i) + (t[i].number < 0 ? 3 : 0);
  }
  return out;
}
Triple tripleAlong(int direction) {
  Triple t{Field(0), Field(0), Field(0)};
  t[static_cast<std::size_t>(direction % 3)] = Field(direction < 3 ? 1 : -1);
  return t;
}
}  // namespace

/// One of the link's six directions, or picked in the scene.
void SeatPage::direction(QFormLayout* form, const Seat& seat, Direction which) {
  const bool axis = which == Direction::axis;
  const Id id = seat.id;
  auto* box = new ChoiceBox;
  box->setObjectName(axis ? QStringLiteral("seat axis") : QStringLiteral("seat reference"));
  for (const char* d : kDirections)
    box->addItem(tr("along %1").arg(QLatin1String(d).toString().replace('-', QChar(0x2212))));
  box->addItem(tr("as typed"));
  const int now = alongOf(axis ? seat.axis : seat.ref);
  box->setCurrentIndex(now < 0 || shown_ == id ? 6 : now);
  connect(box, &QComboBox::activated, this, [this, id, axis](int chosen) {
    const auto& m = *bench_.document().mechanism();
    shown_ = chosen == 6 ? id : 0;
    if (chosen == 6) return card_.rebuild();
    bench_.document().apply(axis ? tr("Change axis") : tr("Change reference"), changedSeat(m, id, [&](Seat& s) {
                              (axis ? s.axis : s.ref) = tripleAlong(chosen);
                              // what would be parallel gives way
                              const int a = alongOf(s.axis), b = alongOf(s.ref);
                              if (a >= 0 && b >= 0 && a % 3 == b % 3)
                                (axis ? s.ref : s.axis) = tripleAlong((chosen + 1) % 3);
                            }));
  });
  auto* pick = new QPushButton(tr("Pick"));
  pick->setObjectName(axis ? QStringLiteral("pick seat axis") : QStringLiteral("pick seat reference"));
  pick->setToolTip(tr("Take the direction from an axis, an edge or the normal of a face"));
  pick->setStyleSheet(QStringLiteral("QPushButton { padding: 3px 8px; }"));
  connect(pick, &QPushButton::clicked, this, [this, id, axis] { emit card_.pickSeatDirection(id, axis); });
  auto* row = new QHBoxLayout;
  row->setSpacing(5);
  row->addWidget(box, 1);
  row->addWidget(pick);
  form->addRow(formLabel(axis ? tr("Axis") : tr("Reference")), row);
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
  direction(form, seat, Direction::axis);
  direction(form, seat, Direction::reference);
  static const char* kAxes[] = {"x", "y", "z"};
  const auto three = [&](const QString& label, Triple Seat::*member, const Dimension& d) {
    for (std::size_t i = 0; i < 3; ++i)
      figure(form, label + QLatin1String(kAxes[i]), (seat.*member)[i], d, [this, id, i, member](const Field& f) {
        return changedSeat(*bench_.document().mechanism(), id, [&](Seat& s) { (s.*member)[i] = f; });
      });
  };
  three(tr("At "), &Seat::at, dimension::kLength);
  const auto odd = [&](const Triple& t) { return shown_ == id || alongOf(t) < 0; };
  if (odd(seat.axis)) three(tr("Axis "), &Seat::axis, dimension::kPlain);
  if (odd(seat.ref)) three(tr("Reference "), &Seat::ref, dimension::kPlain);
}

PagePtr seatPage(Card& card, Id id) {
  return filled<SeatPage>(card, findSeat(shownIn(card), id),
                          [](auto& page, const auto& x) { page.showSeat(*x.link, *x.seat); });
}

}  // namespace cooperage::app
