#pragma once

#include <memory>
#include <mutex>

#include "core/sparse/symmetric_pattern.hpp"

namespace ulterix {

struct Analysis;

/// What the factors of all matrices of one pattern have in common, found when it is first asked
/// for; safe to use from several threads. The pattern outlives it.
class FactorStructure {
 public:
  explicit FactorStructure(const SymmetricPattern& pattern);
  ~FactorStructure();
  FactorStructure(const FactorStructure&) = delete;
  FactorStructure& operator=(const FactorStructure&) = delete;

  const SymmetricPattern& pattern() const { return pattern_; }
  /// By columns or in blocks, whichever is quicker.
  const Analysis& quickest() const;
  const Analysis& in_blocks() const;

 private:
  const SymmetricPattern& pattern_;
  mutable std::mutex mutex_;
  mutable std::unique_ptr<const Analysis> quickest_, in_blocks_;
};

}  // namespace ulterix
