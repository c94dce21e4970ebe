#pragma once
#include "core/document/document.h"

#include <functional>

namespace ilumbra {

/// A part of the set, to be named wherever a whole thing could be: one or more copies of what a repeat makes, or a
/// material only where one object wears it.
Kind partKind();

struct Part {
  NodeId node = 0;
  NodeId of = 0;                                     ///< the object, group or light
  NodeId material = 0;                               ///< only where it wears this; 0: all of it
  std::vector<std::pair<uint32_t, uint32_t>> copies; ///< ranges of numbers from 1, both ends in; empty: all
  bool has(uint32_t copy) const;
};

/// Ranges of numbers: "3" or "1-4, 9". Throws BadInput with what is wrong in it.
std::vector<std::pair<uint32_t, uint32_t>> parseNumbers(const std::string& text);
/// All parts that can be told; what is wrong with others goes to `warnings`.
std::vector<Part> partsOf(const Document& doc, double frame, std::vector<std::string>* warnings = nullptr);

/// Which copy of `of` (from 1) one of a thing's copies belongs to, when `of` is the thing or holds it: worldPlaces()
/// gives copies of the outermost last. Copies are those of `of` itself or else of the nearest that holds it and has
/// some; 1 if none does. `countOf` tells how many copies a node has of its own (0 or 1: none).
uint32_t copyNumber(const Document& doc, const Node& thing, NodeId of, uint32_t index,
                    const std::function<size_t(const Node&)>& countOf);

} // namespace ilumbra
