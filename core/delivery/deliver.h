#pragma once
#include "core/delivery/frame_render.h"
#include "core/delivery/job.h"
#include "core/scene/trace_count.h"

#include <functional>
#include <optional>

namespace ilumbra {

class ColorViews;

/// What became of one frame.
struct FrameReport {
  double frame = 1;
  std::vector<std::string> files;
  bool there = false; ///< it was there already, whole and of this document
  int width = 0, height = 0;
  uint32_t samples = 0;
  double seconds = 0, noise = 0;
  bool denoised = false;
  TraceCount count;
  std::vector<std::string> warnings; ///< what was left out
  std::string recipe;                ///< how its layers go together; empty: it has no passes that do
  std::vector<std::string> doubts;   ///< of the proof: layers that do not add up, a sentence each
  double error = -1; ///< of the proof: the largest, as a share of white or of the pixel's value; -1: none was made
};

/// How far a delivery is.
struct DeliveryProgress {
  enum class Doing { Frames, Movie, Sheet } doing = Doing::Frames;
  double frame = 1;
  int done = 0, total = 0;          ///< frames, those that were there included
  uint32_t samples = 0, wanted = 0; ///< of the frame at work
  double share = 0;                 ///< of the whole, 0 to 1
  double secondsLeft = -1;          ///< below 0: not known yet
};

struct DeliverOptions {
  std::string document;                          ///< its path, for {name}; empty: it has none
  std::string workFolder;                        ///< where frames of a movie wait; empty: beside the movie
  std::optional<std::pair<double, double>> only; ///< frames from the first to the second alone, without movies or sheet
  bool resume = false; ///< frames that are there, whole and of this document, are left as they are
  const CancelFlag* cancel = nullptr;
  std::function<void(const DeliveryProgress&)> progress = {}; ///< on the caller's thread
  std::function<void(const FrameReport&)> frame = {};         ///< the same, once a frame is written
};

struct Delivered {
  std::vector<FrameReport> frames;
  std::vector<std::string> movies;
  std::string sheet;  ///< the contact sheet; empty: none
  std::string recipe; ///< the text of how passes go together; empty: none
};

/// Renders and writes what a job asks for, each file as a whole or not at all: while a frame is written the next is
/// rendered. Movies are encoded from the finished frames. Throws Usage, BadInput, Io, Cancelled; what is written stays.
Delivered deliver(const Document& doc, const Job& job, const Tasks& tasks, const ColorViews& views,
                  const DeliverOptions& options = {});

/// Writes one frame that is rendered already (mergeChunks()) to the files of a still's job.
FrameReport deliverFrame(const Document& doc, const Job& job, const RenderedFrame& made, const Tasks& tasks,
                         const ColorViews& views, const DeliverOptions& options = {});

/// True if a picture is there, whole, and carries this identity.
bool isFrameThere(const std::string& path, const std::string& identity, const CancelFlag* cancel = nullptr);

} // namespace ilumbra
