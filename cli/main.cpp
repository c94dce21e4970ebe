#include "cli/commands.h"
#include "core/base/error.h"
#include "core/base/memory.h"
#include "core/delivery/queue.h"
#include "core/exchange/child.h"
#include "core/kinds.h"

#include <CLI/CLI.hpp>
#include <csignal>

using namespace ilumbra;

static CancelFlag interrupted;

static int fail(const std::string& message, int code) {
  std::string line = message;
  std::replace(line.begin(), line.end(), '\n', ' ');
  std::fputs(("ilumbra-cli: " + line + "\n").c_str(), stderr);
  return code;
}

int main(int argc, char** argv) {
  if (const int code = parseIfChild(argc, argv); code >= 0) return code;
  if (const int code = deliverIfChild(argc, argv, allKinds); code >= 0) return code;
  keepFreedMemory();
  std::signal(SIGINT, [](int) { interrupted.request(); });
  std::signal(SIGTERM, [](int) { interrupted.request(); });
  CLI::App app("Ilumbra without a window: light effects on 3D objects, from documents to pictures", "ilumbra-cli");
  app.require_subcommand(1);
  app.set_version_flag("--version", "ilumbra-cli 0.1.0");
  cli::Context context;
  context.cancel = &interrupted;
  try {
    context.kinds = allKinds();
    cli::addDocumentCommands(app, context);
    addMakingCommands(app, context);
    cli::addDeliveryCommands(app, context);
    cli::addFarmCommands(app, context);
    cli::addPictureCommands(app, context);
    cli::addReadingsCommands(app, context);
    app.parse(argc, argv);
    if (std::fflush(stdout) != 0) return fail("standard output cannot be written", 4);
    return 0;
  } catch (const CLI::CallForHelp& e) {
    return app.exit(e);
  } catch (const CLI::CallForAllHelp& e) {
    return app.exit(e);
  } catch (const CLI::CallForVersion& e) {
    return app.exit(e);
  } catch (const CLI::ParseError& e) {
    return fail(e.what(), 2);
  } catch (const Error& e) {
    return fail(e.what(), int(e.kind()));
  } catch (const std::bad_alloc&) {
    return fail("there is not enough memory", 3);
  } catch (const std::exception& e) {
    return fail(e.what(), 3);
  }
}
