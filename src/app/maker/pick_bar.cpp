// SPDX-License-Identifier: GPL-3.0-or-later
#include "pick_bar.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>

#include "../scene/picker.h"
#include "../theme.h"

namespace cooperage::app {

PickBar::PickBar(Maker& maker, Scene& scene) : QFrame(&scene), maker_(maker), scene_(scene) {
  setObjectName(QStringLiteral("pickbar"));
  dress(this, QStringLiteral("#pickbar { background: @panel; border: 1px solid @accent; border-radius: 9px; }"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(10, 6, 10, 6);
  column->setSpacing(4);
  prompt_ = new QLabel;
  prompt_->setObjectName(QStringLiteral("pick prompt"));
  prompt_->setFont(uiFont(9.2, QFont::DemiBold));
  column->addWidget(prompt_);
  auto* row = new QHBoxLayout;
  row->setSpacing(3);
  axes_ = button(row, tr("Axes"), tr("Axes of bores, pins and cones answer"), QStringLiteral("filter axes"));
  planes_ = button(row, tr("Planes"), tr("Middles of flat faces answer"), QStringLiteral("filter planes"));
  points_ = button(row, tr("Points"), tr("Centres, ends, middles of edges and corners answer"),
                   QStringLiteral("filter points"));
  row->addSpacing(8);
  middle_ = button(row, tr("Middle"), tr("The middle between two places (M)"), QStringLiteral("mode middle"));
  three_ = button(row, tr("3 points"), tr("The centre of the circle through three points (T)"),
                  QStringLiteral("mode three"));
  direction_ = button(row, tr("Direction"), tr("The place of one pick with the direction of another (D)"),
                      QStringLiteral("mode direction"));
  row->addSpacing(8);
  keep_ = button(row, tr("Keep"),
                 tr("Keep these places while the pointer crosses other parts (K); N steps to the next one"),
                 QStringLiteral("keep"));
  column->addLayout(row);
  for (QToolButton* b : {axes_, planes_, points_}) b->setChecked(true);
  const auto filter = [this] { scene_.setFilter({axes_->isChecked(), planes_->isChecked(), points_->isChecked()}); };
  for (QToolButton* b : {axes_, planes_, points_}) connect(b, &QToolButton::clicked, this, filter);
  connect(keep_, &QToolButton::clicked, this, &PickBar::toggleKeep);
  connect(middle_, &QToolButton::clicked, this, [this] { maker_.setMode(PlaceBuilder::Mode::middle); });
  connect(three_, &QToolButton::clicked, this, [this] { maker_.setMode(PlaceBuilder::Mode::threePoints); });
  connect(direction_, &QToolButton::clicked, this, [this] { maker_.setMode(PlaceBuilder::Mode::direction); });
  connect(&maker_, &Maker::changed, this, &PickBar::refresh);
  connect(&scene_, &Scene::pickingChanged, this, &PickBar::refresh);
  scene_.installEventFilter(this);
  refresh();
}

QToolButton* PickBar::button(QHBoxLayout* row, const QString& text, const QString& tip, const QString& objectName) {
  auto* b = new QToolButton;
  b->setText(text);
  b->setToolTip(tip);
  b->setAccessibleName(tip);
  b->setCheckable(true);
  b->setObjectName(objectName);
  b->setFocusPolicy(Qt::NoFocus);
  row->addWidget(b);
  return b;
}

void PickBar::toggleKeep() {
  scene_.keepCandidates(!scene_.picker().isKeeping());
  refresh();
}

void PickBar::toggleIsolated() {
  if (scene_.isolated()) {
    scene_.isolate(0);
    return;
  }
  const auto* now = scene_.picker().present();
  const model::Id link = now ? now->link : scene_.hoveredLink();
  if (link) scene_.isolate(link);
}

void PickBar::refresh() {
  const bool wanted = scene_.isPicking() && !maker_.card().isVisible();  // the card says what comes next
  setVisible(wanted);
  if (!wanted) return;
  prompt_->setText(maker_.prompt());
  keep_->setChecked(scene_.picker().isKeeping());
  const auto mode = maker_.builder().mode();
  middle_->setChecked(mode == PlaceBuilder::Mode::middle);
  three_->setChecked(mode == PlaceBuilder::Mode::threePoints);
  direction_->setChecked(mode == PlaceBuilder::Mode::direction);
  // a prompt that is wider than the scene wraps
  const int room = scene_.width() - 24 - 20;
  const bool wide = prompt_->fontMetrics().horizontalAdvance(prompt_->text()) > room;
  prompt_->setWordWrap(wide);
  prompt_->setFixedWidth(wide ? room : prompt_->fontMetrics().horizontalAdvance(prompt_->text()) + 4);
  adjustSize();
  place();
  raise();
}

void PickBar::place() {
  // under the chip, as wide as its words; never wider than the scene
  if (width() > scene_.width() - 24) resize(scene_.width() - 24, height());
  move(12, 44);
}

bool PickBar::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::Resize) place();
  return QFrame::eventFilter(watched, event);
}

}  // namespace cooperage::app
