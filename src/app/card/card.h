// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QScrollArea>
#include <memory>

#include "../workbench/workbench.h"

class QLabel;
class QVBoxLayout;

namespace cooperage::app {

class CardPage;

/// The card of the selection: exact figures, edited in place. What it shows is a page for each kind of object; it keeps
/// the focus and what is being typed while pages come and go.
class Card : public QScrollArea {
  Q_OBJECT
 public:
  Card(Workbench& bench, QWidget* parent = nullptr);

  // for its pages
  Workbench& bench() { return bench_; }
  QVBoxLayout* column() { return column_; }
  /// A text that follows cursor and pose.
  void keepLive(QLabel* label, std::function<QString()> text) { live_.emplace_back(label, std::move(text)); }
  /// A slider is in the hand: the page stays until it is let go.
  void hold() { held_ = true; }
  void letGo();
  /// Fills the page anew, for a page that shows more of its object now.
  void rebuild();
  /// Puts the cursor into a figure, all of it selected, once the card shows what is selected now.
  /// @param name of the field; empty for the first figure
  void focusFigure(const QString& name = {});
  /// Name of the figure by which a solid was made longer last.
  static QString stretchFigure() { return tr("Longer by"); }

 signals:
  void editJoint(model::Id joint);
  void pickSeatAnew(model::Id seat);
  void pickSeatDirection(model::Id seat, bool axis);
  void cutBody(model::Id body);
  void stretchBody(model::Id body);
  void editGears(model::Id coupling);
  void editStage(model::Id coupling);
  void chartWanted(model::Id gauge);

 private:
  void refreshLive();
  std::unique_ptr<CardPage> page();

  Workbench& bench_;
  bool held_ = false;
  QWidget* body_ = nullptr;
  QVBoxLayout* column_ = nullptr;
  std::vector<std::pair<QLabel*, std::function<QString()>>> live_;
  bool rebuilding_ = false;
  std::pair<Stage, std::vector<model::Id>> shown_;  ///< what the card is of
};

}  // namespace cooperage::app
