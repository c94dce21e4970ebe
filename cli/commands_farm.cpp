#include "cli/commands.h"
#include "cli/job_options.h"
#include "core/base/error.h"
#include "core/delivery/bundle.h"
#include "core/delivery/chunk.h"
#include "core/delivery/deliver.h"
#include "core/delivery/farm.h"
#include "core/display/view.h"
#include "core/document/file.h"
#include "core/exchange/carried_document.h"

#include <CLI/CLI.hpp>
#include <filesystem>
#include <fmt/format.h>

namespace ilumbra::cli {
namespace {

namespace fs = std::filesystem;

struct Args {
  JobOptions job;
  std::vector<std::string> parts;
  std::string folder, output, view;
  int split = 4, task = 0, threads = 0;
  bool alpha = false, hold = false;
};

Document documentOf(const Context& c, const JobOptions& o) {
  Document doc = readAnyDocument(c.kinds, o.file, c.cancel);
  for (const std::string& s : o.sets) doc = applySetting(doc, s);
  return doc;
}

void bundleCommand(const Context& c, const Args& a) {
  const Document doc = readAnyDocument(c.kinds, a.job.file, c.cancel);
  const Bundle b = writeBundle(doc, fs::path(a.job.file).stem().string(), a.folder, c.cancel);
  for (const std::string& m : b.missing)
    std::fputs(fmt::format("ilumbra-cli: {}: {}\n", a.job.file, m).c_str(), stderr);
  if (c.json)
    print(Json{{"document", b.document}, {"files", b.files}, {"bytes", b.bytes}, {"missing", b.missing}});
  else
    print(fmt::format("{} with {} files, {:.1f} MiB", b.document, b.files.size(), double(b.bytes) / (1 << 20)));
  if (!b.missing.empty()) throw badInput(fmt::format("{}: {} of its files are missing", a.job.file, b.missing.size()));
}

void mergeCommand(const Context& c, const Args& a) {
  const Tasks tasks(a.threads);
  const ColorViews views;
  FrameMaker maker(tasks);
  const RenderedFrame made = mergeChunks(a.parts, c.kinds, maker, c.cancel);
  // As the job of the first says, to another file.
  const ChunkHead head = readChunkHead(a.parts.front());
  Job job = Job::fromJson(head.job);
  job.set("what", std::string("still"));
  job.set("frame", head.frame);
  job.set("output", a.output);
  if (a.alpha) job.set("alpha", true);
  DocumentBuilder b(fromJson(c.kinds, head.document));
  b.setFolder(fs::absolute(a.parts.front()).parent_path().string());
  const FrameReport r = deliverFrame(b.take(), job, made, tasks, views, {.cancel = c.cancel});
  if (c.json)
    print(Json{{"file", r.files.front()}, {"parts", a.parts.size()}, {"samples", r.samples}, {"noise", r.noise}});
}

void chunkCommand(const Context& c, const Args& a, uint32_t from, uint32_t to) {
  const Document doc = documentOf(c, a.job);
  JobOptions o = a.job;
  o.outputs = {"chunk.exr"}; // what the films will be merged into says merge
  Job job = jobOf(o, doc);
  const Document rendered = documentFor(doc, job);
  const Tasks tasks(a.threads);
  FrameMaker maker(tasks);
  Progress progress;
  const auto shown = [&](uint32_t done, uint32_t wanted, double) {
    progress.show(double(done) / wanted, fmt::format("{} of {} samples", done, wanted));
  };
  writeChunk(rendered, job, job.frames().front(), {from, to}, maker, a.job.outputs.front(), c.cancel, shown);
  if (c.json) print(Json{{"file", a.job.outputs.front()}, {"from", from}, {"to", to}});
}

void submitCommand(const Context& c, const Args& a) {
  const Document doc = documentOf(c, a.job);
  const Job job = jobOf(a.job, doc, true);
  const std::string first = job.outputs().front();
  const std::string folder =
      a.folder.empty()
          ? fs::path(fileName(first, doc, job, a.job.file, job.frames().front())).replace_extension().string() + ".farm"
          : a.folder;
  std::error_code e;
  const std::string program = fs::read_symlink("/proc/self/exe", e).string();
  Farm farm = makeFarm(doc, fs::absolute(a.job.file).string(), job, a.split, folder, program, c.cancel);
  if (!a.hold) submitFarm(farm);
  if (c.json) return print(Json{{"folder", farm.folder}, {"tasks", farm.tasks.size()}, {"submitted", farm.submitted}});
  print(fmt::format("{}: {} tasks and the end{}", farm.folder, farm.tasks.size() - 1,
                    a.hold ? "; run them by: ilumbra-cli farm task FOLDER N, the end last"
                           : ", submitted as " + farm.submitted));
}

void statusCommand(const Context& c, const Args& a) {
  const Farm farm = readFarm(a.folder);
  Json list = Json::array();
  const std::vector<FarmTaskState> all = farmState(farm);
  for (size_t i = 0; i < all.size(); ++i) {
    const FarmTaskState& s = all[i];
    if (c.json)
      list.push_back(
          {{"task", i}, {"what", s.label}, {"state", s.state}, {"done", s.done}, {"of", s.total}, {"why", s.why}});
    else
      print(fmt::format("{:4} {:<7} {:<24} {}{}", i, s.state, s.label,
                        s.total ? fmt::format("{} of {}", s.done, s.total) : "", s.why.empty() ? "" : "  " + s.why));
  }
  if (c.json) print(Json{{"folder", farm.folder}, {"submitted", farm.submitted}, {"tasks", list}});
}

} // namespace

void addFarmCommands(CLI::App& app, Context& c) {
  const auto command = [&](CLI::App& to, const char* name, const char* text) {
    CLI::App* s = to.add_subcommand(name, text);
    s->add_flag("--json", c.json, "One JSON object on standard output");
    return s;
  };
  auto a = std::make_shared<Args>();
  CLI::App* s = command(app, "bundle", "A document and all files that it names, in one folder");
  s->add_option("FILE", a->job.file, "A document")->required();
  s->add_option("-o", a->folder, "The folder")->required();
  s->callback([&c, a] { bundleCommand(c, *a); });

  a = std::make_shared<Args>();
  s = command(app, "merge", "Puts films of chunks of samples together, as one render of the same chunks would be");
  s->add_option("PART", a->parts, "Films that chunk wrote")->required();
  s->add_option("-o", a->output, "The picture")->required();
  s->add_flag("--alpha", a->alpha, "Transparent where nothing is");
  addThreads(*s, a->threads);
  s->callback([&c, a] { mergeCommand(c, *a); });

  a = std::make_shared<Args>();
  auto range = std::make_shared<std::pair<uint32_t, uint32_t>>(0, 0);
  s = command(app, "chunk", "Some of a still's samples, as a film to be merged");
  addJobOptions(*s, a->job);
  s->add_option("--samples-from", range->first, "The first sample, an even number from 0")->required();
  s->add_option("--samples-to", range->second, "The sample before which it ends, even")->required();
  addThreads(*s, a->threads);
  s->callback([&c, a, range] { chunkCommand(c, *a, range->first, range->second); });

  CLI::App* farm = app.add_subcommand("farm", "A delivery divided among machines by a scheduler (Slurm)");
  farm->require_subcommand(1);
  a = std::make_shared<Args>();
  s = command(*farm, "submit", "Gathers all files, writes a job array and hands it to the scheduler");
  addJobOptions(*s, a->job);
  s->add_option("--split", a->split, "Into so many tasks: chunks of frames, or of a still's samples");
  s->add_option("--folder", a->folder,
                "Where the farm's own files lie, shared by all machines; else beside the output");
  s->add_flag("--hold", a->hold, "Makes the folder and its scripts alone, for another scheduler");
  s->callback([&c, a] { submitCommand(c, *a); });
  a = std::make_shared<Args>();
  s = command(*farm, "status", "What its tasks are at");
  s->add_option("FOLDER", a->folder, "The farm's folder")->required();
  s->callback([&c, a] { statusCommand(c, *a); });
  a = std::make_shared<Args>();
  s = command(*farm, "cancel", "Takes its tasks from the scheduler; what is written stays");
  s->add_option("FOLDER", a->folder, "The farm's folder")->required();
  s->callback([a] { cancelFarm(readFarm(a->folder)); });
  a = std::make_shared<Args>();
  s = command(*farm, "task", "Runs one task here: what a scheduler calls on each machine");
  s->add_option("FOLDER", a->folder, "The farm's folder")->required();
  s->add_option("TASK", a->task, "Its number, from 0; the last is the end")->required();
  addThreads(*s, a->threads);
  s->callback([&c, a] {
    const ColorViews views;
    const Tasks tasks(a->threads);
    Progress progress;
    runFarmTask(readFarm(a->folder), size_t(std::max(0, a->task)), c.kinds, tasks, views, c.cancel,
                [&](const DeliveryProgress& p) {
                  progress.show(p.share, fmt::format("frame {:g}, {} of {}", p.frame, p.done, p.total));
                });
  });
}

} // namespace ilumbra::cli
