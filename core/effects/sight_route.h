#pragma once
#include "core/effects/route_parts.h"
#include "core/effects/sight_probe.h"

namespace ilumbra {

struct InstancedObject;

/// Share of a developed picture's light that comes by way of the bodies of an effect (sightLayer()), before the lens.
double sightShare(const DevelopedEffect& of);

/// What the routes of bodies that are looked at, or through, have in common. Lives as long as its measuring.
class SightRoute {
 public:
  using Weight = Finding::Weight;
  /// `bodies`: the role whose objects are looked at.
  SightRoute(const DevelopedEffect& of, const char* bodies);

 protected:
  void tell(Weight weight, const char* role, NodeId thing, std::string text, std::vector<Mend> mends = {});
  Params paramsOf(const Node& n) const { return {n, m_of.frame}; }
  /// What fills a role, groups by what they hold.
  std::vector<const Node*> inRole(const char* role) const;
  std::set<uint16_t> thingsOf(const std::vector<const Node*>& nodes) const;
  /// The surface material that an object wears; null: it wears none, or one of layers.
  const Node* matterOf(const Node& object) const;
  /// The first compiled object of a node; null: it is not in the scene.
  const InstancedObject* compiled(const Node& object) const;
  /// By name, of a thing of the scene; -1: the sky.
  std::string nameOf(int thing) const;
  NodeId nodeOf(int thing) const;
  /// Tells of bodies that are missing, not shown, hidden from the camera, or out of the picture. False: nothing of them
  /// is in the picture.
  bool judgePresence(const char* teaches);
  /// The picture's light by way of the bodies (sightLayer()): its share, and how bright it is where it is.
  struct Light {
    double share = 0;
    double stops = -100;     ///< mean over the pixels that show the bodies, from white
    double brightest = -100; ///< of a hundredth of them, stops from white
    double clipped = 0;      ///< share of them above white
  };
  Light light() const;
  /// How bright a light by itself is where it is brightest in that light, stops from white; -100: it is not in it.
  double brightestOf(const Node& light) const;
  /// How wide something is told of: degrees, and in shares of the picture's height.
  std::string angleText(double degrees) const;

  const DevelopedEffect& m_of;
  const Document& m_doc;
  const Scene& m_scene;
  const char* const m_role;
  const std::vector<const Node*> m_bodies;
  const std::set<uint16_t> m_things;
  const SightProbe m_probe;
  Route m_route;
};

} // namespace ilumbra
