// SPDX-License-Identifier: GPL-3.0-or-later
#include "occt_view.h"

#include <QElapsedTimer>
#include <QPainter>
#include <QTimer>
#include <limits>

#include "../theme.h"
#include "shape/occt_units.h"
// OCCT last: it pulls in X11 macros
#include <AIS_InteractiveContext.hxx>
#include <Aspect_NeutralWindow.hxx>
#include <Bnd_Box.hxx>
#include <Graphic3d_CView.hxx>
#include <Graphic3d_ClipPlane.hxx>
#include <Image_PixMap.hxx>
#include <OpenGl_GraphicDriver.hxx>
#include <Prs3d_Drawer.hxx>
#include <Standard_Failure.hxx>
#include <V3d_AmbientLight.hxx>
#include <V3d_DirectionalLight.hxx>
#include <V3d_View.hxx>
#include <V3d_Viewer.hxx>
#include <Xw_Window.hxx>

namespace cooperage::app {
namespace {

gp_Dir dir(const Vec3& v) { return {v.x(), v.y(), v.z()}; }

}  // namespace

struct OcctView::Parts {
  Handle(OpenGl_GraphicDriver) driver;
  Handle(V3d_Viewer) viewer;
  Handle(V3d_View) view;
  Handle(AIS_InteractiveContext) context;
  Handle(Xw_Window) xwindow;
  Handle(Aspect_NeutralWindow) window;
  Handle(Standard_Transient) fbo;
  Handle(Graphic3d_ClipPlane) section;
  QString problem;
};

OcctView::OcctView(QWidget* parent) : QWidget(parent), d_(std::make_unique<Parts>()) {
  setAttribute(Qt::WA_OpaquePaintEvent);
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  rest_ = new QTimer(this);
  rest_->setSingleShot(true);
  rest_->setInterval(120);
  connect(rest_, &QTimer::timeout, this, &OcctView::comeToRest);
  try {
    Handle(Aspect_DisplayConnection) display = new Aspect_DisplayConnection();
    d_->driver = new OpenGl_GraphicDriver(display, false);
    OpenGl_Caps& caps = d_->driver->ChangeOptions();
    caps.buffersNoSwap = true;
    caps.buffersOpaqueAlpha = true;
    caps.sRGBDisable = true;
    caps.swapInterval = 0;
    if (!d_->driver->InitContext()) {
      d_->problem = tr("No OpenGL (GLX) context can be had; the 3D picture stays empty.");
      return;
    }
    d_->viewer = new V3d_Viewer(d_->driver);
    // a soft key light from the upper left, a fill from the right, and the rest from everywhere
    Handle(V3d_AmbientLight) ambient = new V3d_AmbientLight(Quantity_Color(0.46, 0.46, 0.46, Quantity_TOC_RGB));
    Handle(V3d_DirectionalLight) key =
        new V3d_DirectionalLight(gp_Dir(0.45, 0.35, -0.82), Quantity_Color(0.58, 0.57, 0.55, Quantity_TOC_RGB));
    key->SetHeadlight(true);
    key->SetDirection(gp_Dir(0.35, -0.45, -0.82));
    Handle(V3d_DirectionalLight) fill =
        new V3d_DirectionalLight(gp_Dir(-0.6, 0.1, -0.6), Quantity_Color(0.16, 0.17, 0.19, Quantity_TOC_RGB));
    fill->SetHeadlight(true);
    d_->viewer->AddLight(ambient);
    d_->viewer->AddLight(key);
    d_->viewer->AddLight(fill);
    d_->viewer->SetLightOn();
    d_->context = new AIS_InteractiveContext(d_->viewer);
    d_->context->SetAutomaticHilight(false);  // highlights are ours
    d_->view = d_->viewer->CreateView();
    d_->view->SetImmediateUpdate(false);
    d_->xwindow = new Xw_Window(display, "cooperage", 0, 0, 16, 16);
    d_->xwindow->SetVirtual(true);
    d_->window = new Aspect_NeutralWindow();
    d_->window->SetNativeHandles(d_->xwindow->NativeHandle(), 0, d_->xwindow->NativeFBConfig());
    d_->window->SetSize(900, 600);
    d_->view->SetWindow(d_->window);
    d_->view->View()->SetImmediateModeDrawToFront(false);
    d_->view->Camera()->SetProjectionType(Graphic3d_Camera::Projection_Orthographic);
  } catch (const Standard_Failure& e) {
    d_->problem = tr("No 3D picture: %1").arg(QString::fromLatin1(e.GetMessageString()));
    d_->view.Nullify();
    d_->context.Nullify();
  }
  setBackground(theme().sceneTop, theme().sceneBottom);
  lookFrom(Vec3(-0.42, -1, 0.42), Vec3::UnitZ());
}

OcctView::~OcctView() {
  if (!d_->context.IsNull()) d_->context->RemoveAll(false);
  if (!d_->view.IsNull()) {
    if (!d_->fbo.IsNull()) {
      d_->view->View()->SetFBO(nullptr);
      d_->view->View()->FBORelease(d_->fbo);
    }
    d_->view->Remove();
  }
}

QString OcctView::problem() const { return d_->problem; }
AIS_InteractiveContext* OcctView::context() const { return d_->context.get(); }

void OcctView::setBackground(const QColor& top, const QColor& bottom) {
  if (d_->view.IsNull()) return;
  const auto colour = [](const QColor& c) {
    return Quantity_Color(c.redF(), c.greenF(), c.blueF(), Quantity_TOC_sRGB);
  };
  d_->view->SetBgGradientColors(colour(top), colour(bottom), Aspect_GFM_VER, false);
  invalidate();
}

void OcctView::invalidate(bool moving) {
  dirty_ = true;
  moving_ = moving;
  if (moving) rest_->start();
  refresh();
}

void OcctView::refresh() {
  if (!holds()) update();
}

void OcctView::setSection(const std::optional<Section>& section) {
  if (d_->view.IsNull()) return;
  section_ = section;
  if (!section) {
    if (!d_->section.IsNull()) d_->view->RemoveClipPlane(d_->section);
    d_->section.Nullify();
  } else {
    if (d_->section.IsNull()) {
      d_->section = new Graphic3d_ClipPlane();
      d_->section->SetCapping(true);
      d_->section->SetUseObjectMaterial(true);  // cut faces in the colour of what is cut
      d_->view->AddClipPlane(d_->section);
    }
    // OCCT keeps the side that the plane's normal points to
    d_->section->SetEquation(
        gp_Pln(gp_Pnt(section->at.x() * shape::kToMm, section->at.y() * shape::kToMm, section->at.z() * shape::kToMm),
               dir(Vec3(-section->normal))));
  }
  emit sectionChanged();
  invalidate(true);
}

void OcctView::resizeEvent(QResizeEvent*) { invalidate(true); }

void OcctView::render(bool best) {
  if (d_->view.IsNull()) return;
  QElapsedTimer clock;
  clock.start();
  if (moving_) setDetail(true, kSlice);
  const Handle(Graphic3d_CView)& cv = d_->view->View();
  const QSize size = this->size() * devicePixelRatioF();
  if (size.width() < 2 || size.height() < 2) return;
  if (image_.size() != size) {
    if (!d_->fbo.IsNull()) {
      cv->SetFBO(nullptr);
      cv->FBORelease(d_->fbo);
    }
    d_->fbo = cv->FBOCreate(size.width(), size.height());
    cv->SetFBO(d_->fbo);
    image_ = QImage(size, QImage::Format_RGB32);
    d_->window->SetSize(size.width(), size.height());
    d_->view->MustBeResized();
  }
  // edges are smoothed at rest, unless that would hold the window up
  constexpr double kSlow = 28;  // ms
  d_->view->ChangeRenderingParams().NbMsaaSamples = best || (!moving_ && movingMs_ <= kSlow) ? 4 : 0;
  d_->view->AutoZFit();
  d_->view->InvalidateImmediate();
  d_->view->Redraw();
  Image_PixMap pixels;
  pixels.InitWrapper(Image_Format_BGR32, image_.bits(), static_cast<Standard_Size>(size.width()),
                     static_cast<Standard_Size>(size.height()), static_cast<Standard_Size>(image_.bytesPerLine()));
  pixels.SetTopDown(true);
  cv->BufferDump(pixels, Graphic3d_BT_RGB);
  image_.setDevicePixelRatio(devicePixelRatioF());
  frameMs_ = static_cast<double>(clock.nsecsElapsed()) * 1e-6;
  if (moving_) movingMs_ = frameMs_;
  dirty_ = false;
}

/// The full picture, once all parts have their detail: that may take a few turns of the event loop.
void OcctView::comeToRest() {
  if (rest_->isActive()) return;  // it moves again
  if (setDetail(false, kSlice))
    invalidate(false);
  else
    QTimer::singleShot(0, this, &OcctView::comeToRest);
}

const QImage& OcctView::picture() {
  setDetail(false, std::numeric_limits<double>::infinity());
  moving_ = false;
  render(true);
  return image_;
}

void OcctView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  if (d_->view.IsNull()) {
    painter.fillRect(rect(), theme().sceneBottom);
    painter.setPen(theme().ink);
    painter.drawText(rect().adjusted(20, 20, -20, -20), Qt::AlignCenter | Qt::TextWordWrap, d_->problem);
    return;
  }
  if ((dirty_ && !holds()) || image_.size() != size() * devicePixelRatioF()) render();
  painter.drawImage(0, 0, image_);
  painter.setRenderHint(QPainter::Antialiasing);
  emit painted(painter);
}

void OcctView::lookFrom(const Vec3& direction, const Vec3& up) {
  if (d_->view.IsNull()) return;
  const Handle(Graphic3d_Camera) camera = d_->view->Camera();
  const gp_Pnt centre = camera->Center();
  const double distance = std::max(1.0, camera->Distance());
  camera->SetUp(dir(up));
  camera->SetEye(centre.Translated(gp_Vec(dir(direction)) * distance));
  camera->OrthogonalizeUp();
  invalidate();
}

void OcctView::fitAll() {
  if (d_->view.IsNull()) return;
  const QSize size = this->size() * devicePixelRatioF();
  d_->window->SetSize(std::max(2, size.width()), std::max(2, size.height()));
  d_->view->MustBeResized();
  image_ = QImage();  // its buffer is made anew at the next picture
  constexpr double kMargin = 0.12;
  d_->view->FitAll(kMargin, false);
  fitBesides(kMargin);
  invalidate();
}

void OcctView::showHeight(double height) {
  if (d_->view.IsNull()) return;
  d_->view->Camera()->SetScale(height * shape::kToMm);
  invalidate();
}

/// Widens what OCCT has fitted its parts to until other places are in it as well.
void OcctView::fitBesides(double margin) {
  const auto places = besides();
  if (places.empty()) return;
  QRectF box = showsParts() ? QRectF(rect()).adjusted(margin / 2 * width(), margin / 2 * height(),
                                                      -margin / 2 * width(), -margin / 2 * height())
                            : QRectF(project(places.front()), QSizeF(0, 0));
  for (const Vec3& x : places) {
    const QPointF at = project(x);
    box.setCoords(std::min(box.left(), at.x()), std::min(box.top(), at.y()), std::max(box.right(), at.x()),
                  std::max(box.bottom(), at.y()));
  }
  const double least = 20;  // pixels: what is a point is not shown as large as can be
  const double grow = std::max(std::max(box.width(), least) / std::max(1.0, (1 - margin) * width()),
                               std::max(box.height(), least) / std::max(1.0, (1 - margin) * height()));
  shiftCamera(scale() * screenDirection(box.center() - QPointF(width() / 2.0, height() / 2.0)));
  const Handle(Graphic3d_Camera) camera = d_->view->Camera();
  if (!showsParts() || grow > 1) camera->SetScale(camera->Scale() * grow);
}

Vec3 OcctView::eyeDirection() const {
  if (d_->view.IsNull()) return -Vec3::UnitY();
  const gp_Dir d = d_->view->Camera()->Direction();
  return {-d.X(), -d.Y(), -d.Z()};
}

void OcctView::orbit(const QPoint& by) {
  if (d_->view.IsNull()) return;
  // turntable: the vertical of the world stays upright, as on a workshop floor
  const Vec3 eye = eyeDirection();
  double azimuth = std::atan2(eye.y(), eye.x()) - by.x() * 0.008;
  double height = std::asin(std::clamp(eye.z(), -1.0, 1.0)) + by.y() * 0.008;
  height = std::clamp(height, -1.55, 1.55);
  if (std::hypot(eye.x(), eye.y()) < 1e-6) {  // seen from straight above: the picture's up tells the azimuth
    const gp_Dir up = d_->view->Camera()->Up();
    azimuth = std::atan2(-up.Y(), -up.X());
  }
  lookFrom(Vec3(std::cos(height) * std::cos(azimuth), std::cos(height) * std::sin(azimuth), std::sin(height)),
           Vec3::UnitZ());
  invalidate(true);
}

double OcctView::scale() const {
  if (d_->view.IsNull() || height() < 1) return 1e-3;
  return d_->view->Camera()->Scale() / shape::kToMm / std::min(height(), width());
}

Vec3 OcctView::screenDirection(const QPointF& pixels) const {
  if (d_->view.IsNull()) return Vec3::Zero();
  const gp_Dir u = d_->view->Camera()->Up();
  const Vec3 up(u.X(), u.Y(), u.Z()), eye = eyeDirection();
  const Vec3 right = up.cross(eye).normalized(), top = eye.cross(right);
  return pixels.x() * right - pixels.y() * top;
}

void OcctView::shiftCamera(const Vec3& by) {
  const Handle(Graphic3d_Camera) camera = d_->view->Camera();
  const gp_Vec v(by.x() * shape::kToMm, by.y() * shape::kToMm, by.z() * shape::kToMm);
  const gp_Pnt centre = camera->Center(), eye = camera->Eye();
  camera->SetCenter(centre.Translated(v));
  camera->SetEye(eye.Translated(v));
  invalidate(true);
}

void OcctView::pan(const QPoint& by) {
  if (d_->view.IsNull()) return;
  shiftCamera(-scale() * screenDirection(by));
}

void OcctView::zoom(const QPointF& about, double factor) {
  if (d_->view.IsNull()) return;
  const QPointF fromMiddle = about - QPointF(width() / 2.0, height() / 2.0);
  const double before = scale();
  const Handle(Graphic3d_Camera) camera = d_->view->Camera();
  camera->SetScale(std::clamp(camera->Scale() / factor, 1e-2, 1e8));
  shiftCamera((before - scale()) * screenDirection(fromMiddle));  // what is under the pointer stays there
}

QPointF OcctView::project(const Vec3& point) const {
  if (d_->view.IsNull()) return {};
  const gp_Pnt c = d_->view->Camera()->Center();
  const Vec3 d = point - Vec3(c.X(), c.Y(), c.Z()) / shape::kToMm;
  const gp_Dir u = d_->view->Camera()->Up();
  const Vec3 up(u.X(), u.Y(), u.Z()), eye = eyeDirection();
  const Vec3 right = up.cross(eye).normalized(), top = eye.cross(right);
  const double s = scale();
  return {width() / 2.0 + d.dot(right) / s, height() / 2.0 - d.dot(top) / s};
}

void OcctView::ray(const QPointF& at, Vec3& origin, Vec3& direction) const {
  direction = -eyeDirection();
  if (d_->view.IsNull()) return;
  const gp_Pnt c = d_->view->Camera()->Center();
  origin =
      Vec3(c.X(), c.Y(), c.Z()) / shape::kToMm + scale() * screenDirection(at - QPointF(width() / 2.0, height() / 2.0));
}

}  // namespace cooperage::app
