#include "core/sparse/buffer_pool.hpp"

#include <malloc.h>
#include <sys/mman.h>

#include <algorithm>
#include <bit>
#include <cstdlib>
#include <iterator>
#include <map>
#include <mutex>
#include <new>

namespace ulterix {

namespace {

/// Smaller blocks are left to the system's allocator.
constexpr std::size_t kLarge = 2 << 20;
/// Of the blocks given back so many bytes are kept.
constexpr std::size_t kMostKept = std::size_t{2} << 30;

/// Eight sizes to every power of two, so that one block serves many that ask.
std::size_t rounded(std::size_t size) {
  const std::size_t step = std::max(kLarge, std::bit_floor(size) / 8);
  return (size + step - 1) / step * step;
}

/// Pages of their own, which the heap keeps no hole of.
void* take_pages(std::size_t size) {
  void* block = mmap(nullptr, size, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
  return block == MAP_FAILED ? nullptr : block;
}

class Pool {
 public:
  ~Pool() { release(); }

  void release() {
    const std::scoped_lock lock(mutex_);
    for (const auto& [size, block] : free_) munmap(block, size);
    free_.clear();
    kept_ = 0;
  }

  void* take(std::size_t size) {
    const std::scoped_lock lock(mutex_);
    // Of several the last that was given back, which is the most likely to be in cache.
    const auto after = free_.upper_bound(size);
    if (after == free_.begin() || std::prev(after)->first != size) return take_pages(size);
    const auto place = std::prev(after);
    void* block = place->second;
    free_.erase(place);
    kept_ -= size;
    return block;
  }

  void give_back(void* block, std::size_t size) noexcept {
    const std::scoped_lock lock(mutex_);
    if (kept_ + size > kMostKept) {
      munmap(block, size);
    } else {
      free_.emplace(size, block);
      kept_ += size;
    }
  }

 private:
  std::mutex mutex_;
  std::multimap<std::size_t, void*> free_;
  std::size_t kept_ = 0;
};

Pool& pool() {
  static Pool pool;
  return pool;
}

}  // namespace

void keep_freed_buffers() {
  mallopt(M_MMAP_THRESHOLD, 1 << 30);
  mallopt(M_TRIM_THRESHOLD, 1 << 30);
  mallopt(M_TOP_PAD, 16 << 20);
}

void release_kept_buffers() {
  pool().release();
  malloc_trim(0);
}

void GiveBack::operator()(void* block) const noexcept {
  size < kLarge ? std::free(block) : pool().give_back(block, size);
}

PooledBuffer pooled_buffer(std::size_t count) {
  std::size_t size = count * sizeof(double);
  if (size == 0) return {};
  size = size < kLarge ? size : rounded(size);
  void* block = size < kLarge ? std::malloc(size) : pool().take(size);
  if (block == nullptr) throw std::bad_alloc();
  return PooledBuffer(static_cast<double*>(block), GiveBack{size});
}

}  // namespace ulterix
