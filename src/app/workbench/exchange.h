// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>

#include "../jobs.h"
#include "body_shapes.h"
#include "document.h"
#include "selection.h"

namespace cooperage::app {

/// A link's lines or stand-in and its final solid change places: seats, joints, drives and gauges stay.
class Exchange : public QObject {
  Q_OBJECT
 public:
  Exchange(Document& document, Selection& selection, BodyShapes& shapes, JobRunner& jobs, Speaker& speaker);

  /// What the link was made of before comes back; what it is made of now is kept aside.
  void back(model::Id link);
  /// A file's solid comes in place of what the link is made of, its bores and pins on the link's pivots.
  void forSolid(model::Id link, const QString& path);

 private:
  void take(model::Id link, const model::Mechanism& next, const QString& note);
  Document& document_;
  Selection& selection_;
  BodyShapes& shapes_;
  JobRunner& jobs_;
  Speaker& speaker_;
};

}  // namespace cooperage::app
