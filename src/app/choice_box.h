// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QComboBox>

namespace cooperage::app {

/// A drop-down that says where its text is cut off: by an ellipsis, and in full under the pointer.
class ChoiceBox : public QComboBox {
 public:
  using QComboBox::QComboBox;

 protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;

 private:
  QString shownText(class QStyleOptionComboBox& option) const;
};

}  // namespace cooperage::app
