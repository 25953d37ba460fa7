// SPDX-License-Identifier: GPL-3.0-or-later
#include "link_shift.h"

#include <cmath>

namespace cooperage::app {

void LinkShift::move(model::Id link, const QPointF& at) {
  if (!from_) {
    from_ = at;
    stood_ = bench_.pose().poses();
    bench_.say(tr("What moves with it belongs to it; let go and it is back"));
  }
  const auto index = model::indexOf(*bench_.document().mechanism(), link);
  if (!index || *index >= stood_.size()) return;
  const QPointF by = at - *from_;
  const double pixels = std::hypot(by.x(), by.y());
  std::vector<Pose> poses = stood_;
  if (pixels > 0) poses[*index].p += pixels * scene_.scale() * scene_.screenDirection(by).normalized();
  bench_.pose().showPoses(poses);
}

void LinkShift::end() {
  if (!from_) return;
  from_.reset();
  bench_.pose().restorePoses();
}

}  // namespace cooperage::app
