#pragma once

#include "core/eigen/block_lanczos.hpp"
#include "core/modes/certificate.hpp"
#include "core/modes/mode_problem.hpp"

namespace ulterix {

/// Values closer than this are copies of one mode.
inline constexpr double kSameValue = 1e-5;

/// Frames of so many unknowns or more are large: residuals are asked for to fewer digits, since
/// values are good to their square.
inline constexpr int kLargeFrame = 3000;

struct ModeSearchOptions {
  int wanted = 5;
  double tolerance = 1e-6;  ///< of 1/θ, by the functions left out
  int functions = 0;        ///< of each member and plane at the least; 0: as the tolerance asks
  bool proven = true;       ///< false: the lowest values alone, without a count
  int most_vectors = 600;
  /// Modes from here on are not asked for, but one is always; 0: no limit.
  double limit = 0;
};

/// The modes of a problem, 1/θ rising, and the proof that none is missing.
struct FoundModes {
  VectorXd values;             ///< 1/θ, the shift of the problem in
  Eigen::MatrixXd vectors;     ///< φᵀKφ = 1
  Eigen::MatrixXd beside;      ///< vectors near the modes that come next; may be empty
  VectorXd residuals;          ///< ‖K⁻¹Bφ − θφ‖ over θ, in the norm of K
  std::vector<double> errors;  ///< of the values, by the functions left out
  Certificate certificate;     ///< of values
  double lowest_theta = 0;     ///< below 0: B has directions of the other sign
  bool converged = true;
  /// Members with so few functions that modes between their ends could be missing.
  bool fine = true;
  bool limited = false;  ///< fewer were looked for than wanted

  Eigen::Index count() const { return values.size(); }
};

/// A = K⁻¹·B of a problem that is built, which has to outlive the result.
EigenProblem eigen_problem(const ModeProblem& problem);

/// How many modes lie below a value, by the inertia of K − value·B; empty: it cannot be factorised.
std::optional<int> count_below(const ModeProblem& problem, double value);

/// Finds the lowest `wanted` modes, all copies of the last in, with as many functions as they need.
/// `problem`: built; it is built anew with more. `start`: vectors near the modes, of the unknowns
/// as they are numbered now, or of the frame's alone; may be empty.
FoundModes find_modes(ModeProblem& problem, const ModeSearchOptions& options,
                      const Eigen::MatrixXd& start = {});

}  // namespace ulterix
