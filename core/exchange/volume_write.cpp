#include "core/base/files.h"
#include "core/exchange/volume_write.h"
#include "core/base/tasks.h"
#include "core/geometry/shape.h"

#include "core/base/error.h"
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/geometry/world_mesh.h"
#include "core/scene/media.h"
#include "core/scene/scene.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <openvdb/io/File.h>
#include <openvdb/openvdb.h>
#include <openvdb/tools/LevelSetUtil.h>
#include <openvdb/tools/MeshToVolume.h>

namespace ilumbra {
namespace {

// 1 inside a closed form at all its places; null if it is open.
openvdb::FloatGrid::Ptr bakedForm(const Node& n, const BuildFrom& from, int voxels) {
  const Mesh mesh = worldMesh(n, formOf(n, from), placesOf(n, from));
  if (mesh.triangles.empty() || !isClosed(mesh)) return nullptr;
  Box3f box;
  for (const V3f& p : mesh.positions) box.extendBy(p);
  const V3f size = box.size();
  const double step = std::max(1e-6, double(std::max(size.x, std::max(size.y, size.z))) / voxels);
  const auto t = openvdb::math::Transform::createLinearTransform(step);
  std::vector<openvdb::Vec3s> points;
  std::vector<openvdb::Vec3I> triangles;
  for (const V3f& p : mesh.positions) points.emplace_back(p.x, p.y, p.z);
  for (const auto& f : mesh.triangles) triangles.emplace_back(f.a, f.b, f.c);
  const auto grid = openvdb::tools::meshToLevelSet<openvdb::FloatGrid>(*t, points, triangles);
  from.stopIfCancelled();
  openvdb::tools::sdfToFogVolume(*grid);
  grid->setName(n.name);
  return grid;
}

// A medium of the scene, as light is taken out of a ray by it, in cells of which the longest side of its bounds has
// `voxels`.
openvdb::FloatGrid::Ptr bakedAir(const Media& air, size_t index, int voxels, const CancelFlag* cancel) {
  const Medium& h = air[index];
  Box3f box;
  for (const MediumPlace& p : h.places) box.extendBy(p.bounds);
  const V3f size = box.size();
  const float step = std::max(1e-6f, std::max(size.x, std::max(size.y, size.z)) / float(voxels));
  int n[3];
  for (int k = 0; k < 3; ++k) n[k] = std::max(1, int(std::ceil(size[k] / step)));
  std::vector<float> values(size_t(n[0]) * size_t(n[1]) * size_t(n[2]));
  const float density = luminance(h.haze.extinction);
  parallelFor(size_t(n[2]), [&](size_t z) {
    if (cancel && cancel->requested()) return;
    for (int y = 0; y < n[1]; ++y)
      for (int x = 0; x < n[0]; ++x) {
        const V3f at = box.min + V3f(float(x) + 0.5f, float(y) + 0.5f, float(z) + 0.5f) * step;
        RayMedia way;
        air.along(at, {0, 1, 0}, 1e-3f * step, way);
        float sum = 0;
        for (const auto& s : way)
          if (s.haze == index) {
            sum += density * air.amount(s, at);
            break;
          }
        values[(z * size_t(n[1]) + size_t(y)) * size_t(n[0]) + size_t(x)] = sum;
      }
  });
  if (cancel && cancel->requested()) throw cancelled();
  auto grid = openvdb::FloatGrid::create(0.0f);
  grid->setGridClass(openvdb::GRID_FOG_VOLUME);
  auto t = openvdb::math::Transform::createLinearTransform(double(step));
  t->postTranslate({double(box.min.x) + 0.5 * double(step), double(box.min.y) + 0.5 * double(step),
                    double(box.min.z) + 0.5 * double(step)});
  grid->setTransform(t);
  auto to = grid->getAccessor();
  size_t k = 0;
  for (int z = 0; z < n[2]; ++z)
    for (int y = 0; y < n[1]; ++y)
      for (int x = 0; x < n[0]; ++x, ++k)
        if (values[k] > 0) to.setValue({x, y, z}, values[k]);
  return grid;
}

// Beside it first, and read again, so that a full disk leaves what was there.
void writeGrids(const std::string& path, const openvdb::GridPtrVec& grids) {
  const std::string part = partOf(path);
  try {
    openvdb::io::File file(part);
    file.setCompression(openvdb::io::COMPRESS_ACTIVE_MASK | openvdb::io::COMPRESS_BLOSC);
    file.write(grids);
    file.close();
    openvdb::io::File check(part);
    check.open(false);
    if (check.getGrids()->size() != grids.size()) throw std::runtime_error("the file came out cut");
  } catch (const std::exception& error) {
    std::error_code e;
    std::filesystem::remove(part, e);
    throw ioError(fmt::format("{}: cannot be written: {}", path, error.what()));
  }
  putInPlace(part, path);
}

} // namespace

std::vector<std::string> exportVoxelsTo(const Document& doc, const std::string& path, AssetCache& cache,
                                        const std::vector<NodeId>& only, int voxels, const CancelFlag* cancel) {
  openvdb::initialize();
  const double frame = currentFrame(doc);
  CompileOptions options;
  options.frame = frame;
  SceneCache scenes;
  const ScenePtr scene = compileScene(doc, options, cache.assets(doc.folder(), cancel), scenes, cancel);
  std::vector<std::string> left = scene->warnings;
  openvdb::GridPtrVec grids;
  for (size_t i = 0; scene->media && i < scene->media->size(); ++i) {
    const Media& air = *scene->media;
    const Medium& h = air[i];
    const Thing& thing = scene->things[h.thing];
    if (!only.empty() && std::find(only.begin(), only.end(), thing.node) == only.end()) continue;
    if (h.everywhere) {
      left.push_back(thing.name + ": it is everywhere, so it has no bounds to write");
      continue;
    }
    grids.push_back(bakedAir(air, i, voxels, cancel));
    grids.back()->setName(thing.name);
  }
  for (const Node* n : doc.family("object")) {
    const auto chosen = [&] { // or what holds it
      for (const Node* up = n; up; up = doc.find(up->parent))
        if (std::find(only.begin(), only.end(), up->id) != only.end()) return true;
      return false;
    };
    if (isGroup(*n) || (only.empty() ? n->kind->id != "object.pattern_form" || !isShown(doc, *n, frame) : !chosen()))
      continue;
    if (const auto grid = bakedForm(*n, {doc, frame, cache.assets(doc.folder(), cancel), cancel}, voxels))
      grids.push_back(grid);
    else
      left.push_back(n->name + ": it is open, so it has no inside to write");
  }
  if (grids.empty()) throw badInput(left.empty() ? "there is no air and no dense form to write" : left.front());
  if (grids.size() == 1) grids.front()->setName("density");
  writeGrids(path, grids);
  return left;
}

} // namespace ilumbra
