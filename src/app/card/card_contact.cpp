// SPDX-License-Identifier: GPL-3.0-or-later
// Cards of contacts that push, and of forces.
#include <QFormLayout>

#include "../text.h"
#include "card_page.h"
#include "model/edits.h"
#include "model/joint_kind.h"

namespace cooperage::app {

using namespace model;

namespace {

class ContactPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showContact(const Contact& contact);

 private:
  void side(const Contact& contact, std::vector<Id> Contact::*mine, std::vector<Id> Contact::*other,
            const QString& title, const QString& name);
};

class ForcePage : public CardPage {
 public:
  using CardPage::CardPage;
  void showForce(const Force& force);
};

}  // namespace

/// The links of one side: each with a box to take it out, and a list of those that may come in.
void ContactPage::side(const Contact& contact, std::vector<Id> Contact::*mine, std::vector<Id> Contact::*other,
                       const QString& title, const QString& name) {
  const auto& m = *bench_.document().mechanism();
  const Id id = contact.id;
  const auto change = [this, id](const std::function<void(Contact&)>& edit) {
    return changed<Contact>(*bench_.document().mechanism(), &Mechanism::contacts, id, edit);
  };
  auto* form = section(title);
  for (const Id link : contact.*mine) {
    const auto l = findLink(m, link);
    if (!l) continue;
    if ((contact.*mine).size() == 1) {
      note(form, q(l->name));
      continue;
    }
    check(form, q(l->name), name + QLatin1Char(' ') + q(l->name), true, [change, mine, link](bool) {
      return change([&](Contact& c) {
        auto& list = c.*mine;
        list.erase(std::remove(list.begin(), list.end(), link), list.end());
      });
    });
  }
  std::vector<std::pair<QString, QString>> more{{QStringLiteral("0"), tr("add a link\u2026")}};
  for (const auto& l : m.links) {
    const auto on = [&](const std::vector<Id>& list) {
      return std::find(list.begin(), list.end(), l->id) != list.end();
    };
    if (!on(contact.*mine) && !on(contact.*other)) more.emplace_back(QString::number(l->id), q(l->name));
  }
  pickOne(form, tr("Also"), name + QStringLiteral(" add"), more, QStringLiteral("0"),
          [change, mine](const QString& key) -> Result<Mechanism> {
            return change([&](Contact& c) {
              if (const Id x = key.toULongLong()) (c.*mine).push_back(x);
            });
          });
}

void ContactPage::showContact(const Contact& contact) {
  heading(q(contact.name), tr("contact that pushes"));
  auto* form = section();
  nameField(form, contact.id, contact.name);
  const Id id = contact.id;
  check(form, tr("enabled"), QStringLiteral("contact enabled"), contact.enabled, [this, id](bool on) {
    return changed<Contact>(*bench_.document().mechanism(), &Mechanism::contacts, id,
                            [on](Contact& c) { c.enabled = on; });
  });
  note(form, tr("Each link of one side pushes each of the other. What isn't pushed stays where it was left."));
  side(contact, &Contact::sideA, &Contact::sideB, tr("One side"), QStringLiteral("side a"));
  side(contact, &Contact::sideB, &Contact::sideA, tr("The other side"), QStringLiteral("side b"));
}

void ForcePage::showForce(const Force& force) {
  const auto& m = *bench_.document().mechanism();
  heading(q(force.name), tr("force"));
  auto* form = section();
  nameField(form, force.id, force.name);
  const Id id = force.id;
  const auto change = [this, id](const std::function<void(Force&)>& edit) {
    return changed<Force>(*bench_.document().mechanism(), &Mechanism::forces, id, edit);
  };
  check(form, tr("enabled"), QStringLiteral("force enabled"), force.enabled,
        [change](bool on) { return change([on](Force& f) { f.enabled = on; }); });
  if (force.of) {
    const auto j = findJoint(m, force.of->id);
    const int v = j ? valueIndex(j->kind, force.of->member) : -1;
    const bool turns = v >= 0 && infoOf(j->kind).values[static_cast<std::size_t>(v)].angle;
    figure(form, tr("Effort"), force.effort, turns ? dimension::kForce + dimension::kLength : dimension::kForce,
           [change](const Field& f) { return change([&](Force& x) { x.effort = f; }); });
    note(form, tr("Along %1, positive as that value grows. It brings back what is let go, and holds it against what it "
                  "leans on.")
                   .arg(q(nameOf(m, *force.of, false))));
    return;
  }
  for (int k = 0; k < 3; ++k) {
    const QString axis = QString(QLatin1Char("xyz"[k]));
    figure(form, tr("Force %1").arg(axis), force.force[static_cast<std::size_t>(k)], dimension::kForce,
           [change, k](const Field& f) { return change([&](Force& x) { x.force[static_cast<std::size_t>(k)] = f; }); });
  }
  note(form, tr("At %1, in the axes of %2.")
                 .arg(q(nameOf(m, {force.on, ""}, false)),
                      force.in && findLink(m, *force.in) ? q(findLink(m, *force.in)->name) : tr("ground")));
}

PagePtr contactPage(Card& card, Id id) {
  return filled<ContactPage>(card, findById(shownIn(card).contacts, id),
                             [](auto& page, const auto& x) { page.showContact(x); });
}

PagePtr forcePage(Card& card, Id id) {
  return filled<ForcePage>(card, findById(shownIn(card).forces, id),
                           [](auto& page, const auto& x) { page.showForce(x); });
}

}  // namespace cooperage::app
