// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>

#include "scene.h"

class QGridLayout;
class QMenu;
class QVBoxLayout;

namespace cooperage::app {

/// In an empty scene: what a mechanism can begin with, recent documents and demos with their pictures.
class StartCard : public QFrame {
  Q_OBJECT
 public:
  /// @param elements the elements that can be added
  StartCard(Workbench& bench, Scene& scene, QMenu* elements);
  /// Keeps a picture of the document that is open, to be shown beside its name.
  /// Something else is begun in the empty scene.
  void stepAside(bool on) {
    aside_ = on;
    refresh();
  }
  static void keepPicture(Scene& scene, const QString& path);

 signals:
  void layoutAsked();
  void importAsked();
  void folderAsked();
  void openAsked();
  void documentAsked(const QString& path);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void refresh();
  void fillDocuments();
  void place();
  void arrange();
  Workbench& bench_;
  Scene& scene_;
  QGridLayout *ways_, *documents_;
  std::vector<QWidget*> wayButtons_;
  bool aside_ = false;
  int columns_ = 3;  ///< of tiles; as many as the scene is wide
};

/// Folder of the demos that came with the program, or empty.
QString demoFolder();

}  // namespace cooperage::app
