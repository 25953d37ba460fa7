// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLabel>

namespace cooperage::app {

/// A line of short parts that gives its first ones up where there is no room: the last says most. What is left out is
/// told under the pointer.
class ShrinkingLabel : public QLabel {
 public:
  using QLabel::QLabel;
  /// What stands between the parts.
  static QString separator() { return QStringLiteral(" \u00b7 "); }
  /// What is shown of the text in its present width.
  QString shownText() const;

 protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;
};

}  // namespace cooperage::app
