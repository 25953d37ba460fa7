// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QTimer>
#include <QWheelEvent>
#include <algorithm>
#include <map>
#include <set>

#include "../theme.h"
#include "marks.h"
#include "picker.h"
#include "shape/face_features.h"
#include "shape/placement.h"
// OCCT last
#include "scene_parts.h"

namespace cooperage::app {

using model::Id;

namespace {

constexpr std::size_t kFew = 20;  // parts; so many are shown at once when they are opened
constexpr int kBatch = 60;        // parts
constexpr long kHeavy = 60000;    // triangles in full: more than a picture in motion has time for
// pixels that a light mesh may be off
constexpr double kOffAtRest = 0.6, kOffMoving = 2.5;

Quantity_Color occ(const QColor& c) { return {c.redF(), c.greenF(), c.blueF(), Quantity_TOC_sRGB}; }
QColor mixed(const QColor& a, const QColor& b, double share) {
  return QColor::fromRgbF(static_cast<float>(a.redF() * (1 - share) + b.redF() * share),
                          static_cast<float>(a.greenF() * (1 - share) + b.greenF() * share),
                          static_cast<float>(a.blueF() * (1 - share) + b.blueF() * share));
}

}  // namespace

Scene::Scene(Workbench& bench, QWidget* parent)
    : OcctView(parent),
      bench_(bench),
      d_(std::make_unique<Shown>()),
      picker_(std::make_unique<Picker>(bench, *this)),
      marks_(std::make_unique<Marks>(bench, *this)),
      outlines_(bench, *this) {
  setObjectName(QStringLiteral("scene"));
  setAccessibleName(tr("Scene"));
  connect(&bench_.document(), &Document::changed, this, &Scene::syncBodies);
  connect(&bench_.shapes(), &BodyShapes::changed, this, [this] {
    syncBodies();
    syncEnvelope();
  });
  connect(&bench_.checks(), &CheckBook::envelopeChanged, this, &Scene::syncEnvelope);
  connect(&bench_.pose(), &PoseControl::changed, this, &Scene::syncPoses);
  connect(&bench_.selection(), &Selection::changed, this, &Scene::refreshColours);
  connect(&bench_, &Workbench::resultsChanged, this, [this] {
    syncCommon();
    refreshColours();
  });
  connect(&bench_.runs().live(), &JobRunner::finished, this, qOverload<>(&QWidget::update));
  connect(&bench_.document(), &Document::fileChanged, this,
          [this] { fitted_ = fitted_ && !bench_.document().mechanism()->links.empty(); });
  connect(this, &OcctView::painted, this, &Scene::paintMarks);
  connect(&themeWatch(), &ThemeWatch::changed, this, [this] {
    setBackground(theme().sceneTop, theme().sceneBottom);
    syncEnvelope();
    syncCommon();
    refreshColours();
    invalidate();
  });
  syncBodies();
}

Scene::~Scene() = default;

bool Scene::lit(Id link, Id body) const {
  if (bench_.selection().isSelected(link) || bench_.selection().isSelected(body)) return true;
  for (Id id : bench_.selection().ids())
    if (const auto j = model::findJoint(*bench_.document().mechanism(), id))
      for (Id seat : j->seats)
        if (const auto s = model::findSeat(*bench_.document().mechanism(), seat); s && s->link->id == link) return true;
  return false;
}

/// What there is to be seen, and how; the objects themselves are made by fill(), a few at a time.
void Scene::syncBodies() {
  if (!context()) return;
  const auto& m = *bench_.document().mechanism();
  const auto& r = bench_.solution().resolved();
  std::set<Id> present;
  long triangles = 0;
  for (std::size_t l = 0; l < r.links.size(); ++l)
    for (std::size_t b = 0; b < r.links[l].bodies.size(); ++b) {
      const Id id = r.links[l].bodies[b].id;
      const auto solid = bench_.shapes().solid(id);
      if (!solid) continue;
      present.insert(id);
      if (solid->light) triangles += solid->light->fullSize;
      auto& entry = d_->bodies[id];
      entry.link = static_cast<int>(l);
      entry.body = static_cast<int>(b);
      if (entry.solid != solid) {
        if (entry.old.IsNull())
          entry.old = entry.object;
        else if (!entry.object.IsNull())
          context()->Remove(entry.object, false);
        entry.object.Nullify();
        entry.dressed = false;
        entry.solid = solid;
      }
      const auto& link = *m.links[l];
      const auto& body = *link.bodies[b];
      const auto& c = link.colour ? link.colour : body.colour ? body.colour : solid->colour;
      const QColor base =
          c             ? QColor::fromRgbF(static_cast<float>(c->r), static_cast<float>(c->g), static_cast<float>(c->b))
          : link.ground ? QColor("#A8A195")
                        : linkColour(static_cast<int>(l));
      if (base != entry.base) entry.state = -1;
      entry.base = base;
      entry.visible = !link.hidden && !body.hidden && (isolated_ == 0 || isolated_ == link.id);
    }
  for (auto it = d_->bodies.begin(); it != d_->bodies.end();) {
    if (present.count(it->first)) {
      ++it;
      continue;
    }
    for (const auto& object : {it->second.object, it->second.old})
      if (!object.IsNull()) context()->Remove(object, false);
    it = d_->bodies.erase(it);
  }
  d_->heavy = triangles > kHeavy;
  // lines to be picked go with their solids
  std::set<const shape::Solid*> solids;
  for (const auto& [id, entry] : d_->bodies) solids.insert(entry.solid.get());
  for (auto it = d_->lines.begin(); it != d_->lines.end();)
    it = solids.count(it->first) ? std::next(it) : d_->lines.erase(it);
  // many are filled in at the next turns of the event loop: the change itself has taken its time
  fill(d_->bodies.size() > kFew ? 0 : fitted_ ? kSlice : 1e9);
  refreshColours();
  syncPoses();
}

/// Makes, shows and hides objects and lets them answer to the pointer, for so long; goes on at the next turn of the
/// event loop, so that the window stays alive with hundreds of parts.
void Scene::fill(double milliseconds) {
  if (!context()) return;
  QElapsedTimer clock;
  clock.start();
  const int mode = picking_ ? 2 : 1;
  bool rest = false;
  for (auto& [id, entry] : d_->bodies) {
    const bool shown = !entry.object.IsNull() && static_cast<bool>(context()->IsDisplayed(entry.object));
    if (shown == entry.visible && (!entry.visible || entry.mode == mode)) continue;
    if (static_cast<double>(clock.nsecsElapsed()) * 1e-6 > milliseconds) {
      rest = true;
      break;
    }
    if (entry.object.IsNull()) {
      entry.object = new BodyObject(entry.solid);
      entry.light = d_->heavy && entry.solid->light;
      entry.object->Attributes()->SetAutoTriangulation(false);  // meshed once, when it was read
      // not relative to the size, which would be measured on all surfaces each time
      entry.object->Attributes()->SetTypeOfDeflection(Aspect_TOD_ABSOLUTE);
      entry.box = {};
      entry.box.add(entry.solid->shape, Pose{});
      entry.state = -1;
      entry.mode = 0;
      dress(id, entry);
      place(entry);
    }
    if (!entry.old.IsNull()) {
      context()->Remove(entry.old, false);
      entry.old.Nullify();
    }
    if (!entry.visible) {
      context()->Erase(entry.object, false);
      entry.mode = 0;
      continue;
    }
    if (!shown) {
      context()->Display(entry.object, displayMode(entry), 0, false);
      ++fresh_;
      entry.mode = 0;
    }
    context()->Deactivate(entry.object);
    if (picking_)
      for (const TopAbs_ShapeEnum kind : {TopAbs_FACE, TopAbs_EDGE, TopAbs_VERTEX})
        context()->Activate(entry.object, AIS_Shape::SelectionMode(kind));
    else
      context()->Activate(entry.object, 0);
    entry.mode = mode;
  }
  // not at every slice, as drawing costs more than filling; but what is drawn first has to be handed to the graphics
  // card, and all at once would hold the window up
  if (!rest || fresh_ > kBatch) {
    invalidate(true);
    fresh_ = 0;
  }
  if (rest) {
    if (!filling_)
      QTimer::singleShot(0, this, [this] {
        filling_ = false;
        fill(kSlice);
      });
    filling_ = true;
    return;
  }
  if (!fitted_ && (!d_->bodies.empty() || !outlines_.extent().empty())) {
    fitted_ = !bench_.shapes().isLoading();  // what comes later from files is to be in the picture too
    fitAll();
  }
  update();  // lines follow the document though no body has changed
}

int Scene::displayMode(const Entry& entry) const {
  return look_ == Look::wireframe ? AIS_WireFrame : entry.light ? BodyObject::kLight : static_cast<int>(AIS_Shaded);
}

/// Is its light mesh off by no more than so many pixels?
bool Scene::isFineInLight(const Entry& entry, double pixels) const {
  return d_->heavy && entry.solid->light && look_ != Look::wireframe &&
         entry.solid->light->error * 1e-3 <= pixels * scale() / devicePixelRatioF();
}

int Scene::countInLight() const {
  return static_cast<int>(
      std::count_if(d_->bodies.begin(), d_->bodies.end(), [](const auto& e) { return e.second.light; }));
}

void Scene::showLight(Entry& entry, bool light) {
  entry.light = light;
  if (context()->IsDisplayed(entry.object)) context()->SetDisplayMode(entry.object, displayMode(entry), false);
}

/// In motion more may be off than at rest. The full mesh of a part may have to be made ready first.
bool Scene::setDetail(bool moving, double milliseconds) {
  QElapsedTimer clock;
  clock.start();
  for (auto& [id, entry] : d_->bodies) {
    if (entry.object.IsNull() || !entry.visible) continue;
    const bool light = isFineInLight(entry, moving ? kOffMoving : kOffAtRest);
    if (light == entry.light) continue;
    if (static_cast<double>(clock.nsecsElapsed()) * 1e-6 > milliseconds) return false;
    showLight(entry, light);
  }
  return true;
}

void Scene::place(Entry& entry) {
  const auto l = static_cast<std::size_t>(entry.link);
  if (entry.object.IsNull() || l >= bench_.pose().poses().size()) return;
  const Pose p = bench_.pose().poses()[l] *
                 bench_.solution().resolved().links[l].bodies[static_cast<std::size_t>(entry.body)].placement;
  context()->SetLocation(entry.object, TopLoc_Location(shape::toTrsf(p)));
}

void Scene::syncPoses() {
  if (!context()) return;
  for (auto& [id, entry] : d_->bodies) place(entry);
  syncEnvelope();
  invalidate(true);
}

/// The swept space as a see-through body in ground axes.
void Scene::syncEnvelope() {
  if (!context()) return;
  const EnvelopeData* now = bench_.checks().envelope();
  if (now && !d_->envelope.IsNull() && now == d_->envelopeOf && now->ask.in != 0) {  // it goes with its link
    for (std::size_t l = 0; l < bench_.pose().poses().size(); ++l)
      if (bench_.solution().resolved().links[l].id == now->ask.in) {
        context()->SetLocation(d_->envelope, TopLoc_Location(shape::toTrsf(bench_.pose().poses()[l])));
        invalidate();
      }
  }
  if (now == d_->envelopeOf) return;
  d_->envelopeOf = now;
  if (!d_->envelope.IsNull()) context()->Remove(d_->envelope, false);
  d_->envelope.Nullify();
  if (now) {
    d_->envelope = meshObject(now->envelope.mesh, theme().accent, 0.62);
    context()->Display(d_->envelope, 0, -1, false);
  }
  invalidate();
}

/// The space that two links share, lit up: drawn through what covers it.
void Scene::syncCommon() {
  if (!context()) return;
  const auto& now = bench_.checks().commonVolume();
  const double volume = now ? now->common.volume : 0;
  if (volume == d_->commonVolume) return;
  d_->commonVolume = volume;
  if (!d_->common.IsNull()) context()->Remove(d_->common, false);
  d_->common.Nullify();
  if (volume > 0) {
    d_->common = meshObject(now->common.mesh, theme().bad, 0);
    context()->Display(d_->common, 0, -1, false);
    context()->SetZLayer(d_->common, Graphic3d_ZLayerId_Topmost);
  }
  invalidate();
}

QRectF Scene::rectOf(Id link) const {
  QPolygonF corners;
  for (const auto& [id, entry] : d_->bodies) {
    const auto l = static_cast<std::size_t>(entry.link);
    if (!entry.visible || entry.box.empty() || l >= bench_.pose().poses().size()) continue;
    const auto& of = bench_.solution().resolved().links[l];
    if (of.id != link) continue;
    const Pose p = bench_.pose().poses()[l] * of.bodies[static_cast<std::size_t>(entry.body)].placement;
    for (int c = 0; c < 8; ++c) corners << project(p * entry.box.corner(c));
  }
  for (const Vec3& x : outlines_.extent(link)) corners << project(x);
  return corners.boundingRect();
}

bool Scene::showsParts() const {
  return std::any_of(d_->bodies.begin(), d_->bodies.end(), [](const auto& b) { return b.second.visible; });
}

bool Scene::holdsAll() const {
  const auto& links = bench_.solution().resolved().links;
  return std::all_of(links.begin(), links.end(), [&](const auto& l) {
    const QRectF seen = rectOf(l.id);
    return seen.isEmpty() || QRectF(rect()).contains(seen);
  });
}

void Scene::keepInView() {
  if (!holdsAll()) fitAll();
}

/// What was wholly in view stays so when the strip or a splitter takes room.
void Scene::resizeEvent(QResizeEvent* e) {
  const bool all = fitted_ && e->oldSize().isValid() && holdsAll();  // the camera still has the old shape
  OcctView::resizeEvent(e);
  if (all) QTimer::singleShot(0, this, [this] { keepInView(); });
}

bool Scene::showBeside(const QRectF& what, const QRectF& cover) {
  constexpr double kEdge = 12, kTop = 48;  // pixels
  const bool right = cover.center().x() > 0.5 * width();
  const QRectF room = right ? QRectF(QPointF(kEdge, kTop), QPointF(cover.left() - kEdge, height() - kEdge))
                            : QRectF(QPointF(cover.right() + kEdge, kTop), QPointF(width() - kEdge, height() - kEdge));
  if (room.width() < 80 || room.height() < 80 || what.isEmpty()) return false;
  const double factor = std::min({1.0, room.width() / what.width(), room.height() / what.height()});
  constexpr double kLeast = 0.55;
  if (factor < kLeast) return false;
  if (factor < 1) zoom(what.center(), factor);
  const QSizeF half = what.size() * factor / 2;
  const QPointF middle = what.center(),
                to(std::clamp(middle.x(), room.left() + half.width(), room.right() - half.width() + 1e-6),
                   std::clamp(middle.y(), room.top() + half.height(), room.bottom() - half.height() + 1e-6));
  const QPoint by = (to - middle).toPoint();
  if (!by.isNull()) pan(by);
  return true;
}

bool Scene::showAllBeside(const QRectF& cover) {
  QRectF all;
  for (const auto& l : bench_.document().mechanism()->links) all = all.united(rectOf(l->id));
  return showBeside(all, cover);
}

void Scene::extentAlong(const Vec3& direction, double& low, double& high) const {
  low = 1e300;
  high = -1e300;
  for (const auto& [id, entry] : d_->bodies) {
    const auto l = static_cast<std::size_t>(entry.link);
    if (!entry.visible || entry.box.empty() || l >= bench_.pose().poses().size()) continue;
    const Pose p = bench_.pose().poses()[l] *
                   bench_.solution().resolved().links[l].bodies[static_cast<std::size_t>(entry.body)].placement;
    for (int c = 0; c < 8; ++c) {
      const double x = direction.dot(p * entry.box.corner(c));
      low = std::min(low, x);
      high = std::max(high, x);
    }
  }
  for (const Vec3& x : outlines_.extent()) {
    low = std::min(low, direction.dot(x));
    high = std::max(high, direction.dot(x));
  }
  if (low > high) {
    low = -1e-2;
    high = 1e-2;
  }
}

Vec3 Scene::middleOfSelection() const {
  shape::Extent all, chosen;
  for (const auto& [id, entry] : d_->bodies) {
    const auto l = static_cast<std::size_t>(entry.link);
    if (!entry.visible || entry.box.empty() || l >= bench_.pose().poses().size()) continue;
    const auto& link = bench_.solution().resolved().links[l];
    const Pose p = bench_.pose().poses()[l] * link.bodies[static_cast<std::size_t>(entry.body)].placement;
    for (shape::Extent* e : {&all, lit(link.id, id) ? &chosen : nullptr}) {
      if (!e) continue;
      for (int c = 0; c < 8; ++c) {
        e->low = e->low.cwiseMin(p * entry.box.corner(c));
        e->high = e->high.cwiseMax(p * entry.box.corner(c));
      }
    }
  }
  return !chosen.empty() ? chosen.middle() : !all.empty() ? all.middle() : Vec3::Zero();
}

void Scene::refreshColours() {
  if (!context()) return;
  bool changed = false;
  for (auto& [id, entry] : d_->bodies)
    if (!entry.object.IsNull()) changed = dress(id, entry) || changed;
  if (changed)
    invalidate();
  else
    refresh();  // what is painted over the picture may have changed
}

std::set<Id> Scene::touching() const {
  std::set<Id> out;
  for (const auto& o : bench_.checks().poseOverlaps())
    for (int l : {o.linkA, o.linkB}) out.insert(bench_.solution().resolved().links[static_cast<std::size_t>(l)].id);
  if (!bench_.checks().check() || bench_.selection().chosenInterference() < 0 || !bench_.runs().run()) return out;
  const auto& list = bench_.checks().check()->result.interference;
  const auto i = static_cast<std::size_t>(bench_.selection().chosenInterference());
  if (i < list.size() && !bench_.checks().isCheckStale())
    for (int l : {list[i].linkA, list[i].linkB})
      out.insert(bench_.solution().resolved().links[static_cast<std::size_t>(l)].id);
  return out;
}

/// Gives an object the colours of its state. Only what changes the lines themselves is computed anew.
/// @return false if nothing had to be changed
bool Scene::dress(Id id, Entry& entry) {
  const auto& m = *bench_.document().mechanism();
  if (entry.link >= static_cast<int>(m.links.size())) return false;
  const Id link = m.links[static_cast<std::size_t>(entry.link)]->id;
  const bool chosen = lit(link, id), contact = touching().count(link) > 0;
  const int state = (chosen ? 1 : 0) + (contact ? 4 : 0) + 8 * static_cast<int>(look_) + 64 * (theme().dark ? 1 : 0);
  if (state == entry.state) return false;
  const bool boundary = look_ != Look::shaded || chosen || contact;
  const int mode = displayMode(entry);
  const bool fresh = entry.state < 0 && !context()->IsDisplayed(entry.object);
  entry.state = state;
  QColor c = entry.base;
  if (chosen) c = mixed(c, Qt::white, 0.28);
  if (!entry.dressed) {
    Graphic3d_MaterialAspect material(Graphic3d_NOM_PLASTIC);  // dull paint: the colour itself, with a hint of shine
    material.SetAmbientColor(Quantity_Color(1, 1, 1, Quantity_TOC_RGB));
    material.SetDiffuseColor(Quantity_Color(1, 1, 1, Quantity_TOC_RGB));
    material.SetSpecularColor(Quantity_Color(0.05, 0.05, 0.05, Quantity_TOC_RGB));
    material.SetShininess(0.15f);
    entry.object->SetMaterial(material);
  }
  entry.object->SetColor(occ(c));
  const bool ghost = look_ == Look::seeThrough && !contact;
  entry.object->SetTransparency(ghost ? 0.65 : 0.0);
  const QColor line = contact  ? theme().bad
                      : chosen ? theme().ink
                               : mixed(entry.base, theme().dark ? Qt::black : QColor("#26231E"), 0.62);
  const double width = contact || chosen ? 2.4 : 1.0;
  if (!entry.dressed)
    entry.object->Attributes()->SetFaceBoundaryAspect(new Prs3d_LineAspect(occ(line), Aspect_TOL_SOLID, width));
  entry.dressed = true;
  entry.object->Attributes()->FaceBoundaryAspect()->SetColor(occ(line));  // the colour of faces has painted it over
  entry.object->Attributes()->FaceBoundaryAspect()->SetWidth(width);
  entry.object->Attributes()->SetFaceBoundaryDraw(boundary);
  entry.object->Attributes()->WireAspect()->SetColor(occ(contact  ? theme().bad
                                                         : chosen ? theme().ink
                                                                  : entry.base.darker(130)));
  if (fresh) {
    entry.boundary = boundary;
    return true;  // it is shown with these
  }
  if (entry.object->DisplayMode() != mode) context()->SetDisplayMode(entry.object, mode, false);
  entry.object->SynchronizeAspects();
  if (entry.boundary != boundary && context()->IsDisplayed(entry.object))
    context()->Redisplay(entry.object, false, true);
  entry.boundary = boundary;
  return true;
}

void Scene::setLook(Look look) {
  if (look == look_) return;
  look_ = look;
  refreshColours();
  emit lookChanged();
}

void Scene::setPicking(bool on) {
  if (!on && isolated_ != 0) isolate(0);
  if (picking_ == on) return;
  picking_ = on;
  picker_->clear();
  chosen_.clear();
  hoverLink_ = 0;
  setCursor(on ? Qt::CrossCursor : Qt::ArrowCursor);
  fill(d_->bodies.size() <= kFew ? 1e9 : kSlice);
  update();
  emit pickingChanged();
}

void Scene::setChosenPlaces(std::vector<PickedPlace> places) {
  chosen_ = std::move(places);
  update();
}

void Scene::isolate(Id link) {
  isolated_ = link;
  syncBodies();
}

void Scene::setShown(Mark mark, bool on) {
  shown_[static_cast<std::size_t>(mark)] = on;
  update();
}

void Scene::paintMarks(QPainter& p) {
  if (!picking_ && hoverLink_ != 0) paintHover(p);
  marks_->paint(p);
  if (picking_) picker_->paint(p, chosen_);
  if (band_) {
    QColor fill = theme().accent;
    fill.setAlphaF(0.12f);
    p.setPen(QPen(theme().accent, 1.2, Qt::DashLine));
    p.setBrush(fill);
    p.drawRect(QRect(pressed_, last_).normalized());
  }
}

/// The link under the pointer, by its edges: painted over the picture, so that nothing is drawn anew.
void Scene::paintHover(QPainter& p) {
  QColor halo = theme().field;
  halo.setAlphaF(0.55f);
  const auto lines = linesOfLink(hoverLink_);
  for (const QPen& pen : {QPen(halo, 3.2), QPen(theme().accent, 1.2)}) {
    p.setPen(pen);
    for (const auto& line : lines) {
      QPolygonF poly;
      for (const Vec3& v : line) poly << project(v);
      p.drawPolyline(poly);
    }
  }
}

std::vector<std::vector<Vec3>> Scene::linesOfLink(Id link) {
  const auto& r = bench_.solution().resolved();
  for (std::size_t l = 0; l < r.links.size() && l < bench_.pose().poses().size(); ++l)
    if (r.links[l].id == link) return linesOfLink(static_cast<int>(l), bench_.pose().poses()[l]);
  return {};
}

std::vector<std::vector<Vec3>> Scene::linesOfLink(int link, const Pose& pose, double share) {
  std::vector<std::vector<Vec3>> out;
  const auto& bodies = bench_.solution().resolved().links[static_cast<std::size_t>(link)].bodies;
  const auto size = [&](const auto& b) {
    const auto e = d_->bodies.find(b.id);
    return e == d_->bodies.end() ? 0.0 : e->second.box.size();
  };
  double largest = 0;
  if (share > 0)
    for (const auto& b : bodies) largest = std::max(largest, size(b));
  for (const auto& b : bodies) {
    if (share > 0 && size(b) < share * largest) continue;
    const auto solid = bench_.shapes().solid(b.id);
    if (!solid) continue;
    auto& known = d_->lines[solid.get()];
    if (!known.first) known = {solid, shape::linesOf(solid->shape)};
    const Pose p = pose * b.placement;
    for (const auto& line : known.second) {
      out.push_back(line);
      for (Vec3& v : out.back()) v = p * v;
    }
  }
  if (share > 0) return out;
  const Id id = bench_.solution().resolved().links[static_cast<std::size_t>(link)].id;
  const Pose& seen = bench_.pose().poses()[static_cast<std::size_t>(link)];
  for (const auto& l : outlines_.lines()) {
    if (l.link != id) continue;
    const Pose frame = pose * seen.inverse() * l.frame;
    out.emplace_back();
    for (const auto& x : *l.points) out.back().push_back(frame * Vec3(x.x(), x.y(), 0));
  }
  return out;
}

}  // namespace cooperage::app
