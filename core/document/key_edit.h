#pragma once
#include "core/document/edit.h"

namespace ilumbra {

/// A key of a document: where, and at which frame.
struct KeyPlace {
  Address at;
  double frame = 0;
  bool operator==(const KeyPlace&) const = default;
};
using KeyPlaces = std::vector<KeyPlace>;

/// Everything that keys or movers change over time, in tree order, parameters in the order of their tables; what a use
/// of a shared thing sets for itself after what is used.
std::vector<Address> movingValues(const Document& doc);

/// The value with other keys; what moves keeps its movers. Without a key left it holds what the first one said.
Value withKeys(const Value& before, Keys keys);

// Each of these is done to all keys that are named, as one edit; what is named and is not there is passed over. A key
// that comes to stand where another one was takes its place.

/// To the frames that `to` makes of theirs.
Document retimed(const Document& doc, const KeyPlaces& which, const std::function<double(double)>& to);
/// Turned round in time, the last of all of them to where the first was.
Document mirrored(const Document& doc, const KeyPlaces& which);
Document withoutKeys(const Document& doc, const KeyPlaces& which);
/// How the value goes on from each of them to the next.
Document shaped(const Document& doc, const KeyPlaces& which, KeyShape shape);
/// How far those that ease do so, 0 to 1; of others nothing is seen.
Document eased(const Document& doc, const KeyPlaces& which, double ease);
/// What the keys at an address say before the first and after the last; throws BadInput if there are none.
Document withBeyond(const Document& doc, const Address& a, BeyondKeys beyond);
/// Copies, the first of them at `frame` and the others as far from it as before. `from` is the document that had them.
Document pasted(const Document& doc, const Document& from, const KeyPlaces& which, double frame);

/// What was changed from one document to the next, as keys: each parameter that held one value and now holds another
/// has a key of the former at `from` and one of the latter at the current frame. `which` receives them.
/// What a thing is made of, its words and files stay changed for all frames; a list of things holds from key to key.
Document keyedChanges(const Document& before, const Document& after, double from,
                      std::vector<Address>* which = nullptr);

/// The keys of what is named, which live as long as the document; null: none there.
const Keys* keysAt(const Document& doc, const Address& a);

} // namespace ilumbra
