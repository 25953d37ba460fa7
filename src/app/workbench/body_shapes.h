// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFileSystemWatcher>
#include <QObject>
#include <QStringList>
#include <QTimer>
#include <map>

#include "../jobs.h"
#include "clearance/geometry.h"
#include "document.h"
#include "shape/refresh.h"
#include "shape/shape_store.h"

namespace cooperage::app {

/// The solids of all bodies: elements are made at once, files are read in a thread of their own and watched; seats on
/// what has been read anew are looked for.
class BodyShapes : public QObject {
  Q_OBJECT
 public:
  BodyShapes(Document& document, Speaker& speaker);

  shape::ShapeStore& store() { return store_; }
  clearance::GeometryCache& geometry() { return geometry_; }
  /// Solid of a body if it is loaded.
  shape::SolidPtr solid(model::Id body) const;
  QString problem(model::Id body) const;
  bool isLoading() const { return loader_.busy(); }
  /// Geometry files that have changed on disk since they were read.
  const QStringList& changedFiles() const { return changedFiles_; }
  /// Reads them anew (all files if none is known to have changed) and looks for the seats' geometry.
  void refreshGeometry();
  /// What was found of a broken seat's geometry, if it was looked for.
  const shape::SeatCheck* checkOf(model::Id seat) const;
  /// Looks for the geometry of all seats on some bodies, and marks what is lost or has moved.
  void checkSeats(const std::vector<model::Id>& bodies, const QString& why);
  /// A solid that is known already, as of a part that was read to be put in.
  void put(model::Id body, shape::SolidPtr solid) { solids_[body] = std::move(solid); }

  /// Solids of bodies by id, and what went wrong with others.
  struct Elements {
    std::map<model::Id, shape::SolidPtr> solids;
    std::map<model::Id, QString> problems;
  };
  /// Makes all drawn elements of a document, and what its figures make longer of solids that were read; in any thread.
  static Elements make(const model::Resolved& figures, shape::ShapeStore& store);
  /// Whether what takes long to make, such as gears and solids made longer, has other figures than what is there.
  bool hasSlowOnes(const model::Resolved& figures) const;
  /// Takes them, and lets go what comes from another file or solid, or is cut or stretched otherwise.
  void take(const model::Resolved& figures, Elements elements);
  const std::map<model::Id, shape::SolidPtr>& solids() const { return solids_; }
  /// Reads what is missing.
  void load();
  void watchFiles();
  void clear();
  void stop() { loader_.stop(); }

 signals:
  void changed();
  /// Solids have come that joints and curves may stand on.
  void read();

 private:
  Document& document_;
  Speaker& speaker_;
  shape::ShapeStore store_;
  clearance::GeometryCache geometry_;
  std::vector<std::pair<model::Resolved::BodyR, std::string>> bodies_;  ///< of the document, with their links' names
  std::map<model::Id, shape::SolidPtr> solids_;
  std::map<model::Id, QString> problems_;
  std::map<model::Id, shape::SeatCheck> checks_;
  QStringList changedFiles_;
  QFileSystemWatcher watcher_;
  QTimer watchDelay_;
  JobRunner loader_;  // last: it stops before what it reads goes
};

}  // namespace cooperage::app
