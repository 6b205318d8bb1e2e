#include "core/sparse/conjugate_gradients.hpp"

#include <cmath>

namespace ulterix {

Preconditioner inverse_of(const Factorisation& factor) {
  return [&factor](const VectorXd& r) {
    Eigen::MatrixXd z = r;
    factor.solve(z);
    return VectorXd(z.col(0));
  };
}

Preconditioner inverse_diagonal(const SymmetricPattern& pattern,
                                const std::vector<double>& values) {
  VectorXd inverse(pattern.size);
  for (int j = 0; j < pattern.size; ++j) {
    const double d = values[static_cast<std::size_t>(pattern.column_start[j])];
    inverse[j] = d > 0 ? 1 / d : 0;
  }
  return [inverse](const VectorXd& r) { return VectorXd(inverse.cwiseProduct(r)); };
}

CgEnd conjugate_gradients(const SymmetricPattern& pattern, const std::vector<double>& values,
                          const Preconditioner& precondition, const VectorXd& b, VectorXd& x,
                          const CgOptions& options) {
  return conjugate_gradients([&](const VectorXd& p) { return multiply(pattern, values, p); },
                             precondition, b, x, options);
}

CgEnd conjugate_gradients(const LinearOperator& multiply_by, const Preconditioner& precondition,
                          const VectorXd& b, VectorXd& x, const CgOptions& options) {
  VectorXd r = b - multiply_by(x);
  VectorXd z = precondition(r);
  VectorXd p = z;
  double rz = r.dot(z);
  const double goal = options.tolerance * std::sqrt(std::abs(b.dot(precondition(b))));
  for (int i = 0; i < options.iterations; ++i) {
    if (std::sqrt(std::abs(rz)) <= goal) return CgEnd::converged;
    const VectorXd Kp = multiply_by(p);
    const double curvature = p.dot(Kp);
    if (!(curvature > 0)) return CgEnd::negative_curvature;
    const double step = rz / curvature;
    x += step * p;
    r -= step * Kp;
    z = precondition(r);
    const double next = r.dot(z);
    p = z + (next / rz) * p;
    rz = next;
  }
  return std::sqrt(std::abs(rz)) <= goal ? CgEnd::converged : CgEnd::iteration_limit;
}

}  // namespace ulterix
