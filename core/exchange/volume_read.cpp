// OpenVDB files, read in the child.
#include "core/air/voxel_grid.h"
#include "core/base/error.h"
#include "core/exchange/readers.h"
#include "core/exchange/wire.h"

#include <fmt/format.h>
#include <openvdb/io/File.h>
#include <openvdb/openvdb.h>
#include <openvdb/tools/Dense.h>
#include <openvdb/tools/GridTransformer.h>

namespace ilumbra {
namespace {

constexpr double mostVoxels = 48e6;

// A grid of numbers as floats, whatever it holds.
openvdb::FloatGrid::Ptr asFloats(const openvdb::GridBase::Ptr& grid) {
  if (const auto f = openvdb::gridPtrCast<openvdb::FloatGrid>(grid)) return f;
  const auto convert = [&](const auto& from) {
    auto out = openvdb::FloatGrid::create(float(from.background()));
    out->setTransform(from.transform().copy());
    auto to = out->getAccessor();
    for (auto it = from.cbeginValueOn(); it; ++it) {
      if (it.isVoxelValue()) to.setValue(it.getCoord(), float(it.getValue()));
      else out->fill(it.getBoundingBox(), float(it.getValue()));
    }
    return out;
  };
  if (const auto d = openvdb::gridPtrCast<openvdb::DoubleGrid>(grid)) return convert(*d);
  if (const auto i = openvdb::gridPtrCast<openvdb::Int32Grid>(grid)) return convert(*i);
  return nullptr;
}

} // namespace

std::string readVolumeBytes(const std::string& path, const std::string& request) {
  openvdb::initialize();
  const size_t colon = request.find('\n');
  const std::string densityWanted = request.substr(0, colon), heatWanted = colon == std::string::npos ? "" : request.substr(colon + 1);
  try {
    openvdb::io::File file(path);
    file.open(false);
    std::vector<std::string> names;
    for (auto it = file.beginName(); it != file.endName(); ++it) names.push_back(it.gridName());
    if (names.empty()) throw badInput("there is no grid in it");
    const auto has = [&](const std::string& n) { return std::find(names.begin(), names.end(), n) != names.end(); };
    const auto list = [&] {
      std::string all;
      for (const std::string& n : names) all += (all.empty() ? "" : ", ") + n;
      return all;
    };
    VoxelGrid v;
    v.densityName = !densityWanted.empty() ? densityWanted : has("density") ? "density" : names.front();
    if (!has(v.densityName)) throw badInput(fmt::format("there is no grid \"{}\" in it; there are {}", v.densityName, list()));
    if (!heatWanted.empty()) {
      if (!has(heatWanted)) throw badInput(fmt::format("there is no grid \"{}\" in it; there are {}", heatWanted, list()));
      v.heatName = heatWanted;
    } else {
      for (const char* n : {"temperature", "flames", "emission", "heat"})
        if (v.heatName.empty() && has(n) && v.densityName != n) v.heatName = n;
    }
    const openvdb::FloatGrid::Ptr density = asFloats(file.readGrid(v.densityName));
    if (!density) throw badInput(fmt::format("the grid \"{}\" holds no numbers that could be a density", v.densityName));
    const openvdb::FloatGrid::Ptr heat = v.heatName.empty() ? nullptr : asFloats(file.readGrid(v.heatName));
    if (density->getGridClass() == openvdb::GRID_LEVEL_SET) throw badInput(fmt::format("\"{}\" is a surface (a level set), not a density", v.densityName));
    openvdb::CoordBBox box = density->evalActiveVoxelBoundingBox();
    if (box.empty()) throw badInput(fmt::format("the grid \"{}\" is empty", v.densityName));
    if (!density->transform().isLinear()) throw badInput("its grid lies in a perspective, which is not read");
    const openvdb::Coord dim = box.dim();
    const double all = double(dim.x()) * double(dim.y()) * double(dim.z());
    if (!(all < 1e13)) throw badInput(fmt::format("{:.3g} voxels lie in its bounds; that cannot be meant", all));
    while (all / std::pow(double(v.coarser), 3) > mostVoxels) ++v.coarser;
    const int c = v.coarser;
    for (int k = 0; k < 3; ++k) v.size[k] = std::max(1, (dim[k] + c - 1) / c);
    const size_t count = size_t(v.size[0]) * size_t(v.size[1]) * size_t(v.size[2]);
    // From the middle of a voxel here to the file's metres.
    const openvdb::math::Mat4d m = density->transform().baseMap()->getAffineMap()->getMat4();
    const auto fill = [&](const openvdb::FloatGrid& grid, std::vector<float>& out, float& most) {
      out.assign(count, 0.0f);
      const auto read = grid.getConstAccessor();
      const bool same = grid.transform() == density->transform();
      size_t i = 0;
      for (int z = 0; z < v.size[2]; ++z)
        for (int y = 0; y < v.size[1]; ++y)
          for (int x = 0; x < v.size[0]; ++x, ++i) {
            double sum = 0;
            for (int dz = 0; dz < c; ++dz)
              for (int dy = 0; dy < c; ++dy)
                for (int dx = 0; dx < c; ++dx) {
                  const openvdb::Coord at = box.min().offsetBy(x * c + dx, y * c + dy, z * c + dz);
                  const float value = same ? read.getValue(at) : read.getValue(openvdb::Coord::round(grid.transform().worldToIndex(density->transform().indexToWorld(at))));
                  if (std::isfinite(value) && value > 0) sum += double(value);
                }
            out[i] = float(sum / (double(c) * c * c));
            most = std::max(most, out[i]);
          }
    };
    fill(*density, v.density, v.densest);
    if (heat) fill(*heat, v.heat, v.hottest);
    if (!(v.densest > 0) && !(v.hottest > 0)) throw badInput(fmt::format("nothing in its grid \"{}\" is more than 0", v.densityName));
    WireWriter w;
    for (const int n : v.size) w.put(n);
    M44f toFile;
    for (int row = 0; row < 4; ++row)
      for (int col = 0; col < 4; ++col) toFile[row][col] = float(m(row, col));
    M44f own;
    for (int k = 0; k < 3; ++k) {
      own[k][k] = float(c);
      own[3][k] = float(box.min()[k]) + 0.5f * float(c - 1);
    }
    w.put(own * toFile);
    w.put(v.density);
    w.put(v.heat);
    w.put(v.densest);
    w.put(v.hottest);
    w.put(v.densityName);
    w.put(v.heatName);
    w.put(v.coarser);
    return w.bytes();
  } catch (const Error&) {
    throw;
  } catch (const openvdb::Exception& e) {
    throw badInput(fmt::format("is no OpenVDB file that can be read: {}", e.what()));
  }
}

std::shared_ptr<const VoxelGrid> decodeVolume(const std::string& bytes) {
  auto v = std::make_shared<VoxelGrid>();
  WireReader r(bytes);
  for (int& n : v->size) r.get(n);
  r.get(v->toFile);
  r.get(v->density);
  r.get(v->heat);
  r.get(v->densest);
  r.get(v->hottest);
  r.get(v->densityName);
  r.get(v->heatName);
  r.get(v->coarser);
  size_t count = 1;
  for (const int n : v->size) {
    if (n < 1 || n > 100000) throw badInput("its reader returned nonsense");
    count *= size_t(n);
  }
  if (v->density.size() != count || (!v->heat.empty() && v->heat.size() != count)) throw badInput("its reader returned nonsense");
  return v;
}

} // namespace ilumbra
