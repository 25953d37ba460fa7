// SPDX-License-Identifier: GPL-3.0-or-later
#include "group_card.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>
#include <set>

#include "../choice_box.h"
#include "../merges.h"
#include "../text.h"
#include "../theme.h"

namespace cooperage::app {

using namespace model;

GroupCard::GroupCard(Workbench& bench, Scene& scene)
    : FloatCard(&scene, QStringLiteral("group card")), bench_(bench), scene_(scene) {
  setFixedWidth(316);
  connect(&bench_.importer(), &Importer::cameTogether, this, &GroupCard::start);
  connect(this, &FloatCard::confirmed, this, &GroupCard::accept);
  connect(this, &FloatCard::cancelled, this, &GroupCard::giveUp);
  connect(&bench_.document(), &Document::changed, this, [this] {
    if (!isVisible()) return;
    if (bench_.importer().imported().size() < 2)
      giveUp();  // the import was undone, or another document has come
    else
      fill();
  });
  connect(&bench_.selection(), &Selection::changed, this, [this] {
    if (isVisible() && merge_) merge_->setEnabled(chosenBodies().size() > 1);
  });
}

void GroupCard::start() {
  ground_ = 0;
  const bool fasteners = !bench_.importer().proposed().empty();
  show();
  way_ = Way::solids;  // as they have come
  if (fasteners || bench_.importer().hasGroups())
    take(fasteners ? Way::fasteners : Way::assemblies);
  else
    fill();
  openBeside(QPointF(scene_.width(), 0));
  scene_.fitAll();
  scene_.showAllBeside(dock());
  setFocus();
}

void GroupCard::take(Way way) {
  way_ = way;
  switch (way) {
    case Way::fasteners: bench_.importer().groupAsProposed(); break;
    case Way::assemblies: bench_.importer().groupImported(LinkRule::eachAssembly); break;
    case Way::solids: bench_.importer().groupImported(LinkRule::eachSolid); break;
    case Way::one: bench_.importer().groupImported(LinkRule::allOne); break;
    case Way::own: break;
  }  // the document has changed: the card fills itself
}

void GroupCard::addWays() {
  auto* row = addRow();
  const auto way = [&](Way which, const QString& text, const QString& tip, const char* name) {
    auto* b = addButton(row, text, tip, QLatin1String(name), [this, which] { take(which); });
    b->setCheckable(true);
    b->setChecked(way_ == which);
  };
  if (!bench_.importer().proposed().empty())
    way(Way::fasteners, tr("Fasteners"), tr("What bolts and nuts hold together is one link"), "way fasteners");
  if (bench_.importer().hasGroups())
    way(Way::assemblies, tr("Each group"), tr("Each sub-assembly of the file is a link"), "way groups");
  way(Way::solids, tr("Each solid"), tr("Each solid is a link"), "way solids");
  way(Way::one, tr("One link"), tr("All solids are one link"), "way one");
  row->addStretch(1);
  auto* own = addRow();
  addButton(own, tr("Box"), tr("Draw a box around solids; then merge them (B)"), QStringLiteral("way box"), [this] {
    scene_.setSolids(true);
    scene_.setBoxing(true);
    scene_.setFocus();
  });
  merge_ = addButton(own, tr("Merge selected"),
                     tr("What is selected in the scene or in the list at the left becomes one link"),
                     QStringLiteral("way merge"), [this] { merge(); });
  merge_->setEnabled(chosenBodies().size() > 1);
  own->addStretch(1);
}

QStringList GroupCard::reasonsOf(const Link& link) const {
  QStringList out;
  if (way_ != Way::fasteners && way_ != Way::own) return out;
  const auto& solids = bench_.importer().imported();
  std::set<Id> bodies;
  for (const auto& b : link.bodies) bodies.insert(b->id);
  std::map<QString, int> count;
  for (const auto& p : bench_.importer().proposed()) {
    const bool all = std::all_of(p.solids.begin(), p.solids.end(),
                                 [&](int i) { return bodies.count(solids[static_cast<std::size_t>(i)].body) > 0; });
    if (all)
      for (const auto& reason : p.reasons) ++count[q(reason)];
  }
  for (const auto& [reason, n] : count) out << (n > 1 ? tr("%1 \u00d7 %2").arg(n).arg(reason) : reason);
  return out;
}

void GroupCard::addLinks() {
  constexpr int kTall = 210;  // pixels
  constexpr int kSingle = 6;  // links of one solid that are listed
  auto* inner = new QWidget;
  auto* rows = new QVBoxLayout(inner);
  rows->setContentsMargins(0, 0, 6, 0);
  rows->setSpacing(3);
  int single = 0;
  for (const Id id : bench_.importer().importedLinks()) {
    const auto l = findLink(*bench_.document().mechanism(), id);
    if (l->bodies.size() == 1 && ++single > kSingle) continue;
    auto* row = new QHBoxLayout;
    auto* title = new QLabel(QStringLiteral("<b>%1</b>").arg(q(l->name).toHtmlEscaped()));
    title->setObjectName(QStringLiteral("group ") + q(l->name));
    title->setToolTip(q(l->name));
    title->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);  // a long name is cut off, its number isn't
    row->addWidget(title, 1);
    auto* number = new QLabel(counted(static_cast<qsizetype>(l->bodies.size()), tr("solid"), tr("solids")));
    number->setProperty("mute", true);
    row->addWidget(number);
    rows->addLayout(row);
    for (const QString& reason : reasonsOf(*l)) {
      auto* why = new QLabel(reason);
      why->setObjectName(QStringLiteral("group why"));
      why->setProperty("mute", true);
      why->setWordWrap(true);
      why->setFont(uiFont(8.5));
      why->setContentsMargins(10, 0, 0, 0);
      rows->addWidget(why);
    }
  }
  if (single > kSingle) rows->addWidget(new QLabel(tr("and %1 more of one solid each").arg(single - kSingle)));
  rows->addStretch(1);
  auto* area = new QScrollArea;
  area->setFrameShape(QFrame::NoFrame);
  area->setWidgetResizable(true);
  area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  area->setWidget(inner);
  inner->setFixedWidth(width() - 30);
  area->setFixedHeight(std::min(kTall, inner->heightForWidth(width() - 30) > 0 ? inner->heightForWidth(width() - 30) + 4
                                                                               : inner->sizeHint().height() + 4));
  dress(area, QStringLiteral("QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; }"));
  column()->addWidget(area);
}

void GroupCard::addGround() {
  auto* form = addForm();
  auto* box = new ChoiceBox;
  box->setObjectName(QStringLiteral("group ground"));
  const auto& m = *bench_.document().mechanism();
  box->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  bool known = false;
  for (const auto& l : m.links) {
    box->addItem(q(l->name), QVariant::fromValue<qulonglong>(l->id));
    known = known || l->id == ground_;
  }
  if (!known) ground_ = 0;
  for (const auto& l : m.links)
    if (l->ground && ground_ == 0) ground_ = l->id;
  if (ground_ == 0 && !bench_.importer().importedLinks().empty()) {  // the one of most solids
    std::size_t most = 0;
    for (const Id id : bench_.importer().importedLinks())
      if (const auto l = findLink(m, id); l && l->bodies.size() > most) {
        most = l->bodies.size();
        ground_ = id;
      }
  }
  box->setCurrentIndex(std::max(0, box->findData(QVariant::fromValue<qulonglong>(ground_))));
  connect(box, &QComboBox::activated, this, [this, box](int) { ground_ = box->currentData().toULongLong(); });
  auto* label = new QLabel(tr("Stands still"));
  label->setProperty("mute", true);
  form->addRow(label, box);
}

void GroupCard::fill() {
  clear();
  const auto links = bench_.importer().importedLinks();
  setTitle(tr("%1 make %2")
               .arg(counted(static_cast<qsizetype>(bench_.importer().imported().size()), tr("solid"), tr("solids")),
                    counted(static_cast<qsizetype>(links.size()), tr("link"), tr("links"))));
  addWays();
  addLinks();
  addGround();
  addEnd(tr("Next: joints"));
  fit();
}

std::vector<Id> GroupCard::chosenBodies() const {
  std::vector<Id> out;
  const auto& m = *bench_.document().mechanism();
  for (const Id id : bench_.selection().ids()) {
    if (findBody(m, id)) out.push_back(id);
    if (const auto l = findLink(m, id))
      for (const auto& b : l->bodies) out.push_back(b->id);
  }
  return out;
}

void GroupCard::merge() {
  const auto bodies = chosenBodies();
  if (bodies.size() < 2) return;
  way_ = Way::own;
  bench_.importer().groupTogether(bodies);
}

void GroupCard::accept() {
  hide();
  scene_.setSolids(false);
  const auto& m = *bench_.document().mechanism();
  const auto ground = findLink(m, ground_);
  if (ground && !ground->ground)
    bench_.document().apply(tr("Ground links"), grounded(m, {ground_}, true), kMergeImport);
  emit grouped();
}

void GroupCard::giveUp() {
  hide();
  scene_.setSolids(false);
}

}  // namespace cooperage::app
