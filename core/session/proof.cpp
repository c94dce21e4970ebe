#include "core/session/proof.h"

#include "core/base/error.h"
#include "core/compile/compile.h"
#include "core/compile/even_patterns.h"
#include "core/document/difference.h"
#include "core/exchange/assets.h"
#include "core/image/convolution.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"
#include "core/transport/rendering.h"

#include <cctype>
#include <fmt/format.h>
#include <half.h>
#include <optional>

namespace ilumbra {

Picture Proof::picture() const {
  Picture p(width, height);
  for (size_t i = 0; i < half.size(); ++i) {
    Imath::half h;
    h.setBits(half[i]);
    p.rgb[i] = h;
  }
  return p;
}

Proof makeProof(int number, std::string name, const Document& doc, double frame, const Picture& picture,
                uint32_t samples, int parent) {
  Proof p{number, std::move(name), doc, frame, picture.width, picture.height, {}, samples, parent};
  p.half.reserve(picture.rgb.size());
  for (const float v : picture.rgb)
    p.half.push_back(Imath::half(std::clamp(std::isfinite(v) ? v : 0.0f, -65504.0f, 65504.0f)).bits());
  return p;
}

std::string nameByChange(const Document& before, const Document& after) {
  const std::vector<Difference> all = differences(before, after);
  // What was meant: a value that was set, before what came with it; the frame and the size of the picture are not what
  // is compared.
  const auto weight = [&](const Difference& d) {
    const Node* n = after.find(d.node);
    if (!n) n = before.find(d.node);
    const bool picture = n && n->kind->id == "picture.settings";
    const int kind = d.what == Difference::What::Changed   ? 4
                     : d.what == Difference::What::Added   ? 3
                     : d.what == Difference::What::Removed ? 2
                                                           : 1;
    return picture ? (d.param == "frame" ? -1 : 0) : kind;
  };
  const Difference* best = nullptr;
  size_t count = 0;
  for (const Difference& d : all) {
    if (weight(d) < 0) continue;
    ++count;
    if (!best || weight(d) > weight(*best)) best = &d;
  }
  if (!best) return {};
  const Node* n = after.find(best->node);
  if (!n) n = before.find(best->node);
  const std::string name = n ? n->name : best->place;
  std::string text;
  switch (best->what) {
  case Difference::What::Added:
    text = fmt::format("with {}", name);
    break;
  case Difference::What::Removed:
    text = fmt::format("without {}", name);
    break;
  case Difference::What::Renamed:
    text = fmt::format("{} named {}", best->before, name);
    break;
  case Difference::What::Moved:
    text = fmt::format("{} moved", name);
    break;
  case Difference::What::Changed: {
    const ParamDef* d = n ? n->kind->param(best->param) : nullptr;
    std::string label = d ? d->label : best->param;
    if (!label.empty()) label[0] = char(std::tolower(static_cast<unsigned char>(label[0])));
    text = fmt::format("{} {} {} → {}", name, label, best->before, best->after);
    break;
  }
  }
  if (count > 1) text += fmt::format(" and {} more", count - 1);
  return text;
}

Picture renderProof(const Proof& proof, uint32_t samples, AssetCache& assets, const CancelFlag& cancel) {
  const Tasks tasks(0, true);
  SceneCache cache;
  ConvolutionCache convolutions;
  const FileAssets files = assets.assets(proof.doc.folder(), &cancel);
  const Document doc = withEvenValues(proof.doc, proof.frame, files);
  const ScenePtr scene = compileScene(
      doc, {.frame = proof.frame, .queries = lensQueries(doc), .masks = lensMasks(doc), .overscan = lensOverscan(doc)},
      files, cache, &cancel);
  const LensOptions options{.assets = &files, .cancel = &cancel, .convolutions = &convolutions, .works = false};
  if (scene->bare()) return developPlates(doc, proof.frame, *scene, tasks, options).picture;
  Rendering rendering(scene);
  while (rendering.samples() < samples)
    if (!rendering.advance(tasks, rendering.nextPass(samples), cancel)) throw cancelled();
  std::optional<Denoiser> denoiser;
  if (settingsOf(doc).flag("denoise") && rendering.samples() > 1) denoiser.emplace(rendering.film(), tasks, &cancel);
  return develop(
             doc, proof.frame, *scene, rendering.film(),
             sceneLight(*scene, rendering.film(), scene->groupScales, tasks, denoiser ? &*denoiser : nullptr, &cancel),
             tasks, options)
      .picture;
}

Picture differencePicture(const Picture& a, const Picture& b) {
  Picture d(a.width, a.height);
  if (b.width != a.width || b.height != a.height) return d;
  for (size_t i = 0; i < d.rgb.size(); ++i) d.rgb[i] = std::abs(a.rgb[i] - b.rgb[i]);
  return d;
}

PictureComparison comparePictures(const Picture& a, const Picture& b) {
  PictureComparison c;
  if (a.width != b.width || a.height != b.height) {
    c.sameSize = false;
    return c;
  }
  double squares = 0, la = 0, lb = 0;
  size_t differing = 0;
  for (size_t i = 0; i < a.pixels(); ++i) {
    bool differs = false;
    for (size_t k = 0; k < 3; ++k) {
      const double d = std::abs(double(a.rgb[3 * i + k]) - double(b.rgb[3 * i + k]));
      squares += d * d;
      differs |= d != 0;
      if (d > c.most || !std::isfinite(d)) {
        c.most = d;
        c.mostX = int(i % size_t(a.width));
        c.mostY = int(i / size_t(a.width));
      }
    }
    differing += differs;
    la += double(luminance({a.rgb[3 * i], a.rgb[3 * i + 1], a.rgb[3 * i + 2]}));
    lb += double(luminance({b.rgb[3 * i], b.rgb[3 * i + 1], b.rgb[3 * i + 2]}));
  }
  const double n = double(std::max<size_t>(1, a.pixels()));
  c.rms = std::sqrt(squares / (3 * n));
  c.differing = double(differing) / n;
  c.meanStops = la > 0 && lb > 0 ? std::log2(lb / la) : 0;
  return c;
}

} // namespace ilumbra
