// A lantern over a tray of quicksilver: the tray is a plate, a sequence that is rendered here first; the lantern is
// mirrored in it by the lens alone, and its copy is moved by the ripples of the plate.
#include "core/base/files.h"
#include "core/delivery/deliver.h"
#include "core/display/view.h"
#include "core/exchange/assets.h"
#include "demo/scene_builder.h"
#include "demo/starters.h"

#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <unistd.h>

namespace ilumbra {
namespace {

namespace fs = std::filesystem;
constexpr int frames = 5;
constexpr const char* camera[] = {"0, 0.56, 1.72", "0, 0.09, 0"};

void addCamera(SceneBuilder& b) {
  b.add("camera.lens", "Camera",
        {{"position", camera[0]}, {"target", camera[1]}, {"focal_length", "50"}, {"ev100", "4.5"}});
}

// What was filmed: the tray in a hall at night, ripples running through it.
Document plate(const std::shared_ptr<const Kinds>& kinds) {
  SceneBuilder b(kinds);
  b.settings({{"width", "400"},
              {"height", "250"},
              {"samples", "6"},
              {"noise", "0"},
              {"bounces", "3"},
              {"first_frame", "1"},
              {"last_frame", fmt::format("{}", frames).c_str()}});
  b.preset("Tray silver", "Quicksilver");
  b.preset("Tray brass", "Weathered bronze");
  b.preset("Wall plaster", "Plaster");
  b.set(b.find("Wall plaster"), {{"base_color", "0.2, 0.2, 0.22"}});
  b.preset("Bench slate", "Honed slate");
  const NodeId silver =
      b.add("object.water", "Quicksilver",
            {{"width", "1.5"}, {"length", "1.1"}, {"depth", "0"}, {"resolution", "110"}, {"material", "Tray silver"}});
  for (const auto& [height, wave, way] :
       {std::tuple{"0.7 mm", "0.16", "20"}, {"0.5 mm", "0.11", "-55"}, {"0.35 mm", "0.07", "105"}})
    b.add("water.wave", "Ripple", {{"height", height}, {"wavelength", wave}, {"direction", way}}, {silver, "waves"});
  for (const auto& [place, width, depth] : {std::tuple{"-0.77, 0, 0", "40 mm", "1.18"},
                                            {"0.77, 0, 0", "40 mm", "1.18"},
                                            {"0, 0, 0.57", "1.58", "40 mm"},
                                            {"0, 0, -0.57", "1.58", "40 mm"}})
    b.add("object.box", "Rim",
          {{"width", width},
           {"height", "36 mm"},
           {"depth", depth},
           {"round", "9 mm"},
           {"position", place},
           {"material", "Tray brass"}});
  b.add("object.plane", "Bench",
        {{"width", "8"}, {"depth", "6"}, {"position", "0, -0.03, 0"}, {"material", "Bench slate"}});
  b.add("object.plane", "Back wall",
        {{"width", "9"},
         {"depth", "5"},
         {"position", "0, 2.2, -2.4"},
         {"turn", "90, 0, 0"},
         {"material", "Wall plaster"}});
  b.add("light.point", "Moon",
        {{"power", "900"}, {"color", "0.55, 0.7, 1"}, {"radius", "0.1"}, {"position", "-0.62, 0.95, -2.1"}});
  b.add("light.area", "Moonlight",
        {{"power", "1600"},
         {"color", "0.5, 0.65, 1"},
         {"width", "1"},
         {"height", "1"},
         {"position", "2.2, 2.4, 1.2"},
         {"target", "0, 0, 0"},
         {"seen", "off"}});
  addCamera(b);
  return b.take();
}

// Made once for a program.
const std::map<std::string, std::string>& plateFiles(const std::shared_ptr<const Kinds>& kinds) {
  static const std::map<std::string, std::string> files = [&] {
    const fs::path folder = fs::temp_directory_path() / fmt::format("ilumbra-plate-{}", getpid());
    fs::create_directories(folder);
    std::map<std::string, std::string> made;
    try {
      const ColorViews views;
      Job job;
      job.set("last_frame", double(frames));
      job.set("output", (folder / "quicksilver-tray.exr").string());
      deliver(plate(kinds), job, Tasks(0, true), views);
      for (int i = 1; i <= frames; ++i) {
        const std::string name = fmt::format("quicksilver-tray.{:04d}.exr", i);
        made["orrery-assets/" + name] = readFile((folder / name).string());
      }
    } catch (...) {
      std::error_code e;
      fs::remove_all(folder, e);
      throw;
    }
    std::error_code e;
    fs::remove_all(folder, e);
    return made;
  }();
  return files;
}

} // namespace

Starter quicksilverTrayStarter() {
  return {
      "quicksilver-tray", "Quicksilver tray",
      "A lantern over a filmed tray: mirrored in it by the lens alone, and moved by its ripples",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings({{"width", "1280"},
                    {"height", "800"},
                    {"samples", "192"},
                    {"noise", "1.5 %"},
                    {"last_frame", "48"},
                    {"firefly_limit", "2"}});
        b.add("plate.picture", "Filmed tray",
              {{"file", "orrery-assets/quicksilver-tray.0001.exr"},
               {"numbered", "on"},
               {"play", "to and fro"},
               {"own_rate", "12"},
               {"use_alpha", "off"}});
        b.preset("Lantern brass", "Brushed brass");
        b.preset("Lantern glass", "Frosted glass");
        b.add("material.surface", "Flame",
              {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "9000"}, {"own_light_color", "1, 0.6, 0.24"}});
        const NodeId lantern = b.add("object.group", "Lantern", {{"position", "0.12, 0.075, -0.06"}});
        const Place in = b.in(lantern);
        b.add("object.cylinder", "Foot",
              {{"radius", "82 mm"},
               {"height", "16 mm"},
               {"round", "4 mm"},
               {"position", "0, 0, 0"},
               {"material", "Lantern brass"}},
              in);
        b.add("object.cylinder", "Hood",
              {{"radius", "84 mm"},
               {"height", "12 mm"},
               {"round", "4 mm"},
               {"position", "0, 0.19, 0"},
               {"material", "Lantern brass"}},
              in);
        b.add("object.cone", "Roof",
              {{"radius", "78 mm"},
               {"top", "18 mm"},
               {"height", "56 mm"},
               {"position", "0, 0.222, 0"},
               {"material", "Lantern brass"}},
              in);
        b.add("object.torus", "Handle",
              {{"radius", "32 mm"},
               {"tube", "4 mm"},
               {"turn", "90, 0, 0"},
               {"position", "0, 0.282, 0"},
               {"material", "Lantern brass"}},
              in);
        for (int i = 0; i < 6; ++i) {
          const double a = (30 + 60 * i) * M_PI / 180;
          b.add("object.cylinder", fmt::format("Bar {}", i + 1).c_str(),
                {{"radius", "4 mm"},
                 {"height", "0.18"},
                 {"position", fmt::format("{:.4f}, 0.098, {:.4f}", 0.072 * std::cos(a), 0.072 * std::sin(a)).c_str()},
                 {"material", "Lantern brass"}},
                in);
        }
        b.add("object.sphere", "Fire", {{"radius", "27 mm"}, {"position", "0, 0.1, 0"}, {"material", "Flame"}}, in);
        b.add("light.area", "Night window",
              {{"power", "160"},
               {"color", "0.36, 0.54, 1"},
               {"width", "0.7"},
               {"height", "1.7"},
               {"position", "-1.35, 1.5, -1.2"},
               {"target", "0, 0.1, 0"},
               {"seen", "off"}});
        // The level of the filmed tray, for the hinge: nobody sees it.
        b.add("object.plane", "Tray level",
              {{"width", "1.5"}, {"depth", "1.1"}, {"seen", "off"}, {"casts_shadow", "off"}});
        addCamera(b);
        const NodeId mirror = b.add("lens.mirror_copy", "In the quicksilver",
                                    {{"sources", "Lantern"},
                                     {"plane", "Tray level"},
                                     {"hinge_by", "thing"},
                                     {"hinge_at", "Lantern"},
                                     {"hinge_y", "50 %"},
                                     {"amount", "85 %"},
                                     {"reach", "55 %"},
                                     {"gap", "0 %"},
                                     {"spread_along", "1.5 %"},
                                     {"spread_across", "4 %"}});
        for (const auto& [where, opacity] : {std::pair{"0 %", "100 %"}, {"50 %", "85 %"}, {"100 %", "15 %"}})
          b.add("curve.thinning", "Thinning", {{"at", where}, {"value", opacity}}, {mirror, "thinning", size_t(-1)});
        b.add("area.rectangle", "Inside the rim",
              {{"centre_x", "50 %"}, {"centre_y", "60 %"}, {"width", "152 %"}, {"height", "56 %"}, {"soft", "2 %"}},
              {mirror, "areas"});
        // What the plate's ripples do to the copy, and to nothing that stands above the hinge.
        b.add("pattern.image", "Filmed ripples",
              {{"file", "orrery-assets/quicksilver-tray.0001.exr"},
               {"numbered", "on"},
               {"play", "to and fro"},
               {"own_rate", "12"}});
        const NodeId ripples = b.add("lens.displace", "Ripples",
                                     {{"sources", "Lantern"},
                                      {"map", "pattern Filmed ripples"},
                                      {"across", "5 %"},
                                      {"down", "2.5 %"},
                                      {"middle", "0.06"},
                                      {"smoothing", "0.4 %"}});
        b.add("area.rectangle", "Below the hinge",
              {{"centre_x", "50 %"}, {"centre_y", "84 %"}, {"width", "200 %"}, {"height", "46 %"}, {"soft", "15 %"}},
              {ripples, "areas"});
        // After the copy, so that the mirrored fire has a halo of its own, and no halo ends at the hinge.
        b.add("effect.glow", "Fire glow", {{"from", "Fire"}});
        b.add("lens.glow", "Fire halo", {{"amount", "22 %"}, {"size", "9 %"}, {"sources", "Fire glow"}});
        b.set(b.find("Fire glow"), {{"lens", "Fire halo"}});
        return StarterContent{b.take(), plateFiles(kinds)};
      }};
}

} // namespace ilumbra
