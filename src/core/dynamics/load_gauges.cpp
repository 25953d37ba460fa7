// SPDX-License-Identifier: GPL-3.0-or-later
#include "dynamics/load_gauges.h"

#include <fmt/format.h>

#include <limits>
#include <map>

#include "base/index.h"
#include "dynamics/inverse.h"
#include "model/gauge_kinds.h"

namespace cooperage::dynamics {

using kinematics::TravelRun;
using kinematics::TravelStep;
using model::GaugeKind;
using model::Resolved;

namespace {

constexpr double kNoFigure = std::numeric_limits<double>::quiet_NaN();

class LoadGauges : public kinematics::LoadMeasure {
 public:
  explicit LoadGauges(TravelRun& run) : run_(run), r_(run.resolved()), dynamics_(run) {}

  bool asksRun() const override { return run_.pushed() != nullptr; }

  void at(const TravelStep& step, const std::vector<PoseJet>& nodes) override {
    step_ = &step;
    nodes_ = &nodes;
    if (!dynamics_.at(step, nodes) && !dynamics_.why().empty())
      tell("no-effort", {}, dynamics_.why(), run_.axisAt(step.t));
  }

  double gauge(int index) override {
    const auto& g = r_.gauges[u(index)];
    const auto figure = [](const std::optional<double>& x) { return x.value_or(kNoFigure); };
    switch (g.kind.value()) {
      case GaugeKind::driveForce: return figure(dynamics_.driveForce(g.drive));
      case GaugeKind::drivePower: return figure(dynamics_.drivePower(g.drive, *step_));
      case GaugeKind::reaction: return reaction(g);
      case GaugeKind::contactForce:
        return figure(g.pair >= 0 ? dynamics_.camForce(g.pair, *step_) : dynamics_.contactForce(g.contact));
      case GaugeKind::energy:
        return g.part == model::EnergyPart::kinetic     ? dynamics_.kinetic()
               : g.part == model::EnergyPart::potential ? dynamics_.potential()
                                                        : dynamics_.kinetic() + dynamics_.potential();
      case GaugeKind::massCentre: {
        const auto centre = dynamics_.massCentre(g.links.empty() ? -1 : g.links[0]);
        if (!centre) return kNoFigure;
        const Vec3 x = g.in < 0 ? *centre : linkPose(g.in).inverse() * *centre;
        return g.component == 3 ? x.norm() : x[g.component];
      }
      case GaugeKind::shaking: return part(dynamics_.shaking().f, dynamics_.shaking().m, g, linkAxes(g.in));
      default: return kNoFigure;
    }
  }

  std::vector<Message> messages() const override {
    std::vector<Message> out = told_;
    for (const auto& name : dynamics_.partlyRubbing())
      out.push_back({Severity::warning,
                     "undetermined",
                     {name},
                     fmt::format("friction {}: of the force across its joint only what lies in the plane counts; what "
                                 "is square to it is undetermined",
                                 name)});
    return out;
  }

 private:
  static double part(const Vec3& force, const Vec3& moment, const Resolved::GaugeR& g, const Mat3& axes) {
    const int k = g.component - static_cast<int>(model::Component::fx);
    return k < 3 ? axes.col(k).dot(force) : axes.col(k - 3).dot(moment);
  }
  Pose linkPose(int link) const {
    const auto& system = run_.system();
    Pose p = (*nodes_)[u(system.nodeOfLink[u(link)])].pose() * system.linkInNode[u(link)];
    p.p += system.middle;
    return p;
  }
  Mat3 linkAxes(int link) const { return link < 0 ? Mat3(Mat3::Identity()) : linkPose(link).R; }

  double reaction(const Resolved::GaugeR& g) {
    const auto found = dynamics_.reaction(g.joint, g.on);
    if (!found.known) return kNoFigure;
    const Mat3 axes = linkAxes(g.in);
    const int k = g.component - static_cast<int>(model::Component::fx);
    if (dynamics_.isDecided(g.joint, axes.col(k % 3), k >= 3)) return part(found.force, found.moment, g, axes);
    undetermined(g);
    return kNoFigure;
  }

  void undetermined(const Resolved::GaugeR& g) {
    const std::string& joint = r_.joints[u(g.joint)].name;
    const std::string component = wordFor(static_cast<model::Component>(g.component));
    std::string cure;
    const auto& redundant = run_.mobility().redundantJoints;
    auto best = std::find_if(redundant.begin(), redundant.end(), [&](const auto& x) { return x.joint == joint; });
    if (best == redundant.end()) best = redundant.begin();
    if (best != redundant.end()) cure = fmt::format("; joint {} could be {}", best->joint, best->cure);
    tell("undetermined", {joint, component, g.name},
         fmt::format(
             "joint {}: its reaction {} is undetermined: other joints bear it too, and how they share it depends "
             "on their fit{}",
             joint, component, cure),
         std::nullopt);
  }

  /// Once each.
  void tell(const std::string& code, const std::vector<std::string>& objects, const std::string& text,
            std::optional<double> where) {
    for (const Message& m : told_)
      if (m.code == code && m.objects == objects && (!where || m.text.rfind(text, 0) == 0)) return;
    told_.push_back({Severity::warning, code, objects, where ? text + "; first at " + placeText(*where) : text});
  }
  std::string placeText(double where) const {
    const int axis = run_.settings().axis;
    const bool time = axis < 0 || run_.activeDrive(axis) < 0;
    const Dimension d = time ? dimension::kTime : r_.drives[u(axis)].dimension;
    return formatNumber(where / r_.units.factor(d), 6) + " " + r_.units.label(d);
  }

  TravelRun& run_;
  const Resolved& r_;
  InverseDynamics dynamics_;
  const TravelStep* step_ = nullptr;
  const std::vector<PoseJet>* nodes_ = nullptr;
  std::vector<Message> told_;
};

}  // namespace

std::unique_ptr<kinematics::LoadMeasure> loadMeasure(TravelRun& run) {
  const auto& gauges = run.resolved().gauges;
  if (std::none_of(gauges.begin(), gauges.end(), [](const auto& g) { return isOfLoads(g.kind); })) return nullptr;
  return std::make_unique<LoadGauges>(run);
}

}  // namespace cooperage::dynamics
