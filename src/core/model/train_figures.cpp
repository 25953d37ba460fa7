// SPDX-License-Identifier: GPL-3.0-or-later
// What the gears of a train have in common: one module for all that mesh, so that a stage follows as a whole.
#include <algorithm>
#include <set>

#include "model/machine_parts.h"
#include "model/train_edits.h"

namespace cooperage::model {
namespace {

bool isGearPair(const Coupling& c) { return c.kind == CouplingKind::gear && c.bodies.size() == 2; }

/// Moves the axes of a train away from the centre, and what stands on them along.
class Spread {
 public:
  /// @param round true: away from an apex in all directions (bevels), else square to the axis
  Spread(const Mechanism& before, const Resolved& resolved, std::vector<Pose>& home, double ratio, const Pose& centre,
         bool round)
      : m(before), r_(resolved), from_(home), poses_(home), k_(ratio), centre_(centre), round_(round) {}
  Mechanism m;

  /// The shaft of one gear: its bearing on the base, its link, and what the base holds on that axis.
  void shaft(const Shaft& s) {
    const Vec3 shift = shiftOf(s.frame.p);
    if (shift.norm() < 1e-12) return;
    const auto& joint = r_.joints[u(s.joint)];
    const bool first = s.base == joint.linkA;
    const Pose base = from_[u(s.base)];
    Pose seat = base * (first ? joint.seatA : joint.seatB);
    const Vec3 axis = seat.R.col(2), from = seat.p;
    seat.p += shift;
    m = changedSeat(m, findJoint(m, joint.id)->seats[first ? 0 : 1],
                    [&](Seat& x) { x.at = placementOf(poses_[u(s.base)].inverse() * seat, m.units).at; });
    Pose& link = poses_[u(s.link)];
    link.p += shift;
    m = changedLink(m, r_.links[u(s.link)].id, [&](Link& l) { l.placement = placementOf(link, m.units); });
    const auto bodies = findLink(m, r_.links[u(s.base)].id)->bodies;  // held: the link is replaced meanwhile
    for (const auto& b : bodies) follow(*b, base, from, axis, shift);
  }
  /// A bevel gear's body stays with its tip on the apex.
  void gear(Id body) {
    if (!round_) return;
    m = changedBody(m, body, [&](Body& b) {
      for (Field& f : b.placement.at)
        if (!f.formula) f.number *= k_;
    });
  }

 private:
  Vec3 shiftOf(const Vec3& at) const {
    Vec3 d = at - centre_.p;
    if (!round_) d -= d.dot(centre_.R.col(2)) * centre_.R.col(2);
    return (k_ - 1) * d;
  }
  /// A pin on the axis moves with it; a round plate about the centre that reached to it still does.
  void follow(const Body& b, const Pose& base, const Vec3& axisAt, const Vec3& axis, const Vec3& shift) {
    const auto local = poseOf(m, b.placement);
    if (!local.ok() || moved_.count(b.id)) return;
    const auto aside = [&](const Vec3& of, const Vec3& along) {
      const Vec3 d = (base * *local).p - of;
      return (d - d.dot(along) * along).norm();
    };
    const auto radius = b.figures.find("radius");
    const bool plain = radius != b.figures.end() && !radius->second.formula;
    if (b.kind == BodyKind::pin && aside(axisAt, axis) < 1e-6) {
      moved_.insert(b.id);
      m = changedBody(m, b.id, [&](Body& x) {
        Pose p = *local;
        p.p += base.R.transpose() * shift;
        x.placement = placementOf(p, m.units);
        if (plain) x.figures["radius"].number *= k_;
      });
    } else if (b.kind == BodyKind::disc && plain && !round_ && aside(centre_.p, centre_.R.col(2)) < 1e-6 &&
               (base * *local).R.col(2).cross(centre_.R.col(2)).norm() < 1e-6) {
      moved_.insert(b.id);
      m = changedBody(m, b.id, [&](Body& x) { x.figures["radius"].number *= k_; });
    }
  }

  const Resolved& r_;
  std::vector<Pose> from_;
  std::vector<Pose>& poses_;
  double k_;
  Pose centre_;
  bool round_;
  std::set<Id> moved_;
};

}  // namespace

std::vector<Id> trainOf(const Mechanism& m, Id coupling) {
  std::vector<Id> out;
  const auto first = findById(m.couplings, coupling);
  if (!first || !isGearPair(*first)) return out;
  out.push_back(coupling);
  std::set<Id> bodies(first->bodies.begin(), first->bodies.end());
  for (bool grown = true; grown;) {
    grown = false;
    for (const auto& c : m.couplings) {
      if (!isGearPair(*c) || std::find(out.begin(), out.end(), c->id) != out.end()) continue;
      if (!bodies.count(c->bodies[0]) && !bodies.count(c->bodies[1])) continue;
      out.push_back(c->id);
      bodies.insert(c->bodies.begin(), c->bodies.end());
      grown = true;
    }
  }
  return out;
}

Result<Mechanism> withTrainModule(const Mechanism& m, Id coupling, const Field& module, std::vector<Pose>& poses) {
  const auto draft = gearDraftOf(m, coupling);
  if (!draft) return Error{"missing", "", "the coupling has no gears of its own"};
  const auto now = valueOf(m, module, dimension::kLength, "module"),
             was = valueOf(m, draft->module, dimension::kLength, "module");
  if (!now.ok()) return now.error();
  if (!was.ok()) return was.error();
  if (!(*now > 0)) return Error{"figure", "module", "the module must be greater than zero"};
  const auto r = resolve(m);
  if (!r.ok()) return r.error();
  if (r->links.size() != poses.size()) return Error{"poses", "", "the poses are not those of this mechanism"};

  const std::vector<Id> train = trainOf(m, coupling);
  std::vector<std::pair<Shaft, Id>> shafts;  // with the gear's body; each once
  bool bevel = false;
  for (Id id : train) {
    const auto d = gearDraftOf(m, id);
    if (!d) return Error{"missing", "", "a gear of the train is gone"};
    bevel = bevel || d->kind == GearDraft::Kind::bevel;
    if (d->kind == GearDraft::Kind::worm || d->kind == GearDraft::Kind::crossed)
      return Error{"kind", "", "the train has crossed axes: edit its pairs one by one"};
    for (std::size_t k = 0; k < 2; ++k) {
      const auto s = shaftOf(*r, d->joints[k], d->joints[1 - k], poses);
      if (!s.ok()) return s.error();
      if (std::none_of(shafts.begin(), shafts.end(), [&](const auto& x) { return x.second == d->bodies[k]; }))
        shafts.emplace_back(*s, d->bodies[k]);
    }
  }
  // what stands still stays: the axis that most gears have on ground, of a stage its own
  std::size_t centre = 0, most = 0;
  for (std::size_t i = 0; i < shafts.size(); ++i) {
    const auto& a = shafts[i].first;
    if (!r->links[u(a.base)].ground) continue;
    const auto same = static_cast<std::size_t>(std::count_if(shafts.begin(), shafts.end(), [&](const auto& x) {
      const Vec3 d = x.first.frame.p - a.frame.p, z = a.frame.R.col(2);
      return (d - d.dot(z) * z).norm() < 1e-6 && x.first.frame.R.col(2).cross(z).norm() < 1e-6;
    }));
    if (same > most) {
      most = same;
      centre = i;
    }
  }
  Pose at = shafts[centre].first.frame;
  if (bevel) {  // the tip that all its cones have in common
    const auto place = findBody(m, shafts[centre].second);
    const auto tip = poseOf(m, place->body->placement);
    if (!tip.ok()) return tip.error();
    at.p = (poses[u(shafts[centre].first.link)] * *tip).p;
  }
  Spread spread(m, *r, poses, *now / *was, at, bevel);
  std::set<int> done;
  for (const auto& [shaft, body] : shafts) {
    if (done.insert(shaft.joint).second) spread.shaft(shaft);
    spread.gear(body);
    spread.m = changedBody(spread.m, body, [&](Body& b) {
      b.figures["module"] = module;
      if (const auto rim = b.figures.find("rim radius"); rim != b.figures.end() && !rim->second.formula)
        rim->second.number *= *now / *was;
    });
  }
  return spread.m;
}

}  // namespace cooperage::model
