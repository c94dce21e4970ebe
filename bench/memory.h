#pragma once
#include <string>

/// Peak memory of large scenes, each in a process of its own: five million triangles, two hundred lights under a 4K
/// sky, two gibibytes of textures; and what a copy by repeat costs. Prints one line each by `line`.
void memory(void (*line)(const std::string& what, const std::string& must, const std::string& measured,
                         const std::string& how));

/// Runs the scene that the arguments name in this process and prints its peak; false if they name none.
bool memoryCase(int argc, char** argv);
