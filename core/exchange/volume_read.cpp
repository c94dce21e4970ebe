// OpenVDB files, read in the child.
#include "core/air/voxel_grid.h"
#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/base/hash.h"
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
      if (it.isVoxelValue())
        to.setValue(it.getCoord(), float(it.getValue()));
      else
        out->fill(it.getBoundingBox(), float(it.getValue()));
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
  GridNames wanted; // a line each
  for (size_t at = 0; std::string * name : {&wanted.density, &wanted.heat, &wanted.color}) {
    const size_t end = std::min(request.size(), request.find('\n', at));
    *name = request.substr(std::min(at, request.size()), end - std::min(at, end));
    at = end + 1;
  }
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
    v.names.density = !wanted.density.empty() ? wanted.density : has("density") ? "density" : names.front();
    const auto choose = [&](const std::string& asked, std::initializer_list<const char*> usual) -> std::string {
      if (!asked.empty()) return asked;
      for (const char* n : usual)
        if (has(n) && v.names.density != n) return n;
      return {};
    };
    v.names.heat = choose(wanted.heat, {"temperature", "flames", "emission", "heat"});
    v.names.color = choose(wanted.color, {"Cd", "color", "colour", "albedo"});
    for (const std::string& n : {v.names.density, v.names.heat, v.names.color})
      if (!n.empty() && !has(n)) throw badInput(fmt::format("there is no grid \"{}\" in it; there are {}", n, list()));
    const openvdb::FloatGrid::Ptr density = asFloats(file.readGrid(v.names.density));
    if (!density)
      throw badInput(fmt::format("the grid \"{}\" holds no numbers that could be a density", v.names.density));
    const openvdb::FloatGrid::Ptr heat = v.names.heat.empty() ? nullptr : asFloats(file.readGrid(v.names.heat));
    if (!heat && !wanted.heat.empty())
      throw badInput(fmt::format("the grid \"{}\" holds no numbers that could be a heat", v.names.heat));
    const openvdb::Vec3SGrid::Ptr color =
        v.names.color.empty() ? nullptr : openvdb::gridPtrCast<openvdb::Vec3SGrid>(file.readGrid(v.names.color));
    if (!color && !wanted.color.empty())
      throw badInput(fmt::format("the grid \"{}\" holds no vectors that could be colours", v.names.color));
    if (!color) v.names.color.clear();
    if (density->getGridClass() == openvdb::GRID_LEVEL_SET)
      throw badInput(fmt::format("\"{}\" is a surface (a level set), not a density", v.names.density));
    openvdb::CoordBBox box = density->evalActiveVoxelBoundingBox();
    if (box.empty()) throw badInput(fmt::format("the grid \"{}\" is empty", v.names.density));
    if (!density->transform().isLinear()) throw badInput("its grid lies in a perspective, which is not read");
    const openvdb::Coord dim = box.dim();
    const double all = double(dim.x()) * double(dim.y()) * double(dim.z());
    if (!(all < 1e13)) throw badInput(fmt::format("{:.3g} voxels lie in its bounds; that cannot be meant", all));
    while (all / std::pow(double(v.coarser), 3) > mostVoxels / (color ? 3 : 1)) ++v.coarser;
    const int c = v.coarser;
    for (int k = 0; k < 3; ++k) v.size[k] = std::max(1, (dim[k] + c - 1) / c);
    const size_t count = size_t(v.size[0]) * size_t(v.size[1]) * size_t(v.size[2]);
    // From the middle of a voxel here to the file's metres.
    const openvdb::math::Mat4d m = density->transform().baseMap()->getAffineMap()->getMat4();
    // The mean of the voxels that are taken as one, of what `take` leaves of each.
    const auto fill = [&](const auto& grid, auto& out, auto take) {
      using T = typename std::decay_t<decltype(out)>::value_type;
      out.assign(count, T(0));
      const auto read = grid.getConstAccessor();
      const bool same = grid.transform() == density->transform();
      size_t i = 0;
      for (int z = 0; z < v.size[2]; ++z)
        for (int y = 0; y < v.size[1]; ++y)
          for (int x = 0; x < v.size[0]; ++x, ++i) {
            T sum(0);
            for (int dz = 0; dz < c; ++dz)
              for (int dy = 0; dy < c; ++dy)
                for (int dx = 0; dx < c; ++dx) {
                  const openvdb::Coord at = box.min().offsetBy(x * c + dx, y * c + dy, z * c + dz);
                  const auto value = same ? read.getValue(at)
                                          : read.getValue(openvdb::Coord::round(
                                                grid.transform().worldToIndex(density->transform().indexToWorld(at))));
                  sum += take(value);
                }
            out[i] = sum * (1 / (float(c) * float(c) * float(c)));
          }
    };
    const auto amount = [](float value) { return std::isfinite(value) && value > 0 ? value : 0.0f; };
    fill(*density, v.density, amount);
    v.densest = *std::max_element(v.density.begin(), v.density.end());
    if (heat) {
      fill(*heat, v.heat, amount);
      v.hottest = *std::max_element(v.heat.begin(), v.heat.end());
    }
    if (color)
      fill(*color, v.color, [](const openvdb::Vec3s& value) {
        V3f linear(0.0f);
        for (int k = 0; k < 3; ++k) linear[k] = std::isfinite(value[k]) ? value[k] : 0;
        const Color out = acescgFrom709(linear);
        return V3f(clamp01(out.x), clamp01(out.y), clamp01(out.z));
      });
    if (!(v.densest > 0) && !(v.hottest > 0))
      throw badInput(fmt::format("nothing in its grid \"{}\" is more than 0", v.names.density));
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
    w.put(v.color);
    w.put(v.densest);
    w.put(v.hottest);
    w.put(v.names.density);
    w.put(v.names.heat);
    w.put(v.names.color);
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
  v->content = contentHash(bytes);
  WireReader r(bytes);
  for (int& n : v->size) r.get(n);
  r.get(v->toFile);
  r.get(v->density);
  r.get(v->heat);
  r.get(v->color);
  r.get(v->densest);
  r.get(v->hottest);
  r.get(v->names.density);
  r.get(v->names.heat);
  r.get(v->names.color);
  r.get(v->coarser);
  size_t count = 1;
  for (const int n : v->size) {
    if (n < 1 || n > 100000) throw badInput("its reader returned nonsense");
    count *= size_t(n);
  }
  if (v->density.size() != count || (!v->heat.empty() && v->heat.size() != count) ||
      (!v->color.empty() && v->color.size() != count))
    throw badInput("its reader returned nonsense");
  return v;
}

} // namespace ilumbra
