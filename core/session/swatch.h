#pragma once
#include "core/base/tasks.h"
#include "core/compile/compile.h"
#include "core/exchange/assets.h"
#include "core/scene/scene.h"

#include <condition_variable>
#include <deque>
#include <map>
#include <mutex>
#include <thread>

namespace ilumbra {

class ColorViews;
class ViewTable;

/// A small set that shows a material: a ball on a table before a wall, in the light of the document: its lamps, brought
/// to the size of the set as they stand around what is framed, and a faint sky. Exposed for a grey ball.
Document swatchSet(const Document& doc, const Box3f& framed, NodeId material);

/// Renders small pictures on a thread of its own, one after the other, in the order of prefer(), then as they were
/// asked for.
class SwatchMaker {
 public:
  struct Swatch {
    std::string key;
    int size = 0;
    std::vector<uint8_t> rgba; ///< as shown; empty: it could not be made
    std::string error;         ///< why not
  };
  using Deliver = std::function<void(std::shared_ptr<const Swatch>)>;
  /// `deliver` is called on the maker's thread.
  SwatchMaker(std::shared_ptr<AssetCache> assets, std::shared_ptr<const ColorViews> views, Deliver deliver);
  ~SwatchMaker();
  SwatchMaker(const SwatchMaker&) = delete;
  SwatchMaker& operator=(const SwatchMaker&) = delete;
  /// Asks for a picture of the set that `make` gives, called on the maker's thread; what was asked for under the same
  /// key and is not begun is replaced. A set that was shown under this key before is delivered as it was.
  void ask(const std::string& key, std::function<Document()> make, int size);
  /// What is waiting under these keys is made first, in this order.
  void prefer(const std::vector<std::string>& keys);

 private:
  struct Wanted {
    std::string key;
    std::function<Document()> make;
    int size;
  };
  struct Made {
    Document set;
    std::shared_ptr<const Swatch> swatch;
  };
  void run();
  std::shared_ptr<const Swatch> render(const Wanted& wanted, const Document& set, const Tasks& tasks);
  std::shared_ptr<AssetCache> m_assets;
  std::shared_ptr<const ColorViews> m_views;
  Deliver m_deliver;
  std::mutex m_mutex;
  std::condition_variable m_wake;
  std::deque<Wanted> m_wanted;
  // Of the maker's thread alone.
  std::map<std::string, Made> m_made; ///< by key
  SceneCache m_cache;
  std::unique_ptr<ViewTable> m_table;
  std::string m_view;
  CancelFlag m_cancel;
  bool m_quit = false;
  std::thread m_thread;
};

} // namespace ilumbra
