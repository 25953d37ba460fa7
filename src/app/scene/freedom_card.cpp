// SPDX-License-Identifier: GPL-3.0-or-later
#include "freedom_card.h"

#include "kinematics/length_condition.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

#include "../text.h"
#include "model/joint_edits.h"
#include "study/close_gap.h"

namespace cooperage::app {

using namespace model;

namespace {
constexpr std::size_t kMost = 8;  // of a list; more would not fit over the scene
}

QStringList lengthWords(Workbench& bench) {
  QStringList out;
  const auto& m = *bench.document().mechanism();
  if (!bench.solution().prepared() || !bench.solution().closes()) return out;
  for (const auto& c : kinematics::lengthConditions(bench.solution().resolved(), bench.solution().prepared()->poses)) {
    const auto link = model::findLink(m, c.link);
    if (!link) continue;
    const auto angle = [&](double v) {
      return withUnit(figureText(v, dimension::kAngle, m.units, 0, 1e-4), m.units.label(dimension::kAngle));
    };
    out << (c.full ? QObject::tr("%1 turns fully").arg(q(link->name))
                   : QObject::tr("%1 swings from %2 to %3").arg(q(link->name), angle(c.low), angle(c.high)));
  }
  return out;
}

FreedomCard::FreedomCard(Workbench& bench, QWidget* scene)
    : FloatCard(scene, QStringLiteral("freedoms")), bench_(bench) {
  connect(this, &FloatCard::cancelled, this, &QWidget::hide);
  connect(this, &FloatCard::confirmed, this, &QWidget::hide);
  timer_.setInterval(30);
  connect(&timer_, &QTimer::timeout, this, &FreedomCard::showMoved);
  const auto follow = [this] {
    if (isVisible()) fill();
  };
  connect(&bench_.document(), &Document::changed, this, follow);
  connect(&bench_.solution(), &Solution::changed, this, follow);
}

void FreedomCard::toggle() {
  if (isVisible()) {
    hide();
    return;
  }
  fill();
  openBeside({0, 44});
}

void FreedomCard::fill() {
  clear();
  const auto& mobility = bench_.solution().mobility();
  setTitle(tr("Freedoms"));
  auto* sum = addText(QStringLiteral("freedoms sum"));
  if (!mobility) {
    sum->setText(bench_.solution().homeProblem().isEmpty() ? tr("Nothing is joined yet.")
                                                           : bench_.solution().homeProblem());
    if (const auto& open = bench_.solution().prepared()->open) {
      const auto& units = bench_.document().mechanism()->units;
      auto* row = addRow();
      addButton(row, tr("Close this gap (%1)").arg(exactText(open->gap, dimension::kLength, units, 1e-5)),
                tr("The second seat of the joint goes where the first is: a length changes by the gap"),
                QStringLiteral("close gap"), [this] { closeGap(); });
      row->addStretch(1);
    }
  } else {
    sum->setText(tr("%1, %2 driven, %3 left")
                     .arg(counted(mobility->freedoms, tr("freedom"), tr("freedoms")))
                     .arg(mobility->driven)
                     .arg(mobility->left) +
                 (mobility->byContact > 0 ? tr(", %1 moved by contact").arg(mobility->byContact) : QString()));
    listLeft(*mobility);
    listLengths();
    listRedundant(*mobility);
  }
  auto* end = addRow();
  end->addStretch(1);
  addButton(end, tr("Close"), tr("Close (Esc)"), QStringLiteral("close freedoms"), [this] { hide(); });
  fit();
}

bool FreedomCard::eventFilter(QObject* watched, QEvent* event) {
  const QVariant freedom = watched->property("freedom");
  if (freedom.isValid() && event->type() == QEvent::Enter) play(freedom.toInt());
  if (freedom.isValid() && event->type() == QEvent::Leave) play(-1);
  return FloatCard::eventFilter(watched, event);
}

void FreedomCard::hideEvent(QHideEvent* event) {
  play(-1);
  FloatCard::hideEvent(event);
}

void FreedomCard::play(int freedom) {
  if (playing_ >= 0) bench_.pose().restorePoses();
  playing_ = freedom;
  if (freedom < 0) {
    timer_.stop();
    return;
  }
  clock_.start();
  timer_.start();
}

/// The links a little along the motion, to and fro about home.
void FreedomCard::showMoved() {
  constexpr double kSeconds = 1.6, kFar = 0.2;  // there and back; rad, or of the mechanism's size
  const auto& mobility = bench_.solution().mobility();
  const auto* system = bench_.solution().system();
  if (!mobility || !system || playing_ < 0 || static_cast<std::size_t>(playing_) >= mobility->leftMotions.size()) {
    play(-1);
    return;
  }
  const auto& motions = mobility->leftMotions[static_cast<std::size_t>(playing_)];
  double most = 0;
  for (const auto& m : motions) most = std::max(most, m.velocity.norm() / system->size + m.spin.norm());
  if (most <= 0) return;
  const double by = kFar / most * std::sin(2 * kPi * static_cast<double>(clock_.elapsed()) * 1e-3 / kSeconds);
  std::vector<Pose> poses = bench_.solution().prepared()->poses;
  const auto& links = bench_.solution().resolved().links;
  for (const auto& m : motions)
    for (std::size_t l = 0; l < links.size() && l < poses.size(); ++l) {
      if (links[l].id != m.link) continue;
      const Mat3 turn = rotationOf(by * m.spin);
      poses[l] = Pose{turn * poses[l].R, m.at + by * m.velocity + turn * (poses[l].p - m.at)};
    }
  bench_.pose().showPoses(poses);
}

void FreedomCard::listLeft(const kinematics::Mobility& mobility) {
  for (std::size_t i = 0; i < std::min(kMost, mobility.leftFreedoms.size()); ++i) {
    auto* l = addText(QStringLiteral("left %1").arg(i + 1));
    l->setText(QStringLiteral("\u2022 ") + q(mobility.leftFreedoms[i]));
    if (i >= mobility.leftMotions.size() || mobility.leftMotions[i].empty()) continue;
    l->setToolTip(tr("The pointer over it plays it"));
    l->setProperty("freedom", static_cast<int>(i));
    l->installEventFilter(this);
  }
  for (std::size_t i = 0; i < std::min(kMost, mobility.contactFreedoms.size()); ++i)
    addText(QStringLiteral("contact %1").arg(i + 1))
        ->setText(QStringLiteral("\u2022 ") + tr("moved by contact: %1").arg(q(mobility.contactFreedoms[i])));
  if (mobility.idle > 0)
    addText(QStringLiteral("idle"))
        ->setText(tr("%1 of them idle: they move nothing that is measured or driven.").arg(mobility.idle));
}

/// Of planar loops of four: what their lengths let turn.
void FreedomCard::listLengths() {
  const QStringList lines = lengthWords(bench_);
  for (qsizetype i = 0; i < std::min<qsizetype>(lines.size(), static_cast<qsizetype>(kMost)); ++i)
    addText(QStringLiteral("length %1").arg(i + 1))->setText(QStringLiteral("\u2022 ") + lines[i]);
}

void FreedomCard::listRedundant(const kinematics::Mobility& mobility) {
  if (mobility.redundant <= 0) return;
  addText(QStringLiteral("redundant"))
      ->setText(
          mobility.planar
              ? tr("<b>%1 redundant</b>: the loops lie in parallel planes, which the joints hold more "
                   "than once. Nothing to fix, unless the parts are to bear misalignment.")
                    .arg(mobility.redundant)
              : tr("<b>%1 redundant</b>: held more than once. Any of these takes some away.").arg(mobility.redundant));
  auto* form = addForm();
  for (std::size_t i = 0; i < std::min(kMost, mobility.redundantJoints.size()); ++i) {
    const auto& x = mobility.redundantJoints[i];
    auto* line = new QWidget;
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    for (const auto& cure : x.cures) {
      const QString name = cure.kind ? QString::fromLatin1(infoOf(*cure.kind).name).replace('-', ' ') : tr("left out");
      addButton(row, tr("%1 \u2212%2").arg(name).arg(cure.less),
                (cure.kind ? tr("Make the joint %1 %2: %3 redundant less").arg(q(x.joint), name)
                           : tr("Leave the joint %1 out, whose hold others have: %3 redundant less").arg(q(x.joint)))
                    .arg(cure.less),
                QStringLiteral("cure %1 %2").arg(q(x.joint), name),
                [this, joint = x.joint, cure] { this->cure(joint, cure); });
    }
    row->addStretch(1);
    auto* label = new QLabel(q(x.joint));
    label->setProperty("mute", true);
    form->addRow(label, line);
  }
}

void FreedomCard::closeGap() {
  const auto made = study::withGapClosed(*bench_.solution().prepared());
  if (!made.ok())
    bench_.say(q(made.error().text), true);
  else if (bench_.document().apply(tr("Close the gap"), made))
    bench_.say(tr("The gap is closed: a seat has moved"));
}

void FreedomCard::cure(const std::string& joint, const kinematics::Mobility::Cure& cure) {
  const auto& m = *bench_.document().mechanism();
  const auto j = findByName(m.joints, joint);
  if (!j) return;
  bench_.document().apply(tr("Cure redundancy"), cure.kind ? withKind(m, j->id, *cure.kind)
                                                           : changed<Joint>(m, &Mechanism::joints, j->id,
                                                                            [](Joint& x) { x.enabled = false; }));
}

}  // namespace cooperage::app
