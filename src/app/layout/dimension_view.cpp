// SPDX-License-Identifier: GPL-3.0-or-later
#include "dimension_view.h"

#include <QApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>
#include <cmath>

#include "../merges.h"
#include "../text.h"
#include "../theme.h"
#include "base/figure.h"
#include "model/layout.h"
#include "model/outlines.h"

namespace cooperage::app {

using namespace model;
using Vec2 = Eigen::Vector2d;

namespace {

constexpr double kReach = 8;    // pixels
constexpr double kBeside = 13;  // pixels from the line to the middle of its figure

Dimension unitOf(DimensionKind kind) { return kind == DimensionKind::angle ? dimension::kAngle : dimension::kLength; }

/// A place beside the middle of a line, on its left.
QPointF beside(const QPointF& a, const QPointF& b) {
  const QPointF d = b - a;
  const double n = std::hypot(d.x(), d.y());
  return 0.5 * (a + b) + (n > 0 ? kBeside / n * QPointF(d.y(), -d.x()) : QPointF(0, -kBeside));
}

}  // namespace

DimensionView::DimensionView(Workbench& bench, Scene& scene)
    : QObject(&scene), bench_(bench), scene_(scene), editor_(new QFrame(&scene)) {
  editor_->setObjectName(QStringLiteral("dimension editor"));
  dress(editor_, QStringLiteral("QFrame { background: @panel; border: 1px solid @accent; border-radius: 8px; } QLabel "
                                "{ border: 0; color: @mute; } QLineEdit { border: 1px solid @line; border-radius: 4px; "
                                "background: @field; padding: 1px 4px; }"));
  auto* row = new QHBoxLayout(editor_);
  row->setContentsMargins(6, 4, 6, 4);
  row->setSpacing(4);
  value_ = new QLineEdit;
  value_->setObjectName(QStringLiteral("dimension value"));
  value_->setAccessibleName(tr("Value of the dimension"));
  value_->setToolTip(tr("A figure, a formula or a parameter; the arrow keys step it"));
  value_->setFixedWidth(96);
  row->addWidget(value_);
  auto* label = new QLabel(tr("step"));
  label->setFont(uiFont(8.5));
  row->addWidget(label);
  step_ = new QLineEdit;
  step_->setObjectName(QStringLiteral("dimension step"));
  step_->setAccessibleName(tr("Step of the dimension"));
  step_->setToolTip(tr("What this figure is rounded to and stepped by; it is remembered"));
  step_->setFixedWidth(56);
  row->addWidget(step_);
  const auto button = [&](const QString& text, const QString& tip, const char* name) {
    auto* b = new QToolButton;
    b->setText(text);
    b->setToolTip(tip);
    b->setAccessibleName(tip);
    b->setObjectName(QLatin1String(name));
    b->setFocusPolicy(Qt::NoFocus);
    row->addWidget(b);
    return b;
  };
  round_ = button(tr("Round"), tr("Rounds the figure to its step"), "dimension round");
  free_ = button(tr("Free"), tr("Takes the dimension away: the line follows the others"), "dimension free");
  connect(round_, &QToolButton::clicked, this, &DimensionView::roundNow);
  connect(free_, &QToolButton::clicked, this, &DimensionView::setFree);
  for (QLineEdit* e : {value_, step_}) e->installEventFilter(this);
  scene_.installEventFilter(this);
  connect(&scene_, &OcctView::painted, this, [this](QPainter& p) {
    if (bench_.selection().stage() == Stage::shape)
      paint(p, all_);
    else
      labels_.clear();
  });
  editor_->hide();
  connect(&bench_.document(), &Document::replaced, this, &DimensionView::close);
}

std::vector<DimensionView::Label> DimensionView::find(bool free) const {
  std::vector<Label> out;
  const auto& m = *bench_.document().mechanism();
  const auto& poses = bench_.pose().poses();
  const auto& r = bench_.solution().resolved();
  if (poses.size() != m.links.size() || r.links.size() != m.links.size()) return out;
  for (std::size_t i = 0; i < m.links.size(); ++i)
    if (!m.links[i]->hidden && ((free && isDrawnHere(m, *m.links[i])) || !m.links[i]->dimensions.empty()))
      ofLink(*m.links[i], i, free, out);
  return out;
}

void DimensionView::ofLink(const Link& link, std::size_t index, bool free, std::vector<Label>& out) const {
  const auto& m = *bench_.document().mechanism();
  const Pose& pose = bench_.pose().poses()[index];
  const auto& seats = bench_.solution().resolved().links[index].seats;
  std::map<Id, Vec3> place;  // of seats, ground axes
  std::map<Id, Pose> frames;
  for (const auto& s : seats) {
    place[s.id] = pose * s.frame.p;
    frames[s.id] = pose * s.frame;
  }
  struct Line {
    Vec3 a, b;
    bool line;
    double radius;
  };
  std::map<std::pair<Id, int>, Line> pieces;  // of round ones: centre, a point of them
  for (const auto& c : link.curves) {
    if (!c->outline || frames.count(c->seat) == 0) continue;
    const auto outline = outlineOf(m, *c);
    if (!outline.ok()) continue;
    const Pose& f = frames[c->seat];
    for (std::size_t k = 0; k < outline->pieces.size(); ++k) {
      const auto& p = outline->pieces[k];
      const auto at = [&](const Vec2& x) { return Vec3(f * Vec3(x.x(), x.y(), 0)); };
      if (p.kind == drawing::Piece::Kind::line)
        pieces[{c->id, static_cast<int>(k)}] = {at(p.a), at(p.b), true, 0};
      else if (const auto radius = radiusOf(p))
        pieces[{c->id, static_cast<int>(k)}] = {at(p.centre), at(p.at(0.5 * (p.low() + p.high()))[0]), false, *radius};
    }
  }
  const auto seatAt = [&](const Vec3& x) {
    for (const auto& [id, at] : place)
      if ((at - x).norm() < 1e-9) return id;
    return Id(0);
  };
  std::vector<Id> shown;
  const auto label = [&](DimensionKind kind, std::vector<DimensionEnd> of, double value, const QPointF& at) {
    Label l;
    l.link = link.id;
    l.kind = kind;
    l.known = findDimension(link, kind, of);
    l.of = std::move(of);
    l.value = value;
    l.at = at;
    if (l.known) shown.push_back(l.known->id);
    if (l.known || free) out.push_back(std::move(l));
  };
  for (const auto& [key, p] : pieces) {
    const QPointF a = scene_.project(p.a), b = scene_.project(p.b);
    std::vector<DimensionEnd> own{{key.first, key.second}};
    if (!p.line) {
      label(DimensionKind::radius, own, p.radius, beside(a, b));
      continue;
    }
    const Id from = seatAt(p.a), to = seatAt(p.b);
    if (from != 0 && to != 0 && !findDimension(link, DimensionKind::length, own)) own = {{from, 0}, {to, 0}};
    label(DimensionKind::length, own, (p.b - p.a).norm(), beside(a, b));
  }
  for (const auto& d : link.dimensions) {  // what no line of its own shows
    if (!d->kind.known() || std::find(shown.begin(), shown.end(), d->id) != shown.end()) continue;
    std::vector<Vec3> at;
    for (const DimensionEnd& e : d->of) {
      if (const auto s = place.find(e.object); s != place.end()) at.push_back(s->second);
      if (const auto p = pieces.find({e.object, e.piece}); p != pieces.end())
        at.push_back(0.5 * (p->second.a + p->second.b));
    }
    if (at.empty()) continue;
    Vec3 middle = Vec3::Zero();
    for (const Vec3& x : at) middle += x / static_cast<double>(at.size());
    QPointF px = scene_.project(middle);
    if (d->kind == DimensionKind::x) px += QPointF(0, 2.2 * kBeside);
    if (d->kind == DimensionKind::y) px += QPointF(3 * kBeside, 0.9 * kBeside);
    if (d->kind == DimensionKind::length && at.size() == 2) px = beside(scene_.project(at[0]), scene_.project(at[1]));
    const auto value = measured(m, link.id, *d);
    if (value) label(d->kind.value(), d->of, *value, px);
  }
}

QString DimensionView::textOf(const Label& l) const {
  const auto& m = *bench_.document().mechanism();
  const QString sign = l.kind == DimensionKind::radius ? QStringLiteral("R ")
                       : l.kind == DimensionKind::x    ? QStringLiteral("x ")
                       : l.kind == DimensionKind::y    ? QStringLiteral("y ")
                                                       : QString();
  const QString figure = figureText(l.value, unitOf(l.kind), m.units, 0, l.kind == DimensionKind::angle ? 1e-4 : 1e-6);
  QString text = sign + (l.kind == DimensionKind::angle ? withUnit(figure, m.units.label(dimension::kAngle)) : figure);
  if (l.known && l.known->value.formula) text = q(fieldText(m, l.known->value)) + QStringLiteral(" = ") + text;
  return text;
}

void DimensionView::paint(QPainter& p, bool free) {
  labels_ = find(free);
  p.setFont(uiFont(8.5));
  std::vector<QRectF> taken;
  for (Label& l : labels_) {
    const QString text = textOf(l);
    QRectF box = p.fontMetrics().boundingRect(text).adjusted(0, 0, 10, 4);
    box.moveCenter(l.at);
    for (int tries = 0; tries < 6; ++tries) {  // figures don't lie on one another
      const auto under = std::find_if(taken.begin(), taken.end(), [&](const QRectF& o) { return o.intersects(box); });
      if (under == taken.end()) break;
      box.moveTop(under->bottom() + 2);
    }
    taken.push_back(box);
    l.box = box;
    if (editor_->isVisible() && l.link == edited_.link && l.kind == edited_.kind && l.box.contains(edited_.at))
      continue;
    if (l.known) {
      p.setPen(QPen(theme().line, 1));
      p.setBrush(theme().panel);
      p.drawRoundedRect(box, 4, 4);
    }
    p.setPen(l.known ? theme().ink : theme().mute);
    p.drawText(box, Qt::AlignCenter, text);
  }
}

bool DimensionView::isOver(const QPointF& at) const {
  return std::any_of(labels_.begin(), labels_.end(), [&](const Label& l) { return l.box.contains(at); });
}

bool DimensionView::openAt(const QPointF& at) {
  for (const Label& l : labels_)
    if (l.box.contains(at)) {
      open(l.link, l.kind, l.of, l.box.center());
      return true;
    }
  return false;
}

void DimensionView::open(Id link, DimensionKind kind, const std::vector<DimensionEnd>& of, const QPointF& at) {
  edited_ = {};
  edited_.link = link;
  edited_.kind = kind;
  edited_.of = of;
  edited_.at = at;
  fillEditor();
  editor_->adjustSize();
  editor_->move(static_cast<int>(std::clamp(at.x() - 52, 4.0, std::max(4.0, scene_.width() - editor_->width() - 4.0))),
                static_cast<int>(std::clamp(at.y() - editor_->height() / 2.0, 4.0,
                                            std::max(4.0, scene_.height() - editor_->height() - 4.0))));
  editor_->show();
  editor_->raise();
  bench_.document().endGesture();
  value_->setFocus();
  value_->selectAll();
}

std::optional<DimensionView::Item> DimensionView::itemAt(const QPointF& at) const {
  const auto& m = *bench_.document().mechanism();
  const auto& r = bench_.solution().resolved();
  const auto& poses = bench_.pose().poses();
  std::optional<Item> out;
  double best = kReach;
  for (std::size_t i = 0; i < r.links.size() && i < poses.size() && i < m.links.size(); ++i) {
    if (m.links[i]->hidden) continue;
    for (const auto& s : r.links[i].seats) {
      const QPointF px = scene_.project(poses[i] * s.frame.p);
      const double d = std::hypot(px.x() - at.x(), px.y() - at.y());
      if (d < best) {
        best = d;
        out = Item{m.links[i]->id, {s.id, 0}, Item::Kind::point, px};
      }
    }
  }
  if (out) return out;
  for (const auto& l : scene_.outlines().lines()) {
    if (l.link == 0 || !scene_.outlines().isNear(l, at, kReach)) continue;
    for (std::size_t k = 0; k < l.outline->pieces.size(); ++k) {
      const auto& piece = l.outline->pieces[k];
      QPointF before;
      const auto points = drawing::flattened({{piece}, false}, scene_.scale());
      for (std::size_t j = 0; j < points.size(); ++j) {
        const QPointF now = scene_.project(l.frame * Vec3(points[j].x(), points[j].y(), 0));
        if (j > 0) {
          const QPointF d = now - before, w = at - before;
          const double n = QPointF::dotProduct(d, d);
          const double t = n > 0 ? std::clamp(QPointF::dotProduct(d, w) / n, 0.0, 1.0) : 0;
          const QPointF off = w - t * d;
          if (const double far = std::hypot(off.x(), off.y()); far < best) {
            best = far;
            out = Item{l.link,
                       {l.curve->id, static_cast<int>(k)},
                       piece.kind == drawing::Piece::Kind::line ? Item::Kind::line : Item::Kind::round,
                       at};
          }
        }
        before = now;
      }
    }
  }
  return out;
}

/// A line or a circle is dimensioned at once; another line, or a point, of the same link after it makes an angle or a
/// distance of the two.
void DimensionView::click(const QPointF& at) {
  const auto item = itemAt(at);
  if (!item) {
    first_.reset();
    close();
    return;
  }
  const auto first = first_;
  first_ = item;
  const bool other = first && (first->end.object != item->end.object || first->end.piece != item->end.piece);
  if (other && first->link != item->link) {
    bench_.say(tr("A dimension is within one link; between links a joint or a drive says it"), true);
    return;
  }
  using Kind = Item::Kind;
  if (other) {
    first_.reset();
    if (first->kind == Kind::point && item->kind == Kind::point)
      return open(item->link, DimensionKind::length, {first->end, item->end}, 0.5 * (first->at + at));
    if (first->kind == Kind::line && item->kind == Kind::line)
      return open(item->link, DimensionKind::angle, {first->end, item->end}, at);
    if (first->kind == Kind::point && item->kind == Kind::line)
      return open(item->link, DimensionKind::pointLine, {first->end, item->end}, at);
    if (first->kind == Kind::line && item->kind == Kind::point)
      return open(item->link, DimensionKind::pointLine, {item->end, first->end}, at);
    first_ = item;
  }
  if (item->kind == Kind::line) open(item->link, DimensionKind::length, {item->end}, at);
  if (item->kind == Kind::round) open(item->link, DimensionKind::radius, {item->end}, at);
}

void DimensionView::close() {
  if (!editor_->isVisible()) return;
  editor_->hide();
  bench_.document().endGesture();
  scene_.setFocus();
  scene_.update();
  emit closed();
}

/// What the dimension is now: as it was typed, else as it measures.
void DimensionView::fillEditor() {
  const auto& m = *bench_.document().mechanism();
  const auto link = findLink(m, edited_.link);
  if (!link) return;
  edited_.known = findDimension(*link, edited_.kind, edited_.of);
  DrawnDimension asked;
  asked.kind = edited_.kind;
  asked.of = edited_.of;
  edited_.value = measured(m, edited_.link, asked).value_or(0);
  value_->setText(edited_.known && edited_.known->value.formula
                      ? q(fieldText(m, edited_.known->value))
                      : withUnit(figureText(edited_.value, unitOf(edited_.kind), m.units, 0, 1e-9),
                                 m.units.label(unitOf(edited_.kind))));
  step_->setText(edited_.known && edited_.known->step ? q(fieldText(m, *edited_.known->step)) : QString());
  step_->setPlaceholderText(QStringLiteral("1"));
  free_->setEnabled(edited_.known != nullptr);
}

double DimensionView::stepSize() const {
  const auto& m = *bench_.document().mechanism();
  const Dimension d = unitOf(edited_.kind);
  if (!step_->text().trimmed().isEmpty())
    if (const auto f = parseField(m, step_->text().toStdString()); f.ok())
      if (const auto v = evaluateField(m, *f, d); v.ok() && *v > 0) return *v;
  return m.units.factor(d);
}

bool DimensionView::take(const QString& text, int merge) {
  const auto& m = *bench_.document().mechanism();
  const auto value = parseField(m, text.toStdString());
  if (!value.ok()) {
    bench_.say(q(value.error().text), true);
    return false;
  }
  std::optional<Field> step;
  if (!step_->text().trimmed().isEmpty()) {
    const auto s = parseField(m, step_->text().toStdString());
    if (!s.ok()) {
      bench_.say(q(s.error().text), true);
      return false;
    }
    step = *s;
  }
  return bench_.document().apply(tr("Dimension"),
                                 withDimension(m, edited_.link, edited_.kind, edited_.of, *value, step), merge);
}

/// The text of a figure in document units: nine digits after the point are more than anybody draws.
QString DimensionView::written(double si) const {
  const auto& units = bench_.document().mechanism()->units;
  const Dimension d = unitOf(edited_.kind);
  return withUnit(q(formatNumber(std::round(si / units.factor(d) * 1e9) / 1e9)), units.label(d));
}

void DimensionView::roundNow() {
  const double step = stepSize();
  if (take(written(std::round(edited_.value / step) * step), 0)) fillEditor();
}

/// To the next whole step above or below.
void DimensionView::stepBy(int by) {
  constexpr double kOn = 1e-6;  // of a step: it stands on one
  const double step = stepSize(), steps = edited_.value / step;
  const double next = by > 0 ? std::floor(steps + kOn) + 1 : std::ceil(steps - kOn) - 1;
  if (!take(written(next * step), kMergePivot)) return;
  fillEditor();
  value_->selectAll();
}

void DimensionView::setFree() {
  if (edited_.known)
    bench_.document().apply(tr("Free a dimension"),
                            withoutDimensions(*bench_.document().mechanism(), {edited_.known->id}));
  close();
}

bool DimensionView::eventFilter(QObject* watched, QEvent* event) {
  if (watched == &scene_)
    return event->type() == QEvent::MouseButtonDblClick && bench_.selection().stage() == Stage::shape &&
           openAt(static_cast<QMouseEvent*>(event)->position());
  if (event->type() != QEvent::KeyPress) return QObject::eventFilter(watched, event);
  auto* e = static_cast<QKeyEvent*>(event);
  switch (e->key()) {
    case Qt::Key_Escape: close(); return true;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (take(value_->text(), 0)) close();
      return true;
    case Qt::Key_Up:
    case Qt::Key_Down:
      if (watched != value_) return false;
      stepBy(e->key() == Qt::Key_Up ? 1 : -1);
      return true;
    case Qt::Key_Tab:
    case Qt::Key_Backtab: {
      QLineEdit* other = watched == value_ ? step_ : value_;
      other->setFocus();
      other->selectAll();
      return true;
    }
    default: return false;
  }
}

}  // namespace cooperage::app
