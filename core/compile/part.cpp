#include "core/compile/part.h"

#include "core/base/error.h"

#include <algorithm>
#include <charconv>
#include <fmt/format.h>

namespace ilumbra {

Kind partKind() {
  return {
      .id = "source.part",
      .label = "Part",
      .helpText =
          "Some copies of a thing, or a material only where one object wears it: a source for effects and lens stages.",
      .params = {reference("of", "Of", {"object.", "light."})
                     .at(Invalidation::Shading)
                     .matters()
                     .help("The thing of which it is a part; of a group: all that it holds"),
                 text("copies", "Copies", "")
                     .at(Invalidation::Shading)
                     .fixed()
                     .matters()
                     .help("Which of its copies, by their numbers from 1: \"3\" or \"1-4, 9\"; nothing: all"),
                 reference("material", "Where it wears", {"material."})
                     .at(Invalidation::Shading)
                     .matters()
                     .help("Only where it is made of this; nothing: all of it")},
      .existence = Invalidation::Shading};
}

bool Part::has(uint32_t copy) const {
  return copies.empty() ||
         std::any_of(copies.begin(), copies.end(), [&](const auto& r) { return copy >= r.first && copy <= r.second; });
}

std::vector<std::pair<uint32_t, uint32_t>> parseNumbers(const std::string& text) {
  std::vector<std::pair<uint32_t, uint32_t>> out;
  const char *p = text.data(), *end = p + text.size();
  const auto skip = [&] {
    while (p != end && (*p == ' ' || *p == ',')) ++p;
  };
  const auto number = [&] {
    uint32_t v = 0;
    const auto [next, error] = std::from_chars(p, end, v);
    if (error != std::errc() || v == 0)
      throw badInput(fmt::format("\"{}\" is not a list of numbers from 1, such as 3 or 1-4, 9", text));
    p = next;
    return v;
  };
  for (skip(); p != end; skip()) {
    const uint32_t a = number();
    uint32_t b = a;
    while (p != end && *p == ' ') ++p;
    if (p != end && *p == '-') {
      ++p;
      while (p != end && *p == ' ') ++p;
      b = number();
    }
    out.emplace_back(std::min(a, b), std::max(a, b));
  }
  return out;
}

std::vector<Part> partsOf(const Document& doc, double frame, std::vector<std::string>* warnings) {
  std::vector<Part> out;
  for (const Node* n : doc.family("source")) {
    const Params p(*n, frame);
    try {
      Part part{n->id, p.reference("of").target, p.reference("material").target, parseNumbers(p.text("copies"))};
      if (!doc.find(part.of)) throw badInput("it is a part of nothing");
      out.push_back(std::move(part));
    } catch (const Error& e) {
      if (warnings) warnings->push_back(fmt::format("{}: {}", n->name, e.what()));
    }
  }
  return out;
}

uint32_t copyNumber(const Document& doc, const Node& thing, NodeId of, uint32_t index,
                    const std::function<size_t(const Node&)>& countOf) {
  size_t inner = 1;
  bool reached = false;
  for (const Node* n = &thing; n; n = doc.find(n->parent)) {
    reached |= n->id == of;
    const size_t count = n->kind->param("turn") ? std::max<size_t>(1, countOf(*n)) : 1;
    if (reached && count > 1) return uint32_t(index / inner % count) + 1;
    inner *= count;
  }
  return 1;
}

} // namespace ilumbra
