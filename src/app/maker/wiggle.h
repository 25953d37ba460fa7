// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QElapsedTimer>
#include <QTimer>

#include "../workbench/workbench.h"

namespace cooperage::app {

/// Moves one joint alone back and forth, each of its freedoms in turn, to show what it allows. The mechanism's pose is
/// not touched; all is as before when it stops.
class Wiggle : public QObject {
  Q_OBJECT
 public:
  explicit Wiggle(Workbench& bench, QObject* parent = nullptr);
  void start(model::Id joint);
  void stop();
  bool isRunning() const { return timer_.isActive(); }
  /// Shows the pose of a phase, in freedoms: 0.25 is the first freedom at its farthest.
  void show(double phase);

 private:
  Workbench& bench_;
  model::Id joint_ = 0;
  std::vector<Pose> base_;  ///< of all links when it began
  QTimer timer_;
  QElapsedTimer clock_;
};

}  // namespace cooperage::app
