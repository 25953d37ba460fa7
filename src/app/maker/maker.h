// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "../scene/scene.h"
#include "../workbench/link_geometry.h"
#include "joint_card.h"
#include "place_builder.h"
#include "shape/measure.h"
#include "wiggle.h"

namespace cooperage::app {

/// Everything that is made by picking in the scene: joints, seats, measurements, cuts; and what a joint's card asks to
/// pick anew. Always says what it wants next.
class Maker : public QObject {
  Q_OBJECT
 public:
  enum class Task {
    none,
    joint,
    placeAnew,
    reference,
    reading,
    seat,
    seatAnew,
    seatDirection,
    shaft,
    measure,
    cut,
    stretch,
    outline,
    gauge,
    path
  };

  Maker(Workbench& bench, Scene& scene);

  Task task() const { return task_; }
  bool isPicking() const { return task_ != Task::none; }
  const QString& prompt() const { return prompt_; }
  PlaceBuilder& builder() { return builder_; }
  JointCard& card() { return *card_; }
  Wiggle& wiggle() { return wiggle_; }
  const std::optional<model::JointDraft>& draft() const { return draft_; }
  bool keepsInPlace() const { return keepInPlace_; }
  model::JointKind kind() const { return kind_; }

  void startJoint(model::JointKind kind);
  /// A kind by its key: of the joint whose card is open, else the start of a new one.
  void chooseKind(model::JointKind kind);
  void setKeepInPlace(bool keep);
  /// One place serves both links: that of the first pick, or the one under the pointer if two links share it. The
  /// second link is the likeliest one there; the card offers the others.
  void onePick();
  /// Opens the card of a joint that is there.
  void editJoint(model::Id joint);
  void startSeat();
  /// Picks the geometry of a broken seat again.
  void startSeatAnew(model::Id seat);
  /// Picks which way a seat looks: its axis, or its reference.
  void startSeatDirection(model::Id seat, bool axis);
  /// Picks the axis about which a shaft is put: a new link with a revolute joint.
  void startShaft();
  void startMeasure();
  /// Picks what a gauge of a kind measures: one place or two.
  void startGauge(model::GaugeKind kind) { startGauges({kind}); }
  /// The same of several kinds, which one pick serves.
  void startGauges(std::vector<model::GaugeKind> kinds);
  /// Picks the point whose path is drawn.
  void startPath();
  void startCut(model::Id body);
  /// Picks along what, or which face of it outwards, a solid is made longer.
  void startStretch(model::Id body);
  /// Picks a face or an edge: the pieces around it become one curve of its link.
  void startOutline();
  /// T: on an open card the moved link turns over, while picking the place is made of three points.
  void turnOverOrThree();
  void setMode(PlaceBuilder::Mode mode);
  /// Esc: one step back; true if there was something to take back.
  bool cancel();
  void stop();
  void confirm();

 signals:
  void changed();
  void measured(const QString& text);
  /// A body has a new figure by which it is longer; its card is to ask for it.
  void stretchMade();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void place(const PickedPlace& pick);
  void lookForPartner();
  void forgetPartners();
  QString partnerName() const;
  void turnAside();
  void placeCard();
  void take(const PickedPlace& pick);
  void ask();
  void applyDraft();
  model::Place firstPlace() const;
  static bool apart(const model::JointDraft& d);
  void openCard();
  QString leadNote(const model::Joint& j) const;
  void fillCard();
  void closeCard();
  void edit(const QString& text, const Result<model::Mechanism>& next);
  void beginPicking(Task task);
  void takeMeasure(const PickedPlace& pick);
  void takeJointPlace(const PickedPlace& pick);
  void takePlaceAnew(const PickedPlace& pick);
  void takeReference(const PickedPlace& pick);
  bool putOnLink(const model::Place& p, model::Seat& s) const;
  void takeSeat(const PickedPlace& pick);
  void takeSeatAnew(const PickedPlace& pick);
  void takeSeatDirection(const PickedPlace& pick);
  void takeShaft(const PickedPlace& pick);
  void takeCut(const PickedPlace& pick);
  void takeStretch(const PickedPlace& pick);
  void takeOutline(const PickedPlace& pick);
  void takeGauge(const PickedPlace& pick);
  void takeReading(const PickedPlace& pick);
  QString linkName(model::Id link) const;
  QString adviceFor(model::Id a, model::Id b, std::optional<model::JointKind>& kind) const;

  Workbench& bench_;
  Scene& scene_;
  JointCard* card_;
  Wiggle wiggle_;
  PlaceBuilder builder_;
  Task task_ = Task::none;
  QString prompt_;
  model::JointKind kind_ = model::JointKind::revolute;
  bool keepInPlace_ = true, moves_ = true, seatAxis_ = true;
  std::optional<PickedPlace> first_;
  std::vector<Partner> partners_;           ///< of it, or of the place under the pointer: likeliest first
  PickedPlace looked_;                      ///< the place that they were looked for
  std::vector<Pose> firstPoses_;            ///< where the links were seen when it was picked
  std::optional<model::JointDraft> draft_;  ///< of a joint that is being made
  model::MechanismPtr before_, base_;       ///< the document before it, and with the links where they are seen
  std::vector<Pose> basePoses_;
  model::Id editing_ = 0, seat_ = 0, body_ = 0;
  int stepsBefore_ = 0;  ///< undo steps when the card was opened
  double reference_ = 0;
  int which_ = 0;
  std::vector<model::GaugeKind> gaugeKinds_{model::GaugeKind::distance};  ///< that the picks are for
  QPointF cardAt_;
  QPointF pointer_;  ///< where it was when the card opened
  std::vector<model::CutTool> tools_;
};

/// A measurement in words, in document units.
QString wordsOf(const shape::Measured& m, const DocumentUnits& units);

}  // namespace cooperage::app
