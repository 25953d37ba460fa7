// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <vector>

#include "../jobs.h"
#include "body_shapes.h"
#include "document.h"
#include "drawings.h"
#include "model/grouping.h"
#include "pose_control.h"
#include "shape/fasteners.h"
#include "selection.h"
#include "solution.h"

namespace cooperage::shape {
struct Extent;
}

namespace cooperage::app {

/// Brings geometry from files into the document, and makes other bodies of what is there.
class Importer : public QObject {
  Q_OBJECT
 public:
  Importer(Document& document, Selection& selection, BodyShapes& shapes, const Solution& solution,
           const PoseControl& pose, JobRunner& jobs, Speaker& speaker);

  /// Drawings on their way onto sheets.
  Drawings& drawings() { return drawings_; }
  void readDrawingsAgain() { drawings_.readAgain(); }
  /// Imports a geometry file: each solid a link, placements kept. A drawing is read to be confirmed.
  void importFile(const QString& path);
  /// Solids of the last import, to be grouped by a rule; empty once the document has changed otherwise.
  const std::vector<model::ImportedSolid>& imported() const { return imported_; }
  void groupImported(model::LinkRule rule);
  /// What their fasteners say; empty if there are none, or before they were looked at.
  const std::vector<shape::LinkProposal>& proposed() const { return proposed_; }
  /// Whether the file has sub-assemblies.
  bool hasGroups() const;
  /// Groups them as proposed.
  void groupAsProposed();
  /// Some of them as one link, by the name of the largest; the others stay as they are.
  void groupTogether(const std::vector<model::Id>& bodies);
  /// The links that they make now.
  std::vector<model::Id> importedLinks() const;
  /// Where something that has no place yet goes: where it is if nothing is there, else beside all that is.
  Pose freePlace(const shape::Extent& part) const;
  /// Puts one part of a folder in, beside what is there, as one link; tells inserted().
  void insertPart(const QString& path);
  /// Another file in the place of a body's.
  void replaceGeometry(model::Id body, const QString& path);
  /// A file that was not found is this one: all bodies of it, and of others that are missing and lie beside it, are
  /// read from there. One undo step.
  void locate(const QString& missing, const QString& path);
  /// Names of the files that could not be read, each once.
  QStringList missingFiles() const;
  /// Cuts a body in two links.
  void cutBody(model::Id body, const std::vector<model::CutTool>& tools);
  /// A solid from a file gets a plane at which it can be made longer or shorter, by a figure that is zero at first. Of
  /// its two halves that moves which bears fewer seats. Says why where it can't be.
  /// @param at, axis a place of the body as shown and the way it is to grow, body axes
  /// @param face whether that is a flat face which is to move out; else the plane goes through the place
  /// @return whether it was done
  bool stretchBody(model::Id body, const Vec3& at, const Vec3& axis, bool face);
  /// A link of several bodies by the name of its largest one.
  model::Mechanism namedByLargest(const model::Mechanism& m, model::Id link) const;

  /// Forgets imported solids that the document does not hold any more.
  void follow(const model::Mechanism& m);
  void clear();

 signals:
  void inserted(model::Id link);
  /// Several solids have come in one file, and were looked at.
  void cameTogether();

 private:
  Document& document_;
  Selection& selection_;
  BodyShapes& shapes_;
  const Solution& solution_;
  const PoseControl& pose_;
  JobRunner& jobs_;
  Speaker& speaker_;
  Drawings drawings_;
  void lookForFasteners();
  void group(const model::Mechanism& m);
  std::vector<model::ImportedSolid> imported_;
  std::vector<shape::LinkProposal> proposed_;  ///< indices of imported_
  QString importedName_;
};

}  // namespace cooperage::app
