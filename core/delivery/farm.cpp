#include "core/delivery/farm.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/delivery/bundle.h"
#include "core/delivery/chunk.h"
#include "core/document/file.h"
#include "core/scene/embree_handles.h"

#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace ilumbra {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

namespace {

constexpr const char* kindNames[] = {"frames", "samples", "finish"};

std::string filmName(const Farm& farm, const FarmTask& t) {
  return fmt::format("{}/films/{:06}-{:06}.film", farm.folder, t.chunk.from, t.chunk.to);
}
std::string stateName(const Farm& farm, size_t task) { return fmt::format("{}/states/{:04}.json", farm.folder, task); }

void noteState(const Farm& farm, size_t task, const char* state, int done, int total, const std::string& why = "") {
  const Json j = {{"state", state}, {"done", done}, {"total", total}, {"why", why}};
  try {
    writeFileAtomically(stateName(farm, task), j.dump() + "\n");
  } catch (const Error&) { // the work itself says what is wrong with the disk
  }
}

Document documentOf(const Farm& farm, const std::shared_ptr<const Kinds>& kinds) {
  return readDocument(kinds, farm.folder + "/bundle/" + farm.name + ".ilum");
}

std::string quoted(const std::string& text) {
  std::string out = "'";
  for (const char c : text)
    if (c == '\'')
      out += "'\\''";
    else
      out += c;
  return out + "'";
}

// What a program says, both ways out.
std::pair<int, std::string> said(const std::string& command) {
  std::unique_ptr<FILE, int (*)(FILE*)> pipe(::popen((command + " 2>&1 < /dev/null").c_str(), "r"), nullptr);
  if (!pipe) throw ioError("no process can be started");
  std::string out;
  char buffer[4096];
  while (const size_t n = std::fread(buffer, 1, sizeof buffer, pipe.get())) out.append(buffer, n);
  const int code = ::pclose(pipe.release());
  while (!out.empty() && (out.back() == '\n' || out.back() == ' ')) out.pop_back();
  return {code, out};
}

void save(const Farm& farm, const std::string& program) {
  Json tasks = Json::array();
  for (const FarmTask& t : farm.tasks) {
    Json j = {{"kind", kindNames[size_t(t.kind)]}};
    if (t.kind == FarmTask::Kind::Frames) {
      j["first"] = t.first;
      j["last"] = t.last;
    } else if (t.kind == FarmTask::Kind::Samples) {
      j["from"] = t.chunk.from;
      j["to"] = t.chunk.to;
    }
    tasks.push_back(std::move(j));
  }
  const Json j = {{"name", farm.name},
                  {"program", program},
                  {"instructions", embreeInstructions},
                  {"job", Json::parse(farm.job.json())},
                  {"tasks", tasks},
                  {"submitted", farm.submitted}};
  writeFileAtomically(farm.folder + "/farm.json", j.dump(2) + "\n");
}

std::string programOf(const Farm& farm) {
  const Json j = Json::parse(readFile(farm.folder + "/farm.json"), nullptr, false);
  return j.value("program", "ilumbra-cli");
}

} // namespace

Farm makeFarm(const Document& doc, const std::string& documentPath, const Job& job, int split,
              const std::string& folder, const std::string& program, const CancelFlag* cancel) {
  job.check();
  if (split < 1 || split > 10000) throw usageError(fmt::format("{} tasks: there are 1 to 10000", split));
  Farm farm;
  farm.folder = fs::absolute(folder).lexically_normal().string();
  farm.name = documentPath.empty() ? "document" : fs::path(documentPath).stem().string();
  farm.job = job;
  std::error_code e;
  for (const char* sub : {"", "/states", "/logs", "/frames", "/films"}) {
    fs::create_directories(farm.folder + sub, e);
    if (e) throw ioError(fmt::format("{}{}: the folder cannot be made: {}", farm.folder, sub, e.message()));
  }
  const Bundle bundle = writeBundle(doc, farm.name, farm.folder + "/bundle", cancel);
  if (!bundle.missing.empty()) throw badInput(bundle.missing.front());
  if (job.sequence()) {
    const std::vector<double> frames = job.frames();
    const int n = std::min(split, int(frames.size()));
    for (int i = 0; i < n; ++i)
      farm.tasks.push_back({FarmTask::Kind::Frames,
                            frames[frames.size() * size_t(i) / size_t(n)],
                            frames[frames.size() * size_t(i + 1) / size_t(n) - 1],
                            {}});
  } else {
    // In one go it is the same to the bit, since it is divided as well.
    const auto samples = uint32_t(settingsOf(documentFor(doc, job)).number("samples"));
    const std::vector<Chunk> chunks = chunksOf(samples, split);
    farm.job.set("chunks", double(chunks.size()));
    for (const Chunk& c : chunks) farm.tasks.push_back({FarmTask::Kind::Samples, 1, 1, c});
  }
  farm.tasks.push_back({FarmTask::Kind::Finish, 1, 1, {}});
  for (size_t i = 0; i < farm.tasks.size(); ++i) fs::remove(stateName(farm, i), e);
  save(farm, program);
  for (const bool finish : {false, true})
    writeFileAtomically(farm.folder + (finish ? "/finish.sh" : "/tasks.sh"), slurmScript(farm, program, finish));
  return farm;
}

Farm readFarm(const std::string& folder) {
  Farm farm;
  farm.folder = fs::absolute(folder).lexically_normal().string();
  const std::string path = farm.folder + "/farm.json";
  const Json j = Json::parse(readFile(path, size_t(64) << 20), nullptr, false);
  if (!j.is_object() || !j.contains("job") || !j.contains("tasks") || !j["tasks"].is_array())
    throw badInput(path + ": is no farm's list of tasks");
  farm.name = j.value("name", "document");
  farm.submitted = j.value("submitted", "");
  farm.job = Job::fromJson(j["job"].dump());
  for (const Json& t : j["tasks"]) {
    const std::string kind = t.value("kind", "");
    if (kind == kindNames[0])
      farm.tasks.push_back({FarmTask::Kind::Frames, t.value("first", 1.0), t.value("last", 1.0), {}});
    else if (kind == kindNames[1])
      farm.tasks.push_back({FarmTask::Kind::Samples, 1, 1, {t.value("from", 0u), t.value("to", 0u)}});
    else if (kind == kindNames[2])
      farm.tasks.push_back({FarmTask::Kind::Finish, 1, 1, {}});
    else
      throw badInput(path + ": has a task that is not known");
  }
  return farm;
}

void runFarmTask(const Farm& farm, size_t task, const std::shared_ptr<const Kinds>& kinds, const Tasks& tasks,
                 const ColorViews& views, const CancelFlag* cancel,
                 const std::function<void(const DeliveryProgress&)>& progress) {
  if (task >= farm.tasks.size())
    throw usageError(fmt::format("{}: has {} tasks, counted from 0", farm.folder, farm.tasks.size()));
  const FarmTask& t = farm.tasks[task];
  int done = 0, total = 1;
  noteState(farm, task, "runs", 0, total);
  const auto each = [&](const DeliveryProgress& p) {
    if (p.done != done || p.total != total) noteState(farm, task, "runs", done = p.done, total = p.total);
    if (progress) progress(p);
  };
  try {
    const Document doc = documentOf(farm, kinds);
    DeliverOptions options{.document = farm.name, .workFolder = farm.folder + "/frames", .resume = true};
    options.cancel = cancel;
    options.progress = each;
    switch (t.kind) {
    case FarmTask::Kind::Frames:
      options.only = {t.first, t.last};
      deliver(doc, farm.job, tasks, views, options);
      break;
    case FarmTask::Kind::Samples: {
      const Document rendered = documentFor(doc, farm.job);
      const double frame = farm.job.frames().front();
      if (isChunkThere(filmName(farm, t), rendered, farm.job, frame, t.chunk)) break;
      FrameMaker maker(tasks);
      writeChunk(rendered, farm.job, frame, t.chunk, maker, filmName(farm, t), cancel,
                 [&](uint32_t samples, uint32_t wanted, double) {
                   DeliveryProgress p{.frame = frame, .samples = samples, .wanted = wanted};
                   p.done = int(samples);
                   p.total = int(wanted);
                   p.share = double(samples) / std::max(1u, wanted);
                   each(p);
                 });
      break;
    }
    case FarmTask::Kind::Finish: {
      std::vector<std::string> films;
      const Document rendered = documentFor(doc, farm.job);
      for (size_t i = 0; i < farm.tasks.size(); ++i) {
        const FarmTask& other = farm.tasks[i];
        if (other.kind != FarmTask::Kind::Samples) continue;
        films.push_back(filmName(farm, other));
        // One that lies there from before is not meant.
        if (!isChunkThere(films.back(), rendered, farm.job, farm.job.frames().front(), other.chunk))
          throw badInput(fmt::format("samples {} to {} are not there yet: they are task {}", other.chunk.from,
                                     other.chunk.to - 1, i));
      }
      if (!films.empty()) {
        FrameMaker maker(tasks);
        const RenderedFrame merged = mergeChunks(films, kinds, maker, cancel);
        deliverFrame(doc, farm.job, merged, tasks, views, options);
      } else {
        // The frames are there: what is left are movies and the contact sheet.
        deliver(doc, farm.job, tasks, views, options);
      }
      break;
    }
    }
    noteState(farm, task, "done", total, total);
  } catch (const Error& e) {
    noteState(farm, task, "failed", done, total, e.what());
    throw;
  } catch (const std::exception& e) {
    noteState(farm, task, "failed", done, total, e.what());
    throw;
  }
}

std::string slurmScript(const Farm& farm, const std::string& program, bool finish) {
  const size_t last = farm.tasks.size() - 1;
  std::string out = "#!/bin/bash\n";
  out += fmt::format("#SBATCH --job-name={}\n", quoted("ilumbra " + farm.name + (finish ? " end" : "")));
  if (!finish) out += fmt::format("#SBATCH --array=0-{}\n", last - 1);
  out += "#SBATCH --nodes=1\n#SBATCH --ntasks=1\n#SBATCH --requeue\n#SBATCH --open-mode=append\n";
  out +=
      fmt::format("#SBATCH --output={}\n",
                  quoted(farm.folder + "/logs/" + (finish ? fmt::format("{:04}", last) : std::string("%4a")) + ".log"));
  const std::string task = finish ? std::to_string(last) : "\"$SLURM_ARRAY_TASK_ID\"";
  out += fmt::format("{} farm task {} {}\ncode=$?\n", quoted(program), quoted(farm.folder), task);
  // One that failed is run again by the scheduler, twice at most; frames that are there stay.
  const std::string self = finish ? "\"$SLURM_JOB_ID\"" : "\"${SLURM_ARRAY_JOB_ID}_${SLURM_ARRAY_TASK_ID}\"";
  out += fmt::format(
      "if [ $code -ne 0 ] && [ \"${{SLURM_RESTART_COUNT:-0}}\" -lt 2 ]; then\n  echo \"exit $code: again\"\n"
      "  scontrol requeue {}\n  sleep 30\nfi\nexit $code\n",
      self);
  return out;
}

void submitFarm(Farm& farm) {
  const auto submit = [&](const std::string& words) {
    const auto [code, text] = said("sbatch --parsable " + words);
    if (code != 0)
      throw ioError(fmt::format("{}: the scheduler (sbatch) did not take it: {}", farm.folder,
                                text.empty() ? "it said nothing" : text));
    return text.substr(0, text.find(';'));
  };
  const std::string tasks = submit(quoted(farm.folder + "/tasks.sh"));
  farm.submitted = tasks;
  save(farm, programOf(farm));
  farm.submitted += " " + submit("--dependency=afterok:" + tasks + " " + quoted(farm.folder + "/finish.sh"));
  save(farm, programOf(farm));
}

void cancelFarm(const Farm& farm) {
  if (farm.submitted.empty()) throw badInput(farm.folder + ": was not submitted to a scheduler");
  const auto [code, text] = said("scancel " + farm.submitted);
  if (code != 0) throw ioError(fmt::format("{}: the scheduler (scancel) said: {}", farm.folder, text));
}

std::vector<FarmTaskState> farmState(const Farm& farm) {
  std::vector<FarmTaskState> out;
  for (size_t i = 0; i < farm.tasks.size(); ++i) {
    const FarmTask& t = farm.tasks[i];
    FarmTaskState s;
    s.label = t.kind == FarmTask::Kind::Frames    ? fmt::format("frames {:g} to {:g}", t.first, t.last)
              : t.kind == FarmTask::Kind::Samples ? fmt::format("samples {} to {}", t.chunk.from, t.chunk.to - 1)
                                                  : "the end: movies, merging";
    s.state = "waits";
    std::error_code e;
    if (fs::exists(stateName(farm, i), e)) {
      const Json j = Json::parse(readFile(stateName(farm, i)), nullptr, false);
      if (j.is_object()) {
        s.state = j.value("state", "waits");
        s.done = j.value("done", 0);
        s.total = j.value("total", 0);
        s.why = j.value("why", "");
      }
    }
    out.push_back(std::move(s));
  }
  return out;
}

} // namespace ilumbra
