// SPDX-License-Identifier: GPL-3.0-or-later
// Makes the STEP parts of the demos. Usage: demo-generator DEMO_FOLDER
#include <cstdio>
#include <filesystem>

#include "hoop_press.h"

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fprintf(stderr, "usage: demo-generator DEMO_FOLDER\n");
    return 2;
  }
  const std::filesystem::path parts = std::filesystem::path(argv[1]) / "hoop-press" / "parts";
  std::filesystem::create_directories(parts);
  return cooperage::demo::makeHoopPress(parts) ? 0 : 1;
}
