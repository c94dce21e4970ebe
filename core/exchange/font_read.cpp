// Outlines of a line of text in a font that nobody vouches for.
#include "core/base/error.h"
#include "core/exchange/readers.h"
#include "core/exchange/wire.h"
#include "core/text/text_outline.h"

#include <cstdlib>
#include <fstream>
#include <iterator>

namespace ilumbra {

std::string readOutlineBytes(const std::string& path, const std::string& request) {
  const size_t colon = request.find(':');
  std::ifstream file(path, std::ios::binary);
  const std::string bytes((std::istreambuf_iterator<char>(file)), std::istreambuf_iterator<char>());
  const TextOutline o = outlineOf(bytes, request.substr(colon + 1), std::strtof(request.c_str(), nullptr));
  WireWriter w;
  w.put(o.width);
  w.put(uint64_t(o.rings.size()));
  for (const auto& ring : o.rings) w.put(ring);
  return w.bytes();
}

TextOutline decodeOutline(const std::string& bytes) {
  WireReader r(bytes);
  TextOutline o;
  r.get(o.width);
  o.rings.resize(r.count(8));
  for (auto& ring : o.rings) {
    r.get(ring);
    for (const V2f& p : ring)
      if (!std::isfinite(p.x) || !std::isfinite(p.y)) throw badInput("its reader returned nonsense");
  }
  return o;
}

} // namespace ilumbra
