// SPDX-License-Identifier: GPL-3.0-or-later
#include "pencil.h"

#include <QApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

#include "../gauge_readings.h"
#include "../merges.h"
#include "../scene/freedom_card.h"
#include "../text.h"
#include "../theme.h"
#include "base/figure.h"
#include "model/joint_edits.h"
#include "model/outlines.h"
#include "model/sheet_edits.h"

namespace cooperage::app {

using namespace model;
using Vec2 = Eigen::Vector2d;

namespace {

constexpr double kFirstView = 0.3;  // m that an empty sheet shows over its height

}  // namespace

Pencil::Pencil(Workbench& bench, Scene& scene)
    : SceneMode(bench, scene, QStringLiteral("draw"), tr("Ends drawing (Esc)")),
      snaps_(bench, scene),
      dimensions_(bench, scene),
      fields_(new QFrame(&scene)) {
  fields_->setObjectName(QStringLiteral("draw fields"));
  dress(
      fields_,
      QStringLiteral(
          "QFrame { background: @panel; border: 1px solid @line; border-radius: 8px; } QLabel { border: 0; color: "
          "@mute; } QLineEdit { border: 1px solid @line; border-radius: 4px; background: @field; padding: 1px 4px; }"));
  auto* line = new QHBoxLayout(fields_);
  line->setContentsMargins(8, 5, 8, 5);
  line->setSpacing(5);
  const std::pair<QString, QString> kNames[] = {{tr("length"), tr("Length of the link; it holds")},
                                                {tr("angle"), tr("Angle from the sheet's x axis")},
                                                {tr("x"), tr("Place of the pivot on ground; it holds")},
                                                {tr("y"), tr("Place of the pivot on ground; it holds")}};
  for (std::size_t i = 0; i < edits_.size(); ++i) {
    auto* label = new QLabel(kNames[i].first);
    label->setFont(uiFont(8.5));
    auto* e = edits_[i] = new QLineEdit;
    e->setObjectName(QStringLiteral("draw ") + kNames[i].first);
    e->setAccessibleName(kNames[i].second);
    e->setToolTip(kNames[i].second);
    e->setFixedWidth(i < 2 ? 74 : 58);
    e->installEventFilter(this);
    connect(e, &QLineEdit::textChanged, &scene_, qOverload<>(&QWidget::update));
    line->addWidget(label);
    line->addWidget(e);
  }
  fields_->hide();
  auto* both = new QVBoxLayout;  // what makes links, and what draws on the sheet
  both->setSpacing(1);
  auto *links = new QHBoxLayout, *curves = new QHBoxLayout;
  both->addLayout(links);
  both->addLayout(curves);
  row()->addLayout(both);
  const std::tuple<QString, QString, const char*> kTools[] = {
      {tr("Link"), tr("A link from pivot to pivot"), "draw link"},
      {tr("Pivot"), tr("One more pivot on a link: click the link, then the place"), "draw pivot"},
      {tr("Plate"), tr("A link with an outline: click its corners, each a pivot; Enter ends"), "draw plate"},
      {tr("Line"), tr("Lines from point to point; Enter ends"), "draw line"},
      {tr("Rectangle"), tr("A rectangle by two corners"), "draw rectangle"},
      {tr("Circle"), tr("A circle by its centre and its radius"), "draw circle"},
      {tr("Arc"), tr("An arc by its ends and a point between"), "draw arc"},
      {tr("Centre arc"), tr("An arc by its centre, its start and its end"), "draw centre arc"},
      {tr("Spline"), tr("A curve through points; Enter ends"), "draw spline"},
      {tr("Dimension"), tr("Dimensions a line, or an angle or a distance of two of one link"), "draw dimension"}};
  for (const auto& [text, tip, name] : kTools) {
    auto* b = new QToolButton;
    b->setText(text);
    b->setToolTip(tip);
    b->setAccessibleName(tip);
    b->setObjectName(QLatin1String(name));
    b->setCheckable(true);
    b->setFocusPolicy(Qt::NoFocus);
    const auto index = tools_.size();
    connect(b, &QToolButton::clicked, this, [this, index] { setTool(static_cast<Tool>(index)); });
    tools_.push_back(b);
    (drawsCurve(static_cast<Tool>(index)) ? curves : links)->addWidget(b);
  }
  links->addStretch(1);
  curves->addStretch(1);
  construction_ = new QToolButton;
  construction_->setText(tr("Construction"));
  construction_->setToolTip(tr("What is drawn is to belong to no link"));
  construction_->setObjectName(QStringLiteral("draw construction"));
  construction_->setCheckable(true);
  construction_->setFocusPolicy(Qt::NoFocus);
  curves->addWidget(construction_);
}

Id Pencil::wantedSheet() const {
  const auto& m = *bench_.document().mechanism();
  for (Id id : bench_.selection().ids())
    if (findById(m.sheets, id)) return id;
  if (findById(m.sheets, sheet_)) return sheet_;
  return m.sheets.empty() ? 0 : m.sheets.front()->id;
}

void Pencil::start(Id sheet) {
  sheet_ = sheet != 0 ? sheet : wantedSheet();
  begun_.clear();
  forgetPoints();
  driver_ = 0;
  tool_ = Tool::link;
  seen_ = false;
  scene_.holdView();
  clearFields();
  const bool empty = scene_.outlines().lines().empty() && bench_.document().mechanism()->links.empty();
  lookSquare();
  if (empty) scene_.showHeight(kFirstView);
  scene_.setMouseTracking(true);
  dimensions_.setAll(true);
  begin(Stage::shape);
}

void Pencil::ended() {
  dimensions_.setAll(false);
  begun_.clear();
  forgetPoints();
  clearFields();
  fields_->hide();
}

void Pencil::lookSquare() {
  const Pose plane = snaps_.plane(sheet_ != 0 ? sheet_ : wantedSheet());
  scene_.lookFrom(plane.R.col(2), plane.R.col(1));
  if (!bench_.document().mechanism()->links.empty() || !scene_.outlines().lines().empty()) scene_.fitAll();
}

bool Pencil::stepBack() {
  if (anyTyped()) {
    clearFields();
  } else if (isBegun()) {
    begun_.clear();
    forgetPoints();
    fields_->hide();
  } else if (ternary_ != 0) {
    ternary_ = 0;
  } else {
    return false;
  }
  return true;
}

QString Pencil::prompt() const {
  if (tool_ == Tool::dimension)
    return tr("Click a line or a circle; a second line or a pivot makes an angle or a distance");
  if (tool_ == Tool::pivot) {
    const auto link = findLink(*bench_.document().mechanism(), ternary_);
    return link ? tr("Click where %1 gets a pivot").arg(q(link->name)) : tr("Click the link that gets another pivot");
  }
  if (tool_ == Tool::plate)
    return corners_.size() < 3 ? tr("Click a corner; on a pivot it is joined. Shift: a pivot on ground")
                               : tr("Click the next corner; the first one or Enter ends");
  if (tool_ != Tool::link) {
    if (points_.empty())
      return tool_ == Tool::circle || tool_ == Tool::centreArc ? tr("Click the centre") : tr("Click the first point");
    if (tool_ == Tool::spline) return tr("Click the next point; Enter ends");
    if (tool_ == Tool::line) return tr("Click the next point, or type length Tab angle; Enter ends");
    if (tool_ == Tool::circle) return tr("Click a point of it, or type its radius");
    return points_.size() == 1 && (tool_ == Tool::arc || tool_ == Tool::centreArc) ? tr("Click the next point")
                                                                                   : tr("Click the last point");
  }
  if (begun_.empty()) return tr("Click where a link begins");
  return tr("Click its other end, or type length Tab angle. Shift: a pivot on ground");
}

void Pencil::say() {
  for (std::size_t i = 0; i < tools_.size(); ++i) tools_[i]->setChecked(static_cast<Tool>(i) == tool_);
  construction_->setVisible(drawsCurve(tool_));
  SceneMode::say();
}

/// After undo the last seat may be gone: the link begun starts from the one before.
void Pencil::documentChanged() {
  const auto& m = *bench_.document().mechanism();
  while (!begun_.empty() && !findSeat(m, begun_.back())) begun_.pop_back();
  if (ternary_ != 0 && !findLink(m, ternary_)) ternary_ = 0;
  if (chain_ != 0) {  // after undo the line goes on from where it ends now
    const auto line = findSheetCurve(m, chain_);
    const auto outline = line ? outlineOf(m, *line->curve) : Result<drawing::Outline>(Error{});
    if (outline.ok())
      points_ = {outline->end()};
    else
      forgetPoints();
  }
  for (LayoutSpot& c : corners_)
    if (c.seat != 0 && !findSeat(m, c.seat)) c.seat = 0;
  if (sheet_ != 0 && !findById(m.sheets, sheet_)) sheet_ = wantedSheet();
  if (begun_.empty()) fields_->hide();
  say();
  scene_.update();
}

void Pencil::setTool(Tool tool) {
  tool_ = tool;
  begun_.clear();
  forgetPoints();
  const auto& chosen = bench_.selection().ids();
  ternary_ =
      tool == Tool::pivot && chosen.size() == 1 && findLink(*bench_.document().mechanism(), chosen[0]) ? chosen[0] : 0;
  clearFields();
  fields_->hide();
  scene_.setFocus();
  say();
  scene_.update();
}

std::optional<Vec2> Pencil::startPlace() const {
  if (!points_.empty()) return points_.back();
  if (begun_.empty()) return std::nullopt;
  const auto& r = bench_.solution().resolved();
  const Pose back = snaps_.plane(sheet_).inverse();
  for (std::size_t i = 0; i < r.links.size() && i < bench_.pose().poses().size(); ++i)
    for (const auto& s : r.links[i].seats)
      if (s.id == begun_.back()) return Vec2((back * (bench_.pose().poses()[i] * s.frame.p)).head<2>());
  return std::nullopt;
}

std::optional<double> Pencil::typed(std::size_t i) const {
  QString text = edits_[i]->text().trimmed();
  if (const auto equals = text.indexOf('='); equals >= 0) text = text.mid(equals + 1);
  if (text.isEmpty()) return std::nullopt;
  const auto& m = *bench_.document().mechanism();
  const auto f = parseField(m, text.toStdString());
  if (!f.ok()) return std::nullopt;
  const auto v = evaluateField(m, *f, i == 1 ? dimension::kAngle : dimension::kLength);
  return v.ok() ? std::optional<double>(*v) : std::nullopt;
}
bool Pencil::anyTyped() const {
  return std::any_of(edits_.begin(), edits_.end(), [](const QLineEdit* e) { return !e->text().isEmpty(); });
}
void Pencil::clearFields() {
  for (QLineEdit* e : edits_) e->clear();
}

void Pencil::showFields() {
  if (!isBegun()) return;
  fields_->adjustSize();
  const QPointF at = snap_.at + QPointF(18, 20);
  fields_->move(static_cast<int>(std::clamp(at.x(), 4.0, std::max(4.0, scene_.width() - fields_->width() - 4.0))),
                static_cast<int>(std::clamp(at.y(), 4.0, std::max(4.0, scene_.height() - fields_->height() - 4.0))));
  fields_->show();
  fields_->raise();
  fillHints();
}

/// What the pointer would give stands in the fields that nothing was typed into.
void Pencil::fillHints() {
  const auto from = startPlace();
  if (!from) return;
  const auto& units = bench_.document().mechanism()->units;
  const Vec2 way = snap_.spot.at - *from;
  const double values[] = {way.norm(), std::atan2(way.y(), way.x()), snap_.spot.at.x(), snap_.spot.at.y()};
  for (std::size_t i = 0; i < edits_.size(); ++i)
    edits_[i]->setPlaceholderText(
        figureText(values[i], i == 1 ? dimension::kAngle : dimension::kLength, units, 0, i == 1 ? 1e-3 : 1e-5));
}

/// Reads the fields into a stroke; `name=figure` makes a parameter of that name. @return false if one can't be read
bool Pencil::takeFields(Mechanism& m, LinkStroke& stroke) {
  std::optional<Field>* into[] = {&stroke.length, &stroke.angle, &stroke.x, &stroke.y};
  for (std::size_t i = 0; i < edits_.size(); ++i) {
    QString text = edits_[i]->text().trimmed();
    if (text.isEmpty()) continue;
    const auto fail = [&](const std::string& why) {
      bench_.say(q(why), true);
      edits_[i]->setFocus();
      edits_[i]->selectAll();
      return false;
    };
    const Dimension d = i == 1 ? dimension::kAngle : dimension::kLength;
    if (const auto equals = text.indexOf('='); equals >= 0) {
      const std::string name = text.left(equals).trimmed().toStdString();
      if (!isParameterName(name)) return fail("'" + name + "' can't name a parameter: use letters, digits and _");
      if (findByName(m.parameters, name))
        return fail("there is a parameter '" + name + "' already; type its name alone to use it");
      auto value = parseField(m, text.mid(equals + 1).toStdString());
      if (!value.ok()) return fail(value.error().text);
      if (!value->formula) value = parseField(m, formatNumber(value->number) + " " + m.units.label(d));
      if (!value.ok()) return fail(value.error().text);
      Parameter p;
      p.id = newId();
      p.name = name;
      p.value = *value;
      m.parameters.push_back(std::make_shared<const Parameter>(std::move(p)));
      text = q(name);
    }
    auto f = parseField(m, text.toStdString());
    if (!f.ok()) return fail(f.error().text);
    if (const auto v = evaluateField(m, *f, d); !v.ok()) return fail(v.error().text);
    *into[i] = *f;
  }
  return true;
}

/// A sheet to draw on. @return false if it can't be had
bool Pencil::makeSheet(Mechanism& m) {
  if (sheet_ != 0) return true;
  Sheet s;
  s.name = "layout";
  std::tie(m, sheet_) = withSheet(m, s);
  return true;
}

/// Where the next point comes: under the pointer, or as typed from the last one.
Vec2 Pencil::pointerPlace() const {
  const auto from = startPlace();
  Vec2 to = snap_.spot.at;
  if (!from) return to;
  const auto length = typed(0), angle = typed(1), x = typed(2), y = typed(3);
  Vec2 way = to - *from;
  if (angle) way = Vec2(std::cos(*angle), std::sin(*angle)) * std::max(way.norm(), 1e-9);
  if (length && snap_.spot.seat == 0) way = *length * (way.norm() > 0 ? Vec2(way.normalized()) : Vec2(1, 0));
  to = *from + way;
  if (x) to.x() = *x;
  if (y) to.y() = *y;
  return to;
}

std::optional<drawing::Outline> Pencil::curve(bool withPointer) const {
  std::vector<Vec2> x = points_;
  if (withPointer && !x.empty() && (pointerPlace() - x.back()).norm() > 1e-9) x.push_back(pointerPlace());
  return curveThrough(tool_, x);
}

void Pencil::addPoint() {
  const Vec2 at = pointerPlace();
  if (!points_.empty() && (at - points_.back()).norm() < 1e-9) return;
  points_.push_back(at);
  clearFields();
  if (points_.size() >= pointsWanted(tool_)) finishCurve();
  scene_.setFocus();
  hover(pointer_, Qt::NoModifier);
  say();
}

void Pencil::forgetPoints() {
  points_.clear();
  corners_.clear();
  chain_ = 0;
}

/// The curve comes onto the sheet; a line goes on from its end, as one curve, until it is back at its start.
void Pencil::finishCurve() {
  const auto drawn = curve(false);
  if (!drawn) {
    forgetPoints();
    return;
  }
  Mechanism m = *bench_.document().mechanism();
  if (!makeSheet(m)) return;
  Curve c = curveOf(*drawn, m.units);
  c.construction = construction_->isChecked();
  bench_.document().endGesture();
  const Id before = chain_;
  forgetPoints();
  if (tool_ == Tool::line && before != 0) {
    const auto longer = withPieceAdded(m, before, drawn->pieces.back());
    if (!bench_.document().apply(tr("Draw a line"), longer)) return;
    const auto line = findSheetCurve(*bench_.document().mechanism(), before);
    if (line && !line->curve->closed) goOn(before, drawn->end());
    return;
  }
  auto [next, ids] = withDrawn(m, sheet_, {c});
  if (!bench_.document().apply(tr("Draw a curve"), std::move(next))) return;
  if (tool_ == Tool::line) goOn(ids.front(), drawn->end());
}

void Pencil::goOn(Id line, const Vec2& from) {
  chain_ = line;
  points_ = {from};
}

void Pencil::addCorner(bool ground) {
  constexpr double kOnIt = 9;  // pixels
  if (corners_.size() > 2 &&
      QLineF(snaps_.toPixels(snaps_.plane(sheet_), corners_.front().at), pointer_).length() < kOnIt)
    return finishPlate();
  if (!corners_.empty() && (snap_.spot.at - corners_.back().at).norm() < 1e-9) return;
  LayoutSpot spot;
  spot.at = pointerPlace();
  if ((spot.at - snap_.spot.at).norm() < 1e-12) spot.seat = snap_.spot.seat;
  spot.ground = ground && spot.seat == 0;
  corners_.push_back(spot);
  points_.push_back(spot.at);
  clearFields();
  scene_.setFocus();
  hover(pointer_, Qt::NoModifier);
  say();
}

void Pencil::finishPlate() {
  Mechanism m = *bench_.document().mechanism();
  if (!makeSheet(m)) return;
  auto step = withPlateDrawn(m, sheet_, corners_, bench_.pose().poses());
  if (!step.ok()) {
    bench_.say(q(step.error().text), true);
    return;
  }
  forgetPoints();
  fields_->hide();
  bench_.document().endGesture();
  const Id link = step->link;
  if (!bench_.document().apply(tr("Draw %1").arg(q(findLink(step->mechanism, link)->name)), step->mechanism)) return;
  bench_.selection().select({link});
  if (!step->said.empty()) bench_.say(q(step->said.front()));
  say();
}

/// The first click says which link, the next ones where it gets pivots.
void Pencil::addPivot() {
  const auto& m = *bench_.document().mechanism();
  if (ternary_ == 0) {
    const auto line = scene_.outlines().lineAt(pointer_);
    const auto seat = snap_.spot.seat != 0 ? findSeat(m, snap_.spot.seat) : std::nullopt;
    ternary_ = line && line->link != 0 ? line->link : seat ? seat->link->id : 0;
    if (ternary_ == 0) bench_.say(tr("Click a line of the link that is to have one more pivot"), true);
    say();
    return;
  }
  auto made = withPivotAdded(m, sheet_, ternary_, snap_.spot.at, bench_.pose().poses());
  if (!made.ok()) {
    bench_.say(q(made.error().text), true);
    return;
  }
  bench_.document().endGesture();
  bench_.document().apply(tr("Add a pivot"), std::move(made->first));
  say();
}

void Pencil::click(Qt::KeyboardModifiers keys) {
  if (tool_ == Tool::dimension) {
    dimensions_.click(pointer_);
    return;
  }
  if (tool_ == Tool::pivot) return addPivot();
  if (tool_ == Tool::plate) return addCorner((keys & Qt::ShiftModifier) != 0);
  if (tool_ != Tool::link) {
    addPoint();
    return;
  }
  if (!begun_.empty()) {
    commit((keys & Qt::ShiftModifier) != 0);
    return;
  }
  if (snap_.spot.seat != 0) {
    begun_.push_back(snap_.spot.seat);
    showFields();
    say();
    return;
  }
  Mechanism m = *bench_.document().mechanism();
  if (!makeSheet(m)) return;
  auto made = withGroundPivot(m, sheet_, snap_.spot.at);
  if (!made.ok()) {
    bench_.say(q(made.error().text), true);
    return;
  }
  const Id seat = made->second;
  bench_.document().endGesture();
  if (!bench_.document().apply(tr("Pivot on ground"), made->first)) return;
  begun_.push_back(seat);
  showFields();
  say();
}

/// The link from where it was begun to the pointer, or to what was typed.
void Pencil::commit(bool ground) {
  Mechanism m = *bench_.document().mechanism();
  LinkStroke stroke;
  stroke.from.seat = begun_.back();
  stroke.to = snap_.spot;
  if (!takeFields(m, stroke)) return;
  if (stroke.x || stroke.y) {
    stroke.to = {};
    stroke.to.at = snap_.spot.at;
    stroke.to.ground = true;
  } else if (stroke.length && stroke.angle && stroke.to.seat == 0) {
    stroke.to.line.reset();
  }
  if (ground && stroke.to.seat == 0) {
    stroke.to.ground = true;
    stroke.to.line.reset();
  }
  auto step = withLinkDrawn(m, sheet_, stroke, bench_.pose().poses());
  if (!step.ok()) {
    bench_.say(q(step.error().text), true);
    return;
  }
  if (stroke.to.line && snap_.guide != 0)  // what guides it belongs to ground
    for (const auto& l : step->mechanism.links)
      if (l->ground) {
        if (auto with = gathered(step->mechanism, {snap_.guide}, l->id, {}, bench_.pose().poses()); with.ok())
          step->mechanism = with->first;
        break;
      }
  const auto start = findSeat(*bench_.document().mechanism(), begun_.back());
  if (start && start->link->ground && !step->joints.empty()) driver_ = step->joints.front();
  bench_.document().endGesture();
  const QString name = q(findLink(step->mechanism, step->link)->name);
  if (!bench_.document().apply(tr("Draw %1").arg(name), step->mechanism)) return;
  clearFields();
  if (step->end != 0) {
    begun_.push_back(step->end);
  } else {
    begun_.clear();
    fields_->hide();
    bench_.selection().select({findJoint(*bench_.document().mechanism(), driver_) ? driver_ : step->link});
  }
  QStringList said = step->end == 0 ? lengthWords(bench_) : QStringList();
  for (const std::string& text : step->said) said.prepend(q(text));
  if (!said.isEmpty()) bench_.say(said.join(QStringLiteral("; ")));
  scene_.setFocus();
  hover(pointer_, Qt::NoModifier);
  say();
}

}  // namespace cooperage::app
