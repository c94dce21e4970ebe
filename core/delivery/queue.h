#pragma once
#include "core/delivery/deliver.h"
#include "core/delivery/job.h"

namespace ilumbra {

/// One delivery of a queue.
struct QueueEntry {
  enum class State {
    Waiting,
    Running,
    Paused,
    Held, ///< something outside stops it (`why`: a full disk, a folder that is gone); it goes on by itself once mended
    Done,
    Failed,   ///< twice at one frame; `why`
    Cancelled ///< by hand
  };
  int id = 0;
  State state = State::Waiting;
  std::string name;     ///< of the document, for people
  std::string document; ///< where it lay when it was added; the queue has a copy of it
  Job job;
  std::vector<std::string> files; ///< of its first frame, and its movies: names filled in
  std::string why;                ///< of Held and Failed, whole sentences; else empty
  std::vector<std::string> told;  ///< what somebody should know: frames begun again, layers that do not add up
  double work = 0;                ///< light paths in all: for estimates
  // As its worker last told.
  DeliveryProgress progress;
  double seconds = 0; ///< at work so far
  bool over() const { return state == State::Done || state == State::Failed || state == State::Cancelled; }
};
/// "waiting", "running", ...
std::string_view stateName(QueueEntry::State state);

/// Deliveries in order, on the disk: any number of programs may look at it and change it at once. Its folder holds
/// queue.json and, for each entry, a folder of its number with the document as it was, what its worker tells, its log
/// and the frames that wait for their movie.
class Queue {
 public:
  /// The folder is made with the first entry.
  explicit Queue(std::string folder = defaultFolder());
  /// $ILUMBRA_QUEUE, or "ilumbra/queue" in $XDG_STATE_HOME (~/.local/state).
  static std::string defaultFolder();
  const std::string& folder() const { return m_folder; }

  /// Adds a delivery of a document as it is. `path`: where the document lies; empty: nowhere yet. Names of files in the
  /// job are absolute. Returns its number. Throws what Job::check() throws, BadInput, Io.
  int add(const Document& doc, const std::string& path, const Job& job) const;
  /// In their order. Throws Io, or BadInput where the file cannot be understood.
  std::vector<QueueEntry> entries() const;
  /// The same for one; throws BadInput if it is not there.
  QueueEntry entry(int id) const;
  std::string entryFolder(int id) const;

  /// Nothing new is begun, and what runs stops at the frames that it has.
  void setPaused(bool paused) const;
  bool paused() const;
  void pause(int id) const;
  /// Goes on with what is paused, failed or cancelled; frames that are there stay.
  void resume(int id) const;
  void cancel(int id) const;
  /// Takes it out, with its folder; what runs is cancelled first. Files that were written stay.
  void remove(int id) const;
  /// To another place in the order, from 0.
  void move(int id, int place) const;
  /// Takes out what is over.
  void clear() const;
  /// True while a program works on it (runQueue()).
  bool running() const;
  /// True if something waits that is not paused.
  bool hasWork() const;

  // For those that work on it.
  /// Takes up an entry that waits or is held; false if somebody paused it, cancelled it or took it out meanwhile.
  bool begin(int id) const;
  void setState(int id, QueueEntry::State state, const std::string& why = "") const;
  void tell(int id, const std::string& text) const;
  void writeProgress(int id, const DeliveryProgress& progress, double seconds) const;

 private:
  template <typename F> void change(const F& f) const;
  std::string m_folder;
};

/// Seconds until an entry is done, and all that wait: by what the one at work tells and how much each has to do; below
/// 0 where nothing is known yet.
double secondsLeft(const std::vector<QueueEntry>& entries, const QueueEntry& entry);
double secondsLeft(const std::vector<QueueEntry>& entries);

/// Works on a queue until nothing waits, each entry in a process of its own, so that one that dies takes nothing along.
/// False if another program does so already. Ends soon after `cancel` is set; what ran then waits.
bool runQueue(const Queue& queue, const CancelFlag& cancel);
/// Starts a program of its own that does so, and outlives this one. Does nothing where one is at work, or nothing
/// waits.
void startQueue(const Queue& queue);

/// To be called in main() after parseIfChild(): if this process was started to work on a queue, or on one entry of it,
/// it does so and the exit code is returned, else -1.
int deliverIfChild(int argc, char** argv, const std::function<std::shared_ptr<const Kinds>()>& kinds);

} // namespace ilumbra
