#include "core/delivery/deliver.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/delivery/contact_sheet.h"
#include "core/delivery/movie_write.h"
#include "core/delivery/recipe.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/exchange/carried_document.h"

#include <chrono>
#include <filesystem>
#include <fmt/format.h>
#include <future>

namespace ilumbra {

namespace fs = std::filesystem;

namespace {

using Clock = std::chrono::steady_clock;

constexpr const char* identityAs = "ilumbra/frame_identity";
// What formats without fields of our own carry.
constexpr const char* descriptionAs = "ImageDescription";
std::string described(const std::string& identity) { return "Ilumbra frame " + identity; }

Region regionOf(const Job& job) {
  const std::string text = job.params().text("region");
  Region r;
  if (text.empty()) return r;
  int end = 0;
  if (std::sscanf(text.c_str(), "%d,%d,%d,%d%n", &r.x, &r.y, &r.width, &r.height, &end) != 4 ||
      size_t(end) != text.size() || r.width < 1 || r.height < 1)
    throw usageError(fmt::format("\"{}\" is not a region like X,Y,W,H", text));
  return r;
}

// All that one frame is written to.
struct Target {
  std::string path, identity;
};

std::vector<float> alphaOf(const PictureFile& file) {
  const std::vector<float>& picture = file.layers.front().data;
  std::vector<float> alpha(picture.size() / 4);
  for (size_t i = 0; i < alpha.size(); ++i) alpha[i] = picture[4 * i + 3];
  return alpha;
}

FrameReport reportOf(const RenderedFrame& made, const PictureFile& picture) {
  return {.frame = made.frame,
          .width = picture.isFrame() ? picture.width : picture.frameWidth,
          .height = picture.isFrame() ? picture.height : picture.frameHeight,
          .samples = made.rendering.samples(),
          .seconds = made.seconds,
          .noise = made.rendering.film().noise(),
          .denoised = made.denoiser != nullptr,
          .count = made.rendering.count(),
          .warnings = made.rendering.scene().warnings};
}

std::vector<double> framesOf(const Job& job, const DeliverOptions& o) {
  std::vector<double> all = job.frames();
  if (o.only) std::erase_if(all, [&](double f) { return f < o.only->first || f > o.only->second; });
  if (all.empty()) throw usageError("there is no frame to render");
  return all;
}

class Work {
 public:
  Work(const Document& given, const Job& job, const Tasks& tasks, const ColorViews& views, const DeliverOptions& o)
      : m_job(job), m_tasks(tasks), m_views(views), m_options(o), m_doc(documentFor(given, job)),
        m_frames(framesOf(job, o)), m_view(settingsOf(m_doc).text("view")), m_passes(job.passes()), m_maker(tasks) {
    job.check();
    m_movies = std::any_of(m_outputs.begin(), m_outputs.end(), isMovieName);
    for (const std::string& n : m_outputs)
      if (!isMovieName(n) && extensionOf(n) == ".exr" && m_pictures.empty()) m_pictures = n;
    if (m_pictures.empty() && (m_movies || wantsSheet())) {
      // Frames that wait for their movie, in full.
      const std::string first = fileName(m_outputs.front(), m_doc, job, o.document, m_frames.front());
      m_waiting = o.workFolder.empty() ? first + ".frames" : o.workFolder;
      std::error_code e;
      fs::create_directories(m_waiting, e);
      if (e) throw ioError(fmt::format("{}: the folder cannot be made: {}", m_waiting, e.message()));
      m_pictures = m_waiting + "/frame.{frame:04}.exr";
    }
  }

  // A frame that was rendered elsewhere, as if it had been here.
  FrameReport writeMade(const RenderedFrame& made) {
    PictureFile picture = pictureOf(made, m_passes, m_tasks);
    FrameReport report = reportOf(made, picture);
    write(picture, targets(made.frame), made.frame, report);
    return report;
  }

  Delivered run() {
    try {
      frames();
    } catch (...) {
      if (m_writing.valid()) m_writing.wait();
      throw;
    }
    if (m_options.only) return std::move(m_out);
    recipeSheet();
    for (const std::string& n : m_outputs)
      if (isMovieName(n)) movie(n);
    if (wantsSheet()) sheet();
    letGoOfWaiting();
    return std::move(m_out);
  }

 private:
  const Job& m_job;
  const Tasks& m_tasks;
  const ColorViews& m_views;
  const DeliverOptions& m_options;
  const Document m_doc;
  const std::vector<double> m_frames;
  const std::vector<std::string> m_outputs = m_job.outputs();
  const std::string m_view;
  const std::vector<std::string> m_passes;
  FrameMaker m_maker;
  std::string m_pictures; ///< the names of frames in full: what movies are made of
  std::string m_waiting;  ///< the folder of those that nobody asked for; empty: none
  bool m_movies = false;
  Delivered m_out;
  std::future<FrameReport> m_writing;
  std::string m_recipe; ///< of the first frame that has one
  double m_secondsOfFrames = 0;
  int m_rendered = 0;
  mutable std::optional<std::pair<Clock::time_point, double>>
      m_sampling; ///< when the first had this share of its samples

  // Frames that waited for their movie; what else lies in their folder is not ours.
  void letGoOfWaiting() const {
    if (m_waiting.empty()) return;
    std::error_code e;
    for (const double f : m_frames) fs::remove(nameOf(m_pictures, f), e);
    fs::remove(m_waiting, e);
  }

  std::string nameOf(const std::string& output, double frame) const {
    return fileName(output, m_doc, m_job, m_options.document, frame);
  }
  bool wantsSheet() const { return m_job.params().flag("sheet") || m_job.isStrip(); }
  void stopIfAsked() const {
    if (m_options.cancel && m_options.cancel->requested()) throw cancelled();
  }
  // By those that are done; of the first by how its samples come, once it is compiled. 0: nobody knows yet.
  double secondsAFrame(double inFrame) const {
    if (m_rendered > 0) return m_secondsOfFrames / m_rendered;
    if (!(inFrame > 0)) return 0;
    if (!m_sampling) m_sampling = {Clock::now(), inFrame};
    const auto [began, before] = *m_sampling;
    return inFrame > before + 0.02 ? std::chrono::duration<double>(Clock::now() - began).count() / (inFrame - before)
                                   : 0;
  }

  // Frames take nearly all of the time of a delivery, movies the rest.
  void tell(DeliveryProgress p) const {
    if (!m_options.progress) return;
    const double toMovies = m_movies ? 0.95 : 1;
    p.total = int(m_frames.size());
    const double inFrame = p.wanted ? std::min(0.98, double(p.samples) / p.wanted) : 0; // then it is written
    if (p.doing == DeliveryProgress::Doing::Frames) {
      p.share = toMovies * (p.done + inFrame) / std::max(1, p.total);
      if (const double each = secondsAFrame(inFrame); each > 0)
        p.secondsLeft = each * std::max(0.0, p.total - p.done - inFrame) / toMovies;
    } else {
      p.share = toMovies + (1 - toMovies) * p.done / std::max(1, p.total);
      p.secondsLeft = 0;
    }
    m_options.progress(p);
  }

  // A frame's files that are not movies.
  std::vector<Target> targets(double frame) const {
    std::vector<Target> out;
    const std::string identity = frameIdentity(m_doc, m_job, frame);
    for (const std::string& n : m_outputs)
      if (!isMovieName(n)) out.push_back({nameOf(n, frame), identity});
    if (!m_waiting.empty()) out.push_back({nameOf(m_pictures, frame), identity});
    return out;
  }

  void written() {
    if (!m_writing.valid()) return;
    add(m_writing.get());
  }
  void add(FrameReport report) {
    if (m_recipe.empty()) m_recipe = report.recipe;
    m_out.frames.push_back(std::move(report));
    if (m_options.frame) m_options.frame(m_out.frames.back());
  }

  void frames() {
    for (size_t i = 0; i < m_frames.size(); ++i) {
      stopIfAsked();
      const double frame = m_frames[i];
      const std::vector<Target> to = targets(frame);
      DeliveryProgress p{.frame = frame, .done = int(i)};
      tell(p);
      if (m_options.resume && std::all_of(to.begin(), to.end(), [&](const Target& t) {
            return isFrameThere(t.path, t.identity, m_options.cancel);
          })) {
        written();
        FrameReport there{.frame = frame, .there = true};
        for (const Target& t : to) {
          there.files.push_back(t.path);
          if (m_job.params().flag("prove")) prove(t.path, there);
        }
        add(std::move(there));
        continue;
      }
      const auto start = Clock::now();
      const Document doc = pictureFor(m_doc, m_job, frame);
      RenderedFrame made = renderFrame(doc, currentFrame(doc), m_maker,
                                       {.region = regionOf(m_job),
                                        .passes = m_passes,
                                        .lens = m_job.params().flag("lens"),
                                        .seconds = m_job.params().number("seconds"),
                                        .cancel = m_options.cancel,
                                        .chunks = int(m_job.params().number("chunks")),
                                        .progress = [&](uint32_t done, uint32_t wanted, double seconds) {
                                          p.samples = done;
                                          p.wanted = wanted;
                                          if (const double most = m_job.params().number("seconds"); most > 0)
                                            p.samples =
                                                std::max(done, uint32_t(wanted * std::min(1.0, seconds / most)));
                                          tell(p);
                                        }});
      auto picture = std::make_shared<PictureFile>(pictureOf(made, m_passes, m_tasks));
      FrameReport report = reportOf(made, *picture);
      report.frame = frame;
      written();
      stopIfAsked();
      m_writing = std::async(std::launch::async, [this, to, picture, report, frame]() mutable {
        write(*picture, to, frame, report);
        return report;
      });
      m_secondsOfFrames += std::chrono::duration<double>(Clock::now() - start).count();
      ++m_rendered;
    }
    written();
    tell({.frame = m_frames.back(), .done = int(m_out.frames.size())});
  }

  void write(PictureFile& picture, const std::vector<Target>& to, double frame, FrameReport& report) const {
    const std::vector<float> alpha = m_job.withAlpha() ? alphaOf(picture) : std::vector<float>();
    const Recipe recipe = recipeOf(picture);
    if (!recipe.sums.empty()) picture.metadata[recipeAs] = report.recipe = recipeText(recipe);
    for (const Target& t : to) {
      PictureFile file = picture;
      file.metadata[identityAs] = t.identity;
      if (extensionOf(t.path) != ".exr") file.metadata[descriptionAs] = described(t.identity);
      carryDocument(file, pictureFor(m_doc, m_job, frame), t.path);
      if (const fs::path folder = fs::path(t.path).parent_path(); !folder.empty()) {
        std::error_code e;
        fs::create_directories(folder, e); // where it fails, writing says why
      }
      writePicture(file, t.path, m_views, m_view, alpha.empty() ? nullptr : &alpha);
      report.files.push_back(t.path);
      if (m_job.params().flag("prove")) prove(t.path, report);
    }
  }

  // By the recipe that the file itself has.
  void prove(const std::string& path, FrameReport& report) const {
    if (extensionOf(path) != ".exr" || report.error >= 0) return;
    const PictureFile file = readPicture(path, m_options.cancel, true);
    const auto it = file.metadata.find(recipeAs);
    if (it == file.metadata.end()) return;
    const RecipeProof proof = proveRecipe(file, {readRecipe(it->second)});
    report.recipe = it->second;
    report.error = proof.error;
    report.doubts = proof.doubts;
  }

  MovieOptions movieOptions(const std::string& path) const {
    const Params p = m_job.params(), s = settingsOf(m_doc);
    MovieOptions o;
    o.width = int(s.number("width"));
    o.height = int(s.number("height"));
    o.rate = s.number("rate");
    o.quality = p.number("quality");
    o.alpha = m_job.withAlpha();
    o.srgb = m_views.source() == "shipped";
    const std::string codec = p.text("codec");
    o.codec = codec == "FFV1" || (codec == "by the name" && extensionOf(path) == ".mkv") ? MovieOptions::Codec::Ffv1
              : codec == "AV1"                                                           ? MovieOptions::Codec::Av1
                                                                                         : MovieOptions::Codec::Vp9;
    return o;
  }

  void movie(const std::string& output) {
    const std::string path = nameOf(output, m_frames.front());
    const MovieOptions o = movieOptions(path);
    if (const fs::path folder = fs::path(path).parent_path(); !folder.empty()) {
      std::error_code e;
      fs::create_directories(folder, e);
    }
    MovieWriter writer(path, o, m_tasks.threads());
    for (size_t i = 0; i < m_frames.size(); ++i) {
      stopIfAsked();
      tell({.doing = DeliveryProgress::Doing::Movie, .frame = m_frames[i], .done = int(i)});
      const PictureFile file = readPicture(nameOf(m_pictures, m_frames[i]), m_options.cancel);
      writer.add(shownPixels(file, m_views, m_view, o.alpha));
    }
    writer.finish();
    m_out.movies.push_back(path);
  }

  // A file about all frames, beside the first.
  std::string besideName(const char* ending) const {
    std::string stem = fs::path(m_outputs.front()).stem().string();
    if (const size_t token = stem.find("{frame"); token != std::string::npos) {
      stem.resize(token);
      while (!stem.empty() && (stem.back() == '.' || stem.back() == '_' || stem.back() == '-')) stem.pop_back();
    }
    if (stem.empty()) stem = "frames";
    const fs::path folder = fs::path(m_outputs.front()).parent_path();
    const fs::path named = nameOf((folder / (stem + ".webm")).string(), m_frames.front());
    return (named.parent_path() / (named.stem().string() + ending)).string();
  }

  // The recipe of the passes as a text, with what came of proving it.
  void recipeSheet() {
    if (m_recipe.empty()) return;
    std::string text = m_recipe;
    double error = -1;
    for (const FrameReport& r : m_out.frames) error = std::max(error, r.error);
    if (error >= 0)
      text +=
          fmt::format("Read back and put together again: the largest error is {:.3g}, as a share of white or of the "
                      "pixel's own value.\n",
                      error);
    for (const FrameReport& r : m_out.frames)
      for (const std::string& d : r.doubts) text += fmt::format("Frame {:g}: {}.\n", r.frame, d);
    writeFileAtomically(m_out.recipe = besideName(" recipe.txt"), text);
  }

  void sheet() {
    std::vector<std::string> names, labels = m_job.values();
    for (const double f : m_frames) {
      names.push_back(nameOf(m_pictures, f));
      if (!m_job.isStrip()) labels.push_back(fmt::format("{:g}", f));
    }
    if (m_job.isStrip())
      for (std::string& l : labels) l = m_job.params().text("of") + "  " + l;
    tell({.doing = DeliveryProgress::Doing::Sheet, .frame = m_frames.back(), .done = int(m_frames.size())});
    const std::string path = besideName(" sheet.png");
    writeContactSheet(path, names, labels, m_views, m_view, m_options.cancel);
    m_out.sheet = path;
  }
};

} // namespace

bool isFrameThere(const std::string& path, const std::string& identity, const CancelFlag* cancel) {
  std::error_code e;
  if (!fs::is_regular_file(path, e)) return false;
  try {
    const PictureFile file = readPicture(path, cancel);
    const auto has = [&](const char* key, const std::string& value) {
      const auto it = file.metadata.find(key);
      return it != file.metadata.end() && it->second == value;
    };
    return has(identityAs, identity) || has(descriptionAs, described(identity));
  } catch (const Error& problem) {
    if (problem.kind() == ErrorKind::Cancelled) throw;
    return false; // it is made anew
  }
}

FrameReport deliverFrame(const Document& doc, const Job& job, const RenderedFrame& made, const Tasks& tasks,
                         const ColorViews& views, const DeliverOptions& options) {
  return Work(doc, job, tasks, views, options).writeMade(made);
}

Delivered deliver(const Document& doc, const Job& job, const Tasks& tasks, const ColorViews& views,
                  const DeliverOptions& options) {
  return Work(doc, job, tasks, views, options).run();
}

} // namespace ilumbra
