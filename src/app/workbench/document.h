// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QStringList>
#include <QTimer>
#include <QUndoStack>
#include <functional>
#include <optional>

#include "model/edits.h"
#include "model/resolve.h"
#include "speaker.h"

namespace cooperage::app {

/// The same files by their names in another folder; all of them absolute where there is none.
model::Mechanism withFilesFrom(const model::Mechanism& m, const QString& oldFolder, const QString& newFolder);

/// The open document: its mechanism, its undo steps, its file. Every change goes through apply(), which makes one undo
/// step.
class Document : public QObject {
  Q_OBJECT
 public:
  explicit Document(Speaker& speaker);

  /// What a change takes along, and what follows it.
  struct Followers {
    /// What moves with an edit, such as seats on an element that grows.
    /// @param after the changed document worked out
    std::function<Result<model::Mechanism>(const model::Mechanism& changed, const model::Resolved& after)> along;
    /// Works the present document out and tells it. @param figures of it
    std::function<void(model::Resolved figures)> work;
    /// Forgets all that belongs to the document that is closed.
    std::function<void()> clear;
    /// Where geometry files are looked for.
    std::function<void(const QString& folder)> folder;
  };
  void setFollowers(Followers followers) { followers_ = std::move(followers); }

  const model::MechanismPtr& mechanism() const { return mechanism_; }
  QString path() const { return path_; }
  QString title() const;
  bool isChanged() const { return !undo_.isClean(); }
  QUndoStack* undoStack() { return &undo_; }
  /// Makes the change the present document, as one undo step; refused with a message if it can't be worked out.
  /// @param merge changes with the same key that follow one another are one step (slider, knot)
  bool apply(const QString& text, const Result<model::Mechanism>& changed, int merge = 0);
  /// Ends a gesture: the next change with the same merge key is a step of its own.
  void endGesture() { ++gesture_; }
  void newDocument();
  bool open(const QString& path);
  bool save(const QString& path);
  static QStringList recentFiles();
  /// What was being edited when the program ended without being asked to; saved every ten seconds while changed.
  static bool hasAutosave();
  static void dropAutosave();
  bool recover();
  void autosave();
  /// A file as the document names it: from the document's folder.
  QString relativeFile(const QString& path) const;

 signals:
  /// Another document takes the place of the present one: what stands open for that one closes.
  void replaced();
  void changed();
  void fileChanged();

 private:
  friend class DocumentCommand;
  void set(model::MechanismPtr mechanism);
  void remember(const QString& path);

  Speaker& speaker_;
  Followers followers_;
  model::MechanismPtr mechanism_;
  std::pair<model::MechanismPtr, std::optional<model::Resolved>> figures_;  ///< of the next one, if known already
  QUndoStack undo_;
  QString path_;
  int gesture_ = 0;
  QTimer autosave_;
};

}  // namespace cooperage::app
