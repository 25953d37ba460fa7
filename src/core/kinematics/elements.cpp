// SPDX-License-Identifier: GPL-3.0-or-later
// The elementary motions of joints and contacts.
#include "kinematics/system.h"

namespace cooperage::kinematics {

using model::Motion;

namespace {
Vec3 unit(int axis) { return Vec3::Unit(axis); }

PoseJet surfaceJet(const model::Surface& s, const ScalarJet& u, const ScalarJet& v) {
  model::Surface::Partials d;
  s.at(u[0], v[0], d);
  PoseJet g;
  g.p[0] = d[0][0];
  g.p[1] = d[1][0] * u[1] + d[0][1] * v[1];
  g.p[2] = d[2][0] * u[1] * u[1] + 2 * d[1][1] * u[1] * v[1] + d[0][2] * v[1] * v[1] + d[1][0] * u[2] + d[0][1] * v[2];
  g.p[3] = d[3][0] * u[1] * u[1] * u[1] + 3 * d[2][1] * u[1] * u[1] * v[1] + 3 * d[1][2] * u[1] * v[1] * v[1] +
           d[0][3] * v[1] * v[1] * v[1] + 3 * d[2][0] * u[1] * u[2] + 3 * d[1][1] * (u[1] * v[2] + u[2] * v[1]) +
           3 * d[0][2] * v[1] * v[2] + d[1][0] * u[3] + d[0][1] * v[3];
  return g;
}
PoseJet parametric(const Element& e, double u) {
  if (e.motion == Motion::rolling) return e.rolling->at(u);
  if (e.motion == Motion::contactFrame) return curves::contactFrame(*e.curve, u);
  PoseJet g;
  const curves::CurvePoint p = e.curve->at(u);
  for (std::size_t n = 0; n < 4; ++n) g.p[n] = p[n];
  return g;
}
}  // namespace

Pose elementary(const Element& e, const double* q, const Mat3& ball) {
  switch (e.motion) {
    case Motion::turnX: return {rotationAbout(0, q[0]), Vec3::Zero()};
    case Motion::turnY: return {rotationAbout(1, q[0]), Vec3::Zero()};
    case Motion::turnZ: return {rotationAbout(2, q[0]), Vec3::Zero()};
    case Motion::slideX: return {Mat3::Identity(), Vec3(q[0], 0, 0)};
    case Motion::slideY: return {Mat3::Identity(), Vec3(0, q[0], 0)};
    case Motion::slideZ: return {Mat3::Identity(), Vec3(0, 0, q[0])};
    case Motion::ball: return {ball, Vec3::Zero()};
    case Motion::curve: return {Mat3::Identity(), e.curve->at(q[0])[0]};
    case Motion::surface: {
      model::Surface::Partials d;
      e.surface->at(q[0], q[1], d);
      return {Mat3::Identity(), d[0][0]};
    }
    case Motion::contactFrame:
    case Motion::rolling: return parametric(e, q[0]).pose();
  }
  return {};
}

PoseJet elementaryJet(const Element& e, const ScalarJet* q, const Mat3& ball) {
  switch (e.motion) {
    case Motion::turnX: return turnJet(0, q[0]);
    case Motion::turnY: return turnJet(1, q[0]);
    case Motion::turnZ: return turnJet(2, q[0]);
    case Motion::slideX: return slideJet(0, q[0]);
    case Motion::slideY: return slideJet(1, q[0]);
    case Motion::slideZ: return slideJet(2, q[0]);
    case Motion::ball:
      return ballJet(ball, Vec3(q[0][1], q[1][1], q[2][1]), Vec3(q[0][2], q[1][2], q[2][2]),
                     Vec3(q[0][3], q[1][3], q[2][3]));
    case Motion::surface: return surfaceJet(*e.surface, q[0], q[1]);
    case Motion::curve:
    case Motion::contactFrame:
    case Motion::rolling: return along(parametric(e, q[0][0]), q[0]);
  }
  return {};
}

void twistsOf(const Element& e, const double* q, Twist* out) {
  const Vec3 zero = Vec3::Zero();
  switch (e.motion) {
    case Motion::turnX:
    case Motion::turnY:
    case Motion::turnZ: out[0] = {unit(axisOf(e.motion)), zero, zero}; return;
    case Motion::slideX:
    case Motion::slideY:
    case Motion::slideZ: out[0] = {zero, unit(axisOf(e.motion)), zero}; return;
    case Motion::ball:
      for (int k = 0; k < 3; ++k) out[k] = {unit(k), zero, zero};
      return;
    case Motion::surface: {
      model::Surface::Partials d;
      e.surface->at(q[0], q[1], d);
      out[0] = {zero, d[1][0], zero};
      out[1] = {zero, d[0][1], zero};
      return;
    }
    case Motion::curve: out[0] = {zero, e.curve->at(q[0])[1], zero}; return;
    case Motion::contactFrame:
    case Motion::rolling: {
      const PoseJet g = parametric(e, q[0]);
      out[0] = {g.spin(), g.p[1], g.p[0]};
      return;
    }
  }
}

}  // namespace cooperage::kinematics
