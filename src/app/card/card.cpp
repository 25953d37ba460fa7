// SPDX-License-Identifier: GPL-3.0-or-later
#include "card.h"

#include <QLabel>
#include <QLineEdit>
#include <QTimer>
#include <QVBoxLayout>

#include "../theme.h"
#include "card_page.h"
#include "kept_text.h"
#include "number_field.h"

namespace cooperage::app {

using namespace model;

Card::Card(Workbench& bench, QWidget* parent) : QScrollArea(parent), bench_(bench) {
  setObjectName(QStringLiteral("card"));
  setAccessibleName(tr("Card of the selection"));
  setWidgetResizable(true);
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  const auto later = [this] {
    // after the present event: the field that caused the change may still be on the stack
    if (rebuilding_) return;
    rebuilding_ = true;
    QTimer::singleShot(0, this, [this] {
      rebuilding_ = false;
      rebuild();
    });
  };
  connect(&bench_.document(), &Document::changed, this, later);
  connect(&bench_.selection(), &Selection::changed, this, later);
  connect(&bench_.selection(), &Selection::stageChanged, this, later);
  connect(&bench_, &Workbench::resultsChanged, this, later);
  connect(&themeWatch(), &ThemeWatch::changed, this, later);
  connect(&bench_.pose(), &PoseControl::changed, this, &Card::refreshLive);
  connect(&bench_.runs(), &RunBook::cursorChanged, this, &Card::refreshLive);
  rebuild();
}

void Card::rebuild() {
  if (held_) return;  // the slider in the hand must not go; it is done again at its release
  // the focus stays on the field of the same name, so that Tab goes on after a change; so does what is being typed
  const KeptText kept(body_);
  const auto shown = std::make_pair(bench_.selection().stage(), bench_.selection().ids());
  const bool same = shown == shown_;
  shown_ = shown;
  live_.clear();
  body_ = new QWidget;
  column_ = new QVBoxLayout(body_);
  column_->setContentsMargins(0, 0, 0, 10);
  column_->setSpacing(0);
  if (auto shownPage = page()) shownPage.release()->setParent(body_);  // it goes with its widgets
  column_->addStretch(1);
  retire(takeWidget());
  setWidget(body_);
  refreshLive();
  kept.putInto(body_, same);
}

/// The page of what is looked at: each kind of object is asked whether it is one of its own.
std::unique_ptr<CardPage> Card::page() {
  static constexpr PagePtr (*kPages[])(Card&, Id) = {linkPage,    bodyPage,  seatPage,      jointPage, couplingPage,
                                                     camPairPage, curvePage, drivePage,     gaugePage, requirementPage,
                                                     pathPage,    runPage,   parameterPage, sheetPage, sheetCurvePage,
                                                     contactPage, forcePage};
  const auto& chosen = bench_.selection();
  if (chosen.stage() == Stage::check && chosen.chosenInterference() >= 0 && bench_.checks().check())
    return interferencePage(*this);
  if (chosen.ids().size() != 1) return mechanismPage(*this);
  for (const auto& make : kPages)
    if (auto made = make(*this, chosen.ids().front())) return made;
  return nullptr;
}

void Card::letGo() {
  held_ = false;
  QTimer::singleShot(0, this, [this] { rebuild(); });
}

void Card::focusFigure(const QString& name) {
  QTimer::singleShot(0, this, [this, name] {  // after the page of the new selection
    QLineEdit* field = nullptr;
    if (!name.isEmpty())
      field = body_->findChild<QLineEdit*>(name);
    else if (const auto figures = body_->findChildren<NumberField*>(); !figures.isEmpty())
      field = figures.front()->edit();
    if (!field) return;
    field->setFocus(Qt::OtherFocusReason);
    field->selectAll();
    ensureWidgetVisible(field);
  });
}

void Card::refreshLive() {
  for (auto& [label, text] : live_) label->setText(text());
}

}  // namespace cooperage::app
