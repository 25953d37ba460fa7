// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QAction>
#include <QObject>
#include <functional>
#include <vector>

namespace cooperage::app {

/// Property of an action: other words by which it is found.
inline constexpr char kWords[] = "words";

/// All actions of the window by id: each has a text, a shortcut, a tooltip and an entry in the command search.
class Actions : public QObject {
  Q_OBJECT
 public:
  explicit Actions(QWidget* window);
  QAction* add(const QString& id, const QString& text, const QKeySequence& key, std::function<void()> run,
               const QString& iconName = {});
  QAction* find(const QString& id) const;
  const std::vector<QAction*>& all() const { return actions_; }

 private:
  QWidget* window_;
  std::vector<QAction*> actions_;
};

}  // namespace cooperage::app
