// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>
#include <map>
#include <set>

#include "../theme.h"
// OCCT last
#include <AIS_InteractiveContext.hxx>
#include <AIS_Shape.hxx>
#include <AIS_Triangulation.hxx>
#include <Graphic3d_MaterialAspect.hxx>
#include <Poly_Triangulation.hxx>
#include <Prs3d_LineAspect.hxx>
#include <Prs3d_ShadingAspect.hxx>
#include <StdSelect_BRepOwner.hxx>
#include <StdSelect_ViewerSelector3d.hxx>
#include <TopExp.hxx>
#include <V3d_View.hxx>
#include <V3d_Viewer.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <gp_Trsf.hxx>

namespace cooperage::app {

using model::Id;

namespace {

gp_Trsf trsfOf(const Pose& p) {
  gp_Trsf t;
  t.SetValues(p.R(0, 0), p.R(0, 1), p.R(0, 2), p.p.x() * 1e3, p.R(1, 0), p.R(1, 1), p.R(1, 2), p.p.y() * 1e3, p.R(2, 0),
              p.R(2, 1), p.R(2, 2), p.p.z() * 1e3);
  return t;
}
Quantity_Color occ(const QColor& c) { return {c.redF(), c.greenF(), c.blueF(), Quantity_TOC_sRGB}; }
QColor mixed(const QColor& a, const QColor& b, double share) {
  return QColor::fromRgbF(static_cast<float>(a.redF() * (1 - share) + b.redF() * share),
                          static_cast<float>(a.greenF() * (1 - share) + b.greenF() * share),
                          static_cast<float>(a.blueF() * (1 - share) + b.blueF() * share));
}

}  // namespace

struct Scene::Shown {
  struct Entry {
    Handle(AIS_Shape) object;
    shape::SolidPtr solid;
    int link = -1, body = -1;  // indices in the resolved mechanism
    QColor base;
    int state = -1;  // what it was last drawn as
  };
  std::map<Id, Entry> bodies;
  Handle(AIS_Triangulation) envelope;
  const EnvelopeData* envelopeOf = nullptr;
};

Scene::Scene(Session& session, QWidget* parent) : OcctView(parent), session_(session), d_(std::make_unique<Shown>()) {
  setObjectName(QStringLiteral("scene"));
  setAccessibleName(tr("Scene"));
  connect(&session_, &Session::documentChanged, this, &Scene::syncBodies);
  connect(&session_, &Session::geometryChanged, this, [this] {
    syncBodies();
    syncEnvelope();
  });
  connect(&session_, &Session::posesChanged, this, &Scene::syncPoses);
  connect(&session_, &Session::selectionChanged, this, &Scene::refreshColours);
  connect(&session_, &Session::resultsChanged, this, &Scene::refreshColours);
  connect(&session_, &Session::fileChanged, this,
          [this] { fitted_ = fitted_ && !session_.mechanism()->links.empty(); });
  connect(this, &OcctView::painted, this, &Scene::paintMarks);
  syncBodies();
}

Scene::~Scene() = default;

bool Scene::lit(Id link, Id body) const {
  if (session_.isSelected(link) || session_.isSelected(body)) return true;
  for (Id id : session_.selection())
    if (const auto j = model::findJoint(*session_.mechanism(), id))
      for (Id seat : j->seats)
        if (const auto s = model::findSeat(*session_.mechanism(), seat); s && s->link->id == link) return true;
  return false;
}

void Scene::syncBodies() {
  if (!context()) return;
  const auto& m = *session_.mechanism();
  const auto& r = session_.resolved();
  std::set<Id> present;
  bool added = false;
  for (std::size_t l = 0; l < r.links.size(); ++l)
    for (std::size_t b = 0; b < r.links[l].bodies.size(); ++b) {
      const Id id = r.links[l].bodies[b].id;
      const auto solid = session_.solid(id);
      if (!solid) continue;
      present.insert(id);
      auto& entry = d_->bodies[id];
      entry.link = static_cast<int>(l);
      entry.body = static_cast<int>(b);
      if (entry.solid != solid) {
        if (!entry.object.IsNull()) context()->Remove(entry.object, false);
        entry.solid = solid;
        entry.object = new AIS_Shape(solid->shape);
        entry.object->Attributes()->SetAutoTriangulation(false);  // meshed once, when it was read
        entry.object->Attributes()->SetFaceBoundaryDraw(true);
        context()->Display(entry.object, AIS_Shaded, 0, false);
        added = true;
      }
      const auto& link = *m.links[l];
      const auto& body = *link.bodies[b];
      const auto& c = link.colour ? link.colour : body.colour ? body.colour : solid->colour;
      entry.base = c ? QColor::fromRgbF(static_cast<float>(c->r), static_cast<float>(c->g), static_cast<float>(c->b))
                   : link.ground ? QColor("#A8A195")
                                 : linkColour(static_cast<int>(l));
      const bool visible = !link.hidden && !body.hidden;
      if (visible != static_cast<bool>(context()->IsDisplayed(entry.object))) {
        if (visible)
          context()->Display(entry.object, AIS_Shaded, 0, false);
        else
          context()->Erase(entry.object, false);
        added = true;
      }
      entry.state = -1;
    }
  for (auto it = d_->bodies.begin(); it != d_->bodies.end();) {
    if (present.count(it->first)) {
      ++it;
      continue;
    }
    context()->Remove(it->second.object, false);
    it = d_->bodies.erase(it);
  }
  if (added) activate();
  refreshColours();
  syncPoses();
  if (!fitted_ && !d_->bodies.empty()) {
    fitted_ = true;
    fitAll();
  }
}

void Scene::syncPoses() {
  if (!context()) return;
  const auto& r = session_.resolved();
  const auto& poses = session_.poses();
  for (auto& [id, entry] : d_->bodies) {
    if (entry.link >= static_cast<int>(poses.size())) continue;
    const auto l = static_cast<std::size_t>(entry.link);
    const Pose p = poses[l] * r.links[l].bodies[static_cast<std::size_t>(entry.body)].placement;
    context()->SetLocation(entry.object, TopLoc_Location(trsfOf(p)));
  }
  syncEnvelope();
  invalidate(true);
}

/// The swept space as a see-through body in ground axes.
void Scene::syncEnvelope() {
  if (!context()) return;
  const EnvelopeData* now = session_.envelope();
  if (now == d_->envelopeOf) return;
  d_->envelopeOf = now;
  if (!d_->envelope.IsNull()) context()->Remove(d_->envelope, false);
  d_->envelope.Nullify();
  if (now) {
    const auto& mesh = now->envelope.mesh;
    Handle(Poly_Triangulation) tri = new Poly_Triangulation(static_cast<int>(mesh.vertices.size()),
                                                            static_cast<int>(mesh.triangles.size()), false, true);
    std::vector<Vec3> normals(mesh.vertices.size(), Vec3::Zero());
    int i = 1;
    for (const Vec3& v : mesh.vertices) tri->SetNode(i++, gp_Pnt(v.x() * 1e3, v.y() * 1e3, v.z() * 1e3));
    i = 1;
    for (const auto& t : mesh.triangles) {
      const auto at = [&](int k) { return mesh.vertices[static_cast<std::size_t>(t[static_cast<std::size_t>(k)])]; };
      const Vec3 n = (at(1) - at(0)).cross(at(2) - at(0));
      for (int k : t) normals[static_cast<std::size_t>(k)] += n;
      tri->SetTriangle(i++, Poly_Triangle(t[0] + 1, t[1] + 1, t[2] + 1));
    }
    i = 1;
    for (const Vec3& n : normals) {
      const Vec3 u = n.norm() > 0 ? Vec3(n.normalized()) : Vec3::UnitZ();
      tri->SetNormal(i++, gp_Dir(u.x(), u.y(), u.z()));
    }
    d_->envelope = new AIS_Triangulation(tri);
    d_->envelope->Attributes()->SetShadingAspect(new Prs3d_ShadingAspect());
    Graphic3d_MaterialAspect material(Graphic3d_NOM_PLASTIC);
    material.SetTransparency(0.62f);
    d_->envelope->Attributes()->ShadingAspect()->SetMaterial(material);
    d_->envelope->Attributes()->ShadingAspect()->SetColor(occ(theme().accent));
    d_->envelope->Attributes()->ShadingAspect()->SetTransparency(0.62);
    context()->Display(d_->envelope, 0, -1, false);
  }
  invalidate();
}

void Scene::refreshColours() {
  if (!context()) return;
  const auto& m = *session_.mechanism();
  std::set<Id> touching;
  if (session_.check() && session_.chosenInterference() >= 0 && session_.run()) {
    const auto& list = session_.check()->result.interference;
    const auto i = static_cast<std::size_t>(session_.chosenInterference());
    if (i < list.size() && !session_.isCheckStale())
      for (int l : {list[i].linkA, list[i].linkB})
        touching.insert(session_.resolved().links[static_cast<std::size_t>(l)].id);
  }
  for (auto& [id, entry] : d_->bodies) {
    if (entry.link >= static_cast<int>(m.links.size())) continue;
    const Id link = m.links[static_cast<std::size_t>(entry.link)]->id;
    const bool chosen = lit(link, id), hover = link == hoverLink_, contact = touching.count(link) > 0;
    const int state = (chosen ? 1 : 0) + (hover ? 2 : 0) + (contact ? 4 : 0) + 8 * static_cast<int>(look_) +
                      64 * (theme().dark ? 1 : 0);
    if (state == entry.state) continue;
    entry.state = state;
    QColor c = entry.base;
    if (chosen || hover) c = mixed(c, Qt::white, chosen ? 0.28 : 0.16);
    Graphic3d_MaterialAspect material(Graphic3d_NOM_PLASTIC);  // dull paint: the colour itself, with a hint of shine
    material.SetAmbientColor(Quantity_Color(1, 1, 1, Quantity_TOC_RGB));
    material.SetDiffuseColor(Quantity_Color(1, 1, 1, Quantity_TOC_RGB));
    material.SetSpecularColor(Quantity_Color(0.05, 0.05, 0.05, Quantity_TOC_RGB));
    material.SetShininess(0.15f);
    entry.object->SetMaterial(material);
    entry.object->SetColor(occ(c));
    const bool ghost = look_ == Look::seeThrough && !contact;
    entry.object->SetTransparency(ghost ? 0.65 : 0.0);
    const QColor line = contact  ? theme().bad
                        : chosen ? theme().ink
                                 : mixed(entry.base, theme().dark ? Qt::black : QColor("#26231E"), 0.62);
    entry.object->Attributes()->SetFaceBoundaryDraw(look_ != Look::shaded || chosen || contact);
    entry.object->Attributes()->SetFaceBoundaryAspect(
        new Prs3d_LineAspect(occ(line), Aspect_TOL_SOLID, contact || chosen ? 2.4 : 1.0));
    entry.object->Attributes()->WireAspect()->SetColor(occ(contact  ? theme().bad
                                                           : chosen ? theme().ink
                                                                    : entry.base.darker(130)));
    context()->SetDisplayMode(entry.object, look_ == Look::wireframe ? AIS_WireFrame : AIS_Shaded, false);
    entry.object->SynchronizeAspects();
    if (context()->IsDisplayed(entry.object)) context()->Redisplay(entry.object, false, true);
  }
  invalidate();
}

void Scene::setLook(Look look) {
  if (look == look_) return;
  look_ = look;
  refreshColours();
  emit lookChanged();
}

void Scene::activate() {
  if (!context()) return;
  for (auto& [id, entry] : d_->bodies) {
    if (!context()->IsDisplayed(entry.object)) continue;
    context()->Deactivate(entry.object);
    if (picking_) {
      context()->Activate(entry.object, AIS_Shape::SelectionMode(TopAbs_FACE));
      context()->Activate(entry.object, AIS_Shape::SelectionMode(TopAbs_EDGE));
    } else {
      context()->Activate(entry.object, 0);
    }
  }
}

void Scene::setPicking(bool on) {
  if (picking_ == on) return;
  picking_ = on;
  candidates_.clear();
  candidate_ = -1;
  chosen_.clear();
  hoverLink_ = 0;
  setCursor(on ? Qt::CrossCursor : Qt::ArrowCursor);
  activate();
  refreshColours();
}

void Scene::setChosenPlaces(std::vector<PickedPlace> places) {
  chosen_ = std::move(places);
  update();
}

/// Asks the selector what lies under a pixel and remembers link and candidates.
bool Scene::hoverAt(const QPointF& at) {
  if (!context()) return false;
  const double ratio = devicePixelRatioF();
  Handle(V3d_View) view = context()->CurrentViewer()->ActiveViewIterator().Value();
  context()->MoveTo(static_cast<int>(at.x() * ratio), static_cast<int>(at.y() * ratio), view, false);
  candidates_.clear();
  candidate_ = -1;
  if (!context()->HasDetected()) return false;
  const Handle(AIS_InteractiveObject) object = context()->DetectedInteractive();
  for (const auto& [id, entry] : d_->bodies) {
    if (entry.object != object) continue;
    const auto l = static_cast<std::size_t>(entry.link);
    const Id link = session_.resolved().links[l].id;
    hoverLink_ = link;
    if (picking_) {
      const Handle(StdSelect_BRepOwner) owner = Handle(StdSelect_BRepOwner)::DownCast(context()->DetectedOwner());
      if (owner.IsNull() || !owner->HasShape()) return true;
      const Pose p =
          session_.poses()[l] * session_.resolved().links[l].bodies[static_cast<std::size_t>(entry.body)].placement;
      for (const auto& s : shape::snapsOf(owner->Shape()))
        candidates_.push_back({link, QString::fromStdString(s.word), p * s.at, p.R * s.axis, p.R * s.ref});
      double best = 1e300;
      for (std::size_t i = 0; i < candidates_.size(); ++i) {
        // the first one (the middle of an axis) wins ties, which is what is meant most often
        const QPointF d = project(candidates_[i].at) - at;
        const double distance = std::hypot(d.x(), d.y()) + 0.01 * static_cast<double>(i);
        if (distance < best) {
          best = distance;
          candidate_ = static_cast<int>(i);
        }
      }
    }
    return true;
  }
  return false;
}

std::optional<PickedPlace> Scene::placeAt(const QPointF& at) {
  if (!hoverAt(at) || candidate_ < 0) return std::nullopt;
  return candidates_[static_cast<std::size_t>(candidate_)];
}

Id Scene::bodyAt(const QPointF& at) {
  if (!hoverAt(at)) return 0;
  const Handle(AIS_InteractiveObject) object = context()->DetectedInteractive();
  for (const auto& [id, entry] : d_->bodies)
    if (entry.object == object) return id;
  return 0;
}

void Scene::mousePressEvent(QMouseEvent* e) {
  pressed_ = last_ = e->pos();
  button_ = e->button();
  moved_ = false;
  pulling_ = false;
  grabbedLink_ = 0;
  if (button_ == Qt::LeftButton && !picking_ && !(e->modifiers() & Qt::ShiftModifier) && hoverAt(e->position())) {
    grabbedLink_ = hoverLink_;
    if (context()->MainSelector()->NbPicked() > 0) {
      const gp_Pnt p = context()->MainSelector()->PickedPoint(1);
      grabbed_ = Vec3(p.X(), p.Y(), p.Z()) / 1e3;
    }
  }
}

void Scene::mouseMoveEvent(QMouseEvent* e) {
  const QPoint by = e->pos() - last_;
  if (button_ == Qt::NoButton) {
    const Id before = hoverLink_;
    hoverLink_ = 0;
    hoverAt(e->position());
    if (hoverLink_ != before) refreshColours();
    if (hoverLink_ != 0 && !picking_) {
      const auto link = model::findLink(*session_.mechanism(), hoverLink_);
      setToolTip(link ? QString::fromStdString(link->name) : QString());
    } else {
      setToolTip({});
    }
    if (picking_) update();
    return;
  }
  if (!moved_ && (e->pos() - pressed_).manhattanLength() < 4) return;
  moved_ = true;
  last_ = e->pos();
  const bool shift = e->modifiers() & Qt::ShiftModifier;
  if (button_ == Qt::LeftButton && grabbedLink_ != 0) {
    if (!pulling_) {
      pulling_ = session_.beginDrag(grabbedLink_, grabbed_);
      if (!pulling_) grabbedLink_ = 0;  // ground: turn the view instead
    }
    if (pulling_) {
      Vec3 origin, direction;
      ray(e->position(), origin, direction);
      session_.dragTo(origin + direction * (grabbed_ - origin).dot(direction));
      return;
    }
  }
  if (button_ == Qt::MiddleButton || shift)
    pan(by);
  else
    orbit(by);
}

void Scene::mouseReleaseEvent(QMouseEvent* e) {
  const Qt::MouseButton was = button_;
  button_ = Qt::NoButton;
  if (pulling_) {
    session_.endDrag(true);
    session_.say(tr("Moved by hand. H returns home; \u201cTake as home\u201d keeps this pose."));
    pulling_ = false;
    return;
  }
  if (moved_ || was != Qt::LeftButton) return;
  if (picking_) {
    if (const auto place = placeAt(e->position())) emit picked(*place);
    return;
  }
  hoverLink_ = 0;
  const bool hit = hoverAt(e->position());
  std::vector<Id> now;
  if (e->modifiers() & Qt::ControlModifier) now = session_.selection();
  if (hit) {
    const auto it = std::find(now.begin(), now.end(), hoverLink_);
    if (it == now.end())
      now.push_back(hoverLink_);
    else
      now.erase(it);
  }
  session_.select(now);
}

void Scene::wheelEvent(QWheelEvent* e) { zoom(e->position(), std::pow(1.0015, e->angleDelta().y())); }

void Scene::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Escape && pulling_) {
    session_.endDrag(false);
    pulling_ = false;
    button_ = Qt::NoButton;
    return;
  }
  QWidget::keyPressEvent(e);
}

void Scene::leaveEvent(QEvent*) {
  if (hoverLink_ == 0) return;
  hoverLink_ = 0;
  candidates_.clear();
  refreshColours();
}

void Scene::paintMarks(QPainter& p) {
  paintTriad(p);
  paintJoints(p);
  paintContact(p);
  if (picking_) paintSnaps(p);
}

void Scene::paintTriad(QPainter& p) {
  const QPointF o(46, height() - 46);
  const struct {
    Vec3 axis;
    const char* name;
    QColor colour;
  } axes[] = {
      {Vec3::UnitX(), "x", theme().bad}, {Vec3::UnitY(), "y", theme().ok}, {Vec3::UnitZ(), "z", theme().curve[0]}};
  const QPointF base = project(Vec3::Zero());
  for (const auto& a : axes) {
    const QPointF d = (project(a.axis * 30 * scale()) - base);
    p.setPen(QPen(a.colour, 2, Qt::SolidLine, Qt::RoundCap));
    p.drawLine(o, o + d);
    if (std::hypot(d.x(), d.y()) < 8) continue;
    p.setPen(theme().mute);
    p.setFont(uiFont(8));
    p.drawText(QRectF(o.x() + d.x() * 1.32 - 8, o.y() + d.y() * 1.32 - 8, 16, 16), Qt::AlignCenter,
               QLatin1String(a.name));
  }
}

void Scene::paintJoints(QPainter& p) {
  const auto& m = *session_.mechanism();
  const auto& r = session_.resolved();
  const Stage stage = session_.stage();
  if (stage != Stage::join && stage != Stage::drive && session_.selection().empty()) return;
  for (std::size_t i = 0; i < r.joints.size(); ++i) {
    const auto& j = r.joints[i];
    const bool chosen = session_.isSelected(j.id);
    bool driven = false;
    QString drive;
    for (const auto& d : m.drives)
      if (d->value.id == j.id && d->enabled) {
        driven = true;
        drive = QString::fromStdString(d->name);
      }
    if (stage == Stage::drive && !driven && !chosen) continue;
    if (stage != Stage::join && stage != Stage::drive && !chosen) continue;
    const Pose f = session_.poses()[static_cast<std::size_t>(j.linkA)] * j.seatA;
    const QPointF at = project(f.p);
    const QPointF along = project(f.p + f.R.col(2) * 26 * scale());
    const QColor c = chosen ? theme().accent : theme().ink;
    p.setPen(QPen(c, 1.6));
    p.drawLine(at, along);
    const QRectF box(at.x() - 11, at.y() - 11, 22, 22);
    p.setPen(QPen(chosen ? theme().accent : theme().line, chosen ? 2 : 1));
    QColor fill = theme().panel;
    fill.setAlphaF(0.92f);
    p.setBrush(fill);
    p.drawEllipse(box);
    const QString name = driven && stage == Stage::drive
                             ? QStringLiteral("joints/drive")
                             : QStringLiteral("joints/") + QLatin1String(model::infoOf(j.kind).name);
    p.drawPixmap(QPointF(at.x() - 8, at.y() - 8),
                 iconPixmap(name, driven ? theme().accent : c, 16, devicePixelRatioF()));
    QString label;
    if (driven && (stage == Stage::drive || chosen)) label = drive;
    if (chosen && label.isEmpty()) label = QString::fromStdString(j.name);
    if (label.isEmpty()) continue;
    p.setFont(uiFont(8.5, QFont::DemiBold));
    const QRectF text = p.fontMetrics().boundingRect(label).adjusted(0, 0, 14, 6);
    const QRectF flag(at.x() + 15, at.y() - text.height() / 2, text.width(), text.height());
    p.setPen(QPen(theme().line, 1));
    p.setBrush(fill);
    p.drawRoundedRect(flag, 5, 5);
    p.setPen(driven ? theme().accent : theme().ink);
    p.drawText(flag, Qt::AlignCenter, label);
  }
}

void Scene::paintSnaps(QPainter& p) {
  const auto dot = [&](const PickedPlace& place, bool strong, const QColor& c) {
    const QPointF at = project(place.at), end = project(place.at + place.axis.normalized() * 34 * scale());
    if (strong) {
      p.setPen(QPen(c, 2, Qt::SolidLine, Qt::RoundCap));
      p.drawLine(at, end);
    }
    p.setPen(QPen(theme().panel, 1.5));
    p.setBrush(c);
    p.drawEllipse(at, strong ? 5.5 : 3.5, strong ? 5.5 : 3.5);
    if (!strong) return;
    p.setFont(uiFont(8.5, QFont::DemiBold));
    const QRectF text = p.fontMetrics().boundingRect(place.word).adjusted(0, 0, 14, 6);
    const QRectF flag(at.x() + 10, at.y() + 8, text.width(), text.height());
    p.setPen(Qt::NoPen);
    p.setBrush(theme().ink);
    p.drawRoundedRect(flag, 5, 5);
    p.setPen(theme().panel);
    p.drawText(flag, Qt::AlignCenter, place.word);
  };
  for (std::size_t i = 0; i < candidates_.size(); ++i)
    dot(candidates_[i], static_cast<int>(i) == candidate_, theme().accent);
  for (const auto& c : chosen_) dot(c, true, theme().curve[1]);
}

/// Where the chosen interference is deepest, with its figure.
void Scene::paintContact(QPainter& p) {
  if (!session_.check() || session_.isCheckStale() || session_.chosenInterference() < 0) return;
  const auto& list = session_.check()->result.interference;
  const auto i = static_cast<std::size_t>(session_.chosenInterference());
  if (i >= list.size() || !session_.run() || std::abs(session_.cursor() - list[i].deepest.time) > 1e-9) return;
  const auto& r = session_.resolved();
  const auto& units = session_.mechanism()->units;
  const QPointF at = project(list[i].deepest.point);
  p.setPen(QPen(theme().bad, 1.8));
  QColor wash = theme().bad;
  wash.setAlphaF(0.16f);
  p.setBrush(wash);
  p.drawEllipse(at, 17, 17);
  const double mm = units.factor(dimension::kLength), axis = units.factor(session_.run()->result.axisDimension);
  const QString first =
      tr("%1 %2 deep at %3 %4")
          .arg(QString::number(list[i].deepest.depth / mm, 'f', 2), QString::fromStdString(units.length),
               QString::number(list[i].deepest.at / axis, 'f', 1),
               QString::fromStdString(units.label(session_.run()->result.axisDimension)));
  const QString second = QString::fromStdString(r.links[static_cast<std::size_t>(list[i].linkA)].name + " \u2013 " +
                                                r.links[static_cast<std::size_t>(list[i].linkB)].name);
  p.setFont(uiFont(9, QFont::DemiBold));
  const double w = std::max(p.fontMetrics().horizontalAdvance(first), p.fontMetrics().horizontalAdvance(second)) + 20;
  QRectF flag(at.x() + 44, at.y() + 40, w, 40);
  if (flag.right() > width() - 10) flag.moveRight(at.x() - 44);
  p.drawLine(at + QPointF(12, 12), flag.left() > at.x() ? flag.topLeft() + QPointF(0, 8) : flag.topRight());
  p.setBrush(theme().field);
  p.setPen(QPen(theme().bad, 1));
  p.drawRoundedRect(flag, 6, 6);
  p.setPen(theme().bad);
  p.drawText(flag.adjusted(10, 4, -4, -20), Qt::AlignLeft | Qt::AlignVCenter, first);
  p.setFont(uiFont(8.5));
  p.setPen(theme().mute);
  p.drawText(flag.adjusted(10, 20, -4, -3), Qt::AlignLeft | Qt::AlignVCenter, second);
}

}  // namespace cooperage::app
