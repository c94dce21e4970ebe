#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"
#include "core/document/edit.h"

#include <string>
#include <vector>

namespace ilumbra {

// What effects make of what a scene lacks is put together from these.

/// What the camera is about: the middle of what it frames, how high the picture is there, and where the ground is;
/// metres.
struct Framed {
  V3f middle{0, 0.5f, 0};
  float height = 2;
  float floor = 0;
};
Framed framed(const Document& doc);

/// A camera that looks at the middle of the objects there are, where the document has none.
void cameraFor(Document& doc, std::vector<std::string>* told);

/// A number with two digits that count, as a person would type it.
std::string tidy(double v);
std::string text(const V3f& p);
/// Adds a node with values as a person would type them.
NodeId add(Document& doc, const char* kind, const std::string& name,
           const std::vector<std::pair<std::string, std::string>>& values, const Place& place = {});
/// Puts a thing into a role, if it is not there.
void take(Document& doc, NodeId effect, const char* role, NodeId thing);
void tell(std::vector<std::string>* told, std::string what);
/// True of suns and skies.
bool farAway(const Node& light);
/// Of the lights that the selection named, or the first of some kinds, or one that is made.
NodeId lightFor(Document& doc, NodeId effect, const std::vector<std::string>& kinds, const char* made,
                const std::vector<std::pair<std::string, std::string>>& values, std::vector<std::string>* told);
/// The largest object that the picture is about, some apart: not what it stands on. 0: there is none.
NodeId mainObject(const Document& doc, const std::vector<NodeId>& but = {});
/// A ball in the middle of what is framed, of a material of its own after a preset (core/surface/presets.h).
NodeId ballOf(Document& doc, const std::string& name, const std::string& matter, const std::string& preset);
/// Where nothing gives light yet: a small lamp some eight stops above white, in the middle of what is seen.
void lampIfNothingShines(Document& doc, NodeId effect, std::vector<std::string>* told);
/// What a body is shown in where there is nothing yet: a table of squares, and where there is no light a window, a lamp
/// and a dusk; dark: for what shines itself, the table alone and hardly a dusk.
enum class Stage { Lit, Dark };
void stageFor(Document& doc, const std::vector<NodeId>& bodies, Stage how, std::vector<std::string>* told);
/// A lamp and a dusk, where there is no light at all.
void lightIfDark(Document& doc, std::vector<std::string>* told);
/// What the camera takes for white: cd/m² of a value of 1.
double white(const Document& doc);
/// Around objects, in the world; empty where their forms need files.
Box3f boundsOf(const Document& doc, const std::vector<NodeId>& objects);

} // namespace ilumbra
