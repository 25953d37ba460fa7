// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>
#include <functional>

class QFormLayout;
class QHBoxLayout;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace cooperage::app {

/// A small card over the scene, beside what it speaks of; never a dialog. Enter confirms, Esc cancels.
class FloatCard : public QFrame {
  Q_OBJECT
 public:
  FloatCard(QWidget* scene, const QString& name);
  /// Beside a pixel of the scene, wholly within it.
  void openBeside(const QPointF& at);
  /// Wholly within the scene, where it covers as little as can be of what is to stay seen, each with its weight; of
  /// such places the one nearest to a pixel.
  void openClearOf(const std::vector<std::pair<QRectF, double>>& seen, const QPointF& at);
  /// Where it would stand at the nearer side of the scene.
  QRectF atSide() const;
  /// Puts it there, where it stays. @return where it stands
  QRectF dock();
  void setTitle(const QString& title);

 signals:
  void confirmed();
  void cancelled();

 protected:
  void keyPressEvent(QKeyEvent* e) override;
  void mousePressEvent(QMouseEvent* e) override;
  void resizeEvent(QResizeEvent* e) override;
  QFormLayout* addForm();
  QHBoxLayout* addRow();
  QLabel* addText(const QString& objectName);
  QPushButton* addButton(QHBoxLayout* row, const QString& text, const QString& tip, const QString& objectName,
                         std::function<void()> press);
  void addEnd(const QString& confirm);
  /// As high as its content, which was just put in: on an open card that counts only once it is shown.
  void fit();
  /// Takes everything but the title out.
  void clear();
  QVBoxLayout* column() { return column_; }
  /// Name of the field in the card that has the focus, and back to the one of that name after it was filled anew.
  QString focusedName() const;
  void focusAgain(const QString& name);

 private:
  void placeClear();
  std::vector<std::pair<QRectF, double>> seen_;  ///< what is to stay seen, with its weight
  QPointF at_;
  QVBoxLayout* column_;
  QLabel* title_;
};

}  // namespace cooperage::app
