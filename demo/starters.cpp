#include "demo/starters.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/document/file.h"

#include <filesystem>
#include <fmt/format.h>

namespace ilumbra {
namespace fs = std::filesystem;

const std::vector<Starter>& allStarters() {
  static const std::vector<Starter> all = {
      sunCoreStarter(),        brassRingsStarter(),       glassPlanetsStarter(),    jadeMoonStarter(),
      veilCometStarter(),      gyroscopeCageStarter(),    hologramCageStarter(),    burstHourglassStarter(),
      turnedBulbStarter(),     nameplateStarter(),        stillPoolStarter(),       glassOverSlateStarter(),
      brassNephroidStarter(),  poolRipplesStarter(),      quicksilverTrayStarter(), slottedShutterStarter(),
      zodiacBandStarter(),     dustyProjectorStarter(),   pendulumLampStarter(),    floorMistStarter(),
      amberHoneycombStarter(), glowAlgaeStarter(),        creepingTarnishStarter(), litChartStarter(),
      blackBallStarter(),      wordsBeforeALampStarter(), orreryHallStarter()};
  return all;
}

const Starter& findStarter(const std::string& name) {
  std::string known;
  for (const Starter& s : allStarters()) {
    if (s.name == name) return s;
    known += (known.empty() ? "" : ", ") + s.name;
  }
  throw usageError(fmt::format("there is no starter \"{}\" (there are {})", name, known));
}

Document writeStarter(const Starter& starter, const std::shared_ptr<const Kinds>& kinds, const std::string& path) {
  StarterContent content = starter.make(kinds);
  const fs::path folder = fs::absolute(path).parent_path();
  for (const auto& [name, bytes] : content.files) {
    const fs::path file = folder / name;
    std::error_code e;
    if (fs::file_size(file, e) == bytes.size() && !e && readFile(file.string()) == bytes) continue;
    fs::create_directories(file.parent_path(), e);
    writeFileAtomically(file.string(), bytes);
  }
  DocumentBuilder b(content.doc);
  b.setFolder(folder.string());
  return writeDocument(b.take(), path);
}

} // namespace ilumbra
