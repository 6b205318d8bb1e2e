#pragma once

#include <tbb/concurrent_unordered_map.h>

#include "core/element/member_line.hpp"

namespace ulterix {

/// The lines of a step's members, each made when it is first asked for, on any thread. A copy of
/// the step makes its own, since its state may become another one.
class KeptLines {
 public:
  KeptLines() = default;
  KeptLines(const KeptLines&) noexcept {}
  KeptLines& operator=(const KeptLines&) noexcept {
    lines_.clear();
    return *this;
  }
  ~KeptLines() = default;

  template <class Make>
  const MemberLine& of(MemberId id, const Make& make) {
    const auto found = lines_.find(id.value);
    return found != lines_.end() ? found->second : lines_.emplace(id.value, make()).first->second;
  }

 private:
  tbb::concurrent_unordered_map<int, MemberLine> lines_;
};

}  // namespace ulterix
