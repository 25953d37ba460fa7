// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/advice.h"

#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "base/units.h"
#include "shape/contacts.h"
#include "shape/dense_fit.h"

namespace cooperage::shape {

using model::JointKind;

namespace {

using Row = RowSpace::Row;
constexpr double kIndependent = 0.02;  // share of a row that is new

/// True if the normal is held from the other side too: some sum of others, none negative, points against it.
bool isOpposed(const Vec3& n, const std::vector<Vec3>& all) {
  // least squares with non-negative weights by coordinate descent; three dimensions, few normals
  std::vector<double> w(all.size(), 0);
  Vec3 rest = n;
  for (int pass = 0; pass < 60; ++pass)
    for (std::size_t i = 0; i < all.size(); ++i) {
      const double next = std::max(0.0, w[i] - rest.dot(all[i]));
      rest += (next - w[i]) * all[i];
      w[i] = next;
    }
  return rest.norm() < 0.05;
}

/// Rows of the contacts of one pair about a common point, and what they leave.
class Freedoms {
 public:
  explicit Freedoms(const std::vector<Contact>& contacts) {
    int n = 0;
    for (const Contact& c : contacts)
      for (const auto& p : c.points) {
        origin_ += p.at;
        ++n;
      }
    if (n > 0) origin_ /= n;
    for (const Contact& c : contacts)
      for (const auto& p : c.points) length_ = std::max(length_, (p.at - origin_).norm());
    if (length_ <= 0) length_ = 1e-3;
  }
  Row row(const Contact::Point& p) const {
    Row r;
    r << (p.at - origin_).cross(p.normal) / length_, p.normal;
    return r;
  }
  void add(const Contact& c) {
    for (const auto& p : c.points) space_.add(row(p));
  }
  /// How many freedoms would be left with that contact too.
  int leftWith(const Contact& c) const {
    RowSpace trial = space_;
    for (const auto& p : c.points) trial.add(row(p));
    return 6 - trial.rank();
  }
  int left() const { return 6 - space_.rank(); }
  const Vec3& origin() const { return origin_; }
  double length() const { return length_; }
  std::vector<Row> motions() const { return space_.free(); }

 private:
  RowSpace space_{kIndependent};
  Vec3 origin_ = Vec3::Zero();
  double length_ = 0;
};

/// The motions that are left, sorted: turning directions and pure slides.
struct Motions {
  std::vector<Vec3> turns, slides;  ///< orthonormal each
  std::vector<Row> turning;         ///< motions that turn, slides taken off; in the order of `turns`
};

Motions sorted(const std::vector<Row>& motions) {
  Motions out;
  // combinations that do not turn are slides; pivoting by hand keeps the coordinate directions where they fit
  std::vector<Row> left = motions;
  std::vector<Row> turning;
  while (true) {
    std::size_t best = left.size();
    double most = 0.02;
    for (std::size_t i = 0; i < left.size(); ++i)
      if (left[i].head<3>().norm() > most) {
        most = left[i].head<3>().norm();
        best = i;
      }
    if (best == left.size()) break;
    const Row pivot = left[best] / left[best].head<3>().norm();
    left.erase(left.begin() + static_cast<std::ptrdiff_t>(best));
    for (Row& r : left) r -= r.head<3>().dot(pivot.head<3>()) * pivot;
    turning.push_back(pivot);
  }
  for (const Row& r : left) {
    Vec3 s = r.tail<3>();
    for (const Vec3& known : out.slides) s -= s.dot(known) * known;
    if (s.norm() > 0.02) out.slides.push_back(s.normalized());
  }
  for (Row& r : turning) {
    Vec3 v = r.tail<3>();
    for (const Vec3& s : out.slides) v -= v.dot(s) * s;
    r.tail<3>() = v;
    out.turns.push_back(r.head<3>());
  }
  out.turning = std::move(turning);
  return out;
}

/// The point that stays where it is in all turning motions, slides apart: least squares of v + w x (p - origin) = 0.
bool fixedPoint(const Motions& m, const Vec3& origin, double length, Vec3& at) {
  Eigen::MatrixXd A(3 * static_cast<Eigen::Index>(m.turning.size()), 3);
  Eigen::VectorXd b(A.rows());
  Eigen::Index k = 0;
  for (const Row& r : m.turning) {
    const Vec3 w = r.head<3>() / length, v = r.tail<3>();
    A.block<3, 3>(k, 0) << 0, -w.z(), w.y(), w.z(), 0, -w.x(), -w.y(), w.x(), 0;
    b.segment<3>(k) = -v;
    k += 3;
  }
  const Vec3 x = solveLeast(A, b);
  if ((A * x - b).norm() > 0.05) return false;  // a screw, or axes that miss one another
  at = origin + x;
  return true;
}

/// Lead from the depth of a thread: ISO metric D - D1 = 1.0825 P, trapezoidal (ISO 2904) D - D1 = P; the nearest
/// pitch of either row (ISO 261 coarse, ISO 2904 medium).
double leadOf(double major, double minor) {
  static constexpr double kMetric[][2] = {{3, 0.5},   {4, 0.7}, {5, 0.8},  {6, 1},  {8, 1.25}, {10, 1.5},
                                          {12, 1.75}, {16, 2},  {20, 2.5}, {24, 3}, {30, 3.5}, {36, 4}};
  static constexpr double kTrapezoidal[][2] = {{8, 1.5}, {10, 2}, {12, 3}, {16, 4}, {20, 4}, {24, 5},
                                               {28, 5},  {32, 6}, {36, 6}, {40, 7}, {44, 7}, {50, 8}};
  const double d = major * 2e3, depth = (major - minor) * 2e3;  // mm
  for (const auto& t : kMetric)
    if (std::abs(d - t[0]) < 0.3 && std::abs(depth - 1.0825 * t[1]) < 0.1 * t[1]) return t[1] * 1e-3;
  for (const auto& t : kTrapezoidal)
    if (std::abs(d - t[0]) < 0.3 && std::abs(depth - t[1]) < 0.15 * t[1]) return t[1] * 1e-3;
  return std::max(0.1, std::round(depth * 10) / 10) * 1e-3;
}

/// Names the joint that the motions make, and says them in words.
void classify(const Freedoms& f, Advice& out) {
  const Motions m = sorted(f.motions());
  out.freedoms = f.left();
  const auto turns = m.turns.size(), slides = m.slides.size();
  Vec3 at = f.origin();
  const bool point = turns == 0 || fixedPoint(m, f.origin(), f.length(), at);
  const auto set = [&](JointKind kind, const Vec3& axis, const char* leaves) {
    out.kind = kind;
    out.axis = axis.normalized();
    out.ref = anyPerpendicular(out.axis);
    out.leaves = leaves;
  };
  out.at = at;
  if (turns + slides == 0) {
    set(JointKind::fixed, out.axis, "nothing moves");
  } else if (turns == 0 && slides == 1) {
    set(JointKind::prismatic, m.slides[0], "slides along the guide");
  } else if (turns == 1 && slides == 0 && point) {
    set(JointKind::revolute, m.turns[0], "turns about the axis");
  } else if (turns == 1 && slides == 1 && point && std::abs(m.turns[0].dot(m.slides[0])) > 0.99) {
    set(JointKind::cylindrical, m.turns[0], "turns about the axis, slides along it");
  } else if (turns == 1 && slides == 1 && point && std::abs(m.turns[0].dot(m.slides[0])) < 0.1) {
    set(JointKind::pinSlot, m.turns[0], "slides along the slot, turns in it");
    out.ref = m.slides[0];
  } else if (turns == 1 && slides == 2 && point) {
    set(JointKind::planar, m.slides[0].cross(m.slides[1]), "slides in the plane, turns about its normal");
    out.ref = m.slides[0];
  } else if (turns == 2 && slides == 0 && point) {
    set(JointKind::universal, m.turns[0], "turns about two crossing axes");
    out.ref = m.turns[1];
  } else if (turns == 3 && slides == 0 && point) {
    set(JointKind::spherical, Vec3::UnitZ(), "turns every way about the centre");
  } else if (turns == 3 && slides == 1) {
    set(JointKind::pointLine, m.slides[0], "the centre slides along the line, all turns are free");
  } else if (turns == 3 && slides == 2) {
    set(JointKind::pointPlane, m.slides[0].cross(m.slides[1]), "the centre slides in the plane, all turns are free");
    out.ref = m.slides[0];
  } else if (turns == 2 && slides == 2) {  // a pin between two planes, with nothing at its ends
    const Vec3 across = m.slides[0].cross(m.slides[1]), pin = m.turns[0].cross(m.turns[1]).cross(across);
    if (!(pin.norm() > 0.1)) return;
    set(JointKind::pinSlot, pin, "slides along the slot, turns in it; nothing holds it sideways");
    out.ref = across.cross(out.axis);
  } else {
    out.leaves = fmt::format("{} turns and {} slides, which no single joint has", turns, slides);
  }
}

}  // namespace

Advice adviseJoint(const Part& a, const Part& b, const AdviceOptions& options) {
  Advice out;
  std::vector<Contact> contacts = contactsOf(a, b, options);
  out.touching = !contacts.empty();
  if (contacts.empty()) return out;
  std::vector<Vec3> pressed;  // normals that hold from one side
  for (const Contact& c : contacts)
    if (!c.twoSided) pressed.push_back(c.normal);
  const Contact* bearing = nullptr;
  const Contact* thread = nullptr;
  for (const Contact& c : contacts) {
    if (c.kind == Contact::Kind::bearing && (!bearing || c.length > bearing->length)) bearing = &c;
    if (c.kind == Contact::Kind::thread && (!thread || c.length > thread->length)) thread = &c;
  }
  if (thread) {
    out.kind = JointKind::screw;
    out.freedoms = 1;
    out.at = thread->at;
    out.axis = thread->axis;
    out.ref = anyPerpendicular(out.axis);
    out.lead = leadOf(thread->radius, thread->minor);
    out.leaves = "turns about the axis and moves along it together";
    out.why = fmt::format("coaxial, pin of {} in a bore of {}: a thread; its lead is taken from its depth",
                          millimetres(2 * thread->radius), millimetres(2 * thread->minor));
    return out;
  }

  Freedoms f(contacts);
  std::vector<std::string> words;
  const auto say = [&](const std::string& w) {
    if (std::find(words.begin(), words.end(), w) == words.end()) words.push_back(w);
  };
  // bearings and sockets first, then what is held from both sides, then shoulders
  for (const Contact& c : contacts)
    if (c.twoSided) {
      f.add(c);
      say(c.words);
    }
  bool shoulders[2] = {false, false};
  for (const Contact& c : contacts) {
    if (c.twoSided || !isOpposed(c.normal, pressed)) continue;
    f.add(c);
    if (bearing && std::abs(c.normal.dot(bearing->axis)) > 0.99)
      shoulders[c.normal.dot(bearing->axis) > 0] = true;
    else
      say(c.words);
  }
  const bool held = f.left() < 6;
  if (held) {
    for (const Contact& c : contacts) {
      if (c.twoSided || isOpposed(c.normal, pressed)) continue;
      const bool shoulder = bearing && std::abs(c.normal.dot(bearing->axis)) > 0.99;
      // what rests against a stop is not held by it; short dowels with a face on them do stand still, though, where a
      // long guide on its stop slides
      const bool standsStill = f.leftWith(c) < 1;
      if (bearing ? !shoulder || (standsStill && bearing->length > 3 * bearing->radius) : standsStill) continue;
      if (f.leftWith(c) == f.left()) continue;
      f.add(c);
      out.oneSided = true;
      if (shoulder)
        shoulders[c.normal.dot(bearing->axis) > 0] = true;
      else
        say("resting on " + c.words);
    }
  }
  if (!held) {
    out.leaves = "rests on it: nothing holds it from the other side";
    out.why = contacts.front().words + ", from one side only";
    out.oneSided = true;
    out.freedoms = 6;
    return out;
  }
  classify(f, out);
  // in these kinds the first link carries the slot, the line or the plane
  if (out.kind == JointKind::pinSlot || out.kind == JointKind::pointLine || out.kind == JointKind::pointPlane)
    for (const Contact& c : contacts)
      if (c.kind == Contact::Kind::line || c.kind == Contact::Kind::point || c.kind == Contact::Kind::track) {
        out.swapped = c.hostIsSecond;
        out.at = c.at;  // the pin or the ball itself: along the slot, its motions do not tell where it is
      }
  if (bearing) {
    const Vec3 z = bearing->axis;
    if (out.kind && std::abs(z.dot(out.axis)) > 0.99 && *out.kind != JointKind::prismatic) {
      out.axis = z;
      out.at = bearing->at;
      if (std::abs(out.ref.dot(z)) > 0.1) out.ref = anyPerpendicular(z);
    }
    say(shoulders[0] && shoulders[1]   ? "shoulders on both sides"
        : shoulders[0] || shoulders[1] ? "a shoulder on one side"
                                       : "no shoulders");
  }
  for (const auto& w : words) out.why += (out.why.empty() ? "" : ", ") + w;
  return out;
}

std::vector<Proposal> proposeJoints(const std::vector<Part>& parts, const AdviceOptions& options, Progress* progress) {
  struct Box {
    Vec3 low, high;
    int part;
  };
  std::vector<Box> boxes;
  for (std::size_t i = 0; i < parts.size(); ++i) {
    Box b{Vec3::Constant(std::numeric_limits<double>::infinity()), Vec3::Zero(), static_cast<int>(i)};
    b.high = -b.low;
    for (const auto& [faces, pose] : parts[i].solids)
      for (int corner = 0; corner < 8; ++corner) {
        const Vec3 p =
            pose * Vec3(corner & 1 ? faces->high.x() : faces->low.x(), corner & 2 ? faces->high.y() : faces->low.y(),
                        corner & 4 ? faces->high.z() : faces->low.z());
        b.low = b.low.cwiseMin(p);
        b.high = b.high.cwiseMax(p);
      }
    b.low.array() -= options.play;
    b.high.array() += options.play;
    if (!parts[i].solids.empty()) boxes.push_back(b);
  }
  std::sort(boxes.begin(), boxes.end(), [](const Box& x, const Box& y) { return x.low.x() < y.low.x(); });
  std::vector<Proposal> out;
  for (std::size_t i = 0; i < boxes.size(); ++i) {
    if (progress) {
      if (progress->cancelled()) return out;
      progress->report(static_cast<double>(i) / static_cast<double>(boxes.size()));
    }
    for (std::size_t k = i + 1; k < boxes.size() && boxes[k].low.x() <= boxes[i].high.x(); ++k) {
      if ((boxes[k].low.array() > boxes[i].high.array()).any() || (boxes[i].low.array() > boxes[k].high.array()).any())
        continue;
      Proposal p;
      p.a = std::min(boxes[i].part, boxes[k].part);
      p.b = std::max(boxes[i].part, boxes[k].part);
      p.advice = adviseJoint(parts[static_cast<std::size_t>(p.a)], parts[static_cast<std::size_t>(p.b)], options);
      if (p.advice.touching) out.push_back(std::move(p));
    }
  }
  std::sort(out.begin(), out.end(),
            [](const Proposal& x, const Proposal& y) { return std::tie(x.a, x.b) < std::tie(y.a, y.b); });
  return out;
}

}  // namespace cooperage::shape
