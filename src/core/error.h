/// core/error.h: the one hierarchy of errors. Only main() catches them and turns them into an exit status.
#pragma once

#include <optional>
#include <stdexcept>
#include <string>
#include <vector>

namespace avrenk {

/// A position in a text that the user wrote; line and column count from 1, 0 where there is none.
struct Place {
  std::string file;
  int line = 0;
  int column = 0;
};

/// One thing that is wrong, said in one sentence: "PLACE: SUBJECT: WRONG; REMEDY".
struct Problem {
  std::string subject;         ///< the thing it is about, as in "part strut"; may be empty
  std::string wrong;           ///< what is wrong
  std::string remedy;          ///< what to write or do instead; may be empty
  std::optional<Place> place;  ///< the core leaves it out; the reader of the plan adds it

  [[nodiscard]] std::string sentence() const;
};

struct Error : std::runtime_error {
  using std::runtime_error::runtime_error;
};

/// The input is wrong (exit status 2). Holds every problem found in one reading.
struct InputError : Error {
  explicit InputError(std::vector<Problem> found);
  explicit InputError(Problem found) : InputError(std::vector<Problem>{std::move(found)}) {}
  std::vector<Problem> problems;
};

/// Throws an InputError of one problem without a place.
[[noreturn]] void throw_input_error(std::string subject, std::string wrong, std::string remedy);

/// The computation could not reach its stated accuracy or ran out of memory (exit status 3).
struct NumericalError : Error {
  using Error::Error;
};

/// One case of an environment could not be answered, whatever others are.
struct CaseError : NumericalError {
  CaseError(std::string of, const std::string& why)
      : NumericalError(of + ": " + why), name(std::move(of)), reason(why) {}
  std::string name;    ///< of the case, as specified
  std::string reason;  ///< a sentence without it
};

/// A file could not be read or written (exit status 4).
struct FileError : Error {
  using Error::Error;
};

}  // namespace avrenk
