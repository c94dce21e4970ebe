// PLY files that end too soon or say what PLY does not have.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/exchange/ply_check.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

std::string whyNot(const std::string& bytes) {
  TemporaryFolder folder;
  const std::string path = folder / "x.ply";
  writeFileAtomically(path, bytes);
  try {
    checkPly(path);
  } catch (const Error& e) {
    return e.what();
  }
  return {};
}

std::string header(const std::string& format, const std::string& elements) {
  return "ply\nformat " + format + " 1.0\n" + elements + "end_header\n";
}

} // namespace

TEST_CASE("A PLY file is refused at every byte where it is cut off, binary of both kinds", "[broken][ply]") {
  const std::string elements = "element vertex 2\nproperty float x\nproperty short y\nelement face 1\n"
                               "property list uchar int vertex_indices\n";
  for (const char* format : {"binary_little_endian", "binary_big_endian"}) {
    std::string body(2 * 6, '\x01');
    body += '\x02'; // a list of two
    body += std::string(8, '\x03');
    const std::string head = header(format, elements);
    CHECK(whyNot(head + body).empty());
    for (size_t n = 0; n < body.size(); ++n) {
      CAPTURE(format, n);
      CHECK(whyNot(head + body.substr(0, n)).find(n < 12 ? "2 \"vertex\"" : "1 \"face\"") != std::string::npos);
    }
  }
}

TEST_CASE("In an ASCII PLY file an element is a line", "[broken][ply]") {
  const std::string head = header("ascii", "element vertex 2\nproperty float x\nelement face 1\n"
                                           "property list uchar int vertex_indices\n");
  CHECK(whyNot(head + "0\n\n1\r\n1 0\n").empty()); // empty lines are none
  CHECK(whyNot(head + "0\n1").find("\"face\"") != std::string::npos);
  CHECK(whyNot(head + "0\n").find("\"vertex\"") != std::string::npos);
}

TEST_CASE("A PLY header says what there is", "[broken][ply]") {
  CHECK(whyNot("plx\n").find("does not begin") != std::string::npos);
  CHECK(whyNot("ply\nformat ascii 1.0\n").find("without an end") != std::string::npos);
  CHECK(whyNot(header("latin", "")).find("format") != std::string::npos);
  CHECK(whyNot(header("ascii", "property float x\n")).find("no element") != std::string::npos);
  CHECK(whyNot(header("ascii", "element vertex -3\n")).find("no number") != std::string::npos);
  CHECK(whyNot(header("ascii", "element vertex 3\nproperty quad x\n")).find("\"quad\"") != std::string::npos);
  // However many nothings are said to be there, nobody waits for them.
  CHECK(whyNot(header("binary_little_endian", "element nothing 1000000000000\n")).empty());
}
