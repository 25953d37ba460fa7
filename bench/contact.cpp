// SPDX-License-Identifier: GPL-3.0-or-later
// One turn of an indexing wheel of four slots with its locking disc, at 1,000 steps, no play in the slots: pushed by
// contact, and as rigid bodies in Bullet (unit 1 cm, default settings) with the same outlines.
#include <btBulletDynamicsCommon.h>
#include <fmt/format.h>

#include <cmath>
#include <cstdio>
#include <filesystem>
#include <memory>

#include "clearance.h"
#include "contact/pair_gaps.h"
#include "contact/pushing.h"
#include "io/coop_file.h"
#include "kinematics/gauges.h"
#include "kinematics/travel.h"
#include "study/studies.h"
#include "timing.h"

namespace bench {
namespace {

using namespace cooperage;
using contact::Loop;
using contact::Piece;
using contact::Vec2;

constexpr int kSteps = 1000;
constexpr double kDistance = 0.1, kPin = 0.006, kLock = 0.05, kLockPlay = 0.05e-3, kThickness = 0.01;
const double kCrank = kDistance * std::sin(kPi / 4), kOuter = kDistance * std::cos(kPi / 4);

Vec2 polar(double r, double angle) { return {r * std::cos(angle), r * std::sin(angle)}; }
Vec2 turned(const Vec2& x, double a) {
  return {x.x() * std::cos(a) - x.y() * std::sin(a), x.x() * std::sin(a) + x.y() * std::cos(a)};
}
Piece line(const Vec2& a, const Vec2& b) { return {a, b, 0, {0, 0}, true}; }
Piece arc(const Vec2& a, const Vec2& b, const Vec2& c, bool ccw) { return {a, b, (a - c).norm(), c, ccw}; }

/// Half the angle over which the locking arc reaches at the wheel's rim, and half of that of the disc's cut.
const double kArc = std::acos((kOuter * kOuter + kDistance * kDistance - kLock * kLock) / (2 * kOuter * kDistance));
const double kDisc = kLock - kLockPlay, kCut = kOuter + 3e-3;
const double kCutHalf = std::acos((kDisc * kDisc + kDistance * kDistance - kCut * kCut) / (2 * kDisc * kDistance));
const double kMouth = std::asin(kPin / kOuter);

/// The wheel about its axis; slots at 45 degrees and so on, locking arcs between them at 0, 90 ...
Loop wheelOutline() {
  Loop out;
  const double bottom = kDistance - kCrank - 0.5 * kPin;
  for (int k = 0; k < 4; ++k) {
    const double middle = kPi / 2 * k, slot = middle + kPi / 4;
    const auto at = [&](const Vec2& x) { return turned(x, slot); };
    const Vec2 centre = polar(kDistance, middle);
    const Vec2 start = polar(kOuter, middle - kPi / 4 + kMouth), low = polar(kOuter, middle - kArc),
               high = polar(kOuter, middle + kArc), end = polar(kOuter, slot - kMouth);
    out.push_back(arc(start, low, {0, 0}, true));
    out.push_back(arc(low, high, centre, false));
    out.push_back(arc(high, end, {0, 0}, true));
    const Vec2 right = at({bottom, -kPin}), left = at({bottom, kPin});
    out.push_back(line(end, right));
    out.push_back(arc(right, left, at({bottom, 0}), false));
    out.push_back(line(left, polar(kOuter, slot + kMouth)));
  }
  return out;
}
/// The disc with its cut towards the pin.
Loop discOutline() {
  const Vec2 a = polar(kDisc, kCutHalf), b = polar(kDisc, -kCutHalf);
  return {arc(a, b, {0, 0}, true), arc(b, a, {kDistance, 0}, false)};
}

std::shared_ptr<contact::LinkOutlines> linkOf(const std::vector<std::vector<Loop>>& parts) {
  auto out = std::make_shared<contact::LinkOutlines>();
  for (const auto& loops : parts) {
    auto part = std::make_shared<contact::LinkOutlines::Part>();
    part->low = -0.5 * kThickness;
    part->high = 0.5 * kThickness;
    part->outline = contact::Outline(loops);
    out->parts.push_back(std::move(part));
  }
  return out;
}

/// What an angle of the wheel should be, while the pin is well in its slot or out of it.
std::optional<double> rightAngle(double driver) {
  const double a = std::remainder(driver, 2 * kPi);
  if (std::abs(a) < kPi / 4 - 2 * kDegree) return -std::atan2(kCrank * std::sin(a), kDistance - kCrank * std::cos(a));
  return {};
}

struct Judge {
  std::shared_ptr<const contact::PairGaps> pair;
  double error = 0, depth = 0;
  void look(double driver, double wheel) {
    if (const auto right = rightAngle(driver)) error = std::max(error, std::abs(wheel - *right));
    contact::RelativeMotion m;  // the driver in the wheel's axes, which are turned so that a slot points to -x at 0
    const double back = -(wheel + kPi / 4 * 3 + kPi * 2);
    m.R = rotationAbout(2, back + driver);
    m.p = rotationAbout(2, back) * Vec3(-kDistance, 0, 0);
    std::vector<contact::PlaceKey> among;
    std::vector<contact::PairGaps::Found> found;
    contact::PairGaps::Workspace work;
    pair->candidates(m, 0.03, 0, among);
    pair->find(m, 0, 0.03, among, work, found);
    for (const auto& f : found)
      if (f.nearest) depth = std::max(depth, -f.gap.size);
  }
};

struct Bullet {
  static constexpr double kCm = 100;
  btDefaultCollisionConfiguration configuration;
  btCollisionDispatcher dispatcher{&configuration};
  btDbvtBroadphase broadphase;
  btSequentialImpulseConstraintSolver solver;
  btDiscreteDynamicsWorld world{&dispatcher, &broadphase, &solver, &configuration};
  std::vector<std::unique_ptr<btCollisionShape>> shapes;
  btCompoundShape wheelShape, driverShape;
  btDefaultMotionState wheelState, driverState;
  std::unique_ptr<btRigidBody> wheel, driver;
  std::unique_ptr<btHingeConstraint> hinge;

  static btTransform at(double x, double angle) {
    return btTransform(btQuaternion(btVector3(0, 0, 1), static_cast<btScalar>(angle)),
                       btVector3(static_cast<btScalar>(x * kCm), 0, 0));
  }
  void prism(btCompoundShape& into, const std::vector<Vec2>& points) {
    auto hull = std::make_unique<btConvexHullShape>();
    for (const Vec2& p : points)
      for (const double z : {-0.5, 0.5})
        hull->addPoint(btVector3(static_cast<btScalar>(p.x() * kCm), static_cast<btScalar>(p.y() * kCm),
                                 static_cast<btScalar>(z * kThickness * kCm)));
    into.addChildShape(btTransform::getIdentity(), hull.get());
    shapes.push_back(std::move(hull));
  }
  /// Convex parts around a place from which all of an outline is seen.
  void fan(btCompoundShape& into, const Vec2& from, const std::vector<Vec2>& points) {
    for (std::size_t i = 0; i + 1 < points.size(); ++i) prism(into, {from, points[i], points[i + 1]});
  }
  static void append(std::vector<Vec2>& out, const Vec2& centre, double r, double from, double to, int n) {
    for (int i = 0; i <= n; ++i) out.push_back(centre + polar(r, from + (to - from) * i / n));
  }

  Bullet(double driverHome, double wheelHome) {
    world.setGravity(btVector3(0, 0, 0));
    for (int k = 0; k < 4; ++k) {
      std::vector<Vec2> points;
      append(points, {0, 0}, kOuter, -kPi / 4 + kMouth, -kArc, 2);
      const Vec2 low = polar(kOuter, -kArc) - Vec2(kDistance, 0);
      const double seen = std::atan2(std::abs(low.y()), -low.x());
      append(points, {kDistance, 0}, kLock, kPi + seen, kPi - seen, 12);
      append(points, {0, 0}, kOuter, kArc, kPi / 4 - kMouth, 2);
      Vec2 apex(kPin / std::sin(kPi / 4), 0);
      for (Vec2& p : points) p = turned(p, kPi / 2 * k);
      fan(wheelShape, turned(apex, kPi / 2 * k), points);
    }
    std::vector<Vec2> points;
    append(points, {0, 0}, kDisc, kCutHalf, 2 * kPi - kCutHalf, 36);
    const Vec2 edge = polar(kDisc, kCutHalf) - Vec2(kDistance, 0);
    const double seen = std::atan2(edge.y(), -edge.x());
    append(points, {kDistance, 0}, kCut, kPi + seen, kPi - seen, 12);
    fan(driverShape, {0, 0}, points);
    auto pin = std::make_unique<btCylinderShapeZ>(btVector3(static_cast<btScalar>(kPin * kCm),
                                                            static_cast<btScalar>(kPin * kCm),
                                                            static_cast<btScalar>(0.5 * kThickness * kCm)));
    driverShape.addChildShape(
        btTransform(btQuaternion::getIdentity(), btVector3(static_cast<btScalar>(kCrank * kCm), 0, 0)), pin.get());
    shapes.push_back(std::move(pin));

    btVector3 inertia(0, 0, 0);
    const btScalar mass = 1;
    wheelShape.calculateLocalInertia(mass, inertia);
    wheelState.setWorldTransform(at(kDistance, wheelHome));
    wheel = std::make_unique<btRigidBody>(
        btRigidBody::btRigidBodyConstructionInfo(mass, &wheelState, &wheelShape, inertia));
    wheel->setActivationState(DISABLE_DEACTIVATION);
    driverState.setWorldTransform(at(0, driverHome));
    driver = std::make_unique<btRigidBody>(btRigidBody::btRigidBodyConstructionInfo(0, &driverState, &driverShape));
    driver->setCollisionFlags(driver->getCollisionFlags() | btCollisionObject::CF_KINEMATIC_OBJECT);
    driver->setActivationState(DISABLE_DEACTIVATION);
    hinge = std::make_unique<btHingeConstraint>(*wheel, btVector3(0, 0, 0), btVector3(0, 0, 1));
    world.addRigidBody(wheel.get());
    world.addRigidBody(driver.get());
    world.addConstraint(hinge.get());
  }
  ~Bullet() {
    world.removeConstraint(hinge.get());
    world.removeRigidBody(wheel.get());
    world.removeRigidBody(driver.get());
  }
  double step(double driverAngle) {
    driverState.setWorldTransform(at(0, driverAngle));
    const btScalar dt = btScalar(1) / kSteps;
    world.stepSimulation(dt, 1, dt);
    const btMatrix3x3& R = wheel->getWorldTransform().getBasis();
    return std::atan2(static_cast<double>(R[1][0]), static_cast<double>(R[0][0]));
  }
};

}  // namespace

void contactAgainstBullet() {
  // the wheel's axes are turned by 135 degrees against those of the forms: a slot points to the driver at 0
  const double shift = 3 * kPi / 4, from = -kPi, dwell = kPi / 4;
  const auto m = io::readCoop(fmt::format(
      R"({{"format":"cooperage","version":1,"units":{{"length":"m","angle":"rad"}},
 "links":[{{"name":"frame","ground":true,"seats":[{{"name":"a"}},{{"name":"b","at":[{0},0,0]}}]}},
  {{"name":"driver","seats":[{{"name":"o"}}]}},{{"name":"wheel","placement":{{"at":[{0},0,0]}},"seats":[{{"name":"o"}}]}}],
 "joints":[{{"name":"motor","kind":"revolute","between":["frame/a","driver/o"],"home":{{"turn":{1}}}}},
  {{"name":"index","kind":"revolute","between":["frame/b","wheel/o"],"home":{{"turn":{2}}}}}],
 "drives":[{{"name":"drive","value":"motor.turn","programme":[{{"law":"linear","to":{3},"time":1}}]}}],
 "contacts":[{{"name":"push","between":[["driver"],["wheel"]]}}],
 "runs":[{{"name":"r","duration":1,"steps":{4},"axis":"drive"}}]}})",
      formatNumber(kDistance), formatNumber(from), formatNumber(dwell + shift), formatNumber(-from), kSteps));
  const auto r = model::resolve(*m).value();
  auto bodies = std::make_shared<contact::ContactBodies>();
  const auto driver =
      linkOf({{{arc(Vec2(kCrank + kPin, 0), Vec2(kCrank + kPin, 0), Vec2(kCrank, 0), true)}}, {discOutline()}});
  const auto wheel = linkOf({{wheelOutline()}});
  bodies->pairs.push_back({0, 1, 2, driver, wheel});
  Judge ours{contact::planarPair(driver, wheel, 0)}, theirs = ours;
  kinematics::Travel travel;
  std::unique_ptr<kinematics::TravelRun> run;
  const double pushed = median(9, [&] {
    auto made = kinematics::TravelRun::prepare(r, 0, nullptr, contact::pushedBy(bodies));
    if (!made.ok()) {
      std::printf("# %s\n", made.error().text.c_str());
      return;
    }
    run = std::move(made).value();
    travel = run->run();
  });
  if (!run || !travel.completed) {
    std::printf("# the indexing wheel did not turn: %s\n",
                travel.messages.empty() ? "" : travel.messages.back().text.c_str());
    return;
  }
  for (const auto& s : travel.steps)
    ours.look(kinematics::jointValue(run->system(), s.c, 0, 0, r),
              kinematics::jointValue(run->system(), s.c, 1, 0, r) - shift);
  std::vector<double> angles(kSteps);
  const double simulated = median(5, [&] {
    Bullet b(from, dwell + shift);
    for (int k = 0; k < kSteps; ++k) angles[static_cast<std::size_t>(k)] = b.step(from + 2 * kPi * (k + 1) / kSteps);
  });
  for (int k = 0; k < kSteps; ++k) {
    const double driverAngle = from + 2 * kPi * (k + 1) / kSteps;
    theirs.look(driverAngle, std::remainder(angles[static_cast<std::size_t>(k)] - shift, 2 * kPi));
  }
  std::printf("contact_turn_ms %.1f ms\ncontact_turn_bullet_ms %.1f ms\n", pushed, simulated);
  std::printf("contact_error_deg %.2g deg\ncontact_error_bullet_deg %.2g deg\n", ours.error / kDegree,
              theirs.error / kDegree);
  std::printf("contact_depth_mm %.2g mm\ncontact_depth_bullet_mm %.2g mm\n", 1e3 * ours.depth, 1e3 * theirs.depth);
  std::printf("contact_over_bullet %.3f 1\n", pushed / simulated);
}

void contactDemos() {
  double most = 0;
  for (const char* name : {"head-indexer", "stave-ratchet"}) {
    const auto path = std::filesystem::path(COOPERAGE_DEMO) / name / (std::string(name) + ".coop");
    const auto m = std::make_shared<const model::Mechanism>(*io::loadCoop(path));
    shape::ShapeStore store;
    store.setFolder(path.parent_path());
    const auto prepared = study::prepare(m, model::resolve(*m).value(), 0, [&](const auto& link, const auto& body) {
      const auto s = store.body(body, link.name);
      return s.ok() ? *s : nullptr;
    });
    const double one = median(5, [&] {
      auto run = kinematics::TravelRun::prepare(*prepared->resolved, 0, nullptr, contact::pushedBy(prepared->contacts));
      if (run.ok())
        (void)(*run)->run();
      else
        std::printf("# %s: %s\n", name, run.error().text.c_str());
    });
    std::printf("contact_demo_%s_ms %.0f ms\n", name, one);
    most = std::max(most, one);
  }
  std::printf("contact_demo_ms %.0f ms\n", most);
}

}  // namespace bench
