#pragma once

#include <vector>

#include "core/analysis/elastic_frame.hpp"
#include "core/element/linear_matrices.hpp"
#include "core/results/modes.hpp"
#include "core/results/recovery.hpp"
#include "core/solve/block_lanczos.hpp"
#include "core/solve/inner_elimination.hpp"
#include "core/system/split_frame.hpp"

namespace ulterix {

/// A split frame whose stiffness can be solved with, ready for eigenproblems.
struct EigenFrame {
  const ElasticFrame* whole = nullptr;
  SplitFrame split;
  std::vector<double> elastic;    ///< stiffness of the unloaded frame, on the split's pattern
  std::vector<double> stiffness;  ///< with what already acts (a constant load, a state)
  bool definite = false;

  const FrameSystem& system() const { return *split.system; }
  const SymmetricPattern& pattern() const { return split.system->pattern(); }

  /// Factorises `stiffness`; `definite` tells the outcome.
  void factorise();
  /// X = stiffness⁻¹·X.
  void solve(Eigen::MatrixXd& X) const;

 private:
  friend EigenFrame make_eigen_frame(
      const ElasticFrame& frame, const IndexedVector<MemberId, int>& counts,
      const std::function<std::vector<double>(const SplitFrame&)>& acting);
  /// Nothing acts: inner nodes are eliminated, and the factor of first-order is used again.
  std::unique_ptr<InnerElimination> inner_;
  std::unique_ptr<Factorisation> own_;
};

/// `acting`: values to add to the elastic stiffness, made from the split; may be empty. `frame` has
/// to outlive the result.
EigenFrame make_eigen_frame(
    const ElasticFrame& frame, const IndexedVector<MemberId, int>& counts,
    const std::function<std::vector<double>(const SplitFrame&)>& acting = {});

/// How well modes are found: what small frames get for nothing costs large ones seconds.
struct ModeAccuracy {
  double split;     ///< relative error of a factor or frequency by the split, by its estimate
  double residual;  ///< of the solver; the value of a mode is good to the square of it
};
ModeAccuracy mode_accuracy(const FrameSystem& frame);

/// B·x = θ·K·x on the frame. `values` live on its pattern and have to outlive the problem.
EigenProblem eigen_problem(const EigenFrame& frame, const std::vector<double>& values);

/// Axial force along one piece, by the two Gauss points of the member's own line.
LinearAlong axial_along(const MemberLine& line, const PieceOf& piece);

/// Geometric stiffness values for axial forces of the pieces.
std::vector<double> geometric_values(const SplitFrame& split,
                                     const IndexedVector<MemberId, LinearAlong>& axial);

/// Axial forces of all pieces in a state of the whole frame.
IndexedVector<MemberId, LinearAlong> piece_forces(const Recovery& state, const SplitFrame& split);

/// The shape of a vector of unknowns, normalised; `scale` is what it was multiplied by.
ModeShape mode_shape(const FrameSystem& frame, const EigenFrame& eigen, const VectorXd& phi,
                     double* scale = nullptr);

/// Strain energies of the members in a vector, and of each piece in bending about y and z.
struct ModeEnergy {
  IndexedVector<MemberId, MemberShare> shares;  ///< of the members, sums with springs to 1
  IndexedVector<MemberId, MemberShare> pieces;
  double elastic = 0;  ///< φᵀKφ of the unloaded frame, J: twice what the shares are parts of
};
/// Of each column of unknowns.
std::vector<ModeEnergy> mode_energies(const FrameSystem& frame, const EigenFrame& eigen,
                                      const Eigen::MatrixXd& vectors);

}  // namespace ulterix
