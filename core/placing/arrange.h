#pragma once
#include "core/document/document.h"
#include "core/scene/scene.h"

#include <optional>

namespace ilumbra {

// Edits that place things: each takes a document and returns a new one, in one step. Places are in the world, whatever
// groups and carriers lie between. Things that stand inside another of the list go along with it and are not moved
// twice. Where a placement has keys, the key of the current frame is set.

/// Things of a list that can be placed, without those that stand inside another of them.
std::vector<NodeId> placeable(const Document& doc, const std::vector<NodeId>& things);
/// Where a thing stands: its origin in the world.
V3f originOf(const Document& doc, NodeId thing, double frame);

Document moved(const Document& doc, const std::vector<NodeId>& things, const V3f& by);
/// Turned about an axis (unit) through a point, in degrees.
Document turned(const Document& doc, const std::vector<NodeId>& things, const V3f& about, const V3f& axis,
                double degrees);
/// Sized about a point: all things by one factor, together with the distances between them.
Document sized(const Document& doc, const std::vector<NodeId>& things, const V3f& about, double factor);
/// One thing sized along one of its own axes (0 to 2).
Document sizedAlong(const Document& doc, NodeId thing, int axis, double factor);

/// Each thing straight down (or up, out of what it sinks into) until it rests on what lies below it in the scene, which
/// was compiled from this document. What has nothing below stays.
Document dropped(const Document& doc, const std::vector<NodeId>& things, const Scene& scene);

enum class Edge { Low, Centre, High };
/// All things brought to the place of the last one along a world axis, by the edges or centres of their boxes in the
/// scene.
Document aligned(const Document& doc, const std::vector<NodeId>& things, int axis, Edge edge, const Scene& scene);
/// Things between the two outermost spread so that the gaps between their boxes are equal.
Document distributed(const Document& doc, const std::vector<NodeId>& things, int axis, const Scene& scene);

/// Turned so that the thing's own z (a lamp's or camera's aim) points to a place.
Document facing(const Document& doc, const std::vector<NodeId>& things, const V3f& place);

/// Things made to ride on a carrier, an object or a group; 0 lets them go. They stay where they are in the world, at
/// every key.
Document carried(const Document& doc, const std::vector<NodeId>& things, NodeId carrier);

/// Things that go along a path from now on, once in the document's range: in a group that follows it (a single group
/// follows it itself), its middle where the first of them stood. All face as they do now and turn along from there; a
/// lone lamp or camera looks ahead. The path is the one among `things`; if there is none, a closed one is made that
/// passes where they stand. `group` receives what follows.
Document following(const Document& doc, const std::vector<NodeId>& things, NodeId* group = nullptr);

/// The step of a repeat of an object: along that of its own level axes on whose one side there is most room until
/// something stands in the way, as long as the object is there and a quarter. `scene` was compiled from this document;
/// none: it is not in it.
std::optional<Triple> freeStep(const Document& doc, const Scene& scene, NodeId object);

/// Another object that shows the form of this one, and its material until it has its own: changes of the one are
/// changes of both. `made` receives its id.
Document twinned(const Document& doc, NodeId object, NodeId* made = nullptr);

} // namespace ilumbra
