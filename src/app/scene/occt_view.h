// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QImage>
#include <QWidget>
#include <memory>
#include <optional>
#include <vector>

#include "base/geometry.h"

class AIS_InteractiveContext;

namespace cooperage::app {

/// The 3D picture: OCCT draws off-screen with a context of its own, this plain widget paints the result, so that it
/// can be grabbed, overlaid and tested without a GPU. Hides all of the viewer; figures in m, ground axes.
class OcctView : public QWidget {
  Q_OBJECT
 public:
  explicit OcctView(QWidget* parent = nullptr);
  ~OcctView() override;

  /// Why there is no picture, or empty.
  QString problem() const;
  /// For the scene that fills it; null without a picture.
  AIS_InteractiveContext* context() const;

  void setBackground(const QColor& top, const QColor& bottom);
  /// Marks the picture as out of date. @param moving no antialiasing until things rest
  void invalidate(bool moving = false);
  /// Camera: direction from the scene to the eye, up, all visible.
  void lookFrom(const Vec3& direction, const Vec3& up);
  void fitAll();
  /// So many m over the height of the picture, about its middle.
  void showHeight(double height);
  /// Turns about the vertical and the horizontal of the picture, in pixels of the pointer.
  void orbit(const QPoint& by);
  void pan(const QPoint& by);
  void zoom(const QPointF& about, double factor);

  /// A plane that cuts the picture open: what lies on the side that the normal points to is taken away.
  struct Section {
    Vec3 at, normal;  ///< ground axes
  };
  void setSection(const std::optional<Section>& section);
  const std::optional<Section>& section() const { return section_; }

  QPointF project(const Vec3& point) const;
  /// Direction from the scene to the eye.
  Vec3 eyeDirection() const;
  /// Direction of a screen vector (y down) in the picture plane.
  Vec3 screenDirection(const QPointF& pixels) const;
  /// Ray through a pixel: point and direction into the scene.
  void ray(const QPointF& at, Vec3& origin, Vec3& direction) const;
  /// Metres per pixel.
  double scale() const;
  /// The picture at its best, however long that takes.
  const QImage& picture();

 signals:
  /// After the picture is painted: for marks drawn over it.
  void painted(QPainter& painter);
  void sectionChanged();

 protected:
  /// While true the last picture stays: what it shows is about to change once more.
  virtual bool holds() const { return false; }
  /// Shows parts in as much detail as the next picture asks for, for so many ms. @return whether it is done
  virtual bool setDetail(bool /*moving*/, double /*milliseconds*/) { return true; }
  /// Places that the whole picture holds too, though OCCT knows nothing of them; ground axes.
  virtual std::vector<Vec3> besides() { return {}; }
  /// Whether OCCT shows anything.
  virtual bool showsParts() const { return true; }
  /// What is painted over the picture may have changed.
  void refresh();
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  void render(bool best = false);
  void comeToRest();
  void shiftCamera(const Vec3& by);
  void fitBesides(double margin);
  struct Parts;
  std::unique_ptr<Parts> d_;
  QImage image_;
  std::optional<Section> section_;
  bool dirty_ = true, moving_ = false;
  double frameMs_ = 0, movingMs_ = 0;
  QTimer* rest_ = nullptr;
};

}  // namespace cooperage::app
