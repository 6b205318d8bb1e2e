#pragma once

#include "core/modes/bordered_matrix.hpp"
#include "core/modes/mode_member.hpp"
#include "core/parallel.hpp"

namespace ulterix {

/// B·φ = θ·K·φ on a frame and its members' functions: vibration with B = M and θ = 1/ω², buckling
/// with B = −Kg and θ = 1/λ. K is the first-order stiffness of the frame, whose factor is there,
/// and the identity on the functions, unless something acts already.
class ModeProblem {
 public:
  struct Input {
    const FrameSystem* frame = nullptr;
    const Factorisation* factor = nullptr;  ///< of first-order
    const std::vector<double>* stiffness = nullptr;
    Driver driver = Driver::mass;
    IndexedVector<MemberId, ModeMember> members;
    IndexedVector<NodeId, Matrix6d> nodal;  ///< of B, global; may be empty
  };
  using Counts = IndexedVector<MemberId, FunctionCounts>;

  explicit ModeProblem(Input input);

  /// Builds the matrices with so many functions; false if K is not positive definite: what acts
  /// already is too much, or the frame is free.
  bool build(const Counts& counts);
  /// K + shift·B takes the place of K, for a frame that moves freely where mass is.
  bool shift_by(double shift);
  double shift() const { return shift_; }

  const Input& input() const { return input_; }
  const Counts& counts() const { return counts_; }
  const InnerUnknowns& unknowns() const { return unknowns_; }
  const FrameSystem& frame() const { return *input_.frame; }
  const ModeMember& member(MemberId id) const { return input_.members[id]; }
  Driver driver() const { return input_.driver; }
  bool has_state() const { return has_state_; }
  const BorderedMatrix& K() const { return K_; }
  const BorderedMatrix& B() const { return B_; }
  const BorderedFactor& factor() const { return *factor_; }

  /// Calls act(shapes, id) for every member that is there, on all threads: `shapes` gives those of
  /// members met before, on which no result may depend.
  template <class Act>
  void for_each_member(const Act& act) const {
    for_each_with(shapes_, input_.members.size(), [&](ShapeCache& shapes, int i) {
      const MemberId id(i);
      if (frame().situation().present[id]) act(shapes, id);
    });
  }

  /// Vectors of other counts as they are with these: a function that is new is 0.
  Eigen::MatrixXd carried_over(const Eigen::MatrixXd& vectors, const Counts& from) const;

  /// Modes of a problem, and what they are written on.
  struct Modes {
    Eigen::MatrixXd vectors;
    Counts counts;
    IndexedVector<MemberId, int> inner;
  };
  /// Modes of the same frame under other loads, as they are with these counts: without functions
  /// where members are cut elsewhere. Empty where there are none, or the frame is another.
  Eigen::MatrixXd carried_over(const Modes& modes) const;

  /// Node motions of a vector.
  void set_motion(const VectorXd& phi, State& state) const;
  /// Vectors in columns of which whole rows are read.
  using ByRows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
  /// Coefficients of a member's shapes (12 nodal, local, then its functions) in vectors, a column
  /// each.
  Eigen::MatrixXd coefficients(MemberId id, const ByRows& vectors) const;

 private:
  InnerUnknowns number(const Counts& counts) const;

  Input input_;
  Counts counts_;
  InnerUnknowns unknowns_;
  BorderedMatrix K_, B_;
  std::unique_ptr<BorderedFactor> factor_;
  mutable OneForEachThread<ShapeCache> shapes_;
  bool has_state_ = false;
  double shift_ = 0;
};

/// The error that the functions left out leave in each mode, and which members it comes from.
struct ModeErrors {
  std::vector<double> total;  ///< of 1/θ, relative, of each mode
  struct Part {
    double wave = 0;       ///< (kL/2)² of its spans at the last mode: how fast more functions help
    bool too_few = false;  ///< whatever the estimate says
  };
  /// Four of each member, by family; without error where it has no functions.
  std::vector<Part> parts;
  /// A row each part, a column each mode: what the next function brings, and all those after it.
  Eigen::MatrixXd next, rest;

  static std::size_t row_of(MemberId member, Family family) {
    return 4 * static_cast<std::size_t>(member.value) + at(family);
  }
};

/// r = (λ·B − K₀)_fφ of the next two functions f of every member (four where it has many), and rᵀ(I
/// + K₀ − λB)_ff⁻¹r over φᵀKφ. `values`: λ or ω² (without the shift) of the vectors, which have
/// φᵀKφ = 1. Functions are too few where the lowest eigenvalue of (I + K₀ − λB)_ff of the next two
/// at the last value is below 0.3·(1 − P/GAv).
ModeErrors estimate_errors(const ModeProblem& problem, const VectorXd& values,
                           const Eigen::MatrixXd& vectors);

/// Functions that bring the error of each of the first `wanted` modes below the tolerance, with the
/// fewest added; the counts themselves where they do.
ModeProblem::Counts enough_functions(const ModeProblem& problem, const ModeErrors& errors,
                                     int wanted, double tolerance);

}  // namespace ulterix
