// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QPointer>

class QWidget;

namespace cooperage::app {

/// How fields of the whole window take wheel, undo and focus:
/// - drop-downs, numbers and sliders take the wheel only while they have the focus; else what lies behind them scrolls;
/// - Ctrl+Z and Ctrl+Y in a field belong to the text while something is typed in it, else to the document;
/// - Escape takes back what is typed in a field of the card and not given; once more lets go of the selection;
/// - where a widget goes away with the focus, the scene gets it, never the next text field, where the next key would
///   be typed.
class InputManners : public QObject {
  Q_OBJECT
 public:
  /// @param home the widget that gets a focus that is let go
  InputManners(QWidget* home, QObject* parent);
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void focusMoved(QWidget* old, QWidget* now);
  QPointer<QWidget> home_;
};

}  // namespace cooperage::app
