// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "card_page.h"

namespace cooperage::app {

/// What links and bodies weigh: the rows that their pages share.
class MassPage : public CardPage {
 public:
  using CardPage::CardPage;

 protected:
  /// A link's mass, of its solids or typed, and which of them counts.
  void mass(const model::Link& link);
  /// Material and density of one body.
  void material(const model::Body& body);
  /// Mass and centre of all links, and the gravity that acts on them.
  void wholeMass();

 private:
  void typedMass(const model::Link& link);
  void materialOf(QFormLayout* form, const QString& name, const std::vector<std::string>& now,
                  std::function<model::Mechanism(const std::string&)> change);
  QString massText(const model::Resolved::MassR& mass) const;
  QString centreText(const Vec3& centre) const;
};

}  // namespace cooperage::app
