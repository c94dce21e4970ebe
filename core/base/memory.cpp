#include "core/base/memory.h"

#include <malloc.h>

namespace ilumbra {

void keepFreedMemory() {
#ifdef __GLIBC__
  mallopt(M_MMAP_THRESHOLD, 32 << 20); // the most that there is
  mallopt(M_TRIM_THRESHOLD, 1 << 30);
#endif
}

void releaseFreedMemory() {
#ifdef __GLIBC__
  malloc_trim(0);
#endif
}

} // namespace ilumbra
