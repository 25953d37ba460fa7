// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/train.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "kinematics/gauges.h"
#include "kinematics/travel.h"

namespace cooperage::kinematics {

using model::Mechanism;
using model::Resolved;

namespace {

using Ref = std::pair<int, int>;

/// Rates by elimination on the coupling rows: unknown rates of all values that are tied, the input's being 1.
std::map<Ref, double> eliminate(const Resolved& r, const Ref& input, bool& free) {
  std::map<Ref, std::size_t> column;
  const auto held = [&](const Ref& v) { return v.first < 0 || r.joints[static_cast<std::size_t>(v.first)].held; };
  // what hangs together with the input
  std::vector<const Resolved::CouplingR*> rows;
  column[input] = 0;
  for (bool grown = true; grown;) {
    grown = false;
    for (const auto& c : r.couplings) {
      if (!c.enabled || c.coefficients.empty() || std::find(rows.begin(), rows.end(), &c) != rows.end()) continue;
      const bool touches = std::any_of(c.values.begin(), c.values.end(), [&](const Resolved::ValueRef& v) {
        return column.count({v.joint, v.value}) > 0 && !held({v.joint, v.value});
      });
      if (!touches) continue;
      rows.push_back(&c);
      for (const auto& v : c.values) column.emplace(Ref{v.joint, v.value}, column.size());
      grown = true;
    }
  }
  const std::size_t n = column.size();
  std::vector<std::vector<double>> a;  // last column: right-hand side
  const auto row = [&] { return a.emplace_back(n + 1, 0.0), &a.back(); };
  for (const auto* c : rows) {
    auto* x = row();
    for (std::size_t i = 0; i < c->values.size(); ++i)
      (*x)[column.at({c->values[i].joint, c->values[i].value})] += c->coefficients[i];
  }
  for (const auto& [ref, k] : column)
    if (held(ref) && ref != input) (*row())[k] = 1;
  auto* x = row();
  (*x)[column.at(input)] = 1;
  (*x)[n] = 1;
  std::vector<std::size_t> pivots;
  std::size_t top = 0;
  for (std::size_t k = 0; k < n && top < a.size(); ++k) {
    std::size_t best = top;
    for (std::size_t i = top; i < a.size(); ++i)
      if (std::abs(a[i][k]) > std::abs(a[best][k])) best = i;
    if (std::abs(a[best][k]) < 1e-12) continue;
    std::swap(a[best], a[top]);
    for (std::size_t i = 0; i < a.size(); ++i) {
      if (i == top) continue;
      const double f = a[i][k] / a[top][k];
      if (f == 0) continue;
      for (std::size_t j = k; j <= n; ++j) a[i][j] -= f * a[top][j];
    }
    pivots.push_back(k);
    ++top;
  }
  free = pivots.size() < n;
  std::map<Ref, double> out;
  for (const auto& [ref, k] : column) {
    const auto p = std::find(pivots.begin(), pivots.end(), k);
    if (p == pivots.end() || ref.first < 0) continue;
    const auto& solved = a[static_cast<std::size_t>(p - pivots.begin())];
    out[ref] = solved[n] / solved[k];
  }
  return out;
}

}  // namespace

Result<TrainTable> trainTable(const Mechanism& mechanism, const Symbol& input) {
  // the mechanism with this one drive alone, for a moment
  Mechanism m = mechanism;
  m.requirements.clear();
  m.gauges.clear();
  m.drives.clear();
  m.runs.clear();
  model::Drive d;
  d.id = model::newId();
  d.name = "input";
  d.value = input;
  model::ProgrammeRow row;
  row.law = motion::LawKind::formula;
  auto formula = model::parseField(m, "t*1 rad");
  const auto joint = findJoint(m, input.id);
  if (!joint) return Error{"missing-joint", "", "choose the joint that is turned"};
  const int index = valueIndex(joint->kind, input.member);
  if (index < 0) return Error{"missing-value", joint->name, "choose the joint value that is turned"};
  if (dimensionOf(infoOf(joint->kind).values[static_cast<std::size_t>(index)]) == dimension::kLength)
    formula = model::parseField(m, "t*1 m");
  if (!formula.ok()) return formula.error();
  row.figures["formula"] = *formula;
  d.programme = {row};
  const model::Id drive = d.id;
  m.drives.push_back(std::make_shared<const model::Drive>(std::move(d)));
  model::Run run;
  run.id = model::newId();
  run.name = "a moment";
  auto time = model::parseField(m, "1e-4 s");
  if (!time.ok()) return time.error();
  run.duration = *time;
  run.steps = 1;
  run.drives = std::vector<model::Id>{drive};
  run.pastStops = true;
  m.runs.push_back(std::make_shared<const model::Run>(std::move(run)));
  // held joints that are the input itself are let go
  for (auto& j : m.joints)
    if (j->id == input.id && j->held) {
      auto copy = std::make_shared<model::Joint>(*j);
      copy->held = false;
      j = std::move(copy);
    }
  const auto r = resolve(m);
  if (!r.ok()) return r.error();
  Ref in{-1, index};
  for (std::size_t i = 0; i < r->joints.size(); ++i)
    if (r->joints[i].id == input.id) in.first = static_cast<int>(i);
  TrainTable table;
  table.input = nameOf(m, input, false);
  const auto willis = eliminate(*r, in, table.free);
  auto prepared = TravelRun::prepare(*r, 0);
  if (!prepared.ok()) return prepared.error();
  Measurer measurer(**prepared);
  const RunResult result = tabulate(**prepared, measurer);
  if (result.rows.empty()) return Error{"train", "", "the train can't be moved from home"};
  for (const auto& [ref, speed] : willis) {
    const auto& j = r->joints[static_cast<std::size_t>(ref.first)];
    TrainRow out;
    out.joint = j.id;
    out.value = j.name + "." + infoOf(j.kind).values[static_cast<std::size_t>(ref.second)].name;
    out.willis = speed;
    const auto slides = [&](const Ref& v) {
      const auto& of = r->joints[static_cast<std::size_t>(v.first)];
      return dimensionOf(infoOf(of.kind).values[static_cast<std::size_t>(v.second)]) == dimension::kLength;
    };
    out.slides = slides(ref) && !slides(in);
    for (std::size_t c = 0; c < result.columns.size(); ++c)
      if (result.columns[c].name == out.value + " rate") out.solved = result.rows.front()[c];
    table.rows.push_back(std::move(out));
  }
  return table;
}

}  // namespace cooperage::kinematics
