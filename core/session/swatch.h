#pragma once
#include "core/base/tasks.h"
#include "core/exchange/assets.h"

#include <condition_variable>
#include <deque>
#include <mutex>
#include <thread>

namespace ilumbra {

class ColorViews;

/// A small set that shows a material: a ball on a table before a wall, in the light of the document: its lamps, brought to the
/// size of the set as they stand around what is framed, and a faint sky. Exposed for a grey ball.
Document swatchSet(const Document& doc, const Box3f& framed, NodeId material);

/// Renders small pictures on a thread of its own, one after the other, the latest asked for first.
class SwatchMaker {
public:
  struct Swatch {
    std::string key;
    int size = 0;
    std::vector<uint8_t> rgba; ///< as shown
  };
  using Deliver = std::function<void(std::shared_ptr<const Swatch>)>;
  /// `deliver` is called on the maker's thread.
  SwatchMaker(std::shared_ptr<AssetCache> assets, std::shared_ptr<const ColorViews> views, Deliver deliver);
  ~SwatchMaker();
  SwatchMaker(const SwatchMaker&) = delete;
  SwatchMaker& operator=(const SwatchMaker&) = delete;
  /// Asks for a picture of a set; what was asked for under the same key and is not begun is replaced.
  void ask(const std::string& key, Document set, int size);
  /// Drops what is not begun.
  void forget();

private:
  struct Wanted {
    std::string key;
    Document set;
    int size;
  };
  void run();
  std::shared_ptr<AssetCache> m_assets;
  std::shared_ptr<const ColorViews> m_views;
  Deliver m_deliver;
  std::mutex m_mutex;
  std::condition_variable m_wake;
  std::deque<Wanted> m_wanted;
  CancelFlag m_cancel;
  bool m_quit = false;
  std::thread m_thread;
};

} // namespace ilumbra
