#pragma once
#include "tests/support/scene.h"

#include "core/document/edit.h"

namespace ilumbra::test {

/// A document with one lens stage, "Stage", and a camera before nothing.
inline Document stageDocument(const char* kind,
                              std::initializer_list<std::pair<const char*, const char*>> values = {}) {
  Set s(64, 64);
  s.look("0, 0, 3", "0, 0, 0");
  s.add(kind, "Stage", values);
  return s.take();
}

/// What its stage does to a source, amount, blend and areas aside.
inline LensOperator prepared(const Document& doc, const Picture& source) {
  const Node& n = *doc.findByName("Stage");
  return stageOf(n).prepare(Params(n, currentFrame(doc)), source,
                            LensContext::of(doc, currentFrame(doc), source.width, source.height, pool()));
}
inline LensWork worked(const Document& doc, const Picture& source) {
  return writtenOut(prepared(doc, source).apply(source), source);
}

/// A picture through all stages of a document.
inline LensResult lensed(const Document& doc, const Picture& p, const LensOptions& options = {}) {
  LensLight light;
  light.layers.push_back({{}, p});
  return applyLens(LensContext::of(doc, currentFrame(doc), p.width, p.height, pool()), std::move(light), options);
}

inline Picture onePixel(int w, int h, int x, int y, Color c = Color(100.0f)) {
  Picture p(w, h);
  for (int k = 0; k < 3; ++k) p.at(x, y)[k] = c[k];
  return p;
}

/// Different light in every pixel and channel, 0 to `most`.
inline Picture speckled(int w, int h, float most, uint32_t seed = 1) {
  Picture p(w, h);
  for (size_t i = 0; i < p.rgb.size(); ++i)
    p.rgb[i] = most * float(mixBits(uint32_t(i) * 2654435761u + seed) >> 8) * 0x1p-24f;
  return p;
}

inline double sum(const Picture& p, size_t channel = 0) {
  double s = 0;
  for (size_t i = channel; i < p.rgb.size(); i += 3) s += double(p.rgb[i]);
  return s;
}

inline Picture plus(Picture a, const Picture& b) {
  for (size_t i = 0; i < a.rgb.size(); ++i) a.rgb[i] += b.rgb[i];
  return a;
}

/// The largest difference between two pictures, by the largest value of the second.
inline double farthest(const Picture& a, const Picture& b) {
  double d = 0, most = 1e-30;
  for (size_t i = 0; i < a.rgb.size(); ++i) {
    d = std::max(d, double(std::abs(a.rgb[i] - b.rgb[i])));
    most = std::max(most, double(std::abs(b.rgb[i])));
  }
  return d / most;
}

inline Document changed(const Document& doc, const std::string& address, const std::string& value) {
  const Address a = resolve(doc, address);
  return setAt(doc, a, parseValue(doc, definitionAt(doc, a), value));
}

} // namespace ilumbra::test
