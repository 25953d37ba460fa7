// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene_mode.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

#include "../theme.h"

namespace cooperage::app {

SceneMode::SceneMode(Workbench& bench, Scene& scene, const QString& name, const QString& ends)
    : QObject(&scene), bench_(bench), scene_(scene), bar_(new QFrame(&scene)) {
  bar_->setObjectName(name + QStringLiteral(" bar"));
  dress(bar_, QStringLiteral("QFrame { background: @panel; border: 1px solid @accent; border-radius: 9px; } QLabel { "
                             "border: 0; } QLineEdit { border: 1px solid @line; border-radius: 4px; background: "
                             "@field; padding: 1px 4px; } QToolButton { padding: 3px 7px; }"));
  auto* both = new QVBoxLayout(bar_);
  both->setContentsMargins(10, 5, 8, 5);
  both->setSpacing(3);
  row_ = new QHBoxLayout;
  row_->setSpacing(2);
  both->addLayout(row_);
  auto* below = new QHBoxLayout;
  both->addLayout(below);
  prompt_ = new QLabel;
  prompt_->setObjectName(name + QStringLiteral(" prompt"));
  prompt_->setFont(uiFont(9.2, QFont::DemiBold));
  below->addWidget(prompt_, 1);
  auto* done = new QToolButton;
  done->setText(tr("Done"));
  done->setToolTip(ends);
  done->setObjectName(name + QStringLiteral(" done"));
  done->setFocusPolicy(Qt::NoFocus);
  connect(done, &QToolButton::clicked, this, &SceneMode::stop);
  below->addWidget(done);
  bar_->hide();
  scene_.installEventFilter(this);
  connect(&scene_, &OcctView::painted, this, [this](QPainter& p) { paint(p); });
  connect(&bench_.document(), &Document::changed, this, [this] {
    if (on_) documentChanged();
  });
  connect(&bench_.document(), &Document::replaced, this, &SceneMode::stop);
  connect(&bench_.selection(), &Selection::stageChanged, this, [this] {
    if (bench_.selection().stage() != stage_) stop();
  });
}

void SceneMode::begin(Stage stage, Qt::CursorShape cursor) {
  stage_ = stage;
  on_ = true;
  const auto& links = bench_.document().mechanism()->links;
  if (std::any_of(links.begin(), links.end(), [](const auto& l) { return !l->bodies.empty(); })) {
    lookBefore_ = scene_.look();
    scene_.setLook(Look::wireframe);
  }
  bar_->show();
  scene_.setCursor(cursor);
  scene_.setFocus();
  say();
  emit changed();
}

void SceneMode::stop() {
  if (!on_) return;
  on_ = false;
  if (lookBefore_ && scene_.look() == Look::wireframe) scene_.setLook(*lookBefore_);
  lookBefore_.reset();
  bar_->hide();
  ended();
  scene_.setCursor(Qt::ArrowCursor);
  scene_.update();
  emit changed();
}

bool SceneMode::cancel() {
  if (!on_) return false;
  if (!stepBack()) {
    stop();
    return true;
  }
  scene_.setFocus();
  say();
  scene_.update();
  return true;
}

void SceneMode::say() {
  prompt_->setText(prompt());
  bar_->layout()->activate();
  bar_->adjustSize();
  constexpr int kUnderChip = 46;  // the freedoms stay in sight
  bar_->move(std::max(8, (scene_.width() - bar_->width()) / 2), kUnderChip);
  bar_->raise();
}

}  // namespace cooperage::app
