// ilumbra-bench [traversal] [glow] [interaction] [cancel]: all without arguments.
// The ratios that the design asks for, each measured in this one run, on the Orrery Hall. Ratios, not seconds: they mean
// the same on another machine.
#include "core/color/view.h"
#include "core/document/edit.h"
#include "core/exchange/assets.h"
#include "core/kinds.h"
#include "core/lens/glow.h"
#include "core/render/geometry.h"
#include "core/session/session.h"
#include "core/exchange/child.h"
#include "demo/starters.h"

#include <algorithm>
#include <chrono>
#include <condition_variable>
#include <cstring>
#include <embree3/rtcore.h>
#include <filesystem>
#include <fmt/format.h>
#include <mutex>
#include <thread>
#include <unistd.h>

using namespace ilumbra;
using Clock = std::chrono::steady_clock;

namespace {

double seconds(const std::function<void()>& f) {
  const auto start = Clock::now();
  f();
  return std::chrono::duration<double>(Clock::now() - start).count();
}

// The least of some runs: what the machine can do when nothing disturbs it.
double best(int runs, const std::function<void()>& f) {
  double least = 1e30;
  for (int i = 0; i < runs; ++i) least = std::min(least, seconds(f));
  return least;
}

double median(std::vector<double> v) {
  std::sort(v.begin(), v.end());
  return v[v.size() / 2];
}

void line(const std::string& what, const std::string& must, const std::string& measured, const std::string& how) {
  fmt::print("| {} | {} | {} | {} |\n", what, must, measured, how);
  std::fflush(stdout);
}

Document sized(const Document& doc, int width, int height) {
  const NodeId s = doc.settings().id;
  return setValue(setValue(doc, s, "width", Constant(double(width))), s, "height", Constant(double(height)));
}

// The rays of a pass, once more, with nothing but Embree.
void replay(const std::vector<RayLog::Entry>& rays, size_t from, size_t to) {
  for (size_t i = from; i < to; ++i) {
    const RayLog::Entry& e = rays[i];
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit q;
    q.ray.org_x = e.origin.x;
    q.ray.org_y = e.origin.y;
    q.ray.org_z = e.origin.z;
    q.ray.dir_x = e.direction.x;
    q.ray.dir_y = e.direction.y;
    q.ray.dir_z = e.direction.z;
    q.ray.tnear = e.near;
    q.ray.tfar = e.far;
    q.ray.time = 0;
    q.ray.mask = ~0u;
    q.ray.id = 0;
    q.ray.flags = 0;
    q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    if (e.shadow) rtcOccluded1(e.in, &context, &q.ray);
    else rtcIntersect1(e.in, &context, &q);
  }
}

struct Hall {
  std::shared_ptr<const Kinds> kinds = allKinds();
  std::string folder = (std::filesystem::temp_directory_path() / fmt::format("ilumbra-bench-{}", ::getpid())).string();
  Document doc;
  AssetCache assets;
  Hall() {
    std::filesystem::create_directories(folder);
    doc = writeStarter(findStarter("orrery-hall"), kinds, folder + "/hall.ilum");
  }
  ~Hall() { std::filesystem::remove_all(folder); }
  ScenePtr compile(const Document& d, SceneCache& cache) { return compileScene(d, {.frame = 1, .queries = lensQueries(d)}, assets.assets(folder), cache); }
};

void traversal(Hall& hall) {
  const Document doc = sized(hall.doc, 480, 270);
  SceneCache cache;
  const ScenePtr scene = hall.compile(doc, cache);
  const CancelFlag never;
  const Tasks one(1), two(2);
  // The rays of four passes, tile by tile as they are traced.
  RayLog log;
  {
    Film film(480, 270, int(scene->groups.size()), scene->table);
    const PathTracer tracer(*scene);
    TraceCount count;
    for (int y = 0; y < 270; ++y)
      for (int x = 0; x < 480; ++x)
        for (uint32_t s = 0; s < 4; ++s) tracer.sample(film, x, y, s, count, &log);
  }
  Rendering r;
  std::vector<double> shares, scalings, bareScalings;
  for (int run = 0; run < 5; ++run) {
    const auto pass = [&](const Tasks& tasks) {
      r.restart(scene);
      return seconds([&] { r.advance(tasks, 4, never); });
    };
    const auto bare = [&](const Tasks& tasks) {
      constexpr size_t chunk = 4096;
      return seconds([&] {
        tasks.forEach(int((log.rays.size() + chunk - 1) / chunk), [&](int i) { replay(log.rays, size_t(i) * chunk, std::min(log.rays.size(), size_t(i + 1) * chunk)); });
      });
    };
    const double p1 = pass(one), b1 = bare(one), p2 = pass(two), b2 = bare(two);
    shares.push_back(b1 / p1);
    scalings.push_back(p1 / p2);
    bareScalings.push_back(b1 / b2);
  }
  line("share of a path-tracing pass that is Embree traversal", "≥ 0.35", fmt::format("{:.2f}", median(shares)), fmt::format("orrery-hall 480×270, 4 samples: {:.2f} M rays replayed bare ÷ the pass, one thread, median of 5", double(log.rays.size()) / 1e6));
  std::vector<double> ratio;
  for (size_t i = 0; i < scalings.size(); ++i) ratio.push_back(scalings[i] / bareScalings[i]);
  line("second core: our scaling ÷ bare Embree's", "≥ 0.95", fmt::format("{:.2f}", median(ratio)), fmt::format("the same pass and rays: ours × {:.2f}, bare × {:.2f}", median(scalings), median(bareScalings)));
}

void glow() {
  const int w = 1920, h = 1080;
  Picture p(w, h), copy(w, h);
  for (size_t i = 0; i < p.rgb.size(); ++i) p.rgb[i] = float(i % 251) / 50;
  const Tasks tasks;
  const double copied = best(20, [&] { std::memcpy(copy.rgb.data(), p.rgb.data(), p.rgb.size() * 4); });
  double worst = 0;
  std::string each;
  for (const float size : {0.005f, 0.03f, 0.12f, 0.5f}) {
    const GlowKernel kernel(size, 1, h);
    const double t = best(3, [&] { convolve(p, kernel, tasks); });
    worst = std::max(worst, t / copied);
    each += fmt::format("{}{:g} %: {:.0f}", each.empty() ? "" : ", ", size * 100, t / copied);
  }
  line("glow at 1920×1080, any size ÷ copying that frame once", "≤ 20", fmt::format("{:.0f}", worst), each + fmt::format(" (all threads; the copy {:.2f} ms)", copied * 1e3));
  double error = 0;
  const int n = 400;
  for (const float size : {0.008f, 0.03f, 0.09f, 0.17f}) {
    const GlowKernel kernel(size, 1, n);
    for (int phase = 0; phase < 16; ++phase) {
      Picture dot(n, n);
      const int cx = n / 2 + phase, cy = n / 2 + (phase * 7) % 16;
      for (int c = 0; c < 3; ++c) dot.at(cx, cy)[c] = 1;
      const Picture out = convolve(dot, kernel, tasks);
      double e = 0, norm = 0;
      for (int y = 0; y < n; ++y)
        for (int x = 0; x < n; ++x) {
          const double want = kernel.pixel(x - cx, y - cy), d = double(out.at(x, y)[0]) - want;
          e += d * d;
          norm += want * want;
        }
      error = std::max(error, std::sqrt(e / norm));
    }
  }
  line("glow's impulse response against the declared kernel, L2 at the worst pixel phase", "≤ 1 %", fmt::format("{:.2f} %", error * 100), "400×400, sizes 0.8 % to 17 % of the height, 16 phases");
}

// A session whose next image can be waited for.
class Watch {
public:
  Watch(Hall& hall) : m_session(std::make_shared<AssetCache>(hall.assets), std::make_shared<const ColorViews>(), [this](std::shared_ptr<const SessionImage> i) {
    const std::lock_guard lock(m_mutex);
    m_last = std::move(i);
    m_wake.notify_all();
  }) {}
  std::shared_ptr<const SessionImage> answer(const Document& d) {
    const uint64_t e = m_session.submit(SessionRequest{.doc = d});
    std::unique_lock lock(m_mutex);
    m_wake.wait(lock, [&] { return m_last && m_last->edition == e; });
    return m_last;
  }
  /// Shows a document and then leaves the machine alone.
  void pause(const Document& d) {
    answer(d);
    const uint64_t e = m_session.submit(SessionRequest{.doc = d, .paused = true});
    std::unique_lock lock(m_mutex);
    m_wake.wait(lock, [&] { return m_last && m_last->edition == e; });
  }

private:
  std::mutex m_mutex;
  std::condition_variable m_wake;
  std::shared_ptr<const SessionImage> m_last;
  Session m_session;
};

void interaction(Hall& hall) {
  const Document doc = sized(hall.doc, 1280, 720);
  SceneCache cache;
  const ScenePtr scene = hall.compile(doc, cache);
  const Tasks tasks;
  std::vector<RayLog::Entry> rays;
  for (int y = 0; y < 720; ++y)
    for (int x = 0; x < 1280; ++x) {
      const Ray r = scene->camera.ray(float(x) + 0.5f, float(y) + 0.5f, {0.5f, 0.5f});
      rays.push_back({r.origin, r.direction, 0, 1e30f, false, scene->everything});
    }
  const auto primaryRays = [&] { tasks.forEach(720, [&](int y) { replay(rays, size_t(y) * 1280, size_t(y + 1) * 1280); }); };
  Watch watch(hall);
  watch.answer(doc);
  const auto change = [&](const char* address, Constant v) { return setAt(doc, resolve(doc, address), v); };
  const std::pair<const char*, Document> changes[] = {{"camera", change("Hall wide.position", Triple{0.6, 1.0, 3.3})},
                                                      {"material", change("Honed slate.roughness", 0.2)},
                                                      {"object moved", change("Table.position", Triple{0.05, 0, 0})},
                                                      {"shape", change("Slate table.radius", 1.2)}};
  double worst = 0;
  std::string each;
  std::vector<double> primaries;
  for (const auto& [name, changed] : changes) {
    // Each run beside its own measure: the machine is not equally fast all the time.
    std::vector<double> ratios;
    for (int run = 0; run < 7; ++run) {
      watch.pause(doc);
      const double primary = best(2, primaryRays);
      primaries.push_back(primary);
      ratios.push_back(seconds([&] { watch.answer(changed); }) / primary);
    }
    const double ratio = median(ratios);
    worst = std::max(worst, ratio);
    each += fmt::format("{}{} {:.1f}", each.empty() ? "" : ", ", name, ratio);
  }
  line("first lit picture at a quarter of the pixels after any change ÷ primary rays of the full picture", "≤ 1.5", fmt::format("{:.1f}", worst),
       each + fmt::format(" (request to picture with lens and view, medians of 7, each beside its own primary rays: 1280×720 in {:.0f} ms)", median(primaries) * 1e3));
  uint64_t traced = 0;
  std::string what;
  std::vector<double> mixes;
  for (const auto& [address, v] : {std::pair{"Night window.power", Constant(900.0)}, {"Night window.color", Constant(Triple{1, 0, 0})}, {"Wall lamp.on", Constant(false)}, {"Sun halo.strength", Constant(0.5)},
                                   {"Sun halo.size", Constant(0.05)}, {"Hall wide.ev100", Constant(7.0)}, {"Bead light.own_light", Constant(100.0)}}) {
    watch.answer(doc);
    std::shared_ptr<const SessionImage> image;
    mixes.push_back(seconds([&] { image = watch.answer(change(address, v)); }));
    traced += image->raysSinceRequest;
    what += fmt::format("{}{}", what.empty() ? "" : ", ", address);
  }
  line("rays traced when the power, tint or switch of a light, or a lens parameter changes", "0", fmt::format("{}", traced), what + fmt::format("; shown after {:.0f} ms", median(mixes) * 1e3));
}

void cancel(Hall& hall) {
  const Document doc = sized(hall.doc, 1280, 720);
  SceneCache cache;
  Rendering r(hall.compile(doc, cache));
  const Tasks tasks;
  std::vector<double> times;
  for (int run = 0; run < 15; ++run) {
    CancelFlag flag;
    Clock::time_point asked;
    std::thread later([&] {
      std::this_thread::sleep_for(std::chrono::milliseconds(120));
      asked = Clock::now();
      flag.request();
    });
    r.advance(tasks, r.samples() + 50, flag);
    const double t = std::chrono::duration<double>(Clock::now() - asked).count();
    later.join();
    times.push_back(t);
  }
  line("answer to a cancel", "≤ 30 ms", fmt::format("{:.1f} ms", *std::max_element(times.begin(), times.end()) * 1e3), "orrery-hall 1280×720 in the middle of a pass, worst of 15");
}

} // namespace

int main(int argc, char** argv) {
  if (const int code = parseIfChild(argc, argv); code >= 0) return code;
  fmt::print("| what | must reach | measured | how |\n|---|---|---|---|\n");
  Hall hall;
  const std::pair<const char*, std::function<void()>> parts[] = {
      {"traversal", [&] { traversal(hall); }}, {"glow", glow}, {"interaction", [&] { interaction(hall); }}, {"cancel", [&] { cancel(hall); }}};
  for (const auto& [name, part] : parts)
    if (argc < 2 || std::find_if(argv + 1, argv + argc, [&](const char* a) { return std::string(a) == name; }) != argv + argc) part();
  return 0;
}
