/// files/history_files.h: records in time, beside what the spectra say, and as files.
#pragma once

#include <filesystem>

#include "core/quantity/show.h"
#include "core/response/history.h"
#include "files/table.h"

namespace avrenk {

/// RMS, largest and crest factor of every column, with the spectral answer and the interval that such records lie in.
[[nodiscard]] Table history_table(const History& history, const Show& show);

/// In words: how many columns lie within their interval, and what the record leaves out.
[[nodiscard]] std::string history_in_words(const History& history);

/// A header with units, then time and all columns, sample by sample.
[[nodiscard]] std::string history_csv(const History& history, const Show& show);

/// The same as HDF5: one dataset a column, named as it is, with attributes unit and, on the file, rate (1/s).
/// @throws FileError  it cannot be written
void write_history_hdf5(const std::filesystem::path& path, const History& history, const Show& show);

}  // namespace avrenk
