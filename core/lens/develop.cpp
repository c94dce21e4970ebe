#include "core/lens/develop.h"

#include "core/compile/camera.h"
#include "core/compile/sight.h"
#include "core/document/edit.h"
#include "core/image/picture_ops.h"
#include "core/image/resample.h"
#include "core/lens/queries.h"
#include "core/scene/plates.h"
#include "core/transport/plate_layers.h"

#include <atomic>
#include <bit>
#include <mutex>
#include <set>

namespace ilumbra {

std::vector<Picture> lightBeside(const Scene& scene, const Film& film, const std::vector<Color>& groupScales,
                                 const Tasks& tasks) {
  std::vector<Picture> beside;
  if (const Film* around = film.surround())
    for (int cell = 0; cell < scene.table.cells(); ++cell)
      beside.push_back(collectLayers(*around, 1u << cell, groupScales, 1, tasks));
  return beside;
}

SceneLight sceneLight(const Scene& scene, const Film& film, const std::vector<Color>& groupScales, const Tasks& tasks,
                      const Denoiser* denoiser, const CancelFlag* cancel) {
  SceneLight light;
  const auto collected = [&](size_t l, FilmLight which) {
    return collectLayers(film, 1u << l, groupScales, 1, tasks, which);
  };
  const auto layers = size_t(scene.table.size());
  if (denoiser) {
    light.layers = denoised(*denoiser, layers, collected, tasks, cancel);
    light.covers = cleanCoverage(film, *denoiser, tasks, cancel);
  } else {
    for (size_t l = 0; l < layers; ++l) light.layers.push_back(collected(l, FilmLight::All));
  }
  light.beside = lightBeside(scene, film, groupScales, tasks);
  if (scene.plates) {
    PlateLayers plates = plateLayers(*scene.plates, film, light.covers.alpha, tasks);
    light.keep = std::move(plates.keep);
    light.add = std::move(plates.add);
    light.parts = std::move(plates.parts);
  }
  return light;
}

Picture queryLight(const Scene& scene, const SceneLight& light, const LayerQuery& query) {
  Picture out;
  for (uint32_t bits = scene.table.layers(layerIndex(scene, query)); bits; bits &= bits - 1) {
    const Picture& p = light.layers[size_t(std::countr_zero(bits))];
    if (out.rgb.empty())
      out = p;
    else
      for (size_t i = 0; i < p.rgb.size(); ++i) out.rgb[i] += p.rgb[i];
  }
  return out.rgb.empty() ? Picture(light.layers.front().width, light.layers.front().height) : out;
}

namespace {

std::vector<LayerQuery> queriesOfCell(const Scene& scene, int cell) {
  std::vector<LayerQuery> out;
  for (uint32_t bits = scene.table.queriesOf(cell); bits; bits &= bits - 1)
    out.push_back(scene.queries[size_t(std::countr_zero(bits))]);
  return out;
}

// From here on what stages ask of the set is noted. They may ask from several threads.
void noteSight(LensContext& c, LensSight& sight) {
  sight = {};
  sight.camera = c.anchor != nullptr;
  sight.right = c.right;
  const auto mutex = std::make_shared<std::mutex>();
  const V2f corner{float(c.left), float(c.top)};
  if (c.anchor)
    c.anchor = [&sight, mutex, corner, ask = std::move(c.anchor)](NodeId thing, const V3f& place, double frame) {
      const Anchor a = ask(thing, place, frame);
      const std::lock_guard lock(*mutex);
      sight.seen.push_back({thing, place, frame, {a.at - corner, a.seen, a.depth}});
      return a;
    };
  c.bounds = [&sight, mutex, ask = std::move(c.bounds)](NodeId thing) {
    const Box3f box = ask(thing);
    const std::lock_guard lock(*mutex);
    sight.bounds.emplace_back(thing, box);
    return box;
  };
}

// `margin`: by how many pixels the pictures reach over the frame.
LensContext contextOf(const Document& doc, double frame, const Scene& scene, int width, int height, int margin,
                      const Tasks& tasks, const LensOptions& options) {
  LensContext c = LensContext::of(doc, frame, width, height, tasks);
  c.assets = options.assets;
  c.convolutions = options.convolutions;
  c.left = c.top = margin;
  c.width += 2 * margin;
  c.height += 2 * margin;
  if (activeCamera(doc))
    c.anchor = [&doc, &scene, width, height, margin](NodeId thing, const V3f& place, double at) {
      const SeenAt s = seenAt(doc, scene, thing, place, at);
      return Anchor{{s.at.x * float(width) / float(scene.width) + float(margin),
                     s.at.y * float(height) / float(scene.height) + float(margin)},
                    s.share,
                    s.depth};
    };
  c.bounds = [&doc, &scene](NodeId thing) {
    Box3f box;
    const std::set<NodeId> all = heldBy(doc, thing);
    for (const InstancedObject& i : scene.objects)
      if (scene.things[i.thing].among(all)) box.extendBy(i.bounds);
    return box;
  };
  c.right = scene.camera.right();
  if (options.sight) noteSight(c, *options.sight);
  return c;
}

// By how many pixels of the film the stack's pictures reach over its frame.
int marginOf(const Document& doc, double frame, const Film& film, const LensOptions& options) {
  if (!options.on || !film.surround()) return 0;
  for (const Node* s : lensStages(doc))
    if (!stageOf(*s).inPlace && (options.solo ? s->id == options.solo : stageActs(doc, *s, frame)))
      return Film::coarse * film.margin();
  return 0;
}

// A number of every pixel, in and beside the frame: it is smooth enough there to be taken as a picture.
std::vector<float> surrounded(const Film& film, int margin, const Tasks& tasks,
                              const std::function<float(const Film& of, size_t pixel)>& value) {
  const auto fill = [&](const Film& of, float* to, size_t apart) {
    tasks.forEach(of.height(), [&](int y) {
      for (size_t i = size_t(y) * size_t(of.width()), end = i + size_t(of.width()); i < end; ++i)
        to[apart * i] = value(of, i);
    });
  };
  if (margin == 0) {
    std::vector<float> out(size_t(film.width()) * size_t(film.height()));
    fill(film, out.data(), 1);
    return out;
  }
  Picture frame(film.width(), film.height()), beside(film.surround()->width(), film.surround()->height());
  fill(film, frame.rgb.data(), 3);
  fill(*film.surround(), beside.rgb.data(), 3);
  const Picture p = ilumbra::surrounded(film, frame, std::move(beside), tasks);
  std::vector<float> out(p.pixels());
  tasks.forEach(p.height, [&](int y) {
    for (size_t i = size_t(y) * size_t(p.width), end = i + size_t(p.width); i < end; ++i) out[i] = p.rgb[3 * i];
  });
  return out;
}

bool names(const LayerQuery& q, const PlatePart& part) {
  // A plate is seen straight alone.
  return q.direct && q.seenIn.empty() &&
         std::any_of(q.things.begin(), q.things.end(), [&](NodeId id) { return id == part.id || id == part.plate; });
}

// What plates add to all light: their parts as light of what names them. Plates end with the frame.
void addPlates(LensLight& light, const Scene& scene, Picture all, std::vector<PlatePart> parts, int margin) {
  const int width = all.width, height = all.height;
  for (PlatePart& p : parts) {
    for (size_t i = 0; i < all.rgb.size(); ++i) all.rgb[i] -= p.light.rgb[i];
    LensLight::Layer layer;
    for (const LayerQuery& q : scene.queries)
      if (q.apart && names(q, p)) layer.of.push_back(q);
    layer.light = padded(std::move(p.light), margin);
    light.layers.push_back(std::move(layer));
  }
  light.layers.push_back({{}, padded(std::move(all), margin), true});
  if (parts.empty()) return;
  light.coverage = [of = std::move(light.coverage),
                    parts = std::make_shared<const std::vector<PlatePart>>(std::move(parts)), width, height,
                    margin](const LayerQuery& q) {
    std::vector<float> out = of ? of(q) : std::vector<float>();
    for (const PlatePart& p : *parts) {
      if (!names(q, p)) continue;
      const std::vector<float> covers = padded(p.covers, width, height, margin);
      out.resize(covers.size(), 0.0f);
      for (size_t i = 0; i < out.size(); ++i) out[i] += covers[i];
    }
    return out;
  };
}

// `covers`: of the film's own pixels; empty: as it has them.
LensLight lightOf(const Scene& scene, const Film& film, int margin, std::vector<Picture> cells,
                  const CleanCoverage& covers, const Tasks& tasks) {
  LensLight light;
  for (int cell = 0; cell < scene.table.cells(); ++cell)
    light.layers.push_back({queriesOfCell(scene, cell), std::move(cells[size_t(cell)])});
  light.coverage = [&scene, &film, margin, &tasks, masks = covers.masks](const LayerQuery& q) {
    const auto it = std::find(scene.maskQueries.begin(), scene.maskQueries.end(), q);
    if (it == scene.maskQueries.end()) return std::vector<float>();
    const auto mask = size_t(it - scene.maskQueries.begin());
    return surrounded(film, margin, tasks, [&](const Film& of, size_t i) {
      return &of == &film && mask < masks.size() ? masks[mask][i] : of.coverage(i, int(mask));
    });
  };
  light.alpha = surrounded(film, margin, tasks, [&](const Film& of, size_t i) {
    return &of == &film ? plateAlpha(scene.plates.get(), covers.alpha.empty() ? film.alpha(i) : covers.alpha[i], i)
                        : clamp01(of.alpha(i));
  });
  return light;
}

// All that a stack works on.
LensLight stackedLight(const Scene& scene, const Film& film, const SceneLight& light, float exposure, int margin,
                       const Tasks& tasks) {
  const auto exposed = [&](Picture& p, const Picture& keep) {
    const size_t row = size_t(p.width) * 3;
    tasks.forEach(p.height, [&](int y) {
      for (size_t i = size_t(y) * row, end = i + row; i < end; ++i)
        p.rgb[i] *= keep.rgb.empty() ? exposure : exposure * keep.rgb[i];
    });
  };
  std::vector<Picture> cells;
  for (int cell = 0; cell < scene.table.cells(); ++cell) {
    cells.push_back(light.layers[size_t(cell)]);
    exposed(cells.back(), light.keep);
    if (margin == 0) continue;
    Picture beside = light.beside[size_t(cell)];
    exposed(beside, {});
    cells.back() = surrounded(film, cells.back(), std::move(beside), tasks);
  }
  LensLight out = lightOf(scene, film, margin, std::move(cells), light.covers, tasks);
  if (!light.add.rgb.empty()) {
    addPlates(out, scene, light.add, light.parts, margin);
    if (Picture behind = platesBehind(*scene.plates, film.width(), film.height(), tasks); !behind.rgb.empty())
      out.behind = padded(std::move(behind), margin);
  }
  return out;
}

LensLight platesStacked(const Scene& scene, const Tasks& tasks) {
  LensLight light;
  if (scene.plates)
    addPlates(light, scene, platesLight(*scene.plates, tasks), platesParts(*scene.plates), 0);
  else
    light.layers.push_back({{}, Picture(scene.width, scene.height)});
  return light;
}

} // namespace

LensLight filmLight(const Scene& scene, const Film& film, const SceneLight& light, float exposure, const Tasks& tasks) {
  return stackedLight(scene, film, light, exposure, light.beside.empty() ? 0 : Film::coarse * film.margin(), tasks);
}

LensResult develop(const Document& doc, double frame, const Scene& scene, const Film& film,
                   const std::vector<Color>& groupScales, const Tasks& all, const LensOptions& options) {
  const Tasks tasks = all.stoppedBy(options.cancel);
  if (scene.plates)
    return develop(doc, frame, scene, film, sceneLight(scene, film, groupScales, tasks), tasks, options);
  const float exposure = exposureFactor(doc, frame);
  std::vector<Picture> cells;
  if (!options.on) return {collect(film, 0, groupScales, exposure, tasks), {}};
  const int margin = marginOf(doc, frame, film, options);
  for (int l = 0; l < scene.table.cells(); ++l) {
    cells.push_back(collectLayers(film, 1u << l, groupScales, exposure, tasks));
    if (margin > 0)
      cells.back() =
          surrounded(film, cells.back(), collectLayers(*film.surround(), 1u << l, groupScales, exposure, tasks), tasks);
  }
  return applyLens(contextOf(doc, frame, scene, film.width(), film.height(), margin, tasks, options),
                   lightOf(scene, film, margin, std::move(cells), {}, tasks), options);
}

LensResult develop(const Document& doc, double frame, const Scene& scene, const Film& film, const SceneLight& light,
                   const Tasks& all, const LensOptions& options) {
  const Tasks tasks = all.stoppedBy(options.cancel);
  const int margin = light.beside.empty() ? 0 : marginOf(doc, frame, film, options);
  return applyLens(contextOf(doc, frame, scene, film.width(), film.height(), margin, tasks, options),
                   stackedLight(scene, film, light, exposureFactor(doc, frame), margin, tasks), options);
}

LensResult developPlates(const Document& doc, double frame, const Scene& scene, const Tasks& all,
                         const LensOptions& options) {
  const Tasks tasks = all.stoppedBy(options.cancel);
  return applyLens(contextOf(doc, frame, scene, scene.width, scene.height, 0, tasks, options),
                   platesStacked(scene, tasks), options);
}

std::optional<LensResult> developKept(const Document& doc, double frame, LensLight light, int width, int height,
                                      int margin, const LensSight& sight, const Tasks& all,
                                      const LensOptions& options) {
  const Tasks tasks = all.stoppedBy(options.cancel);
  LensContext c = LensContext::of(doc, frame, width, height, tasks);
  c.assets = options.assets;
  c.convolutions = options.convolutions;
  c.left = c.top = margin;
  c.width += 2 * margin;
  c.height += 2 * margin;
  c.right = sight.right;
  std::atomic<bool> unknown = false;
  if (sight.camera)
    c.anchor = [&](NodeId thing, const V3f& place, double at) {
      for (const LensSight::Seen& s : sight.seen)
        if (s.thing == thing && s.place == place && s.frame == at)
          return Anchor{s.anchor.at + V2f(float(margin), float(margin)), s.anchor.seen, s.anchor.depth};
      unknown = true;
      return Anchor{};
    };
  c.bounds = [&](NodeId thing) {
    for (const auto& [id, box] : sight.bounds)
      if (id == thing) return box;
    unknown = true;
    return Box3f();
  };
  LensResult r = applyLens(c, std::move(light), options);
  if (unknown) return {};
  return r;
}

SmallLens::SmallLens(const Scene& scene, const Film& film, const std::vector<Color>& groupScales, float exposure,
                     int width, const Tasks& tasks, const Denoiser* denoiser)
    : m_scene(scene), m_tasks(tasks) {
  // Plates alone have no film.
  const bool bare = scene.bare();
  LensLight full = bare ? platesStacked(scene, tasks)
                        : filmLight(scene, film, sceneLight(scene, film, groupScales, tasks, denoiser), exposure, tasks);
  const int wide = full.layers.front().light.width, high = full.layers.front().light.height,
            margin = bare ? 0 : (wide - film.width()) / 2, w = wide - 2 * margin, h = high - 2 * margin;
  m_width = std::clamp(width, 1, std::max(1, w));
  m_height = std::clamp(m_width * h / std::max(1, w), 1, std::max(1, h));
  // As much of what lies beside the frame as makes whole pixels.
  m_margin = std::min(margin * m_width / std::max(1, w), margin * m_height / std::max(1, h));
  const int across = int(std::lround(double(m_margin) * w / m_width)),
            down = int(std::lround(double(m_margin) * h / m_height));
  const auto small = [&](const std::vector<float>& v, int channels) {
    const int cw = w + 2 * across, ch = h + 2 * down;
    if (cw == wide && ch == high)
      return shrunk(v, cw, ch, channels, m_width + 2 * m_margin, m_height + 2 * m_margin, tasks);
    std::vector<float> part(size_t(cw) * size_t(ch) * size_t(channels));
    for (int y = 0; y < ch; ++y)
      std::copy_n(v.begin() + ptrdiff_t((size_t(y + margin - down) * size_t(wide) + size_t(margin - across)) *
                                        size_t(channels)),
                  size_t(cw) * size_t(channels), part.begin() + ptrdiff_t(size_t(y) * size_t(cw) * size_t(channels)));
    return shrunk(part, cw, ch, channels, m_width + 2 * m_margin, m_height + 2 * m_margin, tasks);
  };
  for (LensLight::Layer& l : full.layers) {
    Picture p(m_width + 2 * m_margin, m_height + 2 * m_margin);
    p.rgb = small(l.light.rgb, 3);
    m_light.layers.push_back({std::move(l.of), std::move(p), l.backdrop});
  }
  if (!full.behind.rgb.empty()) {
    m_light.behind = Picture(m_width + 2 * m_margin, m_height + 2 * m_margin);
    m_light.behind.rgb = small(full.behind.rgb, 3);
  }
  if (full.coverage)
    for (const LayerQuery& q : scene.maskQueries)
      if (const std::vector<float> c = full.coverage(q); !c.empty()) m_covered.emplace_back(q, small(c, 1));
  if (!full.alpha.empty()) m_light.alpha = small(full.alpha, 1);
}

LensResult SmallLens::develop(const Document& doc, double frame, const LensOptions& options) const {
  LensLight light = m_light;
  light.coverage = [this](const LayerQuery& q) {
    const auto it = std::find_if(m_covered.begin(), m_covered.end(), [&](const auto& c) { return c.first == q; });
    return it == m_covered.end() ? std::vector<float>() : it->second;
  };
  const Tasks tasks = m_tasks.stoppedBy(options.cancel);
  return applyLens(contextOf(doc, frame, m_scene, m_width, m_height, m_margin, tasks, options), std::move(light),
                   options);
}

std::optional<double> fittingAmount(const Document& doc, NodeId stage, double frame, const Scene& scene,
                                    const Film& film, const std::vector<Color>& groupScales, const Tasks& tasks,
                                    const LensOptions& options) {
  const Node* n = doc.find(stage);
  if (!n || stageOf(*n).level <= 0) return {};
  const ParamDef& d = *n->kind->param("amount");
  const double present = Params(*n, frame).number("amount"), level = double(stageOf(*n).level);
  // At the most that there can be, so that what is faint is not left out.
  LensOptions until = options;
  until.until = stage;
  until.works = true;
  const LensResult r =
      SmallLens(scene, film, groupScales, exposureFactor(doc, frame), std::min(scene.width, 320), tasks)
          .develop(setValue(doc, stage, "amount", Constant(d.hardMax)), frame, until);
  for (const StageResult& s : r.stages) {
    if (s.stage != stage || s.work.spread.rgb.empty()) continue;
    std::vector<float> all;
    for (size_t i = 0; i < s.work.spread.pixels(); ++i)
      all.push_back(std::max({s.work.spread.rgb[3 * i], s.work.spread.rgb[3 * i + 1], s.work.spread.rgb[3 * i + 2]}));
    const auto most = all.begin() + std::ptrdiff_t(all.size() - 1 - all.size() / 1000);
    std::nth_element(all.begin(), most, all.end());
    const double unit = double(*most) / d.hardMax;
    if (!(unit > 0) || (unit * present > 0.4 * level && unit * present < 2.5 * level)) return {};
    // Two digits read like a choice.
    const double wanted = std::clamp(level / unit, 1e-4, d.hardMax),
                 digit = std::pow(10, std::floor(std::log10(wanted)) - 1);
    return std::clamp(std::round(wanted / digit) * digit, d.hardMin, d.hardMax);
  }
  return {};
}

std::vector<Picture> lightShares(const Document& doc, double frame, const Scene& scene, const Film& film,
                                 const std::vector<Color>& groupScales, const std::vector<int>& groups,
                                 const Tasks& tasks, const LensOptions& options) {
  const float exposure = exposureFactor(doc, frame);
  const int margin = marginOf(doc, frame, film, options);
  LensLight light = lightOf(scene, film, margin, std::vector<Picture>(size_t(scene.table.cells())), {}, tasks);
  light.layers.clear();
  std::vector<Color> rest = groupScales;
  for (const int g : groups) rest[size_t(g)] = Color(0.0f);
  const auto layersOf = [&](const std::vector<Color>& chosen, int tag) {
    for (int cell = 0; cell < scene.table.cells(); ++cell) {
      Picture p = collectLayers(film, 1u << cell, chosen, exposure, tasks);
      if (margin > 0)
        p = surrounded(film, p, collectLayers(*film.surround(), 1u << cell, chosen, exposure, tasks), tasks);
      light.layers.push_back({queriesOfCell(scene, cell), std::move(p), false, tag});
    }
  };
  layersOf(rest, -1);
  for (const int g : groups) {
    std::vector<Color> one(groupScales.size(), Color(0.0f));
    one[size_t(g)] = groupScales[size_t(g)];
    layersOf(one, g);
  }
  LensResult r = applyLens(contextOf(doc, frame, scene, film.width(), film.height(), margin, tasks, options),
                           std::move(light), options);
  std::vector<Picture> out;
  for (const int g : groups)
    for (auto& [tag, picture] : r.shares)
      if (tag == g) out.push_back(std::move(picture));
  return out;
}

} // namespace ilumbra
