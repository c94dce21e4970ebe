#include "core/advise/about_patterns.h"

#include "core/base/error.h"
#include "core/compile/balance.h"
#include "core/document/units.h"
#include "core/effects/cover.h"
#include "core/effects/route_parts.h"
#include "core/geometry/no_assets.h"
#include "core/pattern/fit.h"
#include "core/pattern/program.h"
#include "core/scene/geometry.h"

#include <fmt/format.h>
#include <map>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;

constexpr uint32_t placesOfEach = 768;

// A pattern with all patterns that are in it.
void collect(const Document& doc, NodeId pattern, std::vector<const Node*>& out) {
  for (const NodeId id : treeOf(doc, pattern)) {
    const Node* n = doc.find(id);
    if (!n || std::find(out.begin(), out.end(), n) != out.end()) continue;
    out.push_back(n);
    for (const auto& [name, value] : n->values)
      if (value.pattern()) collect(doc, value.pattern()->pattern.target, out);
  }
}

bool liesInTexture(const Node& pattern, double frame) {
  for (const char* param : {"space", "projection"})
    if (pattern.kind->param(param) && counts(pattern, *pattern.kind->param(param), frame) &&
        Params(pattern, frame).text(param) == "texture")
      return true;
  return false;
}

// One material as one object wears it.
class Worn {
 public:
  Worn(const Document& doc, double frame, const Node& material, const InstancedObject& on, const Node& object,
       std::vector<Finding>& out)
      : m_doc(doc), m_frame(frame), m_material(material), m_on(on), m_object(object), m_out(out) {}

  void look() {
    for (const auto& [name, value] : m_material.values) {
      const ParamDef* d = m_material.kind->param(name);
      if (!value.pattern() || !d || d->evenOnly || !counts(m_material, *d, m_frame)) continue;
      const NodeId target = value.pattern()->pattern.target;
      const Node* pattern = m_doc.find(target);
      if (!pattern) continue;
      std::vector<const Node*> all;
      collect(m_doc, target, all);
      for (const Node* n : all) {
        aboutSize(*n);
        aboutTexture(*n);
      }
      try {
        const NoAssets none; // what shows a file is looked at by its size and place alone
        const Program program = Program::compile(m_doc, Params(m_material, m_frame).pattern(name)->pattern, m_frame,
                                                 none, d->type == ParamType::Color);
        if (program.constant()) continue;
        const PatternRange range = rangeOn(program, *d);
        aboutRange(*d, *pattern, range);
        aboutSeam(program, all, range);
        for (const Node* n : all) aboutEdges(*n);
      } catch (const Error& e) {
        if (e.kind() == ErrorKind::Cancelled) throw;
      }
    }
  }

 private:
  void tell(Weight weight, const Node& about, std::string text, std::vector<Mend> mends, const std::string& param) {
    m_out.push_back({weight, "", about.id, std::move(text), std::move(mends), param});
  }

  PatternRange rangeOn(const Program& program, const ParamDef& d) const {
    std::vector<PatternPoint> points;
    spreadOver(m_on, placesOfEach, [&](const SpreadPlace& p) { points.push_back(p.at); });
    std::vector<Sample4> values(points.size());
    program.evaluate(points, values.data());
    std::vector<float> numbers;
    for (const Sample4& v : values)
      numbers.push_back(d.type == ParamType::Color ? luminance(Color(v.x, v.y, v.z)) : v.x);
    return rangeOf(numbers, d);
  }

  void aboutRange(const ParamDef& d, const Node& pattern, const PatternRange& r) {
    if (d.type == ParamType::Color || d.hardMin < -1e29 || !(r.below + r.above > 0.01f)) return;
    const std::string takes = d.hardMax < 1e29
                                  ? fmt::format("{} to {}", formatNumber(d, d.hardMin), formatNumber(d, d.hardMax))
                                  : fmt::format("{} and more", formatNumber(d, d.hardMin));
    Mend mend{"Fit it into what is taken", {}};
    mend.fit = {at(m_material, d.name.c_str()), r.low, r.high};
    tell(Weight::Weak, m_material,
         fmt::format("{} of {} takes {}; {} gives {:.2g} to {:.2g}, so that {} of it is cut off", d.label,
                     m_material.name, takes, pattern.name, r.low, r.high, percent(double(r.below + r.above))),
         {mend}, d.name);
  }

  // Lengths by the object as it stands in its own space.
  void aboutSize(const Node& n) {
    const V3f size = m_on.geometry->bounds.size();
    const auto longest = double(std::max(size.x, std::max(size.y, size.z)));
    if (!(longest > 0) || liesInTexture(n, m_frame)) return;
    for (const char* name : {"scale", "pitch", "cell", "width"}) {
      const ParamDef* d = n.kind->param(name);
      if (!d || d->unit != "m" || !counts(n, *d, m_frame)) continue;
      if (const Value* v = n.find(name); v && v->pattern()) continue;
      const double v = Params(n, m_frame).number(name);
      if (v < 6 * longest && v > longest / 4000) continue;
      const double unit = std::pow(10, std::floor(std::log10(longest / 5))),
                   better = std::round(longest / 5 / unit) * unit;
      tell(Weight::Weak, n,
           v > longest ? fmt::format("{} of {} is {}, {:.0f} times as much as {} is long: it hardly changes on it",
                                     d->label, n.name, formatNumber(*d, v), v / longest, m_object.name)
                       : fmt::format("{} of {} is {}, far finer than can be seen on {}", d->label, n.name,
                                     formatNumber(*d, v), m_object.name),
           {{"Set it to " + formatNumber(*d, better), {{at(n, name), fmt::format("{:g}", better)}}}}, name);
    }
  }

  void aboutTexture(const Node& n) {
    const Shape& shape = m_on.geometry->shape;
    if (!liesInTexture(n, m_frame) || shape.sphereRadius > 0 || !shape.mesh.uvs.empty()) return;
    const char* param = n.kind->param("projection") ? "projection" : "space";
    const char* better = n.kind->param("projection") ? "box" : "object";
    tell(Weight::Weak, n,
         fmt::format("{} lies in texture coordinates, and {} has none: it is the same all over it", n.name,
                     m_object.name),
         {{fmt::format("Lay it over the {} itself", *better == 'b' ? "object from its sides" : "object"),
           {{at(n, param), better}}}},
         param);
  }

  // Where texture coordinates begin anew, what is on both sides is compared; not on what has so many triangles that
  // looking would hold up the picture.
  void aboutSeam(const Program& program, const std::vector<const Node*>& all, const PatternRange& range) {
    const auto in = std::find_if(all.begin(), all.end(),
                                 [&](const Node* n) { return liesInTexture(*n, m_frame) && n->kind->param("space"); });
    if (in == all.end()) return;
    int met = 0, apart = 0;
    const auto compare = [&](PatternPoint a, const V2f& other) {
      PatternPoint b = a;
      b.uv = other;
      const float d = std::abs(program.evaluate(a).x - program.evaluate(b).x);
      ++met;
      apart += d > 0.15f * std::max(1e-4f, range.high - range.low);
    };
    const Shape& shape = m_on.geometry->shape;
    if (shape.sphereRadius > 0) {
      for (int i = 1; i < 64; ++i) {
        const float v = float(i) / 64, up = std::sin((v - 0.5f) * pi), out = std::cos((v - 0.5f) * pi);
        PatternPoint p = pointOn(m_on, 0);
        p.normal = {-out, up, 0};
        p.position = p.normal * shape.sphereRadius;
        p.world = transformPoint(m_on.toWorld, p.position);
        p.uv = {0, v};
        compare(p, {1, v});
      }
    } else {
      const Mesh& m = shape.mesh;
      if (m.uvs.empty() || m.triangles.size() > 20000) return;
      std::vector<uint32_t> place;
      placesOf(m, place);
      std::map<std::pair<uint32_t, uint32_t>, V2f> seen;
      for (const auto& t : m.triangles) {
        const uint32_t corner[3] = {t.a, t.b, t.c};
        for (int k = 0; k < 3 && met < 2000; ++k) {
          const uint32_t i = corner[k], j = corner[(k + 1) % 3];
          const V2f uv = (m.uvs[i] + m.uvs[j]) * 0.5f;
          const auto [it, first] = seen.emplace(std::minmax(place[i], place[j]), uv);
          if (first || (it->second - uv).length() < 1e-3f) continue;
          PatternPoint p = pointOn(m_on, 0);
          p.position = (m.positions[i] + m.positions[j]) * 0.5f;
          p.world = transformPoint(m_on.toWorld, p.position);
          p.uv = uv;
          compare(p, it->second);
        }
      }
    }
    // On what is flat-sided a change at an edge is what one expects.
    if (met < 4 || apart * 3 < met || (shape.sphereRadius <= 0 && shape.mesh.normals.empty())) return;
    tell(Weight::Note, **in,
         fmt::format("{} lies in texture coordinates: where those begin anew on {} a seam shows", (*in)->name,
                     m_object.name),
         {{"Lay it in the object's own space", {{at(**in, "space"), "object"}}}}, "space");
  }

  void aboutEdges(const Node& n) {
    if (n.kind->id != "pattern.edges" || told(n, "reach")) return;
    const NoAssets none;
    float most = 0;
    const Program program = Program::compile(m_doc, {n.id, nullptr}, m_frame, none, false);
    if (program.constant()) return;
    const Params p(n, m_frame);
    if (p.pattern("low") || p.pattern("high") || p.pattern("reach")) return;
    const auto flat = float(p.triple("low")[0]);
    spreadOver(m_on, placesOfEach,
               [&](const SpreadPlace& s) { most = std::max(most, std::abs(program.evaluate(s.at).x - flat)); });
    if (most > 0.02f) return;
    const V3f size = m_on.geometry->bounds.size();
    const double reach = 0.1 * double(std::max(size.x, std::max(size.y, size.z)));
    const double unit = std::pow(10, std::floor(std::log10(std::max(1e-6, reach)))),
                 better = std::round(reach / unit) * unit;
    const bool wider = better > 1.5 * p.number("reach");
    std::vector<Mend> mends;
    if (wider)
      mends.push_back({"Look further around, " + formatNumber(*n.kind->param("reach"), better),
                       {{at(n, "reach"), fmt::format("{:g}", better)}}});
    tell(Weight::Note, n, fmt::format("{} finds nothing on {}: it turns nowhere that sharply", n.name, m_object.name),
         std::move(mends), "reach");
  }
  bool told(const Node& n, const std::string& param) const {
    return std::any_of(m_out.begin(), m_out.end(),
                       [&](const Finding& f) { return f.thing == n.id && f.param == param; });
  }

  const Document& m_doc;
  double m_frame;
  const Node& m_material;
  const InstancedObject& m_on;
  const Node& m_object;
  std::vector<Finding>& m_out;
};

} // namespace

void aboutPatterns(const Document& doc, double frame, const Scene& scene, std::vector<Finding>& out) {
  for (const auto& [material, objects] : objectsByMaterial(doc, frame)) {
    const Node* m = doc.find(material);
    if (!m) continue;
    // What is found on one object and not on another that wears the same is no fault of the pattern.
    const InstancedObject* on = nullptr;
    for (const InstancedObject& i : scene.objects)
      if (i.light < 0 && scene.things[i.thing].node == objects.front() && !i.geometry->bounds.isEmpty()) on = &i;
    const Node* object = doc.find(objects.front());
    if (on && object) Worn(doc, frame, *m, *on, *object, out).look();
  }
}

} // namespace ilumbra
