#include <fmt/format.h>
#include <zlib.h>

#include <algorithm>
#include <array>
#include <bit>
#include <charconv>
#include <cmath>
#include <cstring>
#include <limits>
#include <optional>
#include <pugixml.hpp>

#include "core/error.h"
#include "files/base64.h"
#include "files/vtu.h"

namespace avrenk {
namespace {

// zlib packs at most about 1030 bytes into one: a file that claims more is not believed.
constexpr std::size_t most_packing = 1100;

struct NumberType {
  const char* name;
  std::size_t size;
  bool is_float, is_signed;
};
constexpr NumberType number_types[] = {
    {"Int8", 1, false, true},   {"UInt8", 1, false, false},  {"Int16", 2, false, true}, {"UInt16", 2, false, false},
    {"Int32", 4, false, true},  {"UInt32", 4, false, false}, {"Int64", 8, false, true}, {"UInt64", 8, false, false},
    {"Float32", 4, true, true}, {"Float64", 8, true, true}};

// Letters of base64 for so many bytes, padding included.
std::size_t letters_for(std::size_t bytes) { return (bytes + 2) / 3 * 4; }

bool is_space(char c) { return c == ' ' || c == '\n' || c == '\r' || c == '\t'; }

class Reader {
 public:
  Reader(const std::string& bytes, const std::string& name) : name_(name) { open(bytes); }

  Grid read() {
    Grid grid;
    const pugi::xml_node body = file_.child("UnstructuredGrid");
    if (!body.child("Piece")) fail("it holds no grid");
    for (const pugi::xml_node& piece : body.children("Piece")) add_piece(piece, grid);
    return grid;
  }

 private:
  [[noreturn]] void fail(const std::string& what) const { throw FileError(fmt::format("{}: {}", name_, what)); }
  [[noreturn]] void fail_array(const pugi::xml_node& array, const std::string& what) const {
    fail(fmt::format("array \"{}\" {}", array.attribute("Name").value(), what));
  }

  // Raw appended bytes are no XML: they are cut off at their underscore before the rest is parsed.
  void open(const std::string& bytes) {
    std::string text = bytes;
    if (const std::size_t begin = bytes.find("<AppendedData"); begin != std::string::npos) {
      const std::size_t tag_end = bytes.find('>', begin), mark = bytes.find('_', tag_end),
                        end = bytes.rfind("</AppendedData>");
      if (tag_end == std::string::npos || mark == std::string::npos || end == std::string::npos || end < mark)
        fail("its appended data are cut short");
      appended_ = std::string_view(bytes).substr(mark + 1, end - mark - 1);
      text = bytes.substr(0, tag_end + 1) + bytes.substr(end);
    }
    const pugi::xml_parse_result parsed = document_.load_buffer(text.data(), text.size());
    if (!parsed) {
      const auto line =
          std::count(text.begin(), text.begin() + std::min<std::ptrdiff_t>(parsed.offset, std::ssize(text)), '\n') + 1;
      fail(fmt::format("it is no VTU file, which is XML: {} in line {}", parsed.description(), line));
    }
    file_ = document_.child("VTKFile");
    const std::string type = file_.attribute("type").value();
    if (!file_) fail("it is no VTK XML file: the outer element must be VTKFile");
    if (type != "UnstructuredGrid") fail(fmt::format("it holds a \"{}\"; save it as UnstructuredGrid (.vtu)", type));
    const std::string order = file_.attribute("byte_order").as_string("LittleEndian");
    swapped_ =
        order == "BigEndian" ? std::endian::native == std::endian::little : std::endian::native == std::endian::big;
    header_size_ = std::string(file_.attribute("header_type").as_string("UInt32")) == "UInt64" ? 8 : 4;
    if (const std::string compressor = file_.attribute("compressor").value(); !compressor.empty()) {
      if (compressor != "vtkZLibDataCompressor")
        fail(fmt::format("it is compressed by {}; save it with zlib or uncompressed", compressor));
      compressed_ = true;
    }
    appended_base64_ = std::string(file_.child("AppendedData").attribute("encoding").value()) == "base64";
  }

  // One header number at the start of some bytes.
  [[nodiscard]] std::optional<std::size_t> header_number(std::string_view bytes, std::size_t index) const {
    if (bytes.size() < header_size_ * (index + 1)) return std::nullopt;
    std::uint64_t value = 0;
    for (std::size_t i = 0; i < header_size_; ++i) {
      const std::size_t at = header_size_ * index + (swapped_ ? i : header_size_ - 1 - i);
      value = value << 8 | static_cast<unsigned char>(bytes[at]);
    }
    return static_cast<std::size_t>(value);
  }

  // Data with their header, all as bytes; of base64 the header may be encoded by itself.
  [[nodiscard]] std::string plain(const pugi::xml_node& array, std::string_view bytes) const {
    const auto size = header_number(bytes, 0);
    if (!size || *size > bytes.size() - header_size_) fail_array(array, "is cut short");
    return std::string(bytes.substr(header_size_, *size));
  }
  [[nodiscard]] std::string inflated(const pugi::xml_node& array, std::string_view header,
                                     std::string_view data) const {
    const std::size_t blocks = header_number(header, 0).value_or(0);
    const std::size_t block_size = header_number(header, 1).value_or(0), last = header_number(header, 2).value_or(0);
    if (blocks > 0 && (block_size == 0 || last > block_size)) fail_array(array, "has a header that contradicts itself");
    std::string text;
    for (std::size_t b = 0; b < blocks; ++b) {
      const auto packed = header_number(header, 3 + b);
      if (!packed || *packed > data.size()) fail_array(array, "is cut short");
      const std::size_t expected = b + 1 == blocks && last > 0 ? last : block_size;
      if (expected / most_packing > *packed) fail_array(array, "claims more data than it can hold");
      std::string block(expected, '\0');
      auto size = static_cast<uLongf>(expected);
      if (uncompress(reinterpret_cast<Bytef*>(block.data()), &size, reinterpret_cast<const Bytef*>(data.data()),
                     static_cast<uLong>(*packed)) != Z_OK ||
          size != expected)
        fail_array(array, "does not unpack: its compressed data are damaged");
      text += block;
      data.remove_prefix(*packed);
    }
    return text;
  }

  [[nodiscard]] std::string decoded(const pugi::xml_node& array, std::string_view text) const {
    const auto bytes = bytes_of_base64(text);
    if (!bytes) fail_array(array, "holds letters that are no base64");
    return *bytes;
  }

  // Binary data of one array, from base64 or raw bytes that begin with its header.
  [[nodiscard]] std::string binary(const pugi::xml_node& array, std::string_view source, bool is_base64) const {
    if (!is_base64) {
      if (!compressed_) return plain(array, source);
      const auto blocks = header_number(source, 0);
      if (!blocks || *blocks > source.size() / header_size_) fail_array(array, "is cut short");
      const std::size_t header = header_size_ * (3 + *blocks);
      if (header > source.size() && *blocks > 0) fail_array(array, "is cut short");
      return *blocks == 0 ? std::string() : inflated(array, source.substr(0, header), source.substr(header));
    }
    if (compressed_) {
      const std::string first = decoded(array, source.substr(0, letters_for(header_size_)));
      const auto blocks = header_number(first, 0);
      if (!blocks || *blocks > source.size()) fail_array(array, "is cut short");
      if (*blocks == 0) return {};
      const std::size_t header = letters_for(header_size_ * (3 + *blocks));
      if (header > source.size()) fail_array(array, "is cut short");
      return inflated(array, decoded(array, source.substr(0, header)), decoded(array, source.substr(header)));
    }
    // The header by itself ends in padding; together with the data it does not.
    const std::string_view head = source.substr(0, letters_for(header_size_));
    const bool apart = head.find('=') != std::string_view::npos;
    return plain(array,
                 apart ? decoded(array, head) + decoded(array, source.substr(head.size())) : decoded(array, source));
  }

  [[nodiscard]] std::string bytes_of(const pugi::xml_node& array) const {
    const std::string format = array.attribute("format").as_string("ascii");
    if (format == "appended") {
      const auto offset = static_cast<std::size_t>(array.attribute("offset").as_ullong());
      std::string_view source = appended_;
      if (appended_base64_)
        while (!source.empty() && is_space(source.back())) source.remove_suffix(1);
      if (offset >= source.size()) fail_array(array, "begins behind the end of the appended data");
      source.remove_prefix(offset);
      if (appended_base64_) source = source.substr(0, base64_length(array, source));
      return binary(array, source, appended_base64_);
    }
    std::string text;
    for (const char c : std::string_view(array.text().get()))
      if (!is_space(c)) text += c;
    return binary(array, text, true);
  }

  // Letters that one array takes of appended base64, of which others may follow.
  [[nodiscard]] std::size_t base64_length(const pugi::xml_node& array, std::string_view source) const {
    const std::string first = decoded(array, source.substr(0, letters_for(header_size_)));
    const auto number = header_number(first, 0);
    if (!number || *number > source.size()) fail_array(array, "is cut short");
    if (!compressed_) {
      const bool apart = source.substr(0, letters_for(header_size_)).find('=') != std::string_view::npos;
      const std::size_t length =
          apart ? letters_for(header_size_) + letters_for(*number) : letters_for(header_size_ + *number);
      return std::min(length, source.size());
    }
    const std::size_t header = letters_for(header_size_ * (3 + *number));
    if (header > source.size()) fail_array(array, "is cut short");
    const std::string whole = decoded(array, source.substr(0, header));
    std::size_t packed = 0;
    for (std::size_t b = 0; b < *number; ++b)
      packed += std::min(header_number(whole, 3 + b).value_or(0), source.size());
    return std::min(header + letters_for(packed), source.size());
  }

  [[nodiscard]] std::vector<double> ascii_numbers(const pugi::xml_node& array) const {
    std::vector<double> values;
    const std::string_view text(array.text().get());
    const char *at = text.data(), *const end = text.data() + text.size();
    while (true) {
      while (at != end && is_space(*at)) ++at;
      if (at == end) return values;
      double value = 0;
      const auto [next, error] = std::from_chars(at, end, value);
      if (error != std::errc() || (next != end && !is_space(*next)))
        fail_array(array, fmt::format("holds \"{}\", which is no number",
                                      std::string(at, std::find_if(at, std::min(at + 20, end), is_space))));
      values.push_back(value);
      at = next;
    }
  }

  template <class Number>
  [[nodiscard]] std::vector<double> converted(const std::string& bytes) const {
    std::vector<double> values(bytes.size() / sizeof(Number));
    for (std::size_t i = 0; i < values.size(); ++i) {
      std::array<char, sizeof(Number)> own{};
      std::memcpy(own.data(), bytes.data() + i * sizeof(Number), sizeof(Number));
      if (swapped_) std::reverse(own.begin(), own.end());
      values[i] = static_cast<double>(std::bit_cast<Number>(own));
    }
    return values;
  }

  /// @param expected  how many numbers there must be; none: any
  [[nodiscard]] std::vector<double> numbers(const pugi::xml_node& array, std::optional<std::size_t> expected) const {
    const std::string type_name = array.attribute("type").value();
    const auto* const type = std::find_if(std::begin(number_types), std::end(number_types),
                                          [&](const NumberType& each) { return type_name == each.name; });
    if (type == std::end(number_types))
      fail_array(array, fmt::format("is of type \"{}\", which is no number", type_name));
    std::vector<double> values;
    if (std::string(array.attribute("format").as_string("ascii")) == "ascii") {
      values = ascii_numbers(array);
    } else {
      const std::string bytes = bytes_of(array);
      if (bytes.size() % type->size != 0) fail_array(array, "is cut short");
      if (type->is_float)
        values = type->size == 4 ? converted<float>(bytes) : converted<double>(bytes);
      else if (type->size == 1)
        values = type->is_signed ? converted<std::int8_t>(bytes) : converted<std::uint8_t>(bytes);
      else if (type->size == 2)
        values = type->is_signed ? converted<std::int16_t>(bytes) : converted<std::uint16_t>(bytes);
      else if (type->size == 4)
        values = type->is_signed ? converted<std::int32_t>(bytes) : converted<std::uint32_t>(bytes);
      else
        values = type->is_signed ? converted<std::int64_t>(bytes) : converted<std::uint64_t>(bytes);
    }
    if (expected && values.size() != *expected)
      fail_array(array, fmt::format("holds {} numbers where {} are due", values.size(), *expected));
    return values;
  }

  // Texts follow one another as character codes, each ended by 0.
  [[nodiscard]] std::vector<std::string> texts(const pugi::xml_node& array, std::size_t expected) const {
    std::string codes;
    if (std::string(array.attribute("format").as_string("ascii")) == "ascii")
      for (const double code : ascii_numbers(array)) codes += static_cast<char>(static_cast<int>(code));
    else
      codes = bytes_of(array);
    std::vector<std::string> lines(1);
    for (const char c : codes)
      if (c == '\0')
        lines.emplace_back();
      else
        lines.back() += c;
    if (lines.back().empty()) lines.pop_back();
    if (lines.size() != expected)
      fail_array(array, fmt::format("holds {} texts where {} are due", lines.size(), expected));
    return lines;
  }

  [[nodiscard]] std::vector<std::int64_t> indices(const pugi::xml_node& cells, const char* name,
                                                  std::optional<std::size_t> expected, double below) const {
    const pugi::xml_node array = cells.find_child_by_attribute("DataArray", "Name", name);
    if (!array) fail(fmt::format("its cells have no array \"{}\"", name));
    std::vector<std::int64_t> result;
    for (const double value : numbers(array, expected)) {
      if (!(value >= 0 && value < below && value == std::floor(value)))
        fail_array(array, fmt::format("holds {}, which is not between 0 and {}", value, below - 1));
      result.push_back(static_cast<std::int64_t>(value));
    }
    return result;
  }

  void add_arrays(const pugi::xml_node& parent, std::size_t before, std::size_t count,
                  std::vector<GridArray>& arrays) const {
    for (const pugi::xml_node& array : parent.children()) {
      const std::string kind = array.name();
      if (kind != "DataArray" && kind != "Array") continue;
      GridArray grid_array{
          array.attribute("Name").value(), std::max(1, array.attribute("NumberOfComponents").as_int(1)), {}, {}};
      if (std::string(array.attribute("type").value()) == "String")
        grid_array.texts = texts(array, count);
      else
        grid_array.values = numbers(array, count * static_cast<std::size_t>(grid_array.components));
      if (before == 0) {
        arrays.push_back(std::move(grid_array));
        continue;
      }
      const auto same =
          std::find_if(arrays.begin(), arrays.end(), [&](const GridArray& a) { return a.name == grid_array.name; });
      if (same == arrays.end() || same->components != grid_array.components)
        fail_array(array, "is not in every piece of the grid");
      same->values.insert(same->values.end(), grid_array.values.begin(), grid_array.values.end());
      same->texts.insert(same->texts.end(), grid_array.texts.begin(), grid_array.texts.end());
    }
  }

  void add_piece(const pugi::xml_node& piece, Grid& grid) const {
    const std::size_t points = piece.attribute("NumberOfPoints").as_ullong(),
                      cells = piece.attribute("NumberOfCells").as_ullong();
    constexpr std::size_t most = std::numeric_limits<std::int32_t>::max();
    if (points > most || cells > most) fail("it claims more points or cells than 2 147 483 647");
    const std::size_t points_before = grid.points.size(), cells_before = grid.types.size();
    const pugi::xml_node coordinates = piece.child("Points").child("DataArray");
    if (!coordinates && points > 0) fail("it has no points");
    const std::vector<double> xyz = points > 0 ? numbers(coordinates, 3 * points) : std::vector<double>();
    for (std::size_t i = 0; i < points; ++i) {
      const Vector3 at(xyz[3 * i], xyz[3 * i + 1], xyz[3 * i + 2]);
      if (!at.allFinite()) fail(fmt::format("point {} has no finite position", i));
      grid.points.push_back(at);
    }
    if (cells > 0) {
      const pugi::xml_node own = piece.child("Cells");
      const auto ends = indices(own, "offsets", cells, 1e15);
      const auto joined = indices(own, "connectivity", std::nullopt, static_cast<double>(points));
      const auto kinds = indices(own, "types", cells, 256);
      std::int64_t last = 0;
      for (const std::int64_t end : ends) {
        if (end <= last || end > std::ssize(joined)) fail("its array \"offsets\" does not fit \"connectivity\"");
        last = end;
      }
      const auto first = std::ssize(grid.connectivity);
      for (const std::int64_t node : joined)
        grid.connectivity.push_back(node + static_cast<std::int64_t>(points_before));
      for (const std::int64_t end : ends) grid.offsets.push_back(end + first);
      for (const std::int64_t kind : kinds) grid.types.push_back(static_cast<std::uint8_t>(kind));
    }
    add_arrays(piece.child("PointData"), points_before, points, grid.point_arrays);
    add_arrays(piece.child("CellData"), cells_before, cells, grid.cell_arrays);
  }

  const std::string& name_;
  std::string_view appended_;
  pugi::xml_document document_;
  pugi::xml_node file_;
  bool swapped_ = false, compressed_ = false, appended_base64_ = false;
  std::size_t header_size_ = 4;
};

}  // namespace

Grid read_vtu(const std::string& bytes, const std::string& name) { return Reader(bytes, name).read(); }

}  // namespace avrenk
