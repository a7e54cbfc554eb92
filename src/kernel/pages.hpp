// Memory: asked for ahead of time, and in large pages.
//
// Memory for large hash tables. Their lookups go everywhere, so that with small
// pages most of the time is spent on finding the page; where the system can, it
// is asked for large ones.
#pragma once

#include <cstdlib>
#include <new>

#if defined(__linux__)
#include <sys/mman.h>
#endif

namespace eggcrate {

// Asks for memory that will be needed soon; harmless at any address.
inline void prefetch(const void* p) noexcept {
#if defined(__GNUC__)
  __builtin_prefetch(p, 0, 2);
#else
  (void)p;
#endif
}

template <class T>
struct LargePages {
  using value_type = T;
  LargePages() = default;
  template <class U>
  LargePages(const LargePages<U>&) noexcept {}

  T* allocate(std::size_t n) {
    const std::size_t bytes = n * sizeof(T);
#if defined(__linux__) && defined(MADV_HUGEPAGE)
    constexpr std::size_t page = std::size_t(1) << 21;
    if (bytes >= page) {
      const std::size_t whole = (bytes + page - 1) / page * page;
      void* p = std::aligned_alloc(page, whole);
      if (!p) throw std::bad_alloc();
      madvise(p, whole, MADV_HUGEPAGE);  // a refusal costs nothing but time
      return static_cast<T*>(p);
    }
#endif
    void* p = std::malloc(bytes);
    if (!p) throw std::bad_alloc();
    return static_cast<T*>(p);
  }
  void deallocate(T* p, std::size_t) noexcept { std::free(p); }
};

template <class T, class U>
bool operator==(const LargePages<T>&, const LargePages<U>&) noexcept { return true; }
template <class T, class U>
bool operator!=(const LargePages<T>&, const LargePages<U>&) noexcept { return false; }

}  // namespace eggcrate
