#include "core/exchange/passes.h"

#include "core/compile/balance.h"
#include "core/compile/camera.h"
#include "core/compile/even_patterns.h"
#include "core/exchange/picture_layers.h"
#include "core/geometry/no_assets.h"
#include "core/image/picture_ops.h"
#include "core/label/layer_query.h"
#include "core/scene/plates.h"
#include "core/transport/plate_layers.h"

#include "core/compile/plate.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"

#include <cctype>
#include <cstring>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <set>

namespace ilumbra {
namespace {

constexpr const char* cryptoLayer = "CryptoObject";

FileLayer layerOf(std::string name, const Picture& p) { return {std::move(name), {"R", "G", "B"}, false, p.rgb}; }

template <typename F>
FileLayer fromFilm(std::string name, std::vector<std::string> channels, bool full, const Film& film, F f) {
  FileLayer l{std::move(name), std::move(channels), full, {}};
  const size_t n = size_t(film.width()) * size_t(film.height()), k = l.channels.size();
  l.data.resize(n * k);
  for (size_t i = 0; i < n; ++i) f(i, l.data.data() + i * k);
  return l;
}

// What of all light the queries of a cell have, and no other: "Sources of Sun halo & Bead halo".
std::string cellName(const std::vector<std::string>& of) {
  std::string name;
  for (const std::string& n : of) name += (name.empty() ? "Sources of " : " & ") + n;
  return name.empty() ? "Other light" : name;
}

// `things`: denoised, what the coverages then sum to; empty: as the film has them.
void addIdentity(PictureFile& file, const Scene& scene, const Film& film, const std::vector<float>& things) {
  nlohmann::ordered_json manifest = nlohmann::ordered_json::object();
  std::vector<float> ids;
  for (const Thing& t : scene.things) {
    ids.push_back(cryptomatteId(t.name));
    uint32_t bits;
    std::memcpy(&bits, &ids.back(), 4);
    manifest[t.name] = fmt::format("{:08x}", bits);
  }
  for (int level = 0; level < Film::ranks / 2; ++level)
    file.layers.push_back(fromFilm(
        fmt::format("{}{:02d}", cryptoLayer, level), {"R", "G", "B", "A"}, true, film, [&](size_t i, float* out) {
          std::array<std::pair<float, uint16_t>, Film::ranks> ranked;
          const Film::Ranked r = things.empty() ? film.identity(i) : coveredBy(film, things, i);
          for (size_t k = 0; k < ranked.size(); ++k) ranked[k] = {r.weight[k], r.thing[k]};
          std::stable_sort(ranked.begin(), ranked.end(),
                           [](const auto& a, const auto& b) { return a.first > b.first; });
          const float samples = things.empty() ? float(std::max(1u, film.samples(i))) : 1;
          for (size_t k = 0; k < 2; ++k) {
            const auto& [weight, thing] = ranked[size_t(level) * 2 + k];
            out[2 * k] = weight > 0 ? ids[thing] : 0;
            out[2 * k + 1] = weight / samples;
          }
        }));
  const std::string key = fmt::format("cryptomatte/{}", fmt::format("{:08x}", murmur3(cryptoLayer)).substr(0, 7));
  file.metadata[key + "/name"] = cryptoLayer;
  file.metadata[key + "/hash"] = "MurmurHash3_32";
  file.metadata[key + "/conversion"] = "uint32_to_float32";
  file.metadata[key + "/manifest"] = manifest.dump();
}

} // namespace

const std::vector<Pass>& allPasses() {
  static const std::vector<Pass> all = {
      {"depth", "metres along the ray"},
      {"normal", "of the surface first seen, in the scene's axes"},
      {"albedo", "colour of the surface first seen"},
      {"identity", "coverage by object, as Cryptomatte"},
      {"lights", "a layer for each light; with the plates' they sum to the picture without lens"},
      {"crossed", "a layer for each way of light of each light; asked for by name, not by all"},
      {"sources", "what the lens stages take their light from"},
      {"lens", "what each lens stage adds and takes"},
      {"emission", "own light and lamps as they are seen"},
      {"direct", "light from lamps, once scattered"},
      {"indirect", "light scattered more often"},
      {"caustics", "light gathered over mirrors and clear things onto what is seen"},
      {"mirrored", "what is seen in mirrors"},
      {"through", "what is seen behind clear things"}};
  return all;
}

std::vector<std::string> parsePasses(const std::string& list) {
  std::vector<std::string> out;
  size_t start = 0;
  while (start <= list.size() && !list.empty()) {
    const size_t comma = std::min(list.find(',', start), list.size());
    const std::string name = list.substr(start, comma - start);
    start = comma + 1;
    if (name.empty()) continue;
    if (name != "all" &&
        std::none_of(allPasses().begin(), allPasses().end(), [&](const Pass& p) { return p.name == name; })) {
      std::string known = "all";
      for (const Pass& p : allPasses()) known += ", " + p.name;
      throw usageError(fmt::format("there is no pass \"{}\" (there are {})", name, known));
    }
    out.push_back(name);
  }
  if (std::find(out.begin(), out.end(), "all") != out.end()) {
    const bool crossed = std::find(out.begin(), out.end(), "crossed") != out.end();
    out.clear();
    for (const Pass& p : allPasses())
      if (crossed || p.name != "crossed") out.push_back(p.name);
  }
  return out;
}

std::vector<LayerQuery> passQueries(const std::vector<std::string>& passes) {
  const auto asked = [&](const std::string& name) {
    return std::find(passes.begin(), passes.end(), name) != passes.end();
  };
  std::vector<LayerQuery> out;
  for (const LayerQuery& q : lightPasses())
    if (asked(q.name) || (asked("crossed") && q.events != EventAny)) out.push_back(q);
  return out;
}

static void describe(PictureFile& file, const Document& doc, double frame, const Scene& scene) {
  file.metadata["ilumbra/seed"] = fmt::format("{}", scene.seed);
  file.metadata["ilumbra/frame"] = fmt::format("{:g}", frame);
  if (const Node* c = activeCamera(doc)) {
    file.metadata["ilumbra/camera"] = c->name;
    file.metadata["ilumbra/ev100"] =
        fmt::format("{:g}", Params(*c, frame).number("ev100") - Params(*c, frame).number("compensation"));
  }
}

PictureFile platesFile(const Document& doc, double frame, const Scene& scene, const LensResult& developed) {
  PictureFile file;
  file.width = scene.width;
  file.height = scene.height;
  FileLayer l{"", {"R", "G", "B", "A"}, false, {}};
  const size_t n = developed.picture.pixels();
  l.data.resize(4 * n);
  for (size_t i = 0; i < n; ++i) {
    std::copy_n(developed.picture.rgb.begin() + ptrdiff_t(3 * i), 3, l.data.begin() + ptrdiff_t(4 * i));
    l.data[4 * i + 3] = scene.plates ? platesAlpha(*scene.plates, i) : 0;
  }
  file.layers.push_back(std::move(l));
  describe(file, doc, frame, scene);
  return file;
}

namespace {

bool contains(const std::vector<std::string>& passes, const char* name) {
  return std::find(passes.begin(), passes.end(), name) != passes.end();
}

// Depth, normal and albedo, as the film has them.
void addFeatures(PictureFile& file, const Film& film, const std::vector<std::string>& passes) {
  if (contains(passes, "depth"))
    file.layers.push_back(fromFilm("Depth", {"Z"}, true, film, [&](size_t i, float* out) { *out = film.depth(i); }));
  if (contains(passes, "normal"))
    file.layers.push_back(fromFilm("Normal", {"X", "Y", "Z"}, false, film, [&](size_t i, float* out) {
      const V3f v = film.normal(i);
      std::copy_n(&v.x, 3, out);
    }));
  if (contains(passes, "albedo"))
    file.layers.push_back(fromFilm("Albedo", {"R", "G", "B"}, false, film, [&](size_t i, float* out) {
      const Color v = film.albedo(i);
      std::copy_n(&v.x, 3, out);
    }));
}

// The light groups and the ways of light, denoised together. Plates cover them all alike, and add a layer of their own.
void addLight(PictureFile& file, const Document& doc, const Scene& scene, const Film& film,
              const std::vector<Color>& groupScales, float exposure, const std::vector<std::string>& passes,
              const Tasks& tasks, const Denoiser* denoiser) {
  std::vector<std::string> names;
  std::vector<std::function<Picture(FilmLight)>> light;
  // Lights that the artist put together are one layer, where the first of them is.
  std::vector<std::pair<std::string, std::vector<int>>> together;
  for (int g = 0; g < film.groups(); ++g) {
    const LightGroup& group = scene.groups[size_t(g)];
    const std::string layer = layerOfLight(doc, {group.node, group.object, group.copy}, group.name);
    const auto same = std::find_if(together.begin(), together.end(), [&](const auto& t) { return t.first == layer; });
    if (same == together.end())
      together.push_back({layer, {g}});
    else
      same->second.push_back(g);
  }
  const auto addGroups = [&](const std::string& begins, int query) {
    for (const auto& [layer, groups] : together) {
      names.push_back(begins + layer);
      light.push_back([&, of = &groups, query](FilmLight which) {
        Picture sum = collectGroup(film, query, of->front(), groupScales[size_t(of->front())], exposure, tasks, which);
        for (size_t i = 1; i < of->size(); ++i) {
          const int g = (*of)[i];
          addTo(sum, collectGroup(film, query, g, groupScales[size_t(g)], exposure, tasks, which), tasks);
        }
        return sum;
      });
    }
  };
  if (contains(passes, "lights")) addGroups("Light of ", 0);
  for (const LayerQuery& pass : passQueries(passes))
    if (const auto it = std::find(scene.queries.begin(), scene.queries.end(), pass); it != scene.queries.end()) {
      const int query = int(it - scene.queries.begin());
      std::string name = pass.name;
      name[0] = char(std::toupper(static_cast<unsigned char>(name[0])));
      if (contains(passes, "crossed") && pass.events != EventAny) addGroups(name + " light of ", query);
      if (!contains(passes, pass.name.c_str())) continue;
      names.push_back(std::move(name));
      light.push_back(
          [&, query](FilmLight which) { return collect(film, query, groupScales, exposure, tasks, which); });
    }
  if (light.empty()) return;
  PlateLayers plates;
  if (scene.plates)
    plates = plateLayers(*scene.plates, film,
                         denoiser ? cleanCoverage(film, *denoiser, tasks).alpha : std::vector<float>(), tasks);
  for (size_t i = 0; i < light.size(); ++i) {
    Picture p = denoiser ? denoised(
                               *denoiser, 1, [&](size_t, FilmLight which) { return light[i](which); }, tasks)
                               .front()
                         : light[i](FilmLight::All);
    for (size_t k = 0; k < plates.keep.rgb.size(); ++k) p.rgb[k] *= plates.keep.rgb[k];
    file.layers.push_back(layerOf(names[i], p));
  }
  if (!plates.add.rgb.empty()) file.layers.push_back(layerOf("Plates", plates.add));
}

// What stages take their light from, with what lies beside the frame, so that the lens can be applied to the file as to
// the film.
struct Sources {
  std::map<std::string, Picture> layers;
  std::vector<float> alpha;
};
Sources sourcesOf(LensLight all) {
  Sources s;
  s.alpha = std::move(all.alpha);
  for (LensLight::Layer& l : all.layers) {
    std::vector<std::string> of;
    for (const LayerQuery& q : l.of)
      if (!q.whole()) of.push_back(q.name);
    for (const std::string& name : {std::string("All light"), cellName(of)}) {
      Picture& sum = s.layers[name];
      if (sum.rgb.empty())
        sum = l.light;
      else
        for (size_t i = 0; i < sum.rgb.size(); ++i) sum.rgb[i] += l.light.rgb[i];
    }
  }
  return s;
}

void addSources(PictureFile& file, const Sources& sources) {
  const Picture& before = sources.layers.at("All light");
  const int width = before.width, height = before.height, margin = (width - file.width) / 2;
  if (margin > 0) {
    file = file.window(-margin, -margin, width, height);
    // Beside the frame the picture is as it was before the lens.
    std::vector<float>& picture = file.layers.front().data;
    for (int y = 0; y < height; ++y)
      for (int x = 0; x < width; ++x) {
        if (x >= margin && x < width - margin && y >= margin && y < height - margin) continue;
        const size_t i = size_t(y) * size_t(width) + size_t(x);
        std::copy_n(before.rgb.begin() + ptrdiff_t(3 * i), 3, picture.begin() + ptrdiff_t(4 * i));
        picture[4 * i + 3] = sources.alpha[i];
      }
  }
  for (const auto& [name, picture] : sources.layers) {
    file.layers.push_back(layerOf(name, picture));
    if (name != "All light" || sources.alpha.empty()) continue;
    // With what covers the picture, as it was before stages widened it.
    FileLayer& l = file.layers.back();
    l.channels.push_back("A");
    std::vector<float> with;
    for (size_t i = 0; i < picture.pixels(); ++i) {
      with.insert(with.end(), l.data.begin() + ptrdiff_t(3 * i), l.data.begin() + ptrdiff_t(3 * i + 3));
      with.push_back(sources.alpha[i]);
    }
    l.data = std::move(with);
  }
}

} // namespace

PictureFile pictureFile(const Document& doc, double frame, const Rendering& rendering,
                        const std::vector<Color>& groupScales, const LensResult& developed,
                        const std::vector<std::string>& passes, const Tasks& tasks, const Denoiser* denoiser) {
  const Film& film = rendering.film();
  const Scene& scene = rendering.scene();
  const float exposure = exposureFactor(doc, frame);
  PictureFile file;
  file.width = film.width();
  file.height = film.height();
  file.layers.push_back(fromFilm("", {"R", "G", "B", "A"}, false, film, [&](size_t i, float* out) {
    std::copy_n(developed.picture.rgb.begin() + ptrdiff_t(3 * i), 3, out);
    out[3] = developed.alpha.empty() ? plateAlpha(scene.plates.get(), film.alpha(i), i) : developed.alpha[i];
  }));
  addFeatures(file, film, passes);
  if (contains(passes, "identity"))
    addIdentity(file, scene, film, denoiser ? cleanCoverage(film, *denoiser, tasks).things : std::vector<float>());
  addLight(file, doc, scene, film, groupScales, exposure, passes, tasks, denoiser);
  if (!developed.apart.rgb.empty()) file.layers.push_back(layerOf("Lens light", developed.apart));
  if (contains(passes, "lens"))
    for (const StageResult& s : developed.stages) {
      if (s.work.spread.rgb.empty()) continue; // it did nothing
      const std::string name = doc.find(s.stage)->name;
      file.layers.push_back(layerOf("Added by " + name, s.work.spread));
      file.layers.push_back(layerOf("Taken by " + name, s.work.taken));
    }
  const bool lens = contains(passes, "lens"), sources = contains(passes, "sources");
  // What the layers of light sum to, where the lens makes another picture of it.
  if (!sources && !developed.stages.empty() &&
      (lens || file.find("Light of " + scene.groups.front().name) || !passQueries(passes).empty())) {
    const LensLight all =
        filmLight(scene, film, sceneLight(scene, film, groupScales, tasks, denoiser), exposure, tasks);
    Picture sum;
    for (const LensLight::Layer& l : all.layers)
      if (sum.rgb.empty())
        sum = l.light;
      else
        addTo(sum, l.light, tasks);
    const int margin = (sum.width - file.width) / 2;
    file.layers.push_back(layerOf("All light", cropped(sum, {margin, margin, file.width, file.height}, tasks)));
  }
  if (sources)
    addSources(file, sourcesOf(filmLight(scene, film, sceneLight(scene, film, groupScales, tasks, denoiser), exposure,
                                         tasks)));
  file.metadata["ilumbra/samples"] = fmt::format("{}", rendering.samples());
  file.metadata["ilumbra/noise"] = fmt::format("{:.5f}", film.noise());
  describe(file, doc, frame, scene);
  return file;
}

namespace {

// What of a picture are things that a document names: by its Cryptomattes, or by layers of light that carry their
// names.
class NamedThings {
 public:
  NamedThings(const Document& doc, const PictureFile& file) : m_doc(doc), m_file(file) {}
  /// Coverage by pixel; empty: the file knows nothing of that name.
  const std::vector<float>& coverage(NodeId id) {
    const auto known = m_covered.find(id);
    if (known != m_covered.end()) return known->second;
    std::vector<float>& c = m_covered[id];
    const Node* n = m_doc.find(id);
    if (!n) return c;
    c = decodeCryptomatte(m_file, n->name);
    if (std::all_of(c.begin(), c.end(), [](float v) { return v == 0; })) c.clear();
    if (const FileLayer* l = m_file.find(n->name); c.empty() && l && l->channels.size() == 1)
      c = l->data; // a plain mask
    return c;
  }
  std::vector<float> coverage(const LayerQuery& q) {
    std::vector<float> sum;
    for (const std::vector<NodeId>* list : {&q.things, &q.materials})
      for (const NodeId id : *list)
        if (const std::vector<float>& c = coverage(id); !c.empty()) {
          sum.resize(c.size(), 0.0f);
          for (size_t i = 0; i < c.size(); ++i) sum[i] = std::min(1.0f, sum[i] + c[i]);
        }
    return sum;
  }

 private:
  const Document& m_doc;
  const PictureFile& m_file;
  std::map<NodeId, std::vector<float>> m_covered;
};

// The light of a file that was not written by us, divided by what it knows of the things that stages name.
void divideByThings(const Document& doc, const PictureFile& file, const std::vector<LayerQuery>& asked,
                    NamedThings& things, LensLight& light) {
  Picture rest = file.picture(file.find("All light") ? "All light" : "");
  std::vector<float> left(rest.pixels(), 1.0f);
  std::set<NodeId> named;
  for (const LayerQuery& q : asked) {
    bool found = false;
    for (const std::vector<NodeId>* list : {&q.things, &q.materials})
      for (const NodeId id : *list) {
        const Node* n = doc.find(id);
        const FileLayer* own = n ? file.find(n->name) : nullptr;
        if (!things.coverage(id).empty() || (own && own->channels.size() >= 3)) {
          named.insert(id);
          found = true;
        }
      }
    if (!found)
      throw badInput(fmt::format("has no layer \"Sources of {}\", and neither a Cryptomatte nor a layer of what it "
                                 "names: render it with --passes sources",
                                 q.name));
  }
  for (const NodeId id : named) {
    LensLight::Layer layer;
    for (const LayerQuery& q : asked)
      if (std::find(q.things.begin(), q.things.end(), id) != q.things.end() ||
          std::find(q.materials.begin(), q.materials.end(), id) != q.materials.end())
        layer.of.push_back(q);
    const std::vector<float>& covered = things.coverage(id);
    if (covered.empty()) {
      // A layer of light: it is part of the picture.
      layer.light = file.picture(doc.find(id)->name);
      for (size_t i = 0; i < rest.rgb.size(); ++i) rest.rgb[i] -= layer.light.rgb[i];
    } else {
      layer.light = Picture(file.width, file.height);
      for (size_t i = 0; i < left.size(); ++i) {
        const float share = std::min(left[i], covered[i]);
        left[i] -= share;
        for (size_t k = 0; k < 3; ++k) layer.light.rgb[3 * i + k] = rest.rgb[3 * i + k] * share;
      }
    }
    light.layers.push_back(std::move(layer));
  }
  for (size_t i = 0; i < rest.rgb.size(); ++i) rest.rgb[i] *= left[i / 3];
  light.layers.push_back({{}, std::move(rest)});
}

} // namespace

LensResult lensOnFile(const Document& given, double frame, const PictureFile& read, const Tasks& tasks,
                      const Assets* assets) {
  const NoAssets none;
  const Document doc = withEvenValues(given, frame, assets ? *assets : none);
  // All of the frame, and what there is beside it.
  const int x0 = std::min(0, read.left), y0 = std::min(0, read.top),
            x1 = std::max(read.width, read.left + read.frameWidth),
            y1 = std::max(read.height, read.top + read.frameHeight);
  const bool filled = x0 == 0 && y0 == 0 && x1 == read.width && y1 == read.height;
  const PictureFile wider = filled ? PictureFile() : read.window(x0, y0, x1 - x0, y1 - y0);
  const PictureFile& file = filled ? read : wider;
  LensLight light;
  std::vector<LayerQuery> asked;
  for (LayerQuery& q : lensQueries(doc))
    if (q.apart && !q.whole()) asked.push_back(std::move(q));
  std::vector<LayerQuery> missing = asked;
  for (const FileLayer& l : file.layers) {
    // Each of these holds what some stages ask for in common, and no light is in two of them.
    LensLight::Layer layer;
    if (l.name.starts_with("Sources of ")) {
      std::string rest = l.name.substr(11);
      while (!rest.empty()) {
        const size_t end = std::min(rest.find(" & "), rest.size());
        const std::string name = rest.substr(0, end);
        rest = rest.substr(std::min(rest.size(), end + 3));
        for (const LayerQuery& q : asked)
          if (q.name == name) {
            layer.of.push_back(q);
            std::erase(missing, q);
          }
      }
    } else if (l.name != "Other light") {
      continue;
    }
    layer.light = file.picture(l.name);
    light.layers.push_back(std::move(layer));
  }
  const auto things = std::make_shared<NamedThings>(doc, file);
  if (!missing.empty()) {
    light.layers.clear();
    divideByThings(doc, file, asked, *things, light);
  }
  // A picture that was rendered without lens is all light.
  if (light.layers.empty()) light.layers.push_back({{}, file.picture(file.find("All light") ? "All light" : "")});
  const FileLayer* before = file.find("All light");
  if (const FileLayer* l = before && before->channels.size() == 4 ? before : file.find("")) {
    const size_t n = l->channels.size(),
                 a = size_t(std::find(l->channels.begin(), l->channels.end(), "A") - l->channels.begin());
    for (size_t i = 0; a < n && i < size_t(file.width) * size_t(file.height); ++i)
      light.alpha.push_back(l->data[n * i + a]);
  }
  light.coverage = [things](const LayerQuery& q) { return things->coverage(q); };
  LensContext context = LensContext::of(doc, frame, file.width, file.height, tasks);
  context.assets = assets;
  if (file.frameWidth) {
    context.left = file.left;
    context.top = file.top;
    context.frameWidth = file.frameWidth;
    context.frameHeight = file.frameHeight;
  }
  return applyLens(context, std::move(light));
}

} // namespace ilumbra
