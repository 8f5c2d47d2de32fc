#include "core/blas_threads.h"

extern "C" {
void openblas_set_num_threads(int threads);
int openblas_get_num_threads(void);
}

namespace avrenk {

void set_blas_threads(int threads) { openblas_set_num_threads(threads); }

OneBlasThread::OneBlasThread() : before_(openblas_get_num_threads()) { openblas_set_num_threads(1); }
OneBlasThread::~OneBlasThread() { openblas_set_num_threads(before_); }

}  // namespace avrenk
