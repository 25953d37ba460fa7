// SPDX-License-Identifier: GPL-3.0-or-later
// A screw with one nut, or with two of either hand.
#include <algorithm>

#include "../text.h"
#include "machine_form.h"
#include "model/coupling_edits.h"

namespace cooperage::app {

using namespace model;

namespace {

class ScrewForm : public MachineForm {
 public:
  explicit ScrewForm(ScrewDraft draft) : draft_(std::move(draft)) {}

  void fill(MachineFields& f) override {
    f.joint(QObject::tr("Screw on"), QStringLiteral("screw shaft"), draft_.turn, "turn");
    for (std::size_t i = 0; i < draft_.slides.size(); ++i)
      f.joint(draft_.slides.size() > 1 ? (i == 0 ? QObject::tr("Right-hand nut") : QObject::tr("Left-hand nut"))
                                       : QObject::tr("Nut on"),
              QStringLiteral("nut %1").arg(i + 1), draft_.slides[i], "slide");
    f.number(QObject::tr("Lead"), QStringLiteral("lead"), draft_.lead, dimension::kLength);
    f.number(QObject::tr("Starts"), QStringLiteral("starts"), draft_.starts, dimension::kPlain);
    f.number(QObject::tr("Diameter"), QStringLiteral("diameter"), draft_.diameter, dimension::kLength);
    f.number(QObject::tr("Length"), QStringLiteral("screw length"), draft_.length, dimension::kLength);
    const auto make = f.maker();
    const Mechanism& base = f.base();
    if (draft_.slides.size() < 2)
      f.button(QObject::tr("Second nut"), QObject::tr("Right and left hand: a second nut that moves the other way"),
               QStringLiteral("second nut"), [this, make, &base, &bench = f.bench()] { secondNut(base, bench, make); });
    f.button(QObject::tr("Other hand"), QObject::tr("Left hand in place of right, or the other way round (R)"),
             QStringLiteral("flip"), [this, make, &base] {
               flip(base);
               make();
             });
  }

  Result<Mechanism> made(const Mechanism& base, const std::vector<Pose>& poses) override {
    return withScrew(base, draft_, poses);
  }
  Id shown() const override { return draft_.couplings.empty() ? 0 : draft_.couplings.front(); }
  bool flip(const Mechanism& base) override {
    if (draft_.lead.formula) {
      const auto f = parseField(base, "-(" + fieldText(base, draft_.lead) + ")");
      if (f.ok()) draft_.lead = *f;
    } else {
      draft_.lead.number = -draft_.lead.number;
    }
    return true;
  }

 private:
  void secondNut(const Mechanism& base, Workbench& bench, const std::function<void()>& make) {
    for (const auto& j : base.joints) {
      const bool there = std::find(draft_.slides.begin(), draft_.slides.end(), j->id) != draft_.slides.end();
      if (there || !hasValue(*j, "slide")) continue;
      draft_.slides.push_back(j->id);
      return make();
    }
    bench.say(QObject::tr("There is no other joint that slides"), true);
  }

  ScrewDraft draft_;
};

}  // namespace

std::unique_ptr<MachineForm> newScrewForm(const Mechanism& base, const MachineStart& start) {
  ScrewDraft d;
  d.turn = idAt(start.turns, 0);
  d.slides = start.slides;
  if (d.slides.size() > 2) d.slides.resize(2);
  d.lead = millimetres(base, 4);
  d.diameter = millimetres(base, 16);
  d.length = millimetres(base, 160);
  return std::make_unique<ScrewForm>(std::move(d));
}

}  // namespace cooperage::app
