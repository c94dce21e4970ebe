#pragma once
#include "core/base/tasks.h"
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/exchange/assets.h"
#include "core/image/convolution.h"
#include "core/transport/rendering.h"

#include <condition_variable>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>

namespace ilumbra {

class ColorViews;
class Denoiser;
class ViewTable;

/// A parameter and the values of it that are tried, as they are typed.
struct StripAxis {
  Address at;
  std::vector<std::string> values;
};

/// How values are spread: about the one that is there; evenly, or by equal factors, between two.
enum class StripSpread { AroundNow, Even, Factors };
/// As files and the command line name them, in their order.
const std::vector<std::string>& stripSpreadNames();

/// Values of a parameter that are worth trying, as they would be typed: of a number so many, the one that is there
/// among them where it is tried about that; of a switch both, of a choice all, of a colour other hues and strengths.
/// `low` and `high`: between which, of spreads that ask for it; as they are typed, empty: what its ruled line spans.
/// Throws BadInput where nothing can be tried.
std::vector<std::string> stripValues(const Document& doc, const Address& at, StripSpread spread, int count,
                                     const std::string& low = {}, const std::string& high = {});

/// One picture of a strip.
struct StripCell {
  Document doc;      ///< with the values that it tries
  std::string label; ///< "Sun halo.size = 14 %", the parameter's name left out where there is one axis
  bool now = false;  ///< it is the document as it is
};
/// All of one axis, or of two crossed, the first running fastest; 1 to 2 axes, at most 25 pictures. Throws BadInput
/// naming the value that cannot be tried.
std::vector<StripCell> stripCells(const Document& doc, const std::vector<StripAxis>& axes);

/// True if the pictures of both come out of one film: they differ in lens, balance, exposure or view at most.
bool sameFilm(const Document& a, const Document& b);
/// Pictures of documents out of the film of another (sameFilm()), about so wide, without a ray. All that is handed over
/// must outlive it.
class StripFromFilm {
 public:
  /// `denoiser`: of the film; null: it is raw.
  StripFromFilm(const Scene& scene, const Film& film, int width, const Tasks& tasks,
                const Denoiser* denoiser = nullptr);
  ~StripFromFilm();
  /// None where the film lacks a layer or a light group that the document asks for.
  std::optional<Picture> picture(const Document& doc, const FileAssets& files, const CancelFlag* cancel = nullptr);

 private:
  struct Mixed;
  const Scene& m_scene;
  const Film& m_film;
  const int m_width;
  const Tasks& m_tasks;
  const Denoiser* const m_denoiser;
  std::vector<std::unique_ptr<Mixed>> m_mixed; ///< the light made smaller, by balance and exposure
};

/// Renders pictures of nearly the same document side by side, a pass each by turns: what differs in its lens, its
/// balance or its view shares one film; forms, files and kernels are shared by all.
class StripRender {
 public:
  /// `width`: of each picture, in pixels; its shape is the document's. `samples`: that each gets at most; 0: as the
  /// document asks for.
  StripRender(std::vector<StripCell> cells, int width, uint32_t samples, AssetCache& assets, const Tasks& tasks);
  struct Picture {
    size_t cell = 0;
    ilumbra::Picture light; ///< developed: 1 is white
    uint32_t samples = 0;   ///< 0: a first draft at a quarter of the pixels
  };
  using Show = std::function<void(Picture)>;
  /// Gives the next film a pass and shows what it is developed to, for each of its pictures. False: all are done.
  /// Throws Cancelled; what else one picture throws is told to `fail`, and the others go on.
  bool advance(const Show& show, const std::function<void(size_t cell, const std::string& why)>& fail,
               const CancelFlag& cancel);
  const std::vector<StripCell>& cells() const { return m_cells; }
  size_t films() const { return m_films.size(); }
  uint64_t rays() const { return m_rays; }
  double progress() const; ///< 0 to 1

 private:
  struct Film {
    std::vector<size_t> cells;
    Rendering draft, whole;
    ScenePtr scene;
    uint32_t target = 1;
    bool done = false;
  };
  void compile(Film& f, const CancelFlag& cancel);
  std::vector<StripCell> m_cells;
  AssetCache& m_assets;
  const Tasks& m_tasks;
  SceneCache m_cache;
  ConvolutionCache m_convolutions;
  std::vector<Film> m_films;
  size_t m_turn = 0;
  uint64_t m_rays = 0;
};

/// Makes strips on a thread of its own: the last one that was asked for. Pictures come as they get better.
class StripMaker {
 public:
  struct Shown {
    uint64_t request = 0;
    size_t cell = 0;
    int width = 0, height = 0;
    std::vector<uint8_t> rgba; ///< as the document's view shows it; empty: it could not be made
    std::string error;         ///< why not
    uint32_t samples = 0;
    double progress = 0; ///< of the whole strip; 1: done
    uint64_t rays = 0;   ///< of the whole strip so far
  };
  using Deliver = std::function<void(std::shared_ptr<const Shown>)>;
  /// `deliver` is called on the maker's thread.
  StripMaker(std::shared_ptr<AssetCache> assets, std::shared_ptr<const ColorViews> views, Deliver deliver);
  ~StripMaker();
  StripMaker(const StripMaker&) = delete;
  StripMaker& operator=(const StripMaker&) = delete;
  /// What is at work is broken off. Returns the number that its pictures carry.
  uint64_t ask(std::vector<StripCell> cells, int width, uint32_t samples);
  /// Nothing more is made.
  void stop();

 private:
  struct Wanted {
    uint64_t request;
    std::vector<StripCell> cells;
    int width;
    uint32_t samples;
  };
  void run();
  void make(Wanted wanted, const Tasks& tasks);
  std::shared_ptr<AssetCache> m_assets;
  std::shared_ptr<const ColorViews> m_views;
  Deliver m_deliver;
  std::mutex m_mutex;
  std::condition_variable m_wake;
  std::optional<Wanted> m_wanted;
  uint64_t m_request = 0;
  std::unique_ptr<ViewTable> m_table;
  std::string m_view;
  CancelFlag m_cancel;
  bool m_quit = false;
  std::thread m_thread;
};

} // namespace ilumbra
