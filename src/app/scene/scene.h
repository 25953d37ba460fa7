// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QElapsedTimer>
#include <memory>
#include <optional>

#include "../session.h"
#include "occt_view.h"

namespace cooperage::app {

enum class Look { edges, shaded, wireframe, seeThrough };

/// A place under the pointer that a joint can take.
struct PickedPlace {
  model::Id link = 0;
  QString word;
  Vec3 at, axis, ref;  ///< ground axes, m
};

/// Shows the mechanism: one object a body, moved only by its placement; hover, selection and picking of places; marks
/// of joints, drives, gauges and contacts painted over the picture. Dragging a link with the mouse pulls it by hand.
class Scene : public OcctView {
  Q_OBJECT
 public:
  Scene(Session& session, QWidget* parent = nullptr);
  ~Scene() override;

  Look look() const { return look_; }
  void setLook(Look look);
  /// Picking places for a joint: faces and edges answer instead of links.
  void setPicking(bool on);
  bool isPicking() const { return picking_; }
  /// Places marked as chosen already.
  void setChosenPlaces(std::vector<PickedPlace> places);
  /// Nearest snap place to a pixel; none over empty space.
  std::optional<PickedPlace> placeAt(const QPointF& at);
  /// Body under a pixel, 0 for none.
  model::Id bodyAt(const QPointF& at);
  void refreshColours();

 signals:
  void picked(const PickedPlace& place);
  void lookChanged();

 protected:
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void leaveEvent(QEvent* e) override;

 private:
  struct Shown;
  void syncBodies();
  void syncPoses();
  void syncEnvelope();
  void activate();
  void paintMarks(QPainter& p);
  void paintTriad(QPainter& p);
  void paintJoints(QPainter& p);
  void paintSnaps(QPainter& p);
  void paintContact(QPainter& p);
  bool hoverAt(const QPointF& at);
  bool lit(model::Id link, model::Id body) const;

  Session& session_;
  std::unique_ptr<Shown> d_;
  Look look_ = Look::edges;
  bool picking_ = false;
  std::vector<PickedPlace> candidates_, chosen_;
  int candidate_ = -1;
  model::Id hoverLink_ = 0;
  QPoint pressed_, last_;
  Qt::MouseButton button_ = Qt::NoButton;
  bool moved_ = false, pulling_ = false;
  model::Id grabbedLink_ = 0;
  Vec3 grabbed_ = Vec3::Zero();
  bool fitted_ = false;
};

}  // namespace cooperage::app
