// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QTimer>
#include <memory>

#include "document.h"
#include "kinematics/drag.h"
#include "kinematics/jog.h"
#include "selection.h"
#include "solution.h"

namespace cooperage::app {

/// What watches a drag by hand: for overlaps.
class DragWatch {
 public:
  virtual ~DragWatch() = default;
  virtual void dragBegins(const std::vector<Pose>& poses) = 0;
  /// Whether it may halt a drag.
  virtual bool halts() const = 0;
  /// True if the drag must not go on to these poses.
  virtual bool blocks(const std::vector<Pose>& poses) = 0;
  virtual void dragged(const std::vector<Pose>& poses) = 0;
  virtual void dragRests() = 0;
};

/// The pose that is shown: home, by hand, or at the cursor of a run.
class PoseControl : public QObject {
  Q_OBJECT
 public:
  PoseControl(Document& document, const Selection& selection, Solution& solution, Speaker& speaker);
  void setWatch(DragWatch* watch) { watch_ = watch; }

  /// X_GL of all links as shown.
  const std::vector<Pose>& poses() const { return poses_; }
  bool isAtHome() const { return source_ == Source::home; }
  bool isByHand() const { return source_ == Source::hand; }
  bool isAtCursor() const { return source_ == Source::cursor; }
  void goHome();
  /// The pose at a cursor.
  /// @param values joint values there
  void showAtCursor(const std::vector<Pose>& poses, const kinematics::Configuration& values);

  bool beginDrag(model::Id link, const Vec3& grabbed);
  void dragTo(const Vec3& target);
  void endDrag(bool keep);
  /// The present hand pose becomes home: joint values are written as home values.
  void takeAsHome();

  /// Places the links in the next of all ways in which the loops close with the present values of the drives.
  void nextWayToClose();
  /// Shows all other ways to close as ghosts (poses of all links); a second call, and any change, hides them.
  void toggleWays();
  const std::vector<std::vector<Pose>>& ghosts() const { return ghosts_; }
  /// Takes the n-th ghost as home.
  void takeWay(int ghost);

  /// Moves one joint value by hand, with no drive or run. @return false if it is no single freedom
  bool beginJog(model::Id joint, int value);
  /// @return the value reached
  double jogTo(double value);
  bool isJogging() const { return jog_ != nullptr; }
  void endJog();
  /// Plays the whole mechanism from one joint value, on and on: a turn goes round, and what meets an end turns back.
  /// Once more stops it; so does everything else that changes the pose.
  void togglePlayJoint(model::Id joint, int value);
  bool isPlayingJoint() const { return playJoint_.isActive(); }

  /// Shows poses for a moment, as a joint that moves by itself does; they are no pose of the mechanism.
  void showPoses(const std::vector<Pose>& poses);
  /// Back to what it was before showPoses().
  void restorePoses();

  /// The hand lets go of what it moves; says nothing.
  void letGo();
  /// Another solution: the hand lets go, home is shown; says nothing.
  void follow();
  /// The picture at the cursor stays for now: what it is of has changed, and the new one is on its way. Says nothing.
  void stayAtCursor(std::vector<Pose> poses);

 signals:
  void changed();
  void ghostsChanged();

 private:
  enum class Source { home, hand, cursor };
  void showHome();
  void stepPlayJoint();
  kinematics::Configuration presentConfiguration() const;
  void holdFree(std::vector<int>& held) const;
  std::vector<kinematics::Configuration> waysInOrder(std::size_t& now) const;
  void takeConfiguration(const kinematics::Configuration& c);

  Document& document_;
  const Selection& selection_;
  Solution& solution_;
  Speaker& speaker_;
  DragWatch* watch_ = nullptr;
  std::vector<Pose> poses_;
  Source source_ = Source::home;
  std::optional<std::vector<Pose>> kept_;  ///< what showPoses() covers
  kinematics::Configuration handPose_, cursorPose_, poseBeforeDrag_;
  study::PreparedPtr held_;  ///< what a drag or a jog moves
  std::unique_ptr<kinematics::Drag> drag_;
  std::unique_ptr<kinematics::Jog> jog_;
  QTimer playJoint_;
  double playStep_ = 0;
  std::vector<std::vector<Pose>> ghosts_;
  std::vector<kinematics::Configuration> ways_;
};

}  // namespace cooperage::app
