#pragma once
#include "core/geometry/no_assets.h"
#include "core/kinds.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"
#include "core/text/text_outline.h"
#include "core/transport/rendering.h"
#include "demo/scene_builder.h"

#include <catch2/catch.hpp>

namespace ilumbra::test {

/// The kinds, made once for all tests.
const std::shared_ptr<const Kinds>& kinds();

/// A document under construction, as SceneBuilder makes it, small and with a camera.
///   look(from, to, focal): adds the camera
class Set : public SceneBuilder {
 public:
  explicit Set(int width = 16, int height = 16) : SceneBuilder(kinds()) {
    settings({{"width", std::to_string(width).c_str()}, {"height", std::to_string(height).c_str()}});
  }
  /// A camera at `from` that looks at `to`.
  NodeId look(const char* from, const char* to, const char* focal = "50") {
    return add("camera.lens", "Camera", {{"position", from}, {"target", to}, {"focal_length", focal}});
  }
  /// A Lambertian material of one reflectance: index 1, so that no coat is on it.
  NodeId lambert(const char* name, const char* reflectance) {
    return add("material.surface", name, {{"base_color", reflectance}, {"ior", "1"}, {"roughness", "1"}});
  }
};

/// Without files, but for what a test puts in their place.
struct TestAssets : NoAssets {
  std::function<std::shared_ptr<const Image>(const std::string& file, int index)> images; ///< null: none are at hand
  std::shared_ptr<const Image> image(const std::string& file, int index) const override {
    return images ? images(file, index) : NoAssets::image(file, index);
  }
  std::shared_ptr<const DistanceField> distanceField(const Document& doc, const std::vector<NodeId>& things,
                                                     double frame) const override;
};
inline TestAssets noAssets() { return {}; }

struct Traced {
  ScenePtr scene;
  Rendering rendering;
  const Film& film() const { return rendering.film(); }
};
/// Renders with the queries of the document's lens. threads 0: all.
Traced trace(const Document& doc, uint32_t samples, int threads = 0, const Assets& assets = noAssets());

/// Light in cd/m² (no exposure, no lens), by query.
Picture luminances(const Traced& t, int query = 0);
/// Mean luminance of a part of a picture; width 0: all of it.
double mean(const Picture& p, Region part = {});
const Tasks& pool();

/// A measured mean with its standard error, from independent seeds.
struct Estimate {
  double mean = 0, se = 0;
  /// |mean - truth| within 4 standard errors plus a stated share of the truth; and the error itself is at most `noise`
  /// of the truth, so that a noisy estimate does not agree with everything.
  bool agrees(double truth, double bias = 0, double noise = 0.02) const {
    return se <= noise * std::abs(truth) && std::abs(mean - truth) <= 4 * se + bias * std::abs(truth);
  }
};
Estimate estimate(const Document& doc, uint32_t samples, Region part = {}, int seeds = 8, int query = 0);
/// Mean and standard error of some numbers.
Estimate estimateOf(const std::vector<double>& values);

/// A folder that is gone when the test is over.
class TemporaryFolder {
 public:
  TemporaryFolder();
  ~TemporaryFolder();
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  std::string operator/(const std::string& name) const { return m_path + "/" + name; }
  const std::string& path() const { return m_path; }

 private:
  std::string m_path;
};

/// The message of the Error that `f` throws; empty if it throws none.
template <typename F> std::string refusal(F f) {
  try {
    f();
  } catch (const std::exception& e) {
    return e.what();
  }
  return {};
}

} // namespace ilumbra::test
