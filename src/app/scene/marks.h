// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPointF>
#include <optional>
#include <vector>

#include "../workbench/workbench.h"

class QPainter;

namespace cooperage::app {

class Scene;

/// What is painted over the picture: axes, joints, seats, stops with their handles, ghosts of other ways to close, the
/// chosen contact. Stops are dragged by their handles.
class Marks {
 public:
  Marks(Workbench& bench, Scene& scene) : bench_(bench), scene_(scene) {}
  void paint(QPainter& p);

  /// A stop or home value as a handle in the scene.
  struct Handle {
    model::Id joint = 0;
    std::string value;
    int which = 0;  ///< 0 lower stop, 1 upper stop, 2 home
    Pose frame;     ///< the joint's first seat in ground, the value's axis along z
    bool turn = true;
    double now = 0;
    QPointF at;
  };
  std::vector<Handle> handles() const;
  /// Index of the way to close whose label is there, -1 if none.
  int ghostAt(const QPointF& at) const;
  std::optional<Handle> handleAt(const QPointF& at) const;
  /// The joint, seat or curve whose mark is there, 0 if none: what is painted over the others first.
  model::Id objectAt(const QPointF& at) const;
  /// Moves a handle to a pixel: whole degrees or round lengths.
  void drag(const Handle& handle, const QPointF& to);

 private:
  void triad(QPainter& p);
  void joints(QPainter& p);
  void seats(QPainter& p);
  void stops(QPainter& p);
  void ghosts(QPainter& p);
  std::vector<QRectF> ghostLabels_;  ///< as they were painted last
  struct Target {
    model::Id object = 0;
    QPolygonF line;  ///< one place, or a curve
    double reach = 0;
  };
  std::vector<Target> targets_;  ///< as they were painted last
  void contact(QPainter& p);
  void label(QPainter& p, const QPointF& at, const QString& text, const QColor& ink);
  void overlaps(QPainter& p);
  void witnesses(QPainter& p);
  void commonVolume(QPainter& p);
  // travel_marks.cpp
  bool showsTravel() const;
  void paths(QPainter& p);
  void pathTicks(QPainter& p, const std::vector<double>& times, const std::vector<QPointF>& at, double tick);
  void runGhosts(QPainter& p);
  void endOfTravel(QPainter& p);
  void touches(QPainter& p);
  void flag(QPainter& p, const QPointF& at, const QString& name, const QString& value, const QColor& colour);
  void gaugeFlags(QPainter& p);
  void belts(QPainter& p);
  void curves(QPainter& p);

  Workbench& bench_;
  Scene& scene_;
};

}  // namespace cooperage::app
