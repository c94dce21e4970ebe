#pragma once
#include "cli/output.h"
#include "core/delivery/job.h"

#include <map>

namespace CLI {
class App;
}

namespace ilumbra::cli {

/// What the command line says of a delivery: all its parameters, from their table, and short forms for some.
struct JobOptions {
  std::string file;
  std::vector<std::string> outputs, sets;
  std::string size, frames;
  double frame = 0, noise = -1;
  bool frameGiven = false, noLens = false, noDenoise = false;
  std::map<std::string, std::string> texts; ///< by parameter
  std::map<std::string, bool> flags;
};
void addJobOptions(CLI::App& command, JobOptions& options);
/// --threads: of all that works in this process. 0: one a core.
void addThreads(CLI::App& command, int& threads);
/// A document as it is to be looked at for once: with settings ("NAME.PARAM=VALUE"), a size "WxH" and samples a pixel;
/// empty or 0: as it says itself.
Document preparedDocument(const Context& c, const std::string& file, const std::vector<std::string>& sets,
                          const std::string& size, int samples);

/// "1280x720". Throws Usage.
std::pair<double, double> sizeOf(const std::string& text);
/// "1-48", "1-48x2", or "all": the document's range, which the job has already. Throws Usage.
void setFrames(Job& job, const std::string& text);
/// The job that the options ask for, of a document with their settings. `absolute`: names of files start from here,
/// whoever writes them. Throws Usage, BadInput.
Job jobOf(const JobOptions& options, const Document& doc, bool absolute = false);

} // namespace ilumbra::cli
