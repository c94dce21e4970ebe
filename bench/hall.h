#pragma once
#include "bench/measure.h"
#include "core/compile/compile.h"
#include "core/exchange/assets.h"
#include "core/kinds.h"
#include "core/scene/scene.h"
#include "core/scene/trace_count.h"

#include <string>
#include <vector>

/// The Orrery Hall, which most ratios are measured on, in a folder of its own that goes with it.
struct Hall {
  Hall();
  ~Hall();
  Hall(const Hall&) = delete;
  Hall& operator=(const Hall&) = delete;
  /// With the layers of the document's lens, and more; finds the files of the demo.
  ilumbra::ScenePtr compile(const ilumbra::Document& d, ilumbra::SceneCache& cache,
                            const std::vector<ilumbra::LayerQuery>& more = {});

  std::shared_ptr<const ilumbra::Kinds> kinds = ilumbra::allKinds();
  std::string folder;
  ilumbra::Document doc;
  ilumbra::AssetCache assets;
};

ilumbra::Document sized(const ilumbra::Document& doc, int width, int height);
/// A line of the table that is printed.
void line(const std::string& what, const std::string& must, const std::string& measured, const std::string& how);
/// The rays of a pass, once more, with nothing but Embree.
void replay(const std::vector<ilumbra::RayLog::Entry>& rays, size_t from, size_t to);
/// The rays of some samples of every pixel, as they are traced.
ilumbra::RayLog raysOf(const ilumbra::Scene& scene, uint32_t samples);
