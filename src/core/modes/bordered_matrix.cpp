#include "core/modes/bordered_matrix.hpp"

#include <algorithm>
#include <cmath>

#include "core/dense/dense_factors.hpp"
#include "core/dense/symmetric_eigen.hpp"
#include "core/parallel.hpp"
#include "core/sparse/packed_kernels.hpp"

namespace ulterix {

namespace {

using Rows = Eigen::Matrix<double, Eigen::Dynamic, kPacked, Eigen::RowMajor>;
using NodeRows = Eigen::Matrix<double, 12, kPacked, Eigen::RowMajor>;

/// An eigenvalue of a member's part below this part of the largest is a vanished pivot.
constexpr double kVanished = 1e-13;

/// Calls act(q, first, motion) for the unknowns that move a member's nodes: `motion` of the node
/// whose first direction of the twelve that is.
template <class Act>
void each_unknown(const InnerUnknowns& u, MemberId id, const Act& act) {
  const Member& m = u.frame->model().members[id];
  int first = 0;
  for (const NodeId n : {m.start, m.end}) {
    u.frame->dofs().for_each_column(n,
                                    [&](int q, const Vector6d& motion) { act(q, first, motion); });
    first += 6;
  }
}

/// Motion of a member's nodes in global directions, from the rows of a pack.
void gather(const InnerUnknowns& u, MemberId id, const ColumnBlock& x, NodeRows& nodes) {
  if (u.skew[id] != 0) {
    nodes.setZero();
    each_unknown(u, id, [&](int q, int first, const Vector6d& motion) {
      const Eigen::Map<const Eigen::Matrix<double, 1, kPacked>> row(x.row(q));
      nodes.middleRows<6>(first) += motion * row;
    });
    return;
  }
  const auto& rows = u.rows[id];
  for (int d = 0; d < 12; ++d) {
    double* to = nodes.data() + d * kPacked;
    if (rows[static_cast<std::size_t>(d)] < 0) {
      std::fill(to, to + kPacked, 0.0);
    } else {
      const double* from = x.row(rows[static_cast<std::size_t>(d)]);
      std::copy(from, from + kPacked, to);
    }
  }
}

/// Takes forces on a member's nodes from the rows of a pack.
void take(const InnerUnknowns& u, MemberId id, const NodeRows& forces, ColumnBlock& y) {
  if (u.skew[id] != 0) {
    each_unknown(u, id, [&](int q, int first, const Vector6d& motion) {
      Eigen::Map<Eigen::Matrix<double, 1, kPacked>> row(y.row(q));
      row -= motion.transpose() * forces.middleRows<6>(first);
    });
    return;
  }
  const auto& rows = u.rows[id];
  for (int d = 0; d < 12; ++d) {
    if (rows[static_cast<std::size_t>(d)] < 0) continue;
    double* to = y.row(rows[static_cast<std::size_t>(d)]);
    const double* from = forces.data() + d * kPacked;
    for (Eigen::Index k = 0; k < kPacked; ++k) to[k] -= from[k];
  }
}

/// y (columns of A) += Aᵀ·x.
void add_transposed(const Eigen::MatrixXd& A, const double* x, double* y) {
  add_inner(A.data(), A.rows(), A.cols(), x, A.rows(), y);
}

/// y (rows of A) −= A·x.
void subtract(const Eigen::MatrixXd& A, const double* x, double* y) {
  take_product(A.data(), A.rows(), A.cols(), x, A.rows(), y);
}

}  // namespace

InnerUnknowns number_inner(const FrameSystem& frame, IndexedVector<MemberId, int> count) {
  InnerUnknowns u;
  u.frame = &frame;
  u.count = std::move(count);
  const int members = u.count.size();
  u.first = IndexedVector<MemberId, int>(members, 0);
  u.rows = IndexedVector<MemberId, std::array<int, 12>>(members);
  u.skew = IndexedVector<MemberId, char>(members, 0);
  for (const MemberId id : u.count.ids()) {
    u.first[id] = u.total;
    u.total += u.count[id];
    if (u.count[id] == 0) continue;
    u.rows[id].fill(-1);
    const Member& m = frame.model().members[id];
    int first = 0;
    for (const NodeId n : {m.start, m.end}) {
      const NodeDofs& node = frame.dofs()[n];
      if (!node.selection) u.skew[id] = 1;
      for (int j = 0; j < node.count; ++j) {
        const int row = first + node.direction[j];
        u.rows[id][static_cast<std::size_t>(row)] = node.first + j;
      }
      first += 6;
    }
  }
  return u;
}

template <class Add>
void BorderedMatrix::each_entry(const InnerUnknowns& u, MemberId id, const Add& add) const {
  const int n = u.count[id], own = u.frame_size() + u.first[id];
  if (n == 0) return;
  const Block& block = blocks[id];
  struct NodeUnknown {
    int q, first;  // its first direction of the twelve
    Vector6d motion;
  };
  std::vector<NodeUnknown> nodes;  // on a rigid floor a node moves with more than its own
  nodes.reserve(24);
  each_unknown(u, id, [&](int q, int first, const Vector6d& motion) {
    nodes.push_back({q, first, motion});
  });
  for (int j = 0; j < n; ++j) {
    const int column = u.first[id] + j;
    add(column, own + j, block.inner(j, j));
    for (int i = j + 1; i < n; ++i) {
      if (block.inner(i, j) != 0) add(column, own + i, block.inner(i, j));
    }
    for (const NodeUnknown& node : nodes) {
      const double value = node.motion.dot(block.coupling.col(j).segment<6>(node.first));
      if (value != 0) add(column, node.q, value);
    }
  }
}

void BorderedMatrix::list_entries(const InnerUnknowns& u) {
  entries_ = {};
  entries_.size = u.total;
  std::vector<std::int64_t>& start = entries_.column_start;
  start.assign(static_cast<std::size_t>(u.total) + 1, 0);
  for_each_index(u.count.size(), [&](int i) {
    each_entry(u, MemberId(i), [&start](int column, int, double) {
      ++start[static_cast<std::size_t>(column) + 1];
    });
  });
  for (std::size_t k = 1; k < start.size(); ++k) start[k] += start[k - 1];
  entries_.rows.resize(static_cast<std::size_t>(start.back()));
  values_.resize(entries_.rows.size());
  for_each_index(u.count.size(), [&](int i) {
    const MemberId id(i);
    if (u.count[id] == 0) return;
    auto next = static_cast<std::size_t>(start[static_cast<std::size_t>(u.first[id])]);
    each_entry(u, id, [&](int, int row, double value) {
      entries_.rows[next] = row;
      values_[next++] = value;
    });
  });
}

void BorderedMatrix::multiply(const InnerUnknowns& u, const ColumnBlock& x, ColumnBlock& y) const {
  multiply_pack(u.frame->pattern(), frame, x.row(0), y.row(0));
  if (identity_inside()) {
    std::copy(x.row(u.frame_size()), x.row(u.size()), y.row(u.frame_size()));
    return;
  }
  std::fill(y.row(u.frame_size()), y.row(u.size()), 0.0);
  add_symmetric(entries_.column_start.data(), entries_.rows.data(), values_.data(), u.frame_size(),
                u.total, x.row(0), y.row(0));
}

PackedColumns BorderedMatrix::multiply(const InnerUnknowns& u, const PackedColumns& X) const {
  PackedColumns Y(X.rows(), X.cols());
  for_each_pack(X, [&](Eigen::Index i) { multiply(u, X.pack(i), Y.pack(i)); });
  return Y;
}

Eigen::MatrixXd BorderedMatrix::multiply(const InnerUnknowns& u, const Eigen::MatrixXd& X) const {
  return multiply(u, PackedColumns(X)).matrix();
}

BorderedMatrix less(const InnerUnknowns& u, const BorderedMatrix& a, double factor,
                    const BorderedMatrix& b) {
  BorderedMatrix result;
  result.frame = a.frame;
  for (std::size_t i = 0; i < result.frame.size(); ++i) result.frame[i] -= factor * b.frame[i];
  const int members = u.count.size();
  result.blocks = IndexedVector<MemberId, BorderedMatrix::Block>(members);
  for_each_index(members, [&](int i) {
    const MemberId id(i);
    const int n = u.count[id];
    if (n == 0) return;
    BorderedMatrix::Block& block = result.blocks[id];
    block.coupling =
        a.identity_inside() ? Eigen::MatrixXd(Eigen::MatrixXd::Zero(12, n)) : a.blocks[id].coupling;
    block.inner =
        a.identity_inside() ? Eigen::MatrixXd(Eigen::MatrixXd::Identity(n, n)) : a.blocks[id].inner;
    if (b.identity_inside()) {
      block.inner.diagonal().array() -= factor;
    } else {
      block.coupling -= factor * b.blocks[id].coupling;
      block.inner -= factor * b.blocks[id].inner;
    }
  });
  return result;
}

BorderedFactor::BorderedFactor(const InnerUnknowns& unknowns, const Factorisation& frame)
    : unknowns_(unknowns), given_(&frame) {}

bool BorderedFactor::eliminate(BorderedMatrix A, std::vector<double>& rest) {
  const int members = unknowns_.count.size();
  eliminated_ = IndexedVector<MemberId, Eliminated>(members);
  std::vector<int> negative(static_cast<std::size_t>(members), 0);
  std::vector<char> regular(static_cast<std::size_t>(members), 1);
  const auto schur = [&](MemberId id) -> Matrix12d {
    const int n = unknowns_.count[id];
    if (n == 0) return Matrix12d::Zero();
    BorderedMatrix::Block& block = A.blocks[id];
    Eliminated& e = eliminated_[id];
    e.coupling = std::move(block.coupling);
    const DenseCholesky factor(block.inner);
    if (factor.definite() && factor.rcond() > kVanished) {
      e.inverse = factor.solve(Eigen::MatrixXd::Identity(n, n));
    } else {
      const SymmetricEigen eigen = symmetric_eigen(block.inner);
      const Eigen::VectorXd& d = eigen.values;
      const auto at = static_cast<std::size_t>(id.value);
      negative[at] = static_cast<int>((d.array() < 0).count());
      if (d.cwiseAbs().minCoeff() <= kVanished * d.cwiseAbs().maxCoeff()) {
        regular[at] = 0;
        return Matrix12d::Zero();
      }
      e.inverse = eigen.vectors * d.cwiseInverse().asDiagonal() * eigen.vectors.transpose();
    }
    return -e.coupling * e.inverse * e.coupling.transpose();
  };
  rest = unknowns_.frame->assemble_global(schur);
  for (std::size_t i = 0; i < rest.size(); ++i) rest[i] += A.frame[i];
  negative_ = 0;
  for (const int n : negative) negative_ += n;
  return std::all_of(regular.begin(), regular.end(), [](char good) { return good != 0; });
}

std::unique_ptr<BorderedFactor> BorderedFactor::definite(const InnerUnknowns& unknowns,
                                                         const BorderedMatrix& A) {
  std::unique_ptr<BorderedFactor> factor(new BorderedFactor(unknowns));
  std::vector<double> rest = A.frame;
  if (!A.identity_inside() && (!factor->eliminate(A, rest) || factor->negative_ > 0))
    return nullptr;
  factor->own_ = std::make_unique<Factorisation>(unknowns.frame->factor_structure());
  const bool good = factor->own_->factorise(rest) == FactorStatus::positive_definite;
  return good ? std::move(factor) : nullptr;
}

std::unique_ptr<BorderedFactor> BorderedFactor::indefinite(const InnerUnknowns& unknowns,
                                                           BorderedMatrix A) {
  std::unique_ptr<BorderedFactor> factor(new BorderedFactor(unknowns));
  std::vector<double> rest;
  if (!factor->eliminate(std::move(A), rest)) return nullptr;
  if (unknowns.frame_size() > 0) {
    factor->indefinite_ = IndefiniteFactor::make(unknowns.frame->factor_structure(), rest);
    if (!factor->indefinite_) return nullptr;
    factor->negative_ += factor->indefinite_->negative_eigenvalues();
  }
  return factor;
}

void BorderedFactor::solve(ColumnBlock& pack) const {
  const InnerUnknowns& u = unknowns_;
  NodeRows nodes;
  Rows work;
  if (!eliminated_.empty()) {
    for (int i = 0; i < u.count.size(); ++i) {
      const MemberId id(i);
      if (u.count[id] == 0) continue;
      const Eliminated& e = eliminated_[id];
      double* inner = pack.row(u.frame_size() + u.first[id]);
      work.setZero(u.count[id], kPacked);
      add_transposed(e.inverse, inner, work.data());
      std::copy(work.data(), work.data() + work.size(), inner);
      nodes.setZero();
      subtract(e.coupling, inner, nodes.data());
      nodes = -nodes;
      take(u, id, nodes, pack);  // less A_fi·x
    }
  }
  if (u.frame_size() > 0) {
    if (indefinite_) {
      indefinite_->solve_pack(pack.row(0));
    } else {
      (own_ ? *own_ : *given_).solve_pack(pack.row(0));
    }
  }
  if (eliminated_.empty()) return;
  for (int i = 0; i < u.count.size(); ++i) {
    const MemberId id(i);
    if (u.count[id] == 0) continue;
    const Eliminated& e = eliminated_[id];
    gather(u, id, pack, nodes);
    work.setZero(u.count[id], kPacked);
    add_transposed(e.coupling, nodes.data(), work.data());
    subtract(e.inverse, work.data(), pack.row(u.frame_size() + u.first[id]));
  }
}

Eigen::MatrixXd BorderedFactor::solve(Eigen::MatrixXd X) const {
  change_in_blocks(X, [this](ColumnBlock& pack) { solve(pack); });
  return X;
}

}  // namespace ulterix
