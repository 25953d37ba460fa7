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
#include "card_mass.h"
#include "elements/figures.h"
#include "model/joint_edits.h"

namespace cooperage::app {

using namespace model;

namespace {
/// What a body's own page and that of a link with one body share.
class ShapePage : public MassPage {
 public:
  using MassPage::MassPage;

 protected:
  void figures(QFormLayout* form, const Body& body);
  void stretches(QFormLayout* form, const Body& body);
  void geometry(const Link& link, const Body& body);
};
class LinkPage : public ShapePage {
 public:
  using ShapePage::ShapePage;
  void showLink(const Link& link);

 private:
  void exchange(const Link& link);
  void equals(const Link& link);
};
class BodyPage : public ShapePage {
 public:
  using ShapePage::ShapePage;
  void showBody(const Link& link, const Body& body);
};
}  // namespace

void LinkPage::showLink(const Link& link) {
  heading(q(link.name), link.ground ? tr("link, ground") : tr("link"));
  auto* form = section();
  nameField(form, link.id, link.name);
  auto* ground = new QCheckBox(tr("stands still"));
  ground->setToolTip(tr("The link is ground: it never moves (G)"));
  ground->setObjectName(QStringLiteral("ground"));
  ground->setChecked(link.ground);
  const Id id = link.id;
  connect(ground, &QCheckBox::toggled, this, [this, id](bool on) {
    bench_.document().apply(on ? tr("Ground link") : tr("Free link"),
                            grounded(*bench_.document().mechanism(), {id}, on));
  });
  form->addRow(formLabel(QString()), ground);
  // a link of one body is that body
  const Body* only = link.bodies.size() == 1 ? link.bodies[0].get() : nullptr;
  if (only && only->kind != BodyKind::file) figures(section(tr("Figures")), *only);
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
  mass(link);
  exchange(link);
  equals(link);
  if (only) geometry(link, *only);
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

/// Lines or stand-in against the final solid.
void LinkPage::exchange(const Link& link) {
  auto* form = section(tr("Exchange"));
  const Id id = link.id;
  const auto words = [](const std::vector<std::shared_ptr<const Body>>& bodies) {
    QStringList out;
    for (const auto& b : bodies) out << q(b->name);
    return out.join(QStringLiteral(", "));
  };
  if (link.aside.empty()) {
    button(form, tr("Exchange for a solid\u2026"), [this, id] { exchangeLink(bench_, &card_, id); });
    return;
  }
  note(form, tr("Kept aside: %1").arg(words(link.aside)));
  button(form, tr("Exchange back"), [this, id] { exchangeLink(bench_, &card_, id); });
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

void BodyPage::showBody(const Link& link, const Body& body) {
  heading(q(body.name), body.kind == BodyKind::file ? tr("solid") : QLatin1String(elementName(body.kind)));
  auto* form = section();
  nameField(form, body.id, body.name);
  figures(form, body);
  note(form, tr("Part of the link %1").arg(q(link.name)));
  auto* place = section(tr("Placement in the link"));
  const Id id = body.id;
  placement(place, body.placement, [this, id](const Placement& p) {
    return changedBody(*bench_.document().mechanism(), id, [&](Body& b) { b.placement = p; });
  });
  material(body);
  geometry(link, body);
}

void ShapePage::figures(QFormLayout* form, const Body& body) {
  const Id id = body.id;
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
    row->setSpacing(6);
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
}

/// The planes at which a solid is made longer or shorter.
void ShapePage::stretches(QFormLayout* form, const Body& body) {
  const Id id = body.id;
  const auto change = [this, id](const QString& what, std::function<void(std::vector<Stretch>&)> how) {
    bench_.document().apply(what, changedBody(*bench_.document().mechanism(), id, [&](Body& b) { how(b.stretches); }));
  };
  for (std::size_t i = 0; i < body.stretches.size(); ++i) {
    const QString label = i + 1 == body.stretches.size() ? Card::stretchFigure()
                                                         : Card::stretchFigure() + QStringLiteral(" (%1)").arg(i + 1);
    figure(form, label, body.stretches[i].by, dimension::kLength, [this, id, i](const Field& f) {
      return changedBody(*bench_.document().mechanism(), id, [&](Body& b) { b.stretches[i].by = f; });
    });
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    const auto act = [&](const QString& text, const QString& name, const QString& tip, std::function<void()> press) {
      auto* b = new QPushButton(text);
      b->setObjectName(name + QString::number(i + 1));
      b->setToolTip(tip);
      connect(b, &QPushButton::clicked, this, press);
      row->addWidget(b, 1);
    };
    act(tr("Other half moves"), QStringLiteral("stretch turn "),
        tr("The half that stays and the one that moves change places"),
        [change, i] { change(tr("Other half moves"), [i](auto& list) { list[i].axis = -list[i].axis; }); });
    act(tr("Take away"), QStringLiteral("stretch away "), tr("As long as in its file again"), [change, i] {
      change(tr("Take away"), [i](auto& list) { list.erase(list.begin() + static_cast<std::ptrdiff_t>(i)); });
    });
    form->addRow(row);
  }
  button(form, tr("Make it longer or shorter\u2026"), [this, id] { emit card_.stretchBody(id); });
}

/// Where its shape comes from, and what else can be made of it.
void ShapePage::geometry(const Link& link, const Body& body) {
  const Id id = body.id;
  auto* form = section(tr("Geometry"));
  if (body.kind == BodyKind::file) {
    const QString problem = bench_.shapes().problem(id);
    note(form, tr("From %1, solid %2").arg(q(body.file)).arg(body.solid + 1));
    if (!problem.isEmpty()) {
      note(form, problem);
      button(
          form, tr("Locate the file\u2026"), [this, file = q(body.file)] { locateGeometry(bench_, &card_, file); },
          true);
    } else {
      button(form, tr("Refresh from its file (F8)"), [this] { bench_.shapes().refreshGeometry(); });
    }
  }
  if (body.kind == BodyKind::file) stretches(form, body);
  button(form, tr("Replace geometry\u2026"), [this, id] { replaceGeometry(bench_, &card_, id); });
  button(form, tr("Cut it in two\u2026"), [this, id] { emit card_.cutBody(id); });
  if (link.bodies.size() > 1)
    button(form, tr("Separate from the link"), [this, id] {
      bench_.document().apply(tr("Separate from the link"), separated(*bench_.document().mechanism(), {id}));
    });
}

namespace {
QString geometryFilter() {
  return QObject::tr("Geometry (*.step *.stp *.iges *.igs *.brep *.stl *.obj *.STEP *.STP);;All files (*)");
}
}  // namespace

void replaceGeometry(Workbench& bench, QWidget* parent, Id body) {
  const QString path = QFileDialog::getOpenFileName(parent, QObject::tr("Geometry in its place"), {}, geometryFilter());
  if (!path.isEmpty()) bench.importer().replaceGeometry(body, path);
}

void exchangeLink(Workbench& bench, QWidget* parent, Id link) {
  const auto l = findLink(*bench.document().mechanism(), link);
  if (!l) return;
  if (!l->aside.empty()) {
    bench.exchange().back(link);
    return;
  }
  const QString path =
      QFileDialog::getOpenFileName(parent, QObject::tr("Solid in place of %1").arg(q(l->name)), {}, geometryFilter());
  if (!path.isEmpty()) bench.exchange().forSolid(link, path);
}

void locateGeometry(Workbench& bench, QWidget* parent, const QString& missing) {
  const QString path =
      QFileDialog::getOpenFileName(parent, QObject::tr("Where is %1?").arg(missing), {}, geometryFilter());
  if (!path.isEmpty()) bench.importer().locate(missing, path);
}

PagePtr linkPage(Card& card, Id id) {
  return filled<LinkPage>(card, findLink(shownIn(card), id), [](auto& page, const auto& x) { page.showLink(x); });
}

PagePtr bodyPage(Card& card, Id id) {
  return filled<BodyPage>(card, findBody(shownIn(card), id),
                          [](auto& page, const auto& x) { page.showBody(*x.link, *x.body); });
}

}  // namespace cooperage::app
