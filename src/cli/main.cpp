// SPDX-License-Identifier: GPL-3.0-or-later
#include <CLI/CLI.hpp>
#include <Standard_Failure.hxx>
#include <csignal>
#include <cstdio>

#include "commands.h"

int main(int argc, char** argv) {
  using namespace cooperage::cli;
  CLI::App app{"Cooperage: drives a mechanism through its travel and checks it"};
  app.require_subcommand(1);
  Common common;
  EnvelopeArguments env;
  std::string table, junit, in, out, at;
  int code = 0;
  std::signal(SIGPIPE, SIG_IGN);  // told as what it is: nobody reads the result
  const auto document = [&](CLI::App* sub) {
    sub->add_option("FILE", common.file, "the document (.coop)")->required();
    sub->add_flag("--json", common.json, "result as JSON in SI on standard output");
    sub->add_option("--set", common.set, "NAME=EXPR: another value for a parameter")->expected(1, -1);
  };
  const auto withRun = [&](CLI::App* sub) {
    sub->add_option("--run", common.run, "name of the run; the first if absent");
  };

  auto* infoCommand = app.add_subcommand("info", "count freedoms and redundant joints");
  document(infoCommand);
  infoCommand->callback([&] { code = info(common); });

  auto* runCommand = app.add_subcommand("run", "drive the mechanism through a run");
  document(runCommand);
  withRun(runCommand);
  runCommand->add_option(
      "--table", table,
      "write the table as CSV, or as a workbook if its name ends in .xlsx; - for CSV on standard output");
  runCommand->callback([&] { code = run(common, table); });

  auto* checkCommand = app.add_subcommand("check", "check interference, stops and requirements over a run");
  document(checkCommand);
  withRun(checkCommand);
  checkCommand->add_option("--junit", junit, "write a JUnit report");
  checkCommand->callback([&] { code = check(common, junit); });

  auto* envelopeCommand = app.add_subcommand("envelope", "the space that links sweep, as STL");
  document(envelopeCommand);
  withRun(envelopeCommand);
  envelopeCommand->add_option("--links", env.links, "names of links, separated by commas")->required();
  envelopeCommand->add_option("--in", env.in, "link in whose axes the space is swept");
  envelopeCommand->add_option("--clearance", env.clearance, "grown by, for example \"2 mm\"");
  envelopeCommand->add_option("--accuracy", env.accuracy, "greatest error of the surface");
  envelopeCommand->add_option("--outline", env.outline, "area of the shadow along x, y or z")
      ->check(CLI::IsMember({"x", "y", "z"}));
  envelopeCommand->add_flag("--anyway", env.anyway, "go on even if it takes more than an hour");
  envelopeCommand->add_option("-o,--output", env.out, "the STL file")->required();
  envelopeCommand->callback([&] { code = envelope(common, env); });

  auto* importCommand = app.add_subcommand(
      "import", "make a document from a STEP file, each solid a link, or from a DXF or SVG, each layer a sheet");
  importCommand->add_option("IN", in, "the STEP, DXF or SVG file")->required();
  importCommand->add_option("-o,--output", out, "the document")->required();
  importCommand->add_flag("--json", common.json, "messages as JSON");
  importCommand->callback([&] { code = importStep(in, out, common.json); });

  auto* exportCommand = app.add_subcommand("export", "write the mechanism at a pose as STEP");
  document(exportCommand);
  withRun(exportCommand);
  exportCommand->add_option("--at", at, "place on the travel axis; home if absent");
  exportCommand->add_option("-o,--output", out, "the STEP file")->required();
  exportCommand->callback([&] { code = exportStep(common, at, out); });

  auto* solidsCommand = app.add_subcommand("solids", "");
  solidsCommand->group("");  // for the window only
  solidsCommand->add_option("IN", in)->required();
  solidsCommand->add_option("OUT", out)->required();
  solidsCommand->callback([&] { code = solids(in, out); });

  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    return app.exit(e) == 0 ? 0 : 2;
  } catch (const Standard_Failure& e) {
    std::fprintf(stderr, "error: the geometry library failed: %s\n", e.GetMessageString());
    return 3;
  } catch (const std::exception& e) {
    std::fprintf(stderr, "error: %s\n", e.what());
    return 3;
  }
  return finish(code);
}
