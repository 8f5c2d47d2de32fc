#include "core/blas_threads.h"

#include <fmt/format.h>
#include <sys/resource.h>

#include <algorithm>
#include <thread>
#include <vector>

#include "core/algebra.h"
#include "core/error.h"
#include "core/memory.h"

extern "C" {
void openblas_set_num_threads(int threads);
int openblas_get_num_threads(void);
}

namespace avrenk {
namespace {

// A product large enough to be made in blocks, and on all threads of BLAS.
void multiply_something() {
  const Eigen::MatrixXd a = Eigen::MatrixXd::Ones(400, 400);
  Eigen::MatrixXd product(400, 400);
  product.noalias() = a * a;
}

}  // namespace

void set_blas_threads(int threads) { openblas_set_num_threads(threads); }

void reserve_blas_memory(int threads) {
  rlimit limit{};
  if (getrlimit(RLIMIT_AS, &limit) != 0 || limit.rlim_cur == RLIM_INFINITY) return;
  const int count = threads > 0 ? threads : static_cast<int>(std::max(1U, std::thread::hardware_concurrency()));
  // Of one thread: its stack, an arena of the allocator, the buffer of BLAS.
  constexpr double of_each = 160, base = 300;
  const double allowed = static_cast<double>(limit.rlim_cur) / (1 << 20U),
               needed = mapped_memory() / (1 << 20U) + base +
                        of_each * (count + std::max(count, openblas_get_num_threads()));
  if (needed > allowed)
    throw NumericalError(fmt::format(
        "not enough memory: {:.0f} MB of address space are needed to begin with, and ulimit -v allows {:.0f}; "
        "raise it{}",
        needed, allowed, count > 1 ? ", or use --threads 1" : ""));
  multiply_something();
  const OneBlasThread alone;
  std::vector<std::thread> all;
  all.reserve(static_cast<std::size_t>(count));
  for (int k = 0; k < count; ++k) all.emplace_back(multiply_something);
  for (std::thread& thread : all) thread.join();
}

OneBlasThread::OneBlasThread(bool is_wanted) : before_(is_wanted ? openblas_get_num_threads() : 0) {
  if (is_wanted) openblas_set_num_threads(1);
}
OneBlasThread::~OneBlasThread() {
  if (before_ > 0) openblas_set_num_threads(before_);
}

}  // namespace avrenk
