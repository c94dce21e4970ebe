#include "core/exchange/picture_layers.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/document/words.h"

#include <cctype>
#include <cstring>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <set>

namespace ilumbra {

// Cryptomatte 1.2: the hash as a float, its exponent kept from 0 and 255 so that it is a normal number.
float cryptomatteId(const std::string& name) {
  uint32_t h = murmur3(name);
  const uint32_t exponent = h >> 23 & 255;
  if (exponent == 0 || exponent == 255) h ^= 1u << 23;
  float f;
  std::memcpy(&f, &h, 4);
  return f;
}

std::vector<std::string> layerNames(const PictureFile& file) {
  std::vector<std::string> out;
  std::set<std::string> mattes;
  for (const auto& [key, value] : file.metadata) {
    if (!key.starts_with("cryptomatte/")) continue;
    if (key.ends_with("/name")) mattes.insert(value);
    if (key.ends_with("/manifest")) {
      const auto manifest = nlohmann::json::parse(value, nullptr, false);
      if (manifest.is_object())
        for (const auto& [name, hash] : manifest.items()) out.push_back(name);
    }
  }
  for (const FileLayer& l : file.layers) {
    if (l.name.empty() ||
        std::any_of(mattes.begin(), mattes.end(), [&](const std::string& m) { return l.name.starts_with(m); }))
      continue;
    const auto has = [&](const char* channel) {
      return std::find(l.channels.begin(), l.channels.end(), channel) != l.channels.end();
    };
    if ((has("R") && has("G") && has("B")) || (l.channels.size() == 1 && !has("Z"))) out.push_back(l.name);
  }
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

Picture layerShare(const PictureFile& file, const std::string& name, const std::string& path) {
  Picture out(file.width, file.height);
  if (name.empty()) {
    std::fill(out.rgb.begin(), out.rgb.end(), 1.0f);
    return out;
  }
  if (const FileLayer* l = file.find(name); l && l->channels.size() >= 3) {
    const Picture all = file.picture(file.find("") ? "" : file.layers.front().name), own = file.picture(name);
    for (size_t i = 0; i < out.rgb.size(); ++i) {
      const float share = all.rgb[i] != 0 ? own.rgb[i] / all.rgb[i] : 0;
      out.rgb[i] = std::isfinite(share) ? share : 0;
    }
    return out;
  } else {
    const std::vector<float> covers = l && l->channels.size() == 1 ? l->data : decodeCryptomatte(file, name);
    if (l || std::any_of(covers.begin(), covers.end(), [](float v) { return v != 0; })) {
      for (size_t i = 0; i < out.rgb.size(); ++i)
        out.rgb[i] = std::isfinite(covers[i / 3]) ? std::clamp(covers[i / 3], 0.0f, 1.0f) : 0;
      return out;
    }
  }
  std::string there;
  for (const std::string& n : layerNames(file)) {
    if (n == name) return out; // a thing that is not in this frame
    there += (there.empty() ? "" : ", ") + n;
  }
  throw badInput(fmt::format("{}: has no layer of light, no mask and no Cryptomatte of the name {}{}", path,
                             quotation(name), there.empty() ? "" : fmt::format(" (there are {})", there)));
}

std::vector<float> decodeCryptomatte(const PictureFile& file, const std::string& name) {
  const float id = cryptomatteId(name);
  std::vector<float> coverage(size_t(file.width) * size_t(file.height), 0.0f);
  // The layers of any Cryptomatte that the file's metadata names: "NAME00", "NAME01", ...
  std::set<std::string> bases;
  for (const auto& [key, value] : file.metadata)
    if (key.starts_with("cryptomatte/") && key.ends_with("/name")) bases.insert(value);
  for (const FileLayer& l : file.layers) {
    if (l.channels.size() != 4) continue;
    size_t digits = 0;
    while (digits < l.name.size() && std::isdigit(static_cast<unsigned char>(l.name[l.name.size() - 1 - digits])))
      ++digits;
    if (digits == 0 || !bases.count(l.name.substr(0, l.name.size() - digits))) continue;
    const auto at = [&](char c) {
      for (size_t k = 0; k < 4; ++k)
        if (l.channels[k].size() == 1 && std::toupper(static_cast<unsigned char>(l.channels[k][0])) == c) return k;
      return size_t(4);
    };
    const size_t r = at('R'), g = at('G'), b = at('B'), a = at('A');
    if (r + g + b + a != 6) continue;
    for (size_t i = 0; i < coverage.size(); ++i) {
      const float* p = l.data.data() + 4 * i;
      if (p[r] == id) coverage[i] += p[g];
      if (p[b] == id) coverage[i] += p[a];
    }
  }
  return coverage;
}

} // namespace ilumbra
