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

// A line each.
GridNames namesOf(const std::string& request) {
  GridNames wanted;
  for (size_t at = 0; std::string * name : {&wanted.density, &wanted.heat, &wanted.color}) {
    const size_t end = std::min(request.size(), request.find('\n', at));
    *name = request.substr(std::min(at, request.size()), end - std::min(at, end));
    at = end + 1;
  }
  return wanted;
}

// What is asked for, or else the grids with the usual names. Throws BadInput for one that is not there.
GridNames chosen(const openvdb::io::File& file, const GridNames& wanted) {
  std::vector<std::string> names;
  for (auto it = file.beginName(); it != file.endName(); ++it) names.push_back(it.gridName());
  if (names.empty()) throw badInput("there is no grid in it");
  const auto has = [&](const std::string& n) { return std::find(names.begin(), names.end(), n) != names.end(); };
  GridNames out;
  out.density = !wanted.density.empty() ? wanted.density : has("density") ? "density" : names.front();
  const auto choose = [&](const std::string& asked, std::initializer_list<const char*> usual) -> std::string {
    if (!asked.empty()) return asked;
    for (const char* n : usual)
      if (has(n) && out.density != n) return n;
    return {};
  };
  out.heat = choose(wanted.heat, {"temperature", "flames", "emission", "heat"});
  out.color = choose(wanted.color, {"Cd", "color", "colour", "albedo"});
  for (const std::string& n : {out.density, out.heat, out.color})
    if (!n.empty() && !has(n))
      throw badInput(fmt::format("there is no grid \"{}\" in it; there are {}", n, fmt::join(names, ", ")));
  return out;
}

struct Grids {
  openvdb::FloatGrid::Ptr density, heat; ///< heat and colour may be null
  openvdb::Vec3SGrid::Ptr color;
};

// Clears the name of a usual grid that holds something else; throws BadInput for one that was asked for.
Grids gridsOf(openvdb::io::File& file, GridNames& names, const GridNames& wanted) {
  Grids g;
  g.density = asFloats(file.readGrid(names.density));
  if (!g.density)
    throw badInput(fmt::format("the grid \"{}\" holds no numbers that could be a density", names.density));
  if (!names.heat.empty()) g.heat = asFloats(file.readGrid(names.heat));
  if (!g.heat && !wanted.heat.empty())
    throw badInput(fmt::format("the grid \"{}\" holds no numbers that could be a heat", names.heat));
  if (!names.color.empty()) g.color = openvdb::gridPtrCast<openvdb::Vec3SGrid>(file.readGrid(names.color));
  if (!g.color && !wanted.color.empty())
    throw badInput(fmt::format("the grid \"{}\" holds no vectors that could be colours", names.color));
  if (!g.color) names.color.clear();
  if (g.density->getGridClass() == openvdb::GRID_LEVEL_SET)
    throw badInput(fmt::format("\"{}\" is a surface (a level set), not a density", names.density));
  if (!g.density->transform().isLinear()) throw badInput("its grid lies in a perspective, which is not read");
  return g;
}

// The mean of the voxels that are taken as one, of what `take` leaves of each, in the box of the density grid.
template <typename T, typename Grid, typename Take>
std::vector<T> meansOf(const Grid& grid, const openvdb::FloatGrid& density, const openvdb::Coord& first,
                       const VoxelGrid& v, Take take) {
  std::vector<T> out(size_t(v.size[0]) * size_t(v.size[1]) * size_t(v.size[2]), T(0));
  const auto read = grid.getConstAccessor();
  const bool same = grid.transform() == density.transform();
  const int c = v.coarser;
  size_t i = 0;
  for (int z = 0; z < v.size[2]; ++z)
    for (int y = 0; y < v.size[1]; ++y)
      for (int x = 0; x < v.size[0]; ++x, ++i) {
        T sum(0);
        for (int dz = 0; dz < c; ++dz)
          for (int dy = 0; dy < c; ++dy)
            for (int dx = 0; dx < c; ++dx) {
              const openvdb::Coord at = first.offsetBy(x * c + dx, y * c + dy, z * c + dz);
              const auto value = same ? read.getValue(at)
                                      : read.getValue(openvdb::Coord::round(
                                            grid.transform().worldToIndex(density.transform().indexToWorld(at))));
              sum += take(value);
            }
        out[i] = sum * (1 / (float(c) * float(c) * float(c)));
      }
  return out;
}

// From the middle of a voxel to the file's metres.
M44f placeOf(const openvdb::FloatGrid& density, const openvdb::Coord& first, int coarser) {
  const openvdb::math::Mat4d m = density.transform().baseMap()->getAffineMap()->getMat4();
  M44f toFile, own;
  for (int row = 0; row < 4; ++row)
    for (int col = 0; col < 4; ++col) toFile[row][col] = float(m(row, col));
  for (int k = 0; k < 3; ++k) {
    own[k][k] = float(coarser);
    own[3][k] = float(first[k]) + 0.5f * float(coarser - 1);
  }
  return own * toFile;
}

VoxelGrid read(openvdb::io::File& file, const GridNames& wanted) {
  VoxelGrid v;
  v.names = chosen(file, wanted);
  const Grids grids = gridsOf(file, v.names, wanted);
  const openvdb::CoordBBox box = grids.density->evalActiveVoxelBoundingBox();
  if (box.empty()) throw badInput(fmt::format("the grid \"{}\" is empty", v.names.density));
  const openvdb::Coord dim = box.dim(), first = box.min();
  const double all = double(dim.x()) * double(dim.y()) * double(dim.z());
  if (!(all < 1e13)) throw badInput(fmt::format("{:.3g} voxels lie in its bounds; that cannot be meant", all));
  while (all / std::pow(double(v.coarser), 3) > mostVoxels / (grids.color ? 3 : 1)) ++v.coarser;
  for (int k = 0; k < 3; ++k) v.size[k] = std::max(1, (dim[k] + v.coarser - 1) / v.coarser);
  v.toFile = placeOf(*grids.density, first, v.coarser);
  const auto amount = [](float value) { return std::isfinite(value) && value > 0 ? value : 0.0f; };
  v.density = meansOf<float>(*grids.density, *grids.density, first, v, amount);
  v.densest = *std::max_element(v.density.begin(), v.density.end());
  if (grids.heat) {
    v.heat = meansOf<float>(*grids.heat, *grids.density, first, v, amount);
    v.hottest = *std::max_element(v.heat.begin(), v.heat.end());
  }
  if (grids.color)
    v.color = meansOf<V3f>(*grids.color, *grids.density, first, v, [](const openvdb::Vec3s& value) {
      V3f linear(0.0f);
      for (int k = 0; k < 3; ++k) linear[k] = std::isfinite(value[k]) ? value[k] : 0;
      const Color out = acescgFrom709(linear);
      return V3f(clamp01(out.x), clamp01(out.y), clamp01(out.z));
    });
  if (!(v.densest > 0) && !(v.hottest > 0))
    throw badInput(fmt::format("nothing in its grid \"{}\" is more than 0", v.names.density));
  return v;
}

} // namespace

std::string readVolumeBytes(const std::string& path, const std::string& request) {
  openvdb::initialize();
  try {
    openvdb::io::File file(path);
    file.open(false);
    const VoxelGrid v = read(file, namesOf(request));
    WireWriter w;
    for (const int n : v.size) w.put(n);
    w.put(v.toFile);
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
