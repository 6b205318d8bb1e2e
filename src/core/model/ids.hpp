#pragma once

#include <compare>
#include <cstddef>
#include <utility>
#include <vector>

namespace ulterix {

/// A typed index into one of the model's vectors, in file order. Default: none.
template <class Tag>
struct Index {
  int value = -1;

  Index() = default;
  explicit Index(int v) : value(v) {}
  bool valid() const { return value >= 0; }
  auto operator<=>(const Index&) const = default;  // NOLINT(modernize-use-nullptr)
};

using NodeId = Index<struct NodeTag>;
using MemberId = Index<struct MemberTag>;
using SectionId = Index<struct SectionTag>;
using MaterialId = Index<struct MaterialTag>;
using CaseId = Index<struct CaseTag>;

/// A vector that only the right kind of index opens.
template <class Id, class T>
class IndexedVector {
 public:
  IndexedVector() = default;
  explicit IndexedVector(int size, const T& value = T()) : items_(size, value) {}

  T& operator[](Id id) { return items_[static_cast<std::size_t>(id.value)]; }
  const T& operator[](Id id) const { return items_[static_cast<std::size_t>(id.value)]; }

  Id push_back(T item) {
    items_.push_back(std::move(item));
    return Id(size() - 1);
  }
  int size() const { return static_cast<int>(items_.size()); }
  bool empty() const { return items_.empty(); }
  auto begin() { return items_.begin(); }
  auto end() { return items_.end(); }
  auto begin() const { return items_.begin(); }
  auto end() const { return items_.end(); }

  /// Every index in order, for loops that need the index itself.
  std::vector<Id> ids() const {
    std::vector<Id> all;
    all.reserve(items_.size());
    for (int i = 0; i < size(); ++i) all.emplace_back(i);
    return all;
  }

 private:
  std::vector<T> items_;
};

}  // namespace ulterix
