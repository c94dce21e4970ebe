#include "cli/commands.h"
#include "cli/job_options.h"
#include "core/base/error.h"
#include "core/delivery/deliver.h"
#include "core/delivery/queue.h"
#include "core/display/view.h"
#include "core/exchange/carried_document.h"

#include <CLI/CLI.hpp>
#include <filesystem>
#include <fmt/format.h>
#include <thread>

namespace ilumbra::cli {
namespace {

struct Args {
  JobOptions job;
  int threads = 0, entry = 0, place = 0;
  bool resume = false, start = false;
  std::string folder;
};

Document documentOf(const Context& c, const JobOptions& o) {
  Document doc = readAnyDocument(c.kinds, o.file, c.cancel);
  for (const std::string& s : o.sets) doc = applySetting(doc, s);
  return doc;
}

std::string timeText(double seconds) {
  if (seconds < 0) return "";
  if (seconds < 90) return fmt::format("{:.0f} s left", seconds);
  if (seconds < 5400) return fmt::format("{:.0f} min left", seconds / 60);
  return fmt::format("{:.1f} h left", seconds / 3600);
}

std::string progressText(const DeliveryProgress& p) {
  switch (p.doing) {
  case DeliveryProgress::Doing::Movie:
    return fmt::format("encoding frame {} of {}", p.done + 1, p.total);
  case DeliveryProgress::Doing::Sheet:
    return "putting the contact sheet together";
  case DeliveryProgress::Doing::Frames:
    break;
  }
  const std::string left = timeText(p.secondsLeft);
  return (p.total > 1 ? fmt::format("frame {} of {}, ", p.done + 1, p.total) : std::string()) +
         fmt::format("{} of {} samples{}{}", p.samples, p.wanted, left.empty() ? "" : ", ", left);
}

Json reportOf(const FrameReport& r) {
  if (r.there) return {{"file", r.files.front()}, {"frame", r.frame}, {"there", true}};
  Json j = {{"file", r.files.front()},
            {"frame", r.frame},
            {"width", r.width},
            {"height", r.height},
            {"samples", r.samples},
            {"rays", r.count.rays},
            {"paths", r.count.paths},
            {"seconds", r.seconds},
            {"rays_per_second", r.seconds > 0 ? double(r.count.rays) / r.seconds : 0},
            {"noise", r.noise},
            {"denoised", r.denoised},
            {"dropped", r.count.dropped},
            {"limited", r.count.limited},
            {"left_out", r.warnings}};
  if (r.files.size() > 1) j["files"] = r.files;
  if (r.error >= 0) {
    j["adds_up_within"] = r.error;
    j["does_not_add_up"] = r.doubts;
  }
  return j;
}

void renderCommand(const Context& c, const Args& a) {
  const Document doc = documentOf(c, a.job);
  Job job;
  try {
    job = jobOf(a.job, doc);
  } catch (const Error& e) {
    throw e.kind() == ErrorKind::BadInput ? usageError(e.what()) : e;
  }
  const ColorViews views;
  const Tasks tasks(a.threads);
  Progress progress;
  Json report = Json::array();
  Delivered made;
  try {
    made = deliver(doc, job, tasks, views,
                   {.document = a.job.file,
                    .resume = a.resume,
                    .cancel = c.cancel,
                    .progress = [&](const DeliveryProgress& p) { progress.show(p.share, progressText(p)); },
                    .frame =
                        [&](const FrameReport& r) {
                          for (const std::string& t : r.warnings)
                            std::fputs(fmt::format("ilumbra-cli: {}: {}\n", a.job.file, t).c_str(), stderr);
                          for (const std::string& d : r.doubts)
                            std::fputs(fmt::format("ilumbra-cli: {}: {}\n", r.files.front(), d).c_str(), stderr);
                          report.push_back(reportOf(r));
                        }});
  } catch (const Error& e) {
    // What is wrong with the document names it.
    throw e.kind() == ErrorKind::BadInput && std::string_view(e.what()).find(a.job.file) != 0
        ? badInput(a.job.file + ": " + e.what())
        : e;
  }
  if (!c.json) return;
  Json j = job.sequence() ? Json{{"frames", report}} : report[0];
  if (!made.movies.empty()) j["movies"] = made.movies;
  if (!made.sheet.empty()) j["sheet"] = made.sheet;
  j["threads"] = tasks.threads();
  j["peak_memory_mib"] = peakMemory();
  print(j);
}

Queue queueOf(const Args& a) { return a.folder.empty() ? Queue() : Queue(std::filesystem::absolute(a.folder)); }

Json entryJson(const QueueEntry& e, double left) {
  Json j = {{"id", e.id},
            {"state", std::string(stateName(e.state))},
            {"name", e.name},
            {"document", e.document},
            {"job", Json::parse(e.job.json())},
            {"files", e.files},
            {"frames_done", e.progress.done},
            {"frames", e.progress.total},
            {"share", e.progress.share},
            {"seconds", e.seconds},
            {"told", e.told}};
  if (left >= 0) j["seconds_left"] = left;
  if (!e.why.empty()) j["why"] = e.why;
  return j;
}

void listCommand(const Context& c, const Args& a) {
  const Queue queue = queueOf(a);
  const std::vector<QueueEntry> all = queue.entries();
  if (c.json) {
    Json list = Json::array();
    for (const QueueEntry& e : all) list.push_back(entryJson(e, secondsLeft(all, e)));
    Json j = {{"folder", queue.folder()}, {"paused", queue.paused()}, {"running", queue.running()}, {"entries", list}};
    if (const double left = secondsLeft(all); left >= 0) j["seconds_left"] = left;
    return print(j);
  }
  if (all.empty()) return print(std::string("The queue is empty: ilumbra-cli queue add F.ilum -o OUT"));
  for (const QueueEntry& e : all) {
    const std::string left = e.over() || e.state == QueueEntry::State::Paused ? "" : timeText(secondsLeft(all, e));
    print(fmt::format("{:4} {:<9} {:3.0f} %  {:>4} of {:<4} {}  {}{}", e.id, stateName(e.state), 100 * e.progress.share,
                      e.progress.done, e.progress.total, e.name, e.job.params().text("output"),
                      left.empty() ? "" : ", " + left));
    if (!e.why.empty()) print("     " + e.why);
    for (const std::string& t : e.told) print("     " + t);
  }
  if (queue.paused()) print(std::string("The queue is paused: ilumbra-cli queue resume"));
}

void addCommand(const Context& c, const Args& a) {
  const Document doc = documentOf(c, a.job);
  const Queue queue = queueOf(a);
  const int id =
      queue.add(doc, std::filesystem::absolute(a.job.file).lexically_normal().string(), jobOf(a.job, doc, true));
  if (a.start) startQueue(queue);
  if (c.json) return print(Json{{"id", id}, {"folder", queue.folder()}});
  print(fmt::format("{}{}", id, a.start ? "" : ": it waits; ilumbra-cli queue run works on it"));
}

void runCommand(const Context& c, const Args& a) {
  const Queue queue = queueOf(a);
  // What is told comes from the disk, as everybody else reads it.
  CancelFlag over;
  std::thread teller([&] {
    Progress progress;
    while (!over.requested()) {
      try {
        const std::vector<QueueEntry> all = queue.entries();
        for (const QueueEntry& e : all)
          if (e.state == QueueEntry::State::Running)
            progress.show(e.progress.share, fmt::format("{} {}: {}", e.id, e.name, progressText(e.progress)));
          else if (e.state == QueueEntry::State::Held)
            progress.show(e.progress.share, fmt::format("{} {} waits: {}", e.id, e.name, e.why));
      } catch (const Error&) { // it is told below, if it stays so
      }
      for (int i = 0; i < 5 && !over.requested(); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(100));
    }
  });
  bool ours = false;
  std::exception_ptr problem;
  try {
    ours = runQueue(queue, *c.cancel);
  } catch (...) {
    problem = std::current_exception();
  }
  over.request();
  teller.join();
  if (problem) std::rethrow_exception(problem);
  if (!ours) throw ioError(queue.folder() + ": another program works on this queue already");
  if (c.cancel->requested()) throw cancelled();
  listCommand(c, a);
  for (const QueueEntry& e : queue.entries())
    if (e.state == QueueEntry::State::Failed) throw badInput(fmt::format("{} {}: {}", e.id, e.name, e.why));
}

} // namespace

void addDeliveryCommands(CLI::App& app, Context& c) {
  const auto command = [&](CLI::App& to, const char* name, const char* text) {
    CLI::App* s = to.add_subcommand(name, text);
    s->add_flag("--json", c.json, "One JSON object on standard output");
    return s;
  };
  auto a = std::make_shared<Args>();
  CLI::App* s = command(app, "render", "Renders a document: a picture, a sequence, a movie");
  addJobOptions(*s, a->job);
  addThreads(*s, a->threads);
  s->add_flag("--resume", a->resume, "Frames that are there, whole and of this document, are left as they are");
  s->callback([&c, a] { renderCommand(c, *a); });

  CLI::App* q = app.add_subcommand("queue", "Deliveries one after the other, in processes of their own");
  q->require_subcommand(1);
  const auto subcommand = [&](const char* name, const char* text, const std::shared_ptr<Args>& args) {
    CLI::App* sub = command(*q, name, text);
    sub->add_option("--queue", args->folder, "The queue's folder; else the one that the window shows");
    return sub;
  };
  a = std::make_shared<Args>();
  s = subcommand("add", "Adds a delivery of a document as it is now", a);
  addJobOptions(*s, a->job);
  s->add_flag("--start", a->start, "Works on the queue in the background");
  s->callback([&c, a] { addCommand(c, *a); });

  a = std::make_shared<Args>();
  s = subcommand("list", "What is in it, how far it is, and what is wrong", a);
  s->callback([&c, a] { listCommand(c, *a); });

  a = std::make_shared<Args>();
  s = subcommand("run", "Works on it until nothing waits", a);
  s->callback([&c, a] { runCommand(c, *a); });

  const auto simple = [&](const char* name, const char* text, bool whole,
                          const std::function<void(const Queue&, const Args&)>& act) {
    const auto args = std::make_shared<Args>();
    CLI::App* sub = subcommand(name, text, args);
    auto* id = sub->add_option("ENTRY", args->entry, whole ? "Its number; without it the whole queue" : "Its number");
    if (!whole) id->required();
    sub->callback([args, act] { act(queueOf(*args), *args); });
    return std::pair(sub, args);
  };
  simple("pause", "Stops at the frames that are done", true,
         [](const Queue& all, const Args& args) { args.entry ? all.pause(args.entry) : all.setPaused(true); });
  simple("resume", "Goes on, after a pause, a cancel or a failure", true,
         [](const Queue& all, const Args& args) { args.entry ? all.resume(args.entry) : all.setPaused(false); });
  simple("cancel", "Ends an entry; frames that are written stay", false,
         [](const Queue& all, const Args& args) { all.cancel(args.entry); });
  simple("remove", "Takes an entry out; frames that are written stay", false,
         [](const Queue& all, const Args& args) { all.remove(args.entry); });
  const auto [sub, args] = simple("move", "Changes the order", false, [](const Queue& all, const Args& moved) {
    all.move(moved.entry, std::max(0, moved.place - 1));
  });
  sub->add_option("PLACE", args->place, "1: first")->required();
  a = std::make_shared<Args>();
  s = subcommand("clear", "Takes out what is done, failed or cancelled", a);
  s->callback([a] { queueOf(*a).clear(); });
}

} // namespace ilumbra::cli
