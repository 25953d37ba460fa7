// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <memory>
#include <optional>

#include "document.h"
#include "elements/cam.h"
#include "kinematics/train.h"
#include "pose_control.h"
#include "solution.h"

namespace cooperage::app {

/// Where a belt or chain runs now.
struct BeltLook {
  std::vector<Vec3> points;  ///< closed, ground axes, m
  double length = 0, pitch = 0;
  std::vector<double> wrap;  ///< rad, a wheel
};

/// What the cards of couplings and cams ask for: belts where they run now, speeds of trains, figures of cams. Worked
/// out once for a document.
class MachineFigures : public QObject {
  Q_OBJECT
 public:
  MachineFigures(const Document& document, const Solution& solution, const PoseControl& pose)
      : document_(document), solution_(solution), pose_(pose) {}

  std::optional<BeltLook> beltPath(model::Id coupling) const;
  /// Speeds of all members of a train per rate of the input.
  const Result<kinematics::TrainTable>& trainTable(const Symbol& input);
  const Symbol& trainInput() const { return trainInput_; }
  void setTrainInput(const Symbol& input);
  const elements::CamReport& camReport(model::Id curve, double pressureLimit);

 signals:
  void changed();

 private:
  const Document& document_;
  const Solution& solution_;
  const PoseControl& pose_;
  Symbol trainInput_{}, trainFor_{};
  model::MechanismPtr trainOf_, camOf_;
  std::unique_ptr<Result<kinematics::TrainTable>> train_;
  model::Id camFor_ = 0;
  elements::CamReport camReport_;
};

}  // namespace cooperage::app
