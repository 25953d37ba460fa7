// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/pose_jet.h"

namespace cooperage {

PoseJet::PoseJet()
    : R{Mat3::Identity(), Mat3::Zero(), Mat3::Zero(), Mat3::Zero()},
      p{Vec3::Zero(), Vec3::Zero(), Vec3::Zero(), Vec3::Zero()} {}
PoseJet::PoseJet(const Pose& still) : PoseJet() {
  R[0] = still.R;
  p[0] = still.p;
}
Vec3 PoseJet::spin() const { return axialOf(R[1] * R[0].transpose()); }
Vec3 PoseJet::spinRate() const { return axialOf(R[2] * R[0].transpose() + R[1] * R[1].transpose()); }
VecJet PoseJet::point(const Vec3& x) const {
  VecJet out;
  for (std::size_t n = 0; n < 4; ++n) out[n] = R[n] * x + p[n];
  return out;
}

Mat3 skewOf(const Vec3& w) {
  Mat3 m;
  m << 0, -w.z(), w.y(), w.z(), 0, -w.x(), -w.y(), w.x(), 0;
  return m;
}

Vec3 axialOf(const Mat3& m) { return 0.5 * Vec3(m(2, 1) - m(1, 2), m(0, 2) - m(2, 0), m(1, 0) - m(0, 1)); }

PoseJet operator*(const PoseJet& a, const PoseJet& b) {
  PoseJet c;
  c.R[0] = a.R[0] * b.R[0];
  c.R[1] = a.R[1] * b.R[0] + a.R[0] * b.R[1];
  c.R[2] = a.R[2] * b.R[0] + 2 * a.R[1] * b.R[1] + a.R[0] * b.R[2];
  c.R[3] = a.R[3] * b.R[0] + 3 * a.R[2] * b.R[1] + 3 * a.R[1] * b.R[2] + a.R[0] * b.R[3];
  c.p[0] = a.R[0] * b.p[0] + a.p[0];
  c.p[1] = a.R[1] * b.p[0] + a.R[0] * b.p[1] + a.p[1];
  c.p[2] = a.R[2] * b.p[0] + 2 * a.R[1] * b.p[1] + a.R[0] * b.p[2] + a.p[2];
  c.p[3] = a.R[3] * b.p[0] + 3 * a.R[2] * b.p[1] + 3 * a.R[1] * b.p[2] + a.R[0] * b.p[3] + a.p[3];
  return c;
}

PoseJet operator*(const PoseJet& a, const Pose& b) {
  PoseJet c;
  for (std::size_t n = 0; n < 4; ++n) {
    c.R[n] = a.R[n] * b.R;
    c.p[n] = a.R[n] * b.p + a.p[n];
  }
  return c;
}
PoseJet operator*(const Pose& a, const PoseJet& b) {
  PoseJet c;
  for (std::size_t n = 0; n < 4; ++n) {
    c.R[n] = a.R * b.R[n];
    c.p[n] = a.R * b.p[n];
  }
  c.p[0] += a.p;
  return c;
}
PoseJet inverse(const PoseJet& a) {
  PoseJet c;
  for (std::size_t n = 0; n < 4; ++n) c.R[n] = a.R[n].transpose();
  c.p[0] = -(c.R[0] * a.p[0]);
  c.p[1] = -(c.R[1] * a.p[0] + c.R[0] * a.p[1]);
  c.p[2] = -(c.R[2] * a.p[0] + 2 * c.R[1] * a.p[1] + c.R[0] * a.p[2]);
  c.p[3] = -(c.R[3] * a.p[0] + 3 * c.R[2] * a.p[1] + 3 * c.R[1] * a.p[2] + c.R[0] * a.p[3]);
  return c;
}

PoseJet turnJet(int axis, const ScalarJet& q) {
  PoseJet c;
  const Mat3 R = rotationAbout(axis, q[0]);
  Mat3 second = -R;  // d2R/dq2: all but the axis itself
  second(axis, axis) = 0;
  Mat3 first = Mat3::Zero();
  const int i = (axis + 1) % 3, j = (axis + 2) % 3;
  first(i, i) = first(j, j) = -R(j, i);
  first(i, j) = -R(i, i);
  first(j, i) = R(i, i);
  c.R[0] = R;
  c.R[1] = q[1] * first;
  c.R[2] = q[2] * first + q[1] * q[1] * second;
  c.R[3] = q[3] * first + 3 * q[1] * q[2] * second - q[1] * q[1] * q[1] * first;
  return c;
}
PoseJet slideJet(int axis, const ScalarJet& q) {
  PoseJet c;
  for (std::size_t n = 0; n < 4; ++n) c.p[n][axis] = q[n];
  return c;
}

PoseJet ballJet(const Mat3& R, const Vec3& w, const Vec3& w1, const Vec3& w2) {
  PoseJet c;
  const Mat3 W = skewOf(w), W1 = skewOf(w1), W2 = skewOf(w2);
  c.R[0] = R;
  c.R[1] = W * R;
  c.R[2] = W1 * R + W * c.R[1];
  c.R[3] = W2 * R + 2 * W1 * c.R[1] + W * c.R[2];
  return c;
}

PoseJet along(const PoseJet& g, const ScalarJet& u) {
  PoseJet c;
  const double a = u[1], b = u[1] * u[1], d = 3 * u[1] * u[2], e = b * u[1];
  c.R = {g.R[0], g.R[1] * a, g.R[2] * b + g.R[1] * u[2], g.R[3] * e + g.R[2] * d + g.R[1] * u[3]};
  c.p = {g.p[0], g.p[1] * a, g.p[2] * b + g.p[1] * u[2], g.p[3] * e + g.p[2] * d + g.p[1] * u[3]};
  return c;
}

}  // namespace cooperage
