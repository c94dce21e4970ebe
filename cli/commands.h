#pragma once
#include "cli/output.h"

namespace CLI {
class App;
}

namespace ilumbra::cli {

/// starters, new, kinds, show, set, add, check, import, export, docs.
void addDocumentCommands(CLI::App& app, Context& context);
/// effect, drive, input.
void addMakingCommands(CLI::App& app, Context& context);
/// render, queue.
void addDeliveryCommands(CLI::App& app, Context& context);
/// bundle, chunk, merge, farm.
void addFarmCommands(CLI::App& app, Context& context);
/// readings, strip, solve.
void addReadingsCommands(CLI::App& app, Context& context);
/// lens, route, compare.
void addPictureCommands(CLI::App& app, Context& context);

} // namespace ilumbra::cli
