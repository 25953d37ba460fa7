// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QString>

#include "../jobs.h"
#include "body_shapes.h"
#include "study/prepared.h"

namespace cooperage::app {

/// The document worked out: figures, compiled system, home, freedoms; and why home can't be closed, if it can't.
class Solution : public QObject {
  Q_OBJECT
 public:
  explicit Solution(BodyShapes& shapes);

  const study::PreparedPtr& prepared() const { return prepared_; }
  const model::Resolved& resolved() const { return *prepared_->resolved; }
  const kinematics::System* system() const { return prepared_->system.get(); }
  const std::optional<kinematics::Home>& home() const { return prepared_->home; }
  const std::optional<kinematics::Mobility>& mobility() const { return prepared_->mobility; }
  QString homeProblem() const { return homeProblem_; }
  bool closes() const { return homeProblem_.isEmpty(); }
  /// Whether something stands on what solids give: surfaces, curves of edges.
  bool standsOnSolids() const;
  /// Whether the present document is still being worked out, or its closing range looked for.
  bool isMaking() const { return maker_.busy(); }
  bool isLooking() const { return closer_.busy(); }

  /// Works a document out, its elements too; says nothing.
  /// @param run whose drives act, or -1
  void make(const model::MechanismPtr& mechanism, model::Resolved figures, int run);
  /// Whether that would hold up the window, and a document differs from the present one in figures only: then it is
  /// worked out aside.
  bool wantsAside(const model::Resolved& figures) const;
  /// Works it out in a thread of its own; until it has come, what is shown is the last one that has. Of documents that
  /// follow one another quickly those in between are left out. Tells followed().
  void makeAside(const model::MechanismPtr& mechanism, model::Resolved figures, int run);
  /// What is worked out aside is wanted now.
  void settle();
  /// The same document, with what has been read meanwhile, or the drives of another run.
  void remake(int run);
  void clear();
  void stop();

 signals:
  /// More is known: of home and freedoms, or of why home can't be closed.
  void changed();
  /// What was worked out aside has come. @param last it is of the present document
  void followed(bool last);

 private:
  struct Ask {
    model::MechanismPtr mechanism;
    std::shared_ptr<const model::Resolved> figures;
    int run = -1;
  };
  struct Made {
    BodyShapes::Elements elements;
    study::PreparedPtr prepared;
    double seconds = 0;
  };
  void next();
  void hold(const Ask& ask, const study::Prepared& shown);
  void take(study::PreparedPtr prepared);
  void tellClosingRange();

  BodyShapes& shapes_;
  study::PreparedPtr prepared_;
  QString homeProblem_;
  study::PreparedPtr closed_, closingOf_;  ///< the last document that closed at home; the one whose range is known
  std::string closing_, closingFigure_;
  double seconds_ = 0;         ///< processor time that the last one took, its elements apart
  std::optional<Ask> wanted_;  ///< what is to be worked out aside next
  JobRunner maker_, closer_;   // last: it stops before what it reads goes
};

}  // namespace cooperage::app
