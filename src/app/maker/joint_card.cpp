// SPDX-License-Identifier: GPL-3.0-or-later
#include "joint_card.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QRadioButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

#include "../choice_box.h"
#include "../card/number_field.h"
#include "../theme.h"

namespace cooperage::app {

using namespace model;

QString leavesOf(JointKind kind) {
  switch (kind) {
    case JointKind::fixed: return QObject::tr("nothing: both move as one");
    case JointKind::revolute: return QObject::tr("turn about the axis");
    case JointKind::prismatic: return QObject::tr("slide along the axis");
    case JointKind::cylindrical: return QObject::tr("turn about the axis and slide along it");
    case JointKind::screw: return QObject::tr("turn about the axis and slide with it, by the lead");
    case JointKind::universal: return QObject::tr("tilt about two crossing axes");
    case JointKind::spherical: return QObject::tr("turn every way about the centre");
    case JointKind::planar: return QObject::tr("slide two ways in the plane and turn in it");
    case JointKind::pinSlot: return QObject::tr("slide along the reference and turn about the axis");
    case JointKind::pointLine: return QObject::tr("the point slides along the axis, all turns are free");
    case JointKind::pointPlane: return QObject::tr("the point slides in the plane, all turns are free");
    case JointKind::pointCurve: return QObject::tr("the point runs along the curve, all turns are free");
    case JointKind::pointSurface: return QObject::tr("the point runs on the face, all turns are free");
  }
  return {};
}

const std::vector<JointKind>& kindsInOrder() {
  static const std::vector<JointKind> kOrder{
      JointKind::revolute,   JointKind::prismatic,  JointKind::cylindrical, JointKind::screw, JointKind::universal,
      JointKind::spherical,  JointKind::planar,     JointKind::pinSlot,     JointKind::fixed, JointKind::pointLine,
      JointKind::pointPlane, JointKind::pointCurve, JointKind::pointSurface};
  return kOrder;
}

/// Mark and name of a kind, its key at the right.
class KindButton : public QToolButton {
 public:
  explicit KindButton(int key) : key_(key > 0 ? QString::number(key) : QString()) {}

 protected:
  void paintEvent(QPaintEvent* event) override {
    QToolButton::paintEvent(event);
    QPainter p(this);
    p.setFont(uiFont(8));
    p.setPen(theme().mute);
    p.drawText(rect().adjusted(0, 0, -4, 0), Qt::AlignRight | Qt::AlignVCenter, key_);
  }

 private:
  QString key_;
};

void addKindButtons(QGridLayout& grid, KindButtons look, const QString& prefix,
                    const std::function<void(QToolButton*, JointKind, int key)>& finish) {
  grid.setSpacing(2);
  const bool named = look == KindButtons::named;
  const int row = named ? 3 : 7;
  int n = 0;
  for (const JointKind kind : kindsInOrder()) {
    const QString name = QLatin1String(infoOf(kind).name);
    const int key = n < 9 ? n + 1 : 0;
    QToolButton* b = named ? new KindButton(key) : new QToolButton;
    dressIcon(b, QStringLiteral("joints/") + name);
    b->setIconSize(named ? QSize(18, 18) : QSize(20, 20));
    if (named) {
      b->setText(QString(name).replace('-', ' '));
      b->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
      b->setFont(uiFont(7.8));
      b->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
      b->setFixedHeight(27);
      dress(b, QStringLiteral("QToolButton { padding: 1px; text-align: left; }"));
    } else {
      b->setFixedSize(36, 30);
    }
    b->setCheckable(true);
    b->setObjectName(prefix + name);
    finish(b, kind, key);
    const bool last = n + 1 == static_cast<int>(kindsInOrder().size());
    grid.addWidget(b, n / row, n % row, 1, named && last ? 2 : 1);
    ++n;
  }
}

JointCard::JointCard(Workbench& bench, QWidget* scene) : FloatCard(scene, QStringLiteral("joint card")), bench_(bench) {
  setFixedWidth(292);
}

void JointCard::figure(QFormLayout* form, const QString& label, const QString& objectName, const Field& field,
                       const Dimension& wanted, std::function<void(const Field&)> typed, QWidget* beside) {
  auto* f = new NumberField(bench_, field, wanted, [typed](const Field& x) {
    typed(x);
    return true;
  });
  f->edit()->setObjectName(objectName);
  f->edit()->setAccessibleName(label);
  auto* l = new QLabel(label);
  l->setProperty("mute", true);
  l->setFixedHeight(26);
  if (!beside) {
    form->addRow(l, f);
    return;
  }
  auto* row = new QHBoxLayout;
  row->setSpacing(5);
  row->addWidget(f, 1);
  row->addWidget(beside, 0, Qt::AlignTop);
  form->addRow(l, row);
}

void JointCard::fill(const Content& c) {
  const QString focused = focusedName();
  clear();
  setTitle(c.title);
  auto* kinds = new QGridLayout;
  addKindButtons(*kinds, KindButtons::marks, QStringLiteral("kind "), [&](QToolButton* b, JointKind kind, int key) {
    const QString name = QLatin1String(infoOf(kind).name);
    b->setChecked(kind == c.kind);
    b->setToolTip(key > 0 ? tr("%1 (%2)").arg(name).arg(key) : name);
    b->setAccessibleName(name);
    b->setFocusPolicy(Qt::TabFocus);
    connect(b, &QToolButton::clicked, this, [this, kind] { emit kindChosen(kind); });
  });
  column()->addLayout(kinds);
  auto* leaves = addText(QStringLiteral("leaves"));
  leaves->setText(tr("<b>%1</b> leaves: %2").arg(QLatin1String(infoOf(c.kind).name), leavesOf(c.kind)));
  if (!c.advice.isEmpty()) {
    auto* advice = addText(QStringLiteral("advice"));
    advice->setText(c.advice);
    advice->setStyleSheet(QStringLiteral("color: %1").arg(theme().accent.name()));
    if (c.advised && *c.advised != c.kind) {
      auto* row = addRow();
      const JointKind kind = *c.advised;
      addButton(row, tr("Make it %1").arg(QLatin1String(infoOf(kind).name)), tr("The kind that the faces ask for"),
                QStringLiteral("take advice"), [this, kind] { emit kindChosen(kind); });
      row->addStretch(1);
    }
  }
  if (c.making && c.canChooseManner) {
    auto* row = addRow();
    for (const bool keep : {true, false}) {
      auto* r = new QRadioButton(keep ? tr("keep in place") : tr("bring together"));
      r->setObjectName(keep ? QStringLiteral("card keep") : QStringLiteral("card together"));
      r->setChecked(keep == c.keepInPlace);
      connect(r, &QRadioButton::clicked, this, [this, keep] { emit mannerChosen(keep); });
      row->addWidget(r);
    }
    row->addStretch(1);
  }
  auto* form = addForm();
  const auto choice = [&](const QString& label, const QString& name, const auto& items, Id now, auto chosen) {
    if (items.empty()) return;
    auto* box = new ChoiceBox;
    box->setObjectName(name);
    for (const auto& [id, text] : items) box->addItem(text, QVariant::fromValue<qulonglong>(id));
    box->setCurrentIndex(std::max(0, box->findData(QVariant::fromValue<qulonglong>(now))));
    connect(box, &QComboBox::activated, this, [box, chosen](int) { chosen(box->currentData().toULongLong()); });
    auto* l = new QLabel(label);
    l->setProperty("mute", true);
    form->addRow(l, box);
  };
  choice(tr("Second link"), QStringLiteral("partner"), c.partners, c.partner,
         [this](Id id) { emit partnerChosen(id); });
  if (c.movable.size() > 1)
    choice(tr("Moves"), QStringLiteral("moved"), c.movable, c.moved, [this](Id id) { emit movedChosen(id); });
  choice(tr("Curve"), QStringLiteral("curve"), c.curves, c.curve, [this](Id id) { emit curveChosen(id); });
  if (c.kind == JointKind::screw)
    figure(form, tr("Lead"), QStringLiteral("card lead"), c.lead, dimension::kLength,
           [this](const Field& f) { emit leadTyped(f); });
  if (!c.leadNote.isEmpty()) {
    auto* note = addText(QStringLiteral("lead note"));
    note->setText(c.leadNote);
    note->setProperty("mute", true);
  }
  // what is rarely typed is folded away: a low card covers less
  auto* fold = new QToolButton;
  fold->setObjectName(QStringLiteral("card more"));
  fold->setText(tr("Offsets, reference"));
  fold->setArrowType(more_ ? Qt::DownArrow : Qt::RightArrow);
  fold->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
  fold->setCheckable(true);
  fold->setChecked(more_);
  column()->addWidget(fold);
  auto* folded = new QWidget;
  auto* figures = new QVBoxLayout(folded);
  figures->setContentsMargins(0, 0, 0, 0);
  form = new QFormLayout;
  form->setHorizontalSpacing(10);
  form->setVerticalSpacing(5);
  figures->addLayout(form);
  column()->addWidget(folded);
  const auto open = [this, fold, folded](bool on) {
    more_ = on;
    fold->setArrowType(on ? Qt::DownArrow : Qt::RightArrow);
    folded->setVisible(on);
    fit();
  };
  connect(fold, &QToolButton::toggled, this, open);
  figure(form, tr("Along the axis"), QStringLiteral("card along"), c.along, dimension::kLength,
         [this](const Field& f) { emit alongTyped(f); });
  figure(form, tr("About the axis"), QStringLiteral("card about"), c.about, dimension::kAngle,
         [this](const Field& f) { emit aboutTyped(f); });
  auto* pick = new QPushButton(tr("Pick"));
  pick->setObjectName(QStringLiteral("pick reference"));
  pick->setToolTip(tr("Take the reference direction from a face or an edge"));
  pick->setAutoDefault(false);
  pick->setStyleSheet(QStringLiteral("QPushButton { padding: 3px 8px; }"));
  connect(pick, &QPushButton::clicked, this, [this] { emit pickReference(); });
  const double degree = bench_.document().mechanism()->units.factor(dimension::kAngle);
  figure(
      form, tr("Reference"), QStringLiteral("card reference"), Field(std::round(c.reference / degree * 1e6) / 1e6),
      dimension::kAngle,
      [this](const Field& f) {
        const auto v = evaluateField(*bench_.document().mechanism(), f, dimension::kAngle);
        if (v.ok()) emit referenceTyped(*v);
      },
      pick);
  folded->setVisible(more_);
  auto* row = addRow();
  addButton(row, tr("Reverse"), tr("The axis points, and the joint counts, the other way (R)"),
            QStringLiteral("card reverse"), [this] { emit reversed(); });
  if (c.canTurnOver)
    addButton(row, tr("Turn over"), tr("The moved link comes the other way round (T)"), QStringLiteral("card over"),
              [this] { emit turnedOver(); });
  row->addStretch(1);
  if (!c.making) {
    auto* anew = addRow();
    addButton(anew, tr("First\u2026"), tr("Pick the first place anew; the second is kept"),
              QStringLiteral("first anew"), [this] { emit pickAnew(0); });
    addButton(anew, tr("Second\u2026"), tr("Pick the second place anew; the first is kept"),
              QStringLiteral("second anew"), [this] { emit pickAnew(1); });
    addButton(anew, tr("Read between\u2026"),
              tr("Zero and counting: what lies between a face of the first link and one of the second"),
              QStringLiteral("read between"), [this] { emit readBetween(); });
    anew->addStretch(1);
  }
  auto* moves = new QCheckBox(tr("move it to show what it allows"));
  moves->setObjectName(QStringLiteral("card moves"));
  moves->setChecked(c.moves);
  connect(moves, &QCheckBox::toggled, this, [this](bool on) { emit moveToggled(on); });
  column()->addWidget(moves);
  addEnd(c.making ? tr("Make") : tr("Done"));
  fit();
  focusAgain(focused);
}

void JointCard::keyPressEvent(QKeyEvent* e) {
  if (e->key() >= Qt::Key_1 && e->key() <= Qt::Key_9 && e->modifiers() == Qt::NoModifier) {
    emit kindChosen(kindsInOrder()[static_cast<std::size_t>(e->key() - Qt::Key_1)]);
    return;
  }
  if (e->key() == Qt::Key_R) {
    emit reversed();
    return;
  }
  if (e->key() == Qt::Key_T) {
    emit turnedOver();
    return;
  }
  FloatCard::keyPressEvent(e);
}

}  // namespace cooperage::app
