// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/mesh_check.h"

#include <fmt/format.h>

#include <cmath>

#include "model/gear_edits.h"

namespace cooperage::model {
namespace {

/// One gear of a pair where it stands.
struct Wheel {
  BodyKind kind;
  Pose at;
  double module = 0, width = 0, cone = 0, pressure = 0;
};

std::optional<Wheel> wheelOf(const Mechanism& m, Id body, const std::vector<Pose>& poses) {
  const auto place = findBody(m, body);
  if (!place) return std::nullopt;
  const auto inLink = poseOf(m, place->body->placement);
  if (!inLink.ok()) return std::nullopt;
  const auto figure = [&](const char* key, const Dimension& d) {
    const auto it = place->body->figures.find(key);
    if (it == place->body->figures.end()) return 0.0;
    const auto v = evaluateField(m, it->second, d);
    return v.ok() ? *v : 0.0;
  };
  Wheel w{place->body->kind,
          *inLink,
          figure("module", dimension::kLength),
          figure("width", dimension::kLength),
          figure("cone angle", dimension::kAngle),
          figure("pressure angle", dimension::kAngle)};
  if (w.pressure == 0) w.pressure = 20 * kPi / 180;
  for (std::size_t l = 0; l < m.links.size() && l < poses.size(); ++l)
    if (m.links[l]->id == place->link->id) w.at = poses[l] * *inLink;
  return w;
}

/// Teeth of one must stand over spaces of the other.
/// @param along how far the gears' planes lie apart, m; play on the pitch circle, m
void checkPhase(const elements::GearSpec& a, const elements::GearSpec& b, const Wheel& first, const Wheel& second,
                double along, double play, std::vector<std::string>& out) {
  if (a.helix != 0 && along > 1e-9) return;  // a helix turns with the way along the axis
  const Vec3 n = first.at.R.col(2), d = second.at.p - first.at.p;
  const Vec3 e1 = (d - d.dot(n) * n).normalized(), e2 = n.cross(e1);
  const auto turnOf = [&](const Wheel& w) { return std::atan2(w.at.R.col(0).dot(e2), w.at.R.col(0).dot(e1)); };
  const double pitch = 2 * kPi / b.teeth;
  double off = turnOf(second) - elements::meshingTurn(a, b, turnOf(first), 0);
  off -= pitch * std::round(off / pitch);
  if (std::abs(off) * elements::gearSize(b).pitchRadius > 0.5 * play + 2e-6)
    out.push_back(
        fmt::format("its teeth stand {} deg beside the other's spaces", formatNumber(std::abs(off) * 180 / kPi, 3)));
}

/// What is wrong between two gears on parallel axes.
void checkParallel(const Mechanism& m, const Coupling& c, const std::vector<Pose>& poses, const Wheel& a,
                   const Wheel& b, std::vector<std::string>& out) {
  const Vec3 z = a.at.R.col(2);
  const double along = std::abs(z.dot(b.at.p - a.at.p)), faces = 0.5 * (a.width + b.width);
  if (faces > 0 && along >= faces)
    out.push_back(fmt::format("its gears lie {} mm apart along their axes", formatNumber(along * 1e3, 5)));
  const auto look = pairLook(m, c.id, poses);
  if (!look.ok() || b.kind == BodyKind::rack) return;
  const double play = elements::backlashAt(look->first, look->second, look->distance);
  if (play < -1e-6)
    out.push_back(fmt::format("its axes are {} mm apart and the teeth ask for {} mm",
                              formatNumber(look->distance * 1e3, 6),
                              formatNumber(elements::pairSize(look->first, look->second).centre * 1e3, 6)));
  else if (const auto p = elements::pairSize(look->first, look->second, look->distance);
           !(p.contactRatio + p.overlapRatio >= 1))
    out.push_back(fmt::format("its axes are {} mm apart, where the teeth lose touch; they ask for {} mm",
                              formatNumber(look->distance * 1e3, 6),
                              formatNumber(elements::pairSize(look->first, look->second).centre * 1e3, 6)));
  else
    checkPhase(look->first, look->second, a, b, along, std::max(play, 0.0), out);
}

/// Cones that roll on one another have their apex in common, and their half angles make up the angle of the axes.
void checkBevel(const Wheel& a, const Wheel& b, std::vector<std::string>& out) {
  const double cosine = a.at.R.col(2).dot(b.at.R.col(2));
  const double between = std::acos(std::clamp(cosine, -1.0, 1.0)), cones = a.cone + b.cone;
  const double off = std::min(std::abs(between - cones), std::abs(kPi - between - cones));
  if (off > 1e-5)
    out.push_back(fmt::format("its axes stand at {} deg and its cones ask for {} deg",
                              formatNumber(between * 180 / kPi, 6), formatNumber(cones * 180 / kPi, 6)));
  const double apart = (a.at.p - b.at.p).norm();
  if (apart > 1e-6) out.push_back(fmt::format("its cones' tips are {} mm apart", formatNumber(apart * 1e3, 5)));
}

}  // namespace

std::vector<Message> meshProblems(const Mechanism& m, const std::vector<Pose>& poses) {
  std::vector<Message> out;
  for (const auto& c : m.couplings) {
    if (!c->enabled || c->bodies.size() != 2) continue;
    if (c->kind != CouplingKind::gear && c->kind != CouplingKind::rack) continue;
    const auto a = wheelOf(m, c->bodies[0], poses), b = wheelOf(m, c->bodies[1], poses);
    if (!a || !b) continue;
    std::vector<std::string> wrong;
    const bool bevel = a->kind == BodyKind::bevelGear && b->kind == BodyKind::bevelGear;
    const bool parallel = a->at.R.col(2).cross(b->at.R.col(2)).norm() < 1e-6;
    if (a->module > 0 && b->module > 0 && std::abs(a->module - b->module) > 1e-9)
      wrong.push_back(fmt::format("modules {} and {} mm don't mesh", formatNumber(a->module * 1e3, 6),
                                  formatNumber(b->module * 1e3, 6)));
    else if (std::abs(a->pressure - b->pressure) > 1e-9)
      wrong.push_back(fmt::format("pressure angles of {} and {} deg don't mesh",
                                  formatNumber(a->pressure * 180 / kPi, 6), formatNumber(b->pressure * 180 / kPi, 6)));
    else if (bevel)
      checkBevel(*a, *b, wrong);
    else if (parallel && a->kind != BodyKind::worm)
      checkParallel(m, *c, poses, *a, *b, wrong);
    for (const std::string& text : wrong)
      out.push_back({Severity::warning,
                     "mesh",
                     {c->name},
                     fmt::format("coupling {}: {}; edit the pair, or make it anew", c->name, text)});
  }
  return out;
}

}  // namespace cooperage::model
