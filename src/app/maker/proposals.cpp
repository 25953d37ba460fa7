// SPDX-License-Identifier: GPL-3.0-or-later
#include "proposals.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QTreeWidget>
#include <QVBoxLayout>

#include "../choice_box.h"
#include "../text.h"
#include "../theme.h"
#include "joint_card.h"
#include "model/joint_edits.h"
// OCCT last
#include <TopExp.hxx>
#include <TopTools_IndexedMapOfShape.hxx>

namespace cooperage::app {

using namespace model;

Proposals::Proposals(Workbench& bench, Scene& scene)
    : FloatCard(&scene, QStringLiteral("proposals")), bench_(bench), scene_(scene) {
  connect(this, &FloatCard::confirmed, this, &Proposals::accept);
  connect(this, &FloatCard::cancelled, this, &Proposals::giveUp);
  connect(&bench_.document(), &Document::changed, this, [this] {
    if (isVisible() && source_ != bench_.document().mechanism()) giveUp();  // the list is of another document
  });
}

void Proposals::start() {
  struct Work {
    std::vector<Id> links;
    std::vector<std::vector<std::pair<shape::SolidPtr, Pose>>> solids;
    std::vector<shape::Proposal> found;
  };
  auto work = std::make_shared<Work>();
  bench_.pose().goHome();
  const auto& r = bench_.solution().resolved();
  for (std::size_t l = 0; l < r.links.size() && l < bench_.pose().poses().size(); ++l) {
    work->links.push_back(r.links[l].id);
    work->solids.emplace_back();
    for (const auto& b : r.links[l].bodies)
      if (const auto s = bench_.shapes().solid(b.id))
        work->solids.back().emplace_back(s, bench_.pose().poses()[l] * b.placement);
  }
  source_ = bench_.document().mechanism();
  bench_.jobs().start(
      tr("Looking at the faces"),
      [this, work](SharedProgress& progress) {
        std::vector<shape::Part> parts;
        for (const auto& solids : work->solids) {
          parts.emplace_back();
          for (const auto& [s, pose] : solids) parts.back().solids.emplace_back(bench_.shapes().store().faces(s), pose);
          if (progress.cancelled()) return;
        }
        work->found = shape::proposeJoints(parts, {}, &progress);
      },
      [this, work] {
        if (source_ != bench_.document().mechanism()) return;  // it has changed meanwhile
        entries_.clear();
        for (auto& p : work->found) {
          Entry e;
          e.a = work->links[static_cast<std::size_t>(p.a)];
          e.b = work->links[static_cast<std::size_t>(p.b)];
          if (areJoined(*source_, e.a, e.b)) continue;  // it is not proposed again
          e.kind = p.advice.kind;
          e.accepted = e.kind.has_value();
          e.advice = std::move(p.advice);
          entries_.push_back(std::move(e));
        }
        show();
      });
}

void Proposals::show() {
  clear();
  setTitle(tr("Proposed joints"));
  if (entries_.empty()) {
    bench_.say(tr("No faces of different links meet that are not joined already"));
    return;
  }
  setFixedWidth(std::min(430, scene_.width() - 24));
  list_ = new QTreeWidget;
  list_->setObjectName(QStringLiteral("proposal list"));
  list_->setAccessibleName(tr("Proposed joints"));
  list_->setColumnCount(2);
  list_->setHeaderLabels({tr("Links"), tr("Joint")});
  list_->setRootIsDecorated(false);
  list_->setFrameShape(QFrame::NoFrame);
  dress(list_,
        QStringLiteral("QTreeWidget { background: transparent; } QTreeWidget::item { color: @ink; } "
                       "QTreeWidget::item:selected { background: @tint; color: @ink; } "
                       "QHeaderView::section { background: @panel; color: @mute; border: none; padding: 3px 2px; }"));
  list_->setUniformRowHeights(true);
  list_->header()->setStretchLastSection(false);
  list_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  list_->header()->resizeSection(1, 150);
  list_->setFixedHeight(std::min(300, 32 + 34 * static_cast<int>(entries_.size())));
  for (std::size_t i = 0; i < entries_.size(); ++i) {
    const Entry& e = entries_[i];
    const auto a = findLink(*source_, e.a), b = findLink(*source_, e.b);
    auto* item = new QTreeWidgetItem(list_);
    item->setText(0, q(b->name) + QStringLiteral(" \u2013 ") + q(a->name));
    item->setCheckState(0, e.accepted ? Qt::Checked : Qt::Unchecked);
    item->setToolTip(0, tr("%1\n%2").arg(q(e.advice.why), q(e.advice.leaves)));
    item->setSizeHint(0, {100, 32});
    auto* kinds = new ChoiceBox;
    kinds->setAccessibleName(tr("Kind of the joint between %1 and %2").arg(q(b->name), q(a->name)));
    kinds->addItem(tr("no joint"), -1);
    for (const JointKind kind : kindsInOrder()) {
      if (kind == JointKind::pointCurve || kind == JointKind::pointSurface) continue;
      kinds->addItem(icon(QStringLiteral("joints/") + QLatin1String(infoOf(kind).name)),
                     QLatin1String(infoOf(kind).name), static_cast<int>(kind));
    }
    kinds->setCurrentIndex(std::max(0, kinds->findData(e.kind ? static_cast<int>(*e.kind) : -1)));
    list_->setItemWidget(item, 1, kinds);
    connect(kinds, &QComboBox::activated, this, [this, i, kinds, item](int) {
      const int kind = kinds->currentData().toInt();
      entries_[i].kind = kind < 0 ? std::nullopt : std::optional<JointKind>(static_cast<JointKind>(kind));
      item->setCheckState(0, kind < 0 ? Qt::Unchecked : Qt::Checked);
      count();
    });
  }
  column()->addWidget(list_);
  auto* why = addText(QStringLiteral("proposal why"));
  why->setMinimumHeight(34);
  why->setProperty("mute", true);
  sum_ = addText(QStringLiteral("proposal sum"));
  addEnd(tr("Make these joints"));
  connect(list_, &QTreeWidget::itemChanged, this, [this](QTreeWidgetItem* item, int) {
    entries_[static_cast<std::size_t>(list_->indexOfTopLevelItem(item))].accepted = item->checkState(0) == Qt::Checked;
    count();
  });
  connect(list_, &QTreeWidget::currentItemChanged, this, [this, why](QTreeWidgetItem* item) {
    if (!item) return;
    const Entry& e = entries_[static_cast<std::size_t>(list_->indexOfTopLevelItem(item))];
    why->setText(q(e.advice.why) + (e.advice.leaves.empty() ? QString() : QStringLiteral(": ") + q(e.advice.leaves)) +
                 (e.advice.oneSided && e.kind ? tr("; held from one side only") : QString()));
    bench_.selection().select({e.a, e.b});
  });
  count();
  openBeside(QPointF(scene_.width(), 0));
  scene_.showAllBeside(dock());
  if (list_->topLevelItemCount() > 0) list_->setCurrentItem(list_->topLevelItem(0));
  bench_.say(tr("Untick what is no joint, change kinds, then Enter makes the rest"));
}

/// A place on the link, with the round face that it comes from if there is one.
Place Proposals::placeOn(Id link, const shape::Advice& advice) const {
  Place p;
  p.link = link;
  p.at = advice.at;
  p.axis = advice.axis;
  p.ref = advice.ref;
  const auto& r = bench_.solution().resolved();
  for (std::size_t l = 0; l < r.links.size() && l < bench_.pose().poses().size(); ++l) {
    if (r.links[l].id != link) continue;
    double best = 1e-4;
    for (const auto& b : r.links[l].bodies) {
      const auto solid = bench_.shapes().solid(b.id);
      if (!solid) continue;
      const Pose pose = bench_.pose().poses()[l] * b.placement;
      for (const auto& f : bench_.shapes().store().faces(solid)->faces) {
        const bool round = f.feature.kind == model::FeatureKind::cylinder || f.feature.kind == model::FeatureKind::cone;
        if (!round && f.feature.kind != model::FeatureKind::sphere) continue;
        const Vec3 d = pose * f.feature.at - p.at, axis = p.axis.normalized();
        if (round && std::abs(axis.dot(pose.R * f.feature.axis)) < 0.999) continue;
        const double away = round ? (d - d.dot(axis) * axis).norm() + 1e-3 * std::abs(d.dot(axis)) : d.norm();
        if (away > best) continue;
        best = away;
        TopTools_IndexedMapOfShape faces;
        TopExp::MapShapes(solid->shape, TopAbs_FACE, faces);
        if (f.index >= faces.Extent()) continue;
        SeatSource s;
        s.body = b.id;
        s.word = round ? "axis middle" : "centre";
        s.feature = shape::featureOf(solid->shape, faces(f.index + 1));
        p.name = round ? (f.feature.inward ? "bore" : "pin") : (f.feature.inward ? "socket" : "ball");
        // the seat stands off the place that the face itself offers
        for (const auto& snap : shape::snapsOf(faces(f.index + 1)))
          if (snap.word == s.word) {
            Pose own{Mat3::Identity(), pose * snap.at}, seat{Mat3::Identity(), p.at};
            if (axesFrom(pose.R * snap.axis, pose.R * snap.ref, own.R) && axesFrom(p.axis, p.ref, seat.R)) {
              s.inFeature = own.inverse() * seat;
              p.source = s;
            }
            break;
          }
      }
    }
  }
  return p;
}

Result<Mechanism> Proposals::withAccepted() const {
  Mechanism m = *source_;
  for (const Entry& e : entries_) {
    if (!e.accepted || !e.kind) continue;
    JointDraft d;
    d.first = placeOn(e.advice.swapped ? e.b : e.a, e.advice);
    d.second = placeOn(e.advice.swapped ? e.a : e.b, e.advice);
    d.kind = *e.kind;
    if (*e.kind == JointKind::screw) d.lead = Field(e.advice.lead / m.units.factor(dimension::kLength));
    auto next = withJoint(m, d, bench_.pose().poses());
    if (!next.ok()) return next;
    m = std::move(next).value();
  }
  return m;
}

/// How many freedoms the accepted joints leave.
void Proposals::count() {
  if (!sum_) return;
  const auto accepted =
      std::count_if(entries_.begin(), entries_.end(), [](const Entry& e) { return e.accepted && e.kind; });
  QString text = counted(accepted, tr("joint"), tr("joints"));
  const bool ground =
      std::any_of(source_->links.begin(), source_->links.end(), [](const auto& l) { return l->ground; });
  if (!ground) {
    sum_->setText(text + tr(" \u2013 no link is grounded: ground one, to count freedoms"));
    return;
  }
  const auto m = withAccepted();
  const auto r = m.ok() ? resolve(*m) : Result<Resolved>(m.error());
  const auto system = r.ok() ? kinematics::System::compile(*r) : Result<kinematics::System>(r.error());
  const auto home = system.ok() ? kinematics::assemble(*system, *r) : Result<kinematics::Home>(system.error());
  if (!home.ok()) {
    sum_->setText(text + QStringLiteral(" \u2013 ") + q(home.error().text));
    return;
  }
  const auto mobility = kinematics::analyse(*system, *r, *home);
  text += QStringLiteral(" \u2192 ") + counted(mobility.freedoms, tr("freedom"), tr("freedoms"));
  if (mobility.idle > 0) text += tr(", %1 idle").arg(mobility.idle);
  if (mobility.redundant > 0) text += tr(", %1 redundant").arg(mobility.redundant);
  sum_->setText(text);
}

void Proposals::accept() {
  const auto m = withAccepted();
  hide();
  if (bench_.document().apply(tr("Make proposed joints"), m)) bench_.selection().select({});
}

void Proposals::giveUp() { hide(); }

}  // namespace cooperage::app
