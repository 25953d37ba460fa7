// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QStringList>

#include "../jobs.h"
#include "document.h"
#include "selection.h"

namespace cooperage::app {

/// Other documents put into this one as groups, and refreshed from their files.
class Reuser : public QObject {
  Q_OBJECT
 public:
  Reuser(Document& document, Selection& selection, JobRunner& jobs, Speaker& speaker);

  /// Reads a document; tells came() when it can be placed. Says why where it can't be put in.
  void read(const QString& path);
  /// Name that its group would have; empty where none waits.
  QString waitingName() const;
  /// Seats of its ground links, by which it can be placed.
  QStringList waitingSeats() const;
  struct Choice {
    QString name;
    QString seat;           ///< of its ground; empty: its origin
    model::Id onto = 0;     ///< seat of this document; 0: ground's origin
    bool mirrored = false;  ///< turned over
    bool linked = false;    ///< refreshed from its file
  };
  /// Puts it in and selects its links; tells placed(). @return whether it was done; why not is said
  bool place(const Choice& choice);
  void drop() { waiting_.reset(); }

  /// Reads the files of all groups again that have one, and brings them up to date; what can't be is named.
  void refresh();
  /// The objects stay, but are none of another document any more.
  void release(model::Id group);
  /// Takes a group's objects away.
  void remove(model::Id group);
  /// Links of a group, selected.
  void select(model::Id group);

 signals:
  void came();
  /// @param joint that holds it where it is
  void placed(model::Id joint);

 private:
  struct Waiting {
    QString path;
    model::Mechanism source;
  };
  Document& document_;
  Selection& selection_;
  JobRunner& jobs_;
  Speaker& speaker_;
  std::shared_ptr<const Waiting> waiting_;
};

}  // namespace cooperage::app
