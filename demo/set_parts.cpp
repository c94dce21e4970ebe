#include "demo/set_parts.h"

namespace ilumbra {

void addSlateTable(SceneBuilder& b) {
  b.preset("Table slate", "Honed slate");
  b.set(b.find("Table slate"), {{"roughness", "0.22"}});
  b.preset("Hall plaster", "Plaster");
  b.set(b.find("Hall plaster"), {{"base_color", "0.3, 0.29, 0.3"}});
  b.add("object.cylinder", "Table",
        {{"radius", "1.3"},
         {"height", "60 mm"},
         {"round", "4 mm"},
         {"position", "0, -0.03, 0"},
         {"material", "Table slate"}});
  b.add("object.plane", "Back wall",
        {{"width", "14"},
         {"depth", "7"},
         {"position", "0, 1.5, -2.4"},
         {"turn", "90, 0, 0"},
         {"material", "Hall plaster"}});
}

} // namespace ilumbra
