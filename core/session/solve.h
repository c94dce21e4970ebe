#pragma once
#include "core/document/edit.h"
#include "core/exchange/assets.h"

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace ilumbra {

class Tasks;

/// What somebody wants to see, as a number; the parameter that brings it about is chosen.
struct Goal {
  enum class What {
    StopsAboveWhite, ///< the brightest of an effect's sources, stops from white
    ShareThrough,    ///< how much of sight gets through an effect's glass, 0 to 1
    HalfThrough,     ///< the thickness of an effect's body that lets half of the light through, metres
    MirroredShare,   ///< how much a mirror sends back, 0 to 1
    FocusOn,         ///< what is in focus: a thing's middle, or where the camera's ray of a pixel ends
    HaloHalfWidth,   ///< where an effect's halo is half as strong, shares of the picture's height
    CoreOverSurround ///< how far a halo's core stands out of its surround, stops
  } what = What::StopsAboveWhite;
  NodeId of = 0; ///< the effect; of a focus the thing, 0: the pixel below
  double value = 0;
  double x = 0, y = 0; ///< of a focus: shares of the frame from its left and its top
};
/// "stops above white", "share through", ...: as the command line and the window name them, in the order of the goals.
const std::vector<std::string>& goalNames();
/// The unit that a goal's number is typed in: "stops", "%", "mm"; empty: it takes none.
const char* goalUnit(Goal::What what);
/// A goal's number as it is typed ("3 stops", "50 %", "20 mm", or plain), and as it is told. Throws BadInput.
double parseGoal(Goal::What what, const Document& doc, const std::string& text);
std::string goalText(Goal::What what, double value);
/// Goals that make sense of a thing: an effect by its kind, or anything that can be focused on.
std::vector<Goal::What> goalsFor(const Document& doc, NodeId thing);

/// What would do it.
struct Solution {
  std::vector<std::pair<std::string, std::string>> sets; ///< addresses and values, as they are typed; none: refused
  std::string text;                                      ///< "Own light of Sun glass: 620 000 cd/m² → 4 800 cd/m²"
  double before = 0, reached = 0;                        ///< of the goal's number
  std::string why;                                       ///< of a refusal: why not, and the nearest that can be reached
};
Document applySolution(const Document& doc, const Solution& solution);

struct SolveOptions {
  AssetCache& assets;
  const Tasks& tasks;
  const CancelFlag* cancel = nullptr;
  std::function<void(double share)> progress = {}; ///< 0 to 1
};
/// Finds the parameter and its value: in closed form where there is one, else by bisection over small renders that take
/// the same chances each time, to within 2 % (a fiftieth of a stop). Changes nothing. Throws BadInput where the goal
/// does not fit its thing, Cancelled.
Solution solve(const Document& doc, const Goal& goal, const SolveOptions& options);
/// The goal's number as it is now.
double measure(const Document& doc, const Goal& goal, const SolveOptions& options);

} // namespace ilumbra
