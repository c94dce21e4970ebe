#pragma once
#include "core/base/tasks.h"
#include "core/image/picture.h"

#include <optional>

namespace ilumbra {

// What is done to whole pictures. The order of arguments is one for all: what is written (or it is returned), what is
// read, the region where one is taken (it lies within the picture), numbers, the tasks last. Planes are one number a
// pixel, rows from the top; an empty one stays empty.

/// out += in; both of one size.
void addTo(Picture& out, const Picture& in, const Tasks& tasks);
/// The same of a picture that lies in the larger one with its corner at (x, y).
void addTo(Picture& out, const Picture& in, int x, int y, const Tasks& tasks);
/// Pixels that are no numbers, or infinite, take the mean of those around them that are; returns how many they were.
size_t mendNonFinite(Picture& picture, const Tasks& tasks);
/// True if every channel of every pixel is 0.
bool isBlack(const Picture& in, const Tasks& tasks);
/// The smallest region that holds all pixels that are not black; none: all are.
std::optional<Region> litRegion(const Picture& in, const Tasks& tasks);
/// What regions have in common, empty (below 0 wide, or 0) where they have nothing; and the smallest that holds both.
Region overlap(const Region& a, const Region& b);
Region united(const Region& a, const Region& b);
/// The luminance of all pixels of a region together.
double luminanceSum(const Picture& in, const Region& region, const Tasks& tasks);
/// The same of a larger picture that is black but for `in`, which lies at `part`.
double luminanceSum(const Picture& in, const Region& part, const Region& region, const Tasks& tasks);
/// A picture of a region; empty of an empty one.
Picture cropped(const Picture& in, const Region& region, const Tasks& tasks);
std::vector<float> cropped(const std::vector<float>& plane, const Region& region, int width);
/// In the middle of a larger picture, black or 0 on all sides of it.
Picture padded(Picture in, int margin);
std::vector<float> padded(const std::vector<float>& plane, int width, int height, int margin);
/// A plane as a grey picture, each number brought between 0 and 1.
Picture greyPicture(const std::vector<float>& plane, int width, int height);

/// Calls f(begin, end) for the numbers of each row: indices into Picture::rgb.
template <typename F> void forEachSpan(int width, int height, const Tasks& tasks, const F& f) {
  const size_t row = size_t(width) * 3;
  tasks.forEach(height, [&](int y) { f(size_t(y) * row, size_t(y + 1) * row); });
}

} // namespace ilumbra
