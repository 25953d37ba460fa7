// SPDX-License-Identifier: GPL-3.0-or-later
// Cards of contacts, curves and cam laws; outlines saved.
#include <QFileDialog>
#include <QFormLayout>
#include <QLabel>
#include <QMessageBox>
#include <QPushButton>
#include <QSaveFile>

#include "../text.h"
#include "../theme.h"
#include "card_page.h"
#include "elements/outline.h"
#include "model/cam_edits.h"

namespace cooperage::app {

using namespace model;

namespace {
class CamPairPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showCamPair(const CamPair& pair);
};
class CurvePage : public CardPage {
 public:
  using CardPage::CardPage;
  void showCurve(const Link& link, const Curve& curve);

 private:
  void camLaw(QFormLayout* form, const Curve& curve);
  void saveOutline(Id curve);
};
}  // namespace

namespace {

Mechanism changedPair(const Mechanism& m, Id id, const std::function<void(CamPair&)>& edit) {
  return changed<CamPair>(m, &Mechanism::camPairs, id, edit);
}
}  // namespace

void CamPairPage::showCamPair(const CamPair& pair) {
  const auto& m = *bench_.document().mechanism();
  heading(q(pair.name), tr("%1 contact").arg(q(wordFor(pair.kind))));
  auto* form = section();
  nameField(form, pair.id, pair.name);
  const Id id = pair.id;
  if (pair.kind != ContactKind::rolling) {
    pickOne(form, tr("Follower"), QStringLiteral("pair kind"),
            {{QStringLiteral("roller"), tr("roller")},
             {QStringLiteral("point"), tr("point")},
             {QStringLiteral("flat"), tr("flat")}},
            q(wordFor(pair.kind)), [this, id](const QString& t) -> Result<Mechanism> {
              const auto& now = *bench_.document().mechanism();
              return changedPair(now, id, [&](CamPair& c) {
                c.kind = *valueNamed<ContactKind>(t.toStdString());
                if (c.kind == ContactKind::roller && !c.radius.formula && c.radius.number == 0)
                  c.radius = Field(8e-3 / now.units.factor(dimension::kLength));
              });
            });
    if (pair.kind == ContactKind::roller)
      figure(form, tr("Roller radius"), pair.radius, dimension::kLength, [this, id](const Field& f) {
        return changedPair(*bench_.document().mechanism(), id, [&](CamPair& c) { c.radius = f; });
      });
    check(form, tr("on the inside"), QStringLiteral("pair inside"), pair.inside, [this, id](bool on) {
      return changedPair(*bench_.document().mechanism(), id, [on](CamPair& c) { c.inside = on; });
    });
  }
  check(form, tr("enabled"), QStringLiteral("pair enabled"), pair.enabled, [this, id](bool on) {
    return changedPair(*bench_.document().mechanism(), id, [on](CamPair& c) { c.enabled = on; });
  });
  for (const auto& [label, curve] :
       {std::pair{tr("Curve"), pair.cam}, {tr("Rolls on"), pair.kind == ContactKind::rolling ? pair.follower : Id(0)}})
    if (const auto c = findCurve(m, curve)) {
      auto* b = new QPushButton(q(c->link->name + "/" + c->curve->name));
      b->setStyleSheet(QStringLiteral("text-align: left"));
      connect(b, &QPushButton::clicked, this, [this, to = curve] { bench_.selection().select({to}); });
      form->addRow(formLabel(label), b);
    }
}

void CurvePage::showCurve(const Link& link, const Curve& curve) {
  heading(q(curve.name),
          tr("%1 on %2")
              .arg(curve.kind == CurveKind::camLaw ? tr("cam law") : tr("%1 curve").arg(q(curve.kind.text())),
                   q(link.name)));
  auto* form = section();
  nameField(form, curve.id, curve.name);
  const Id id = curve.id;
  const auto one = [&](const QString& label, const char* key) {
    const auto it = curve.figures.find(key);
    figure(form, label, it == curve.figures.end() ? Field(0) : it->second, dimension::kLength,
           [this, id, key](const Field& f) {
             return changedCurve(*bench_.document().mechanism(), id, [&](Curve& c) { c.figures[key] = f; });
           });
  };
  if (curve.kind == CurveKind::circle) {
    one(tr("Radius"), "radius");
    one(tr("Centre x"), "centre x");
    one(tr("Centre y"), "centre y");
  } else if (curve.kind == CurveKind::edges) {
    const auto b = findBody(*bench_.document().mechanism(), curve.body);
    note(form, tr("%1 edges of %2, put end to end")
                   .arg(curve.edges.size())
                   .arg(b ? q(b->body->name) : tr("a body that is gone")));
    for (const auto& x : bench_.solution().resolved().messages)
      if (!x.objects.empty() && x.objects[0] == "curve " + link.name + "/" + curve.name)
        note(form, QStringLiteral("\u25b2 ") + q(x.text));
  } else if (curve.kind == CurveKind::chain) {
    note(form, tr("%1 pieces, put end to end").arg(curve.pieces.size()));
  } else if (curve.kind == CurveKind::formula) {
    for (const char* key : {"x", "y", "z"})
      if (const auto it = curve.figures.find(key); it != curve.figures.end())
        note(form, QStringLiteral("%1 = %2").arg(QLatin1String(key),
                                                 q(fieldText(*bench_.document().mechanism(), it->second))));
  }
  if (curve.kind == CurveKind::camLaw) camLaw(form, curve);
  std::shared_ptr<const curves::Curve> made;
  for (const auto& c : bench_.solution().resolved().curveList)
    if (c.id == id) made = c.curve;
  if (made) {
    if (curve.kind != CurveKind::camLaw)
      note(form, tr("Length %1%2")
                     .arg(exactText(made->lengthTo(made->high()), dimension::kLength,
                                    bench_.document().mechanism()->units, 1e-6),
                          made->closed() ? tr(", closed") : QString()));
    button(form, tr("Save the outline\u2026"), [this, id] { saveOutline(id); });
  }
}

void CurvePage::camLaw(QFormLayout* form, const Curve& curve) {
  const auto& m = *bench_.document().mechanism();
  const Id id = curve.id;
  const auto one = [&](const QString& label, const char* key) {
    const auto it = curve.figures.find(key);
    figure(form, label, it == curve.figures.end() ? Field(0) : it->second, dimension::kLength,
           [this, id, key](const Field& f) {
             return changedCurve(*bench_.document().mechanism(), id, [&](Curve& c) { c.figures[key] = f; });
           });
  };
  one(tr("Base radius"), "base");
  if (curve.follower == ContactKind::roller) one(tr("Roller radius"), "roller");
  if (!curve.swing) one(tr("Offset"), "offset");
  if (curve.swing && curve.follower != ContactKind::flat) one(tr("Arm"), "arm");
  auto* rows = section(tr("Rise, dwell, return"));
  std::vector<std::pair<QString, QString>> laws;
  const auto offer = [&](motion::LawKind law) { laws.emplace_back(q(wordFor(law)), q(wordFor(law))); };
  for (const auto law : motion::Law::kinds())
    if (law != motion::LawKind::linear) offer(law);
  for (const auto law : {motion::LawKind::linear, motion::LawKind::quintic, motion::LawKind::dwell}) offer(law);
  for (std::size_t i = 0; i < curve.rows.size(); ++i) {
    const ProgrammeRow& row = curve.rows[i];
    pickOne(rows, tr("Law %1").arg(i + 1), QStringLiteral("law %1").arg(i + 1), laws, q(row.law.text()),
            [this, id, i](const QString& t) -> Result<Mechanism> {
              return changedCurve(*bench_.document().mechanism(), id, [&](Curve& c) {
                auto& r = c.rows[i];
                r.law = Word<motion::LawKind>::read(t.toStdString());
                if (r.law == motion::LawKind::dwell)
                  r.figures.erase("lift");
                else if (r.figures.count("lift") == 0)
                  r.figures["lift"] = Field(0);
              });
            });
    for (const char* key : {"over", "lift"}) {
      const auto it = row.figures.find(key);
      if (it == row.figures.end()) continue;
      const auto d = camRowDimension(curve, row.law, key);
      figure(
          rows, QStringLiteral("%1 %2").arg(key[0] == 'o' ? tr("Over") : tr("Lift")).arg(i + 1), it->second, *d,
          [this, id, i, key](const Field& f) { return withCamFigure(*bench_.document().mechanism(), id, i, key, f); });
    }
  }
  for (const auto& c : bench_.solution().resolved().curveList) {
    if (c.id != id || !c.cam) continue;
    auto* report = section(tr("Figures of the cam"));
    const double limit = (c.cam->swing ? 45 : 30) * kDegree;
    const auto& r = bench_.machine().camReport(id, limit);
    const auto line = [&](const QString& label, const QString& value, const QString& name) {
      figureLine(report, label, value, name);
    };
    const bool linear = c.cam->form == elements::CamSpec::Form::linear;
    const auto where = [&](double at) {
      return linear ? exactText(at, dimension::kLength, m.units, 1e-4)
                    : exactText(at, dimension::kAngle, m.units, 0.1 * kDegree);
    };
    const auto angle = [&](double v, double step) { return exactText(v, dimension::kAngle, m.units, step * kDegree); };
    const auto length = [&](double v) { return exactText(v, dimension::kLength, m.units, 1e-5); };
    line(tr("Pressure angle"), tr("%1 at %2").arg(angle(r.steepest.pressure, 0.01), where(r.steepest.at)),
         QStringLiteral("cam pressure"));
    const double radius = r.sharpest.profileCurvature > 0 ? 1 / r.sharpest.profileCurvature : 0;
    if (r.undercut.empty() && radius > 0)
      line(tr("Least radius"), tr("%1 at %2").arg(length(radius), where(r.sharpest.at)), QStringLiteral("cam radius"));
    line(tr("Least base radius"),
         r.smallestBase > 0 ? tr("%1 for %2").arg(length(r.smallestBase), angle(limit, 1)) : tr("none"),
         QStringLiteral("cam base"));
    QStringList bad;
    for (const auto& [from, to] : r.undercut)
      bad << tr("undercut from %1 to %2: a larger base or a smaller roller").arg(where(from), where(to));
    if (r.steepest.pressure > limit) bad << tr("the pressure angle exceeds %1").arg(angle(limit, 1));
    for (const auto& row : curve.rows) {
      const auto law = motion::Law::named(row.law);
      if (!law) continue;
      const auto f = law->figures();
      if (f.speedJumps)
        bad << tr("%1: the speed jumps").arg(q(row.law.text()));
      else if (f.accelerationJumps)
        bad << tr("%1: the acceleration jumps").arg(q(row.law.text()));
    }
    bad.removeDuplicates();
    for (const QString& text : bad) {
      auto* l = new QLabel(QStringLiteral("\u25b2 ") + text);
      l->setWordWrap(true);
      l->setObjectName(QStringLiteral("cam warning"));
      l->setStyleSheet(QStringLiteral("color: %1").arg(theme().warn.name()));
      report->addRow(l);
    }
    QStringList figures;
    for (const auto& row : curve.rows) {
      const auto law = motion::Law::named(row.law);
      if (!law) continue;
      const auto f = law->figures();
      const QString text =
          tr("%1: Cv %2, Ca %3, Cj %4")
              .arg(q(row.law.text()), fixed(f.cv, 3), f.speedJumps ? QStringLiteral("\u221e") : fixed(f.ca, 3),
                   f.accelerationJumps || f.speedJumps ? QStringLiteral("\u221e") : fixed(f.cj, 2));
      if (!figures.contains(text)) figures << text;
    }
    for (const QString& text : figures) note(report, text);
  }
}

bool saveOutlineTo(Workbench& bench, Id id, const QString& path) {
  for (const auto& c : bench.solution().resolved().curveList) {
    if (c.id != id || !c.curve) continue;
    const QString ending = path.section(QLatin1Char('.'), -1).toLower();
    if (ending == QStringLiteral("step") || ending == QStringLiteral("stp")) {
      const auto solid = shape::elementShape(BodyKind::cam, {0.01, 0, 0, 0, 0}, c.curve, c.cam.get());
      const auto done =
          solid.ok() ? shape::writeStep({{*solid, c.name, {}, {}}}, c.name, path.toStdString()) : Status(solid.error());
      if (!done.ok()) bench.say(q(done.error().text), true);
      return done.ok();
    }
    const auto points = elements::sampled(*c.curve, 1e-6);
    const bool closed = c.curve->closed();
    const std::string text = ending == QStringLiteral("svg")   ? elements::outlineSvg(points, closed)
                             : ending == QStringLiteral("csv") ? elements::outlineCsv(points)
                                                               : elements::outlineDxf(points, closed);
    QSaveFile file(path);
    if (!file.open(QIODevice::WriteOnly) || file.write(text.data(), static_cast<qint64>(text.size())) < 0 ||
        !file.commit()) {
      bench.say(QObject::tr("%1 can't be written: %2").arg(path, file.errorString()), true);
      return false;
    }
    bench.say(QObject::tr("Saved %1").arg(path));
    return true;
  }
  return false;
}

void CurvePage::saveOutline(Id id) {
  for (const auto& c : bench_.solution().resolved().curveList)
    if (c.id == id && c.cam && !bench_.machine().camReport(id, 0.5).undercut.empty() &&
        QMessageBox::question(&card_, tr("Save the outline"),
                              tr("The cam is undercut: it can't be cut so that the follower keeps to its law. Save its "
                                 "outline all the same?")) != QMessageBox::Yes)
      return;
  const QString path = QFileDialog::getSaveFileName(&card_, tr("Save the outline"), QStringLiteral("outline.dxf"),
                                                    tr("Outline (*.dxf *.svg *.csv);;Solid of 10 mm (*.step)"));
  if (!path.isEmpty()) saveOutlineTo(bench_, id, path);
}

PagePtr camPairPage(Card& card, Id id) {
  return filled<CamPairPage>(card, findById(shownIn(card).camPairs, id),
                             [](auto& page, const auto& x) { page.showCamPair(x); });
}

PagePtr curvePage(Card& card, Id id) {
  return filled<CurvePage>(card, findCurve(shownIn(card), id),
                           [](auto& page, const auto& x) { page.showCurve(*x.link, *x.curve); });
}

}  // namespace cooperage::app
