/// core/blas_threads.h: while our own threads run, BLAS must not start more.
#pragma once

namespace avrenk {

/// Number of threads that dense and sparse algebra use from now on.
void set_blas_threads(int threads);

/// Where the address space of the process is limited: lets BLAS take the buffers that so many threads need at once,
/// each by itself and all together. It would otherwise wait for ever for memory that a later call cannot get.
/// @param threads  0: one a processor
/// @throws NumericalError  there is too little: says how much is needed
void reserve_blas_memory(int threads);

/// Holds BLAS to one thread for its lifetime, where that is wanted.
class OneBlasThread {
 public:
  explicit OneBlasThread(bool is_wanted = true);
  ~OneBlasThread();
  OneBlasThread(const OneBlasThread&) = delete;
  OneBlasThread& operator=(const OneBlasThread&) = delete;

 private:
  int before_;  // 0: nothing is held
};

/// What follows a model of fewer unknowns is not worth the threads of BLAS, which go on spinning beside our own.
inline constexpr int small_model = 20000;

}  // namespace avrenk
