// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

/// What cooperage-cli does. Each returns the exit code: 0 done and all met; 1 something not met or the travel not
/// completed; 2 unusable input; 3 cancelled or internal.
namespace cooperage::cli {

struct Common {
  std::string file, run;
  std::vector<std::string> set;
  bool json = false;
};

int info(const Common& common);
int run(const Common& common, const std::string& table);
int check(const Common& common, const std::string& junit);

struct EnvelopeArguments {
  std::string links, in, clearance, accuracy, outline, out;
  bool anyway = false;  ///< even if it takes more than an hour
};
int envelope(const Common& common, const EnvelopeArguments& arguments);
int importStep(const std::string& in, const std::string& out, bool json);
int exportStep(const Common& common, const std::string& at, const std::string& out);
/// For the window: reads a STEP file in a process of its own and hands the solids over.
int solids(const std::string& in, const std::string& out);
/// Ends a command: what was printed must have arrived. @return its code, or 3 where it has not
int finish(int code);

}  // namespace cooperage::cli
