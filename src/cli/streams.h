/// cli/streams.h: standard streams that are closed, full, or end early.
#pragma once

namespace avrenk {

/// Keeps files of our own from taking the place of a standard stream that is closed: what is written to such a stream
/// fails. A pipe whose reader is gone and a file beyond its allowed size fail too, in the place of a signal.
void guard_streams();

}  // namespace avrenk
