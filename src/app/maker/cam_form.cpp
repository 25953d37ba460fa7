// SPDX-License-Identifier: GPL-3.0-or-later
// A cam and its follower.
#include "../text.h"
#include "machine_form.h"
#include "model/cam_edits.h"

namespace cooperage::app {

using namespace model;

namespace {

class CamPage : public MachineForm {
 public:
  explicit CamPage(CamDraft draft) : draft_(std::move(draft)) {}

  void fill(MachineFields& f) override {
    f.choice(QObject::tr("Form"), QStringLiteral("cam form"),
             {{QStringLiteral("disc"), QObject::tr("disc")},
              {QStringLiteral("linear"), QObject::tr("linear")},
              {QStringLiteral("barrel"), QObject::tr("barrel (drum)")}},
             q(wordFor(draft_.form)), [this](const QString& v) {
               draft_.form = *valueNamed<CamForm>(v.toStdString());
               draft_.rows.clear();
             });
    f.joint(QObject::tr("Cam on"), QStringLiteral("cam shaft"), draft_.cam,
            draft_.form == CamForm::linear ? "slide" : "turn");
    f.joint(QObject::tr("Follower on"), QStringLiteral("follower joint"), draft_.follower, "");
    f.choice(QObject::tr("Follower"), QStringLiteral("follower kind"),
             {{QStringLiteral("roller"), QObject::tr("roller")},
              {QStringLiteral("point"), QObject::tr("point")},
              {QStringLiteral("flat"), QObject::tr("flat")}},
             q(wordFor(draft_.kind)),
             [this](const QString& v) { draft_.kind = *valueNamed<ContactKind>(v.toStdString()); });
    f.number(QObject::tr("Base radius"), QStringLiteral("base"), draft_.base, dimension::kLength);
    if (draft_.kind == ContactKind::roller)
      f.number(QObject::tr("Roller radius"), QStringLiteral("roller"), draft_.roller, dimension::kLength);
    const bool swings = doesSwing(f.base());
    if (swings && draft_.kind != ContactKind::flat)
      f.number(QObject::tr("Arm"), QStringLiteral("arm"), draft_.arm, dimension::kLength);
    f.number(draft_.form == CamForm::barrel ? QObject::tr("Length") : QObject::tr("Thickness"),
             QStringLiteral("thickness"), draft_.thickness, dimension::kLength);
    if (swings)
      f.button(QObject::tr("Other way"), QObject::tr("The follower lifts by turning the other way (R)"),
               QStringLiteral("flip"), [this, make = f.maker()] {
                 draft_.hand = -draft_.hand;
                 make();
               });
    f.words(QStringLiteral("cam words"),
            QObject::tr("Rise, dwell and return are edited in the strip below and in the curve's card."));
  }

  Result<Mechanism> made(const Mechanism& base, const std::vector<Pose>& poses) override {
    return withCam(base, draft_, poses);
  }
  Id shown() const override { return draft_.curve; }
  bool flip(const Mechanism&) override {
    draft_.hand = -draft_.hand;
    return true;
  }

 private:
  bool doesSwing(const Mechanism& base) const {
    const auto j = findJoint(base, draft_.follower);
    return j && valueIndex(j->kind, "turn") >= 0;
  }

  CamDraft draft_;
};

}  // namespace

std::unique_ptr<MachineForm> newCamForm(const Mechanism& base, const MachineStart& start) {
  CamDraft d;
  d.cam = idAt(start.turns, 0);
  d.follower = start.chosenTurns >= 2 ? start.turns[1] : idAt(start.slides, 0);
  d.base = millimetres(base, 40);
  d.roller = millimetres(base, 8);
  d.thickness = millimetres(base, 12);
  d.arm = millimetres(base, 60);
  return std::make_unique<CamPage>(std::move(d));
}

}  // namespace cooperage::app
