// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>
#include <QToolButton>

#include "scene.h"

class QLabel;

namespace cooperage::app {

/// Style of a bar over the scene, by its object name, to be dressed in.
QString panelStyle(const char* name, int radius);

/// Over the scene: freedoms / driven / redundant, and what is odd about the pose.
class FreedomChip : public QFrame {
  Q_OBJECT
 public:
  FreedomChip(Workbench& bench, Scene& scene);
  QString text() const;

 signals:
  void pressed();

 protected:
  void mousePressEvent(QMouseEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;

 private:
  void refresh();
  Workbench& bench_;
  QLabel* label_;
};

/// Over the scene: how it looks, and where from.
class SceneBar : public QFrame {
  Q_OBJECT
 public:
  explicit SceneBar(Scene& scene);

 signals:
  void sectionAsked();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void place();
  Scene& scene_;
};

/// How far what stands at the left foot of the scene is lifted, so that the bar of a narrow scene doesn't cover it.
int footOver(int sceneWidth);

/// Beside the axes at the foot of the scene: where to look from, with the keys.
class ViewMenu : public QToolButton {
  Q_OBJECT
 public:
  ViewMenu(Scene& scene, const QList<QAction*>& directions);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
};

}  // namespace cooperage::app
