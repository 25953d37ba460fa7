// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <memory>

#include "../jobs.h"
#include "document.h"
#include "drawing/drawing.h"
#include "selection.h"

namespace cooperage::app {

/// Drawings on their way into the document: read in a job, shown to be confirmed, put onto sheets.
class Drawings : public QObject {
  Q_OBJECT
 public:
  Drawings(Document& document, Selection& selection, JobRunner& jobs, Speaker& speaker);

  static bool isDrawing(const QString& path);
  /// Reads a DXF or SVG file; tells came() when it can be confirmed.
  void read(const QString& path);
  /// A drawing that was read and waits, with what is odd about it at the present tolerance.
  struct Waiting {
    QString path;
    drawing::Drawing drawing;  ///< in its own unit
    drawing::Joined joined;    ///< ends merged, in its own unit
    drawing::Box box;
    double tolerance = 0;  ///< in its own unit
  };
  const Waiting* waiting() const { return waiting_.get(); }
  struct Choice {
    double unit = 1e-3;  ///< m of one unit of the drawing
    std::string unitName;
    double merge = 1e-5;  ///< m
    bool sheetALayer = false;
    bool annotated = false;  ///< with text, dimensions and hatching
  };
  /// Puts the waiting drawing onto sheets; tells placed().
  void place(const Choice& choice);
  void drop() { waiting_.reset(); }
  /// Reads all drawings of the document again.
  void readAgain();

 signals:
  void came();
  void placed();

 private:
  Document& document_;
  Selection& selection_;
  JobRunner& jobs_;
  Speaker& speaker_;
  std::shared_ptr<const Waiting> waiting_;
};

}  // namespace cooperage::app
