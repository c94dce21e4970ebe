#pragma once
#include <stdexcept>
#include <string>

namespace ilumbra {

/// What kind of refusal an error is. The numbers are the exit codes of ilumbra-cli.
enum class Refusal { Usage = 2, BadInput = 3, Io = 4, Cancelled = 5 };

/// The one exception of the core. Its message names the thing and the place, in words an artist understands,
/// without a trailing full stop: "Lamp.power: -3 lm is below 0 lm".
class Error : public std::runtime_error {
 public:
  Error(Refusal kind, const std::string& message) : std::runtime_error(message), m_kind(kind) {}
  Refusal kind() const { return m_kind; }

 private:
  Refusal m_kind;
};

inline Error badInput(const std::string& message) { return {Refusal::BadInput, message}; }
inline Error usageError(const std::string& message) { return {Refusal::Usage, message}; }
inline Error ioError(const std::string& message) { return {Refusal::Io, message}; }
inline Error cancelled() { return {Refusal::Cancelled, "cancelled"}; }

} // namespace ilumbra
