#pragma once
#include "core/document/document.h"

#include <functional>
#include <map>

namespace ilumbra {

/// A ready, small, working scene of the Orrery Hall, and the files that stand beside it.
struct StarterContent {
  Document doc;
  std::map<std::string, std::string> files; ///< content by name
};
struct Starter {
  std::string name;    ///< "sun-core": on the command line
  std::string label;   ///< "Sun core"
  std::string teaches; ///< what it shows, a sentence without full stop
  std::function<StarterContent(const std::shared_ptr<const Kinds>&)> make;
};
/// Every starter. A new one is a file in this folder and a line here.
const std::vector<Starter>& allStarters();
/// Throws Usage naming those that exist.
const Starter& findStarter(const std::string& name);

/// Writes a starter and its files. Files that are there already with the same content are left alone. Returns the
/// document as it stands in `path`.
Document writeStarter(const Starter& starter, const std::shared_ptr<const Kinds>& kinds, const std::string& path);

Starter amberHoneycombStarter();
Starter slottedShutterStarter();
Starter zodiacBandStarter();
Starter dustyProjectorStarter();
Starter pendulumLampStarter();
Starter floorMistStarter();
Starter brassNephroidStarter();
Starter brassRingsStarter();
Starter burstHourglassStarter();
Starter gyroscopeCageStarter();
Starter hologramCageStarter();
Starter nameplateStarter();
Starter stillPoolStarter();
Starter turnedBulbStarter();
Starter glassOverSlateStarter();
Starter glassPlanetsStarter();
Starter poolRipplesStarter();
Starter quicksilverTrayStarter();
Starter jadeMoonStarter();
Starter sunCoreStarter();
Starter veilCometStarter();
Starter glowAlgaeStarter();
Starter creepingTarnishStarter();
Starter litChartStarter();
Starter blackBallStarter();
Starter wordsBeforeALampStarter();
Starter orreryHallStarter();

} // namespace ilumbra
