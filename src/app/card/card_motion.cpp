// SPDX-License-Identifier: GPL-3.0-or-later
// Cards of joints and of interferences.
#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include "../choice_box.h"
#include "../text.h"
#include "../theme.h"
#include "card_page.h"
#include "model/joint_edits.h"
#include "shape/advice.h"

namespace cooperage::app {

using namespace model;

namespace {
class JointPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showJoint(const Joint& joint);
  void playOf(QFormLayout* form, const Joint& joint, std::size_t value);

 private:
  void stopFields(QFormLayout* form, const Joint& joint, std::size_t value);
  void stopsFromGeometry(Id joint, std::size_t value);
};
class InterferencePage : public CardPage {
 public:
  using CardPage::CardPage;
  void showInterference();
};
}  // namespace

/// How far a value that contacts move could go either way at the cursor until something stops it.
void JointPage::playOf(QFormLayout* form, const Joint& joint, std::size_t value) {
  const auto dofOf = [this, id = joint.id, value]() -> std::pair<kinematics::FreedomSource*, int> {
    const RunData* run = bench_.runs().run();
    if (!run || bench_.runs().isRunStale() || !run->travel->pushed()) return {nullptr, -1};
    const auto& joints = run->travel->resolved().joints;
    for (std::size_t j = 0; j < joints.size(); ++j)
      if (joints[j].id == id) {
        const int dof = run->travel->system().dofOf({static_cast<int>(j), static_cast<int>(value)});
        const auto& moved = run->travel->pushed()->dofs();
        if (std::find(moved.begin(), moved.end(), dof) != moved.end()) return {run->travel->pushed(), dof};
      }
    return {nullptr, -1};
  };
  if (!dofOf().first) return;
  const Dimension d = dimensionOf(infoOf(joint.kind).values[value]);
  live(form, tr("Play"), [this, dofOf, d]() -> QString {
    const auto [pushed, dof] = dofOf();
    if (!pushed) return {};
    const auto& units = bench_.document().mechanism()->units;
    const double most = d == dimension::kAngle ? 10 * kDegree : 0.1 * bench_.runs().run()->travel->system().size;
    const auto [down, up] = pushed->play(bench_.runs().cursor(), dof, most);
    if (-down >= most || up >= most) return tr("free");
    return tr("free by %1").arg(exactText(up - down, d, units, 1e-7));
  });
}

void JointPage::showJoint(const Joint& joint) {
  const auto& m = *bench_.document().mechanism();
  heading(q(joint.name), QLatin1String(infoOf(joint.kind).name));
  auto* form = section();
  nameField(form, joint.id, joint.name);
  const Id id = joint.id;
  auto* kind = new ChoiceBox;
  kind->setObjectName(QStringLiteral("kind"));
  kind->setAccessibleName(tr("Kind"));
  for (const auto& info : jointKinds()) {
    // a curve or a face belongs to these: they are made with it, not by a change of kind
    const bool needsMore = info.kind == JointKind::pointCurve || info.kind == JointKind::pointSurface;
    if (needsMore && info.kind != joint.kind) continue;
    kind->addItem(icon(QStringLiteral("joints/") + QLatin1String(info.name)), QLatin1String(info.name));
  }
  kind->setCurrentText(QLatin1String(infoOf(joint.kind).name));
  connect(kind, &QComboBox::textActivated, this, [this, id](const QString& text) {
    if (const auto k = jointKindNamed(text.toStdString()))
      bench_.document().apply(tr("Change joint kind"), withKind(*bench_.document().mechanism(), id, *k));
  });
  form->addRow(formLabel(tr("Kind")), kind);
  note(form, tr("Between %1 and %2")
                 .arg(q(nameOf(m, {joint.seats[0], ""}, false)), q(nameOf(m, {joint.seats[1], ""}, false))));
  figure(form, tr("Offset along"), joint.slideOffset, dimension::kLength, [this, id](const Field& f) {
    return changedJoint(*bench_.document().mechanism(), id, [&](Joint& j) { j.slideOffset = f; });
  });
  figure(form, tr("Offset about"), joint.turnOffset, dimension::kAngle, [this, id](const Field& f) {
    return changedJoint(*bench_.document().mechanism(), id, [&](Joint& j) { j.turnOffset = f; });
  });
  if (joint.kind == JointKind::screw)
    figure(form, tr("Lead"), joint.lead, dimension::kLength, [this, id](const Field& f) {
      return changedJoint(*bench_.document().mechanism(), id, [&](Joint& j) { j.lead = f; });
    });
  const auto flag = [&](const QString& text, const char* name, bool on, std::function<void(Joint&, bool)> set) {
    auto* box = new QCheckBox(text);
    box->setObjectName(QLatin1String(name));
    box->setChecked(on);
    connect(box, &QCheckBox::toggled, this, [this, id, text, set](bool now) {
      bench_.document().apply(text, changedJoint(*bench_.document().mechanism(), id, [&](Joint& j) { set(j, now); }));
    });
    form->addRow(formLabel(QString()), box);
  };
  flag(tr("axes opposed"), "flip", joint.flip, [](Joint& j, bool on) { j.flip = on; });
  flag(tr("held at home"), "held", joint.held, [](Joint& j, bool on) { j.held = on; });
  flag(tr("enabled"), "enabled", joint.enabled, [](Joint& j, bool on) { j.enabled = on; });
  auto* row = new QHBoxLayout;
  auto* open = new QPushButton(tr("Edit in the scene"));
  open->setObjectName(QStringLiteral("edit joint"));
  open->setToolTip(tr("Open the joint's card in the scene: kind, places, direction, offsets (E)"));
  connect(open, &QPushButton::clicked, this, [this, id] { emit card_.editJoint(id); });
  auto* reverse = new QPushButton(tr("Reverse"));
  reverse->setObjectName(QStringLiteral("reverse joint"));
  reverse->setToolTip(tr("The joint counts the other way; nothing moves"));
  connect(reverse, &QPushButton::clicked, this,
          [this, id] { bench_.document().apply(tr("Reverse joint"), reversed(*bench_.document().mechanism(), id)); });
  for (QPushButton* b : {open, reverse}) {
    b->setStyleSheet(QStringLiteral("QPushButton { padding: 4px 6px; }"));
    row->addWidget(b);
  }
  form->addRow(row);
  for (std::size_t v = 0; v < infoOf(joint.kind).values.size(); ++v) {
    const auto& value = infoOf(joint.kind).values[v];
    auto* part = section(QLatin1String(value.name));
    const Dimension d = dimensionOf(value);
    live(part, tr("Now"), [this, id, v, d]() -> QString {
      if (!bench_.solution().system() || !bench_.solution().home()) return QStringLiteral("\u2013");
      const auto& units = bench_.document().mechanism()->units;
      return figureText(presentValue(id, v), d, units, 0.1);
    });
    playOf(part, joint, v);
    jogSlider(part, joint, v);
    stopFields(part, joint, v);
  }
}

/// Value of a joint in the pose that is shown, rad or m.
double CardPage::presentValue(Id id, std::size_t v) const {
  const auto& r = bench_.solution().resolved();
  for (std::size_t i = 0; i < r.joints.size(); ++i) {
    if (r.joints[i].id != id) continue;
    // the kind may just have changed under the card
    if (v >= infoOf(r.joints[i].kind).values.size() || bench_.pose().poses().size() != r.links.size()) return 0;
    const auto& j = r.joints[i];
    const Pose a = bench_.pose().poses()[static_cast<std::size_t>(j.linkA)] * j.seatA * j.offset;
    const Pose flip = j.flip ? Pose{rotationAbout(0, kPi), Vec3::Zero()} : Pose{};
    const Pose J = a.inverse() * (bench_.pose().poses()[static_cast<std::size_t>(j.linkB)] * j.seatB * flip);
    double now = std::atan2(J.R(1, 0), J.R(0, 0));
    const std::string name = infoOf(j.kind).values[v].name;
    if (name == "slide") now = j.kind == JointKind::pinSlot ? J.p.x() : J.p.z();
    if (name == "x") now = J.p.x();
    if (name == "y") now = J.p.y();
    if (name == "tilt_x") now = kinematics::ballAngles(J.R)[0];
    if (name == "tilt_y") now = kinematics::ballAngles(J.R)[1];
    if (name == "swing") now = std::atan2(std::hypot(J.R(0, 2), J.R(1, 2)), J.R(2, 2));
    const bool ball = infoOf(j.kind).motions.back() == Motion::ball;
    if (name == "turn" && ball) now = kinematics::ballAngles(J.R)[2];
    if (name == "along" && j.curve) now = j.curve->nearest(J.p);
    if (name == "u" && j.surface) now = j.surface->nearest(J.p).first;
    if (name == "v" && j.surface) now = j.surface->nearest(J.p).second;
    return now;
  }
  return 0;
}

/// Moves the whole mechanism from this one value, with no drive and no run.
void CardPage::jogSlider(QFormLayout* form, const Joint& joint, std::size_t v) {
  const auto& info = infoOf(joint.kind);
  if (!bench_.solution().home() || !info.values[v].drivable || info.values[v].plain || info.motions.empty() ||
      info.motions.back() == Motion::ball)
    return;
  const double now = presentValue(joint.id, v);
  double low = now - kPi, high = now + kPi;
  if (!info.values[v].angle) {
    low = now - bench_.solution().system()->size;
    high = now + bench_.solution().system()->size;
  }
  for (const auto& j : bench_.solution().resolved().joints)
    if (j.id == joint.id) {
      if (j.low[v]) low = std::min(now, *j.low[v]);
      if (j.high[v]) high = std::max(now, *j.high[v]);
    }
  if (!(high > low)) return;
  const Id id = joint.id;
  auto* play = new QPushButton(icon(QStringLiteral("lucide/play")), tr("Play from this value"));
  play->setObjectName(QStringLiteral("play ") + QLatin1String(info.values[v].name));
  play->setToolTip(tr("Move the whole mechanism from this joint, with no drive; once more stops it, H returns home"));
  connect(play, &QPushButton::clicked, this, [this, id, v] { bench_.pose().togglePlayJoint(id, static_cast<int>(v)); });
  form->addRow(play);
  slider(
      form, low, high, now, QStringLiteral("jog ") + QLatin1String(info.values[v].name),
      [this, id, v](double x) {
        if (!bench_.pose().isJogging() && !bench_.pose().beginJog(id, static_cast<int>(v))) {
          bench_.say(tr("This value can't be moved by itself: it is held"), true);
          return;
        }
        bench_.pose().jogTo(x);
      },
      [this] { bench_.pose().endJog(); });
}

/// Lowest, highest and home value, typed or taken from the present pose.
void JointPage::stopFields(QFormLayout* form, const Joint& joint, std::size_t v) {
  const auto& value = infoOf(joint.kind).values[v];
  const std::string key = value.name;
  const Dimension d = dimensionOf(value);
  const Id id = joint.id;
  enum Which { low, high, home };
  const auto set = [this, id, key](Which which, const std::optional<Field>& f) {
    return changedJoint(*bench_.document().mechanism(), id, [&](Joint& j) {
      if (which == home) {
        if (f)
          j.home[key] = *f;
        else
          j.home.erase(key);
        return;
      }
      auto& s = j.stops[key];
      (which == low ? s.low : s.high) = f;
      if (!s.low && !s.high) j.stops.erase(key);
    });
  };
  const auto stops = joint.stops.find(key);
  const auto at = joint.home.find(key);
  const std::tuple<QString, Which, std::optional<Field>> kRows[] = {
      {tr("Lower stop"), low, stops == joint.stops.end() ? std::nullopt : stops->second.low},
      {tr("Upper stop"), high, stops == joint.stops.end() ? std::nullopt : stops->second.high},
      {tr("Home"), home, at == joint.home.end() ? std::nullopt : std::optional<Field>(at->second)}};
  for (const auto& [label, which, field] : kRows) {
    if (which == home && !value.drivable) continue;
    optionalFigure(form, label, q(key) + label, field,
                   [set, w = which](const std::optional<Field>& typed) { return set(w, typed); });
  }
  auto* row = new QHBoxLayout;
  row->setSpacing(4);
  const std::tuple<QString, Which, const char*> kTakes[] = {
      {tr("low"), low, "take lower"}, {tr("high"), high, "take upper"}, {tr("home"), home, "take home value"}};
  for (const auto& [text, which, name] : kTakes) {
    if (which == home && !value.drivable) continue;
    auto* b = new QPushButton(text);
    b->setObjectName(q(key) + QLatin1Char(' ') + QLatin1String(name));
    b->setToolTip(tr("Take the present value as %1").arg(text));
    b->setStyleSheet(QStringLiteral("QPushButton { padding: 2px 4px; min-width: 30px; }"));
    connect(b, &QPushButton::clicked, this, [this, set, id, v, d, w = which] {
      const double unit = bench_.document().mechanism()->units.factor(d);
      bench_.document().apply(w == home ? tr("Take present value as home") : tr("Take present value as stop"),
                              set(w, Field(std::round(presentValue(id, v) / unit * 1e6) / 1e6)));
    });
    row->addWidget(b);
  }
  form->addRow(formLabel(tr("Take now")), row);
  if (value.angle || value.plain || !value.drivable || joint.kind == JointKind::screw) return;
  auto* faces = new QPushButton(tr("Stops from the faces"));
  faces->setObjectName(q(key) + QStringLiteral(" from faces"));
  faces->setToolTip(tr("Take the ends of the slot or of the guide as stops"));
  connect(faces, &QPushButton::clicked, this, [this, id, v] { stopsFromGeometry(id, v); });
  form->addRow(faces);
}

/// Slot ends or guide ends, as far as faces of the two links are in the way.
void JointPage::stopsFromGeometry(Id id, std::size_t v) {
  const auto& r = bench_.solution().resolved();
  for (const auto& j : r.joints) {
    if (j.id != id || bench_.pose().poses().size() != r.links.size()) continue;
    shape::Part parts[2];
    for (int k = 0; k < 2; ++k) {
      const auto l = static_cast<std::size_t>(k == 0 ? j.linkA : j.linkB);
      for (const auto& b : r.links[l].bodies)
        if (const auto s = bench_.shapes().solid(b.id))
          parts[k].solids.emplace_back(bench_.shapes().store().faces(s), bench_.pose().poses()[l] * b.placement);
    }
    const Pose frame = bench_.pose().poses()[static_cast<std::size_t>(j.linkA)] * j.seatA * j.offset;
    const bool slot = j.kind == JointKind::pinSlot;
    std::size_t n = 0;
    Vec3 direction = frame.R.col(2);
    for (const Motion motion : infoOf(j.kind).motions) {
      if (n++ != v) continue;
      direction = frame.R.col(kinematics::axisOf(motion));
    }
    const Pose second = bench_.pose().poses()[static_cast<std::size_t>(j.linkB)] * j.seatB;
    const auto range =
        shape::slideRange(parts[0], parts[1], direction, second.p, slot ? Vec3(frame.R.col(2)) : Vec3::Zero());
    if (!range.low && !range.high) {
      bench_.say(tr("No faces of these two links are in the way of this slide: type the stops"), true);
      return;
    }
    const double now = presentValue(id, v), unit = bench_.document().mechanism()->units.factor(dimension::kLength);
    const std::string key = infoOf(j.kind).values[v].name;
    const auto field = [&](double by) { return Field(std::round((now + by) / unit * 1e6) / 1e6); };
    bench_.document().apply(tr("Take stops from faces"),
                            changedJoint(*bench_.document().mechanism(), id, [&](Joint& x) {
                              if (range.low) x.stops[key].low = field(*range.low);
                              if (range.high) x.stops[key].high = field(*range.high);
                            }));
    return;
  }
}

void InterferencePage::showInterference() {
  const auto& i =
      bench_.checks().check()->result.interference[static_cast<std::size_t>(bench_.selection().chosenInterference())];
  const auto& r = bench_.solution().resolved();
  const auto& units = bench_.document().mechanism()->units;
  const auto& result = bench_.runs().run()->result;
  const Dimension along = result.axisDimension;
  const double span = result.axis.empty() ? 0 : std::abs(result.axis.back() - result.axis.front());
  const auto nameOfLink = [&](int l) {
    return l < static_cast<int>(r.links.size()) ? q(r.links[static_cast<std::size_t>(l)].name) : QString();
  };
  heading(nameOfLink(i.linkA) + QStringLiteral(" \u2013 ") + nameOfLink(i.linkB), tr("pair"));
  auto* form = section();
  const auto text = [&](const QString& label, const QString& value) {
    auto* l = new QLabel(value);
    l->setTextInteractionFlags(Qt::TextSelectableByMouse);
    l->setFixedHeight(24);
    form->addRow(formLabel(label), l);
  };
  const auto place = [&](double x, double accuracy) { return figureText(x, along, units, span, accuracy); };
  text(tr("Contact"), tr("%1 to %2").arg(plainFigure(i.from, along, units, span), place(i.to, 0)));
  text(tr("First contact"),
       tr("%1 \u00b7 %2")
           .arg(place(i.from, 0), figureText(i.fromTime, dimension::kTime, units, result.travel.steps.back().t)));
  text(tr("Deepest"),
       tr("%1 at %2")
           .arg(figureText(i.deepest.depth, dimension::kLength, units, 0, bench_.checks().check()->result.accuracy),
                place(i.deepest.at, 1e-3 * span)));
  auto* row = new QHBoxLayout;
  auto* first = new QPushButton(tr("Go to first contact"));
  first->setProperty("primary", true);
  auto* deepest = new QPushButton(tr("Deepest"));
  connect(first, &QPushButton::clicked, this, [this, t = i.fromTime] { bench_.runs().setCursor(t); });
  connect(deepest, &QPushButton::clicked, this, [this, t = i.deepest.time] { bench_.runs().setCursor(t); });
  row->addWidget(first);
  row->addWidget(deepest);
  form->addRow(row);
  if (bench_.checks().isCheckStale()) note(form, tr("The mechanism has changed since this check. Check again."));
  parameters();
}

PagePtr jointPage(Card& card, Id id) {
  return filled<JointPage>(card, findJoint(shownIn(card), id), [](auto& page, const auto& x) { page.showJoint(x); });
}

PagePtr interferencePage(Card& card) {
  const auto& bench = card.bench();
  const auto& found = bench.checks().check()->result.interference;
  if (static_cast<std::size_t>(bench.selection().chosenInterference()) >= found.size() || !bench.runs().run())
    return mechanismPage(card);
  auto page = std::make_unique<InterferencePage>(card);
  page->showInterference();
  return page;
}

}  // namespace cooperage::app
