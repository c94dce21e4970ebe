#pragma once

namespace ilumbra {

/// Keeps memory that is freed at hand, up to a gigabyte: pictures of some megabytes come and go with every change, and
/// fetching their memory from the system each time, page by page, takes as long as working on them. For the start of a
/// program.
void keepFreedMemory();

/// Gives what is freed back to the system all the same: after work that takes much of it and comes seldom. Some
/// milliseconds.
void releaseFreedMemory();

} // namespace ilumbra
