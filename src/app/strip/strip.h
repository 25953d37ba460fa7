// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QElapsedTimer>
#include <QTimer>
#include <QWidget>
#include <optional>

#include "cam_lanes.h"
#include "lanes.h"
#include "programme_lanes.h"

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
  Strip(Workbench& bench, QWidget* parent = nullptr);
  Lanes* lanes() { return lanes_; }
  CamLanes* camLanes() { return camLanes_; }
  ProgrammeLanes* programmeLanes() { return programmeLanes_; }
  /// The law of a chosen cam, or the programme of a chosen drive, stands in place of the lanes.
  bool showsCam() const { return camLanes_->cam() != 0; }
  bool showsLaw() const { return showsCam() || programmeLanes_->drive() != 0; }
  /// Only the transport, without lanes: building wants the room.
  void setCompact(bool on);
  bool isPlaying() const { return timer_.isActive(); }
  /// How the end of the travel is taken while playing.
  enum class AtEnd { stop, loop, toAndFro };
  AtEnd atEnd() const { return atEnd_; }
  /// Plays on by so many seconds of real time, as the clock does.
  void advance(double seconds);
  double speed() const;
  int direction() const { return direction_; }

 public slots:
  void togglePlay() { play(1); }
  void togglePlayBack() { play(-1); }
  void setAtEnd(AtEnd how);
  /// One step faster or slower, of 0.05 to 20 times real time.
  void changeSpeed(int by);
  void toStart();
  void toEnd();
  void step(int by);
  /// From one mark of the travel to the next: knots, ends of violations and contacts.
  void toMark(int by);
  void fitLaw();
  /// Plays to where the next contact of the check begins, and halts there.
  void playToContact();

 private:
  void play(int direction);
  void tick();
  void makeTransport(class QHBoxLayout* row);
  void makeRight(class QHBoxLayout* row);
  QString jumpText(const RunData& run, const kinematics::Jump& j) const;
  QString stateText(const RunData& run) const;
  void refresh();
  void goToTyped();
  void refreshCursor();
  void showPosition();
  void refreshJob();

  Workbench& bench_;
  Lanes* lanes_;
  CamLanes* camLanes_;
  ProgrammeLanes* programmeLanes_;
  AtEnd atEnd_ = AtEnd::stop;
  int direction_ = 1;
  std::optional<double> haltAt_;  ///< s, while playing up to a contact
  bool compact_ = false;
  QToolButton *play_, *back_, *loop_, *fro_, *pin_, *difference_;
  QPushButton* refine_;
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
