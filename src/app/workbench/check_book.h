// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QTimer>
#include <map>
#include <memory>

#include "../jobs.h"
#include "clearance/common_volume.h"
#include "clearance/envelope_check.h"
#include "clearance/free_range.h"
#include "clearance/pair_memory.h"
#include "clearance/nearest.h"
#include "clearance/pose_check.h"
#include "run_book.h"

namespace cooperage::app {

struct CheckData {
  model::MechanismPtr source;
  clearance::CheckResult result;
};
/// What is to be swept.
struct EnvelopeAsk {
  std::vector<model::Id> links;
  model::Id in = 0;                ///< link in whose axes, 0: ground
  double clearance = 0;            ///< m
  double accuracy = 0;             ///< m; 0: 1/200 of the size
  std::optional<double> from, to;  ///< s, a part of the travel
};
struct EnvelopeData {
  model::MechanismPtr source;
  EnvelopeAsk ask;
  clearance::Envelope envelope;
  std::vector<clearance::EnvelopeGap> gaps;  ///< to all other links
};
/// The space that two links share in the pose that is shown.
struct CommonData {
  int linkA = -1, linkB = -1;
  clearance::CommonVolume common;
};
/// Where two links come nearest in the pose that is shown.
struct Witness {
  int linkA = -1, linkB = -1;
  double distance = 0;
  Vec3 a{0, 0, 0}, b{0, 0, 0};
};

/// What checks have found: interference over a run, overlaps of a pose, envelopes, free ranges, distances of pairs.
class CheckBook : public QObject, public DragWatch {
  Q_OBJECT
 public:
  CheckBook(Document& document, Selection& selection, BodyShapes& shapes, Solution& solution, PoseControl& pose,
            RunBook& runs, JobRunner& jobs, Speaker& speaker);

  void startCheck();
  const CheckData* check() const { return check_.get(); }
  bool isCheckStale() const { return check_ && check_->source != document_.mechanism(); }
  /// The check is on its way after a change.
  bool isWaiting() const { return recheck_.isActive(); }
  /// Moves the cursor to the deepest place of an interference and looks at it.
  void chooseInterference(int index);
  /// A pair of the list of least clearances, to be shown as a dimension.
  /// @param go moves the cursor to where the gap is least
  void choosePair(int linkA, int linkB, bool go = true);
  /// The pair that is looked at: of the chosen interference, else the chosen one, else the deepest overlap of the pose;
  /// (-1, -1) if there is none.
  std::pair<int, int> lookedAtPair() const;
  /// That pair is not checked in the present run, from now on.
  void leavePairOut();
  /// Nearest places of the chosen pair and of selected clearance gauges, in the pose that is shown.
  std::vector<Witness> witnesses();

  /// Says first what it will take; too much is refused with the figure.
  void startEnvelope(const EnvelopeAsk& ask);
  const EnvelopeData* envelope() const { return envelope_.get(); }
  void clearEnvelope();

  /// How far a drive goes either way from home until the first contact or stop.
  void findFreeRange(model::Id drive);
  const std::optional<clearance::FreeRange>& freeRange() const { return freeRange_; }
  model::Id freeRangeDrive() const { return freeRangeOf_ == document_.mechanism() ? freeRangeDrive_ : 0; }
  void takeFreeRangeAsStops();

  /// Which links overlap in the pose that is shown; found again while a link is dragged.
  void checkPose();
  const std::vector<clearance::PoseOverlap>& poseOverlaps() const { return poseOverlaps_; }
  /// Works out the common volume of the pair that is looked at, in the pose that is shown.
  void workOutCommonVolume();
  const std::optional<CommonData>& commonVolume() const { return common_; }
  /// A drag by hand does not go on into another link.
  void setHaltAtContact(bool on);
  bool haltsAtContact() const { return haltAtContact_; }

  /// The document has changed: a check under way is of the old one, a short one is done again soon.
  void haltRecheck();
  void recheckSoon();
  void clear();

  // of a drag by hand
  void dragBegins(const std::vector<Pose>& poses) override;
  bool halts() const override { return haltAtContact_; }
  bool blocks(const std::vector<Pose>& poses) override;
  void dragged(const std::vector<Pose>& poses) override;
  void dragRests() override;

 signals:
  void changed();
  void envelopeChanged();

 private:
  bool watchesPose() const { return poseCheck_ && geometryOf_ == document_.mechanism(); }
  void takeGeometry(clearance::CheckGeometry geometry, const model::MechanismPtr& source);
  void dropOverlapsOfOtherPoses();
  void dropOverlaps();

  Document& document_;
  Selection& selection_;
  BodyShapes& shapes_;
  Solution& solution_;
  PoseControl& pose_;
  RunBook& runs_;
  JobRunner& jobs_;
  Speaker& speaker_;
  std::unique_ptr<CheckData> check_;
  double checkTime_ = 0;  ///< ms
  bool rechecking_ = false;
  QTimer recheck_;
  clearance::PairMemory pairMemory_;
  std::optional<clearance::CheckGeometry> geometry_;  ///< of the last check
  model::MechanismPtr geometryOf_, freeRangeOf_;
  std::map<std::pair<int, int>, clearance::LinkDistance> distances_;
  std::unique_ptr<EnvelopeData> envelope_;
  std::optional<clearance::FreeRange> freeRange_;
  model::Id freeRangeDrive_ = 0;
  // of the pose that is shown
  std::unique_ptr<clearance::PoseCheck> poseCheck_;
  std::vector<clearance::PoseOverlap> poseOverlaps_;
  std::optional<CommonData> common_;
  std::vector<Pose> overlapsAt_;  ///< the pose that these are of
  std::vector<std::pair<int, int>> overlapsBeforeDrag_;
  bool haltAtContact_ = false;
  qint64 dragCheckTime_ = 0;  ///< ms, of the last look while a link was dragged
};

}  // namespace cooperage::app
