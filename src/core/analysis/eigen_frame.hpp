#pragma once

#include <optional>
#include <vector>

#include "core/analysis/elastic_frame.hpp"
#include "core/element/linear_matrices.hpp"
#include "core/results/modes.hpp"
#include "core/results/recovery.hpp"
#include "core/solve/block_lanczos.hpp"
#include "core/solve/indefinite_factor.hpp"
#include "core/solve/inner_elimination.hpp"
#include "core/solve/packs.hpp"
#include "core/system/split_frame.hpp"

namespace ulterix {

/// A matrix of a split frame without the inner nodes of members.
struct Condensed {
  std::shared_ptr<const InnerElimination> inner;
  /// On the pattern of the unsplit frame; empty where a group is singular.
  std::vector<double> rest;
};

/// A split frame whose stiffness can be solved with, ready for eigenproblems.
struct EigenFrame {
  const ElasticFrame* whole = nullptr;
  SplitFrame split;
  std::vector<double> elastic;    ///< stiffness of the unloaded frame, on the split's pattern
  std::vector<double> stiffness;  ///< with what already acts (a constant load, a state)
  bool definite = false;

  const FrameSystem& system() const { return *split.system; }
  const SymmetricPattern& pattern() const { return split.system->pattern(); }

  /// Factorises `stiffness` anew; `definite` tells the outcome.
  void factorise();
  /// X = stiffness⁻¹·X.
  void solve(Eigen::MatrixXd& X) const;
  void solve(Pack& pack) const;
  /// The same for what is left without the inner nodes, to a few digits.
  void solve_rest_nearly(Pack& pack) const;
  /// `stiffness` without the inner nodes.
  Condensed condensed() const;

 private:
  const Factorisation& rest_factor() const;
  friend EigenFrame make_eigen_frame(
      const ElasticFrame& frame, const IndexedVector<MemberId, int>& counts,
      const std::function<std::vector<double>(const SplitFrame&)>& acting);
  std::shared_ptr<const InnerElimination> inner_;
  /// Of what is left without the inner nodes; empty where nothing acts: that of first-order.
  std::unique_ptr<Factorisation> own_;
};

/// `values` of a matrix on the frame's pattern.
Condensed condensed(const EigenFrame& frame, const std::vector<double>& values);

/// LDLᵀ of a matrix on an EigenFrame's pattern that may be indefinite, inner nodes first. The rest
/// of large frames is factorised in single numbers, where those tell the number of negative
/// eigenvalues, and solutions are near ones then.
class IndefiniteFrameFactor {
 public:
  enum class Keep { count_only, factor };
  /// Empty where pivots vanish.
  static std::optional<IndefiniteFrameFactor> make(const EigenFrame& frame,
                                                   const std::vector<double>& values, Keep keep);

  int negative_eigenvalues() const { return negative_; }
  /// K⁻¹ of a pack, in place. Precondition: the factor was kept.
  void solve(Pack& pack) const;
  /// The same for what is left without the inner nodes.
  void solve_rest(Pack& pack) const { outer_->solve_pack(pack.row(0)); }

  const Condensed& condensed() const { return condensed_; }

 private:
  Condensed condensed_;
  std::optional<IndefiniteFactor> outer_;
  int negative_ = 0;
};

/// `acting`: values to add to the elastic stiffness, made from the split; may be empty. `frame` has
/// to outlive the result.
EigenFrame make_eigen_frame(
    const ElasticFrame& frame, const IndexedVector<MemberId, int>& counts,
    const std::function<std::vector<double>(const SplitFrame&)>& acting = {});

/// Vectors of one split of `frame` as they are on another: cubic between the nodes of the first.
Eigen::MatrixXd carried_over(const Model& frame, const SplitFrame& from,
                             const Eigen::MatrixXd& vectors, const SplitFrame& to);

/// Frames of so many unknowns or more are large: their modes are found on the way that is fastest.
inline constexpr int kLargeFrame = 3000;
inline bool is_large(const FrameSystem& frame) {
  return frame.dofs().size() >= kLargeFrame;
}

/// How well modes are found: what small frames get for nothing costs large ones seconds.
struct ModeAccuracy {
  double split;     ///< relative error of a factor or frequency by the split, by its estimate
  double residual;  ///< of the solver; the value of a mode is good to the square of it
};
ModeAccuracy mode_accuracy(const FrameSystem& frame);

/// B·x = θ·K·x: vibration with B = M and θ = 1/ω², buckling with B = −Kg and θ = 1/λ. Its parts
/// have to outlive the problems made of it.
struct Pencil {
  const SymmetricPattern& pattern;
  const std::vector<double>&K, &B;
};
using SolvePack = std::function<void(Pack&)>;

/// With A = K⁻¹·B. `solve`: K⁻¹.
EigenProblem eigen_problem(const Pencil& pencil, const SolvePack& solve);

/// The same vectors with A = (σB − K)⁻¹·B, whose eigenvalues t = 1/(σ − λ), λ = 1/θ, are above 1/σ
/// for 0 < λ < σ alone: few and far from the rest. `solve`: (K − σB)⁻¹.
EigenProblem shifted_problem(const Pencil& pencil, double shift, const SolvePack& solve);

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
