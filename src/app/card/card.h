// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QScrollArea>

#include "../workbench/workbench.h"

class QFormLayout;
class QLabel;
class QVBoxLayout;

namespace cooperage::app {

/// Label of a figure in a card.
QLabel* formLabel(const QString& text);

/// The card of the selection: exact figures, edited in place.
class Card : public QScrollArea {
  Q_OBJECT
 public:
  Card(Workbench& bench, QWidget* parent = nullptr);
  /// The outline of a curve as DXF, SVG, CSV or (a plate of it) STEP, by the file's ending.
  bool saveOutlineTo(model::Id curve, const QString& path);

 signals:
  void editJoint(model::Id joint);
  void pickSeatAnew(model::Id seat);
  void cutBody(model::Id body);
  void editGears(model::Id coupling);
  void chartWanted(model::Id gauge);

 private:
  void rebuild();
  void refreshLive();
  void heading(const QString& title, const QString& kind);
  QFormLayout* section(const QString& title = {});
  void nameField(QFormLayout* form, model::Id id, const std::string& name);
  void figure(QFormLayout* form, const QString& label, const model::Field& field, const Dimension& wanted,
              std::function<model::Mechanism(const model::Field&)> change);
  /// A figure that may be absent: an empty field takes it away.
  void optionalFigure(QFormLayout* form, const QString& label, const QString& objectName,
                      const std::optional<model::Field>& field,
                      std::function<model::Mechanism(const std::optional<model::Field>&)> change);
  void placement(QFormLayout* form, const model::Placement& p,
                 std::function<model::Mechanism(const model::Placement&)> change);
  void note(QFormLayout* form, const QString& text);
  void button(QFormLayout* form, const QString& text, std::function<void()> press, bool primary = false);

  void showLink(const model::Link& link);
  void showBody(const model::Link& link, const model::Body& body);
  void showSeat(const model::Link& link, const model::Seat& seat);
  void showJoint(const model::Joint& joint);
  void showCoupling(const model::Coupling& coupling);
  void couplingFigures(QFormLayout* form, const model::Coupling& coupling);
  void gearFigures(const model::Coupling& coupling);
  void beltFigures(const model::Coupling& coupling);
  void trainSpeeds(const model::Coupling& coupling);
  void showCamPair(const model::CamPair& pair);
  void showCurve(const model::Link& link, const model::Curve& curve);
  void camLaw(QFormLayout* form, const model::Curve& curve);
  void saveOutline(model::Id curve);
  /// A worked-out figure; it never widens the card.
  QLabel* figureLine(QFormLayout* form, const QString& label, const QString& value, const QString& name);
  void check(QFormLayout* form, const QString& text, const QString& name, bool now,
             std::function<model::Mechanism(bool)> change);
  void pickOne(QFormLayout* form, const QString& label, const QString& name,
               const std::vector<std::pair<QString, QString>>& items, const QString& now,
               std::function<Result<model::Mechanism>(const QString&)> change);
  void showDrive(const model::Drive& drive);
  void programmeRow(const model::Drive& drive, const std::vector<model::ProgrammeRow>& rows, std::size_t row,
                    const Dimension& value);
  void tablePoints(QFormLayout* form, const model::Drive& drive, const std::vector<model::ProgrammeRow>& rows,
                   std::size_t row);
  /// Asks for a table of two columns and hands its points and its name in the document on; what is wrong is said.
  void readTable(const QString& title, std::function<void(const std::vector<model::Pair>&, const std::string&)> take);
  void showGauge(const model::Gauge& gauge);
  void gaugeReadings(const model::Gauge& gauge);
  void gaugeOverlay(const model::Gauge& gauge);
  void showPath(const model::Path& path);
  void axesOf(QFormLayout* form, const std::optional<model::Id>& in,
              std::function<model::Mechanism(std::optional<model::Id>)> change);
  void showRequirement(const model::Requirement& requirement);
  void showRun(const model::Run& run);
  void runLength(QFormLayout* form, const model::Run& run);
  void runActing(const model::Run& run);
  void runPairs(const model::Run& run);
  void showParameter(const model::Parameter& parameter);
  void showInterference();
  void showMechanism();
  void parameters();
  void live(QFormLayout* form, const QString& label, std::function<QString()> text);

  /// A slider that changes a figure live; one undo step a gesture.
  void slider(QFormLayout* form, double low, double high, double now, const QString& objectName,
              std::function<void(double)> move, std::function<void()> end);
  void jogSlider(QFormLayout* form, const model::Joint& joint, std::size_t value);
  void stopFields(QFormLayout* form, const model::Joint& joint, std::size_t value);
  void stopsFromGeometry(model::Id joint, std::size_t value);
  double presentValue(model::Id joint, std::size_t value) const;
  void seatMending(const model::Seat& seat);
  void equals(const model::Link& link);

  Workbench& bench_;
  bool sliding_ = false;
  QWidget* body_ = nullptr;
  QVBoxLayout* column_ = nullptr;
  std::vector<std::pair<QLabel*, std::function<QString()>>> live_;
  bool rebuilding_ = false;
  std::pair<Stage, std::vector<model::Id>> shown_;  ///< what the card is of
};

}  // namespace cooperage::app
