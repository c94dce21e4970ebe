#include "core/lens/prescription.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/spectrum.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace ilumbra {

using Json = nlohmann::ordered_json;

Prescription parsePrescription(const std::string& text) {
  Json j;
  try {
    j = Json::parse(text);
  } catch (const Json::exception& e) {
    throw badInput(fmt::format("is no lens prescription: {}", e.what()));
  }
  if (!j.is_object() || !j.contains("surfaces") || !j["surfaces"].is_array())
    throw badInput("is no lens prescription: it has no list of \"surfaces\"");
  Prescription p;
  if (j.contains("name") && j["name"].is_string()) p.name = j["name"];
  int stops = 0;
  const Json& list = j["surfaces"];
  if (list.size() < 3 || list.size() > 80)
    throw badInput(fmt::format("a lens has 3 to 80 surfaces, the stop among them; here are {}", list.size()));
  for (size_t i = 0; i < list.size(); ++i) {
    const Json& s = list[i];
    const std::string place = fmt::format("surface {}", i + 1);
    if (!s.is_object()) throw badInput(place + ": is no object");
    Prescription::Surface out;
    const auto number = [&](const char* name, double& to, double least, double most) {
      if (!s.contains(name)) return;
      if (!s[name].is_number()) throw badInput(fmt::format("{}: \"{}\" is no number", place, name));
      to = s[name];
      if (!(to >= least && to <= most))
        throw badInput(fmt::format("{}: \"{}\" is {:g}; it may be {:g} to {:g}", place, name, to, least, most));
    };
    number("radius", out.radius, -1e5, 1e5);
    if (out.radius != 0 && std::abs(out.radius) < 1) throw badInput(place + ": a radius of less than 1 mm");
    number("index", out.index, 1, 3);
    number("abbe", out.abbe, 10, 120);
    number("aperture", out.aperture, 0.1, 1e6);
    number("coating", out.coating, 0, 2000);
    if (s.contains("after")) {
      const Json& after = s["after"];
      const auto length = [&](const Json& v) {
        if (!v.is_number() || !(double(v) >= 0 && double(v) <= 1000))
          throw badInput(place + ": \"after\" is the way to the next surface, 0 to 1000 mm, or two such for a zoom");
        return double(v);
      };
      if (after.is_array() && after.size() == 2)
        out.after = {length(after[0]), length(after[1])};
      else
        out.after = {length(after), length(after)};
    }
    if (s.contains("stop")) out.stop = s["stop"].is_boolean() && bool(s["stop"]);
    stops += out.stop;
    p.surfaces.push_back(out);
  }
  if (stops != 1) throw badInput(fmt::format("a lens has one stop; here are {}", stops));
  if (p.surfaces.back().index != 1) throw badInput("behind the last surface is air: its index must be 1");
  if (const double f = LensSystem(p, 0, 587.56).focalLength; !(f > 1 && f < 1e4))
    throw badInput("these surfaces make no picture on a film: their focal length is not between 1 mm and 10 m");
  return p;
}

Prescription readPrescription(const std::string& path) {
  const std::string text = readFile(path, size_t(1) << 20);
  try {
    return parsePrescription(text);
  } catch (const Error& e) {
    throw badInput(path + ": " + e.what());
  }
}

std::string prescriptionText(const Prescription& p) {
  Json j;
  j["name"] = p.name;
  j["surfaces"] = Json::array();
  for (const auto& s : p.surfaces) {
    Json o;
    if (s.stop) o["stop"] = true;
    if (s.radius != 0) o["radius"] = s.radius;
    if (s.after[0] == s.after[1])
      o["after"] = s.after[0];
    else
      o["after"] = s.after;
    if (s.index != 1) {
      o["index"] = s.index;
      o["abbe"] = s.abbe;
    }
    if (s.aperture < 1e6) o["aperture"] = s.aperture;
    if (s.coating > 0) o["coating"] = s.coating;
    j["surfaces"].push_back(std::move(o));
  }
  return j.dump(2) + "\n";
}

LensSystem::LensSystem(const Prescription& p, double zoom, double wave) : m_p(p), m_zoom(zoom), m_wave(wave) {
  for (const auto& s : p.surfaces) {
    m_index.push_back(s.stop        ? (m_index.empty() ? 1.0 : m_index.back())
                      : s.index > 1 ? double(cauchyIndex(float(s.index), float(s.abbe), float(wave)))
                                    : 1.0);
    m_after.push_back(s.after[0] * (1 - zoom) + s.after[1] * zoom);
  }
  RayMatrix m;
  const size_t n = p.surfaces.size();
  for (size_t i = 0; i < n; ++i) {
    if (p.surfaces[i].stop) toStop = m;
    m.then(bend(i));
    if (i + 1 < n) m.then(move(i));
  }
  focalLength = -1 / m.c;
  backFocus = -m.a / m.c;
}

RayMatrix LensSystem::bend(size_t i) const {
  const double r = m_p.surfaces[i].radius;
  return {1, 0, r == 0 ? 0 : -(m_index[i] - before(i)) / r, 1};
}
RayMatrix LensSystem::move(size_t i) const { return {1, m_after[i] / m_index[i], 0, 1}; }
// Unfolded: the way back is drawn as if it went on.
RayMatrix LensSystem::mirror(size_t i, bool fromFront) const {
  const double r = m_p.surfaces[i].radius;
  if (r == 0) return {};
  return fromFront ? RayMatrix{1, 0, 2 * before(i) / r, 1} : RayMatrix{1, 0, -2 * m_index[i] / r, 1};
}

LensSystem::GhostPath LensSystem::ghost(size_t first, size_t second) const {
  GhostPath g;
  RayMatrix m;
  const auto pass = [&](size_t i) {
    if (m_p.surfaces[i].stop) g.atStop.push_back(m);
    m.then(bend(i));
  };
  for (size_t i = 0; i < first; ++i) {
    pass(i);
    m.then(move(i));
  }
  g.rims.emplace_back(m, m_p.surfaces[first].aperture);
  m.then(mirror(first, true));
  for (size_t i = first; i-- > second;) {
    m.then(move(i));
    if (i > second) pass(i);
  }
  g.rims.emplace_back(m, m_p.surfaces[second].aperture);
  m.then(mirror(second, false));
  for (size_t i = second; i + 1 < m_p.surfaces.size(); ++i) {
    m.then(move(i));
    pass(i + 1);
  }
  // Of the same film for all waves: that of the d line.
  m.then({1, m_wave == 587.56 ? backFocus : LensSystem(m_p, m_zoom, 587.56).backFocus, 0, 1});
  g.toFilm = m;
  return g;
}

double LensSystem::reflectance(size_t i, double wave) const {
  const double n0 = before(i), n2 = m_index[i], coat = m_p.surfaces[i].coating;
  if (n0 == n2) return 0;
  const double bare = (n0 - n2) / (n0 + n2);
  if (coat <= 0 || (n0 != 1 && n2 != 1)) return bare * bare; // cemented faces have no coat
  constexpr double n1 = 1.38;
  const double a = (n0 - n1) / (n0 + n1), b = (n1 - n2) / (n1 + n2), phase = 3.14159265358979323846 * coat / wave;
  const double cosine = std::cos(phase);
  return (a * a + b * b + 2 * a * b * cosine) / (1 + a * a * b * b + 2 * a * b * cosine);
}

} // namespace ilumbra
