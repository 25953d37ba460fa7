// SPDX-License-Identifier: GPL-3.0-or-later
#include "machine_figures.h"

#include "elements/belt.h"
#include "model/shaft.h"

namespace cooperage::app {

using namespace model;

std::optional<BeltLook> MachineFigures::beltPath(Id coupling) const {
  const auto c = findById(document_.mechanism()->couplings, coupling);
  if (!c || c->kind != CouplingKind::belt || pose_.poses().size() != solution_.resolved().links.size())
    return std::nullopt;
  std::vector<elements::BeltWheel> wheels;
  Pose plane;
  BeltLook look;
  double firstSign = 1;
  for (std::size_t i = 0; i < c->values.size(); ++i) {
    const auto s = shaftOf(solution_.resolved(), c->values[i].id, 0, pose_.poses());
    if (!s.ok()) return std::nullopt;
    const Vec3 z = s->frame.R.col(2);
    if (i == 0) {
      plane = s->frame;
      // the belt runs in the plane of the first wheel's body
      for (const auto& b : solution_.resolved().links[static_cast<std::size_t>(s->link)].bodies)
        if (!c->bodies.empty() && b.id == c->bodies[0])
          plane.p = (pose_.poses()[static_cast<std::size_t>(s->link)] * b.placement).p;
    }
    const Vec3 local = plane.inverse() * s->frame.p;
    const double sign = s->sign * (z.dot(plane.R.col(2)) > 0 ? 1 : -1);
    if (i == 0) firstSign = sign;
    int side = c->sides.size() == c->values.size() ? c->sides[i] * c->sides[0] : (i == 1 && c->flip ? -1 : 1);
    if (sign * firstSign < 0) side = -side;
    double radius = 0;
    const auto size =
        evaluateField(*document_.mechanism(), c->figures[i], c->teeth ? dimension::kPlain : dimension::kLength);
    if (!size.ok()) return std::nullopt;
    radius = *size;
    if (c->teeth) {
      double pitch = 12.7e-3;
      if (i < c->bodies.size())
        if (const auto b = findBody(*document_.mechanism(), c->bodies[i]))
          if (const auto it = b->body->figures.find("pitch"); it != b->body->figures.end())
            if (const auto v = evaluateField(*document_.mechanism(), it->second, dimension::kLength); v.ok())
              pitch = *v;
      look.pitch = pitch;
      radius = elements::sprocketRadius(pitch, std::max(3, static_cast<int>(std::lround(*size))));
    }
    wheels.push_back({local.head<2>(), radius, side});
  }
  const auto path = elements::beltPath(wheels, c->name);
  if (!path.ok()) return std::nullopt;
  look.length = path->length;
  look.wrap = path->wrap;
  for (const auto& piece : path->pieces) {
    const Eigen::Vector2d a = piece.points[0] - piece.centre, b = piece.points[1] - piece.centre;
    const bool arc = piece.kind == curves::Piece::Kind::arc;
    double sweep = arc ? std::atan2(a.x() * b.y() - a.y() * b.x(), a.dot(b)) : 0;
    if (arc && piece.ccw && sweep < 0) sweep += 2 * kPi;
    if (arc && !piece.ccw && sweep > 0) sweep -= 2 * kPi;
    const int n = arc ? std::max(2, static_cast<int>(std::abs(sweep) / 0.1)) : 1;
    for (int k = 0; k < n; ++k) {
      const Eigen::Vector2d at =
          arc ? Eigen::Vector2d(piece.centre + Eigen::Rotation2Dd(sweep * k / n) * a) : piece.points[0];
      look.points.push_back(plane * Vec3(at.x(), at.y(), 0));
    }
  }
  return look;
}

const Result<kinematics::TrainTable>& MachineFigures::trainTable(const Symbol& input) {
  if (!train_ || trainOf_ != document_.mechanism() || !(trainFor_ == input)) {
    train_ = std::make_unique<Result<kinematics::TrainTable>>(kinematics::trainTable(*document_.mechanism(), input));
    trainOf_ = document_.mechanism();
    trainFor_ = input;
  }
  return *train_;
}

void MachineFigures::setTrainInput(const Symbol& input) {
  trainInput_ = input;
  emit changed();
}

const elements::CamReport& MachineFigures::camReport(Id curve, double pressureLimit) {
  if (camOf_ != document_.mechanism() || camFor_ != curve) {
    camReport_ = {};
    for (const auto& c : solution_.resolved().curveList)
      if (c.id == curve && c.cam) camReport_ = elements::camReport(*c.cam, pressureLimit, 360);
    camOf_ = document_.mechanism();
    camFor_ = curve;
  }
  return camReport_;
}

}  // namespace cooperage::app
