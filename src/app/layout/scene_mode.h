// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>

#include "../scene/scene.h"

class QHBoxLayout;
class QLabel;

namespace cooperage::app {

/// A way to work in the scene with pointer and keys of its own: drawing, gathering, joining. One at a time is on; its
/// bar stands over the scene and says what it asks for next. Esc goes one step back, then out of it.
class SceneMode : public QObject {
  Q_OBJECT
 public:
  /// @param name of its bar and of what stands in it
  SceneMode(Workbench& bench, Scene& scene, const QString& name, const QString& ends);
  bool isOn() const { return on_; }
  void stop();
  /// One step back, else out. @return whether there was anything to take back
  bool cancel();
  virtual QString prompt() const = 0;

 signals:
  void changed();

 protected:
  /// Begins: the bar is shown and the scene has the keys.
  void begin(Stage stage, Qt::CursorShape cursor = Qt::CrossCursor);
  /// What is begun is given up. @return whether there was anything
  virtual bool stepBack() = 0;
  virtual void ended() = 0;
  virtual void paint(QPainter& p) = 0;
  virtual void documentChanged() = 0;
  /// Tells what is wanted next; the bar stays over the middle of the scene, under the freedoms.
  virtual void say();
  QHBoxLayout* row() { return row_; }

  Workbench& bench_;
  Scene& scene_;

 private:
  QFrame* bar_;
  QHBoxLayout* row_;
  QLabel* prompt_;
  bool on_ = false;
  std::optional<Look> lookBefore_;  ///< solids would cover the lines that are worked on
  Stage stage_ = Stage::shape;
};

}  // namespace cooperage::app
