// The one small hierarchy of errors. An error says what failed and where, and what the user can do
// next. "Not there" is never an error: functions that may find nothing return std::optional or a
// null pointer.
#pragma once

#include <stdexcept>
#include <string>

#include "core/support/advice.h"

namespace lantern {

class Error : public std::runtime_error {
  public:
    // `what` is a sentence without a full stop; `advice` is the next thing to do, or empty.
    explicit Error(const std::string& what, Advice advice = {})
        : std::runtime_error(what), advice_(std::move(advice)) {}
    const Advice& advice() const { return advice_; }

  private:
    Advice advice_;
};

// Something about a file: missing, unreadable, not what it should be.
class FileError : public Error {
    using Error::Error;
};

// Bytes from outside that do not follow their format; the text names the section and the offset.
class FormatError : public Error {
    using Error::Error;
};

// The process being debugged could not be started, read, written or moved.
class TargetError : public Error {
    using Error::Error;
};

// A target address that could not be read or written.
class MemoryError : public TargetError {
    using TargetError::TargetError;
};

// An expression that does not parse or cannot be computed. The column counts characters from 1; 0
// is unknown.
class ExpressionError : public Error {
  public:
    ExpressionError(const std::string& what, unsigned column, Advice advice = {},
                    std::string expression = {})
        : Error(what, std::move(advice)), column_(column), expression_(std::move(expression)) {}
    unsigned column() const { return column_; }
    // The expression the column counts in, where it is not the whole of what was asked for; else
    // empty.
    const std::string& expression() const { return expression_; }

  private:
    unsigned column_;
    std::string expression_;
};

// A request the user made that cannot be met as asked: an unknown name, a line without code, a
// wrong argument.
class RequestError : public Error {
    using Error::Error;
};

// A value was asked for that is not there; `why` says what is known of that.
class NoValueError : public RequestError {
  public:
    explicit NoValueError(const std::string& why)
        : RequestError("there is no value: " + why), why_(why) {}
    const std::string& why() const { return why_; }

  private:
    std::string why_;
};

}  // namespace lantern
