// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>

#include "card.h"

class QFormLayout;

namespace cooperage::app {

inline QString fixed(double v, int digits) { return QString::number(v, 'f', digits); }
/// Label of a figure in a card.
QLabel* formLabel(const QString& text);

/// What the card shows of one object, and the rows that all pages are made of. A page goes with its widgets.
class CardPage : public QObject {
 public:
  explicit CardPage(Card& card) : card_(card), bench_(card.bench()) {}

 protected:
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
  /// A worked-out figure; it never widens the card.
  QLabel* figureLine(QFormLayout* form, const QString& label, const QString& value, const QString& name);
  /// @param change makes the document with it on or off
  void check(QFormLayout* form, const QString& text, const QString& name, bool now,
             std::function<model::Mechanism(bool)> change, const QString& tip = {});
  void pickOne(QFormLayout* form, const QString& label, const QString& name,
               const std::vector<std::pair<QString, QString>>& items, const QString& now,
               std::function<Result<model::Mechanism>(const QString&)> change);
  /// Asks for a table of two columns and hands its points and its name in the document on; what is wrong is said.
  void readTable(const QString& title, std::function<void(const std::vector<model::Pair>&, const std::string&)> take);
  void axesOf(QFormLayout* form, const std::optional<model::Id>& in,
              std::function<model::Mechanism(std::optional<model::Id>)> change);
  void parameters();
  /// Value of a joint in the pose that is shown, rad or m, and a slider that moves it.
  double presentValue(model::Id joint, std::size_t value) const;
  void jogSlider(QFormLayout* form, const model::Joint& joint, std::size_t value);
  void live(QFormLayout* form, const QString& label, std::function<QString()> text);
  /// A slider that changes a figure live; one undo step a gesture.
  void slider(QFormLayout* form, double low, double high, double now, const QString& objectName,
              std::function<void(double)> move, std::function<void()> end);

  Card& card_;
  Workbench& bench_;
};
using PagePtr = std::unique_ptr<CardPage>;

/// The document that a card shows.
inline const model::Mechanism& shownIn(Card& card) { return *card.bench().document().mechanism(); }
/// A page with what was found of its object; null if nothing was.
/// @param fill called with the page and the object
template <class Page, class Found, class Fill>
PagePtr filled(Card& card, const Found& found, Fill fill) {
  if (!found) return nullptr;
  auto page = std::make_unique<Page>(card);
  fill(*page, *found);
  return page;
}

// One for each kind of object: its page, filled, or null if the id is of another kind.
PagePtr linkPage(Card& card, model::Id id);
PagePtr bodyPage(Card& card, model::Id id);
PagePtr seatPage(Card& card, model::Id id);
PagePtr jointPage(Card& card, model::Id id);
PagePtr couplingPage(Card& card, model::Id id);
PagePtr camPairPage(Card& card, model::Id id);
PagePtr contactPage(Card& card, model::Id id);
PagePtr forcePage(Card& card, model::Id id);
PagePtr curvePage(Card& card, model::Id id);
PagePtr sheetPage(Card& card, model::Id id);
/// Of a curve that belongs to no link.
PagePtr sheetCurvePage(Card& card, model::Id id);
PagePtr drivePage(Card& card, model::Id id);
PagePtr gaugePage(Card& card, model::Id id);
PagePtr requirementPage(Card& card, model::Id id);
PagePtr pathPage(Card& card, model::Id id);
PagePtr runPage(Card& card, model::Id id);
PagePtr parameterPage(Card& card, model::Id id);
/// Of the interference that is looked at.
PagePtr interferencePage(Card& card);
/// Of the mechanism, or of several objects.
PagePtr mechanismPage(Card& card);

/// Asks for another file in the place of a body's.
/// Exchanges what a link is made of: for what it was before, or if there is nothing for a file's solid that is asked
/// for.
void exchangeLink(Workbench& bench, QWidget* parent, model::Id link);
void replaceGeometry(Workbench& bench, QWidget* parent, model::Id body);
/// Asks where a file that is missing is now.
void locateGeometry(Workbench& bench, QWidget* parent, const QString& missing);

/// The outline of a curve as DXF, SVG, CSV or (a plate of it) STEP, by the file's ending. What goes wrong is said.
bool saveOutlineTo(Workbench& bench, model::Id curve, const QString& path);

}  // namespace cooperage::app
