#pragma once

#include <cstddef>
#include <memory>

namespace ulterix {

/// Large blocks come and go in every factorisation: keeps them rather than hand them back to the
/// system, which costs a page fault for each page when they come again. For the start of a program.
void keep_freed_buffers();

/// Hands what was given back and waits to the system, with what the heap has free: for a large
/// frame, where what follows takes other sizes.
void release_kept_buffers();

struct GiveBack {
  std::size_t size = 0;
  void operator()(void* block) const noexcept;
};
using PooledBuffer = std::unique_ptr<double[], GiveBack>;

/// Room for so many numbers, not set. What is given back serves the next that asks, from whatever
/// thread: clearing fresh pages costs a good part of a factorisation.
PooledBuffer pooled_buffer(std::size_t count);

}  // namespace ulterix
