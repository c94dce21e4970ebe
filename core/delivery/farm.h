#pragma once
#include "core/delivery/deliver.h"

namespace ilumbra {

/// One task of a farm: a chunk of frames, or of a still's samples, or the end: what is made of all of them.
struct FarmTask {
  enum class Kind { Frames, Samples, Finish } kind = Kind::Frames;
  double first = 1, last = 1; ///< frames
  Chunk chunk;                ///< of a still
};

/// A delivery that is divided among machines that share a folder. It lies in that folder: farm.json says what is to be
/// done, and beside it are the bundle (document and all its files), the frames or films that wait, a log by task, and
/// the script for a scheduler.
struct Farm {
  std::string folder;          ///< absolute
  std::string name;            ///< of the document
  Job job;                     ///< its files are absolute
  std::vector<FarmTask> tasks; ///< the last one is the end
  std::string submitted;       ///< by the scheduler's numbers, with blanks between; empty: not yet
};

/// Makes the folder, with the bundle. `split`: into how many tasks, at most as many as there are frames or pairs of
/// samples. `program`: the ilumbra-cli that each task runs. Throws Usage, BadInput, Io, Cancelled.
Farm makeFarm(const Document& doc, const std::string& documentPath, const Job& job, int split,
              const std::string& folder, const std::string& program, const CancelFlag* cancel = nullptr);
/// Throws Io, or BadInput where it is no farm's folder.
Farm readFarm(const std::string& folder);

/// Runs one task, here: what is there already, whole and of this document, is left. Throws as deliver() does; BadInput
/// where the end is run before the others are done.
void runFarmTask(const Farm& farm, size_t task, const std::shared_ptr<const Kinds>& kinds, const Tasks& tasks,
                 const ColorViews& views, const CancelFlag* cancel = nullptr,
                 const std::function<void(const DeliveryProgress&)>& progress = {});

/// The shell script of a Slurm job array, a task each but the end, and of the job that is run when all are done.
std::string slurmScript(const Farm& farm, const std::string& program, bool finish);
/// Hands both scripts to sbatch, and notes their numbers. Throws Io with what sbatch said.
void submitFarm(Farm& farm);
/// scancel for both. Throws Io.
void cancelFarm(const Farm& farm);

struct FarmTaskState {
  std::string label;       ///< "frames 1 to 24"
  std::string state;       ///< "waits", "runs", "done", "failed"
  int done = 0, total = 0; ///< frames, or samples
  std::string why;         ///< of the last failure; empty: none
};
/// What the tasks themselves have noted in the folder; no scheduler is asked.
std::vector<FarmTaskState> farmState(const Farm& farm);

} // namespace ilumbra
