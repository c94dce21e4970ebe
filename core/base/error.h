#pragma once
#include <stdexcept>
#include <string>

namespace ilumbra {

/// What kind of refusal an error is. The numbers are the exit codes of ilumbra-cli.
enum class ErrorKind { Usage = 2, BadInput = 3, Io = 4, Cancelled = 5 };

/// The one exception of the core. Its message names the thing and the place, in words an artist understands,
/// without a trailing full stop: "Lamp.power: -3 lm is below 0 lm".
class Error : public std::runtime_error {
 public:
  Error(ErrorKind kind, const std::string& message) : std::runtime_error(message), m_kind(kind) {}
  ErrorKind kind() const { return m_kind; }

 private:
  ErrorKind m_kind;
};

inline Error badInput(const std::string& message) { return {ErrorKind::BadInput, message}; }
inline Error usageError(const std::string& message) { return {ErrorKind::Usage, message}; }
inline Error ioError(const std::string& message) { return {ErrorKind::Io, message}; }
inline Error cancelled() { return {ErrorKind::Cancelled, "cancelled"}; }

} // namespace ilumbra
