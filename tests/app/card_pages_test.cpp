// SPDX-License-Identifier: GPL-3.0-or-later
// Every page of the card, with the objects of the demos: it opens, each of its figures takes what is typed or says why
// not, and one undo brings the document back as it was.
#include <QDir>
#include <map>

#include "card/number_field.h"
#include "window_fixture.h"

namespace cooperage::app {
namespace {

using namespace model;

class CardPages : public WindowTest {
 protected:
  /// One object of each kind that is in the document and was not there in those before.
  std::map<std::string, Id> fresh() {
    std::map<std::string, Id> out;
    const auto add = [&](const std::string& kind, Id id) {
      if (seen_.insert(kind).second) out[kind] = id;
    };
    const Mechanism& m = *bench.document().mechanism();
    for (const auto& l : m.links) {
      add("link of " + std::to_string(std::min<std::size_t>(2, l->bodies.size())), l->id);
      for (const auto& b : l->bodies) add("body " + std::to_string(static_cast<int>(b->kind)), b->id);
      for (const auto& s : l->seats) add(s->source ? "seat on a body" : "seat", s->id);
      for (const auto& c : l->curves) add("curve", c->id);
    }
    for (const auto& j : m.joints) add("joint " + std::to_string(static_cast<int>(j->kind)), j->id);
    for (const auto& c : m.couplings) add("coupling " + std::to_string(static_cast<int>(c->kind)), c->id);
    for (const auto& c : m.camPairs) add("cam pair", c->id);
    for (const auto& d : m.drives)
      add("drive of " + std::to_string(std::min<std::size_t>(2, d->programme.size())) + " rows", d->id);
    for (const auto& g : m.gauges) add("gauge " + g->kind.text(), g->id);
    for (const auto& r : m.requirements) add("requirement " + r->measure.text(), r->id);
    for (const auto& p : m.paths) add("path", p->id);
    for (const auto& r : m.runs) add("run", r->id);
    for (const auto& p : m.parameters) add("parameter", p->id);
    return out;
  }
  std::vector<NumberField*> fields() {
    std::vector<NumberField*> out;
    for (auto* f : window.findChildren<NumberField*>())
      if (f->isVisible() && f->edit()->isEnabled() && !f->edit()->isReadOnly()) out.push_back(f);
    return out;
  }
  /// Is the reason written under the field?
  static bool tells(NumberField* field) {
    for (const auto* l : field->findChildren<QLabel*>())
      if (l->isVisible() && !l->text().isEmpty()) return true;
    return false;
  }
  /// Types a hundredth more, or 1 in place of 0, into the n-th figure of the page. @return whether there is such a
  /// figure
  bool edit(std::size_t n) {
    auto all = fields();
    if (n >= all.size()) return false;
    NumberField* field = all[n];
    SCOPED_TRACE("field " + field->edit()->objectName().toStdString());
    const std::string before = document();
    const QString text = field->edit()->text();
    if (text.isEmpty()) return true;
    const QString typed = text.startsWith(QLatin1Char('0')) && text.split(QLatin1Char(' ')).first().toDouble() == 0
                              ? QStringLiteral("1")
                              : QLatin1Char('(') + text + QStringLiteral(")*1.01");
    lastError.clear();
    field->edit()->setFocus();
    field->edit()->selectAll();
    QTest::keyClicks(field->edit(), typed);
    QTest::keyClick(field->edit(), Qt::Key_Return);
    settle();
    if (document() == before) {
      all = fields();
      EXPECT_TRUE(!lastError.isEmpty() || (n < all.size() && tells(all[n])))
          << typed.toStdString() << " changes nothing, and nothing is said";
      QTest::keyClick(&window, Qt::Key_Escape);
      settle();
      ++refused_;
    } else {
      bench.document().undoStack()->undo();
      settle();
      ++taken_;
    }
    EXPECT_EQ(document(), before) << typed.toStdString();
    return true;
  }

  std::set<std::string> seen_;
  int taken_ = 0, refused_ = 0;
};

TEST_F(CardPages, EveryFigureIsTakenOrRefusedWithAReasonAndUndone) {
  const QDir demos(QStringLiteral(COOPERAGE_DEMO));
  for (const QString& name : demos.entryList(QDir::Dirs | QDir::NoDotAndDotDot, QDir::Name)) {
    const QString file = demos.filePath(name + QLatin1Char('/') + name + QStringLiteral(".coop"));
    if (!QFileInfo::exists(file)) continue;
    SCOPED_TRACE(name.toStdString());
    ASSERT_TRUE(window.openPath(file)) << lastError.toStdString();
    settle();
    for (const auto& [kind, id] : fresh()) {
      SCOPED_TRACE(kind);
      bench.selection().select({id});
      settle();
      for (std::size_t n = 0;; ++n) {
        if (!bench.selection().isSelected(id)) bench.selection().select({id});  // Escape lets go of it
        settle();
        if (!edit(n)) break;
      }
    }
    window.setAskBeforeLoss(false);
  }
  // links, bodies of a dozen elements, joints of many kinds, drives, gauges, requirements, paths, runs, parameters
  EXPECT_GE(seen_.size(), 45U);
  EXPECT_GE(taken_, 150);
  EXPECT_LE(refused_, taken_ / 4);
  std::printf("%zu kinds of object, %d figures taken, %d refused\n", seen_.size(), taken_, refused_);
}

// Forms of makers keep their fields from one figure to the next.
TEST_F(CardPages, AFieldThatStaysTakesTheFirstFigureOnceMore) {
  std::vector<double> taken;
  NumberField field(bench, Field(14), dimension::kLength, [&](const Field& f) {
    taken.push_back(f.number);
    return true;
  });
  field.show();
  const QString first = field.edit()->text();
  for (const QString& text : {QStringLiteral("15"), first, first}) {
    field.edit()->selectAll();
    QTest::keyClicks(field.edit(), text);
    QTest::keyClick(field.edit(), Qt::Key_Return);
  }
  EXPECT_EQ(taken, (std::vector<double>{15, 14})) << "and nothing where nothing changes";
}

}  // namespace
}  // namespace cooperage::app
