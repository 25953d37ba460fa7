// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "model/edits.h"
#include "motion/programme.h"

/// Making drives and changing their programmes, typed or dragged. A drive that shares a named programme changes that.
namespace cooperage::model {

/// What a drive is for.
enum class Purpose { steady, goTo, goBy, swing, followTable, followFormula };

/// A drive of a joint value, or of a gauge (an angle or a distance), with a programme to begin with.
/// @param now value that it has at home, SI: `go to` starts from there
/// @return the mechanism and the drive's id; error if the value can't be driven
Result<std::pair<Mechanism, Id>> withDrive(const Mechanism& m, const Symbol& value, Id gauge, Purpose purpose,
                                           double now);
/// A value made to follow another by a formula of it: a coupling. @return the mechanism and the coupling's id
Result<std::pair<Mechanism, Id>> withFollower(const Mechanism& m, const Symbol& value, const Symbol& leader);

/// Dimension of what a drive moves.
Dimension drivenDimension(const Mechanism& m, const Drive& drive);

/// The drive's rows replaced; of the named programme if it shares one.
Mechanism withRows(const Mechanism& m, Id drive, std::vector<ProgrammeRow> rows);
/// The rows become a named programme, that others can share.
Mechanism withNamedProgramme(const Mechanism& m, Id drive, const std::string& name);
/// The drive follows a named programme; 0 gives it rows of its own again, the same.
Mechanism withShared(const Mechanism& m, Id drive, Id programme);

/// A row with the figures that a law needs, as far as possible those that the row has: a move keeps its value and time.
ProgrammeRow rowWithLaw(const Mechanism& m, const ProgrammeRow& row, const Word<motion::LawKind>& law,
                        const Dimension& value);
/// Rows one longer: a copy of the row's kind after `at` (-1: at the beginning).
Mechanism withRowAfter(const Mechanism& m, Id drive, int at, const Word<motion::LawKind>& law);
Mechanism withoutRow(const Mechanism& m, Id drive, int row);
/// One row up or down.
Mechanism withRowMoved(const Mechanism& m, Id drive, int row, int by);

/// Moves a knot (the end of row `knot` - 1) by a time in s and a value in SI.
/// @param rest the rows after it move along; else the next row gives way and all that follows stays where it is
/// @return error where a figure is a formula of parameters, a row would vanish, or the value at the knot follows from
/// something that can't be dragged (a table, a formula, a run-up)
Result<Mechanism> withKnotMoved(const Mechanism& m, Id drive, int knot, double time, double value, bool rest);

/// A dwell put in at a time: between two rows, or a move parted in two there.
/// @param programme the drive's, to know the value at that time
Result<Mechanism> withDwell(const Mechanism& m, Id drive, double at, double duration,
                            const motion::Programme& programme);

}  // namespace cooperage::model
