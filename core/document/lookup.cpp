#include "core/document/lookup.h"

#include "core/base/error.h"
#include "core/document/words.h"

#include <fmt/format.h>

namespace ilumbra {

const Node& need(const Document& doc, NodeId id) {
  const Node* n = doc.find(id);
  if (!n) throw badInput(fmt::format("there is no thing with the number {}", id));
  return *n;
}

const ParamDef& needParam(const Node& n, std::string_view param) {
  const ParamDef* d = n.kind->param(param);
  if (!d) {
    std::vector<std::string> names;
    for (const ParamDef& p : n.kind->params) names.push_back(p.name);
    const std::string near = nearestWord(param, names);
    throw badInput(fmt::format("{}: a {} has no parameter {}{}", n.name, n.kind->label, quotation(param),
                               near.empty() ? "" : fmt::format("; the nearest is {}", near)));
  }
  return *d;
}

} // namespace ilumbra
