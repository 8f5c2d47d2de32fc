/// cli/stop.h: Ctrl-C.
#pragma once

namespace avrenk {

/// What a shell reports of a program that a signal ended: 128 and the number of the signal.
inline constexpr int stopped_by_signal = 128;

/// From now on SIGINT and SIGTERM end the process within a moment, whatever it computes; what was being written is
/// removed, results that stand in place stay.
void stop_on_signals();

}  // namespace avrenk
