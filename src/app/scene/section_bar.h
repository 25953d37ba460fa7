// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>

#include "scene.h"

class QButtonGroup;
class QLineEdit;
class QSlider;
class QToolButton;

namespace cooperage::app {

/// Where the picture is cut open: the direction and place of the plane, and which side is taken away. Sits above the
/// scene's bar while there is a section.
class SectionBar : public QFrame {
  Q_OBJECT
 public:
  SectionBar(Workbench& bench, Scene& scene);
  /// Cuts the picture at what is looked at: the deepest place, the gap, the selected links, else its middle; a second
  /// call closes it.
  void toggle();
  /// Square to an axis: 0, 1, 2 for x, y, z, 3 for the direction of view.
  void cutAlong(int axis);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  Vec3 interest() const;
  void cut(const Vec3& at);
  void refresh();
  void typed();
  void place();

  Workbench& bench_;
  Scene& scene_;
  QButtonGroup* axes_;
  QSlider* slider_;
  QLineEdit* offset_;
  Vec3 normal_{0, 1, 0};
  double low_ = 0, high_ = 1;  ///< m, of the picture along the normal
};

}  // namespace cooperage::app
