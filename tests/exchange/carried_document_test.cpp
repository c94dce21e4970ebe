// The document that a picture holds.
#include "core/exchange/carried_document.h"

#include "core/base/error.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/document/inputs.h"
#include "tests/support/scene.h"

#include <filesystem>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

namespace {

PictureFile blank() {
  PictureFile file;
  file.width = 4;
  file.height = 2;
  file.layers.push_back({"", {"R", "G", "B"}, false, std::vector<float>(24, 0.25f)});
  return file;
}

} // namespace

TEST_CASE("A picture holds the document that made it, with named inputs and what uses set", "[exchange][carried]") {
  const TemporaryFolder folder;
  fs::create_directories(folder / "renders");
  Set s;
  const NodeId clouds = s.add("pattern.noise", "Clouds", {{"scale", "30 mm"}});
  const NodeId chart = s.add("pattern.image", "Chart", {});
  const NodeId brass =
      s.add("material.surface", "Brass", {{"roughness", "pattern Clouds"}, {"base_color", "pattern Chart"}});
  const NodeId ball = s.add("object.sphere", "Ball, \"quoted\" – Kugel", {{"material", "Brass"}});
  Document doc = addInput(s.take(), clouds, "grain", {0, "scale", ""});
  doc = addInput(doc, brass, "size of the grain", {0, "roughness", "grain"});
  doc = setAt(doc, {ball, "material", 0, "size of the grain"}, Constant(0.5));
  doc = setValue(writeDocument(doc, folder / "scene.ilum"), chart, "file", Constant(std::string("chart.png")));

  PictureFile file = blank();
  const std::string path = folder / "renders/shot.0001.exr";
  const ColorViews views;
  carryDocument(file, doc, path);
  writePicture(file, path, views, "ACES SDR");
  const Document back = readAnyDocument(doc.sharedKinds(), path);
  // Its files are found from where the picture lies.
  CHECK(Params(*back.findByName("Chart"), 0).text("file") == "../chart.png");
  CHECK(toJson(movedTo(back, doc.folder())) == toJson(doc));
  CHECK(readPicture(path).picture().rgb == file.picture().rgb);

  // Other formats and other pictures hold none, and a document never takes a picture's place.
  PictureFile plain = blank();
  carryDocument(plain, doc, folder / "shot.png");
  CHECK(plain.metadata.empty());
  writePicture(plain, folder / "plain.exr", views, "ACES SDR");
  CHECK_THROWS_WITH(readAnyDocument(doc.sharedKinds(), folder / "plain.exr"),
                    Catch::Contains("plain.exr: this picture holds no document"));
  plain.metadata["ilumbra/document"] = "{\"nodes\": [";
  writePicture(plain, folder / "broken.exr", views, "ACES SDR");
  CHECK_THROWS_WITH(readAnyDocument(doc.sharedKinds(), folder / "broken.exr"), Catch::Contains("broken.exr: "));
  CHECK_THROWS_AS(writeDocument(doc, path), Error);
  CHECK(toJson(readAnyDocument(doc.sharedKinds(), path)) == toJson(back));
}
