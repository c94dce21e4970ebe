#include "core/delivery/chunk.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/delivery/job.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/scene/embree_handles.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <nlohmann/json.hpp>

namespace ilumbra {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

namespace {

constexpr const char* magic = "ilumbra film 1";
constexpr const char* ending = "whole"; // after the film: it is there to its end

FrameOptions optionsOf(const Job& job, const CancelFlag* cancel) {
  return {.passes = job.passes(), .lens = job.params().flag("lens"), .cancel = cancel};
}

ChunkHead headOf(std::istream& in, const std::string& path) {
  std::string first, text;
  if (!std::getline(in, first) || first != magic || !std::getline(in, text))
    throw badInput(path + ": is no film of a chunk");
  const Json j = Json::parse(text, nullptr, false);
  const auto word = [&](const char* name) {
    return j.is_object() && j.contains(name) && j[name].is_string() ? j[name].get<std::string>() : std::string();
  };
  const auto number = [&](const char* name) {
    return j.is_object() && j.contains(name) && j[name].is_number() ? j[name].get<double>() : 0.0;
  };
  ChunkHead h{word("document"),     word("job"),     word("identity"),
              word("instructions"), number("frame"), {uint32_t(number("from")), uint32_t(number("to"))}};
  if (h.document.empty() || h.identity.empty() || h.chunk.to <= h.chunk.from)
    throw badInput(path + ": is no film of a chunk");
  return h;
}

} // namespace

std::vector<Chunk> chunksOf(uint32_t samples, int parts) {
  std::vector<Chunk> out;
  const uint32_t pairs = std::max(1u, (samples + 1) / 2), n = std::clamp(uint32_t(std::max(1, parts)), 1u, pairs);
  for (uint32_t i = 0; i < n; ++i) out.push_back({2 * (pairs * i / n), 2 * (pairs * (i + 1) / n)});
  return out;
}

void writeChunk(const Document& doc, const Job& job, double frame, const Chunk& chunk, FrameMaker& maker,
                const std::string& path, const CancelFlag* cancel,
                const std::function<void(uint32_t, uint32_t, double)>& progress) {
  if (chunk.from % 2 || chunk.to % 2 || chunk.to <= chunk.from)
    throw usageError(
        fmt::format("samples {} to {} are no chunk: both are even, the second is larger", chunk.from, chunk.to));
  const Document at = atFrame(doc, frame);
  FrameOptions o = optionsOf(job, cancel);
  o.progress = progress;
  o.only = chunk;
  const RenderedFrame made = renderFrame(at, frame, maker, o);
  const Json head = {{"document", toJson(movedTo(at, fs::absolute(path).parent_path().lexically_normal().string()))},
                     {"job", job.json()},
                     {"identity", frameIdentity(doc, job, frame)},
                     {"instructions", embreeInstructions},
                     {"frame", frame},
                     {"from", chunk.from},
                     {"to", chunk.to}};
  std::error_code e;
  if (const fs::path folder = fs::path(path).parent_path(); !folder.empty()) fs::create_directories(folder, e);
  const std::string part = partOf(path);
  {
    std::ofstream out(part, std::ios::binary);
    out << magic << '\n' << head.dump() << '\n';
    made.rendering.film().write(out);
    out << ending;
    out.close();
    if (!out) {
      fs::remove(part, e);
      throw ioError(path + ": cannot be written");
    }
  }
  putInPlace(part, path);
}

bool isChunkThere(const std::string& path, const Document& doc, const Job& job, double frame, const Chunk& chunk) {
  try {
    const ChunkHead h = readChunkHead(path);
    if (h.identity != frameIdentity(doc, job, frame) || h.chunk.from != chunk.from || h.chunk.to != chunk.to)
      return false;
    std::ifstream in(path, std::ios::binary);
    in.seekg(-std::streamoff(std::string_view(ending).size()), std::ios::end);
    std::string last(std::string_view(ending).size(), '\0');
    return in.read(last.data(), std::streamsize(last.size())) && last == ending;
  } catch (const Error&) {
    return false;
  }
}

ChunkHead readChunkHead(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  if (!in) throw ioError(path + ": cannot be read");
  return headOf(in, path);
}

RenderedFrame mergeChunks(const std::vector<std::string>& paths, const std::shared_ptr<const Kinds>& kinds,
                          FrameMaker& maker, const CancelFlag* cancel) {
  if (paths.empty()) throw usageError("there is nothing to merge");
  struct Part {
    std::string path;
    ChunkHead head;
  };
  std::vector<Part> parts;
  for (const std::string& p : paths) parts.push_back({p, readChunkHead(p)});
  std::stable_sort(parts.begin(), parts.end(),
                   [](const Part& a, const Part& b) { return a.head.chunk.from < b.head.chunk.from; });
  const Part& first = parts.front();
  uint32_t next = 0;
  for (const Part& p : parts) {
    if (p.head.identity != first.head.identity)
      throw badInput(fmt::format("{}: is of another picture than {}", p.path, first.path));
    if (p.head.instructions != embreeInstructions)
      throw badInput(fmt::format("{}: was traced with {}, here it is {}: such films do not go together to the bit",
                                 p.path, p.head.instructions, embreeInstructions));
    if (p.head.chunk.from > next)
      throw badInput(fmt::format("samples {} to {} are missing before {}", next, p.head.chunk.from - 1, p.path));
    if (p.head.chunk.from < next)
      throw badInput(fmt::format("{}: its samples from {} on are there already", p.path, p.head.chunk.from));
    next = p.head.chunk.to;
  }
  DocumentBuilder b(fromJson(kinds, first.head.document));
  b.setFolder(fs::absolute(first.path).parent_path().string());
  const Document doc = b.take();
  FrameOptions o = optionsOf(Job::fromJson(first.head.job), cancel);
  o.films = [&](const ScenePtr& scene, Rendering& whole) {
    for (const Part& p : parts) {
      if (cancel && cancel->requested()) throw cancelled();
      std::ifstream in(p.path, std::ios::binary);
      headOf(in, p.path);
      Rendering part(scene);
      try {
        part.readFilm(in, p.head.chunk.to - p.head.chunk.from);
        std::string last(std::string_view(ending).size(), '\0');
        if (!in.read(last.data(), std::streamsize(last.size())) || last != ending) throw badInput("the film is cut");
      } catch (const Error& e) {
        throw Error(e.kind(), p.path + ": " + e.what());
      }
      whole.append(part);
    }
  };
  return renderFrame(doc, first.head.frame, maker, o);
}

} // namespace ilumbra
