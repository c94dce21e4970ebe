#pragma once
#include "core/delivery/frame_render.h"

namespace ilumbra {

class Job;

/// So many samples in so many chunks, each of an even number, as alike as may be; fewer where there are not enough.
std::vector<Chunk> chunksOf(uint32_t samples, int parts);

/// Renders a chunk of one frame of a document (documentFor()) and writes its film with the document, as a whole or not
/// at all. No part of the picture is done before the others: all samples are spent. Throws BadInput, Io, Cancelled.
void writeChunk(const Document& doc, const Job& job, double frame, const Chunk& chunk, FrameMaker& maker,
                const std::string& path, const CancelFlag* cancel = nullptr,
                const std::function<void(uint32_t done, uint32_t wanted, double seconds)>& progress = {});
/// True if a chunk's film is there, whole, of this document and frame.
bool isChunkThere(const std::string& path, const Document& doc, const Job& job, double frame, const Chunk& chunk);

/// What a film says of itself.
struct ChunkHead {
  std::string document; ///< its text, file names from the folder of the film
  std::string job;      ///< Job::json()
  std::string identity, instructions;
  double frame = 1;
  Chunk chunk;
};
/// Throws Io, or BadInput where it is no film.
ChunkHead readChunkHead(const std::string& path);

/// The chunks put together in the order of their samples, denoised and through the lens. Throws BadInput where one is
/// missing, twice there, of another picture, or was traced with other instructions.
RenderedFrame mergeChunks(const std::vector<std::string>& paths, const std::shared_ptr<const Kinds>& kinds,
                          FrameMaker& maker, const CancelFlag* cancel = nullptr);

} // namespace ilumbra
