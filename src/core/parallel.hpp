#pragma once

#include <tbb/blocked_range.h>
#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <vector>

namespace ulterix {

template <class Own>
using OneForEachThread = tbb::enumerable_thread_specific<Own>;

/// Calls act(own, i) for i = 0 .. count on all threads, each with an `Own` of its own, on which no
/// result may depend.
template <class Own, class Act>
void for_each_with(OneForEachThread<Own>& owns, int count, const Act& act) {
  constexpr int kAtOnce = 16;
  tbb::parallel_for(tbb::blocked_range<int>(0, count, kAtOnce), [&](const auto& range) {
    Own& own = owns.local();
    for (int i = range.begin(); i < range.end(); ++i) act(own, i);
  });
}

/// Calls act(i) for i = 0 .. count on all threads; what it writes has to be its own.
template <class Act>
void for_each_index(int count, const Act& act) {
  constexpr int kAtOnce = 16;
  tbb::parallel_for(tbb::blocked_range<int>(0, count, kAtOnce), [&act](const auto& range) {
    for (int i = range.begin(); i < range.end(); ++i) act(i);
  });
}

/// The same where each takes so long that one is enough for a thread: a mode of a whole frame.
template <class Act>
void for_each_long(int count, const Act& act) {
  tbb::parallel_for(
      0, count, [&act](int i) { act(i); }, tbb::simple_partitioner());
}

/// Makes `make(i)` for i = 0 .. count on all threads and hands them to take(i, made) on this one,
/// in their order, so that sums do not depend on the threads.
template <class Make, class Take>
void make_and_take(int count, const Make& make, const Take& take) {
  constexpr int kBatch = 512;
  std::vector<decltype(make(0))> made(static_cast<std::size_t>(std::min(count, kBatch)));
  for (int from = 0; from < count; from += kBatch) {
    const int size = std::min(kBatch, count - from);
    for_each_index(size, [&](int i) { made[static_cast<std::size_t>(i)] = make(from + i); });
    for (int i = 0; i < size; ++i) take(from + i, made[static_cast<std::size_t>(i)]);
  }
}

}  // namespace ulterix
