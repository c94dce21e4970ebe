// One line of arithmetic, lowered to operations of the program.
#include "core/base/error.h"
#include "core/pattern/coordinates.h"

#include <cctype>
#include <fmt/format.h>

namespace ilumbra {
namespace {

using namespace numbers;

// Defined everywhere: what has no value there has the nearest that it has one of, or 0.
enum class Call {
  Negative,
  Not,
  Abs,
  Floor,
  Ceil,
  Round,
  Fract,
  Sqrt,
  Exp,
  Log,
  Sin,
  Cos,
  Tan,
  Asin,
  Acos,
  Atan,
  Sign,
  Length,
  Plus,
  Minus,
  Times,
  Over,
  Mod,
  Pow,
  Min,
  Max,
  Less,
  LessEqual,
  Equal,
  And,
  Or,
  Atan2,
  Step,
  Clamp,
  Mix,
  Smoothstep,
  If,
  Channels,
  Red,
  Green,
  Blue
};
struct Function {
  const char* name;
  Call call;
  int inputs;
};
constexpr Function functions[] = {{"abs", Call::Abs, 1},
                                  {"floor", Call::Floor, 1},
                                  {"ceil", Call::Ceil, 1},
                                  {"round", Call::Round, 1},
                                  {"fract", Call::Fract, 1},
                                  {"sqrt", Call::Sqrt, 1},
                                  {"exp", Call::Exp, 1},
                                  {"log", Call::Log, 1},
                                  {"sin", Call::Sin, 1},
                                  {"cos", Call::Cos, 1},
                                  {"tan", Call::Tan, 1},
                                  {"asin", Call::Asin, 1},
                                  {"acos", Call::Acos, 1},
                                  {"atan", Call::Atan, 1},
                                  {"sign", Call::Sign, 1},
                                  {"length", Call::Length, 1},
                                  {"mod", Call::Mod, 2},
                                  {"pow", Call::Pow, 2},
                                  {"min", Call::Min, 2},
                                  {"max", Call::Max, 2},
                                  {"atan2", Call::Atan2, 2},
                                  {"step", Call::Step, 2},
                                  {"clamp", Call::Clamp, 3},
                                  {"mix", Call::Mix, 3},
                                  {"smoothstep", Call::Smoothstep, 3},
                                  {"if", Call::If, 3},
                                  {"rgb", Call::Channels, 3},
                                  {"red", Call::Red, 1},
                                  {"green", Call::Green, 1},
                                  {"blue", Call::Blue, 1}};

template <class T> T yes(const T& x) { return choose(both(x <= T(0.0f), T(0.0f) <= x), T(0.0f), T(1.0f)); }
template <class T> T divided(const T& a, const T& b) { return choose(abs(b) <= T(0.0f), T(0.0f), a / b); }

template <class T> T one(Call call, const T& x) {
  switch (call) {
  case Call::Negative:
    return -x;
  case Call::Not:
    return T(1.0f) - yes(x);
  case Call::Abs:
    return abs(x);
  case Call::Floor:
    return floor(x);
  case Call::Ceil:
    return -floor(-x);
  case Call::Round:
    return floor(x + T(0.5f));
  case Call::Fract:
    return fract(x);
  case Call::Sqrt:
    return sqrt(max(x, T(0.0f)));
  case Call::Exp:
    return exp(min(x, T(88.0f)));
  case Call::Log:
    return log(max(x, T(1e-30f)));
  case Call::Sin:
    return sin(x);
  case Call::Cos:
    return cos(x);
  case Call::Tan:
    return clamp(tan(x), T(-1e6f), T(1e6f));
  case Call::Asin:
    return asin(clamp(x, T(-1.0f), T(1.0f)));
  case Call::Acos:
    return acos(clamp(x, T(-1.0f), T(1.0f)));
  case Call::Atan:
    return atan(x);
  case Call::Sign:
    return choose(x < T(0.0f), T(-1.0f), choose(T(0.0f) < x, T(1.0f), T(0.0f)));
  default:
    return x;
  }
}
template <class T> T two(Call call, const T& a, const T& b) {
  switch (call) {
  case Call::Plus:
    return a + b;
  case Call::Minus:
    return a - b;
  case Call::Times:
    return a * b;
  case Call::Over:
    return divided(a, b);
  case Call::Mod:
    return choose(abs(b) <= T(0.0f), T(0.0f), fract(divided(a, b)) * b);
  case Call::Pow:
    return pow(max(a, T(0.0f)), b);
  case Call::Min:
    return min(a, b);
  case Call::Max:
    return max(a, b);
  case Call::Less:
    return choose(a < b, T(1.0f), T(0.0f));
  case Call::LessEqual:
    return choose(a <= b, T(1.0f), T(0.0f));
  case Call::Equal:
    return choose(both(a <= b, b <= a), T(1.0f), T(0.0f));
  case Call::And:
    return yes(a) * yes(b);
  case Call::Or:
    return max(yes(a), yes(b));
  case Call::Atan2:
    return atan2(a, b);
  case Call::Step:
    return choose(b < a, T(0.0f), T(1.0f));
  default:
    return a;
  }
}
template <class T> T three(Call call, const T& a, const T& b, const T& c) {
  switch (call) {
  case Call::Clamp:
    return min(c, max(b, a));
  case Call::Mix:
    return numbers::between(a, b, c);
  case Call::Smoothstep:
    return smooth(divided(c - a, b - a));
  case Call::If:
    return choose(both(a <= T(0.0f), T(0.0f) <= a), c, b);
  default:
    return a;
  }
}

struct Called {
  Call call;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    if (call == Call::Channels) return {in[0].x, in[1].x, in[2].x, T(1.0f)};
    if (call == Call::Red || call == Call::Green || call == Call::Blue)
      return spread(in[0][call == Call::Red ? 0 : call == Call::Green ? 1 : 2]);
    if (call == Call::Length) return spread(sqrt(square(in[0].x) + square(in[0].y) + square(in[0].z)));
    ValuesOf<T> out;
    for (int k = 0; k < 3; ++k)
      out[k] = in.size() == 1   ? one(call, in[0][k])
               : in.size() == 2 ? two(call, in[0][k], in[1][k])
                                : three(call, in[0][k], in[1][k], in[2][k]);
    out.w = T(1.0f);
    return out;
  }
};
// One channel of a register, in all.
struct Channel {
  int channel;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    return spread(in[0][channel]);
  }
};
struct ByName {
  static constexpr bool looks = true;
  bool random; // otherwise the incidence
  template <class T> ValuesOf<T> operator()(const InputsOf<T>&, const PointOf<T>& at) const {
    return spread(random ? at.random : at.incidence);
  }
};

// Reads by precedence: or, and, comparisons, sums, products, signs, powers.
class Reader {
 public:
  Reader(const Params& p, PatternCompiler& c) : m_params(p), m_compiler(c), m_text(p.text("formula")) {}
  int read() {
    const int r = any();
    skip();
    if (m_at < m_text.size()) fail(fmt::format("\"{}\" is not understood here", m_text[m_at]));
    return r;
  }

 private:
  [[noreturn]] void fail(const std::string& why) const {
    throw badInput(fmt::format("{}.formula: at character {}: {}", m_params.node().name, m_at + 1, why));
  }
  void skip() {
    while (m_at < m_text.size() && std::isspace(static_cast<unsigned char>(m_text[m_at]))) ++m_at;
  }
  bool take(std::string_view token) {
    skip();
    if (std::string_view(m_text).substr(m_at, token.size()) != token) return false;
    m_at += token.size();
    return true;
  }
  int emit(Call call, std::vector<int> inputs) { return m_compiler.emit(Called{call}, std::move(inputs)); }
  int constant(float x) { return m_compiler.constant({x, x, x, 1}); }

  int any() {
    int r = all();
    while (take("||")) r = emit(Call::Or, {r, all()});
    return r;
  }
  int all() {
    int r = comparison();
    while (take("&&")) r = emit(Call::And, {r, comparison()});
    return r;
  }
  int comparison() {
    const int a = sum();
    if (take("<=")) return emit(Call::LessEqual, {a, sum()});
    if (take(">=")) return emit(Call::LessEqual, {sum(), a});
    if (take("==")) return emit(Call::Equal, {a, sum()});
    if (take("!=")) return emit(Call::Not, {emit(Call::Equal, {a, sum()})});
    if (take("<")) return emit(Call::Less, {a, sum()});
    if (take(">")) return emit(Call::Less, {sum(), a});
    return a;
  }
  int sum() {
    int r = product();
    for (;;)
      if (take("+"))
        r = emit(Call::Plus, {r, product()});
      else if (take("-"))
        r = emit(Call::Minus, {r, product()});
      else
        return r;
  }
  int product() {
    int r = sign();
    for (;;)
      if (take("*"))
        r = emit(Call::Times, {r, sign()});
      else if (take("/"))
        r = emit(Call::Over, {r, sign()});
      else if (take("%"))
        r = emit(Call::Mod, {r, sign()});
      else
        return r;
  }
  int sign() {
    if (++m_depth > 200) fail("it is nested too deeply");
    int r;
    if (take("-"))
      r = emit(Call::Negative, {sign()});
    else if (take("+"))
      r = sign();
    else if (!startsWith("!=") && take("!"))
      r = emit(Call::Not, {sign()});
    else
      r = power();
    --m_depth;
    return r;
  }
  int power() {
    const int base = value();
    return take("^") ? emit(Call::Pow, {base, sign()}) : base; // 2^3^2 is 2^(3^2)
  }
  bool startsWith(std::string_view token) {
    skip();
    return std::string_view(m_text).substr(m_at, token.size()) == token;
  }
  int value() {
    skip();
    if (m_at >= m_text.size()) fail("a value is missing");
    const char c = m_text[m_at];
    if (take("(")) {
      const int r = any();
      if (!take(")")) fail("a ) is missing");
      return r;
    }
    if (std::isdigit(static_cast<unsigned char>(c)) || c == '.') return number();
    if (std::isalpha(static_cast<unsigned char>(c))) return name();
    fail(fmt::format("\"{}\" is no value", c));
  }
  int number() {
    const char* begin = m_text.c_str() + m_at;
    char* end = nullptr;
    const float v = std::strtof(begin, &end);
    if (end == begin) fail("this is no number");
    if (!std::isfinite(v)) fail("this number is too large");
    m_at += size_t(end - begin);
    return constant(v);
  }
  int name() {
    const size_t begin = m_at;
    while (m_at < m_text.size() && std::isalnum(static_cast<unsigned char>(m_text[m_at]))) ++m_at;
    const std::string word = m_text.substr(begin, m_at - begin);
    if (take("(")) return call(word, begin);
    const PatternSpace space = spaceOf(m_params);
    if (word == "a" || word == "b" || word == "c" || word == "d") return m_compiler.input(m_params, word);
    if (word == "x" || word == "y" || word == "z")
      return m_compiler.emit(Channel{word[0] - 'x'}, {m_compiler.place(space)});
    if (word == "p") return emit(Call::Plus, {m_compiler.place(space), constant(0)}); // its alpha is no place
    if (word == "u" || word == "v")
      return m_compiler.emit(Channel{word == "u" ? 0 : 1}, {m_compiler.place(PatternSpace::Texture)});
    if (word == "t") return constant(float(m_compiler.frame() / std::max(1e-3, m_compiler.rate())));
    if (word == "frame") return constant(float(m_compiler.frame()));
    if (word == "pi") return constant(pi);
    if (word == "random") return m_compiler.emit(ByName{true}, {});
    if (word == "incidence") return m_compiler.emit(ByName{false}, {});
    m_at = begin;
    fail(fmt::format("there is no \"{}\"; there are a, b, c, d, x, y, z, p, u, v, t, frame, random, incidence and pi",
                     word));
  }
  int call(const std::string& word, size_t begin) {
    const auto* f =
        std::find_if(std::begin(functions), std::end(functions), [&](const Function& g) { return word == g.name; });
    if (f == std::end(functions)) {
      m_at = begin;
      std::string all;
      for (const Function& g : functions) all += (all.empty() ? "" : ", ") + std::string(g.name);
      fail(fmt::format("there is no function \"{}\"; there are {}", word, all));
    }
    std::vector<int> inputs;
    if (!startsWith(")")) do
        inputs.push_back(any());
      while (take(","));
    if (int(inputs.size()) != f->inputs) {
      m_at = begin;
      fail(fmt::format("{} takes {} value{}, not {}", word, f->inputs, f->inputs == 1 ? "" : "s", inputs.size()));
    }
    if (!take(")")) fail("a ) is missing");
    return emit(f->call, std::move(inputs));
  }

  const Params& m_params;
  PatternCompiler& m_compiler;
  std::string m_text;
  size_t m_at = 0;
  int m_depth = 0;
};

} // namespace

PatternKind formulaPattern() {
  const auto value = [](const char* name) {
    return color(name, name, {0.5, 0.5, 0.5})
        .soft(0, 1)
        .range(-1e6, 1e6)
        .patterned()
        .matters()
        .help("What this letter stands for");
  };
  return {
      {.id = "pattern.formula",
       .label = "Formula",
       .helpText = "One line of arithmetic over places, time and other patterns, channel by channel: + - * / % ^, "
                   "comparisons, && || !, and functions such as sin, mix or smoothstep.",
       .params = {text("formula", "Formula", "a * (0.5 + 0.5 * sin(20 * y))")
                      .matters()
                      .help("a to d are the values below, x, y and z the place in metres, p all three, u and v the "
                            "texture's coordinates, t seconds, frame, random (one number an object), incidence, pi"),
                  value("a"), value("b"), value("c"), value("d"), spaceParam(1)},
       .existence = Invalidation::Shading,
       .changesByTime =
           [](const Params& p) {
             const std::string f = p.text("formula");
             for (size_t i = 0; i < f.size();) { // a word that means time
               size_t end = i;
               while (end < f.size() && std::isalnum(static_cast<unsigned char>(f[end]))) ++end;
               const std::string_view word = std::string_view(f).substr(i, end - i);
               if (word == "t" || word == "frame") return true;
               i = std::max(end, i + 1);
             }
             return false;
           }},
      [](const Params& p, PatternCompiler& c) { return Reader(p, c).read(); },
      PatternGroup::Operation,
      {},
      true};
}

} // namespace ilumbra
