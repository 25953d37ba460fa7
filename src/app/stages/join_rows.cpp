// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of the join panel, a function for each kind.
#include "join_panel.h"
#include "../text.h"
#include "model/joint_kind.h"
#include "shape/refresh.h"

namespace cooperage::app {

using namespace model;

namespace {

LedgerRow headingRow(const QString& title) {
  LedgerRow row;
  row.heading = true;
  row.title = title;
  return row;
}

}  // namespace

std::vector<LedgerRow> JoinPanel::rows() const {
  std::vector<LedgerRow> out;
  homeRows(out);
  brokenSeatRows(out);
  jointRows(out);
  contactRows(out);
  couplingRows(out);
  curveRows(out);
  linkRows(out);
  remarkRows(out);
  freedomRows(out);
  redundantRows(out);
  return out;
}

/// Why home can't be closed, and the other ways to close it.
void JoinPanel::homeRows(std::vector<LedgerRow>& out) const {
  if (!bench_.solution().homeProblem().isEmpty()) {
    LedgerRow r;
    r.icon = QStringLiteral("lucide/triangle-alert");
    r.title = tr("Can't be assembled at home");
    r.detail = bench_.solution().homeProblem();
    r.tag = tr("open");
    r.tone = Tone::bad;
    out.push_back(r);
  }
  for (std::size_t g = 0; g < bench_.pose().ghosts().size(); ++g) {
    LedgerRow r;
    r.of = LedgerRow::Of::way;
    r.index = static_cast<int>(g);
    r.icon = QStringLiteral("lucide/layers");
    r.title = tr("Assembly mode %1").arg(g + 2);
    r.detail = tr("dashed in the scene; choosing it makes it home");
    out.push_back(r);
  }
}

void JoinPanel::brokenSeatRows(std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
  for (const auto& l : m.links)
    for (const auto& s : l->seats) {
      if (!s->broken) continue;
      LedgerRow r;
      r.id = s->id;
      r.icon = QStringLiteral("lucide/triangle-alert");
      r.title = q(l->name + "/" + s->name);
      QStringList joints;
      for (const auto& j : m.joints)
        if (j->seats[0] == s->id || j->seats[1] == s->id) joints << q(j->name);
      const auto* check = bench_.shapes().checkOf(s->id);
      r.detail = check && check->state == shape::SeatCheck::State::moved
                     ? tr("its %1 has moved; it keeps its last place").arg(q(check->what))
                     : tr("its geometry is gone; it keeps its last place");
      if (!joints.isEmpty()) r.detail += tr(" (joint %1)").arg(joints.join(QStringLiteral(", ")));
      r.tag = tr("broken");
      r.tone = Tone::bad;
      out.push_back(r);
    }
}

void JoinPanel::jointRows(std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
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
}

void JoinPanel::contactRows(std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
  for (const auto& c : m.camPairs) {
    LedgerRow r;
    r.id = c->id;
    r.icon = QStringLiteral("joints/point-curve");
    r.title = q(c->name);
    r.detail = tr("%1 contact: %2 \u2013 %3")
                   .arg(q(wordFor(c->kind)), q(nameOf(m, {c->cam, ""}, false)), q(nameOf(m, {c->follower, ""}, false)));
    r.faded = !c->enabled;
    out.push_back(r);
  }
  pushRows(out);
}

/// Links that push one another, what overlaps of them at home, and what holds them.
void JoinPanel::pushRows(std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
  const auto& overlaps = bench_.solution().prepared()->overlaps;
  const auto names = [&](const std::vector<Id>& side) {
    QStringList list;
    for (const Id id : side)
      if (const auto l = findLink(m, id)) list << q(l->name);
    return list.join(QStringLiteral(", "));
  };
  for (const auto& c : m.contacts) {
    LedgerRow r;
    r.id = c->id;
    r.icon = QStringLiteral("app/pair");
    r.title = q(c->name);
    r.detail = tr("pushes: %1 \u2013 %2").arg(names(c->sideA), names(c->sideB));
    r.faded = !c->enabled;
    r.editable = true;
    const auto o = std::find_if(overlaps.begin(), overlaps.end(), [&](const auto& x) { return x.contact == c->name; });
    if (o != overlaps.end()) {
      r.tag = tr("overlap %1").arg(exactText(o->depth, dimension::kLength, m.units, 1e-6));
      r.tone = Tone::bad;
    }
    out.push_back(r);
  }
  for (const auto& f : m.forces) {
    LedgerRow r;
    r.id = f->id;
    r.icon = QStringLiteral("lucide/activity");
    r.title = q(f->name);
    r.detail = f->of ? tr("force along %1: %2").arg(q(nameOf(m, *f->of, false)), q(fieldText(m, f->effort)))
                     : tr("force at %1").arg(q(nameOf(m, {f->on, ""}, false)));
    r.faded = !f->enabled;
    r.editable = true;
    out.push_back(r);
  }
}

void JoinPanel::couplingRows(std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
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
}

void JoinPanel::curveRows(std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
  bool curvesHeaded = false;
  for (const auto& l : m.links)
    for (const auto& c : l->curves) {
      if (c->outline) continue;  // only drawn
      if (!curvesHeaded) out.push_back(headingRow(tr("Curves")));
      curvesHeaded = true;
      LedgerRow r;
      r.id = c->id;
      r.icon = QStringLiteral("lucide/spline");
      r.title = q(l->name + "/" + c->name);
      r.detail = c->kind == CurveKind::camLaw ? tr("cam law, %1 follower").arg(q(wordFor(c->follower)))
                                              : tr("%1 curve").arg(q(c->kind.text()));
      out.push_back(r);
    }
}

/// Links, and which they are joined to.
void JoinPanel::linkRows(std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
  if (!m.links.empty()) out.push_back(headingRow(tr("Links")));
  int index = 0;
  for (const auto& l : m.links) {
    LedgerRow r = linkRow(*l, index);
    ++index;
    QStringList neighbours;
    for (const auto& j : m.joints) {
      const auto a = findSeat(m, j->seats[0]), b = findSeat(m, j->seats[1]);
      if (!a || !b || (a->link != l && b->link != l)) continue;
      const QString name = q((a->link == l ? b : a)->link->name);
      if (!neighbours.contains(name)) neighbours << name;
    }
    r.detail = neighbours.isEmpty() ? tr("not joined") : tr("joined to %1").arg(neighbours.join(QStringLiteral(", ")));
    if (neighbours.isEmpty() && !l->ground && !m.joints.empty()) {
      r.tag = tr("loose");
      r.tone = Tone::warning;
    }
    out.push_back(r);
  }
}

/// A remark on the mechanism, with the object that it is about.
LedgerRow JoinPanel::remarkRow(const Message& x) const {
  const auto& m = *bench_.document().mechanism();
  LedgerRow r;
  if (!x.objects.empty()) {
    if (const auto joint = findByName(m.joints, x.objects.front())) r.id = joint->id;
    if (const auto coupling = findByName(m.couplings, x.objects.front())) r.id = coupling->id;
  }
  r.icon = QStringLiteral("lucide/triangle-alert");
  r.title = q(x.text);
  r.tag = x.severity == Severity::note ? tr("note") : tr("warning");
  r.tone = x.severity == Severity::note ? Tone::quiet : Tone::warning;
  return r;
}

void JoinPanel::remarkRows(std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
  for (const Message& x : bench_.solution().resolved().messages) out.push_back(remarkRow(x));
  for (const Message& x : remarks_->messages()) out.push_back(remarkRow(x));
  for (const Message& x : bench_.solution().prepared()->meshProblems) out.push_back(remarkRow(x));
  if (const auto& mobility = bench_.solution().mobility(); mobility && !m.joints.empty()) {
    for (const Message& x : mobility->messages) out.push_back(remarkRow(x));
    for (const auto& d : mobility->stuckDrives)
      out.push_back(remarkRow({Severity::warning, "stuck-drive", {d}, "drive " + d + ": its joint cannot move"}));
    for (const auto& d : mobility->redundantDrives)
      out.push_back(remarkRow(
          {Severity::warning, "redundant-drive", {d}, "drive " + d + ": the other drives decide its value already"}));
  }
}

/// Freedoms that nothing drives.
void JoinPanel::freedomRows(std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
  const auto& mobility = bench_.solution().mobility();
  if (!mobility || m.joints.empty()) return;
  for (const auto& text : mobility->leftFreedoms) {
    LedgerRow r;
    r.icon = QStringLiteral("lucide/hand");
    r.title = q(text);
    r.tag = tr("free");
    r.tone = Tone::none;
    out.push_back(r);
  }
  for (const auto& text : mobility->contactFreedoms) {
    LedgerRow r;
    r.icon = QStringLiteral("app/pair");
    r.title = q(text);
    r.tag = tr("moved by contact");
    r.tone = Tone::none;
    out.push_back(r);
  }
}

void JoinPanel::redundantRows(std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
  const auto& mobility = bench_.solution().mobility();
  if (!mobility || mobility->redundantJoints.empty() || m.joints.empty()) return;

  out.push_back(headingRow(tr("Redundant rows: %1").arg(mobility->redundant)));
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

}  // namespace cooperage::app
