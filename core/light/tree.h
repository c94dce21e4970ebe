#pragma once
#include "core/light/light.h"

#include <array>
#include <memory>

namespace ilumbra {

/// A wide tree over lights for choosing one by what it may give at a point (after Conty Estevez and Kulla 2018,
/// "Importance Sampling of Many Lights with Adaptive Tree Splitting"; its bounds of distance, emission cone and
/// receiver's horizon). Up to `width` lights are one flat node.
class LightTree {
 public:
  static constexpr int width = 32;
  struct Entry {
    LightReach reach;
    float weight = 1; ///< brightness; more than 0
  };
  LightTree() = default;
  explicit LightTree(const std::vector<Entry>& lights);
  bool empty() const { return m_nodes.empty(); }

  /// The choice at one point. Cheap to move; what it says stays true of the last point until it is moved.
  class Chooser {
   public:
    explicit Chooser(const LightTree& tree) : m_tree(tree) {}
    /// `normal`: unit, geometric, on the side from which light is taken; zero: light is taken from everywhere.
    void moveTo(const V3f& point, const V3f& normal);
    /// Index and probability of the light for u in [0, 1); false if none may give anything.
    bool pick(float u, size_t& index, float& probability) const;
    float probability(size_t index) const;
    /// Sum of the rough illuminances by weight.
    float total() const { return m_total; }

   private:
    const LightTree& m_tree;
    V3f m_point{0.0f}, m_normal{0.0f};
    float m_total = 0;
    std::array<float, width> m_root; ///< meaningless before moveTo()
  };

 private:
  // Lanes beyond `count` have no weight.
  struct Node {
    int count = 0;
    alignas(32) std::array<float, width> x{}, y{}, z{}, radius{}, axisX{}, axisY{}, axisZ{}, cosSpread{}, sinSpread{},
        cosFall{}, reach2{}, weight{};
    std::array<int, width> child{}; ///< a light, or ~node
  };
  struct Item {
    LightReach reach;
    float weight;
    std::vector<size_t> lights;
  };
  int build(std::vector<size_t> lights, const std::vector<Entry>& all);
  static Item cover(std::vector<size_t> lights, const std::vector<Entry>& all);
  /// Weights at a point, and their sum.
  static float weigh(const Node& node, const V3f& point, const V3f& normal, std::array<float, width>& out);

  std::vector<Node> m_nodes;                            ///< the first is the root
  std::vector<std::vector<std::pair<int, int>>> m_path; ///< by light: (node, lane) from the root down
};

} // namespace ilumbra
