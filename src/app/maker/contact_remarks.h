// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QTimer>

#include "../workbench/workbench.h"
#include "shape/advice.h"

namespace cooperage::app {

/// Compares every joint with what the faces of its two links would leave, off the interface thread, a moment after each
/// change: a revolute that could slide off and that nothing else holds, a joint that is freer than its faces.
class ContactRemarks : public QObject {
  Q_OBJECT
 public:
  ContactRemarks(Workbench& bench, QObject* parent = nullptr);
  ~ContactRemarks() override { runner_.stop(); }
  const std::vector<Message>& messages() const { return messages_; }

 signals:
  void changed();

 private:
  void start();
  Workbench& bench_;
  QTimer delay_;
  std::vector<Message> messages_;
  JobRunner runner_;  // last: it stops before what it reads goes
};

/// What there is to say about the joints of a mechanism. @param parts one a link, in place
std::vector<Message> contactRemarks(const model::Resolved& resolved, const std::vector<shape::Part>& parts,
                                    Progress* progress = nullptr);

}  // namespace cooperage::app
