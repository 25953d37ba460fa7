// SPDX-License-Identifier: GPL-3.0-or-later
// Special members of the document and of its figures, once for all files that copy them.
#include "model/resolve.h"

namespace cooperage {

COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Field);
model::Field::Field(double plain) : number(plain) {}
model::Field::Field(Expression e) : formula(std::make_shared<const Expression>(std::move(e))) {}

COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Placement);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Group);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Body);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Stretch);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Seat);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, CurvePiece);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, ProgrammeRow);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Curve);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Sheet);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, DrawnDimension);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Link);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Joint);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Coupling);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, CamPair);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Contact);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Force);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Spring);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Friction);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Material);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, TypedMass);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, NamedProgramme);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Drive);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Gauge);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Requirement);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Run);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Path);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Parameter);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Mechanism);

COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Feature);

COOPERAGE_DEFINE_SPECIAL_MEMBERS(model, Resolved);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, BodyR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, CurveR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, LinkR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, JointR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, FormulaR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, CouplingR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, CamPairR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, ContactR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, ForceR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, SpringR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, FrictionR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, DriveR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, GaugeR);
COOPERAGE_DEFINE_SPECIAL_MEMBERS(model::Resolved, RunR);

Jet model::Resolved::FormulaR::at(const std::function<Jet(const Symbol&)>& variable) const {
  return Jet(scale) * expression->jet([&](const Symbol& s) {
    const auto p = parameters.find(s.id);
    return p == parameters.end() ? variable(s) : Jet(p->second);
  });
}

}  // namespace cooperage
