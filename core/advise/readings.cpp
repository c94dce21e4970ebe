#include "core/advise/readings.h"

#include "core/base/colorspace.h"
#include "core/compile/camera.h"
#include "core/compile/sight.h"
#include "core/document/units.h"
#include "core/effects/route_parts.h"
#include "core/lens/queries.h"
#include "core/scene/scene.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ilumbra {

namespace {

using Weight = Finding::Weight;

constexpr double outTo = 0.2;         // of a profile: shares of the height
constexpr double aboveSurface = 0.77; // stops: 1.7 times
constexpr double outOfSurround = 3.3; // stops: ten times
constexpr double hardRim = 9;         // stops within a hundredth of the height: an edge, not a gradient
constexpr double lostHue = 0.5;       // of the saturation that it has

double stopsOf(double v) { return v > 0 ? std::max(-100.0, std::log2(v)) : -100; }

// How colourful a display value is: 0 grey, 1 of one channel alone.
double saturation(const float* c) {
  const double most = double(std::max({c[0], c[1], c[2]})), least = double(std::min({c[0], c[1], c[2]}));
  return most > 0 ? (most - least) / most : 0;
}

class Reader {
 public:
  explicit Reader(const ReadingsOf& of)
      : m_of(of), m_picture(of.picture), m_part(of.picture.whole(of.region)),
        m_height(double(std::max(1, of.picture.height))) {}

  Readings read() {
    m_out.noise = m_of.noise;
    if (m_part.width <= 0 || m_part.height <= 0) return std::move(m_out);
    measureAll();
    if (const auto centre = findCentre()) measureHalo(*centre);
    judge();
    return std::move(m_out);
  }

 private:
  double lum(int x, int y) const { return double(luminance(m_picture.color(x, y))); }
  bool within(int x, int y) const {
    return x >= m_part.x && y >= m_part.y && x < m_part.x + m_part.width && y < m_part.y + m_part.height;
  }
  std::vector<float> shown(const Picture& p) const {
    if (m_of.shown) return m_of.shown(p);
    std::vector<float> out = p.rgb;
    for (float& v : out) v = clamp01(v);
    return out;
  }

  void measureAll() {
    std::vector<double> values;
    Picture part(m_part.width, m_part.height);
    for (int y = 0; y < m_part.height; ++y)
      for (int x = 0; x < m_part.width; ++x) {
        const float* c = m_picture.at(m_part.x + x, m_part.y + y);
        std::copy(c, c + 3, part.at(x, y));
        const double v = lum(m_part.x + x, m_part.y + y);
        values.push_back(v);
        const int bin = std::clamp(int(std::floor(stopsOf(v))), Readings::lowest, Readings::highest);
        m_out.histogram[size_t(bin - Readings::lowest)] += 1;
      }
    const double n = double(values.size());
    for (double& h : m_out.histogram) h /= n;
    const std::vector<float> display = shown(part);
    for (size_t i = 0; i < part.pixels(); ++i) {
      bool any = false, black = true;
      for (size_t c = 0; c < 3; ++c) {
        // At the display's end, and more of it would be shown no brighter.
        const bool cut = display[3 * i + c] >= 0.999f && part.rgb[3 * i + c] > 0.5f;
        m_out.clipped[c] += cut;
        any |= cut;
        black &= display[3 * i + c] < 0.004f;
      }
      m_out.anyClipped += any;
      m_out.black += black;
    }
    for (double* share : {&m_out.clipped[0], &m_out.clipped[1], &m_out.clipped[2], &m_out.anyClipped, &m_out.black})
      *share /= n;
    std::sort(values.begin(), values.end());
    const auto at = [&](double share) { return stopsOf(values[std::min(values.size() - 1, size_t(share * n))]); };
    m_out.brightest = at(0.999);
    m_out.middle = at(0.5);
    m_out.darkest = at(0.001);
  }

  // Where the light is: at the brightest of what the effect's sources are seen at, or of all.
  std::optional<V2f> findCentre() const {
    const int reach = std::max(1, int(0.004 * m_height));
    const auto mean = [&](int x, int y) {
      double sum = 0;
      int n = 0;
      for (int b = y - reach; b <= y + reach; ++b)
        for (int a = x - reach; a <= x + reach; ++a)
          if (within(a, b)) sum += lum(a, b), ++n;
      return n ? sum / n : 0;
    };
    if (m_of.effect && m_of.scene) {
      const Node* effect = m_of.doc.find(m_of.effect);
      double most = -1;
      std::optional<V2f> best;
      for (const NodeId id : effect ? roleOf(m_of.doc, *effect, "from") : std::vector<NodeId>()) {
        std::vector<const Node*> sources;
        leaf(m_of.doc, id, sources);
        for (const Node* n : sources) {
          if (n->kind->family() != "light" && n->kind->family() != "object") continue;
          const SeenAt s = seenAt(m_of.doc, *m_of.scene, n->id, V3f(0.0f), m_of.frame);
          const double scale = double(m_picture.width) / std::max(1, m_of.scene->width);
          const int x = int(double(s.at.x) * scale), y = int(double(s.at.y) * scale);
          if (s.depth <= 0 || !within(x, y)) continue;
          if (const double v = mean(x, y); v > most) {
            most = v;
            best = V2f(float(x), float(y));
          }
        }
      }
      if (best) return climb(*best, mean);
    }
    double most = 0;
    V2f best(0, 0);
    const int step = std::max(1, reach);
    for (int y = m_part.y; y < m_part.y + m_part.height; y += step)
      for (int x = m_part.x; x < m_part.x + m_part.width; x += step)
        if (const double v = mean(x, y); v > most) {
          most = v;
          best = V2f(float(x), float(y));
        }
    if (!(most > 0)) return {};
    // A grey wall has no halo: it must stand out of the middle.
    if (stopsOf(most) < m_out.middle + 1) return {};
    return climb(best, mean);
  }
  // To the middle of all that is nearly as bright around it.
  template <typename F> V2f climb(const V2f& from, const F& mean) const {
    const int reach = std::max(2, int(0.03 * m_height));
    double most = 0;
    for (int y = int(from.y) - reach; y <= int(from.y) + reach; ++y)
      for (int x = int(from.x) - reach; x <= int(from.x) + reach; ++x)
        if (within(x, y)) most = std::max(most, lum(x, y));
    double sum = 0;
    V2f middle(0, 0);
    for (int y = int(from.y) - reach; y <= int(from.y) + reach; ++y)
      for (int x = int(from.x) - reach; x <= int(from.x) + reach; ++x)
        if (within(x, y) && lum(x, y) > 0.5 * most) {
          middle += V2f(float(x), float(y));
          sum += 1;
        }
    const V2f at = sum > 0 ? middle / float(sum) : from;
    return mean(int(at.x), int(at.y)) > 0.5 * mean(int(from.x), int(from.y)) ? at : from;
  }

  // Median over the circle: streaks and neighbours do not count.
  double ring(const V2f& centre, double radius) const {
    std::vector<double> values;
    const int steps = std::clamp(int(8 * radius), 16, 720);
    for (int k = 0; k < steps; ++k) {
      const double a = 2 * 3.14159265358979 * (k + 0.5) / steps;
      const int x = int(std::lround(double(centre.x) + radius * std::cos(a))),
                y = int(std::lround(double(centre.y) + radius * std::sin(a)));
      if (within(x, y)) values.push_back(lum(x, y));
    }
    if (values.size() < size_t(steps) / 8) return -1; // out of the picture
    std::nth_element(values.begin(), values.begin() + ptrdiff_t(values.size() / 2), values.end());
    return values[values.size() / 2];
  }

  void measureHalo(const V2f& centre) {
    HaloReading h;
    h.centre = centre;
    const double far = outTo * m_height;
    std::vector<std::pair<double, double>> rings; // pixels, light
    for (double r = 0; r <= far; r = r < 4 ? r + 1 : r * 1.06) {
      const double v = r < 0.5 ? lum(int(centre.x), int(centre.y)) : ring(centre, r);
      if (v < 0) break;
      rings.emplace_back(r, v);
    }
    if (rings.size() < 4) return;
    double core = 0;
    for (const auto& [r, v] : rings)
      if (r <= std::max(2.0, 0.01 * m_height)) core = std::max(core, v);
    if (!(core > 0)) return;
    h.core = stopsOf(core);
    const auto where = [&](double value, double from) {
      for (size_t k = 1; k < rings.size(); ++k)
        if (rings[k].first > from && rings[k].second < value) {
          // Between two rings by their stops.
          const double a = stopsOf(rings[k - 1].second), b = stopsOf(rings[k].second), t = stopsOf(value);
          const double f = a > b ? std::clamp((a - t) / (a - b), 0.0, 1.0) : 1;
          return rings[k - 1].first + f * (rings[k].first - rings[k - 1].first);
        }
      return rings.back().first;
    };
    const auto valueAt = [&](double r) {
      for (size_t k = 1; k < rings.size(); ++k)
        if (rings[k].first >= r) {
          const double f = (r - rings[k - 1].first) / std::max(1e-9, rings[k].first - rings[k - 1].first);
          return rings[k - 1].second + f * (rings[k].second - rings[k - 1].second);
        }
      return rings.back().second;
    };
    const double radius = where(0.5 * core, -1);
    h.radius = radius / m_height;
    double around = 0;
    int n = 0;
    for (double r = outTo * m_height; r <= 0.4 * m_height; r *= 1.1)
      if (const double v = ring(centre, r); v >= 0) around += v, ++n;
    const double surround = n ? around / n : rings.back().second;
    h.surround = stopsOf(surround);
    // Just outside of the core begins what the lens has spread.
    const double rim = radius + std::max(1.0, 0.01 * m_height), atRim = valueAt(rim);
    h.rim = stopsOf(valueAt(radius)) - stopsOf(atRim);
    const double over = std::max(0.0, atRim - surround);
    h.halfWidth = over > 0 ? where(surround + 0.5 * over, rim) / m_height : 0;
    h.tail = where(surround + std::max(0.02 * over, 1e-9), rim) / m_height;
    h.falls = fall(rings, rim, std::max(rim * 1.5, h.tail * m_height));
    for (const auto& [r, v] : rings) h.profile.emplace_back(float(r / m_height), float(stopsOf(v)));
    h.keepsHue = hueKept(centre, rim, h.tail * m_height);
    m_out.halo.push_back(std::move(h));
  }

  // The exponent of a halo over a ground: v = a r^-n + c, by least squares of log (v - c) over log r for the c that
  // fits best (the halo itself may reach beyond where the ground is read).
  static double fall(const std::vector<std::pair<double, double>>& rings, double from, double to) {
    std::vector<std::pair<double, double>> in;
    for (const auto& ring : rings)
      if (ring.first >= from && ring.first <= to && ring.second > 0) in.push_back(ring);
    if (in.size() < 5) return 0;
    const double least = std::min_element(in.begin(), in.end(), [](const auto& a, const auto& b) {
                           return a.second < b.second;
                         })->second;
    double best = 0, error = 1e300;
    for (int k = 0; k < 40; ++k) {
      const double c = least * (1 - std::exp2(-0.25 * k));
      double sx = 0, sy = 0, sxx = 0, sxy = 0, syy = 0;
      const double n = double(in.size());
      for (const auto& [r, v] : in) {
        const double x = std::log(r), y = std::log(v - c);
        sx += x, sy += y, sxx += x * x, sxy += x * y, syy += y * y;
      }
      const double slope = (n * sxy - sx * sy) / std::max(1e-12, n * sxx - sx * sx),
                   off = (syy - sy * sy / n - slope * slope * (sxx - sx * sx / n)) / n;
      if (off < error) {
        error = off;
        best = -slope;
      }
    }
    return best;
  }

  // Up to how many stops from white the halo's hue is shown: its mean colour, raised stop by stop through the view.
  double hueKept(const V2f& centre, double from, double to) const {
    Color sum(0.0f);
    for (int k = 0; k < 720; ++k) {
      const double a = 2 * 3.14159265358979 * k / 720, r = from + (std::max(to, from + 1) - from) * 0.3;
      const int x = int(double(centre.x) + r * std::cos(a)), y = int(double(centre.y) + r * std::sin(a));
      if (within(x, y)) sum += m_picture.color(x, y);
    }
    const float l = luminance(sum);
    if (!(l > 0)) return -100;
    const Color hue = sum * (1 / l);
    constexpr int steps = 61;
    Picture ramp(steps, 1);
    for (int k = 0; k < steps; ++k) {
      const Color c = hue * float(std::exp2(-3 + 0.2 * k));
      for (int i = 0; i < 3; ++i) ramp.at(k, 0)[i] = c[i];
    }
    const std::vector<float> display = shown(ramp);
    const double whole = saturation(display.data());
    if (whole < 0.12) return 100; // nearly white: there is no hue to lose
    for (int k = 0; k < steps; ++k)
      if (saturation(display.data() + 3 * k) < lostHue * whole) return -3 + 0.2 * k;
    return 100;
  }

  void tell(Weight weight, std::string text, std::vector<Mend> mends = {}) {
    m_out.lines.push_back({weight, "", m_of.effect, std::move(text), std::move(mends), {}});
  }

  // The stages whose light is read: the effect's, or all that act.
  std::vector<const Node*> stages(const char* kind) const {
    const Node* effect = m_of.effect ? m_of.doc.find(m_of.effect) : nullptr;
    const std::vector<NodeId> role = effect ? roleOf(m_of.doc, *effect, "lens") : std::vector<NodeId>();
    std::vector<const Node*> out;
    for (const Node* s : lensStages(m_of.doc))
      if (s->kind->id == kind && stageActs(m_of.doc, *s, m_of.frame) &&
          (role.empty() || std::find(role.begin(), role.end(), s->id) != role.end()))
        out.push_back(s);
    return out;
  }
  Params paramsOf(const Node& n) const { return {n, m_of.frame}; }
  // What is raised so that the core is brighter by so many stops: the sources' power, or the exposure.
  std::vector<Mend> brighter(double stops) const {
    std::vector<Mend> mends;
    const Node* effect = m_of.effect ? m_of.doc.find(m_of.effect) : nullptr;
    const double up = std::ceil(2 * stops) / 2;
    std::vector<const Node*> sources;
    if (effect)
      for (const NodeId id : roleOf(m_of.doc, *effect, "from")) leaf(m_of.doc, id, sources);
    for (const Node* n : sources) {
      if (n->kind->param("stops")) {
        mends.push_back({fmt::format("Raise {} by {:g} stops", n->name, up),
                         {{at(*n, "stops"), fmt::format("{:g}", paramsOf(*n).number("stops") + up)}}});
        break;
      }
      const Node* m = n->kind->param("own_light")  ? n
                      : n->kind->param("material") ? m_of.doc.find(paramsOf(*n).reference("material").target)
                                                   : nullptr;
      if (m && m->kind->param("own_light") && !paramsOf(*m).pattern("own_light")) {
        mends.push_back(
            {fmt::format("Raise the own light of {} by {:g} stops", m->name, up),
             {{at(*m, "own_light"), fmt::format("{:.3g}", paramsOf(*m).number("own_light") * std::exp2(up))}}});
        break;
      }
    }
    return mends;
  }
  std::vector<Mend> exposeBy(double stops) const {
    const Node* camera = activeCamera(m_of.doc);
    if (!camera || !camera->kind->param("ev100")) return {};
    const double by = std::round(2 * stops) / 2;
    return {{fmt::format("Expose {:g} stops {}", std::abs(by), by > 0 ? "more" : "less"),
             {{at(*camera, "ev100"), fmt::format("{:g}", paramsOf(*camera).number("ev100") - by)}}}};
  }

  void judge() {
    judgeExposure();
    if (m_out.halo.empty()) {
      if (m_out.brightest > -99) tell(Weight::Weak, "Nothing stands out: all lies within a stop of the middle");
      m_out.verdict = m_out.brightest <= -99 ? "All is black" : "Reads as a surface, not as a light";
    } else {
      judgeHalo(m_out.halo.front());
    }
    judgeClipping();
    judgeNoise();
    std::stable_sort(m_out.lines.begin(), m_out.lines.end(),
                     [](const Finding& a, const Finding& b) { return a.weight > b.weight; });
  }

  void judgeExposure() {
    if (m_out.brightest <= -99)
      tell(Weight::Broken, "The picture is black");
    else if (m_out.brightest < std::log2(0.18))
      tell(Weight::Broken,
           fmt::format("Nothing lies above middle grey: the brightest is {}", stopsFromWhite(m_out.brightest)),
           exposeBy(-m_out.brightest));
    else if (m_out.darkest > 0)
      tell(Weight::Broken, fmt::format("Everything lies above white: the darkest is {}", stopsFromWhite(m_out.darkest)),
           exposeBy(-m_out.middle + std::log2(0.18)));
  }

  void judgeHalo(const HaloReading& h) {
    const double out = h.core - h.surround;
    int against = 0;
    const std::string core = fmt::format("Core {}, {:.0f} above its surround", stopsFromWhite(h.core), out);
    if (h.core < aboveSurface) {
      ++against;
      tell(h.core < 0 ? Weight::Broken : Weight::Weak,
           fmt::format("Core {}: no brighter than a lit surface", stopsFromWhite(h.core)), brighter(2 - h.core));
    } else if (out < outOfSurround) {
      ++against;
      tell(Weight::Weak, fmt::format("Core only {:.1f} stops above its surround", out), darker(h));
    } else {
      tell(Weight::Note, core);
    }
    // A gradient is what makes it glow: without one it is a white patch.
    const bool spread = h.halfWidth > 0 && h.tail > h.radius + 0.012;
    if (!spread || h.rim > hardRim) {
      ++against;
      std::vector<Mend> mends;
      for (const Node* s : stages("lens.glow"))
        mends.push_back(
            {fmt::format("Let {} spread twice as much", s->name),
             {{at(*s, "amount"), fmt::format("{:.3g}", std::min(1.0, 2 * paramsOf(*s).number("amount")))}}});
      tell(Weight::Weak,
           spread ? fmt::format("The rim falls {:.0f} stops in 1 % of the height: a hard edge", h.rim)
                  : "It ends at its edge: nothing of it is spread around it",
           std::move(mends));
    } else {
      tell(Weight::Note, fmt::format("The rim falls {:.1f} stops in 1 % of the height: soft", h.rim));
      tell(Weight::Note, fmt::format("The halo is half as strong at {:.1f} % of the height and ends at {:.0f} %",
                                     100 * h.halfWidth, 100 * h.tail));
    }
    if (h.keepsHue > 99)
      tell(Weight::Note, "Nearly white: it has no hue to lose");
    else if (h.keepsHue > -99 && h.keepsHue < 0) {
      std::vector<Mend> mends;
      for (const Node* s : stages("lens.glow"))
        if (paramsOf(*s).number("saturation") > 0.8)
          mends.push_back(
              {fmt::format("Bring the saturation of {} to 80 %", s->name), {{at(*s, "saturation"), "80 %"}}});
      tell(Weight::Weak, fmt::format("Its hue is lost from {} on", stopsFromWhite(h.keepsHue)), std::move(mends));
    } else if (h.keepsHue > -99)
      tell(Weight::Note, fmt::format("Hue is kept to {}", stopsFromWhite(h.keepsHue)));
    m_out.reads = against == 0;
    m_out.verdict = against == 0   ? "Reads as a light"
                    : against == 1 ? "Nearly reads as a light"
                                   : "Reads as a bright surface, not as a light";
  }

  // Everything else steps back.
  std::vector<Mend> darker(const HaloReading& h) const {
    const Node* effect = m_of.effect ? m_of.doc.find(m_of.effect) : nullptr;
    std::vector<NodeId> ours = effect ? roleOf(m_of.doc, *effect, "from") : std::vector<NodeId>();
    std::vector<Mend> mends;
    const double down = std::ceil(outOfSurround - (h.core - h.surround) + 0.5);
    for (const Node* n : m_of.doc.family("light"))
      if (n->kind->id == "light.sky" && n->kind->param("stops") &&
          std::find(ours.begin(), ours.end(), n->id) == ours.end())
        mends.push_back({fmt::format("Lower {} by {:.0f} stops", n->name, down),
                         {{at(*n, "stops"), fmt::format("{:g}", paramsOf(*n).number("stops") - down)}}});
    return mends;
  }

  void judgeClipping() {
    static constexpr const char* channel[] = {"Red", "Green", "Blue"};
    size_t most = 0, least = 0;
    for (size_t c = 1; c < 3; ++c) {
      if (m_out.clipped[c] > m_out.clipped[most]) most = c;
      if (m_out.clipped[c] < m_out.clipped[least]) least = c;
    }
    const double uneven = m_out.clipped[most] - m_out.clipped[least];
    if (m_out.clipped[least] > 0.25)
      tell(Weight::Weak, fmt::format("{} of the picture is white without detail", percent(m_out.clipped[least])),
           exposeBy(-2));
    if (uneven > 0.01) {
      std::vector<Mend> mends;
      for (const Node* s : stages("lens.glow"))
        if (const double now = paramsOf(*s).number("saturation"); now > 0.2)
          mends.push_back({fmt::format("Bring the saturation of {} to {:.0f} %", s->name, 80 * now),
                           {{at(*s, "saturation"), fmt::format("{:.0f} %", 80 * now)}}});
      tell(Weight::Weak, fmt::format("{} alone is cut off in {}: the hue turns there", channel[most], percent(uneven)),
           std::move(mends));
    }
    if (m_out.black > 0.6 && m_out.brightest > -99)
      tell(Weight::Note, fmt::format("{} of the picture is shown as black", percent(m_out.black)));
  }

  void judgeNoise() {
    if (m_out.noise > 0.2 && !settingsOf(m_of.doc).flag("denoise"))
      tell(Weight::Weak, fmt::format("Noise of {} is left", percent(m_out.noise)),
           {{"Denoise it", {{at(m_of.doc.settings(), "denoise"), "on"}}}});
  }

  const ReadingsOf& m_of;
  const Picture& m_picture;
  const Region m_part;
  const double m_height;
  Readings m_out;
};

} // namespace

Readings takeReadings(const ReadingsOf& of) { return Reader(of).read(); }

std::string stopsFromWhite(double stops) {
  return fmt::format("{:.1f} stops {} white", std::abs(stops), stops >= 0 ? "above" : "below");
}

std::vector<std::string> compareReadings(const Readings& now, const Readings& other, const std::string& name) {
  std::vector<std::pair<double, std::string>> found;
  const auto stops = [&](const char* what, double a, double b) {
    if (a < -99 || b < -99 || std::abs(a - b) < 0.15) return;
    found.emplace_back(std::abs(a - b), fmt::format("{} {:.1f} stops {} than in {}", what, std::abs(a - b),
                                                    a > b ? "brighter" : "darker", name));
  };
  const auto times = [](double r) {
    const double by = r > 1 ? r : 1 / r;
    return std::abs(by - 2) < 0.15 ? std::string("twice") : fmt::format("{:.1f} times", by);
  };
  if (!now.halo.empty() && !other.halo.empty()) {
    const HaloReading &a = now.halo.front(), &b = other.halo.front();
    stops("Core", a.core, b.core);
    stops("Surround", a.surround, b.surround);
    const auto ratio = [&](double x, double y, const char* what, const char* more, const char* less) {
      if (!(x > 1e-4) || !(y > 1e-4)) return;
      const double r = x / y;
      if (r < 1.12 && r > 1 / 1.12) return;
      found.emplace_back(std::abs(std::log2(r)),
                         fmt::format("{} {} as {} as {}", what, times(r), r > 1 ? more : less, name));
    };
    ratio(a.falls, b.falls, "Falls off", "fast", "slowly");
    ratio(a.halfWidth, b.halfWidth, "The halo is", "wide", "narrow");
    ratio(a.radius, b.radius, "The core is", "large", "small");
    if (a.keepsHue < 99 && b.keepsHue < 99 && a.keepsHue > -99 && b.keepsHue > -99 &&
        std::abs(a.keepsHue - b.keepsHue) > 0.3)
      found.emplace_back(0.3 * std::abs(a.keepsHue - b.keepsHue),
                         fmt::format("Keeps its hue {:.1f} stops {} than {}", std::abs(a.keepsHue - b.keepsHue),
                                     a.keepsHue > b.keepsHue ? "further" : "less far", name));
  }
  stops("The middle of the picture", now.middle, other.middle);
  if (std::abs(now.anyClipped - other.anyClipped) > 0.005)
    found.emplace_back(10 * std::abs(now.anyClipped - other.anyClipped),
                       fmt::format("{} of the picture is cut off, in {} {}", percent(now.anyClipped), name,
                                   percent(other.anyClipped)));
  std::stable_sort(found.begin(), found.end(), [](const auto& x, const auto& y) { return x.first > y.first; });
  std::vector<std::string> out;
  for (auto& [by, text] : found) out.push_back(std::move(text));
  return out;
}

} // namespace ilumbra
