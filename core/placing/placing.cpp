#include "core/placing/placing.h"

#include "core/document/edit.h"
#include "core/geometry/shape.h"
#include "core/placing/arrange.h"
#include "core/placing/handle_parts.h"

#include <memory>

namespace ilumbra {
namespace {

constexpr int roundness = 64;
// Length of an axis, of the picture's height.
constexpr float reach = 0.16f;

double snapped(double v, double step) { return step > 0 ? step * std::round(v / step) : v; }

// What all handles of one selection share.
struct Hand {
  Document doc;
  std::vector<NodeId> things;
  Camera camera;
  Placing placing;
  V3f pivot;
  V3f axis[3];
  float length = 1; ///< metres of an axis

  // How far along an axis from the pivot the line comes nearest to the pointer's ray.
  double along(const V3f& way, const V2f& to) const {
    const Ray ray = camera.through(to.x, to.y);
    const double b = double(dot(way, ray.direction)), det = 1 - b * b;
    if (det < 1e-6) return 0;
    const V3f d = ray.origin - pivot;
    return (double(dot(d, way)) - b * double(dot(d, ray.direction))) / det;
  }
};
using HandPtr = std::shared_ptr<const Hand>;

class Maker {
 public:
  explicit Maker(HandPtr hand) : m_hand(std::move(hand)) {}

  std::vector<Handle> make() {
    switch (m_hand->placing.what) {
    case Placing::What::Move:
      move();
      break;
    case Placing::What::Turn:
      turn();
      break;
    case Placing::What::Size:
      size();
      break;
    }
    return std::move(m_handles);
  }

 private:
  // A handle that changes things by an amount: 0 (or 1 for sizes) leaves them as they are.
  void add(const std::string& id, const std::string& label, const std::string& mark, const std::string& unit,
           const V3f& at, const std::vector<V3f>& points, std::function<double(const V2f&)> amount,
           std::function<Document(double)> apply) {
    Handle h;
    h.id = id;
    h.label = label;
    h.mark = mark;
    h.unit = unit;
    if (!m_hand->camera.project(at, h.at.x, h.at.y)) return;
    if (!points.empty()) h.lines.push_back(seenLine(m_hand->camera, points));
    h.area = true;
    h.amount = amount;
    h.enter = apply;
    h.drag = [amount, apply](const Document&, const V2f& to, const std::optional<Seen>&) { return apply(amount(to)); };
    m_handles.push_back(std::move(h));
  }

  void move() {
    for (int k = 0; k < 3; ++k) {
      const V3f way = m_hand->axis[k], tip = m_hand->pivot + way * m_hand->length;
      add(
          std::string("move ") + names[k], std::string("Move ") + names[k], names[k], "m", tip, {m_hand->pivot, tip},
          [h = m_hand, way](const V2f& to) {
            const double by = h->along(way, to) - double(h->length);
            if (!(h->placing.grid > 0)) return by;
            // Along the world's axes onto the grid itself, else by its steps.
            const double from = h->placing.axes == Placing::Axes::World ? double(dot(h->pivot, way)) : 0;
            return snapped(from + by, h->placing.grid) - from;
          },
          [h = m_hand, way](double by) { return moved(h->doc, h->things, way * float(by)); });
    }
    middle();
  }

  // Along the film, or onto what is seen.
  void middle() {
    Handle h;
    h.id = "place";
    h.label = "Place";
    if (!m_hand->camera.project(m_hand->pivot, h.at.x, h.at.y)) return;
    h.drag = [hand = m_hand](const Document&, const V2f& to, const std::optional<Seen>& seen) {
      V3f place;
      if (seen && hand->placing.onto != Placing::Onto::Nothing) {
        place = hand->placing.onto == Placing::Onto::Surface  ? seen->point
                : hand->placing.onto == Placing::Onto::Vertex ? seen->vertex
                                                              : seen->centre;
      } else {
        const Ray ray = hand->camera.through(to.x, to.y);
        const float down = dot(ray.direction, hand->camera.forward());
        place = ray.origin + ray.direction * (dot(hand->pivot - ray.origin, hand->camera.forward()) / down);
        if (hand->placing.grid > 0)
          for (int k = 0; k < 3; ++k) place[k] = float(snapped(double(place[k]), hand->placing.grid));
      }
      return moved(hand->doc, hand->things, place - hand->pivot);
    };
    m_handles.push_back(std::move(h));
  }

  void turn() {
    for (int k = 0; k < 3; ++k) {
      const V3f axis = m_hand->axis[k], u = m_hand->axis[(k + 1) % 3], v = m_hand->axis[(k + 2) % 3];
      std::vector<V3f> ring;
      for (int i = 0; i <= roundness; ++i)
        ring.push_back(m_hand->pivot +
                       (u * std::cos(2 * pi * float(i) / roundness) + v * std::sin(2 * pi * float(i) / roundness)) *
                           m_hand->length);
      // Beside where the ring comes nearest to the camera, so that no ring's handle hides behind another's.
      V3f near = -m_hand->camera.forward() - axis * dot(-m_hand->camera.forward(), axis);
      near = ilumbra::length(near) > 0.05f ? normalize(near) : u;
      near = near * std::cos(0.7f) + cross(axis, near) * std::sin(0.7f);
      const V3f beside = cross(axis, near), start = m_hand->pivot + near * m_hand->length;
      add(
          std::string("turn ") + names[k], std::string("Turn about ") + names[k], names[k], "°", start, ring,
          [h = m_hand, axis, near, beside, start](const V2f& to) {
            const Ray ray = h->camera.through(to.x, to.y);
            const float down = dot(ray.direction, axis);
            double degrees = 0;
            if (std::abs(down) > 0.25f) {
              const V3f p = ray.origin + ray.direction * (dot(h->pivot - ray.origin, axis) / down) - h->pivot;
              degrees = double(std::atan2(dot(p, beside), dot(p, near))) * 180 / double(pi);
            } else {
              // The ring is seen from its edge: by the way along it in the picture.
              V2f a, b;
              if (h->camera.project(start, a.x, a.y) &&
                  h->camera.project(start + beside * (0.1f * h->length), b.x, b.y)) {
                const V2f way = b - a;
                degrees = double((to - a).dot(way) / std::max(1e-6f, way.length2()) * 0.1f) * 180 / double(pi);
              }
            }
            return snapped(degrees, h->placing.grid > 0 ? 15 : 0);
          },
          [h = m_hand, axis](double degrees) { return turned(h->doc, h->things, h->pivot, axis, degrees); });
    }
    middle();
  }

  void size() {
    const auto factor = [h = m_hand](double along) {
      return snapped(std::max(0.001, along / double(h->length)), h->placing.grid > 0 ? 0.1 : 0);
    };
    const std::vector<NodeId> list = placeable(m_hand->doc, m_hand->things);
    const Node* only = list.size() == 1 ? m_hand->doc.find(list.front()) : nullptr;
    // Sizes belong to a thing's own axes: along others it would be slanted.
    if (only && only->kind->param("size")) {
      for (int k = 0; k < 3; ++k) {
        const M44f world = worldMatrix(m_hand->doc, *only, currentFrame(m_hand->doc));
        V3f unit(0.0f);
        unit[k] = 1;
        const V3f way = normalize(transformVector(world, unit)), tip = m_hand->pivot + way * m_hand->length;
        add(
            std::string("size ") + names[k], std::string("Size along ") + names[k], names[k], "×", tip,
            {m_hand->pivot, tip}, [h = m_hand, way, factor](const V2f& to) { return factor(h->along(way, to)); },
            [h = m_hand, k, id = only->id](double f) { return sizedAlong(h->doc, id, k, std::max(1e-4, f)); });
      }
    }
    const V3f way = normalize(m_hand->camera.right() + m_hand->camera.up()),
              tip = m_hand->pivot + way * (0.7f * m_hand->length);
    add(
        "size", "Size", "", "×", tip, {m_hand->pivot, tip},
        [h = m_hand, way, factor](const V2f& to) { return factor(h->along(way, to) / 0.7); },
        [h = m_hand](double f) { return sized(h->doc, h->things, h->pivot, std::max(1e-4, f)); });
    middle();
  }

  static constexpr const char* names[3] = {"x", "y", "z"};
  HandPtr m_hand;
  std::vector<Handle> m_handles;
};

} // namespace

std::vector<Handle> placingHandles(const Document& doc, const std::vector<NodeId>& things, double frame,
                                   const Camera& camera, const Placing& placing) {
  const std::vector<NodeId> list = placeable(doc, things);
  for (const NodeId id : list)
    if (isLocked(doc, *doc.find(id))) return {};
  if (list.empty()) return {};
  auto hand = std::make_shared<Hand>(
      Hand{doc, things, camera, placing, originOf(doc, list.back(), frame), {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}, 1});
  hand->length = reach * camera.seenHeight() * std::max(1e-3f, dot(hand->pivot - camera.position(), camera.forward()));
  if (placing.axes == Placing::Axes::Camera) {
    hand->axis[0] = camera.right();
    hand->axis[1] = camera.up();
    hand->axis[2] = -camera.forward();
  } else if (const Node* last = doc.find(list.back());
             placing.axes == Placing::Axes::Own && last->kind->param("turn")) {
    const M44f world = worldMatrix(doc, *last, frame);
    for (int k = 0; k < 3; ++k) hand->axis[k] = normalize(transformVector(world, hand->axis[k]));
  }
  return Maker(std::move(hand)).make();
}

} // namespace ilumbra
