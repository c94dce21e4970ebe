#pragma once
#include "core/effects/route.h"

namespace ilumbra {

/// How much of some objects' surfaces a mask covers, and how much of that the camera sees: from places spread evenly
/// over them, a few thousand, the same each time.
struct Cover {
  double area = 0;                 ///< of the surfaces, m²
  double covered = 0;              ///< of it under the mask, m²
  double seen = 0;                 ///< of what is covered in sight of the camera, m²
  double outside = 0;              ///< of it out of frame
  double back = 0;                 ///< of it on what faces away
  std::map<NodeId, double> hidden; ///< of it behind others
  std::vector<V3f> places;         ///< some of all places
  uint64_t rays = 0;
};
/// A place on an object and how much of its surface it stands for, m².
struct SpreadPlace {
  PatternPoint at;
  double area = 0;
};
/// Places spread evenly over an object's first copy, the same each time.
void spreadOver(const InstancedObject& object, uint32_t count, const std::function<void(const SpreadPlace&)>& f);

/// `mask`: the pattern that drives the mask of a layer on the objects.
Cover coverOf(const Document& doc, const Scene& scene, const std::vector<NodeId>& objects, NodeId mask);

/// What of it comes to the camera's picture, as a station of a route.
Station coverStation(const Document& doc, const Cover& cover, std::string name);

/// An area as it is told: "12 cm²".
std::string areaText(double squareMetres);
/// A length as it is told: "12 mm".
std::string lengthText(double metres);

} // namespace ilumbra
