// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "drawing/outline.h"
#include "model/resolve.h"

namespace cooperage::model {

/// A circle or a chain as it is drawn: m, in the axes of its seat or its sheet. Its pieces need not be tangent.
/// @return an error for what has no outline of its own (formulas, cam laws, edges) or figures that can't be drawn
Result<drawing::Outline> outlineOf(const Mechanism& m, const Curve& curve);

/// Whether any figure of a circle or a chain is a formula.
bool hasFormula(const Curve& curve);

/// A curve of plain figures in document units, without a name. What is a whole circle becomes one, all else a chain.
/// @param outline in m
Curve curveOf(const drawing::Outline& outline, const DocumentUnits& units);

}  // namespace cooperage::model
