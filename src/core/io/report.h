// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "clearance/envelope.h"
#include "clearance/travel_check.h"
#include "contact/pushing.h"
#include "kinematics/gauges.h"
#include "kinematics/mobility.h"

/// Results as texts for other programs: JSON in SI as docs/file-format.md says, JUnit, CSV, binary STL.
namespace cooperage::io {

/// Links of contacts that overlap at home, a message each, with links and depth.
std::string overlapsJson(const std::vector<contact::Overlap>& overlaps, const Error& error);
std::string infoJson(const kinematics::Mobility& mobility, const model::Resolved& resolved,
                     const std::vector<Message>& messages);
std::string runJson(const kinematics::RunResult& result);
std::string checkJson(const clearance::CheckResult& result, const model::Resolved& resolved);
std::string envelopeJson(const clearance::Envelope& envelope, bool outline);
/// {messages: [..]} alone, for an input that can't be used.
std::string messagesJson(const std::vector<Message>& messages);

/// One test case a requirement and one for interference: value, bound and place in document units.
/// @param run whose travel axis the places are on
std::string checkJunit(const clearance::CheckResult& result, const model::Resolved& resolved,
                       const kinematics::RunResult& run, const DocumentUnits& units);

/// Table of a run in document units, 17 significant digits, one row a step; empty where there is no value.
/// @param columns indices of those to write; all if empty
std::string tableCsv(const kinematics::RunResult& result, const DocumentUnits& units,
                     const std::vector<int>& columns = {});

/// Binary STL in mm.
std::string stlBinary(const shape::Mesh& mesh, const std::string& title);

}  // namespace cooperage::io
