#include "core/solve/conjugate_gradients.hpp"

#include <cmath>

namespace ulterix {

namespace {

VectorXd precondition(const Factorisation& preconditioner, const VectorXd& r) {
  Eigen::MatrixXd z = r;
  preconditioner.solve(z);
  return z.col(0);
}

}  // namespace

CgEnd conjugate_gradients(const SymmetricPattern& pattern, const std::vector<double>& values,
                          const Factorisation& preconditioner, const VectorXd& b, VectorXd& x,
                          const CgOptions& options) {
  VectorXd r = b - multiply(pattern, values, x);
  VectorXd z = precondition(preconditioner, r);
  VectorXd p = z;
  double rz = r.dot(z);
  const double goal =
      options.tolerance * std::sqrt(std::abs(b.dot(precondition(preconditioner, b))));
  for (int i = 0; i < options.iterations; ++i) {
    if (std::sqrt(std::abs(rz)) <= goal) return CgEnd::converged;
    const VectorXd Kp = multiply(pattern, values, p);
    const double curvature = p.dot(Kp);
    if (!(curvature > 0)) return CgEnd::negative_curvature;
    const double step = rz / curvature;
    x += step * p;
    r -= step * Kp;
    z = precondition(preconditioner, r);
    const double next = r.dot(z);
    p = z + (next / rz) * p;
    rz = next;
  }
  return std::sqrt(std::abs(rz)) <= goal ? CgEnd::converged : CgEnd::iteration_limit;
}

}  // namespace ulterix
