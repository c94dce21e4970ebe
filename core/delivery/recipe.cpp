#include "core/delivery/recipe.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ilumbra {
namespace {

// "The picture" stands for the layer without a name.
constexpr const char* pictureWord = "The picture";
std::string wordOf(const std::string& layer) { return layer.empty() ? pictureWord : layer; }

std::vector<std::string> named(const PictureFile& file, std::string_view begins) {
  std::vector<std::string> out;
  for (const FileLayer& l : file.layers)
    if (l.name.starts_with(begins)) out.push_back(l.name);
  std::sort(out.begin(), out.end()); // files keep no order
  return out;
}

std::vector<std::string> present(const PictureFile& file, std::initializer_list<const char*> names) {
  std::vector<std::string> out;
  for (const char* n : names)
    if (file.find(n)) out.emplace_back(n);
  return out;
}

float rgb(const FileLayer& l, size_t pixel, size_t channel) { return l.data[pixel * l.channels.size() + channel]; }

// Which of the layers would account for what is left over, if it counted otherwise; empty: none does.
std::string culprit(const std::vector<const FileLayer*>& parts, const std::vector<double>& left, size_t pixels) {
  double all = 0;
  for (const double v : left) all += v * v;
  std::string best;
  double least = 0.1 * all;
  for (const FileLayer* l : parts) {
    double with = 0, self = 0;
    for (size_t i = 0; i < pixels; ++i)
      for (size_t c = 0; c < 3; ++c) {
        with += left[3 * i + c] * double(rgb(*l, i, c));
        self += double(rgb(*l, i, c)) * double(rgb(*l, i, c));
      }
    if (self <= 0) continue;
    if (const double rest = all - with * with / self; rest < least) {
      least = rest;
      best = fmt::format("\"{}\" counts {:.3g} times as it should", l->name, 1 / (1 + with / self));
    }
  }
  return best;
}

} // namespace

Recipe recipeOf(const PictureFile& file) {
  Recipe r;
  const bool apart = file.find("All light") != nullptr;
  const std::string light = apart ? "All light" : "";
  const auto add = [&](const std::string& result, std::vector<std::string> adds, std::vector<std::string> takes = {}) {
    if (!adds.empty()) r.sums.push_back({result, std::move(adds), std::move(takes)});
  };
  std::vector<std::string> plates = present(file, {"Plates"});
  const auto with = [&](std::vector<std::string> list) {
    if (!list.empty()) list.insert(list.end(), plates.begin(), plates.end());
    return list;
  };
  add(light, with(named(file, "Light of ")));
  const std::vector<std::string> ways = present(file, {"Emission", "Direct", "Indirect", "Caustics"});
  if (ways.size() == 4) add(light, with(ways));
  for (const std::string& way : ways) add(way, named(file, way + " light of "));
  std::vector<std::string> sources = named(file, "Sources of ");
  if (!sources.empty()) {
    for (const std::string& s : present(file, {"Other light"})) sources.push_back(s);
    add(light, sources);
  }
  if (const auto added = named(file, "Added by "); apart && !added.empty()) {
    std::vector<std::string> all = {light};
    all.insert(all.end(), added.begin(), added.end());
    add("", all, named(file, "Taken by "));
  }
  if (r.sums.empty()) return r;
  const FileLayer* picture = file.find("");
  if (picture && picture->channels.size() == 4)
    r.notes.push_back("Colours carry their alpha: over a background, the picture + background × (1 − A)");
  for (const std::string& part : present(file, {"Mirrored", "Through"}))
    r.notes.push_back(fmt::format("{} is part of {}, and in it already: for grading, add what you change", part,
                                  apart ? light : std::string("the picture")));
  if (file.find("Lens light"))
    r.notes.push_back("Lens light lies over the picture and is added: what lens stages send out apart from alpha");
  if (!named(file, "CryptoObject").empty())
    r.notes.push_back(fmt::format("CryptoObject masks {}: coverage by object (Cryptomatte)",
                                  apart ? light + ", before the lens spreads it" : std::string("the picture")));
  if (file.find("Depth")) r.notes.push_back("Depth.Z is in metres along the ray, 0 where nothing is");
  if (file.find("Normal")) r.notes.push_back("Normal is in the scene's axes, Y up");
  return r;
}

std::string recipeText(const Recipe& recipe) {
  std::string out = "Scene-linear, ACEScg primaries, exposure applied: 1 is white.\n";
  for (const Recipe::Sum& s : recipe.sums) {
    out += wordOf(s.result) + " =";
    for (const std::string& n : s.adds) out += "\n  + " + n;
    for (const std::string& n : s.takes) out += "\n  - " + n;
    out += "\n";
  }
  for (const std::string& n : recipe.notes) out += n + ".\n";
  return out;
}

std::vector<Recipe::Sum> readRecipe(const std::string& text) {
  std::vector<Recipe::Sum> out;
  for (size_t start = 0; start < text.size();) {
    const size_t end = std::min(text.find('\n', start), text.size());
    const std::string line = text.substr(start, end - start);
    start = end + 1;
    if (line.ends_with(" =")) {
      const std::string name = line.substr(0, line.size() - 2);
      out.push_back({name == pictureWord ? "" : name, {}});
    } else if (!out.empty() && line.starts_with("  + ")) {
      out.back().adds.push_back(line.substr(4));
    } else if (!out.empty() && line.starts_with("  - ")) {
      out.back().takes.push_back(line.substr(4));
    }
  }
  return out;
}

RecipeProof proveRecipe(const PictureFile& given, const Recipe& recipe) {
  // Beside the frame the picture is as it was before the lens.
  const PictureFile file = given.frame();
  RecipeProof proof;
  const size_t pixels = size_t(file.width) * size_t(file.height);
  constexpr float most = 65504; // of a half: what is beyond it is cut
  for (const Recipe::Sum& s : recipe.sums) {
    const FileLayer* result = file.find(s.result);
    std::vector<const FileLayer*> parts;
    std::vector<float> signs;
    std::string missing;
    for (const auto* list : {&s.adds, &s.takes})
      for (const std::string& n : *list) {
        const FileLayer* l = file.find(n);
        if (!l || l->channels.size() < 3) missing += (missing.empty() ? "\"" : ", \"") + n + "\"";
        parts.push_back(l);
        signs.push_back(list == &s.adds ? 1.0f : -1.0f);
      }
    if (!result || result->channels.size() < 3) missing = fmt::format("\"{}\"", wordOf(s.result));
    if (!missing.empty()) {
      proof.error = std::max(proof.error, 1.0);
      proof.doubts.push_back(fmt::format("{}: {} is not in the file", wordOf(s.result), missing));
      continue;
    }
    std::vector<double> left(3 * pixels, 0.0);
    double worst = 0, beyond = 0;
    size_t at = 0;
    for (size_t i = 0; i < pixels; ++i)
      for (size_t c = 0; c < 3; ++c) {
        const float is = rgb(*result, i, c);
        double sum = 0, size = std::abs(double(is));
        bool cut = !(std::abs(is) < most);
        for (size_t k = 0; k < parts.size(); ++k) {
          const float v = rgb(*parts[k], i, c);
          cut = cut || !(std::abs(v) < most);
          sum += double(signs[k]) * double(v);
          size += std::abs(double(v));
        }
        if (cut && std::isfinite(sum) && std::isfinite(is)) continue;
        double off = sum - double(is);
        if (!std::isfinite(off)) off = 1e6;
        left[3 * i + c] = -off;
        // Each half is rounded by up to 2^-11 of itself, or 2^-25.
        const double allowed = size / 1024 + 1e-4;
        const double error = std::abs(off) / std::max(1.0, std::abs(double(is)));
        if (error > worst) {
          worst = error;
          at = i;
        }
        beyond = std::max(beyond, std::abs(off) - allowed);
      }
    proof.error = std::max(proof.error, worst);
    if (beyond <= 0) continue;
    const std::string why = culprit(parts, left, pixels);
    proof.doubts.push_back(fmt::format("{} is not the sum of its {} layers: off by {:.3g} at {}, {}{}",
                                       wordOf(s.result), parts.size(), worst, at % size_t(file.width),
                                       at / size_t(file.width), why.empty() ? "" : "; " + why));
  }
  return proof;
}

} // namespace ilumbra
