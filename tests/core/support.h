// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <gmock/gmock.h>

#include <fstream>
#include <string>

#include "base/jet.h"
#include "dynamics/load_gauges.h"
#include "io/coop_file.h"
#include "kinematics/gauges.h"

namespace cooperage::test {

inline constexpr double kClosedForm = 1e-9;  ///< of the largest magnitude over the travel

/// A document from its text; fails the test with the message if it can't be read.
inline model::Mechanism read(const std::string& text) {
  auto m = io::readCoop(text);
  if (!m.ok()) ADD_FAILURE() << m.error().text;
  return m.ok() ? *m : model::Mechanism{};
}

/// A planar four-link slider-crank in the plane z = 0: crank r about the origin, rod l, slide along x at y = e.
inline std::string sliderCrank(double r, double l, double e, double home = 30, const std::string& extra = "") {
  const double q = home * kPi / 180, px = r * std::cos(q), py = r * std::sin(q);
  const double x = px + std::sqrt(l * l - (py - e) * (py - e));
  const double rod = std::atan2(e - py, x - px);
  const auto n = [](double v) { return formatNumber(v); };
  const auto turn = [&](double a) { return "[" + n(std::cos(a / 2)) + ",0,0," + n(std::sin(a / 2)) + "]"; };
  return R"({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},"links":[
    {"name":"frame","ground":true,"seats":[{"name":"o","at":[0,0,0]},{"name":"guide","at":[0,)" +
         n(e) + R"(,0],"axis":[1,0,0],"ref":[0,1,0]}]},
    {"name":"crank","placement":{"at":[0,0,0],"turn":)" +
         turn(q) + R"(},"seats":[{"name":"o"},{"name":"pin","at":[)" + n(r) + R"(,0,0]}]},
    {"name":"rod","placement":{"at":[)" +
         n(px) + "," + n(py) + R"(,0],"turn":)" + turn(rod) + R"(},"seats":[{"name":"big"},{"name":"small","at":[)" +
         n(l) + R"(,0,0]},{"name":"middle","at":[)" + n(l / 2) + R"(,10,0]}]},
    {"name":"block","placement":{"at":[)" +
         n(x) + "," + n(e) + R"(,0]},"seats":[{"name":"pin"},{"name":"guide","axis":[1,0,0],"ref":[0,1,0]}]}],
   "joints":[{"name":"main","kind":"revolute","between":["frame/o","crank/o"]},
    {"name":"big","kind":"revolute","between":["crank/pin","rod/big"]},
    {"name":"small","kind":"revolute","between":["rod/small","block/pin"]},
    {"name":"slide","kind":"prismatic","between":["frame/guide","block/guide"]}],
   "drives":[{"name":"motor","value":"main.turn","programme":[{"law":"constant-speed","speed":"60 rpm","time":"1 s"}]}],
   "gauges":[{"name":"middle x","kind":"point-position","of":"rod/middle","component":"x"},
    {"name":"middle v","kind":"point-velocity","of":"rod/middle","component":"size"},
    {"name":"middle a in crank","kind":"point-acceleration","of":"rod/middle","in":"crank","component":"x"}],
   "runs":[{"name":"turn","duration":"1 s","steps":72,"axis":"motor"}])" +
         extra + "}";
}

inline kinematics::RunResult runFirst(const model::Mechanism& m) {
  auto r = model::resolve(m);
  if (!r.ok()) {
    ADD_FAILURE() << r.error().text;
    return {};
  }
  auto run = kinematics::TravelRun::prepare(*r, 0);
  if (!run.ok()) {
    ADD_FAILURE() << run.error().text;
    return {};
  }
  kinematics::Measurer measurer(**run, {}, {}, dynamics::loadMeasure(**run));
  auto result = kinematics::tabulate(**run, measurer);
  for (const Message& told : measurer.loadMessages()) result.travel.messages.push_back(told);
  return result;
}

/// All that a run has to say, for the text of a failure.
inline std::string said(const kinematics::RunResult& r) {
  std::string text;
  for (const auto& m : r.travel.messages) text += m.text + "\n";
  return text;
}

inline std::size_t column(const kinematics::RunResult& r, const std::string& name) {
  for (std::size_t i = 0; i < r.columns.size(); ++i)
    if (r.columns[i].name == name) return i;
  ADD_FAILURE() << "no column " << name;
  return 0;
}

/// Greatest difference of a column from a function of the row, as a share of the function's largest magnitude.
template <class F>
double worstShare(const kinematics::RunResult& r, const std::string& name, F expected) {
  const std::size_t c = column(r, name);
  double worst = 0, size = 0;
  for (std::size_t i = 0; i < r.rows.size(); ++i) {
    const double e = expected(i);
    worst = std::max(worst, std::abs(r.rows[i][c] - e));
    size = std::max(size, std::abs(e));
  }
  return worst / size;
}

}  // namespace cooperage::test
