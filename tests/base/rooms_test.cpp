#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <sstream>
#include <vector>

namespace {

namespace fs = std::filesystem;

std::string textOf(const fs::path& file) {
  std::ifstream in(file);
  return {std::istreambuf_iterator<char>(in), {}};
}

// The rooms of the core in the order in which CMake links them.
std::vector<std::string> rooms() {
  const std::string cmake = textOf(fs::path(ILUMBRA_SOURCE) / "core/CMakeLists.txt");
  const std::regex line(R"(ilumbra_room\((\w+))");
  std::vector<std::string> out;
  for (std::sregex_iterator i(cmake.begin(), cmake.end(), line), end; i != end; ++i) out.push_back((*i)[1]);
  return out;
}

// Calls f(room's index, file's name within the tree, its text) for each source of the core's rooms.
template <typename F> void forEachSource(const std::vector<std::string>& all, const F& f) {
  for (size_t i = 0; i < all.size(); ++i)
    for (const auto& entry : fs::recursive_directory_iterator(fs::path(ILUMBRA_SOURCE) / "core" / all[i]))
      if (entry.path().extension() == ".h" || entry.path().extension() == ".cpp")
        f(i, fs::relative(entry.path(), ILUMBRA_SOURCE).string(), textOf(entry.path()));
}

TEST_CASE("A room of the core includes its own headers and those of rooms above it", "[rooms]") {
  const auto all = rooms();
  REQUIRE(all.size() > 15);
  const std::regex include(R"re(#include "([^/"]+)/([^/"]+))re");
  int seen = 0;
  forEachSource(all, [&](size_t room, const std::string& name, const std::string& text) {
    for (std::sregex_iterator i(text.begin(), text.end(), include), end; i != end; ++i, ++seen) {
      INFO(name << " includes " << i->str());
      REQUIRE((*i)[1] == "core");
      const auto at = std::find(all.begin(), all.end(), (*i)[2].str());
      REQUIRE(at != all.end());
      CHECK(size_t(at - all.begin()) <= room);
    }
  });
  CHECK(seen > 500);
}

TEST_CASE("A room names no kind of thing by its id that a room below it declares", "[rooms]") {
  const auto all = rooms();
  std::map<std::string, size_t> declared;
  const std::regex id(R"re(id = (?:std::string\()?"([a-z]+\.[a-z_]+)")re");
  const std::regex quoted(R"re("([a-z]+\.[a-z_]+)")re");
  forEachSource(all, [&](size_t room, const std::string&, const std::string& text) {
    for (std::sregex_iterator i(text.begin(), text.end(), id), end; i != end; ++i) declared[(*i)[1]] = room;
  });
  REQUIRE(declared.size() > 90);
  int seen = 0;
  forEachSource(all, [&](size_t room, const std::string& name, const std::string& text) {
    std::istringstream lines(text);
    for (std::string line; std::getline(lines, line);) {
      if (const size_t comment = line.find("//"); comment != line.npos) line.resize(comment);
      for (std::sregex_iterator i(line.begin(), line.end(), quoted), end; i != end; ++i)
        if (const auto it = declared.find((*i)[1]); it != declared.end()) {
          INFO(name << " names " << it->first);
          CHECK(it->second <= room);
          ++seen;
        }
      if (room < size_t(std::find(all.begin(), all.end(), "effects") - all.begin())) {
        INFO(name << ": " << line);
        CHECK(line.find("\"effect.") == line.npos);
        CHECK(line.find("\"effect\"") == line.npos);
      }
    }
  });
  CHECK(seen > 100);
}

TEST_CASE("Nothing in the core includes Qt", "[rooms]") {
  forEachSource(rooms(), [](size_t, const std::string& name, const std::string& text) {
    INFO(name);
    CHECK_FALSE(std::regex_search(text, std::regex("#include <Q[A-Z]")));
  });
}

} // namespace
