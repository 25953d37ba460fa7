// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QElapsedTimer>
#include <array>
#include <memory>
#include <optional>
#include <set>

#include "../workbench/workbench.h"
#include "marks.h"
#include "occt_view.h"
#include "outlines.h"
#include "picks.h"

namespace cooperage::app {

enum class Look { edges, shaded, wireframe, seeThrough };

class Picker;

/// Shows the mechanism: one object a body, moved only by its placement; hover, selection and picking of places; marks
/// of joints, drives, gauges and contacts painted over the picture. Dragging a link with the mouse pulls it by hand.
class Scene : public OcctView {
  Q_OBJECT
 public:
  Scene(Workbench& bench, QWidget* parent = nullptr);
  ~Scene() override;

  Look look() const { return look_; }
  void setLook(Look look);
  /// Picking places for a joint: faces and edges answer instead of links.
  void setPicking(bool on);
  bool isPicking() const { return picking_; }
  /// Parts are still being put into the picture, a few at a time.
  /// Bodies that are shown by their light mesh.
  int countInLight() const;
  bool isFilling() const { return filling_; }
  /// Places marked as chosen already.
  void setChosenPlaces(std::vector<PickedPlace> places);
  /// Nearest snap place to a pixel; none over empty space.
  std::optional<PickedPlace> placeAt(const QPointF& at);
  /// Body under a pixel, 0 for none.
  model::Id bodyAt(const QPointF& at);
  /// Everything under a pixel, nearest first: faces, edges and corners while picking, else bodies.
  std::vector<Hit> hitsAt(const QPointF& at);
  Picker& picker() { return *picker_; }
  /// Steps through the places under the pointer, covered ones included.
  void stepCandidate(int by);
  /// Holds the present places while the pointer crosses other parts.
  void keepCandidates(bool keep);
  void setFilter(const PickFilter& filter);
  /// Shows one link alone; 0 shows all again.
  void isolate(model::Id link);
  model::Id isolated() const { return isolated_; }
  model::Id hoveredLink() const { return hoverLink_; }

  /// Classes of marks that can be hidden.
  enum class Mark { joints, seats };
  void setShown(Mark mark, bool on);
  bool shows(Mark mark) const { return shown_[static_cast<std::size_t>(mark)]; }
  /// The next drag of the mouse draws a box.
  void setBoxing(bool on);
  /// Nothing is under the pointer, or held by it, any more: another document has come.
  void forgetPointer();
  bool isBoxing() const { return boxing_; }
  /// Clicks and boxes select solids instead of links.
  void setSolids(bool on) { solids_ = on; }
  bool selectsSolids() const { return solids_; }
  /// Edges of a link at a pose, to draw, ground axes.
  /// @param share only those of bodies of at least this share of the size of the link's largest
  std::vector<std::vector<Vec3>> linesOfLink(int link, const Pose& pose, double share = 0);
  /// Where a link is seen, in pixels; empty if it is not shown.
  QRectF rectOf(model::Id link) const;
  /// The view is not changed by what comes into an empty scene.
  void holdView() { fitted_ = true; }
  /// Fits all if a part that is shown lies outside the view.
  void keepInView();
  /// Whether all that is shown lies within the view.
  bool holdsAll() const;
  /// Pans, and zooms out, until a part of the picture lies beside what covers it.
  /// @return false if it would become too small, and the view was left alone
  bool showBeside(const QRectF& what, const QRectF& cover);
  /// The same of all links.
  bool showAllBeside(const QRectF& cover);
  /// Where all parts that are shown lie along a direction, m.
  void extentAlong(const Vec3& direction, double& low, double& high) const;
  /// Middle of the selected links, or of all if there are none, ground axes.
  Vec3 middleOfSelection() const;
  Marks& marks() { return *marks_; }
  Outlines& outlines() { return outlines_; }
  void refreshColours();

 signals:
  void picked(const PickedPlace& place);
  void pickingChanged();
  /// Another place is the present one under the pointer while picking.
  void candidateChanged();
  /// Enter was pressed while picking.
  void entered();
  void lookChanged();

 protected:
  std::vector<Vec3> besides() override { return outlines_.extent(); }
  bool showsParts() const override;
  bool holds() const override { return bench_.runs().live().busy() && !filling_; }
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void leaveEvent(QEvent* e) override;
  void resizeEvent(QResizeEvent* e) override;

 private:
  struct Entry;
  struct Shown;
  bool dress(model::Id id, Entry& entry);
  void place(Entry& entry);
  int displayMode(const Entry& entry) const;
  bool isFineInLight(const Entry& entry, double pixels) const;
  void showLight(Entry& entry, bool light);
  bool setDetail(bool moving, double milliseconds) override;
  void syncBodies();
  void fill(double milliseconds);
  std::set<model::Id> touching() const;
  void syncPoses();
  void syncEnvelope();
  void syncCommon();
  void paintMarks(QPainter& p);
  void paintHover(QPainter& p);
  void hover(const QPointF& at);
  void selectBox(const QRectF& box, bool add);
  std::vector<std::vector<Vec3>> linesOfLink(model::Id link);
  bool lit(model::Id link, model::Id body) const;

  Workbench& bench_;
  std::unique_ptr<Shown> d_;
  std::unique_ptr<Picker> picker_;
  std::unique_ptr<Marks> marks_;
  mutable Outlines outlines_;
  Look look_ = Look::edges;
  bool filling_ = false, picking_ = false, boxing_ = false, band_ = false, solids_ = false;
  std::array<bool, 2> shown_{true, true};
  std::vector<PickedPlace> chosen_;
  model::Id hoverLink_ = 0, isolated_ = 0;
  std::optional<Marks::Handle> handle_;
  QPoint pressed_, last_;
  Qt::MouseButton button_ = Qt::NoButton;
  bool moved_ = false, pulling_ = false;
  model::Id grabbedLink_ = 0;
  Vec3 grabbed_{0, 0, 0};
  bool fitted_ = false;
  int fresh_ = 0;  ///< parts that are shown and were not drawn yet
};

}  // namespace cooperage::app
