// SPDX-License-Identifier: GPL-3.0-or-later
// Whole stages: planetary gears and differentials.
#include "../text.h"
#include "../theme.h"
#include "elements/gear_pair.h"
#include "machine_form.h"
#include "model/train_edits.h"

namespace cooperage::app {

using namespace model;

namespace {

class PlanetaryForm : public MachineForm {
 public:
  explicit PlanetaryForm(PlanetaryDraft draft) : draft_(std::move(draft)) {}

  void fill(MachineFields& f) override {
    std::vector<std::pair<Id, QString>> seats, suns{{0, QObject::tr("a new link")}};
    for (const auto& l : f.base().links) {
      for (const auto& s : l->seats) seats.emplace_back(s->id, q(l->name + "/" + s->name));
      if (!l->ground) suns.emplace_back(l->id, q(l->name));
    }
    const auto ring = [this] { draft_.ring = ringTeeth(draft_); };
    const bool made = !draft_.was.empty();
    f.text(QObject::tr("Name"), QStringLiteral("stage name"), draft_.name);
    if (!made) f.object(QObject::tr("About the seat"), QStringLiteral("stage seat"), seats, draft_.seat);
    f.whole(QObject::tr("Teeth, sun"), QStringLiteral("sun"), draft_.sun, ring);
    f.whole(QObject::tr("Teeth, planet"), QStringLiteral("planet"), draft_.planet, ring);
    f.whole(QObject::tr("Second planet rim"), QStringLiteral("second rim"), draft_.second, ring);
    f.whole(QObject::tr("Teeth, ring"), QStringLiteral("ring"), draft_.ring);
    f.whole(QObject::tr("Planets"), QStringLiteral("planets"), draft_.planets, ring);
    f.number(QObject::tr("Module"), QStringLiteral("module"), draft_.module, dimension::kLength);
    f.number(QObject::tr("Width"), QStringLiteral("width"), draft_.width, dimension::kLength);
    f.choice(QObject::tr("Held"), QStringLiteral("held"),
             {{QStringLiteral("ring"), QObject::tr("ring")},
              {QStringLiteral("sun"), QObject::tr("sun")},
              {QStringLiteral("carrier"), QObject::tr("carrier")}},
             q(wordFor(draft_.held)),
             [this](const QString& v) { draft_.held = *valueNamed<HeldPart>(v.toStdString()); });
    if (!made)
      f.object(QObject::tr("Sun on"), QStringLiteral("sun link"), suns, draft_.inputLink,
               QObject::tr("Stages in a row: the carrier of the stage before carries this sun"));
    const QString of = draft_.held == HeldPart::ring  ? QObject::tr("sun to carrier")
                       : draft_.held == HeldPart::sun ? QObject::tr("ring to carrier")
                                                      : QObject::tr("sun to ring");
    QString text = QObject::tr("Ratio %1, %2").arg(QString::number(stageRatio(draft_), 'g', 7), of);
    for (const int teeth : {draft_.sun, draft_.planet})
      for (const QString& w : undercut(f.base(), teeth))
        text +=
            QStringLiteral("<br><span style='color:%1'>\u25b2 %2</span>").arg(theme().warn.name(), w.toHtmlEscaped());
    f.words(QStringLiteral("stage figures"), text);
  }

  Result<Mechanism> made(const Mechanism& base, const std::vector<Pose>& poses) override {
    return withPlanetary(base, draft_, poses);
  }

 private:
  QStringList undercut(const Mechanism& base, int teeth) const {
    const auto module = evaluateField(base, draft_.module, dimension::kLength),
               width = evaluateField(base, draft_.width, dimension::kLength);
    QStringList out;
    if (!module.ok() || !width.ok()) return out;
    elements::GearSpec g;
    g.module = *module;
    g.width = *width;
    g.teeth = teeth;
    g.pressureAngle = 20 * kDegree;
    for (const auto& w : gearWarnings(g)) out << QObject::tr("%1 teeth: %2").arg(teeth).arg(q(w));
    return out;
  }
  PlanetaryDraft draft_;
};

class DifferentialForm : public MachineForm {
 public:
  explicit DifferentialForm(DifferentialDraft draft) : draft_(std::move(draft)) {}

  void fill(MachineFields& f) override {
    f.whole(QObject::tr("Teeth, sides"), QStringLiteral("side"), draft_.side);
    f.whole(QObject::tr("Teeth, planets"), QStringLiteral("planet"), draft_.planet);
    f.number(QObject::tr("Module"), QStringLiteral("module"), draft_.module, dimension::kLength);
    f.number(QObject::tr("Width"), QStringLiteral("width"), draft_.width, dimension::kLength);
  }

  Result<Mechanism> made(const Mechanism& base, const std::vector<Pose>& poses) override {
    return withDifferential(base, draft_, poses);
  }

 private:
  DifferentialDraft draft_;
};

}  // namespace

std::unique_ptr<MachineForm> newPlanetaryForm(const Mechanism& base, const MachineStart& start) {
  PlanetaryDraft d;
  d.seat = stageSeat(base, start);
  d.module = millimetres(base, 2);
  d.width = millimetres(base, 12);
  d.name = freeName(base.links, "stage sun") == "stage sun" ? "stage" : freeName(base.links, "stage");
  return std::make_unique<PlanetaryForm>(std::move(d));
}

std::unique_ptr<MachineForm> planetaryFormOf(const Mechanism& base, Id coupling) {
  auto d = planetaryDraftOf(base, coupling);
  return d ? std::make_unique<PlanetaryForm>(std::move(*d)) : nullptr;
}

std::unique_ptr<MachineForm> newDifferentialForm(const Mechanism& base, const MachineStart& start) {
  DifferentialDraft d;
  d.seat = stageSeat(base, start);
  d.module = millimetres(base, 2);
  d.width = millimetres(base, 6);
  return std::make_unique<DifferentialForm>(std::move(d));
}

}  // namespace cooperage::app
