// SPDX-License-Identifier: GPL-3.0-or-later
// Gears, and a gear on a rack.
#include <cmath>

#include "../text.h"
#include "../theme.h"
#include "elements/gear_pair.h"
#include "machine_form.h"
#include "model/train_edits.h"

namespace cooperage::app {

using namespace model;
using Kind = GearDraft::Kind;

namespace {

class GearForm : public MachineForm {
 public:
  explicit GearForm(GearDraft draft) : draft_(std::move(draft)) {}

  void fill(MachineFields& f) override {
    const bool worm = draft_.kind == Kind::worm, rack = draft_.kind == Kind::rack, ring = draft_.kind == Kind::ring;
    f.joint(rack || ring ? QObject::tr("Pinion on")
            : worm       ? QObject::tr("Worm on")
                         : QObject::tr("First on"),
            QStringLiteral("first shaft"), draft_.joints[0], "turn");
    f.joint(rack   ? QObject::tr("Rack on")
            : worm ? QObject::tr("Wheel on")
            : ring ? QObject::tr("Ring on")
                   : QObject::tr("Second on"),
            QStringLiteral("second shaft"), draft_.joints[1], rack ? "slide" : "turn");
    f.number(QObject::tr("Module"), QStringLiteral("module"), draft_.module, dimension::kLength);
    f.number(worm ? QObject::tr("Starts") : QObject::tr("Teeth, first"), QStringLiteral("teeth first"), draft_.teeth[0],
             dimension::kPlain);
    f.number(rack   ? QObject::tr("Teeth, rack")
             : worm ? QObject::tr("Teeth, wheel")
                    : QObject::tr("Teeth, second"),
             QStringLiteral("teeth second"), draft_.teeth[1], dimension::kPlain);
    if (!rack) ratio(f);
    if (draft_.kind == Kind::bevel || draft_.kind == Kind::crossed || worm) shaftAngle(f);
    if (worm) wormSize(f);
    f.number(QObject::tr("Width"), QStringLiteral("width"), draft_.width, dimension::kLength);
    if (draft_.kind != Kind::bevel)
      f.number(worm ? QObject::tr("Lead angle") : QObject::tr("Helix angle"), QStringLiteral("helix"), draft_.helix,
               dimension::kAngle);
    if (draft_.kind == Kind::spur || ring) {
      f.number(QObject::tr("Shift, first"), QStringLiteral("shift first"), draft_.shift[0], dimension::kPlain);
      if (draft_.moveAxis)
        f.number(QObject::tr("Shift, second"), QStringLiteral("shift second"), draft_.shift[1], dimension::kPlain);
    }
    f.number(QObject::tr("Backlash"), QStringLiteral("backlash"), draft_.backlash, dimension::kLength);
    if (!rack)
      f.box(QObject::tr("move the second shaft to fit"), QStringLiteral("move axis"), draft_.moveAxis,
            [this](bool on) { draft_.moveAxis = on; });
    f.button(QObject::tr("Flip"), QObject::tr("It turns the wrong way round: change the sense (R)"),
             QStringLiteral("flip"), [this, make = f.maker()] {
               draft_.flip = !draft_.flip;
               make();
             });
    if (const QString words = f.isMade() ? wordsOf(f.bench()) : QString(); !words.isEmpty())
      f.words(QStringLiteral("gear figures"), words);
  }

  /// A pair that shares gears with others has its module in common with them: the whole train takes it.
  Result<Mechanism> made(const Mechanism& before, const std::vector<Pose>& home) override {
    Mechanism base = before;
    std::vector<Pose> poses = home;
    if (angle_) {
      auto turned = withShaftAngle(base, draft_.joints[0], draft_.joints[1], *angle_, poses);
      if (!turned.ok()) return turned;
      base = std::move(turned).value();
    }
    const auto was = gearDraftOf(base, draft_.coupling);
    const bool same = was && was->module.formula == draft_.module.formula && was->module.number == draft_.module.number;
    if (!was || same || trainOf(base, draft_.coupling).size() < 2) return withGears(base, draft_, poses);
    auto moved = poses;
    auto train = withTrainModule(base, draft_.coupling, draft_.module, moved);
    return train.ok() ? withGears(*train, draft_, moved) : train;
  }
  Id shown() const override { return draft_.coupling; }
  bool flip(const Mechanism&) override {
    draft_.flip = !draft_.flip;
    return true;
  }

 private:
  void ratio(MachineFields& f) {
    const Mechanism& base = f.base();
    const auto a = evaluateField(base, draft_.teeth[0], dimension::kPlain),
               b = evaluateField(base, draft_.teeth[1], dimension::kPlain);
    f.derived(QObject::tr("Ratio"), QStringLiteral("ratio"),
              a.ok() && b.ok() && *a > 0 ? std::round(*b / *a * 1e6) / 1e6 : 0,
              QObject::tr("Teeth of the second follow, to the next whole number"), [this, &base](const Field& typed) {
                const auto v = evaluateField(base, typed, dimension::kPlain);
                const auto first = evaluateField(base, draft_.teeth[0], dimension::kPlain);
                if (!v.ok() || !first.ok() || !(*v > 0)) return false;
                draft_.teeth[1] = Field(std::round(*first * *v));
                return true;
              });
  }

  /// The second axis turns about where both are nearest.
  void shaftAngle(MachineFields& f) {
    const auto now = shaftAngleOf(f.base(), draft_.joints[0], draft_.joints[1], f.bench().pose().poses());
    if (!angle_ && !now.ok()) return;
    f.derived(
        QObject::tr("Shaft angle"), QStringLiteral("shaft angle"), angle_ ? *angle_ : *now,
        QObject::tr("The second shaft turns until its axis stands at this angle"),
        [this, &base = f.base()](const Field& typed) {
          const auto v = evaluateField(base, typed, dimension::kAngle);
          if (!v.ok() || !(*v > 0) || !(*v < kPi)) return false;
          angle_ = *v;
          return true;
        },
        dimension::kAngle);
  }

  /// Of a worm: its reference diameter z m_n / sin(lead angle), or its quotient z / tan(lead angle) (ISO 10828), stand
  /// for the lead angle.
  void wormSize(MachineFields& f) {
    const Mechanism& base = f.base();
    const auto value = [&base](const Field& x, const Dimension& d) {
      const auto v = evaluateField(base, x, d);
      return v.ok() ? *v : 0.0;
    };
    const double starts = value(draft_.teeth[0], dimension::kPlain), module = value(draft_.module, dimension::kLength),
                 lead = value(draft_.helix, dimension::kAngle);
    if (!(starts > 0) || !(module > 0) || !(lead > 0)) return;
    const auto take = [this, &base](double angle) {
      if (!(angle > 0) || !(angle < 0.5 * kPi)) return false;
      draft_.helix = Field(std::round(angle / base.units.factor(dimension::kAngle) * 1e9) / 1e9);
      return true;
    };
    f.derived(
        QObject::tr("Worm diameter"), QStringLiteral("worm diameter"), starts * module / std::sin(lead),
        QObject::tr("Reference diameter; the lead angle follows"),
        [=](const Field& typed) {
          const double d = value(typed, dimension::kLength);
          return d > starts * module && take(std::asin(starts * module / d));
        },
        dimension::kLength);
    f.derived(QObject::tr("Quotient"), QStringLiteral("quotient"), starts / std::tan(lead),
              QObject::tr("Reference diameter over axial module; the lead angle follows"), [=](const Field& typed) {
                const double quotient = value(typed, dimension::kPlain);
                return quotient > 0 && take(std::atan(starts / quotient));
              });
  }

  /// What follows from the figures, as the pair stands in the document.
  QString wordsOf(Workbench& bench) const {
    const auto& m = *bench.document().mechanism();
    const auto look = pairLook(m, draft_.coupling, bench.pose().poses());
    if (!look.ok()) return {};
    const auto length = [&](double v) { return exactText(v, dimension::kLength, m.units, 1e-6); };
    QStringList lines, warnings;
    const auto n = [](double v, int digits) { return QString::number(v, 'f', digits); };
    for (const auto* g : {&look->first, &look->second})
      if (draft_.kind != Kind::worm)
        for (const auto& w : gearWarnings(*g)) warnings << QObject::tr("%1 teeth: %2").arg(g->teeth).arg(q(w));
    if (draft_.kind == Kind::rack) {
      const auto p = elements::rackPair(look->first, look->second);
      lines << QObject::tr("contact ratio %1").arg(n(p.contactRatio, 2))
            << QObject::tr("pitch line %1 from the axis").arg(length(p.centre));
    } else if (draft_.kind == Kind::spur || draft_.kind == Kind::ring) {
      const auto p = elements::pairSize(look->first, look->second, look->distance);
      lines << QObject::tr("axes %1 apart").arg(length(p.centre))
            << QObject::tr("contact ratio %1%2")
                   .arg(n(p.contactRatio, 2),
                        p.overlapRatio > 0 ? QObject::tr(" + overlap %1").arg(n(p.overlapRatio, 2)) : QString());
      for (const auto& w : elements::pairWarnings(look->first, look->second, look->distance)) warnings << q(w);
    } else {
      lines << QObject::tr("axes %1 apart").arg(length(look->distance));
    }
    if (const auto c = findById(m.couplings, draft_.coupling); c && c->carrier != 0)
      if (const auto l = findLink(m, c->carrier)) lines << QObject::tr("carried by %1").arg(q(l->name));
    QString text = lines.join(QStringLiteral(" \u00b7 "));
    for (const QString& w : warnings)
      text += QStringLiteral("<br><span style='color:%1'>\u25b2 %2</span>").arg(theme().warn.name(), w.toHtmlEscaped());
    return text;
  }

  GearDraft draft_;
  std::optional<double> angle_;  ///< of the shafts, if it was typed, rad
};

}  // namespace

std::unique_ptr<MachineForm> newGearForm(Machine machine, const Mechanism& base, const MachineStart& start) {
  GearDraft d;
  d.kind = static_cast<Kind>(static_cast<int>(machine));
  d.module = millimetres(base, 2);
  d.width = millimetres(base, machine == Machine::bevel ? 8 : 12);
  d.joints = {idAt(start.turns, 0), machine == Machine::rack ? idAt(start.slides, 0) : idAt(start.turns, 1)};
  const double degree = kPi / 180 / base.units.factor(dimension::kAngle);
  if (machine == Machine::worm) {
    d.teeth = {Field(1), Field(40)};
    d.helix = Field(5 * degree);
  }
  if (machine == Machine::crossed) d.helix = Field(45 * degree);
  if (machine == Machine::ring) d.teeth = {Field(20), Field(60)};
  if (machine == Machine::rack) d.teeth = {Field(20), Field(20)};
  return std::make_unique<GearForm>(d);
}

std::unique_ptr<MachineForm> gearFormOf(const Mechanism& base, Id coupling, const std::vector<Pose>& poses,
                                        Machine& machine) {
  auto d = gearDraftOf(base, coupling);
  if (!d) return nullptr;
  machine = static_cast<Machine>(static_cast<int>(d->kind));
  // wrong way round before stays so
  const auto was = findById(base.couplings, coupling);
  if (const auto plain = withGears(base, *d, poses); plain.ok())
    d->flip = findById(plain->couplings, coupling)->flip != was->flip;
  return std::make_unique<GearForm>(*d);
}

}  // namespace cooperage::app
