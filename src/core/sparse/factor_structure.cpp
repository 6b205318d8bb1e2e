#include "core/sparse/factor_structure.hpp"

#include "core/sparse/cholmod_analysis.hpp"

namespace ulterix {

FactorStructure::FactorStructure(const SymmetricPattern& pattern) : pattern_(pattern) {}
FactorStructure::~FactorStructure() = default;

const Analysis& FactorStructure::quickest() const {
  const std::scoped_lock lock(mutex_);
  if (!quickest_) quickest_ = std::make_unique<const Analysis>(pattern_, CHOLMOD_AUTO);
  return *quickest_;
}

const Analysis& FactorStructure::in_blocks() const {
  const std::scoped_lock lock(mutex_);
  if (quickest_ && quickest_->in_blocks()) return *quickest_;
  if (!in_blocks_) in_blocks_ = std::make_unique<const Analysis>(pattern_, CHOLMOD_SUPERNODAL);
  return *in_blocks_;
}

}  // namespace ulterix
