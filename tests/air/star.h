#pragma once
#include <fstream>
#include <string>

namespace ilumbra::test {

// A closed mesh as it comes from elsewhere: a star of eight points, whose sides are bent inwards.
inline void writeStar(const std::string& path) {
  std::ofstream f(path);
  f << "ply\nformat ascii 1.0\nelement vertex 14\nproperty float x\nproperty float y\nproperty float z\nelement face "
       "24\nproperty list uchar int vertex_indices\nend_header\n";
  for (int c = 0; c < 8; ++c)
    f << (c & 1 ? 0.8 : -0.8) << ' ' << (c & 2 ? 0.8 : -0.8) << ' ' << (c & 4 ? 0.8 : -0.8) << '\n';
  for (int k = 0; k < 3; ++k)
    for (const double side : {-0.3, 0.3})
      f << (k == 0 ? side : 0) << ' ' << (k == 1 ? side : 0) << ' ' << (k == 2 ? side : 0) << '\n';
  for (int k = 0; k < 3; ++k)
    for (int side = 0; side < 2; ++side) {
      const int u = 1 << ((k + 1) % 3), v = 1 << ((k + 2) % 3), base = side << k, middle = 8 + 2 * k + side;
      const int ring[4] = {base, base + u, base + u + v, base + v};
      for (int i = 0; i < 4; ++i)
        f << "3 " << middle << ' ' << ring[side ? i : (i + 1) % 4] << ' ' << ring[side ? (i + 1) % 4 : i] << '\n';
    }
}

} // namespace ilumbra::test
