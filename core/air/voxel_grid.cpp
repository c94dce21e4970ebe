#include "core/air/voxel_grid.h"

#include "core/air/haze.h"
#include "core/base/spectrum.h"
#include "core/pattern/playback.h"

#include <ImathBoxAlgo.h>

namespace ilumbra {

void PlacedDensity::bounds(const Box3f& world, float& low, float& high) const {
  m_own->bounds(Imath::transform(world, m_toOwn), low, high);
  low *= m_gain;
  high *= m_gain;
}

void BothDensity::bounds(const Box3f& world, float& low, float& high) const {
  float l, h;
  m_a->bounds(world, low, high);
  m_b->bounds(world, l, h);
  low = m_how == How::Times ? low * l : low + m_share * l;
  high = m_how == How::Times ? high * h : high + m_share * h;
}

VoxelColor::VoxelColor(const int (&size)[3], std::vector<V3f> values, const M44f& toVoxels)
    : m_size{size[0], size[1], size[2]}, m_values(std::move(values)), m_toVoxels(toVoxels) {}

Color VoxelColor::colorAt(const V3f& world) const {
  const V3f p = transformPoint(m_toVoxels, world);
  int i[3], next[3];
  float f[3];
  for (int k = 0; k < 3; ++k) {
    const float x = std::clamp(p[k], 0.0f, float(m_size[k] - 1));
    i[k] = int(x);
    next[k] = std::min(i[k] + 1, m_size[k] - 1);
    f[k] = x - float(i[k]);
  }
  Color sum(0.0f);
  for (int corner = 0; corner < 8; ++corner) {
    const bool x = corner & 1, y = corner & 2, z = corner & 4;
    const float w = (x ? f[0] : 1 - f[0]) * (y ? f[1] : 1 - f[1]) * (z ? f[2] : 1 - f[2]);
    sum += m_values[(size_t(z ? next[2] : i[2]) * size_t(m_size[1]) + size_t(y ? next[1] : i[1])) * size_t(m_size[0]) +
                    size_t(x ? next[0] : i[0])] *
           w;
  }
  return sum;
}

Glowing::Glowing(DensityPtr heat, float hottest) : m_heat(std::move(heat)) {
  const float most = blackbodyLuminance(hottest);
  for (int k = 0; k <= steps; ++k) {
    const float kelvin = hottest * float(k) / float(steps);
    m_light.push_back(kelvin > 0 ? blackbodyLuminance(kelvin) / most : 0);
    m_color.push_back(blackbody(kelvin));
  }
}

float Glowing::amount(float heat) const {
  const float x = clamp01(heat) * float(steps);
  const size_t i = std::min(size_t(x), size_t(steps - 1));
  return mix(m_light[i], m_light[i + 1], x - float(i));
}

float Glowing::at(const V3f& world) const { return amount(m_heat->at(world)); }

// The hotter the brighter.
void Glowing::bounds(const Box3f& world, float& low, float& high) const {
  m_heat->bounds(world, low, high);
  low = amount(low);
  high = amount(high);
}

Color Glowing::colorAt(const V3f& world) const {
  return m_color[size_t(clamp01(m_heat->at(world)) * float(steps) + 0.5f)];
}

static Kind gridKind() {
  return {
      .id = "air.grid",
      .label = "Voxel grid",
      .helpText = "Smoke, cloud or fire from an OpenVDB file: its density, and its heat as own light.",
      .params = join(
          {{file("file", "File")
                .at(Invalidation::Geometry)
                .matters()
                .help("OpenVDB (.vdb), a still or one of a numbered sequence"),
            text("density_grid", "Density grid", "")
                .at(Invalidation::Geometry)
                .help("Its name in the file; empty: \"density\", or the first there is"),
            text("heat_grid", "Heat grid", "")
                .at(Invalidation::Geometry)
                .help(
                    "Whose values give own light; empty: \"temperature\", \"flames\" or \"emission\", if it is there"),
            text("color_grid", "Colour grid", "")
                .at(Invalidation::Geometry)
                .help("Whose vectors, linear Rec. 709, tint what is scattered; empty: \"Cd\", \"color\" or \"albedo\", "
                      "if it is there"),
            flag("numbered", "Numbered files", false)
                .at(Invalidation::Geometry)
                .in("Playback")
                .help("The file is one of a numbered sequence")},
           playbackParams(Invalidation::Geometry),
           {vector("position", "Position", "m", {0, 0, 0})
                .soft(-5, 5)
                .at(Invalidation::Placement)
                .in("Placement")
                .help("Where the file's own middle comes to stand"),
            vector("turn", "Turn", "°", {0, 0, 0})
                .soft(-180, 180)
                .at(Invalidation::Placement)
                .in("Placement")
                .help("About x, then y, then z"),
            vector("size", "Size", "×", {1, 1, 1})
                .soft(0.01, 10)
                .range(1e-6, 1e6)
                .at(Invalidation::Placement)
                .in("Placement")
                .help("Of the file's metres")},
           matterParams(1),
           {references("lit_by", "Lit by", {"light."})
                .at(Invalidation::Placement)
                .in("Light")
                .help("The lights that it shows; nothing: all that reach it"),
            number("own_light", "Own light", "cd/m³", 0)
                .soft(1, 100000)
                .patternedBy("own_light_color")
                .range(0, 1e12)
                .log()
                .matters()
                .at(Invalidation::Mix)
                .in("Own light")
                .help("What a metre of it adds to what is seen where its heat is greatest"),
            choice("heat_is", "Its heat is", {"brightness", "temperature"})
                .at(Invalidation::Geometry)
                .in("Own light")
                .help("Own light as strong as the heat; or that of a black body, which reddens and fades as it cools"),
            number("hottest", "Hottest", "K", 2200)
                .soft(800, 6000)
                .range(500, 100000)
                .when("heat_is", "temperature")
                .at(Invalidation::Geometry)
                .in("Own light")
                .help("Temperature of the greatest heat in the file; the rest in proportion"),
            flag("own_light_on", "On", true).at(Invalidation::Mix).in("Own light").help("Off: dark"),
            color("own_light_color", "Light's colour", {1, 0.5, 0.15})
                .soft(0, 1)
                .patterned()
                .matters()
                .at(Invalidation::Mix)
                .in("Own light")
                .help("Of its own light")}}),
      .existence = Invalidation::Geometry,
      .changesByTime = isPlayed};
}

AirKind gridAir() { return {gridKind(), AirForm::Grid}; }

} // namespace ilumbra
