#include "core/system/scatter_map.hpp"

#include <algorithm>

namespace ulterix {

SymmetricPattern make_pattern(const DofMap& dofs, const std::vector<int>& node_order,
                              const std::vector<std::vector<int>>& neighbours) {
  SymmetricPattern pattern;
  pattern.size = dofs.size();
  pattern.column_start.reserve(static_cast<std::size_t>(dofs.size()) + 1);
  std::vector<NodeId> later;
  for (const int n : node_order) {
    const NodeDofs& node = dofs[NodeId(n)];
    if (node.count == 0) continue;
    later.clear();
    for (const int other : neighbours[static_cast<std::size_t>(n)]) {
      const NodeDofs& o = dofs[NodeId(other)];
      if (o.count > 0 && o.first > node.first) later.emplace_back(other);
    }
    std::sort(later.begin(), later.end(),
              [&dofs](NodeId a, NodeId b) { return dofs[a].first < dofs[b].first; });
    for (int j = 0; j < node.count; ++j) {
      for (int i = j; i < node.count; ++i) pattern.rows.push_back(node.first + i);
      for (const NodeId o : later) {
        for (int i = 0; i < dofs[o].count; ++i) pattern.rows.push_back(dofs[o].first + i);
      }
      pattern.column_start.push_back(static_cast<std::int64_t>(pattern.rows.size()));
    }
  }
  return pattern;
}

ScatterMap::ScatterMap(const Model& model, const DofMap& dofs, const SymmetricPattern& pattern)
    : model_(&model), dofs_(&dofs), pattern_(&pattern) {
  for (const Member& m : model.members) {
    const NodeDofs *a = &dofs[m.start], *b = &dofs[m.end];
    if (a->first > b->first) std::swap(a, b);
    std::int64_t place = -1;
    if (a->count > 0 && b->count > 0) {
      const auto begin = pattern.rows.begin() + pattern.column_start[a->first];
      const auto end = pattern.rows.begin() + pattern.column_start[a->first + 1];
      place = std::lower_bound(begin, end, static_cast<std::int64_t>(b->first)) - begin;
    }
    other_end_.push_back(place);
  }
}

void ScatterMap::add(MemberId id, const Matrix12d& K, std::vector<double>& values) const {
  const Member& m = model_->members[id];
  const NodeDofs& a = (*dofs_)[m.start];
  const NodeDofs& b = (*dofs_)[m.end];
  if (a.leader.valid() || b.leader.valid()) return add_led(m, K, values);
  add(m.start, K.topLeftCorner<6, 6>(), values);
  add(m.end, K.bottomRightCorner<6, 6>(), values);
  if (a.count == 0 || b.count == 0) return;
  const bool start_first = a.first < b.first;
  const NodeDofs& first = start_first ? a : b;
  const NodeDofs& other = start_first ? b : a;
  // Rows: the end eliminated later; columns: the one eliminated first.
  Matrix6d block =
      start_first ? Matrix6d(K.bottomLeftCorner<6, 6>()) : Matrix6d(K.topRightCorner<6, 6>());
  const bool selected = first.selection && other.selection;
  if (!selected) block = (other.T.transpose() * block * first.T).eval();
  const auto member = static_cast<std::size_t>(id.value);
  for (int j = 0; j < first.count; ++j) {
    // Each further column of the node starts one row lower.
    double* column =
        values.data() + pattern_->column_start[first.first + j] + other_end_[member] - j;
    for (int i = 0; i < other.count; ++i) {
      column[i] += selected ? block(other.direction[i], first.direction[j]) : block(i, j);
    }
  }
}

void ScatterMap::add_led(const Member& m, const Matrix12d& K, std::vector<double>& values) const {
  std::vector<int> unknowns;
  std::vector<Vector12d> motions;
  for (const NodeId n : {m.start, m.end}) {
    dofs_->for_each_column(n, [&](int q, const Vector6d& motion) {
      Vector12d whole = Vector12d::Zero();
      whole.segment<6>(n == m.start ? 0 : 6) = motion;
      unknowns.push_back(q);
      motions.push_back(whole);
    });
  }
  add_columns(unknowns, motions, K, values);
}

template <class Motion, class Matrix>
void ScatterMap::add_columns(const std::vector<int>& unknowns, const std::vector<Motion>& motions,
                             const Matrix& K, std::vector<double>& values) const {
  for (std::size_t j = 0; j < unknowns.size(); ++j) {
    const Motion force = K * motions[j];
    const auto begin = pattern_->rows.begin() + pattern_->column_start[unknowns[j]];
    const auto end = pattern_->rows.begin() + pattern_->column_start[unknowns[j] + 1];
    for (std::size_t i = 0; i < unknowns.size(); ++i) {
      if (unknowns[i] < unknowns[j]) continue;  // the lower triangle
      const auto row = std::lower_bound(begin, end, static_cast<std::int64_t>(unknowns[i]));
      values[static_cast<std::size_t>(row - pattern_->rows.begin())] += motions[i].dot(force);
    }
  }
}

void ScatterMap::add(NodeId id, const Matrix6d& K, std::vector<double>& values) const {
  const NodeDofs& node = (*dofs_)[id];
  if (node.leader.valid()) {
    std::vector<int> unknowns;
    std::vector<Vector6d> motions;
    dofs_->for_each_column(id, [&](int q, const Vector6d& motion) {
      unknowns.push_back(q);
      motions.push_back(motion);
    });
    return add_columns(unknowns, motions, K, values);
  }
  if (node.count == 0) return;
  Matrix6d block = K;
  if (!node.selection) block = node.T.transpose() * K * node.T;
  for (int j = 0; j < node.count; ++j) {
    double* column = values.data() + pattern_->column_start[node.first + j] - j;
    for (int i = j; i < node.count; ++i) {
      column[i] += node.selection ? block(node.direction[i], node.direction[j]) : block(i, j);
    }
  }
}

}  // namespace ulterix
