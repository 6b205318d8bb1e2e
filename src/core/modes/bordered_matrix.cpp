#include "core/modes/bordered_matrix.hpp"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>

#include "core/parallel.hpp"

namespace ulterix {

namespace {

using Rows = Eigen::Matrix<double, Eigen::Dynamic, kPacked, Eigen::RowMajor>;
using NodeRows = Eigen::Matrix<double, 12, kPacked, Eigen::RowMajor>;

/// An eigenvalue of a member's part below this part of the largest is a vanished pivot.
constexpr double kVanished = 1e-13;

/// Motion of a member's nodes in global directions, from the rows of a pack.
void gather(const DofMap& dofs, const Member& m, const Pack& x, NodeRows& u) {
  u.setZero();
  int first = 0;
  for (const NodeId n : {m.start, m.end}) {
    const NodeDofs& node = dofs[n];
    for (int j = 0; j < node.count; ++j) {
      const Eigen::Map<const Eigen::Matrix<double, 1, kPacked>> row(x.row(node.first + j));
      if (node.selection) {
        u.row(first + node.direction[j]) = row;
      } else {
        u.middleRows<6>(first) += node.T.col(j) * row;
      }
    }
    first += 6;
  }
}

/// Adds forces on a member's nodes to the rows of a pack.
void scatter(const DofMap& dofs, const Member& m, const NodeRows& f, Pack& y) {
  int first = 0;
  for (const NodeId n : {m.start, m.end}) {
    const NodeDofs& node = dofs[n];
    for (int j = 0; j < node.count; ++j) {
      Eigen::Map<Eigen::Matrix<double, 1, kPacked>> row(y.row(node.first + j));
      if (node.selection) {
        row += f.row(first + node.direction[j]);
      } else {
        row += node.T.col(j).transpose() * f.middleRows<6>(first);
      }
    }
    first += 6;
  }
}

Eigen::Map<const Rows> inner_rows(const InnerUnknowns& u, MemberId id, const Pack& x) {
  return {x.row(u.frame_size() + u.first[id]), u.count[id], kPacked};
}

Eigen::Map<Rows> inner_rows(const InnerUnknowns& u, MemberId id, Pack& x) {
  return {x.row(u.frame_size() + u.first[id]), u.count[id], kPacked};
}

}  // namespace

void BorderedMatrix::multiply(const InnerUnknowns& u, const Pack& x, Pack& y) const {
  multiply_pack(u.frame->pattern(), frame, x.row(0), y.row(0));
  if (identity_inside()) {
    std::copy(x.row(u.frame_size()), x.row(u.size()), y.row(u.frame_size()));
    return;
  }
  const Model& model = u.frame->model();
  NodeRows nodes, forces;
  for (const MemberId id : model.members.ids()) {
    if (u.count[id] == 0) continue;
    const Block& block = blocks[id];
    gather(u.frame->dofs(), model.members[id], x, nodes);
    const auto xi = inner_rows(u, id, x);
    inner_rows(u, id, y).noalias() = block.coupling.transpose() * nodes + block.inner * xi;
    forces.noalias() = block.coupling * xi;
    scatter(u.frame->dofs(), model.members[id], forces, y);
  }
}

Eigen::MatrixXd BorderedMatrix::multiply(const InnerUnknowns& u, const Eigen::MatrixXd& X) const {
  Eigen::MatrixXd Y(X.rows(), X.cols());
  for_each_pack(X.rows(), X.cols(), [&](Eigen::Index first, Eigen::Index width) {
    const Pack x(X, first, width);
    Pack y(X.rows());
    multiply(u, x, y);
    y.copy_to(Y, first, width);
  });
  return Y;
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

bool BorderedFactor::eliminate(const BorderedMatrix& A, std::vector<double>& rest) {
  const int members = unknowns_.count.size();
  eliminated_ = IndexedVector<MemberId, Eliminated>(members);
  std::vector<int> negative(static_cast<std::size_t>(members), 0);
  std::vector<char> regular(static_cast<std::size_t>(members), 1);
  const auto schur = [&](MemberId id) -> Matrix12d {
    const int n = unknowns_.count[id];
    if (n == 0) return Matrix12d::Zero();
    const BorderedMatrix::Block& block = A.blocks[id];
    Eliminated& e = eliminated_[id];
    e.coupling = block.coupling;
    const Eigen::LLT<Eigen::MatrixXd> llt(block.inner);
    if (llt.info() == Eigen::Success && llt.rcond() > kVanished) {
      e.inverse = llt.solve(Eigen::MatrixXd::Identity(n, n));
    } else {
      const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> eigen(block.inner);
      const Eigen::VectorXd& d = eigen.eigenvalues();
      const auto at = static_cast<std::size_t>(id.value);
      negative[at] = static_cast<int>((d.array() < 0).count());
      if (d.cwiseAbs().minCoeff() <= kVanished * d.cwiseAbs().maxCoeff()) {
        regular[at] = 0;
        return Matrix12d::Zero();
      }
      e.inverse =
          eigen.eigenvectors() * d.cwiseInverse().asDiagonal() * eigen.eigenvectors().transpose();
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
  factor->own_ = std::make_unique<Factorisation>(unknowns.frame->pattern());
  const bool good = factor->own_->factorise(rest) == FactorStatus::positive_definite;
  return good ? std::move(factor) : nullptr;
}

std::unique_ptr<BorderedFactor> BorderedFactor::indefinite(
    const InnerUnknowns& unknowns, const BorderedMatrix& A,
    std::shared_ptr<const Analysis> analysis) {
  std::unique_ptr<BorderedFactor> factor(new BorderedFactor(unknowns));
  std::vector<double> rest;
  if (!factor->eliminate(A, rest)) return nullptr;
  if (unknowns.frame_size() > 0) {
    factor->indefinite_ =
        IndefiniteFactor::make(unknowns.frame->pattern(), rest, std::move(analysis));
    if (!factor->indefinite_) return nullptr;
    factor->negative_ += factor->indefinite_->negative_eigenvalues();
  }
  return factor;
}

void BorderedFactor::solve(Pack& pack) const {
  const InnerUnknowns& u = unknowns_;
  const Model& model = u.frame->model();
  NodeRows nodes;
  if (!eliminated_.empty()) {
    for (const MemberId id : model.members.ids()) {
      if (u.count[id] == 0) continue;
      const Eliminated& e = eliminated_[id];
      auto inner = inner_rows(u, id, pack);
      inner = (e.inverse * inner).eval();
      nodes.noalias() = -e.coupling * inner;
      scatter(u.frame->dofs(), model.members[id], nodes, pack);
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
  for (const MemberId id : model.members.ids()) {
    if (u.count[id] == 0) continue;
    const Eliminated& e = eliminated_[id];
    gather(u.frame->dofs(), model.members[id], pack, nodes);
    inner_rows(u, id, pack) -= e.inverse * (e.coupling.transpose() * nodes);
  }
}

Eigen::MatrixXd BorderedFactor::solve(Eigen::MatrixXd X) const {
  change_in_packs(X, [this](Pack& pack) { solve(pack); });
  return X;
}

}  // namespace ulterix
