#include "core/exchange/ply_check.h"

#include "core/base/error.h"

#include <algorithm>
#include <cstdint>
#include <fmt/format.h>
#include <fstream>
#include <sstream>
#include <vector>

namespace ilumbra {
namespace {

struct Property {
  int bytes = 0;      ///< of a value, or of an item of a list
  int countBytes = 0; ///< of the number before a list; 0: it is no list
};
struct Element {
  std::string name;
  uint64_t count = 0;
  std::vector<Property> properties;
};
struct Header {
  enum class Format { Ascii, Little, Big } format = Format::Ascii;
  std::vector<Element> elements;
};

int bytesOf(const std::string& type) {
  static const std::pair<const char*, int> all[] = {{"char", 1},  {"uchar", 1},   {"int8", 1},   {"uint8", 1},
                                                    {"short", 2}, {"ushort", 2},  {"int16", 2},  {"uint16", 2},
                                                    {"int", 4},   {"uint", 4},    {"int32", 4},  {"uint32", 4},
                                                    {"float", 4}, {"float32", 4}, {"double", 8}, {"float64", 8}};
  for (const auto& [name, bytes] : all)
    if (type == name) return bytes;
  throw badInput(fmt::format("its header has the type \"{}\", which PLY does not have", type.substr(0, 40)));
}

Header readHeader(std::ifstream& file) {
  Header h;
  std::string line;
  for (size_t read = 0; read < 65536 && std::getline(file, line); read += line.size() + 1) {
    if (!line.empty() && line.back() == '\r') line.pop_back();
    if (read == 0 && line != "ply") throw badInput("is no PLY file: it does not begin with \"ply\"");
    if (line == "end_header") return h;
    std::istringstream words(line);
    std::string what, a, b, c;
    words >> what >> a >> b >> c;
    if (what == "format") {
      h.format = a == "ascii"                  ? Header::Format::Ascii
                 : a == "binary_little_endian" ? Header::Format::Little
                 : a == "binary_big_endian"    ? Header::Format::Big
                                               : throw badInput("its header has a format that PLY does not have");
    } else if (what == "element") {
      Element e{a, 0, {}};
      if (!(std::istringstream(b) >> e.count) || b.starts_with('-') || e.count > uint64_t(1) << 40)
        throw badInput(fmt::format("its header has no number of \"{}\"", a.substr(0, 40)));
      h.elements.push_back(std::move(e));
    } else if (what == "property") {
      if (h.elements.empty()) throw badInput("its header has a property of no element");
      h.elements.back().properties.push_back(a == "list" ? Property{bytesOf(c), bytesOf(b)} : Property{bytesOf(a), 0});
    }
  }
  throw badInput("has a header without an end");
}

[[noreturn]] void ends(const Element& e) {
  throw badInput(fmt::format("ends before its {} \"{}\" are told", e.count, e.name.substr(0, 40)));
}

// A line each, whatever stands on it: what is missing there the library takes for nothing.
void passLines(std::ifstream& file, const Element& e) {
  std::string line;
  for (uint64_t i = 0; i < e.count;) {
    if (!std::getline(file, line)) ends(e);
    i += line.find_first_not_of(" \t\r") != line.npos;
  }
}

void passBytes(std::ifstream& file, const Element& e, bool little) {
  const auto skip = [&](uint64_t left) {
    char some[4096];
    while (left > 0) {
      const uint64_t n = std::min<uint64_t>(left, sizeof some);
      if (!file.read(some, std::streamsize(n))) ends(e);
      left -= n;
    }
  };
  const auto number = [&](int bytes) {
    unsigned char raw[8];
    if (!file.read(reinterpret_cast<char*>(raw), bytes)) ends(e);
    uint64_t v = 0;
    for (int k = 0; k < bytes; ++k) v |= uint64_t(raw[little ? k : bytes - 1 - k]) << (8 * k);
    return v;
  };
  if (e.properties.empty()) return; // however many there are said to be
  for (uint64_t i = 0; i < e.count; ++i)
    for (const Property& p : e.properties)
      skip((p.countBytes ? std::min(number(p.countBytes), uint64_t(1) << 40) : 1) * uint64_t(p.bytes));
}

} // namespace

void checkPly(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  const Header h = readHeader(file);
  for (const Element& e : h.elements)
    if (h.format == Header::Format::Ascii)
      passLines(file, e);
    else
      passBytes(file, e, h.format == Header::Format::Little);
}

} // namespace ilumbra
