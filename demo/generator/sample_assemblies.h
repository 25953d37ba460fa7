// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <TopoDS_Shape.hxx>
#include <string>
#include <vector>

#include "model/joint_kind.h"

namespace cooperage::demo {

/// One assembly of the workshop with what its pairs of parts really are, to measure proposals against.
struct Sample {
  struct Part {
    std::string name;
    TopoDS_Shape shape;  ///< mm, in place
  };
  struct Joint {
    int a, b;
    model::JointKind kind;
  };
  std::string name;
  std::vector<Part> parts;
  std::vector<Joint> joints;
  std::vector<std::pair<int, int>> none;  ///< pairs that meet or nearly meet and carry no joint
};

/// Ten assemblies. @param play mm by which pins are thinner than their bores and faces stand apart
std::vector<Sample> sampleAssemblies(double play);

/// The same solid with every round face in halves.
TopoDS_Shape withHalfRounds(const TopoDS_Shape& shape);
/// The same solid with all faces as spline surfaces.
TopoDS_Shape asSplines(const TopoDS_Shape& shape);

}  // namespace cooperage::demo
