// SPDX-License-Identifier: GPL-3.0-or-later
#include "placing_card.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>

#include "../card/number_field.h"
#include "../merges.h"
#include "../theme.h"
// OCCT last
#include "shape/extent.h"

namespace cooperage::app {

using namespace model;

PlacingCard::PlacingCard(Workbench& bench, Scene& scene)
    : FloatCard(&scene, QStringLiteral("placing card")), bench_(bench), scene_(scene) {
  setFixedWidth(250);
  connect(&bench_.importer(), &Importer::inserted, this, &PlacingCard::place);
  connect(this, &FloatCard::confirmed, this, &PlacingCard::keep);
  connect(this, &FloatCard::cancelled, this, &PlacingCard::giveUp);
}

void PlacingCard::place(Id link) {
  link_ = link;
  before_ = bench_.document().undoStack()->index() - 1;
  fill();
  scene_.fitAll();
  openBeside(QPointF(scene_.width() - 20.0, 180));
  bench_.say(tr("Turn and shift the part, then Enter keeps it; Esc takes it out again"));
}

Pose PlacingCard::present() const {
  const auto l = findLink(*bench_.document().mechanism(), link_);
  const auto p = l ? poseOf(*bench_.document().mechanism(), l->placement) : Result<Pose>(Pose{});
  return p.ok() ? *p : Pose{};
}

void PlacingCard::change(const Pose& pose) {
  bench_.document().apply(
      tr("Place part"),
      changedLink(*bench_.document().mechanism(), link_,
                  [&](Link& l) { l.placement = placementOf(pose, bench_.document().mechanism()->units); }),
      kMergePlacing);
  fill();
}

void PlacingCard::quarterTurn(int axis) {
  // about the middle of the part, so that it stays where it is seen
  Pose p = present();
  shape::Extent box;
  for (const auto& l : bench_.solution().resolved().links)
    if (l.id == link_)
      for (const auto& b : l.bodies)
        if (const auto s = bench_.shapes().solid(b.id)) box.add(s->shape, b.placement);
  const Vec3 middle = box.empty() ? p.p : p * box.middle();
  const Mat3 turn = rotationAbout(axis, kPi / 2);
  change({turn * p.R, middle + turn * (p.p - middle)});
}

/// The next place on a grid beside what is there, where it meets nothing.
void PlacingCard::nextSpot() {
  std::vector<shape::Extent> others;
  shape::Extent own;
  const auto& r = bench_.solution().resolved();
  for (std::size_t l = 0; l < r.links.size() && l < bench_.pose().poses().size(); ++l)
    for (const auto& b : r.links[l].bodies)
      if (const auto s = bench_.shapes().solid(b.id)) {
        if (r.links[l].id != link_) others.emplace_back();
        (r.links[l].id == link_ ? own : others.back()).add(s->shape, bench_.pose().poses()[l] * b.placement);
      }
  if (own.empty()) return;
  const Vec3 size = own.high - own.low;
  const double gap = 0.1 * size.norm();
  for (int n = 1; n < 400; ++n) {
    // row by row in the ground plane, beginning beside where it is now
    const Vec3 shift((n % 8) * (size.x() + gap), -(n / 8) * (size.y() + gap), 0);
    const shape::Extent trial{own.low + shift, own.high + shift};
    if (std::any_of(others.begin(), others.end(), [&](const auto& b) { return trial.meets(b, 0.2 * gap); })) continue;
    Pose p = present();
    p.p += shift;
    change(p);
    scene_.fitAll();
    return;
  }
  bench_.say(tr("There is no free spot near by: shift it by hand"), true);
}

void PlacingCard::fill() {
  const auto link = findLink(*bench_.document().mechanism(), link_);
  if (!link) return;
  const QString focused = focusedName();
  clear();
  setTitle(tr("Place %1").arg(QString::fromStdString(link->name)));
  auto* turns = addRow();
  static const char* kAxes[] = {"X", "Y", "Z"};
  for (int axis = 0; axis < 3; ++axis)
    addButton(turns, tr("\u21bb %1").arg(QLatin1String(kAxes[axis])),
              tr("A quarter turn about %1 (%1)").arg(QLatin1String(kAxes[axis])),
              QStringLiteral("quarter ") + QLatin1String(kAxes[axis]).toString().toLower(),
              [this, axis] { quarterTurn(axis); });
  addButton(turns, tr("Free spot"), tr("The next place where it meets nothing (N)"), QStringLiteral("free spot"),
            [this] { nextSpot(); });
  turns->addStretch(1);
  auto* form = addForm();
  const double mm = bench_.document().mechanism()->units.factor(dimension::kLength);
  for (int axis = 0; axis < 3; ++axis) {
    auto* f = new NumberField(bench_, Field(std::round(present().p[axis] / mm * 1e6) / 1e6), dimension::kLength,
                              [this, axis](const Field& typed) {
                                const auto v = evaluateField(*bench_.document().mechanism(), typed, dimension::kLength);
                                if (!v.ok()) return false;
                                Pose p = present();
                                p.p[axis] = *v;
                                change(p);
                                return true;
                              });
    f->edit()->setObjectName(QStringLiteral("shift ") + QLatin1String(kAxes[axis]).toString().toLower());
    auto* l = new QLabel(tr("At %1").arg(QLatin1String(kAxes[axis]).toString().toLower()));
    l->setProperty("mute", true);
    form->addRow(l, f);
  }
  addEnd(tr("Keep"));
  fit();
  focusAgain(focused);
}

void PlacingCard::keep() {
  link_ = 0;
  hide();
  bench_.document().endGesture();
  bench_.say(tr("Kept"));
}

void PlacingCard::giveUp() {
  link_ = 0;
  hide();
  while (bench_.document().undoStack()->index() > before_) bench_.document().undoStack()->undo();
  bench_.document().endGesture();
}

void PlacingCard::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_X) return quarterTurn(0);
  if (e->key() == Qt::Key_Y) return quarterTurn(1);
  if (e->key() == Qt::Key_Z && !(e->modifiers() & Qt::ControlModifier)) return quarterTurn(2);
  if (e->key() == Qt::Key_N) return nextSpot();
  FloatCard::keyPressEvent(e);
}

}  // namespace cooperage::app
