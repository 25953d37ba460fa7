// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLabel>
#include <QLineEdit>
#include <functional>

#include "../workbench/workbench.h"

namespace cooperage::app {

/// One figure: takes plain numbers, units and formulas, shows the error in place and keeps the last good value.
class NumberField : public QWidget {
  Q_OBJECT
 public:
  /// @param wanted what the figure is; plain numbers are in document units
  /// @param commit gets the field that was typed; returns false if the document refuses it
  NumberField(Workbench& bench, const model::Field& field, const Dimension& wanted,
              std::function<bool(const model::Field&)> commit, QWidget* parent = nullptr);
  /// A field that goes takes what was typed and not taken with it: its commit is never called from its end.
  ~NumberField() override;
  void setField(const model::Field& field);
  /// A parameter keeps the unit that was typed: without one it would be a plain number, not a length.
  void keepUnit() { keepUnit_ = true; }
  QLineEdit* edit() { return edit_; }

 private:
  void finish();
  void showValue(const QString& text);
  Workbench& bench_;
  model::Field field_;
  Dimension wanted_;
  QString shown_;  ///< text of the field as it stands in the document
  bool keepUnit_ = false;
  std::function<bool(const model::Field&)> commit_;
  QLineEdit* edit_;
  QLabel* note_;
};

}  // namespace cooperage::app
