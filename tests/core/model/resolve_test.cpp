// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/resolve.h"

#include "../support.h"

namespace cooperage::model {
namespace {

using namespace cooperage::test;

std::string problem(const std::string& inner) {
  auto m = io::readCoop(R"({"format":"cooperage","version":1,)" + inner + "}");
  if (!m.ok()) return m.error().text;
  const auto r = resolve(*m);
  return r.ok() ? "accepted" : r.error().text;
}

TEST(Resolve, ParametersWorkOnOneAnother) {
  const auto m = read(
      R"({"format":"cooperage","version":1,"parameters":[{"name":"rod","value":"4*crank"},{"name":"crank","value":"34 mm"}],
    "links":[{"name":"a","placement":{"at":["rod + 1 mm",0,0]}}]})");
  EXPECT_NEAR(resolve(m)->links[0].placement.p.x(), 0.137, 1e-15);
}

TEST(Resolve, ClearErrorsNameTheObjectAndTheMend) {
  using testing::HasSubstr;
  EXPECT_THAT(problem(R"("parameters":[{"name":"a","value":"b + 1"},{"name":"b","value":"2*a"}])"),
              testing::AllOf(HasSubstr("circle"), HasSubstr("a -> b -> a")));
  EXPECT_THAT(problem(R"("links":[{"name":"l","seats":[{"name":"s","axis":[0,0,0]}]}])"),
              testing::AllOf(HasSubstr("l/s"), HasSubstr("axis is zero")));
  EXPECT_THAT(problem(R"("links":[{"name":"l","seats":[{"name":"s","axis":[1,0,0],"ref":[2,0,0]}]}])"),
              HasSubstr("parallel"));
  EXPECT_THAT(problem(R"("links":[{"name":"l","placement":{"at":["3 deg",0,0]}}])"),
              testing::AllOf(HasSubstr("link l"), HasSubstr("a length is wanted")));
  EXPECT_THAT(problem(R"("links":[{"name":"l","placement":{"at":[0,0,0],"turn":[0,0,0,0]}}])"),
              HasSubstr("quaternion"));
  EXPECT_THAT(problem(R"("links":[{"name":"l","bodies":[{"name":"b","element":"sphere","radius":-3}]}])"),
              HasSubstr("greater than zero"));
  EXPECT_THAT(
      problem(
          R"("links":[{"name":"l","seats":[{"name":"s"},{"name":"t"}]}],"joints":[{"name":"j","kind":"revolute","between":["l/s","l/t"]}])"),
      HasSubstr("needs two links"));
  EXPECT_THAT(problem(R"("links":[{"name":"l"}],"runs":[{"name":"r","duration":0}])"), HasSubstr("greater than zero"));
  EXPECT_THAT(
      problem(
          R"("links":[{"name":"l","seats":[{"name":"s"}]}],"joints":[{"name":"j","kind":"revolute","between":["l/s","m/t"]}])"),
      HasSubstr("no link 'm'"));
}

}  // namespace
}  // namespace cooperage::model
