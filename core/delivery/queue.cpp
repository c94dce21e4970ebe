#include "core/delivery/queue.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/document/file.h"

#include <cstdlib>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <sys/file.h>
#include <unistd.h>

namespace ilumbra {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;
using State = QueueEntry::State;

namespace {

constexpr std::pair<State, std::string_view> stateNames[] = {
    {State::Waiting, "waiting"}, {State::Running, "running"}, {State::Paused, "paused"},      {State::Held, "held"},
    {State::Done, "done"},       {State::Failed, "failed"},   {State::Cancelled, "cancelled"}};

State stateOf(const std::string& name) {
  for (const auto& [state, word] : stateNames)
    if (word == name) return state;
  return State::Waiting;
}

void makeFolder(const std::string& folder) {
  std::error_code e;
  fs::create_directories(folder, e);
  if (e) throw ioError(fmt::format("{}: the folder cannot be made: {}", folder, e.message()));
}

// Held while queue.json is changed, by one program at a time.
class Lock {
 public:
  explicit Lock(const std::string& path) : m_fd(::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644)) {
    if (m_fd < 0) throw ioError(path + ": cannot be opened");
    while (::flock(m_fd, LOCK_EX) != 0 && errno == EINTR) {
    }
  }
  ~Lock() { ::close(m_fd); }
  Lock(const Lock&) = delete;
  Lock& operator=(const Lock&) = delete;

 private:
  int m_fd;
};

Json read(const std::string& path) {
  std::error_code e;
  if (!fs::exists(path, e)) return Json::object();
  const Json j = Json::parse(readFile(path, size_t(64) << 20), nullptr, false);
  if (!j.is_object()) throw badInput(path + ": is no queue; move it away to begin a new one");
  return j;
}

double numberIn(const Json& j, const char* name, double otherwise) {
  const auto it = j.find(name);
  return it != j.end() && it->is_number() ? it->get<double>() : otherwise;
}
std::string textIn(const Json& j, const char* name) {
  const auto it = j.find(name);
  return it != j.end() && it->is_string() ? it->get<std::string>() : std::string();
}

std::vector<std::string> textsIn(const Json& j, const char* name) {
  std::vector<std::string> out;
  if (const auto it = j.find(name); it != j.end() && it->is_array())
    for (const Json& t : *it)
      if (t.is_string()) out.push_back(t.get<std::string>());
  return out;
}

Json& entryIn(Json& queue, int id) {
  for (Json& e : queue["entries"])
    if (int(numberIn(e, "id", 0)) == id) return e;
  throw badInput(fmt::format("the queue has no entry {}", id));
}

} // namespace

std::string_view stateName(State state) {
  for (const auto& [s, word] : stateNames)
    if (s == state) return word;
  return "waiting";
}

Queue::Queue(std::string folder) : m_folder(std::move(folder)) {}

std::string Queue::defaultFolder() {
  const auto variable = [](const char* name) {
    const char* value = std::getenv(name);
    return std::string(value ? value : "");
  };
  if (const std::string own = variable("ILUMBRA_QUEUE"); !own.empty()) return own;
  const std::string state = variable("XDG_STATE_HOME"), home = variable("HOME");
  return (state.empty() ? (home.empty() ? "/tmp" : home) + "/.local/state" : state) + "/ilumbra/queue";
}

std::string Queue::entryFolder(int id) const { return fmt::format("{}/{:04d}", m_folder, id); }

template <typename F> void Queue::change(const F& f) const {
  makeFolder(m_folder);
  const Lock lock(m_folder + "/queue.lock");
  Json j = read(m_folder + "/queue.json");
  if (!j.contains("entries") || !j["entries"].is_array()) j["entries"] = Json::array();
  f(j);
  writeFileAtomically(m_folder + "/queue.json", j.dump(2) + "\n");
}

int Queue::add(const Document& doc, const std::string& path, const Job& job) const {
  job.check();
  const Document rendered = documentFor(doc, job);
  int id = 0;
  change([&](Json& j) {
    id = int(numberIn(j, "next", 1));
    makeFolder(entryFolder(id));
    writeDocument(doc, entryFolder(id) + "/document.ilum");
    const Params s = settingsOf(rendered);
    const std::string stem = path.empty() ? "Untitled" : fs::path(path).stem().string();
    std::vector<std::string> files;
    for (const std::string& n : job.outputs())
      files.push_back(fileName(n, rendered, job, path.empty() ? stem : path, job.frames().front()));
    j["next"] = id + 1;
    j["entries"].push_back(
        {{"id", id},
         {"state", "waiting"},
         {"name", stem},
         {"document", path},
         {"files", files},
         {"work", s.number("width") * s.number("height") * s.number("samples") * double(job.frames().size())},
         {"job", Json::parse(job.json())}});
  });
  return id;
}

std::vector<QueueEntry> Queue::entries() const {
  const Json j = read(m_folder + "/queue.json");
  std::vector<QueueEntry> out;
  const auto list = j.find("entries");
  if (list == j.end() || !list->is_array()) return out;
  for (const Json& e : *list) {
    QueueEntry q;
    q.id = int(numberIn(e, "id", 0));
    q.state = stateOf(textIn(e, "state"));
    q.name = textIn(e, "name");
    q.document = textIn(e, "document");
    q.why = textIn(e, "why");
    q.work = numberIn(e, "work", 0);
    q.told = textsIn(e, "told");
    q.files = textsIn(e, "files");
    if (e.contains("job")) q.job = Job::fromJson(e["job"].dump());
    q.progress.total = int(q.job.frames().size());
    q.progress.frame = q.job.frames().front();
    Json p;
    try {
      p = read(entryFolder(q.id) + "/progress.json");
    } catch (const Error&) { // half a word of it is none: the next one comes
    }
    if (p.is_object() && !p.empty()) {
      q.progress.doing = DeliveryProgress::Doing(std::clamp(int(numberIn(p, "doing", 0)), 0, 2));
      q.progress.frame = numberIn(p, "frame", q.progress.frame);
      q.progress.done = int(numberIn(p, "done", 0));
      q.progress.samples = uint32_t(numberIn(p, "samples", 0));
      q.progress.wanted = uint32_t(numberIn(p, "wanted", 0));
      q.progress.share = std::clamp(numberIn(p, "share", 0), 0.0, 1.0);
      q.progress.secondsLeft = numberIn(p, "seconds_left", -1);
      q.seconds = numberIn(p, "seconds", 0);
    }
    if (q.state == State::Done) {
      q.progress.done = q.progress.total;
      q.progress.share = 1;
    }
    out.push_back(std::move(q));
  }
  return out;
}

QueueEntry Queue::entry(int id) const {
  for (QueueEntry& e : entries())
    if (e.id == id) return std::move(e);
  throw badInput(fmt::format("the queue has no entry {}", id));
}

void Queue::setPaused(bool paused) const {
  change([&](Json& j) { j["paused"] = paused; });
}

bool Queue::paused() const {
  const Json j = read(m_folder + "/queue.json");
  return j.contains("paused") && j["paused"].is_boolean() && j["paused"].get<bool>();
}

bool Queue::begin(int id) const {
  bool begun = false;
  change([&](Json& j) {
    for (Json& e : j["entries"]) {
      const State state = stateOf(textIn(e, "state"));
      if (int(numberIn(e, "id", 0)) != id || (state != State::Waiting && state != State::Held)) continue;
      e["state"] = std::string(stateName(State::Running));
      e.erase("why");
      begun = true;
    }
  });
  return begun;
}

void Queue::setState(int id, State state, const std::string& why) const {
  change([&](Json& j) {
    Json& e = entryIn(j, id);
    e["state"] = std::string(stateName(state));
    if (why.empty())
      e.erase("why");
    else
      e["why"] = why;
  });
}

void Queue::pause(int id) const {
  if (!entry(id).over()) setState(id, State::Paused);
}
void Queue::resume(int id) const {
  const QueueEntry e = entry(id);
  if (e.state != State::Running && e.state != State::Done) setState(id, State::Waiting);
}
void Queue::cancel(int id) const {
  if (!entry(id).over()) setState(id, State::Cancelled);
}

void Queue::remove(int id) const {
  change([&](Json& j) {
    entryIn(j, id);
    Json rest = Json::array();
    for (Json& e : j["entries"])
      if (int(numberIn(e, "id", 0)) != id) rest.push_back(std::move(e));
    j["entries"] = std::move(rest);
  });
  std::error_code e;
  fs::remove_all(entryFolder(id), e);
}

void Queue::move(int id, int place) const {
  change([&](Json& j) {
    std::vector<Json> all(j["entries"].begin(), j["entries"].end());
    const auto at =
        std::find_if(all.begin(), all.end(), [&](const Json& e) { return int(numberIn(e, "id", 0)) == id; });
    if (at == all.end()) throw badInput(fmt::format("the queue has no entry {}", id));
    Json moved = std::move(*at);
    all.erase(at);
    all.insert(all.begin() + std::clamp(place, 0, int(all.size())), std::move(moved));
    j["entries"] = all;
  });
}

void Queue::clear() const {
  for (const QueueEntry& e : entries())
    if (e.over()) remove(e.id);
}

bool Queue::hasWork() const {
  if (paused()) return false;
  for (const QueueEntry& e : entries())
    if (e.state == State::Waiting || e.state == State::Running || e.state == State::Held) return true;
  return false;
}

void Queue::tell(int id, const std::string& text) const {
  change([&](Json& j) {
    Json& told = entryIn(j, id)["told"];
    if (!told.is_array()) told = Json::array();
    for (const Json& t : told)
      if (t == text) return;
    if (told.size() < 50) told.push_back(text);
  });
}

void Queue::writeProgress(int id, const DeliveryProgress& p, double seconds) const {
  const Json j = {{"doing", int(p.doing)}, {"frame", p.frame},   {"done", p.done},   {"total", p.total},
                  {"samples", p.samples},  {"wanted", p.wanted}, {"share", p.share}, {"seconds_left", p.secondsLeft},
                  {"seconds", seconds}};
  // Whole or not at all, but not for ever: it is told anew all the time.
  const std::string path = entryFolder(id) + "/progress.json", part = path + ".part";
  std::unique_ptr<FILE, int (*)(FILE*)> file(std::fopen(part.c_str(), "w"), std::fclose);
  if (!file) return;
  const std::string text = j.dump();
  const bool whole = std::fwrite(text.data(), 1, text.size(), file.get()) == text.size();
  if (std::fclose(file.release()) == 0 && whole) std::rename(part.c_str(), path.c_str());
}

namespace {

// Seconds that a light path takes, by what was done so far; 0: nothing was.
double secondsAPath(const std::vector<QueueEntry>& entries) {
  double seconds = 0, work = 0;
  for (const QueueEntry& e : entries)
    if (e.progress.share > 0.01 && e.seconds > 0) {
      seconds += e.seconds;
      work += e.work * e.progress.share;
    }
  return work > 0 ? seconds / work : 0;
}

} // namespace

double secondsLeft(const std::vector<QueueEntry>& entries, const QueueEntry& e) {
  if (e.over()) return 0;
  if (e.state == State::Running && e.progress.secondsLeft >= 0) return e.progress.secondsLeft;
  const double each = secondsAPath(entries);
  return each > 0 ? each * e.work * (1 - e.progress.share) : -1;
}

double secondsLeft(const std::vector<QueueEntry>& entries) {
  double sum = 0;
  for (const QueueEntry& e : entries) {
    if (e.state == State::Paused) continue;
    const double left = secondsLeft(entries, e);
    if (left < 0) return -1;
    sum += left;
  }
  return sum;
}

} // namespace ilumbra
