#pragma once
#include <string>
#include <string_view>

namespace ilumbra {

/// The end of a file's name from its last dot on, in small letters: ".exr"; empty: it has none.
std::string extensionOf(const std::string& path);
/// Replaces the file as a whole: written beside it, synced, then renamed. Throws Io; what was there stays then.
void writeFileAtomically(const std::string& path, std::string_view content);
/// Where a file is written before it takes the place of `path`: beside it, of the same extension.
std::string partOf(const std::string& path);
/// Lets a part that was written and checked take its place: synced, then renamed. Throws Io, and removes the part.
void putInPlace(const std::string& part, const std::string& path);
/// Opens a regular file to read it, without ever waiting for another program (pipes, devices and sockets are refused).
/// The descriptor is the caller's to close. Throws Io.
int openRegularFile(const std::string& path);
/// Throws Io, or BadInput if the file is larger than `most` bytes.
std::string readFile(const std::string& path, size_t most = size_t(4) << 30);

} // namespace ilumbra
