#include "core/system/gather.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <limits>

#include "core/element/kinds.h"
#include "core/error.h"
#include "core/parallel.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;

constexpr std::size_t bytes_in_job = 64U << 10U;  // of element matrices: small enough for malloc to keep them at hand
constexpr std::size_t bytes_in_stretch = 4U << 20U;  // of all element matrices held at once: they stay in the cache

// An element some of whose nodes do not move by themselves, on the unknowns that move it: Tᵀ (X T).
struct Reduced {
  std::vector<int> columns;  // unknowns, ascending
  MatrixXd t, xt;            // T and X T, one column an unknown
};

void reduce(const Numbering& numbering, const Eigen::Ref<const MatrixXd>& element, std::span<const int> nodes,
            Reduced& out) {
  const auto motions = static_cast<std::size_t>(element.rows()) / nodes.size();
  std::vector<Numbering::Row> flat(static_cast<std::size_t>(element.rows()));
  std::array<Numbering::Row, 6> rows;
  out.columns.clear();
  for (std::size_t n = 0; n < nodes.size(); ++n) {
    if (nodes[n] < 0) continue;  // ground
    numbering.rows(nodes[n], rows);
    for (std::size_t i = 0; i < motions; ++i) {
      for (const auto& [column, share] : rows[i]) out.columns.push_back(column);
      flat[motions * n + i].swap(rows[i]);
    }
  }
  std::sort(out.columns.begin(), out.columns.end());
  out.columns.erase(std::unique(out.columns.begin(), out.columns.end()), out.columns.end());
  out.t.setZero(element.rows(), static_cast<Index>(out.columns.size()));
  for (std::size_t i = 0; i < flat.size(); ++i)
    for (const auto& [column, share] : flat[i])
      out.t(static_cast<Index>(i),
            std::lower_bound(out.columns.begin(), out.columns.end(), column) - out.columns.begin()) += share;
  out.xt.noalias() = element.lazyProduct(out.t);
}

// Roots that share an element with each root, ascending, itself included.
struct Neighbours {
  std::vector<std::size_t> begin;  // of each root's list
  std::vector<int> roots;
  std::vector<int> row_offset;  // rows of a column that come before those of this neighbour

  [[nodiscard]] int offset(int root, int of) const {
    const auto first = roots.begin() + static_cast<std::ptrdiff_t>(begin[static_cast<std::size_t>(root)]),
               last = roots.begin() + static_cast<std::ptrdiff_t>(begin[static_cast<std::size_t>(root) + 1]);
    return row_offset[static_cast<std::size_t>(std::lower_bound(first, last, of) - roots.begin())];
  }
};

Neighbours find_neighbours(const Numbering& numbering, const std::vector<std::span<const int>>& lists,
                           const std::vector<int>& nodes_each) {
  const auto count = static_cast<std::size_t>(numbering.nodes());
  // Elements of each root.
  std::vector<std::size_t> begin(count + 1, 0);
  const auto for_each = [&](const auto& visit) {
    for (std::size_t list = 0; list < lists.size(); ++list)
      for (std::size_t at = 0; at < lists[list].size(); ++at)
        if (lists[list][at] >= 0)
          for (const int root : numbering.roots(lists[list][at])) visit(static_cast<std::size_t>(root), list, at);
  };
  for_each([&](std::size_t root, std::size_t, std::size_t) { ++begin[root + 1]; });
  for (std::size_t r = 0; r < count; ++r) begin[r + 1] += begin[r];
  std::vector<std::pair<std::uint32_t, std::uint32_t>> element(begin.back());  // list, and where in it
  std::vector<std::size_t> next(begin.begin(), begin.end() - 1);
  for_each([&](std::size_t root, std::size_t list, std::size_t at) {
    const auto n = static_cast<std::size_t>(nodes_each[list]);
    element[next[root]++] = {static_cast<std::uint32_t>(list), static_cast<std::uint32_t>(at / n * n)};
  });
  Neighbours result;
  result.begin.reserve(count + 1);
  std::vector<int> seen(count, -1);
  for (std::size_t r = 0; r < count; ++r) {
    result.begin.push_back(result.roots.size());
    if (numbering.count(static_cast<int>(r)) == 0) continue;
    for (std::size_t k = begin[r]; k < begin[r + 1]; ++k) {
      const auto& [list, at] = element[k];
      for (const int node : lists[list].subspan(at, static_cast<std::size_t>(nodes_each[list]))) {
        if (node < 0) continue;
        for (const int root : numbering.roots(node)) {
          if (seen[static_cast<std::size_t>(root)] == static_cast<int>(r) || numbering.count(root) == 0) continue;
          seen[static_cast<std::size_t>(root)] = static_cast<int>(r);
          result.roots.push_back(root);
        }
      }
    }
    std::sort(result.roots.begin() + static_cast<std::ptrdiff_t>(result.begin.back()), result.roots.end());
  }
  result.begin.push_back(result.roots.size());
  result.row_offset.resize(result.roots.size());
  for (std::size_t r = 0; r < count; ++r) {
    int rows = 0;
    for (std::size_t k = result.begin[r]; k < result.begin[r + 1]; ++k) {
      result.row_offset[k] = rows;
      rows += numbering.count(result.roots[k]);
    }
  }
  return result;
}

// The sum while it is made.
class Sum {
 public:
  Sum(const Numbering& numbering, Neighbours neighbours) : numbering_(numbering), neighbours_(std::move(neighbours)) {
    const int free = numbering.free;
    std::vector<std::size_t> outer(static_cast<std::size_t>(free) + 1, 0);
    for (int root = 0; root < numbering.nodes(); ++root) {
      const std::size_t rows = column_size(root);
      for (int j = 0; j < numbering.count(root); ++j)
        outer[static_cast<std::size_t>(numbering.first(root) + j) + 1] = rows;
    }
    for (std::size_t c = 0; c < static_cast<std::size_t>(free); ++c) outer[c + 1] += outer[c];
    if (outer.back() > static_cast<std::size_t>(std::numeric_limits<int>::max()))
      throw NumericalError("the matrices have more than 2^31 entries: make the mesh coarser");
    ff_.resize(free, free);
    ff_.resizeNonZeros(static_cast<Index>(outer.back()));
    for (std::size_t c = 0; c < outer.size(); ++c) ff_.outerIndexPtr()[c] = static_cast<int>(outer[c]);
    std::fill_n(ff_.valuePtr(), ff_.nonZeros(), 0.0);
  }

  // Rows of the columns of some roots.
  void fill_rows(int from, int to) {
    for (int root = from; root < to; ++root)
      for (int j = 0; j < numbering_.count(root); ++j) {
        int* row = ff_.innerIndexPtr() + ff_.outerIndexPtr()[numbering_.first(root) + j];
        for (std::size_t k = neighbours_.begin[static_cast<std::size_t>(root)];
             k < neighbours_.begin[static_cast<std::size_t>(root) + 1]; ++k)
          for (int i = 0; i < numbering_.count(neighbours_.roots[k]); ++i)
            *row++ = numbering_.first(neighbours_.roots[k]) + i;
      }
  }

  // An element all of whose nodes move by themselves; only the columns of roots `from` to `to`.
  void add_plain(const Eigen::Ref<const MatrixXd>& element, std::span<const int> nodes, int from, int to) {
    const auto motions = element.rows() / static_cast<Index>(nodes.size());
    for (std::size_t b = 0; b < nodes.size(); ++b) {
      if (nodes[b] < from || nodes[b] >= to) continue;
      const int* const outer = ff_.outerIndexPtr() + numbering_.first(nodes[b]);
      for (std::size_t a = 0; a < nodes.size(); ++a) {
        const int offset = neighbours_.offset(nodes[b], nodes[a]);
        for (Index j = 0; j < motions; ++j) {
          double* const value = ff_.valuePtr() + outer[j] + offset;
          const double* const own = element.data() + (motions * static_cast<Index>(b) + j) * element.outerStride() +
                                    motions * static_cast<Index>(a);
          for (Index i = 0; i < motions; ++i) value[i] += own[i];
        }
      }
    }
  }

  // Any element; only the columns of roots `from` to `to`, those of supports with the first root.
  void add(const Reduced& element, int from, int to) {
    for (std::size_t j = 0; j < element.columns.size(); ++j) {
      const int column = element.columns[j];
      const int root = column < numbering_.free ? numbering_.node_of_column[static_cast<std::size_t>(column)] : 0;
      if (root < from || root >= to) continue;
      for (std::size_t i = 0; i < element.columns.size(); ++i) {
        const double value = element.t.col(static_cast<Index>(i)).dot(element.xt.col(static_cast<Index>(j)));
        if (value != 0) add(element.columns[i], column, value);
      }
    }
  }

  [[nodiscard]] Partitioned take() {
    Partitioned result;
    result.fs.resize(numbering_.free, numbering_.supports);
    result.ss.resize(numbering_.supports, numbering_.supports);
    result.ff.swap(ff_);
    result.ff.prune([](Index, Index, double value) { return value != 0; });
    result.fs.setFromTriplets(fs_.begin(), fs_.end());
    result.ss.setFromTriplets(ss_.begin(), ss_.end());
    return result;
  }

  // Bounds of `parts` stretches of roots with about as many entries each.
  [[nodiscard]] std::vector<int> stripes(int parts) const {
    std::vector<int> bounds{0};
    std::size_t sum = 0;
    for (int root = 0; root < numbering_.nodes(); ++root) {
      if (sum * static_cast<std::size_t>(parts) >= bounds.size() * static_cast<std::size_t>(ff_.nonZeros()) &&
          bounds.back() < root && static_cast<int>(bounds.size()) < parts)
        bounds.push_back(root);
      sum += column_size(root) * static_cast<std::size_t>(numbering_.count(root));
    }
    bounds.push_back(numbering_.nodes());
    return bounds;
  }

 private:
  [[nodiscard]] std::size_t column_size(int root) const {
    const std::size_t begin = neighbours_.begin[static_cast<std::size_t>(root)],
                      end = neighbours_.begin[static_cast<std::size_t>(root) + 1];
    if (begin == end) return 0;
    return static_cast<std::size_t>(neighbours_.row_offset[end - 1] + numbering_.count(neighbours_.roots[end - 1]));
  }
  void add(int row, int column, double value) {
    const int free = numbering_.free;
    if (column < free && row < free)
      ff_.valuePtr()[place(row, column)] += value;
    else if (row < free)
      fs_.emplace_back(row, column - free, value);
    else if (column >= free)
      ss_.emplace_back(row - free, column - free, value);
  }
  [[nodiscard]] Index place(int row, int column) const {
    const int own = numbering_.node_of_column[static_cast<std::size_t>(row)],
              of = numbering_.node_of_column[static_cast<std::size_t>(column)];
    return ff_.outerIndexPtr()[column] + neighbours_.offset(of, own) + row - numbering_.first(own);
  }

  const Numbering& numbering_;
  Neighbours neighbours_;
  SparseMatrix ff_;
  std::vector<Eigen::Triplet<double>> fs_, ss_;
};

[[noreturn]] void refuse_element(const Assembly& assembly, const ElementGroup& group, std::size_t element,
                                 const char* fault) {
  Vector3 at = Vector3::Zero();
  for (const int node : group.element(element)) at += assembly.position(node) / group.kind->nodes;
  const Part& part = assembly.parts[static_cast<std::size_t>(group.part)];
  const std::string from = part.mesh_file.empty() ? "" : fmt::format(", from {},", part.mesh_file);
  throw_input_error("part " + part.name,
                    fmt::format("its element at {}{} {}", assembly.describe_position(at), from, fault),
                    "mesh that place anew");
}

}  // namespace

void Gatherer::add(const MatrixXd& element, std::span<const int> nodes) {
  singles_.push_back({element, {nodes.begin(), nodes.end()}});
}

Gatherer::Kernel Gatherer::telling(const Assembly& assembly, const ElementGroup& group, Kernel kernel) {
  return [&assembly, &group, kernel = std::move(kernel)](Index first, Index count) -> MatrixXd {
    try {
      return kernel(first, count);
    } catch (const NumericalError&) {
      for (Index e = first; e < first + count; ++e) {
        try {
          (void)kernel(e, 1);
        } catch (const NumericalError& fault) {
          refuse_element(assembly, group, static_cast<std::size_t>(e), fault.what());
        }
      }
      throw;
    }
  };
}

void Gatherer::add(const ElementGroup& group, Kernel kernel) { groups_.push_back({&group, std::move(kernel)}); }

Partitioned Gatherer::finish(int threads) const {
  std::vector<std::span<const int>> lists;
  std::vector<int> nodes_each;
  for (const Single& single : singles_) {
    lists.emplace_back(single.nodes);
    nodes_each.push_back(static_cast<int>(single.nodes.size()));
  }
  for (const Many& many : groups_) {
    lists.emplace_back(many.group->nodes);
    nodes_each.push_back(many.group->kind->nodes);
  }
  Sum sum(numbering_, find_neighbours(numbering_, lists, nodes_each));
  const std::vector<int> bounds = sum.stripes(thread_count(threads));
  const std::size_t stripes = bounds.size() - 1;
  run_jobs(stripes, threads, [&](std::size_t s) { sum.fill_rows(bounds[s], bounds[s + 1]); });
  Reduced reduced;
  for (const Single& single : singles_) {
    reduce(numbering_, single.matrix, single.nodes, reduced);
    sum.add(reduced, 0, numbering_.nodes());
  }
  // A stretch of elements is computed side by side, then every stripe of columns takes its part of it in order.
  struct Computed {
    MatrixXd matrices;
    std::vector<bool> plain;
    std::vector<Reduced> reduced;  // those that are not plain
  };
  for (const Many& many : groups_) {
    const ElementGroup& group = *many.group;
    const auto rows = static_cast<std::size_t>(group.kind->motions * group.kind->nodes);
    const std::size_t elements_in_job = std::max<std::size_t>(1, bytes_in_job / (rows * rows * sizeof(double)));
    const std::size_t jobs_at_once =
        std::max(static_cast<std::size_t>(thread_count(threads)), bytes_in_stretch / bytes_in_job);
    const std::size_t jobs = (group.elements() + elements_in_job - 1) / elements_in_job;
    std::vector<Computed> computed(jobs_at_once);
    for (std::size_t done = 0; done < jobs; done += jobs_at_once) {
      const std::size_t now = std::min(jobs_at_once, jobs - done);
      const auto first_of = [&](std::size_t job) { return (done + job) * elements_in_job; };
      const auto count_of = [&](std::size_t job) {
        return std::min(elements_in_job, group.elements() - first_of(job));
      };
      const auto matrix_of = [&](const Computed& own, std::size_t e) {
        return own.matrices.middleCols(static_cast<Index>(e * rows), static_cast<Index>(rows));
      };
      run_jobs(now, threads, [&](std::size_t job) {
        Computed& of_job = computed[job];
        of_job.matrices = many.kernel(static_cast<Index>(first_of(job)), static_cast<Index>(count_of(job)));
        of_job.plain.assign(count_of(job), false);
        of_job.reduced.clear();
        for (std::size_t e = 0; e < count_of(job); ++e) {
          const auto nodes = group.element(first_of(job) + e);
          of_job.plain[e] = std::all_of(nodes.begin(), nodes.end(), [&](int n) { return numbering_.is_plain(n); });
          if (of_job.plain[e]) continue;
          reduce(numbering_, matrix_of(of_job, e), nodes, of_job.reduced.emplace_back());
        }
      });
      run_jobs(stripes, threads, [&](std::size_t s) {
        for (std::size_t job = 0; job < now; ++job) {
          const Computed& of_job = computed[job];
          auto carried = of_job.reduced.begin();
          for (std::size_t e = 0; e < of_job.plain.size(); ++e) {
            if (of_job.plain[e]) {
              sum.add_plain(matrix_of(of_job, e), group.element(first_of(job) + e), bounds[s], bounds[s + 1]);
              continue;
            }
            sum.add(*carried++, bounds[s], bounds[s + 1]);
          }
        }
      });
    }
  }
  return sum.take();
}

}  // namespace avrenk
