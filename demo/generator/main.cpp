// SPDX-License-Identifier: GPL-3.0-or-later
// Makes the parts and documents of the demos. Usage: demo-generator DEMO_FOLDER
// Or a large assembly to measure with: demo-generator OUT.step PARTS DIFFERENT HOLES
#include <cstdio>
#include <cstdlib>
#include <filesystem>

#include "char_drum.h"
#include "contact_demos.h"
#include "hoop_press.h"
#include "machine_demos.h"
#include "many_parts.h"
#include "stave_lifter.h"
#include "tilt_cradle.h"

int main(int argc, char** argv) {
  if (argc == 5)
    return cooperage::demo::makeManyParts(argv[1], std::atoi(argv[2]), std::atoi(argv[3]), std::atoi(argv[4])) ? 0 : 1;
  if (argc != 2 || argv[1][0] == '-') {
    std::fprintf(stderr, "usage: demo-generator DEMO_FOLDER\n");
    return 2;
  }
  const std::filesystem::path parts = std::filesystem::path(argv[1]) / "hoop-press" / "parts";
  std::filesystem::create_directories(parts);
  return cooperage::demo::makeHoopPress(parts) && cooperage::demo::makeMachineDemos(argv[1]) &&
                 cooperage::demo::makeStaveLifter(argv[1]) && cooperage::demo::makeCharDrum(argv[1]) &&
                 cooperage::demo::makeTiltCradle(argv[1]) && cooperage::demo::makeContactDemos(argv[1])
             ? 0
             : 1;
}
