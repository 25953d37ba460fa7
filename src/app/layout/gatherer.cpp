// SPDX-License-Identifier: GPL-3.0-or-later
#include "gatherer.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>
#include <set>

#include "../choice_box.h"
#include "../text.h"
#include "../theme.h"
#include "model/outlines.h"
#include "model/plane_joints.h"
#include "model/sheet_edits.h"

namespace cooperage::app {

using namespace model;
using Vec2 = Eigen::Vector2d;

namespace {
constexpr double kLoopBegins = 4;  // pixels before a press becomes a loop
}  // namespace

Gatherer::Gatherer(Workbench& bench, Scene& scene)
    : SceneMode(bench, scene, QStringLiteral("gather"), tr("Ends gathering (Esc)")) {
  row()->setSpacing(6);
  auto* into = new QLabel(tr("Into"));
  row()->addWidget(into);
  links_ = new ChoiceBox;
  links_->setObjectName(QStringLiteral("gather link"));
  links_->setToolTip(tr("The link that gets the curves"));
  links_->setFocusPolicy(Qt::TabFocus);
  row()->addWidget(links_);
  name_ = new QLineEdit;
  name_->setObjectName(QStringLiteral("gather name"));
  name_->setAccessibleName(tr("Name of the link"));
  name_->setToolTip(tr("Name of the link, now or later"));
  name_->setPlaceholderText(tr("name"));
  name_->setFixedWidth(120);
  row()->addWidget(name_);
  count_ = new QLabel;
  count_->setObjectName(QStringLiteral("gather count"));
  row()->addWidget(count_, 1);
  auto* join = new QToolButton;
  join->setText(tr("Join"));
  join->setToolTip(tr("Joins the links where they meet (Shift+J)"));
  join->setObjectName(QStringLiteral("gather join"));
  join->setFocusPolicy(Qt::NoFocus);
  connect(join, &QToolButton::clicked, this, &Gatherer::joinAsked);
  row()->addWidget(join);
  connect(links_, &QComboBox::currentIndexChanged, this, [this] {
    if (!filling_) setLink(links_->currentData().toULongLong());
  });
  connect(name_, &QLineEdit::editingFinished, this, [this] {
    const std::string name = name_->text().trimmed().toStdString();
    const auto link = findLink(*bench_.document().mechanism(), link_);
    if (link && !name.empty() && name != link->name)
      bench_.document().apply(tr("Rename"), renamed(*bench_.document().mechanism(), link_, name));
    scene_.setFocus();
  });
}

void Gatherer::start(Id link) {
  looping_ = false;
  bench_.selection().select({});
  setLink(link);
  begin(Stage::shape);
}

void Gatherer::ended() {
  looping_ = false;
  loop_.clear();
  scene_.outlines().setFocus({});
  if (link_ != 0) bench_.selection().select({link_});
}

bool Gatherer::stepBack() {
  if (!looping_ && asked_ == 0) return false;
  looping_ = false;
  asked_ = 0;
  loop_.clear();
  return true;
}

void Gatherer::setLink(Id link) {
  link_ = link;
  asked_ = 0;
  scene_.outlines().setFocus(link);
  fillLinks();
  say();
  scene_.update();
}

void Gatherer::fillLinks() {
  filling_ = true;
  links_->clear();
  links_->addItem(tr("New link"), QVariant::fromValue<qulonglong>(0));
  for (const auto& l : bench_.document().mechanism()->links)
    links_->addItem(q(l->name), QVariant::fromValue<qulonglong>(l->id));
  links_->setCurrentIndex(std::max(0, links_->findData(QVariant::fromValue<qulonglong>(link_))));
  const auto link = findLink(*bench_.document().mechanism(), link_);
  if (link && !name_->hasFocus()) name_->setText(q(link->name));
  if (!link && !name_->hasFocus()) name_->clear();
  filling_ = false;
}

void Gatherer::documentChanged() {
  if (link_ != 0 && !findLink(*bench_.document().mechanism(), link_)) link_ = 0;
  scene_.outlines().setFocus(link_);
  fillLinks();
  say();
}

QString Gatherer::prompt() const {
  const auto& m = *bench_.document().mechanism();
  if (asked_ != 0)
    if (const auto owner = findCurve(m, asked_))
      return tr("%1 has it: click again to move it, Alt+click to use it in both").arg(q(owner->link->name));
  if (looping_) return tr("Let go: what lies wholly inside is taken, with Shift also what is touched");
  return tr("Draw a loop around curves, click one, or double-click a chain");
}

void Gatherer::say() {
  const int loose = countLoose(*bench_.document().mechanism());
  count_->setText(loose == 0 ? tr("every curve belongs to a link")
                             : tr("%1 belong to no link").arg(counted(loose, tr("curve"), tr("curves"))));
  SceneMode::say();
}

void Gatherer::take(const std::vector<Id>& curves) {
  if (curves.empty()) return;
  const auto& m = *bench_.document().mechanism();
  auto made = gathered(m, curves, link_, name_->text().trimmed().toStdString(), bench_.pose().poses());
  if (!made.ok()) {
    bench_.say(q(made.error().text), true);
    return;
  }
  bench_.document().endGesture();
  const Id link = made->second;
  const bool fresh = link_ == 0;
  if (fresh) link_ = link;  // the document's change finds it
  if (!bench_.document().apply(tr("Gather curves"), std::move(made->first))) {
    if (fresh) link_ = 0;
    return;
  }
  setLink(link);
}

void Gatherer::letGo(const std::vector<Id>& curves) {
  bench_.document().endGesture();
  bench_.document().apply(tr("Let curves go"), released(*bench_.document().mechanism(), curves));
}

void Gatherer::click(const QPointF& at, Qt::KeyboardModifiers keys) {
  const auto line = scene_.outlines().lineAt(at, link_);
  if (!line) {
    asked_ = 0;
    say();
    return;
  }
  const Id curve = line->curve->id;
  if (line->link == 0) {
    asked_ = 0;
    take({curve});
  } else if (line->link == link_) {
    asked_ = 0;
    letGo({curve});
  } else if ((keys & Qt::AltModifier) && link_ != 0) {
    asked_ = 0;
    auto both = gatheredCopies(*bench_.document().mechanism(), {curve}, link_, bench_.pose().poses());
    bench_.document().endGesture();
    bench_.document().apply(tr("Use a curve in both"), both.ok() ? Result<Mechanism>(both->first) : both.error());
  } else if (asked_ == curve) {
    asked_ = 0;
    take({curve});
  } else {
    asked_ = curve;
  }
  say();
  scene_.update();
}

/// The loose curves that hang together with the one under a pixel, end to end on one sheet.
void Gatherer::takeChain(const QPointF& at) {
  const auto line = scene_.outlines().lineAt(at, link_);
  if (!line) return;
  const auto& m = *bench_.document().mechanism();
  const Id sheet = line->link == 0 ? line->sheet : line->curve->sheet;
  struct Ends {
    Id id;
    Vec2 a, b;
  };
  std::vector<Ends> loose;
  Vec2 a, b;
  if (const auto own = outlineOf(m, *line->curve); own.ok()) {
    a = own->start();
    b = own->end();
  }
  const auto s = findById(m.sheets, sheet);
  if (!s) return;
  for (const auto& c : s->curves)
    if (const auto o = outlineOf(m, *c); o.ok() && !c->construction) loose.push_back({c->id, o->start(), o->end()});
  std::vector<Vec2> open{a, b};
  std::set<Id> chain;
  if (line->link == 0) chain.insert(line->curve->id);
  for (std::size_t i = 0; i < open.size(); ++i)
    for (const Ends& e : loose) {
      if (chain.count(e.id) > 0) continue;
      const bool first = (e.a - open[i]).norm() < kOnePlace, last = (e.b - open[i]).norm() < kOnePlace;
      if (!first && !last) continue;
      chain.insert(e.id);
      open.push_back(first ? e.b : e.a);
    }
  take({chain.begin(), chain.end()});
}

void Gatherer::takeLoop(bool touched) {
  std::vector<Id> inside;
  for (const auto& l : scene_.outlines().lines()) {
    if (l.link != 0 || l.curve->construction || l.points->empty()) continue;
    const auto in = [&](const Vec2& x) {
      return loop_.containsPoint(scene_.project(l.frame * Vec3(x.x(), x.y(), 0)), Qt::OddEvenFill);
    };
    const bool taken = touched ? std::any_of(l.points->begin(), l.points->end(), in)
                               : std::all_of(l.points->begin(), l.points->end(), in);
    if (taken) inside.push_back(l.curve->id);
  }
  take(inside);
}

bool Gatherer::eventFilter(QObject* watched, QEvent* event) {
  if (!isOn() || watched != &scene_) return QObject::eventFilter(watched, event);
  const auto left = [&] { return static_cast<QMouseEvent*>(event)->button() == Qt::LeftButton; };
  switch (event->type()) {
    case QEvent::Resize: say(); return false;
    case QEvent::KeyPress: return static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape && cancel();
    case QEvent::MouseButtonPress:
      if (!left()) return false;
      loop_ = QPolygonF({static_cast<QMouseEvent*>(event)->position()});
      moved_ = false;
      return true;
    case QEvent::MouseMove: {
      auto* e = static_cast<QMouseEvent*>(event);
      if (e->buttons() & (Qt::MiddleButton | Qt::RightButton)) return false;
      if (!(e->buttons() & Qt::LeftButton) || loop_.isEmpty()) return true;
      if (!looping_ && QLineF(loop_[0], e->position()).length() < kLoopBegins) return true;
      if (!looping_) {
        looping_ = true;
        say();
      }
      loop_ << e->position();
      scene_.update();
      return true;
    }
    case QEvent::MouseButtonRelease: {
      if (!left()) return false;
      auto* e = static_cast<QMouseEvent*>(event);
      const bool loop = looping_;
      looping_ = false;
      if (loop) {
        takeLoop((e->modifiers() & Qt::ShiftModifier) != 0);
      } else if (!loop_.isEmpty()) {
        click(e->position(), e->modifiers());
      }
      loop_.clear();
      say();
      scene_.update();
      return true;
    }
    case QEvent::MouseButtonDblClick:
      if (!left()) return false;
      loop_.clear();
      takeChain(static_cast<QMouseEvent*>(event)->position());
      return true;
    default: return false;
  }
}

void Gatherer::paint(QPainter& p) {
  if (!isOn()) return;
  if (asked_ != 0)
    for (const auto& l : scene_.outlines().lines()) {
      if (l.curve->id != asked_) continue;
      QPolygonF line;
      for (const auto& x : *l.points) line << scene_.project(l.frame * Vec3(x.x(), x.y(), 0));
      p.setPen(QPen(theme().warn, 3));
      p.setBrush(Qt::NoBrush);
      p.drawPolyline(line);
    }
  if (!looping_) return;
  QColor fill = theme().accent;
  fill.setAlphaF(0.12f);
  p.setPen(QPen(theme().accent, 1.4, Qt::DashLine));
  p.setBrush(fill);
  p.drawPolygon(loop_);
}

}  // namespace cooperage::app
