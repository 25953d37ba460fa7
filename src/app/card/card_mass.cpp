// SPDX-License-Identifier: GPL-3.0-or-later
#include "card_mass.h"

#include <QFormLayout>
#include <QPushButton>

#include "../text.h"
#include "model/edits.h"
#include "model/materials.h"

namespace cooperage::app {

using namespace model;

QString MassPage::massText(const Resolved::MassR& mass) const {
  return figureText(mass.value, dimension::kMass, bench_.document().mechanism()->units);
}
QString MassPage::centreText(const Vec3& centre) const {
  const auto& units = bench_.document().mechanism()->units;
  QStringList parts;
  for (int k = 0; k < 3; ++k) parts << plainFigure(centre[k], dimension::kLength, units, 0, 1e-6);
  return withUnit(parts.join(QStringLiteral(", ")), units.length);
}

/// A list of the materials that there are. @param now those of the bodies that it is for
void MassPage::materialOf(QFormLayout* form, const QString& name, const std::vector<std::string>& now,
                          std::function<Mechanism(const std::string&)> change) {
  const auto& m = *bench_.document().mechanism();
  std::vector<std::pair<QString, QString>> items{{QString(), tr("none")}};
  const auto offer = [&](const std::string& material) {
    const QString text = q(material);
    if (std::none_of(items.begin(), items.end(), [&](const auto& i) { return i.first == text; }))
      items.emplace_back(text, text);
  };
  for (const auto& own : m.materials) offer(own->name);
  for (const auto& known : knownMaterials()) offer(known.name);
  QString shown = now.empty() ? QString() : q(now.front());
  if (!now.empty() && !std::equal(now.begin() + 1, now.end(), now.begin())) {
    shown = QStringLiteral("\n");  // no name holds that
    items.emplace_back(shown, tr("several"));
  } else if (!now.empty()) {
    offer(now.front());
  }
  pickOne(form, tr("Material"), name, items, shown,
          [change, now, shown](const QString& key) -> Result<Mechanism> { return change(key.toStdString()); });
}

void MassPage::material(const Body& body) {
  auto* form = section(tr("Material"));
  const Id id = body.id;
  materialOf(form, QStringLiteral("material"), {body.material}, [this, id](const std::string& name) {
    return changedBody(*bench_.document().mechanism(), id, [&](Body& b) { b.material = name; });
  });
  optionalFigure(form, tr("Density"), QStringLiteral("density"), body.density,
                 [this, id](const std::optional<Field>& f) {
                   return changedBody(*bench_.document().mechanism(), id, [&](Body& b) { b.density = f; });
                 });
}

void MassPage::mass(const Link& link) {
  const auto& links = bench_.solution().resolved().links;
  const auto it = std::find_if(links.begin(), links.end(), [&](const auto& l) { return l.id == link.id; });
  auto* form = section(tr("Mass"));
  const Id id = link.id;
  if (!link.bodies.empty()) {
    std::vector<std::string> now;
    for (const auto& b : link.bodies) now.push_back(b->material);
    materialOf(form, QStringLiteral("link material"), now, [this, id](const std::string& name) {
      Mechanism next = *bench_.document().mechanism();
      if (name == "\n") return next;
      for (const auto& b : findLink(next, id)->bodies)
        next = changedBody(next, b->id, [&](Body& x) { x.material = name; });
      return next;
    });
  }
  if (it != links.end()) {
    if (it->ofSolids) {
      figureLine(form, tr("Of its solids"), massText(*it->ofSolids), QStringLiteral("mass of solids"));
      figureLine(form, tr("  centre"), centreText(it->ofSolids->centre), QStringLiteral("centre of solids"));
    }
    QStringList without;
    for (const auto& b : it->bodies)
      if (!b.density) without << q(b.name);
    if (!it->massTyped && !it->mass) {
      note(form,
           link.bodies.empty() ? tr("No solid and no typed mass: it is massless.") : tr("No density: it is massless."));
    } else if (!it->massTyped && !without.isEmpty()) {
      note(form, tr("No density, so they weigh nothing: %1").arg(without.join(QStringLiteral(", "))));
    }
    if (it->massTyped) note(form, tr("The typed mass counts."));
  }
  typedMass(link);
}

void MassPage::typedMass(const Link& link) {
  auto* form = section(link.mass ? tr("Typed mass") : QString());
  const Id id = link.id;
  const auto change = [this, id](const std::function<void(TypedMass&)>& edit) {
    return changedLink(*bench_.document().mechanism(), id, [&](Link& l) {
      if (l.mass) edit(*l.mass);
    });
  };
  optionalFigure(form, link.mass ? tr("Mass") : tr("Typed mass"), QStringLiteral("typed mass"),
                 link.mass ? std::optional<Field>(link.mass->value) : std::nullopt,
                 [this, id](const std::optional<Field>& f) {
                   return changedLink(*bench_.document().mechanism(), id, [&](Link& l) {
                     if (!f) {
                       l.mass.reset();
                       return;
                     }
                     if (!l.mass) l.mass.emplace();
                     l.mass->value = *f;
                   });
                 });
  if (!link.mass) return;
  for (std::size_t k = 0; k < 3; ++k)
    figure(form, tr("Centre %1").arg(QLatin1Char("xyz"[k])), link.mass->centre[k], dimension::kLength,
           [change, k](const Field& f) { return change([&](TypedMass& t) { t.centre[k] = f; }); });
  static const char* kNames[] = {"Ixx", "Iyy", "Izz", "Ixy", "Ixz", "Iyz"};
  for (std::size_t k = 0; k < 6; ++k)
    figure(form, QLatin1String(kNames[k]), link.mass->inertia[k], dimension::kInertia,
           [change, k](const Field& f) { return change([&](TypedMass& t) { t.inertia[k] = f; }); });
}

void MassPage::wholeMass() {
  const auto& m = *bench_.document().mechanism();
  const auto& r = bench_.solution().resolved();
  const auto& poses = bench_.solution().prepared()->poses;
  double mass = 0;
  Vec3 sum = Vec3::Zero();
  for (std::size_t i = 0; i < r.links.size() && i < poses.size(); ++i)
    if (r.links[i].mass && !r.links[i].ground) {
      mass += r.links[i].mass->value;
      sum += r.links[i].mass->value * (poses[i] * r.links[i].mass->centre);
    }
  if (!(mass > 0) && !m.gravity) return;  // nobody is asked for a mass
  auto* form = section(tr("Mass"));
  if (mass > 0) {
    figureLine(form, tr("All that moves"), figureText(mass, dimension::kMass, m.units), QStringLiteral("whole mass"));
    figureLine(form, tr("Its centre"), centreText(sum / mass), QStringLiteral("whole centre"));
  }
  if (!m.gravity) {
    button(form, tr("Add gravity"), [this] {
      Mechanism next = *bench_.document().mechanism();
      const auto pull = parseField(next, "-9.81 m/s^2");
      next.gravity = Triple{Field(0), Field(0), *pull};
      bench_.document().apply(tr("Add gravity"), next);
    });
    return;
  }
  for (std::size_t k = 0; k < 3; ++k)
    figure(form, tr("Gravity %1").arg(QLatin1Char("xyz"[k])), (*m.gravity)[k], dimension::kAcceleration,
           [this, k](const Field& f) {
             Mechanism next = *bench_.document().mechanism();
             if (next.gravity) (*next.gravity)[k] = f;
             return next;
           });
  button(form, tr("Take gravity away"), [this] {
    Mechanism next = *bench_.document().mechanism();
    next.gravity.reset();
    bench_.document().apply(tr("Take gravity away"), next);
  });
}

}  // namespace cooperage::app
