// SPDX-License-Identifier: GPL-3.0-or-later
// Pages of the mechanism as a whole, of several objects, and of a parameter.
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QPushButton>

#include "../choice_box.h"
#include "../text.h"
#include "../theme.h"
#include "card_mass.h"
#include "model/gauge_edits.h"

namespace cooperage::app {

using namespace model;

namespace {
class ParameterPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showParameter(const Parameter& parameter);
};
class MechanismPage : public MassPage {
 public:
  using MassPage::MassPage;
  void showMechanism();

 private:
  void groups();
};
}  // namespace

void ParameterPage::showParameter(const Parameter& parameter) {
  heading(q(parameter.name), tr("parameter"));
  auto* form = section();
  nameField(form, parameter.id, parameter.name);
  parameters();
}

void MechanismPage::showMechanism() {
  const auto& m = *bench_.document().mechanism();
  const auto& s = bench_.selection().ids();
  if (s.size() > 1) {
    heading(tr("%1 objects").arg(s.size()), tr("selection"));
    auto* form = section();
    std::vector<Id> links, bodies, gauges;
    for (Id id : s) {
      if (findById(m.gauges, id)) gauges.push_back(id);
      if (findLink(m, id)) links.push_back(id);
      if (findBody(m, id)) bodies.push_back(id);
    }
    if (!links.empty()) {
      button(form, tr("Ground these links"), [this, links] {
        bench_.document().apply(tr("Ground links"), grounded(*bench_.document().mechanism(), links, true));
      });
      button(form, tr("Free these links"), [this, links] {
        bench_.document().apply(tr("Free links"), grounded(*bench_.document().mechanism(), links, false));
      });
    }
    if (gauges.size() == 2)
      button(form, tr("Gauge the difference"), [this, gauges] {
        const auto made = withDifference(*bench_.document().mechanism(), gauges[0], gauges[1]);
        if (!made.ok()) return bench_.say(q(made.error().text), true);
        if (bench_.document().apply(tr("Add gauge"), made->first)) bench_.selection().select({made->second});
      });
    if (bodies.size() > 1)
      button(form, tr("Separate: each a link"), [this, bodies] {
        bench_.document().apply(tr("Separate bodies"), separated(*bench_.document().mechanism(), bodies));
      });
    if (links.size() > 1 || bodies.size() > 1 || (links.size() == 1 && !bodies.empty()))
      button(form, tr("Merge to one link"), [this, links, bodies] {
        // what is loose travels with the first link chosen; of solids alone a new link is made
        const auto& now = *bench_.document().mechanism();
        std::pair<Mechanism, Id> result{now, 0};
        if (!links.empty()) result = merged(now, links);
        if (!bodies.empty())
          result = regrouped(result.first, bodies, result.second, findBody(now, bodies.front())->body->name);
        if (bench_.document().apply(tr("Merge to one link"),
                                    bench_.importer().namedByLargest(result.first, result.second)))
          bench_.selection().select({result.second});
      });
    return;
  }
  heading(m.title.empty() ? bench_.document().title() : q(m.title), tr("mechanism"));
  auto* form = section();
  auto* title = new QLineEdit(q(m.title));
  title->setObjectName(QStringLiteral("title"));
  title->setPlaceholderText(tr("what it is"));
  connect(title, &QLineEdit::editingFinished, this, [this, title] {
    if (title->text().toStdString() == bench_.document().mechanism()->title) return;
    Mechanism next = *bench_.document().mechanism();
    next.title = title->text().toStdString();
    bench_.document().apply(tr("Change title"), next);
  });
  form->addRow(formLabel(tr("Title")), title);
  const auto unit = [&](const QString& label, const Dimension& d, std::string DocumentUnits::*member) {
    auto* box = new ChoiceBox;
    box->setObjectName(QStringLiteral("unit ") + label);
    for (const auto& name : unitsOf(d)) box->addItem(q(name));
    box->setCurrentText(q(m.units.*member));
    connect(box, &QComboBox::textActivated, this, [this, member](const QString& text) {
      DocumentUnits units = bench_.document().mechanism()->units;
      units.*member = text.toStdString();
      bench_.document().apply(tr("Change units"), withUnits(*bench_.document().mechanism(), units));
    });
    form->addRow(formLabel(label), box);
  };
  unit(tr("Lengths"), dimension::kLength, &DocumentUnits::length);
  unit(tr("Angles"), dimension::kAngle, &DocumentUnits::angle);
  unit(tr("Times"), dimension::kTime, &DocumentUnits::time);
  const bool loaded = m.gravity || !m.forces.empty() || !m.springs.empty() ||
                      std::any_of(m.links.begin(), m.links.end(), [](const auto& l) { return l->mass.has_value(); });
  if (loaded) {
    unit(tr("Masses"), dimension::kMass, &DocumentUnits::mass);
    unit(tr("Forces"), dimension::kForce, &DocumentUnits::force);
  }
  wholeMass();
  groups();
  parameters();
}

/// What was put in from other documents.
void MechanismPage::groups() {
  const auto& groups = bench_.document().mechanism()->groups;
  if (groups.empty()) return;
  auto* form = section(tr("From other documents"));
  bool linked = false;
  for (const auto& g : groups) {
    linked = linked || !g->file.empty();
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    auto* name = new QPushButton(q(g->name));
    name->setObjectName(QStringLiteral("group ") + q(g->name));
    name->setToolTip(g->file.empty() ? tr("A copy of its own; select its links")
                                     : tr("Refreshed from %1; select its links").arg(q(g->file)));
    name->setStyleSheet(QStringLiteral("text-align: left"));
    connect(name, &QPushButton::clicked, this, [this, id = g->id] { bench_.reuser().select(id); });
    row->addWidget(name, 1);
    if (!g->file.empty()) {
      auto* loose = new QPushButton(tr("Let go"));
      loose->setToolTip(tr("It stays as a copy, and %1 is not read again").arg(q(g->file)));
      loose->setObjectName(QStringLiteral("release ") + q(g->name));
      connect(loose, &QPushButton::clicked, this, [this, id = g->id] { bench_.reuser().release(id); });
      row->addWidget(loose);
    }
    auto* gone = new QPushButton(icon(QStringLiteral("lucide/trash-2")), {});
    gone->setToolTip(tr("Delete %1 with all its links").arg(q(g->name)));
    gone->setAccessibleName(gone->toolTip());
    gone->setObjectName(QStringLiteral("remove ") + q(g->name));
    connect(gone, &QPushButton::clicked, this, [this, id = g->id] { bench_.reuser().remove(id); });
    row->addWidget(gone);
    form->addRow(row);
  }
  if (linked) button(form, tr("Refresh from their files"), [this] { bench_.reuser().refresh(); });
}

PagePtr parameterPage(Card& card, Id id) {
  return filled<ParameterPage>(card, findById(shownIn(card).parameters, id),
                               [](auto& page, const auto& x) { page.showParameter(x); });
}

PagePtr mechanismPage(Card& card) {
  auto page = std::make_unique<MechanismPage>(card);
  page->showMechanism();
  return page;
}

}  // namespace cooperage::app
