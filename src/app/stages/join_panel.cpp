// SPDX-License-Identifier: GPL-3.0-or-later
#include <QHBoxLayout>
#include <QToolButton>

#include "panels.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
}  // namespace

JoinPanel::JoinPanel(Session& session, Scene& scene, QWidget* parent)
    : StagePanel(session, tr("Join"), parent), scene_(scene) {
  kinds_ = new QButtonGroup(this);
  kinds_->setExclusive(false);
  auto* box = new QWidget;
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(10, 0, 10, 4);
  column->setSpacing(5);
  auto* row = new QHBoxLayout;
  row->setSpacing(3);
  int key = 1;
  for (const JointKind kind :
       {JointKind::revolute, JointKind::prismatic, JointKind::cylindrical, JointKind::spherical, JointKind::fixed}) {
    auto* b = new QToolButton;
    const QString name = QLatin1String(infoOf(kind).name);
    b->setIcon(icon(QStringLiteral("joints/") + name));
    b->setIconSize({22, 22});
    b->setFixedSize(44, 34);
    b->setCheckable(true);
    b->setObjectName(QStringLiteral("make ") + name);
    b->setToolTip(tr("Make a %1 joint: pick a place on each of two links (%2)").arg(name).arg(key));
    b->setAccessibleName(tr("Make a %1 joint").arg(name));
    b->setShortcut(QKeySequence(QString::number(key++)));
    kinds_->addButton(b, static_cast<int>(kind));
    row->addWidget(b);
    connect(b, &QToolButton::clicked, this, [this, kind](bool on) {
      if (on)
        startMaking(kind);
      else
        stopMaking();
    });
  }
  row->addStretch(1);
  column->addLayout(row);
  auto* manner = new QHBoxLayout;
  inPlace_ = new QRadioButton(tr("keep in place"));
  inPlace_->setObjectName(QStringLiteral("keep in place"));
  inPlace_->setToolTip(tr("The links stay where they are; the joint only states how they move"));
  together_ = new QRadioButton(tr("bring together"));
  together_->setObjectName(QStringLiteral("bring together"));
  together_->setToolTip(tr("The second link is moved so that the two places meet"));
  inPlace_->setChecked(true);
  manner->addWidget(inPlace_);
  manner->addWidget(together_);
  manner->addStretch(1);
  column->addLayout(manner);
  prompt_ = new QLabel;
  prompt_->setObjectName(QStringLiteral("prompt"));
  prompt_->setWordWrap(true);
  prompt_->setFont(uiFont(9, QFont::Medium));
  column->addWidget(prompt_);
  insertAbove(box);
  connect(&scene_, &Scene::picked, this, &JoinPanel::place);
  connect(&session_, &Session::stageChanged, this, [this] {
    if (session_.stage() != Stage::join) stopMaking();
  });
  prompt();
  refresh();
}

void JoinPanel::startMaking(JointKind kind) {
  kind_ = kind;
  making_ = true;
  first_.reset();
  for (auto* b : kinds_->buttons()) b->setChecked(kinds_->id(b) == static_cast<int>(kind));
  scene_.setPicking(true);
  prompt();
}

void JoinPanel::stopMaking() {
  making_ = false;
  first_.reset();
  for (auto* b : kinds_->buttons()) b->setChecked(false);
  scene_.setPicking(false);
  prompt();
}

void JoinPanel::prompt() {
  prompt_->setVisible(making_);
  if (!making_) return;
  prompt_->setStyleSheet(QStringLiteral("color: %1").arg(theme().accent.name()));
  const QString kind = QLatin1String(infoOf(kind_).name);
  if (!first_) {
    prompt_->setText(tr("%1: pick a place on the first link. Esc ends.").arg(kind));
  } else {
    const auto link = findLink(*session_.mechanism(), first_->link);
    prompt_->setText(tr("%1: now a place on the second link (first: %2, %3).")
                         .arg(kind, first_->word, link ? q(link->name) : QString()));
  }
  session_.say(prompt_->text());
}

void JoinPanel::place(const PickedPlace& picked) {
  if (!making_) return;
  if (!first_) {
    first_ = picked;
    scene_.setChosenPlaces({picked});
    prompt();
    return;
  }
  if (first_->link == picked.link) {
    session_.say(tr("Both places are on one link: pick the second on another"), true);
    return;
  }
  const auto toPlace = [](const PickedPlace& p) { return Place{p.link, p.word.toStdString(), p.at, p.axis, p.ref, 0}; };
  // in place, a joint of two links lies at the first pick; brought together, the second link comes to it
  auto made =
      joined(*session_.mechanism(), toPlace(*first_), toPlace(picked), kind_, inPlace_->isChecked(), session_.poses());
  if (!made.ok()) {
    session_.say(q(made.error().text), true);
    return;
  }
  if (session_.apply(tr("Make %1 joint").arg(QLatin1String(infoOf(kind_).name)), made->first))
    session_.select({made->second});
  first_.reset();
  scene_.setChosenPlaces({});
  prompt();
}

std::pair<QString, Tone> JoinPanel::state() const {
  if (session_.mechanism()->joints.empty()) return {};
  if (!session_.homeProblem().isEmpty()) return {QStringLiteral("!"), Tone::bad};
  return {QStringLiteral("\u2713"), Tone::good};
}

QString JoinPanel::subtitle() const {
  return counted(static_cast<qsizetype>(session_.mechanism()->joints.size()), tr("joint"), tr("joints"));
}

std::vector<LedgerRow> JoinPanel::rows() const {
  const auto& m = *session_.mechanism();
  std::vector<LedgerRow> out;
  if (!session_.homeProblem().isEmpty()) {
    LedgerRow r;
    r.icon = QStringLiteral("lucide/triangle-alert");
    r.title = tr("Home can't be closed");
    r.detail = session_.homeProblem();
    r.tag = tr("open");
    r.tone = Tone::bad;
    out.push_back(r);
  }
  const auto linkOf = [&](Id seat) {
    const auto s = findSeat(m, seat);
    return s ? q(s->link->name) : tr("nothing");
  };
  for (const auto& j : m.joints) {
    LedgerRow r;
    r.id = j->id;
    r.icon = QStringLiteral("joints/") + QLatin1String(infoOf(j->kind).name);
    r.title = q(j->name);
    r.detail =
        tr("%1: %2 \u2013 %3").arg(QLatin1String(infoOf(j->kind).name), linkOf(j->seats[0]), linkOf(j->seats[1]));
    r.faded = !j->enabled;
    r.editable = true;
    if (!j->enabled) {
      r.tag = tr("off");
      r.tone = Tone::quiet;
    } else if (j->held) {
      r.tag = tr("held");
      r.tone = Tone::warning;
    }
    for (const auto& d : m.drives)
      if (d->value.id == j->id && d->enabled) {
        r.tag = tr("driven");
        r.tone = Tone::none;
      }
    out.push_back(r);
  }
  for (const auto& c : m.camPairs) {
    LedgerRow r;
    r.id = c->id;
    r.icon = QStringLiteral("joints/point-curve");
    r.title = q(c->name);
    r.detail = tr("%1 contact: %2 \u2013 %3")
                   .arg(q(c->kind), q(nameOf(m, {c->cam, ""}, false)), q(nameOf(m, {c->follower, ""}, false)));
    r.faded = !c->enabled;
    out.push_back(r);
  }
  for (const auto& c : m.couplings) {
    LedgerRow r;
    r.id = c->id;
    r.icon = QStringLiteral("joints/coupling");
    r.title = q(c->name);
    QStringList values;
    for (const Symbol& s : c->values) values << q(nameOf(m, s, false));
    r.detail = tr("coupling: %1").arg(values.join(QStringLiteral(", ")));
    r.faded = !c->enabled;
    out.push_back(r);
  }
  const auto remark = [&](const Message& x) {
    LedgerRow r;
    const auto joint = x.objects.empty() ? nullptr : findByName(m.joints, x.objects.front());
    r.id = joint ? joint->id : 0;
    r.icon = QStringLiteral("lucide/triangle-alert");
    r.title = q(x.text);
    r.tag = x.severity == Severity::note ? tr("note") : tr("warning");
    r.tone = x.severity == Severity::note ? Tone::quiet : Tone::warning;
    out.push_back(r);
  };
  for (const Message& x : session_.resolved().messages) remark(x);
  if (const auto& mobility = session_.mobility(); mobility && !m.joints.empty()) {
    for (const Message& x : mobility->messages) remark(x);
    for (const auto& d : mobility->stuckDrives)
      remark({Severity::warning, "stuck-drive", {d}, "drive " + d + ": its joint cannot move"});
    for (const auto& d : mobility->redundantDrives)
      remark({Severity::warning, "redundant-drive", {d}, "drive " + d + ": the other drives decide its value already"});
    for (const auto& text : mobility->leftFreedoms) {
      LedgerRow r;
      r.icon = QStringLiteral("lucide/hand");
      r.title = q(text);
      r.tag = tr("free");
      r.tone = Tone::none;
      out.push_back(r);
    }
    if (!mobility->redundantJoints.empty()) {
      LedgerRow h;
      h.heading = true;
      h.title = tr("Redundant rows: %1").arg(mobility->redundant);
      out.push_back(h);
      for (const auto& x : mobility->redundantJoints) {
        LedgerRow r;
        const auto joint = findByName(m.joints, x.joint);
        r.id = joint ? joint->id : 0;
        r.title = q(x.joint);
        r.detail = tr("could be %1").arg(q(x.cure));
        r.faded = true;
        out.push_back(r);
      }
    }
  }
  return out;
}

QString JoinPanel::hint() const {
  const auto& m = *session_.mechanism();
  if (m.links.empty()) return tr("There are no links yet: import or add some in stage Shape.");
  if (std::none_of(m.links.begin(), m.links.end(), [](const auto& l) { return l->ground; }))
    return tr("No link is grounded: ground one in stage Shape, or everything moves together.");
  if (m.joints.empty()) return tr("Choose a kind above, then click a bore or a pin on one link and on the other.");
  const auto& mobility = session_.mobility();
  if (mobility && mobility->left > 0)
    return tr("%1 left: drag a link to see, then drive one in stage Drive.")
        .arg(counted(mobility->left, tr("freedom"), tr("freedoms")));
  return {};
}

}  // namespace cooperage::app
