#include "core/air/voxel_grid.h"

#include "core/air/haze.h"
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

Kind gridKind() {
  return {.id = "air.grid",
          .label = "Voxel grid",
          .helpText = "Smoke, cloud or fire from an OpenVDB file: its density, and its heat as own light.",
          .params = join({{file("file", "File").at(Stage::Geometry).matters().help("OpenVDB (.vdb), a still or one of a numbered sequence"),
                           text("density_grid", "Density grid", "").at(Stage::Geometry).help("Its name in the file; empty: \"density\", or the first there is"),
                           text("heat_grid", "Heat grid", "").at(Stage::Geometry).help("Whose values give own light; empty: \"temperature\", \"flames\" or \"emission\", if it is there"),
                           flag("numbered", "Numbered files", false).at(Stage::Geometry).in("Playback").help("The file is one of a numbered sequence")},
                          playbackParams(Stage::Geometry),
                          {vector("position", "Position", "m", {0, 0, 0}).soft(-5, 5).at(Stage::Placement).in("Placement").help("Where the file's own middle comes to stand"),
                           vector("turn", "Turn", "°", {0, 0, 0}).soft(-180, 180).at(Stage::Placement).in("Placement").help("About x, then y, then z"),
                           vector("size", "Size", "×", {1, 1, 1}).soft(0.01, 10).range(1e-6, 1e6).at(Stage::Placement).in("Placement").help("Of the file's metres")},
                          matterParams(1),
                          {references("lit_by", "Lit by", {"light."}).at(Stage::Placement).in("Light").help("The lights that it shows; nothing: all that reach it"),
                           number("own_light", "Own light", "cd/m³", 0).soft(1, 100000).range(0, 1e12).log().matters().at(Stage::Mix).in("Own light").help("What a metre of it adds to what is seen where its heat is greatest"),
                           flag("own_light_on", "On", true).at(Stage::Mix).in("Own light").help("Off: dark"),
                           color("own_light_color", "Light's colour", {1, 0.5, 0.15}).soft(0, 1).matters().at(Stage::Mix).in("Own light").help("Of its own light")}}),
          .existence = Stage::Geometry,
          .changesByTime = isPlayed};
}

} // namespace ilumbra
