// SPDX-License-Identifier: GPL-3.0-or-later
// A belt or a chain over two wheels or more.
#include <algorithm>

#include "../text.h"
#include "machine_form.h"
#include "model/coupling_edits.h"

namespace cooperage::app {

using namespace model;

namespace {

class BeltForm : public MachineForm {
 public:
  explicit BeltForm(BeltDraft draft) : draft_(std::move(draft)) {}

  void fill(MachineFields& f) override {
    for (std::size_t i = 0; i < draft_.joints.size(); ++i) {
      f.joint(QObject::tr("Wheel %1 on").arg(i + 1), QStringLiteral("wheel %1").arg(i + 1), draft_.joints[i], "turn");
      f.number(draft_.chain ? QObject::tr("Teeth") : QObject::tr("Pitch radius"), QStringLiteral("size %1").arg(i + 1),
               draft_.sizes[i], draft_.chain ? dimension::kPlain : dimension::kLength);
      if (draft_.joints.size() > 2)
        f.box(QObject::tr("the belt's back lies on it"), QStringLiteral("outside %1").arg(i + 1), draft_.sides[i] < 0,
              [this, i](bool on) { draft_.sides[i] = on ? -1 : 1; });
    }
    if (draft_.chain)
      f.number(QObject::tr("Pitch"), QStringLiteral("pitch"), draft_.pitch, dimension::kLength);
    else
      f.number(QObject::tr("Width"), QStringLiteral("width"), draft_.width, dimension::kLength);
    if (draft_.joints.size() == 2 && !draft_.chain)
      f.box(QObject::tr("crossed"), QStringLiteral("crossed"), draft_.crossed,
            [this](bool on) { draft_.crossed = on; });
    f.button(QObject::tr("One more wheel"), QObject::tr("Lead the belt over one more shaft"),
             QStringLiteral("more wheels"),
             [this, make = f.maker(), &base = f.base(), &bench = f.bench()] { oneMore(base, bench, make); });
  }

  Result<Mechanism> made(const Mechanism& base, const std::vector<Pose>& poses) override {
    return withBelt(base, draft_, poses);
  }
  Id shown() const override { return draft_.coupling; }

 private:
  void oneMore(const Mechanism& base, Workbench& bench, const std::function<void()>& make) {
    for (const auto& j : base.joints) {
      const bool there = std::find(draft_.joints.begin(), draft_.joints.end(), j->id) != draft_.joints.end();
      if (there || !hasValue(*j, "turn")) continue;
      draft_.joints.push_back(j->id);
      draft_.sizes.push_back(draft_.sizes.empty() ? Field(40) : draft_.sizes.back());
      draft_.sides.push_back(1);
      return make();
    }
    bench.say(QObject::tr("There is no other joint that turns"), true);
  }

  BeltDraft draft_;
};

}  // namespace

std::unique_ptr<MachineForm> newBeltForm(bool chain, const Mechanism& base, const MachineStart& start) {
  BeltDraft d;
  d.chain = chain;
  d.joints = start.turns;
  d.sizes.assign(start.turns.size(), chain ? Field(19) : millimetres(base, 40));
  d.sides.assign(start.turns.size(), 1);
  d.width = millimetres(base, 15);
  d.pitch = millimetres(base, 12.7);
  return std::make_unique<BeltForm>(std::move(d));
}

}  // namespace cooperage::app
