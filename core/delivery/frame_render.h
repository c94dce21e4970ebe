#pragma once
#include "core/compile/compile.h"
#include "core/exchange/assets.h"
#include "core/exchange/passes.h"
#include "core/image/convolution.h"

#include <functional>
#include <optional>

namespace ilumbra {

/// What frames that are rendered one after the other share. Used by one thread at a time.
struct FrameMaker {
  explicit FrameMaker(const Tasks& on) : tasks(on) {}
  const Tasks& tasks;
  AssetCache assets;
  SceneCache cache;
  ConvolutionCache convolutions;
};

/// A part of a still: some of its samples. Films of chunks that are appended in the order of their samples are the
/// render in the same chunks in one go, to the bit.
struct Chunk {
  uint32_t from = 0, to = 0; ///< samples from `from` on, before `to`: both even
};

struct FrameOptions {
  Region region; ///< width 0: the whole picture
  std::vector<std::string> passes;
  bool lens = true;
  bool works = false; ///< what each lens stage does is wanted, for routes and readings; the pass "lens" has it anyway
  double seconds = 0; ///< after which it is taken as it is; 0: no limit
  const CancelFlag* cancel = nullptr;
  /// Chunks that are rendered one by one, each with a film of its own, and appended; 0: one film for all samples.
  int chunks = 0;
  std::optional<Chunk> only = {}; ///< these samples alone, raw: nothing is denoised or developed
  /// Takes films from elsewhere instead of tracing rays; null: rays are traced.
  std::function<void(const ScenePtr& scene, Rendering& whole)> films = {};
  /// Hears of each pass: samples that are done and that are wanted, seconds so far.
  std::function<void(uint32_t done, uint32_t wanted, double seconds)> progress = {};
};

/// A frame as it was rendered: its film, what the lens made of it, and what it took.
struct RenderedFrame {
  Document doc; ///< with even patterns as their values at the frame
  Rendering rendering;
  LensResult developed;
  std::shared_ptr<const Denoiser> denoiser; ///< null: it is raw, or needs no ray
  double frame = 1, seconds = 0;
};

/// Renders one frame of a document as it asks for: samples, noise, denoising, lens. Plates alone need no ray. Throws
/// BadInput where there is no camera, Cancelled.
RenderedFrame renderFrame(const Document& doc, double frame, FrameMaker& maker, const FrameOptions& options);

/// A frame as a picture with its passes.
PictureFile pictureOf(const RenderedFrame& frame, const std::vector<std::string>& passes, const Tasks& tasks);

} // namespace ilumbra
