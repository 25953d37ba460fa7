// SPDX-License-Identifier: GPL-3.0-or-later
#include "section_bar.h"

#include <QButtonGroup>
#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QSlider>
#include <QToolButton>
#include <cmath>

#include "../text.h"
#include "../theme.h"
#include "scene_bar.h"

namespace cooperage::app {

namespace {
constexpr int kTicks = 1000;  // of the slider
}  // namespace

SectionBar::SectionBar(Workbench& bench, Scene& scene) : QFrame(&scene), bench_(bench), scene_(scene) {
  setObjectName(QStringLiteral("sectionbar"));
  dress(this, panelStyle("sectionbar", 8));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(9, 3, 5, 3);
  row->setSpacing(3);
  row->addWidget(new QLabel(tr("Cut")));
  axes_ = new QButtonGroup(this);
  const auto button = [&](const QString& text, const QString& name, const QString& tip) {
    auto* b = new QToolButton;
    b->setText(text);
    b->setObjectName(name);
    b->setToolTip(tip);
    b->setAccessibleName(tip);
    b->setFocusPolicy(Qt::TabFocus);
    row->addWidget(b);
    return b;
  };
  const QString names[] = {tr("x"), tr("y"), tr("z"), tr("view")};
  for (int i = 0; i < 4; ++i) {
    auto* b = button(names[i], QStringLiteral("section ") + QString::number(i),
                     i < 3 ? tr("The section is square to %1").arg(names[i]) : tr("The section faces you"));
    b->setCheckable(true);
    axes_->addButton(b, i);
  }
  axes_->setExclusive(true);
  connect(axes_, &QButtonGroup::idClicked, this, &SectionBar::cutAlong);
  slider_ = new QSlider(Qt::Horizontal);
  slider_->setObjectName(QStringLiteral("section place"));
  slider_->setAccessibleName(tr("Place of the section"));
  slider_->setToolTip(tr("Moves the section through the mechanism"));
  slider_->setRange(0, kTicks);
  slider_->setFixedWidth(96);
  row->addWidget(slider_);
  connect(slider_, &QSlider::valueChanged, this,
          [this](int v) { cut(normal_ * (low_ + (high_ - low_) * v / kTicks)); });
  offset_ = new QLineEdit;
  offset_->setObjectName(QStringLiteral("section offset"));
  offset_->setAccessibleName(tr("Distance of the section from the origin"));
  offset_->setToolTip(offset_->accessibleName());
  offset_->setFixedWidth(74);
  row->addWidget(offset_);
  connect(offset_, &QLineEdit::returnPressed, this, &SectionBar::typed);
  auto* flip = button(tr("Other side"), QStringLiteral("section flip"), tr("Takes the other side away"));
  connect(flip, &QToolButton::clicked, this, [this] {
    if (const auto s = scene_.section()) scene_.setSection(OcctView::Section{s->at, -s->normal});
  });
  auto* close = button(QString(), QStringLiteral("section close"), tr("No section (C)"));
  close->setIcon(icon(QStringLiteral("lucide/x")));
  connect(close, &QToolButton::clicked, this, &SectionBar::toggle);
  scene.installEventFilter(this);
  hide();
}

/// What one would want to see cut open.
Vec3 SectionBar::interest() const {
  if (const auto& common = bench_.checks().commonVolume(); common && common->common.volume > 0)
    return common->common.centroid;
  if (const CheckData* c = bench_.checks().check(); c && bench_.selection().chosenInterference() >= 0)
    return c->result.interference[static_cast<std::size_t>(bench_.selection().chosenInterference())].deepest.point;
  if (!bench_.checks().poseOverlaps().empty()) return bench_.checks().poseOverlaps().front().point;
  for (const Witness& w : bench_.checks().witnesses()) return 0.5 * (w.a + w.b);
  return scene_.middleOfSelection();
}

void SectionBar::toggle() {
  if (scene_.section()) {
    scene_.setSection({});
    hide();
    return;
  }
  // square to the axis that points at the eye most
  Eigen::Index axis = 1;
  scene_.eyeDirection().cwiseAbs().maxCoeff(&axis);
  cutAlong(static_cast<int>(axis));
}

void SectionBar::cutAlong(int axis) {
  const Vec3 eye = scene_.eyeDirection();
  normal_ = axis == 3 ? eye : Vec3::Unit(axis);
  scene_.extentAlong(normal_, low_, high_);
  axes_->button(axis)->setChecked(true);
  cut(interest());
  show();
  raise();
  place();
}

/// Through a point, the side towards the eye taken away unless the user has said otherwise.
void SectionBar::cut(const Vec3& at) {
  const auto now = scene_.section();
  const bool kept = now && std::abs(now->normal.dot(normal_)) > 1 - 1e-12;
  const double side = kept ? now->normal.dot(normal_) : normal_.dot(scene_.eyeDirection());
  scene_.setSection(OcctView::Section{at, side < 0 ? Vec3(-normal_) : normal_});
  refresh();
}

void SectionBar::refresh() {
  const auto s = scene_.section();
  if (!s) return;
  const double at = normal_.dot(s->at);
  slider_->blockSignals(true);
  slider_->setValue(static_cast<int>(std::lround((at - low_) / std::max(1e-12, high_ - low_) * kTicks)));
  slider_->blockSignals(false);
  const auto& units = bench_.document().mechanism()->units;
  offset_->setText(exactText(at, dimension::kLength, units, 1e-5));
}

void SectionBar::typed() {
  const auto& m = *bench_.document().mechanism();
  const auto field = model::parseField(m, offset_->text().toStdString());
  const auto value = field.ok() ? model::evaluateField(m, *field, dimension::kLength) : Result<double>(field.error());
  if (!value.ok()) {
    bench_.say(q(value.error().text), true);
    return;
  }
  cut(normal_ * *value);
}

void SectionBar::place() {
  adjustSize();
  move(std::max(0, scene_.width() - width() - 12), std::max(0, scene_.height() - height() - 52));
}

bool SectionBar::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::Resize || event->type() == QEvent::Show) place();
  return QFrame::eventFilter(watched, event);
}

}  // namespace cooperage::app
