#include "core/session/strip.h"

#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/compile/even_patterns.h"
#include "core/display/view.h"
#include "core/document/mover.h"
#include "core/document/units.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"
#include "core/session/session_content.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ilumbra {

namespace {

constexpr int mostCells = 25;

Constant constantAt(const Document& doc, const Address& at) {
  const ParamDef& d = definitionAt(doc, at);
  const auto now = evaluate(valueAt(doc, at), d, currentFrame(doc));
  if (!now) throw badInput(addressText(doc, at) + ": a pattern drives it: try a number of that pattern");
  return *now;
}

// As it would be typed: without the gaps that thousands are told with.
std::string typed(const Document& doc, const ParamDef& d, const Constant& c) {
  const std::string told = formatValue(doc, d, Value(c));
  if (d.type != ParamType::Number && d.type != ParamType::Integer) return told;
  std::string out;
  const auto digit = [&](size_t k) { return k < told.size() && told[k] >= '0' && told[k] <= '9'; };
  for (size_t k = 0; k < told.size(); ++k) {
    const size_t gap = told[k] == ' '                                                           ? 1
                       : told.compare(k, 3, "\u202f") == 0 || told.compare(k, 3, "\u2009") == 0 ? 3
                                                                                                : 0;
    if (gap && k > 0 && digit(k - 1) && digit(k + gap)) {
      k += gap - 1;
      continue;
    }
    out += told[k];
  }
  return out;
}

double numberOf(const Document& doc, const Address& at, const std::string& text, double otherwise) {
  if (text.empty()) return otherwise;
  const Value now = Value(constantAt(doc, at)), v = parseValue(doc, definitionAt(doc, at), text, &now);
  const double* n = v.constant() ? std::get_if<double>(v.constant()) : nullptr;
  if (!n) throw badInput(fmt::format("{}: {} is no number", addressText(doc, at), text));
  return *n;
}

// With two digits that count, as a person types it, and within what is accepted.
double tidied(const ParamDef& d, double v) {
  v = std::clamp(v, d.hardMin, d.hardMax);
  if (d.type == ParamType::Integer) return std::round(v);
  if (v == 0) return 0;
  const double unit = std::pow(10, std::floor(std::log10(std::abs(v))) - 1);
  return std::round(v / unit) * unit;
}

std::vector<double> spread(const Document& doc, const Address& at, const ParamDef& d, StripSpread how, int count,
                           double now, const std::string& low, const std::string& high) {
  std::vector<double> out;
  const double a = numberOf(doc, at, low, d.softMin), b = numberOf(doc, at, high, d.softMax);
  // Steps that are small beside their value are told apart.
  const double step = how == StripSpread::AroundNow ? 0 : std::abs(b - a) / std::max(1, count - 1),
               fine = step > 0 ? std::pow(10, std::floor(std::log10(step)) - 1) : 0;
  const auto add = [&](double v) {
    if (how == StripSpread::Even && fine > 0 && d.type != ParamType::Integer)
      v = std::clamp(std::round(v / fine) * fine, d.hardMin, d.hardMax);
    else if (v != now)
      v = tidied(d, v);
    if (std::none_of(out.begin(), out.end(),
                     [&](double o) { return std::abs(o - v) <= 1e-9 * std::max(1.0, std::abs(v)); }))
      out.push_back(v);
  };
  const int half = count / 2;
  if (how == StripSpread::AroundNow) {
    // By stops where it counts in stops, by factors where it has no end, else by steps of what its line spans.
    const bool stops = d.unit == "stops" || d.unit == "stop", shares = d.hardMax < 1e29 && d.hardMin > -1e29;
    for (int k = -half; k < count - half; ++k) {
      if (stops)
        add(now + k);
      else if (now > 0 && (d.logarithmic || !shares || d.softMin >= 0))
        add(now * std::pow(1.5, k));
      else
        add(now + k * (d.softMax - d.softMin) / std::max(4, 2 * count));
    }
    if (now == 0 && out.size() < 3)
      for (int k = 0; k < count; ++k) add(d.softMin + (d.softMax - d.softMin) * k / std::max(1, count - 1));
  } else if (how == StripSpread::Factors) {
    if (!(a > 0) || !(b > 0)) {
      // From next to nothing to the end.
      const double least = b > 0 ? b / 100 : 0;
      if (!(least > 0)) throw badInput(addressText(doc, at) + ": equal factors need two numbers above 0");
      for (int k = 0; k < count; ++k) add(least * std::pow(b / least, double(k) / std::max(1, count - 1)));
    } else {
      for (int k = 0; k < count; ++k) add(a * std::pow(b / a, double(k) / std::max(1, count - 1)));
    }
  } else {
    for (int k = 0; k < count; ++k) add(a + (b - a) * k / std::max(1, count - 1));
  }
  std::sort(out.begin(), out.end());
  return out;
}

// Other hues of a colour, and more and less of it.
std::vector<Triple> colours(const Triple& now, int count) {
  std::vector<Triple> out = {now};
  const double most = std::max({now[0], now[1], now[2], 1e-6}), least = std::min({now[0], now[1], now[2]});
  const double full = std::max(0.35, (most - least) / most);
  for (int k = 0; int(out.size()) < count; ++k) {
    // Round the wheel from red on, at its strength.
    const double turn = 6.0 * k / std::max(1, count - 1);
    Triple c;
    for (size_t i = 0; i < 3; ++i) {
      const double away = std::abs(std::fmod(turn - 2.0 * double(i) + 9, 6) - 3);
      c[i] = most * (1 - full * (1 - std::clamp(2 - away, 0.0, 1.0)));
      c[i] = std::round(c[i] * 1000) / 1000;
    }
    out.push_back(c);
  }
  return out;
}

} // namespace

const std::vector<std::string>& stripSpreadNames() {
  static const std::vector<std::string> names = {"around now", "even", "factors"};
  return names;
}

std::vector<std::string> stripValues(const Document& doc, const Address& at, StripSpread how, int count,
                                     const std::string& low, const std::string& high) {
  const ParamDef& d = definitionAt(doc, at);
  count = std::clamp(count, 2, mostCells);
  std::vector<std::string> out;
  switch (d.type) {
  case ParamType::Flag:
    return {"off", "on"};
  case ParamType::Choice:
    out = d.choices;
    if (out.size() > size_t(mostCells)) out.resize(size_t(mostCells));
    return out;
  case ParamType::Number:
  case ParamType::Integer:
    for (const double v : spread(doc, at, d, how, count, std::get<double>(constantAt(doc, at)), low, high))
      out.push_back(typed(doc, d, v));
    return out;
  case ParamType::Color:
    for (const Triple& c : colours(std::get<Triple>(constantAt(doc, at)), count)) out.push_back(typed(doc, d, c));
    return out;
  default:
    throw badInput(fmt::format("{}: type the values to try", addressText(doc, at)));
  }
}

std::vector<StripCell> stripCells(const Document& doc, const std::vector<StripAxis>& axes) {
  if (axes.empty() || axes.size() > 2) throw badInput("a test strip tries one parameter, or two crossed");
  std::vector<StripCell> out = {{doc, "", true}};
  for (const StripAxis& axis : axes) {
    if (axis.values.empty()) throw badInput(addressText(doc, axis.at) + ": there are no values to try");
    const ParamDef& d = definitionAt(doc, axis.at);
    const Value now = valueAt(doc, axis.at);
    const auto held = evaluate(now, d, currentFrame(doc));
    std::vector<StripCell> more;
    const std::vector<StripCell>& before = out;
    for (const std::string& text : axis.values)
      for (const StripCell& cell : before) {
        const Value shown = held ? Value(*held) : now, v = parseValue(doc, d, text, &shown);
        StripCell c;
        c.doc = v.constant() ? setNow(cell.doc, axis.at, *v.constant()) : setAt(cell.doc, axis.at, v);
        const std::string said =
            axes.size() > 1 ? fmt::format("{} {}", d.label, formatValue(doc, d, v)) : formatValue(doc, d, v);
        c.label = cell.label.empty() ? said : cell.label + " · " + said;
        c.now = cell.now && held && v.constant() && typed(doc, d, *held) == formatValue(doc, d, v);
        more.push_back(std::move(c));
      }
    out = std::move(more);
  }
  if (out.size() > size_t(mostCells))
    throw badInput(fmt::format("a test strip has {} pictures at most, not {}", mostCells, out.size()));
  return out;
}

bool sameFilm(const Document& a, const Document& b) {
  return currentFrame(a) == currentFrame(b) && !needsTracing(a, b) && !needsTracing(b, a);
}

struct StripFromFilm::Mixed {
  std::vector<Color> scales;
  float exposure;
  SmallLens lens;
};

StripFromFilm::StripFromFilm(const Scene& scene, const Film& film, int width, const Tasks& tasks,
                             const Denoiser* denoiser)
    : m_scene(scene), m_film(film), m_width(width), m_tasks(tasks), m_denoiser(denoiser) {}
StripFromFilm::~StripFromFilm() = default;

std::optional<Picture> StripFromFilm::picture(const Document& given, const FileAssets& files,
                                              const CancelFlag* cancel) {
  const double frame = currentFrame(given);
  const Document doc = withEvenValues(given, frame, files);
  if (!hasLayers(m_scene, doc)) return {};
  std::vector<Color> scales = balancedScales(m_scene, doc, frame);
  if (scales.empty()) return {};
  const float exposure = exposureFactor(doc, frame);
  auto mixed = std::find_if(m_mixed.begin(), m_mixed.end(),
                            [&](const auto& m) { return m->scales == scales && m->exposure == exposure; });
  if (mixed == m_mixed.end()) {
    SmallLens lens(m_scene, m_film, scales, exposure, m_width, m_tasks, m_denoiser);
    m_mixed.push_back(std::make_unique<Mixed>(Mixed{std::move(scales), exposure, std::move(lens)}));
    mixed = m_mixed.end() - 1;
  }
  return (*mixed)
      ->lens.develop(doc, frame, {.assets = &files, .cancel = cancel, .works = false, .shares = false})
      .picture;
}

StripRender::StripRender(std::vector<StripCell> cells, int width, uint32_t samples, AssetCache& assets,
                         const Tasks& tasks)
    : m_cells(std::move(cells)), m_assets(assets), m_tasks(tasks) {
  for (size_t k = 0; k < m_cells.size(); ++k) {
    Document& doc = m_cells[k].doc;
    const Params s = settingsOf(doc);
    const double shape = s.number("height") / std::max(1.0, s.number("width"));
    const NodeId id = doc.settings().id;
    const auto target = uint32_t(samples ? samples : s.number("samples"));
    doc = setValue(setValue(doc, id, "width", Constant(double(width))), id, "height",
                   Constant(std::max(1.0, std::round(width * shape))));
    doc = withEvenValues(doc, currentFrame(doc), assets.assets(doc.folder(), nullptr));
    const auto same = std::find_if(m_films.begin(), m_films.end(),
                                   [&](const Film& f) { return sameFilm(m_cells[f.cells.front()].doc, doc); });
    if (same == m_films.end()) {
      m_films.push_back({});
      m_films.back().cells.push_back(k);
      m_films.back().target = std::max(1u, target);
    } else {
      // Sampled as the document is, or as the last, which is mostly the brightest: not for lamps that are dark.
      const bool first = m_cells[k].now || !m_cells[same->cells.front()].now;
      same->cells.insert(first ? same->cells.begin() : same->cells.end(), k);
    }
  }
}

void StripRender::compile(Film& f, const CancelFlag& cancel) {
  const Document& first = m_cells[f.cells.front()].doc;
  CompileOptions o;
  o.frame = currentFrame(first);
  // All that any of its pictures asks of the film.
  for (const size_t k : f.cells) {
    const Document& doc = m_cells[k].doc;
    for (LayerQuery& q : lensQueries(doc)) {
      const auto there = std::find(o.queries.begin(), o.queries.end(), q);
      if (there == o.queries.end())
        o.queries.push_back(std::move(q));
      else
        there->apart |= q.apart;
    }
    for (LayerQuery& q : lensMasks(doc))
      if (std::find(o.masks.begin(), o.masks.end(), q) == o.masks.end()) o.masks.push_back(std::move(q));
    o.overscan = std::max(o.overscan, lensOverscan(doc));
  }
  f.scene = compileScene(first, o, m_assets.assets(first.folder(), &cancel), m_cache, &cancel);
  if (!activeCamera(first)) throw badInput("there is no camera");
  if (!f.scene->bare()) f.draft.restart(f.scene, draftStep);
}

double StripRender::progress() const {
  double sum = 0;
  for (const Film& f : m_films)
    sum += f.done ? 1 : f.whole.empty() ? 0 : std::min(1.0, double(f.whole.samples()) / f.target);
  return m_films.empty() ? 1 : sum / double(m_films.size());
}

bool StripRender::advance(const Show& show, const std::function<void(size_t, const std::string&)>& fail,
                          const CancelFlag& cancel) {
  // The one that has least, in their order.
  Film* film = nullptr;
  for (size_t k = 0; k < m_films.size(); ++k) {
    Film& f = m_films[(m_turn + k) % m_films.size()];
    if (f.done) continue;
    const auto has = [](const Film& of) { return of.whole.empty() ? 0u : of.whole.samples(); };
    if (!film || has(f) < has(*film) || (has(f) == has(*film) && !f.scene && film->scene)) film = &f;
  }
  if (!film) return false;
  m_turn = size_t(film - m_films.data()) + 1;
  Film& f = *film;
  const auto refuse = [&](const std::string& why) {
    f.done = true;
    for (const size_t k : f.cells) fail(k, why);
  };
  try {
    const Tasks tasks = m_tasks.stoppedBy(&cancel);
    const bool first = !f.scene;
    if (first) compile(f, cancel);
    const Document& doc = m_cells[f.cells.front()].doc;
    const double noise = settingsOf(doc).number("noise");
    Rendering* r = nullptr;
    if (!f.scene->bare()) {
      if (first) {
        r = &f.draft;
        const uint64_t before = r->count().rays;
        if (!r->advance(tasks, 2, cancel)) throw cancelled();
        m_rays += r->count().rays - before;
      } else {
        if (f.whole.empty()) {
          f.whole.restart(f.scene);
          f.draft = Rendering();
        }
        r = &f.whole;
        const uint64_t before = r->count().rays;
        const uint32_t next = std::min(f.target, std::max(2u, 2 * r->samples()));
        while (r->samples() < next && !r->converged())
          if (!r->advance(tasks, r->nextPass(next), cancel, {}, noise)) throw cancelled();
        m_rays += r->count().rays - before;
        f.done = r->samples() >= f.target || r->converged();
      }
    } else {
      f.done = true;
    }
    std::optional<Denoiser> denoiser;
    if (r && settingsOf(doc).flag("denoise")) denoiser.emplace(r->film(), tasks, &cancel);
    std::vector<size_t> strays;
    for (const size_t k : f.cells) {
      const Document& own = m_cells[k].doc;
      const double frame = currentFrame(own);
      const FileAssets files = m_assets.assets(own.folder(), &cancel);
      const LensOptions lens{
          .assets = &files, .cancel = &cancel, .convolutions = &m_convolutions, .works = false, .shares = false};
      if (!r) {
        show({k, developPlates(own, frame, *f.scene, tasks, lens).picture, 1});
        continue;
      }
      const std::vector<Color> scales = balancedScales(*f.scene, own, frame);
      if (scales.empty()) { // its balance asks for what the film does not have
        strays.push_back(k);
        continue;
      }
      const SceneLight light = sceneLight(*f.scene, r->film(), scales, tasks, denoiser ? &*denoiser : nullptr, &cancel);
      LensResult out = develop(own, frame, *f.scene, r->film(), light, tasks, lens);
      show({k, std::move(out.picture), r == &f.draft ? 0 : r->samples()});
    }
    // Each of those gets a film of its own.
    const uint32_t target = f.target;
    std::erase_if(f.cells, [&](size_t k) { return std::find(strays.begin(), strays.end(), k) != strays.end(); });
    if (f.cells.empty() && !strays.empty()) throw badInput("its light cannot be balanced");
    for (const size_t k : strays) {
      m_films.push_back({});
      m_films.back().cells.push_back(k);
      m_films.back().target = target;
    }
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::Cancelled) throw;
    refuse(e.what());
  } catch (const std::bad_alloc&) {
    refuse("there is not enough memory");
  }
  return true;
}

StripMaker::StripMaker(std::shared_ptr<AssetCache> assets, std::shared_ptr<const ColorViews> views, Deliver deliver)
    : m_assets(std::move(assets)), m_views(std::move(views)), m_deliver(std::move(deliver)),
      m_thread([this] { run(); }) {}

StripMaker::~StripMaker() {
  {
    const std::lock_guard lock(m_mutex);
    m_quit = true;
    m_wanted.reset();
    m_cancel.request();
  }
  m_wake.notify_all();
  m_thread.join();
}

uint64_t StripMaker::ask(std::vector<StripCell> cells, int width, uint32_t samples) {
  uint64_t request = 0;
  {
    const std::lock_guard lock(m_mutex);
    request = ++m_request;
    m_wanted = Wanted{request, std::move(cells), width, samples};
    m_cancel.request();
  }
  m_wake.notify_all();
  return request;
}

void StripMaker::stop() {
  const std::lock_guard lock(m_mutex);
  ++m_request;
  m_wanted.reset();
  m_cancel.request();
}

void StripMaker::run() {
  const Tasks tasks(0, true);
  for (;;) {
    std::optional<Wanted> w;
    {
      std::unique_lock lock(m_mutex);
      while (!m_quit && !m_wanted) m_wake.wait(lock);
      if (m_quit) return;
      w = std::move(m_wanted);
      m_wanted.reset();
      m_cancel.clear();
    }
    try {
      make(std::move(*w), tasks);
    } catch (const std::exception&) { // broken off: there is a newer one, or none is wanted
    }
  }
}

void StripMaker::make(Wanted wanted, const Tasks& tasks) {
  const auto tell = [&](Shown s) {
    s.request = wanted.request;
    m_deliver(std::make_shared<const Shown>(std::move(s)));
  };
  std::optional<StripRender> render;
  try {
    const std::string view = wanted.cells.empty() ? "" : settingsOf(wanted.cells.front().doc).text("view");
    if (!m_table || m_view != view) {
      m_table = std::make_unique<ViewTable>(*m_views, view, tasks);
      m_view = view;
    }
    const size_t count = wanted.cells.size();
    try {
      render.emplace(std::move(wanted.cells), wanted.width, wanted.samples, *m_assets, tasks);
    } catch (const Error& e) {
      for (size_t k = 0; k < count; ++k) tell({.cell = k, .error = e.what(), .progress = 1});
      return;
    }
    bool more = true;
    while (more) {
      more = render->advance(
          [&](StripRender::Picture p) {
            Shown s{.cell = p.cell, .width = p.light.width, .height = p.light.height, .samples = p.samples};
            s.rgba = m_table->apply(p.light, tasks);
            s.progress = render->progress();
            s.rays = render->rays();
            tell(std::move(s));
          },
          [&](size_t cell, const std::string& why) {
            tell({.cell = cell, .error = why, .progress = render->progress()});
          },
          m_cancel);
    }
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::Cancelled) tell({.error = e.what(), .progress = 1});
    throw;
  }
}

} // namespace ilumbra
