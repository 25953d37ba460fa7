// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPolygonF>

#include "scene_mode.h"

class QComboBox;
class QLabel;
class QLineEdit;

namespace cooperage::app {

/// Gathers curves into links: a loop drawn by hand takes what lies wholly inside (with Shift also what it touches), a
/// click adds one curve or lets one go, a double click takes a chain of touching pieces. Members have the colour of
/// their link at once, all others fade. A curve that another link has is not taken: its owner is shown first.
class Gatherer : public SceneMode {
  Q_OBJECT
 public:
  Gatherer(Workbench& bench, Scene& scene);
  /// @param link that gets the curves; 0: a new one by the name in the bar
  void start(model::Id link = 0);
  model::Id link() const { return link_; }
  QString prompt() const override;

 signals:
  /// The links are gathered and are to be joined.
  void joinAsked();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  /// The loop that is being drawn, then the curve that was asked for.
  bool stepBack() override;
  void ended() override;
  void paint(QPainter& p) override;
  void documentChanged() override;
  void say() override;

 private:
  void setLink(model::Id link);
  void fillLinks();
  void click(const QPointF& at, Qt::KeyboardModifiers keys);
  void takeChain(const QPointF& at);
  void takeLoop(bool touched);
  void take(const std::vector<model::Id>& curves);
  void letGo(const std::vector<model::Id>& curves);

  QComboBox* links_;
  QLineEdit* name_;
  QLabel* count_;
  bool looping_ = false, moved_ = false, filling_ = false;
  model::Id link_ = 0;
  model::Id asked_ = 0;  ///< a curve of another link that was clicked once
  QPolygonF loop_;
};

}  // namespace cooperage::app
