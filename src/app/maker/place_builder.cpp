// SPDX-License-Identifier: GPL-3.0-or-later
#include "place_builder.h"

#include <QObject>
#include <cmath>

namespace cooperage::app {

void PlaceBuilder::setMode(Mode mode) {
  mode_ = mode;
  picks_.clear();
}

QString PlaceBuilder::wants() const {
  const auto n = picks_.size();
  switch (mode_) {
    case Mode::single: return QObject::tr("a place");
    case Mode::middle: return n == 0 ? QObject::tr("the first of two places") : QObject::tr("the second of two places");
    case Mode::threePoints: return QObject::tr("point %1 of three").arg(n + 1);
    case Mode::direction: return n == 0 ? QObject::tr("a place") : QObject::tr("what gives its direction");
  }
  return {};
}

std::optional<PickedPlace> PlaceBuilder::add(const PickedPlace& pick, QString& problem) {
  if (mode_ == Mode::single) return pick;
  if (mode_ != Mode::direction && !picks_.empty() && picks_.front().link != pick.link) {
    problem = QObject::tr("These places must be on one link: pick on the same one");
    return std::nullopt;
  }
  picks_.push_back(pick);
  const std::size_t needed = mode_ == Mode::threePoints ? 3 : 2;
  if (picks_.size() < needed) return std::nullopt;
  const std::vector<PickedPlace> all = std::move(picks_);
  picks_.clear();
  PickedPlace out = all[0];
  out.seat = 0;
  out.hit.part.Nullify();  // it comes from several pieces: no single one brings it back
  if (mode_ == Mode::direction) {
    out = all[0];
    out.seat = 0;
    out.axis = all[1].axis;
    if (std::abs(out.axis.normalized().dot(out.ref.normalized())) > 0.999)
      out.ref = anyPerpendicular(out.axis.normalized());
    return out;
  }
  if (mode_ == Mode::middle) {
    out.at = 0.5 * (all[0].at + all[1].at);
    out.word = QObject::tr("middle between");
    // two points give the direction from one to the other; what has axes keeps them
    const bool plain =
        all[0].feature.kind == model::FeatureKind::corner && all[1].feature.kind == model::FeatureKind::corner;
    if (plain && (all[1].at - all[0].at).norm() > 1e-9) {
      out.axis = (all[1].at - all[0].at).normalized();
      out.ref = anyPerpendicular(out.axis);
    }
    return out;
  }
  // the circle through three points
  const Vec3 a = all[1].at - all[0].at, b = all[2].at - all[0].at, n = a.cross(b);
  if (n.norm() < 1e-9 * a.norm() * b.norm() || n.norm() == 0) {
    problem = QObject::tr("The three points lie on a line: pick others");
    return std::nullopt;
  }
  out.at = all[0].at + (a.squaredNorm() * b.cross(n) + b.squaredNorm() * n.cross(a)) / (2 * n.squaredNorm());
  out.axis = n.normalized();
  out.ref = a.normalized();
  out.word = QObject::tr("centre of three points");
  return out;
}

}  // namespace cooperage::app
