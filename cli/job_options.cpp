#include "cli/job_options.h"

#include "core/base/error.h"
#include "core/base/threads.h"
#include "core/document/edit.h"
#include "core/document/words.h"
#include "core/exchange/carried_document.h"

#include <CLI/CLI.hpp>
#include <filesystem>
#include <fmt/format.h>

namespace ilumbra::cli {
namespace {

// These have short forms of their own.
bool hasShortForm(const std::string& param) {
  for (const char* n :
       {"what", "first_frame", "last_frame", "step", "frame", "output", "width", "height", "noise", "lens", "denoise"})
    if (param == n) return true;
  return false;
}

std::vector<long> numbers(const std::string& text, const char* separators, size_t wanted, const char* what) {
  std::vector<long> out;
  std::string rest = text;
  for (size_t i = 0; i < wanted; ++i) {
    char* end = nullptr;
    const long v = std::strtol(rest.c_str(), &end, 10);
    const bool last = i + 1 == wanted;
    if (end == rest.c_str() || (last ? *end != 0 : !*end || !std::strchr(separators, *end)))
      throw usageError(fmt::format("{} is not {}", quotation(text), what));
    out.push_back(v);
    rest = last ? "" : end + 1;
  }
  return out;
}

} // namespace

void addJobOptions(CLI::App& s, JobOptions& o) {
  s.add_option("FILE", o.file, "A document")->required();
  s.add_option(
       "-o", o.outputs,
       "A picture, a sequence or a movie: .exr (scene light), .png, .jpg, .tif, .hdr, .webm, .mkv; may be given "
       "several times. Tokens in names: {name} {frame:04} {camera} {width} {height} {samples}")
      ->required();
  s.add_option("--set", o.sets, "NAME.PARAM=VALUE for this picture only");
  s.add_option("--size", o.size, "WxH in pixels");
  auto* frame = s.add_option("--frame", o.frame, "The frame")->each([&o](const std::string&) { o.frameGiven = true; });
  s.add_option("--frames", o.frames, "A-B, A-BxSTEP or all: a sequence, NAME.0001.exr and so on, or a movie")
      ->excludes(frame);
  const ParamDef& what = *deliveryKind().param("what");
  s.add_option("--what", o.texts["what"], what.helpText);
  s.add_option("--noise", o.noise, "Noise at which a part of the picture is done, 0.02 for 2 %; 0 spends all samples");
  s.add_flag("--no-lens", o.noLens, "Without the lens stages");
  s.add_flag("--no-denoise", o.noDenoise, "As it was sampled, noise and all");
  for (const ParamDef& d : deliveryKind().params) {
    if (hasShortForm(d.name)) continue;
    std::string option = "--" + d.name;
    std::replace(option.begin(), option.end(), '_', '-');
    if (d.type == ParamType::Flag)
      s.add_flag(option, o.flags[d.name], d.helpText);
    else
      s.add_option(option, o.texts[d.name], d.helpText);
  }
}

void addThreads(CLI::App& command, int& threads) {
  command
      .add_option_function<int>(
          "--threads",
          [&threads](const int& n) {
            threads = n;
            limitThreads(n);
          },
          "Threads; 0: one a core")
      ->check(CLI::NonNegativeNumber);
}

std::pair<double, double> sizeOf(const std::string& text) {
  const auto wh = numbers(text, "xX", 2, "a size like 1280x720");
  return {double(wh[0]), double(wh[1])};
}

void setFrames(Job& job, const std::string& text) {
  job.set("what", std::string("frames"));
  if (text == "all") return;
  constexpr const char* like = "a range of frames like 1-48 or 1-48x2";
  const size_t cross = text.find('x'), dash = text.find('-', 1);
  if (dash == std::string::npos) throw usageError(fmt::format("{} is not {}", quotation(text), like));
  const auto whole = [&](const std::string& s) { return double(numbers(s, "", 1, like)[0]); };
  job.set("first_frame", whole(text.substr(0, dash)));
  job.set("last_frame", whole(text.substr(dash + 1, cross == std::string::npos ? cross : cross - dash - 1)));
  const double step = cross == std::string::npos ? 1 : whole(text.substr(cross + 1));
  if (step < 1 || job.params().number("last_frame") < job.params().number("first_frame"))
    throw usageError(fmt::format("{} is not {}", quotation(text), like));
  job.set("step", step);
  job.frames();
}

Job jobOf(const JobOptions& o, const Document& doc, bool absolute) {
  Job job = Job::of(doc);
  // The size first: of what is typed, what cannot be read at all is told before anything else.
  if (!o.size.empty()) {
    const auto [width, height] = sizeOf(o.size);
    job.set("width", width);
    job.set("height", height);
  }
  for (const auto& [name, text] : o.texts)
    if (!text.empty()) job.setText(name, text);
  for (const auto& [name, on] : o.flags)
    if (on) job.set(name, true);
  if (!o.frames.empty()) {
    const std::string what = job.params().text("what");
    setFrames(job, o.frames);
    if (!o.texts.at("what").empty()) job.set("what", what);
  } else if (o.texts.at("what").empty()) {
    const bool movie = std::any_of(o.outputs.begin(), o.outputs.end(), isMovieName);
    if (!movie || o.frameGiven) job.set("what", std::string("still"));
  }
  if (o.frameGiven) job.set("frame", o.frame);
  if (o.noise >= 0) job.set("noise", o.noise);
  if (o.noLens) job.set("lens", false);
  if (o.noDenoise) job.set("denoise", false);
  std::string all;
  for (const std::string& n : o.outputs)
    all += (all.empty() ? "" : "; ") + (absolute ? std::filesystem::absolute(n).lexically_normal().string() : n);
  job.set("output", all);
  job.check();
  return job;
}

Document preparedDocument(const Context& c, const std::string& file, const std::vector<std::string>& sets,
                          const std::string& size, int samples) {
  Document doc = readAnyDocument(c.kinds, file, c.cancel);
  for (const std::string& s : sets) doc = applySetting(doc, s);
  const auto set = [&](const char* param, Constant v) { doc = setValue(doc, doc.settings().id, param, v); };
  if (!size.empty()) {
    const auto [width, height] = sizeOf(size);
    set("width", width);
    set("height", height);
  }
  if (samples > 0) set("samples", double(samples));
  return doc;
}

} // namespace ilumbra::cli
