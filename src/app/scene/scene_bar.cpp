// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene_bar.h"

#include <QButtonGroup>
#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QToolButton>

#include "../theme.h"

namespace cooperage::app {

QString panelStyle(const char* name, int radius) {
  return QStringLiteral("#%1 { background: @veil; border: 1px solid @line; border-radius: %2px; }")
      .arg(QLatin1String(name))
      .arg(radius);
}

FreedomChip::FreedomChip(Workbench& bench, Scene& scene) : QFrame(&scene), bench_(bench) {
  setObjectName(QStringLiteral("chip"));
  dress(this, panelStyle("chip", 11));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(13, 4, 13, 4);
  label_ = new QLabel;
  label_->setTextFormat(Qt::RichText);
  label_->setAttribute(Qt::WA_TransparentForMouseEvents);
  row->addWidget(label_);
  setCursor(Qt::PointingHandCursor);
  setFocusPolicy(Qt::TabFocus);
  setToolTip(tr("What is left free, what is redundant, and what cures it"));
  setAccessibleName(toolTip());
  connect(&bench_.document(), &Document::changed, this, &FreedomChip::refresh);
  connect(&bench_.solution(), &Solution::changed, this, &FreedomChip::refresh);
  connect(&bench_.pose(), &PoseControl::changed, this, &FreedomChip::refresh);
  connect(&themeWatch(), &ThemeWatch::changed, this, &FreedomChip::refresh);
  move(12, 10);
  refresh();
}

void FreedomChip::mousePressEvent(QMouseEvent* e) {
  e->accept();
  emit pressed();
}
void FreedomChip::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Space)
    emit pressed();
  else
    QFrame::keyPressEvent(e);
}

QString FreedomChip::text() const { return label_->text(); }

void FreedomChip::refresh() {
  const Theme& t = theme();
  const auto& m = *bench_.document().mechanism();
  QString s;
  const auto coloured = [](const QString& text, const QColor& c) {
    return QStringLiteral("<span style='color:%1'>%2</span>").arg(c.name(), text);
  };
  const QString gap = QStringLiteral(" &nbsp; ");
  if (m.links.empty()) {
    s = coloured(tr("nothing here yet"), t.mute);
  } else if (!bench_.solution().homeProblem().isEmpty()) {
    s = coloured(tr("\u2715 can't be assembled at home"), t.bad);
  } else if (const auto& mob = bench_.solution().mobility()) {
    s = mob->freedoms == 1 ? tr("<b>1</b> freedom") : tr("<b>%1</b> freedoms").arg(mob->freedoms);
    if (mob->driven > 0) s += tr(", %1 driven").arg(mob->driven);
    // idle ones move nothing that matters, but where nothing is driven nothing is determined
    if (mob->freedoms == 0)
      s += gap + coloured(tr("rigid"), t.mute);
    else if (mob->driven == 0)
      s += gap + coloured(tr("nothing driven"), t.warn);
    else if (mob->left == mob->idle && mob->byContact > 0)
      s += gap + coloured(tr("\u2713 %1 moved by contact").arg(mob->byContact), t.ok);
    else if (mob->left == mob->idle)
      s += gap +
           coloured(mob->idle == 0 ? tr("\u2713 determined") : tr("\u2713 determined, %1 idle").arg(mob->idle), t.ok);
    else
      s += gap + coloured(mob->byContact > 0 ? tr("%1 left, %2 moved by contact").arg(mob->left).arg(mob->byContact)
                                             : tr("%1 left").arg(mob->left),
                          t.warn);
    // of a planar mechanism the freedoms are those of its plane: that its joints hold it there more than once is in the
    // card, for who asks
    if (mob->redundant > 0 && !mob->planar) s += gap + coloured(tr("%1 redundant").arg(mob->redundant), t.warn);
  }
  if (bench_.pose().isByHand()) s += gap + coloured(tr("moved by hand"), t.accent);
  label_->setText(s);
  adjustSize();
}

SceneBar::SceneBar(Scene& scene) : QFrame(&scene), scene_(scene) {
  setObjectName(QStringLiteral("scenebar"));
  dress(this, panelStyle("scenebar", 8));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(3, 3, 3, 3);
  row->setSpacing(2);
  auto* looks = new QButtonGroup(this);
  const std::pair<Look, QString> kinds[] = {{Look::edges, tr("Edges")},
                                            {Look::shaded, tr("Shaded")},
                                            {Look::wireframe, tr("Wire")},
                                            {Look::seeThrough, tr("See-through")}};
  for (const auto& [look, text] : kinds) {
    auto* b = new QToolButton;
    b->setText(text);
    b->setCheckable(true);
    b->setChecked(scene.look() == look);
    b->setObjectName(QStringLiteral("look ") + text);
    b->setToolTip(tr("Show the parts %1").arg(text.toLower()));
    b->setFocusPolicy(Qt::TabFocus);
    looks->addButton(b, static_cast<int>(look));
    row->addWidget(b);
  }
  looks->setExclusive(true);
  connect(looks, &QButtonGroup::idClicked, &scene, [&scene](int id) { scene.setLook(static_cast<Look>(id)); });
  connect(&scene, &Scene::lookChanged, this,
          [looks, &scene] { looks->button(static_cast<int>(scene.look()))->setChecked(true); });
  auto* section = new QToolButton;
  section->setText(tr("Section"));
  section->setObjectName(QStringLiteral("section"));
  section->setToolTip(tr("Cut the picture open, or close it again (C)"));
  section->setFocusPolicy(Qt::TabFocus);
  section->setCheckable(true);
  connect(section, &QToolButton::clicked, this, &SceneBar::sectionAsked);
  connect(&scene, &OcctView::sectionChanged, this,
          [section, &scene] { section->setChecked(scene.section().has_value()); });
  row->addWidget(section);
  auto* fit = new QToolButton;
  dressIcon(fit, QStringLiteral("lucide/maximize"));
  fit->setToolTip(tr("Fit all (F)"));
  fit->setAccessibleName(tr("Fit all"));
  fit->setFocusPolicy(Qt::TabFocus);
  connect(fit, &QToolButton::clicked, &scene, &Scene::fitAll);
  row->addWidget(fit);
  scene.installEventFilter(this);
  adjustSize();
  place();
}

void SceneBar::place() {
  move(std::max(0, scene_.width() - width() - 12), std::max(0, scene_.height() - height() - 12));
}

bool SceneBar::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::Resize || event->type() == QEvent::Show) {
    adjustSize();
    place();
  }
  return QFrame::eventFilter(watched, event);
}

int footOver(int sceneWidth) {
  constexpr int kNarrow = 520, kBar = 44;  // pixels; the bar's height with its margin
  return sceneWidth < kNarrow ? kBar : 0;
}

ViewMenu::ViewMenu(Scene& scene, const QList<QAction*>& directions) : QToolButton(&scene) {
  setObjectName(QStringLiteral("viewmenu"));
  setText(tr("View") + QStringLiteral(" \u25be"));
  setToolTip(tr("Where to look from"));
  setAccessibleName(toolTip());
  setPopupMode(QToolButton::InstantPopup);
  dress(this, QStringLiteral("#viewmenu { background: @veil; border: 1px solid @line; border-radius: 6px; "
                             "padding: 2px 8px; } #viewmenu::menu-indicator { image: none; }"));
  auto* menu = new QMenu(this);
  menu->addActions(directions);
  setMenu(menu);
  scene.installEventFilter(this);
  adjustSize();
}

bool ViewMenu::eventFilter(QObject* watched, QEvent* event) {
  constexpr int kBesideAxes = 12, kFoot = 10;  // pixels
  if (event->type() == QEvent::Resize || event->type() == QEvent::Show)
    move(kBesideAxes, parentWidget()->height() - height() - kFoot - footOver(parentWidget()->width()));
  return QToolButton::eventFilter(watched, event);
}

}  // namespace cooperage::app
