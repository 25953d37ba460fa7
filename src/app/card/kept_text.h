// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QHash>
#include <QPair>
#include <QString>
#include <QStringList>

class QWidget;

namespace cooperage::app {

/// Property of a field: its text before a hand began to type.
inline constexpr char kGiven[] = "given text";

/// Takes a form out of use: none of its fields speaks any more, and it goes once the present event is done. What is
/// typed in it and not taken goes with it.
void retire(QWidget* form);

/// What a hand has typed into the fields of a form and not yet given, and where the focus is: a form that is made anew
/// beside it, since a result has come, goes on with it.
class KeptText {
 public:
  explicit KeptText(QWidget* form);
  /// Into the fields of the same names. @param text also what was typed (not into the form of another object)
  void putInto(QWidget* form, bool text) const;

 private:
  struct Typed {
    QString text;
    int cursor = 0;
  };
  QHash<QPair<QString, int>, Typed> typed_;  ///< by name of the field, and which of that name
  QString focus_;
  int which_ = 0;  ///< of the fields of that name
  bool focused_ = false, all_ = false;
  int selectionStart_ = -1, selectionLength_ = 0, cursor_ = 0;
};

}  // namespace cooperage::app
