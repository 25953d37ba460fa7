// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>
#include <functional>
#include <utility>
#include <vector>

#include "../scene/float_card.h"
#include "../workbench/workbench.h"

class QFormLayout;
class QHBoxLayout;
class QLabel;

namespace cooperage::app {

/// The rows of a maker's card: each changes one figure of a draft and has the card make its element anew.
class MachineFields {
 public:
  /// What the card lends to its rows.
  struct Card {
    QWidget* widget;
    std::function<QFormLayout*()> addForm;
    std::function<QHBoxLayout*()> addRow;
    std::function<QLabel*(const QString& objectName)> addText;
    std::function<void(QHBoxLayout*, const QString& text, const QString& tip, const QString& objectName,
                       std::function<void()> press)>
        addButton;
    std::function<void()> make;
    bool made = false;  ///< what the draft asks for stands in the document
  };
  MachineFields(Workbench& bench, const model::Mechanism& base, Card card);

  Workbench& bench() const { return bench_; }
  /// The document before anything was made: what can be chosen from.
  const model::Mechanism& base() const { return base_; }
  /// Has the element made anew; outlives the rows.
  const std::function<void()>& maker() const { return card_.make; }

  bool isMade() const { return card_.made; }

  void number(const QString& label, const QString& name, model::Field& field, const Dimension& wanted);
  /// @param then called with a new value before the element is made anew
  void whole(const QString& label, const QString& name, int& value, std::function<void()> then = {});
  void text(const QString& label, const QString& name, std::string& value);
  /// @param values which joints are offered: "turn", "slide", or "" for both
  void joint(const QString& label, const QString& name, model::Id& id, const char* values);
  void choice(const QString& label, const QString& name, const std::vector<std::pair<QString, QString>>& items,
              const QString& now, std::function<void(const QString&)> chosen);
  /// One of some objects, by their ids.
  void object(const QString& label, const QString& name, const std::vector<std::pair<model::Id, QString>>& items,
              model::Id& id, const QString& tip = {});
  void box(const QString& label, const QString& name, bool now, std::function<void(bool)> chosen);
  /// A figure that is worked out from others; typing it changes those. @return true from `typed` if it was taken
  void derived(const QString& label, const QString& name, double now, const QString& tip,
               std::function<bool(const model::Field&)> typed, const Dimension& wanted = dimension::kPlain);
  /// Buttons stand in one row at the end.
  void button(const QString& text, const QString& tip, const QString& name, std::function<void()> press);
  void words(const QString& name, const QString& text);
  /// After the last row.
  void finish();

 private:
  void row(const QString& label, QWidget* field);

  Workbench& bench_;
  const model::Mechanism& base_;
  Card card_;
  QFormLayout* form_ = nullptr;
  QHBoxLayout* buttons_ = nullptr;
};

/// Whether a joint has a value of that name; of "": one that turns or slides.
bool hasValue(const model::Joint& j, const char* value);

}  // namespace cooperage::app
