// SPDX-License-Identifier: GPL-3.0-or-later
#include "reuse_card.h"

#include <QCheckBox>
#include <QFormLayout>
#include <QLineEdit>

#include "../choice_box.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

namespace {
constexpr qulonglong kOrigin = 0, kPicked = ~qulonglong{0};
}

ReuseCard::ReuseCard(Workbench& bench, Scene& scene)
    : FloatCard(&scene, QStringLiteral("reuse card")), bench_(bench), scene_(scene) {
  setFixedWidth(330);
  connect(&bench_.reuser(), &Reuser::came, this, &ReuseCard::open);
  connect(this, &FloatCard::confirmed, this, &ReuseCard::accept);
  connect(this, &FloatCard::cancelled, this, &ReuseCard::giveUp);
  connect(&bench_.document(), &Document::replaced, this, &ReuseCard::giveUp);
}

void ReuseCard::giveUp() {
  bench_.reuser().drop();
  hide();
}

void ReuseCard::open() {
  clear();
  const QString name = bench_.reuser().waitingName();
  setTitle(tr("Put in %1").arg(name));
  auto* form = addForm();
  name_ = new QLineEdit(name);
  name_->setObjectName(QStringLiteral("reuse name"));
  name_->setToolTip(tr("Stands before the names of its links, joints and parameters"));
  connect(name_, &QLineEdit::returnPressed, this, &ReuseCard::accept);  // nothing else has to be said
  form->addRow(tr("Name here"), name_);
  seat_ = new ChoiceBox;
  seat_->setObjectName(QStringLiteral("reuse seat"));
  seat_->setToolTip(tr("The place of its ground that comes to lie on the other"));
  seat_->addItem(tr("its origin"), QString());
  for (const QString& s : bench_.reuser().waitingSeats()) seat_->addItem(s, s);
  form->addRow(tr("Its seat"), seat_);
  onto_ = new ChoiceBox;
  onto_->setObjectName(QStringLiteral("reuse onto"));
  onto_->addItem(tr("ground's origin"), kOrigin);
  onto_->addItem(tr("a place to be picked"), kPicked);
  for (const auto& l : bench_.document().mechanism()->links)
    for (const auto& s : l->seats) {
      onto_->addItem(q(l->name + "/" + s->name), static_cast<qulonglong>(s->id));
      if (bench_.selection().isSelected(s->id)) onto_->setCurrentIndex(onto_->count() - 1);
    }
  form->addRow(tr("Onto"), onto_);
  mirrored_ = new QCheckBox(tr("Mirrored"));
  mirrored_->setObjectName(QStringLiteral("reuse mirrored"));
  mirrored_->setToolTip(tr("A planar mechanism is turned over, so that it moves as its mirror image"));
  form->addRow({}, mirrored_);
  linked_ = new QCheckBox(tr("Refresh it from its file"));
  linked_->setObjectName(QStringLiteral("reuse linked"));
  linked_->setToolTip(tr("Else it is a copy that no change of the file reaches"));
  form->addRow({}, linked_);
  addEnd(tr("Put in"));
  show();
  openBeside(QPointF(scene_.width(), 0));
  fit();
  name_->setFocus();
  name_->selectAll();
}

void ReuseCard::accept() {
  Reuser::Choice choice;
  choice.name = name_->text().trimmed();
  choice.seat = seat_->currentData().toString();
  const auto onto = onto_->currentData().toULongLong();
  const bool picked = onto == kPicked;
  choice.onto = picked ? 0 : static_cast<Id>(onto);
  choice.mirrored = mirrored_->isChecked();
  choice.linked = linked_->isChecked();
  if (choice.name.contains(QLatin1Char('/')) || choice.name.contains(QLatin1Char('\''))) {
    bench_.say(tr("A name can't hold a '/' or a single quote"), true);
    name_->setFocus();
    return;
  }
  Id joint = 0;
  const auto heard = connect(&bench_.reuser(), &Reuser::placed, this, [&joint](Id made) { joint = made; });
  const bool done = bench_.reuser().place(choice);
  disconnect(heard);
  if (!done) return;  // why not is said; the card stays
  hide();
  scene_.fitAll();
  scene_.setFocus();
  if (picked && joint != 0) emit placeWanted(joint);
}

}  // namespace cooperage::app
