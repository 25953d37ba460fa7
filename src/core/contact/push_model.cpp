// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/push_model.h"

#include <algorithm>
#include <cmath>

#include "base/index.h"

namespace cooperage::contact {

using Eigen::MatrixXd;
using Eigen::VectorXd;
using kinematics::Configuration;
using kinematics::System;
using model::Resolved;

namespace {

constexpr double kFarStop = 1e100;
constexpr double kTouches = 1e-6;  // m: what overlaps by less touches
constexpr double kClose = 0.2;     // of a quarter of the thinnest part
constexpr double kTurn = 0.1;      // rad: what neighbours may turn by until they are gathered anew

}  // namespace

PushModel::PushModel(std::shared_ptr<const System> system, std::shared_ptr<const Resolved> resolved,
                     std::shared_ptr<const ContactBodies> bodies, std::vector<int> driven, std::vector<int> pushed,
                     kinematics::Solver::Options options, Configuration home, Configuration generic)
    : system_(std::move(system)),
      resolved_(std::move(resolved)),
      bodies_(std::move(bodies)),
      driven_(std::move(driven)),
      pushed_(std::move(pushed)),
      solver_(
          *system_,
          [&] {
            std::vector<int> all = driven_;
            all.insert(all.end(), pushed_.begin(), pushed_.end());
            return all;
          }(),
          options),
      generic_(std::move(generic)),
      c_(home) {
  solver_.setHome(home);
  solver_.pick(generic_);
  solver_.pickAgain(home);
  const std::size_t n = u(system_->dofCount());
  qd0_.assign(n, 0);
  qdd_ = drivenRate_ = drivenAcceleration_ = zero_ = total_ = qd0_;
  unit_.assign(pushed_.size(), qd0_);
  unitRates_.resize(pushed_.size());
  makePairs();
  makeStops();
  for (const auto& f : resolved_->forces) loaded_ = loaded_ || f.enabled;
}

PushModel::PushModel(const PushModel& o) = default;

int PushModel::coordinateOf(int dof) const {
  const auto it = std::find(pushed_.begin(), pushed_.end(), dof);
  return it == pushed_.end() ? -1 : static_cast<int>(it - pushed_.begin());
}

void PushModel::makePairs() {
  solver_.forward(c_);
  quarter_ = 1e300;
  for (const LinkPair& of : bodies_->pairs) {
    Pair p{&of, nullptr};
    if (of.outlinesA) {
      // the height of one plane over the other never changes
      const Pose a = solver_.linkPose(of.a), b = solver_.linkPose(of.b);
      p.gaps = planarPair(of.outlinesA, of.outlinesB, (b.R * of.outlinesB->axes.col(2)).dot(a.p - b.p));
    } else {
      p.gaps = spacePair(of.facesA, of.facesB);
    }
    if (!p.gaps) continue;
    quarter_ = std::min(quarter_, p->quarter);
    pairs_.push_back(std::move(p));
  }
  motion_.resize(pairs_.size());
  byValue_.assign(pairs_.size(), std::vector<Unit>(pushed_.size()));
  neighbours_.resize(pairs_.size());
}

void PushModel::makeStops() {
  for (std::size_t i = 0; i < resolved_->joints.size(); ++i) {
    const auto& j = resolved_->joints[i];
    if (system_->compiledJoint(static_cast<int>(i)) < 0) continue;
    for (std::size_t v = 0; v < j.low.size(); ++v) {
      const int dof = system_->dofOf({static_cast<int>(i), static_cast<int>(v)});
      if (dof < 0 || system_->dofs[u(dof)].ball >= 0) continue;
      if (std::find(driven_.begin(), driven_.end(), dof) != driven_.end()) continue;
      if (j.low[v] && std::abs(*j.low[v]) < kFarStop) stops_.push_back({dof, false, *j.low[v], j.name});
      if (j.high[v] && std::abs(*j.high[v]) < kFarStop) stops_.push_back({dof, true, *j.high[v], j.name});
    }
  }
}

PushModel::LinkMotion PushModel::linkMotion(const NodeRates& rates, int link) const {
  const int node = system_->nodeOfLink[u(link)];
  LinkMotion out;
  out.at = solver_.nodePose(node) * system_->linkInNode[u(link)];
  out.w = rates[u(node)].w;
  out.v = rates[u(node)].v + out.w.cross(out.at.p);
  return out;
}

PoseJet PushModel::linkJet(int link) const {
  return full_[u(system_->nodeOfLink[u(link)])] * system_->linkInNode[u(link)];
}

RelativeMotion PushModel::relative(const Pair& p, const LinkMotion& a, const LinkMotion& b) {
  const Mat3 toB = (b.at.R * p->axesB).transpose();
  const Vec3 d = a.at.p - b.at.p, v = a.v - b.v - b.w.cross(d);
  RelativeMotion m;
  m.R = toB * a.at.R * p->axesA;
  m.p = toB * d;
  m.w = toB * (a.w - b.w);
  m.v = toB * v;
  // as seen from B, which turns itself
  m.alpha = toB * (a.alpha - b.alpha - b.w.cross(a.w - b.w));
  m.a = toB * (a.a - b.a - b.alpha.cross(d) - b.w.cross(b.w.cross(d)) - 2 * b.w.cross(v));
  if (p->flat) m.p.z() = 0;
  return m;
}

bool PushModel::go(double t, const VectorXd& q, Configuration& c) {
  if (isAt(t, q, c)) return true;
  at_ = false;
  ++stamp_;
  t_ = t;
  std::fill(drivenRate_.begin(), drivenRate_.end(), 0.0);
  std::fill(drivenAcceleration_.begin(), drivenAcceleration_.end(), 0.0);
  drives_.at(t, c.q.data(), drivenRate_.data(), drivenAcceleration_.data());
  for (std::size_t k = 0; k < pushed_.size(); ++k) c.q[u(pushed_[k])] = q[static_cast<Eigen::Index>(k)];
  if (!solver_.close(c).closed) return false;
  c_ = c;
  qd0_ = drivenRate_;
  std::fill(qdd_.begin(), qdd_.end(), 0.0);
  if (!solver_.rates(c_, qd0_, qdd_)) return false;
  solver_.forward(c_);
  solver_.nodeRates(qd0_, base_);
  for (std::size_t k = 0; k < pushed_.size(); ++k) {
    std::fill(unit_[k].begin(), unit_[k].end(), 0.0);
    std::fill(qdd_.begin(), qdd_.end(), 0.0);
    unit_[k][u(pushed_[k])] = 1;
    if (!solver_.rates(c_, unit_[k], qdd_)) return false;
    solver_.nodeRates(unit_[k], unitRates_[k]);
  }
  for (std::size_t i = 0; i < pairs_.size(); ++i) {
    const Pair& p = pairs_[i];
    const LinkMotion b = linkMotion(base_, p.of->b);
    motion_[i] = relative(p, linkMotion(base_, p.of->a), b);
    const Mat3 toB = (b.at.R * p->axesB).transpose();
    for (std::size_t k = 0; k < pushed_.size(); ++k) {
      const LinkMotion one = linkMotion(unitRates_[k], p.of->a), other = linkMotion(unitRates_[k], p.of->b);
      byValue_[i][k] = {toB * (one.w - other.w), toB * (one.v - other.v - other.w.cross(one.at.p - other.at.p))};
    }
  }
  at_ = true;
  return true;
}

/// Is it there already, with all that go() works out?
bool PushModel::isAt(double t, const VectorXd& q, const Configuration& c) const {
  if (!at_ || t != t_ || c.q != c_.q || c.balls.size() != c_.balls.size()) return false;
  for (std::size_t k = 0; k < pushed_.size(); ++k)
    if (c_.q[u(pushed_[k])] != q[static_cast<Eigen::Index>(k)]) return false;
  return std::equal(c.balls.begin(), c.balls.end(), c_.balls.begin());
}

void PushModel::ratesOf(const VectorXd& v, std::vector<double>& qd) const {
  qd = qd0_;
  for (std::size_t k = 0; k < pushed_.size(); ++k)
    for (std::size_t i = 0; i < qd.size(); ++i) qd[i] += v[static_cast<Eigen::Index>(k)] * unit_[k][i];
}

bool PushModel::accelerate(const VectorXd& v) {
  ratesOf(v, total_);
  qdd_ = drivenAcceleration_;
  for (const int d : pushed_) qdd_[u(d)] = 0;
  if (!solver_.rates(c_, total_, qdd_)) return false;
  solver_.motion(c_, total_, qdd_, zero_, full_);
  return true;
}

double PushModel::separation(const Pair& p, const RelativeMotion& m) {
  return (m.point(p->centreA) - p->centreB).norm() - p->reachA - p->reachB;
}

void PushModel::fill(const PairGap& g, std::size_t index, GapRow& row) const {
  row.gap = g.size;
  row.byTime = g.normal.dot(motion_[index].velocityAt(g.onA));
  row.byValue.resize(static_cast<Eigen::Index>(pushed_.size()));
  for (std::size_t k = 0; k < pushed_.size(); ++k) {
    const auto& [w, v] = byValue_[index][k];
    row.byValue[static_cast<Eigen::Index>(k)] = g.normal.dot(v + w.cross(g.onA - motion_[index].p));
  }
  row.within = g.within;
  row.facing = g.facing;
}

namespace {
/// No less than the angle between two turns up to a third of a turn, no more than 1.5 times it.
double turnBetween(const RelativeMotion& a, const RelativeMotion& b) {
  return 1.1 * (a.R - b.R).norm() / std::sqrt(2.0);
}
/// How far points of A have come, at most.
double wayBetween(const PairGaps& p, const RelativeMotion& a, const RelativeMotion& b) {
  const double chord = (a.R - b.R).norm() / std::sqrt(2.0);
  return (a.point(p.centreA) - b.point(p.centreA)).norm() + chord * p.reachA;
}
}  // namespace

/// What comes within a length of one another now, and farther off: gathered anew where the pair has moved on.
const std::vector<PlaceKey>& PushModel::neighbours(std::size_t i, double need) {
  Neighbours& n = neighbours_[i][need > kClose * pairs_[i]->quarter ? 1 : 0];
  if (n.reach < need + wayBetween(*pairs_[i].gaps, n.at, motion_[i]) || turnBetween(n.at, motion_[i]) > kTurn) {
    n.at = motion_[i];
    n.reach = 1.3 * need + 0.1 * pairs_[i]->quarter;
    n.list.clear();
    pairs_[i]->candidates(n.at, n.reach, kTurn, n.list);
  }
  return n.list;
}

void PushModel::near(double ahead, double depth, std::vector<GapRow>& out) {
  out.clear();
  for (std::size_t i = 0; i < pairs_.size(); ++i) {
    if (separation(pairs_[i], motion_[i]) > ahead) continue;
    found_.clear();
    pairs_[i]->find(motion_[i], ahead, depth, neighbours(i, std::max(ahead, depth)), search_, found_);
    for (const auto& f : found_) {
      GapRow row;
      row.key = {static_cast<int>(i), f.key, -1};
      fill(f.gap, i, row);
      row.nearest = f.nearest;
      out.push_back(std::move(row));
    }
  }
  for (std::size_t s = 0; s < stops_.size(); ++s) {
    GapRow row;
    row.key.stop = static_cast<int>(s);
    if (one(row.key, row) && row.gap <= ahead && row.gap >= -depth && row.byValue.cwiseAbs().maxCoeff() > 0)
      out.push_back(std::move(row));
  }
}

void PushModel::crossings(std::vector<GapRow>& out) const {
  for (std::size_t i = 0; i < pairs_.size(); ++i) {
    const bool told = std::any_of(out.begin(), out.end(), [&](const GapRow& r) {
      return r.key.stop < 0 && r.key.pair == static_cast<int>(i) && r.gap < -kTouches;
    });
    if (told || separation(pairs_[i], motion_[i]) > 0) continue;
    const double way = pairs_[i]->crossing(motion_[i]);
    if (!(way > 0)) continue;
    GapRow row;
    row.key.pair = static_cast<int>(i);
    row.gap = -way;
    out.push_back(std::move(row));
  }
}

bool PushModel::one(const GapKey& key, GapRow& row) {
  row.key = key;
  if (key.stop >= 0) {
    const Stop& s = stops_[u(key.stop)];
    const double sign = s.high ? -1 : 1, arm = kinematics::isTurn(system_->dofs[u(s.dof)].motion) ? system_->size : 1;
    row.gap = sign * arm * (c_.q[u(s.dof)] - s.limit);
    row.byTime = sign * arm * qd0_[u(s.dof)];
    row.byValue.resize(static_cast<Eigen::Index>(pushed_.size()));
    for (std::size_t k = 0; k < pushed_.size(); ++k)
      row.byValue[static_cast<Eigen::Index>(k)] = sign * arm * unit_[k][u(s.dof)];
    row.within = row.facing = true;
    return true;
  }
  PairGap g;
  if (!pairs_[u(key.pair)]->at(key.place, motion_[u(key.pair)], false, g)) return false;
  fill(g, u(key.pair), row);
  return true;
}

double PushModel::room(const GapKey& key) const {
  return key.stop >= 0 ? std::nan("") : pairs_[u(key.pair)]->room(key.place, motion_[u(key.pair)]);
}

double PushModel::acceleration(const GapKey& key) {
  if (key.stop >= 0) {
    const Stop& s = stops_[u(key.stop)];
    const double sign = s.high ? -1 : 1, arm = kinematics::isTurn(system_->dofs[u(s.dof)].motion) ? system_->size : 1;
    return sign * arm * qdd_[u(s.dof)];
  }
  const Pair& p = pairs_[u(key.pair)];
  PairGap g;
  const auto motionOf = [&](int link) {
    const PoseJet l = linkJet(link);
    return LinkMotion{l.pose(), l.spin(), l.p[1], l.spinRate(), l.p[2]};
  };
  return p->at(key.place, relative(p, motionOf(p.of->a), motionOf(p.of->b)), true, g) ? g.acceleration : 0;
}

void PushModel::metric(MatrixXd& M) const {
  const Eigen::Index n = static_cast<Eigen::Index>(pushed_.size());
  M.setZero(n, n);
  std::vector<int> done;
  Eigen::Matrix<double, 3, Eigen::Dynamic> shift(3, n), turn(3, n);
  const auto add = [&](int link, const LinkWeight& weight) {
    if (std::find(done.begin(), done.end(), link) != done.end()) return;
    done.push_back(link);
    for (Eigen::Index k = 0; k < n; ++k) {
      const LinkMotion l = linkMotion(unitRates_[static_cast<std::size_t>(k)], link);
      shift.col(k) = l.v + l.w.cross(l.at.R * weight.centre);
      turn.col(k) = l.at.R.transpose() * l.w;
    }
    M += weight.mass * (shift.transpose() * shift + turn.transpose() * weight.second * turn);
  };
  for (const Pair& p : pairs_) {
    add(p.of->a, p->weightA);
    add(p.of->b, p->weightB);
  }
  // what moves no link of a contact (only a stop holds it) has a weight too
  const double trace = M.trace();
  for (Eigen::Index k = 0; k < n; ++k) {
    const double scale = system_->dofs[u(pushed_[static_cast<std::size_t>(k)])].scale;
    if (M(k, k) <= 0) M(k, k) = trace > 0 ? trace / (scale * scale) : 1 / (scale * scale);
    M(k, k) *= 1 + 1e-12;
  }
}

VectorXd PushModel::loads(double t) const {
  const Eigen::Index n = static_cast<Eigen::Index>(pushed_.size());
  VectorXd out = VectorXd::Zero(n);
  const auto figure = [&](const Resolved::LoadR& l) {
    if (!l.formula) return l.value;
    return l.formula
        ->at([&](const Symbol& s) {
          if (s.id == 0) return Jet(t);
          for (const auto& [symbol, ref] : l.formula->values)
            if (symbol == s) {
              const int dof = ref.joint < 0 ? -1 : system_->dofOf(ref);
              return Jet(dof < 0 ? 0.0 : c_.q[u(dof)]);
            }
          return Jet(0.0);
        })
        .v;
  };
  for (const auto& f : resolved_->forces) {
    if (!f.enabled) continue;
    if (f.seat.first < 0) {
      const int dof = f.of.joint < 0 ? -1 : system_->dofOf(f.of);
      if (dof < 0) continue;
      const double effort = figure(f.effort);
      for (Eigen::Index k = 0; k < n; ++k) out[k] += effort * unit_[static_cast<std::size_t>(k)][u(dof)];
      continue;
    }
    Vec3 force, moment;
    for (int i = 0; i < 3; ++i) {
      force[i] = figure(f.force[u(i)]);
      moment[i] = figure(f.moment[u(i)]);
    }
    if (f.in >= 0) {
      const Mat3 R = linkMotion(base_, f.in).at.R;
      force = R * force;
      moment = R * moment;
    }
    const Vec3 at = resolved_->links[u(f.seat.first)].seats[u(f.seat.second)].frame.p;
    for (Eigen::Index k = 0; k < n; ++k) {
      const LinkMotion l = linkMotion(unitRates_[static_cast<std::size_t>(k)], f.seat.first);
      out[k] += force.dot(l.v + l.w.cross(l.at.R * at)) + moment.dot(l.w);
    }
  }
  return out;
}

double PushModel::hurry(double byTime, const VectorXd& v) const {
  double most = 0;
  for (std::size_t i = 0; i < pairs_.size(); ++i) {
    const Pair& p = pairs_[i];
    Vec3 w = byTime * motion_[i].w;
    const Vec3 centre = motion_[i].point(p->centreA);
    Vec3 speed = byTime * motion_[i].velocityAt(centre);
    for (std::size_t k = 0; k < pushed_.size(); ++k) {
      const auto& [wk, vk] = byValue_[i][k];
      w += v[static_cast<Eigen::Index>(k)] * wk;
      speed += v[static_cast<Eigen::Index>(k)] * (vk + wk.cross(centre - motion_[i].p));
    }
    const double room = std::max(p->quarter, 0.5 * separation(p, motion_[i]));
    most = std::max(most,
                    (speed.norm() + w.norm() * std::min(p->reachA, p->reachB + (centre - p->centreB).norm())) / room);
  }
  return most;
}

double PushModel::way(const Places& from) const {
  double most = 0;
  for (std::size_t i = 0; i < pairs_.size(); ++i) {
    const Pair& p = pairs_[i];
    const double room = 0.5 * std::min(separation(p, from[i]), separation(p, motion_[i]));
    most = std::max(most, wayBetween(*p.gaps, from[i], motion_[i]) / std::max(p->quarter, room));
  }
  return most;
}

double PushModel::farthest(const Places& from) const {
  double most = 0;
  for (std::size_t i = 0; i < pairs_.size(); ++i)
    most = std::max(most, wayBetween(*pairs_[i].gaps, from[i], motion_[i]));
  return most;
}

void PushModel::moving(const VectorXd& v, Places& out) const {
  out = motion_;
  for (std::size_t i = 0; i < pairs_.size(); ++i)
    for (std::size_t k = 0; k < pushed_.size(); ++k) {
      out[i].w += v[static_cast<Eigen::Index>(k)] * byValue_[i][k].w;
      out[i].v += v[static_cast<Eigen::Index>(k)] * byValue_[i][k].v;
    }
}

bool PushModel::mayHaveMet(const Places& from, const Places& to, double duration, const std::vector<GapKey>& held) {
  for (std::size_t i = 0; i < pairs_.size(); ++i) {
    // to and fro, too
    const auto speed = [&](const RelativeMotion& m) {
      return m.velocityAt(m.point(pairs_[i]->centreA)).norm() + m.w.norm() * pairs_[i]->reachA;
    };
    const double way = wayBetween(*pairs_[i].gaps, from[i], to[i]) +
                       std::min(0.25 * duration * std::max(speed(from[i]), speed(to[i])), 2 * pairs_[i]->quarter);
    if (std::min(separation(pairs_[i], from[i]), separation(pairs_[i], to[i])) > way) continue;
    heldHere_.clear();
    for (const GapKey& k : held)
      if (k.pair == static_cast<int>(i)) heldHere_.push_back(k.place);
    if (pairs_[i]->mayHaveMet(from[i], to[i], duration, neighbours(i, way), heldHere_, search_)) return true;
  }
  return false;
}

bool PushModel::isNear(const Places& from) const {
  for (std::size_t i = 0; i < pairs_.size(); ++i) {
    const Pair& p = pairs_[i];
    const Vec3 way = from[i].point(p->centreA) - motion_[i].point(p->centreA);
    if (way.norm() > std::min(p->reachA, p->reachB)) return false;
  }
  return true;
}

bool PushModel::moves(int k) const {
  for (std::size_t i = 0; i < pairs_.size(); ++i) {
    const auto& [w, v] = byValue_[i][u(k)];
    if (w.norm() * system_->size + v.norm() > 1e-9 * system_->dofs[u(pushed_[u(k)])].scale * system_->size) return true;
  }
  return false;
}

bool PushModel::goesOn(const GapKey& from, const GapKey& to) const {
  if (from.stop >= 0 || to.stop >= 0 || from.pair != to.pair) return from == to;
  return pairs_[u(from.pair)]->goesOn(from.place, to.place);
}

std::string PushModel::contactOf(const GapKey& key) const {
  if (key.stop >= 0) return stops_[u(key.stop)].joint;
  return resolved_->contacts[u(pairs_[u(key.pair)].of->contact)].name;
}

std::vector<std::string> PushModel::linksOf(const GapKey& key) const {
  if (key.stop >= 0) return {};
  const LinkPair& p = *pairs_[u(key.pair)].of;
  return {resolved_->links[u(p.a)].name, resolved_->links[u(p.b)].name};
}

kinematics::Touch PushModel::touchOf(const GapKey& key) {
  kinematics::Touch out;
  out.contact = contactOf(key);
  if (key.stop >= 0) return out;
  const Pair& p = pairs_[u(key.pair)];
  PairGap g;
  if (!p->at(key.place, motion_[u(key.pair)], false, g)) return out;
  const Pose b = linkMotion(base_, p.of->b).at;
  const Mat3 B = b.R * p->axesB;
  Vec3 place = p->placeOf(key.place, g);
  out.linkA = p.of->a;
  out.linkB = p.of->b;
  out.place = b.p + B * place + system_->middle;
  out.direction = B * g.normal;
  out.gap = g.size;
  return out;
}

}  // namespace cooperage::contact
