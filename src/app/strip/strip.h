// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QElapsedTimer>
#include <QTimer>
#include <QWidget>

#include "cam_lanes.h"
#include "lanes.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QToolButton;

namespace cooperage::app {

/// Transport and lanes: plays, scrubs, loops, changes speed; shows progress of what is being computed.
class Strip : public QWidget {
  Q_OBJECT
 public:
  Strip(Session& session, QWidget* parent = nullptr);
  Lanes* lanes() { return lanes_; }
  CamLanes* camLanes() { return camLanes_; }
  /// The law of a chosen cam stands in place of the lanes.
  bool showsCam() const { return camLanes_->cam() != 0; }
  /// Only the transport, without lanes: building wants the room.
  void setCompact(bool on);
  bool isCompact() const { return compact_; }
  bool isPlaying() const { return timer_.isActive(); }

 public slots:
  void togglePlay();
  void toStart();
  void toEnd();
  void step(int by);
  void setLoop(bool on);

 private:
  void tick();
  void refresh();
  void refreshCursor();
  void refreshJob();

  Session& session_;
  Lanes* lanes_;
  CamLanes* camLanes_;
  bool compact_ = false;
  QToolButton *play_, *loop_;
  QLineEdit* position_;
  QLabel *of_, *info_;
  QComboBox *speed_, *runs_;
  QProgressBar* bar_;
  QPushButton* cancel_;
  QLabel* job_;
  QTimer timer_, jobTimer_;
  QElapsedTimer clock_;
};

}  // namespace cooperage::app
