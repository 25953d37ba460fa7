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
#include "card.h"
#include "elements/outline.h"
#include "model/machine_edits.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
QString fixed(double v, int digits) { return QString::number(v, 'f', digits); }
constexpr double kDegree = kPi / 180;

Mechanism changedPair(const Mechanism& m, Id id, const std::function<void(CamPair&)>& edit) {
  return changed<CamPair>(m, &Mechanism::camPairs, id, edit);
}
}  // namespace

void Card::showCamPair(const CamPair& pair) {
  const auto& m = *bench_.document().mechanism();
  heading(q(pair.name), tr("%1 contact").arg(q(pair.kind)));
  auto* form = section();
  nameField(form, pair.id, pair.name);
  const Id id = pair.id;
  if (pair.kind != "rolling") {
    pickOne(form, tr("Follower"), QStringLiteral("pair kind"),
            {{QStringLiteral("roller"), tr("roller")},
             {QStringLiteral("point"), tr("point")},
             {QStringLiteral("flat"), tr("flat")}},
            q(pair.kind), [this, id](const QString& t) -> Result<Mechanism> {
              const auto& now = *bench_.document().mechanism();
              return changedPair(now, id, [&](CamPair& c) {
                c.kind = t.toStdString();
                if (c.kind == "roller" && !c.radius.formula && c.radius.number == 0)
                  c.radius = Field(8e-3 / now.units.factor(dimension::kLength));
              });
            });
    if (pair.kind == "roller")
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
       {std::pair{tr("Curve"), pair.cam}, {tr("Rolls on"), pair.kind == "rolling" ? pair.follower : Id(0)}})
    if (const auto c = findCurve(m, curve)) {
      auto* b = new QPushButton(q(c->link->name + "/" + c->curve->name));
      b->setStyleSheet(QStringLiteral("text-align: left"));
      connect(b, &QPushButton::clicked, this, [this, to = curve] { bench_.selection().select({to}); });
      form->addRow(formLabel(label), b);
    }
}

void Card::showCurve(const Link& link, const Curve& curve) {
  heading(
      q(curve.name),
      tr("%1 on %2").arg(curve.kind == "cam-law" ? tr("cam law") : tr("%1 curve").arg(q(curve.kind)), q(link.name)));
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
  if (curve.kind == "circle") {
    one(tr("Radius"), "radius");
    one(tr("Centre x"), "centre x");
    one(tr("Centre y"), "centre y");
  } else if (curve.kind == "edges") {
    const auto b = findBody(*bench_.document().mechanism(), curve.body);
    note(form, tr("%1 edges of %2, put end to end")
                   .arg(curve.edges.size())
                   .arg(b ? q(b->body->name) : tr("a body that is gone")));
    for (const auto& x : bench_.solution().resolved().messages)
      if (!x.objects.empty() && x.objects[0] == "curve " + link.name + "/" + curve.name)
        note(form, QStringLiteral("\u25b2 ") + q(x.text));
  } else if (curve.kind == "chain") {
    note(form, tr("%1 pieces, put end to end").arg(curve.pieces.size()));
  } else if (curve.kind == "formula") {
    for (const char* key : {"x", "y", "z"})
      if (const auto it = curve.figures.find(key); it != curve.figures.end())
        note(form, QStringLiteral("%1 = %2").arg(QLatin1String(key),
                                                 q(fieldText(*bench_.document().mechanism(), it->second))));
  }
  if (curve.kind == "cam-law") camLaw(form, curve);
  std::shared_ptr<const curves::Curve> made;
  for (const auto& c : bench_.solution().resolved().curveList)
    if (c.id == id) made = c.curve;
  if (made) {
    if (curve.kind != "cam-law")
      note(form, tr("Length %1%2")
                     .arg(exactText(made->lengthTo(made->high()), dimension::kLength, bench_.document().mechanism()->units, 1e-6),
                          made->closed() ? tr(", closed") : QString()));
    button(form, tr("Save the outline\u2026"), [this, id] { saveOutline(id); });
  }
}

void Card::camLaw(QFormLayout* form, const Curve& curve) {
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
  if (curve.follower == "roller") one(tr("Roller radius"), "roller");
  if (!curve.swing) one(tr("Offset"), "offset");
  if (curve.swing && curve.follower != "flat") one(tr("Arm"), "arm");
  auto* rows = section(tr("Rise, dwell, return"));
  std::vector<std::pair<QString, QString>> laws;
  for (const std::string& name : motion::Law::names())
    if (name != "linear") laws.emplace_back(q(name), q(name));
  laws.emplace_back(QStringLiteral("linear"), QStringLiteral("linear"));
  laws.emplace_back(QStringLiteral("quintic"), QStringLiteral("quintic"));
  laws.emplace_back(QStringLiteral("dwell"), QStringLiteral("dwell"));
  for (std::size_t i = 0; i < curve.rows.size(); ++i) {
    const ProgrammeRow& row = curve.rows[i];
    pickOne(rows, tr("Law %1").arg(i + 1), QStringLiteral("law %1").arg(i + 1), laws, q(row.law),
            [this, id, i](const QString& t) -> Result<Mechanism> {
              return changedCurve(*bench_.document().mechanism(), id, [&](Curve& c) {
                auto& r = c.rows[i];
                r.law = t.toStdString();
                if (r.law == "dwell")
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
    line(tr("Smallest base"),
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
        bad << tr("%1: the speed jumps").arg(q(row.law));
      else if (f.accelerationJumps)
        bad << tr("%1: the acceleration jumps").arg(q(row.law));
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
              .arg(q(row.law), fixed(f.cv, 3), f.speedJumps ? QStringLiteral("\u221e") : fixed(f.ca, 3),
                   f.accelerationJumps || f.speedJumps ? QStringLiteral("\u221e") : fixed(f.cj, 2));
      if (!figures.contains(text)) figures << text;
    }
    for (const QString& text : figures) note(report, text);
  }
}

bool Card::saveOutlineTo(Id id, const QString& path) {
  for (const auto& c : bench_.solution().resolved().curveList) {
    if (c.id != id || !c.curve) continue;
    const QString ending = path.section(QLatin1Char('.'), -1).toLower();
    if (ending == QStringLiteral("step") || ending == QStringLiteral("stp")) {
      const auto solid = shape::elementShape(BodyKind::cam, {0.01, 0, 0, 0, 0}, c.curve, c.cam.get());
      const auto done =
          solid.ok() ? shape::writeStep({{*solid, c.name, {}, {}}}, c.name, path.toStdString()) : Status(solid.error());
      if (!done.ok()) bench_.say(q(done.error().text), true);
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
      bench_.say(tr("%1 can't be written: %2").arg(path, file.errorString()), true);
      return false;
    }
    bench_.say(tr("Saved %1").arg(path));
    return true;
  }
  return false;
}

void Card::saveOutline(Id id) {
  for (const auto& c : bench_.solution().resolved().curveList)
    if (c.id == id && c.cam && !bench_.machine().camReport(id, 0.5).undercut.empty() &&
        QMessageBox::question(this, tr("Save the outline"),
                              tr("The cam is undercut: it can't be cut so that the follower keeps to its law. Save its "
                                 "outline all the same?")) != QMessageBox::Yes)
      return;
  const QString path = QFileDialog::getSaveFileName(this, tr("Save the outline"), QStringLiteral("outline.dxf"),
                                                    tr("Outline (*.dxf *.svg *.csv);;Solid of 10 mm (*.step)"));
  if (!path.isEmpty()) saveOutlineTo(id, path);
}

}  // namespace cooperage::app
