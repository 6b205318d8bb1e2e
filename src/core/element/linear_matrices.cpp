#include "core/element/linear_matrices.hpp"

#include <array>

namespace ulterix {

namespace {

// Gauss–Legendre on [0, 1], five points: exact for a linear load on the square of a cubic.
constexpr std::array<double, 5> kPoints = {0.046910077030668, 0.230765344947158, 0.5,
                                           0.769234655052842, 0.953089922969332};
constexpr std::array<double, 5> kWeights = {0.118463442528095, 0.239314335249683, 0.284444444444444,
                                            0.239314335249683, 0.118463442528095};

constexpr std::array<int, 4> kZPlane = {2, 4, 8, 10};
constexpr std::array<int, 4> kYPlane = {1, 5, 7, 11};

Vector4d signs(bool z_plane) {
  return z_plane ? Vector4d(1, -1, 1, -1) : Vector4d(1, 1, 1, 1);
}

/// Adds a matrix over (w1, psi1, w2, psi2) of one plane.
void add_plane(const Matrix4d& part, bool z_plane, Matrix12d& whole) {
  const auto& directions = z_plane ? kZPlane : kYPlane;
  const Vector4d s = signs(z_plane);
  for (int i = 0; i < 4; ++i) {
    for (int j = 0; j < 4; ++j) whole(directions[i], directions[j]) += s[i] * s[j] * part(i, j);
  }
}

double shear_ratio(const ElementProperties& p, bool z_plane) {
  const double EI = z_plane ? p.EIy : p.EIz;
  const double flexibility = z_plane ? p.shear_flexibility_z : p.shear_flexibility_y;
  return 12 * EI * flexibility / (p.length * p.length);
}

void add_along(int a, int b, double k, Matrix12d& K) {
  K(a, a) += k;
  K(b, b) += k;
  K(a, b) -= k;
  K(b, a) -= k;
}

}  // namespace

BeamShape beam_shape(double xi, double L, double phi) {
  const double x2 = xi * xi, x3 = x2 * xi, c = 1 / (1 + phi);
  BeamShape s;
  s.w << c * (1 - 3 * x2 + 2 * x3 + phi * (1 - xi)),
      c * L * (xi - 2 * x2 + x3 + phi / 2 * (xi - x2)), c * (3 * x2 - 2 * x3 + phi * xi),
      c * L * (-x2 + x3 + phi / 2 * (x2 - xi));
  s.slope << c / L * (-6 * xi + 6 * x2 - phi), c * (1 - 4 * xi + 3 * x2 + phi / 2 * (1 - 2 * xi)),
      c / L * (6 * xi - 6 * x2 + phi), c * (-2 * xi + 3 * x2 + phi / 2 * (2 * xi - 1));
  s.psi << 6 * c / L * (x2 - xi), c * (1 - 4 * xi + 3 * x2 + phi * (1 - xi)),
      -6 * c / L * (x2 - xi), c * (3 * x2 - 2 * xi + phi * xi);
  return s;
}

Matrix12d geometric_stiffness(const ElementProperties& p, const LinearAlong& N,
                              const ActiveMotions& motions) {
  Matrix12d K = Matrix12d::Zero();
  if (p.kind != MemberKind::frame) {
    if (motions.bends_in_y) add_along(1, 7, N.mean() / p.length, K);
    if (motions.bends_in_z) add_along(2, 8, N.mean() / p.length, K);
    return K;
  }
  for (const bool z_plane : {true, false}) {
    if (!(z_plane ? motions.bends_in_z : motions.bends_in_y)) continue;
    if ((z_plane ? p.EIy : p.EIz) <= 0) {  // carries no bending: the chord turns
      add_along(z_plane ? 2 : 1, z_plane ? 8 : 7, N.mean() / p.length, K);
      continue;
    }
    const double phi = shear_ratio(p, z_plane);
    Matrix4d part = Matrix4d::Zero();
    for (std::size_t i = 0; i < kPoints.size(); ++i) {
      const Vector4d slope = beam_shape(kPoints[i], p.length, phi).slope;
      part += kWeights[i] * p.length * N.at(kPoints[i]) * slope * slope.transpose();
    }
    add_plane(part, z_plane, K);
  }
  if (motions.twists) add_along(3, 9, N.mean() * p.r2 / p.length, K);
  return K;
}

Matrix12d mass_matrix(const ElementProperties& p, const LineMass& mass, bool lumped) {
  Matrix12d M = Matrix12d::Zero();
  const double L = p.length;
  if (lumped) {
    // Each half of the piece to its end.
    const double first = L * (3 * mass.translation.start + mass.translation.end) / 8;
    const double last = L * (mass.translation.start + 3 * mass.translation.end) / 8;
    for (int d = 0; d < 3; ++d) {
      M(d, d) = first;
      M(d + 6, d + 6) = last;
    }
    M(3, 3) = M(9, 9) = mass.about_x * L / 2;
    return M;
  }
  for (std::size_t i = 0; i < kPoints.size(); ++i) {
    const double xi = kPoints[i], dm = kWeights[i] * L * mass.translation.at(xi);
    const double a = 1 - xi, b = xi;
    M(0, 0) += dm * a * a;
    M(0, 6) += dm * a * b;
    M(6, 0) += dm * a * b;
    M(6, 6) += dm * b * b;
  }
  M(3, 3) = M(9, 9) = mass.about_x * L / 3;
  M(3, 9) = M(9, 3) = mass.about_x * L / 6;
  for (const bool z_plane : {true, false}) {
    const bool bends = p.kind == MemberKind::frame && (z_plane ? p.EIy : p.EIz) > 0;
    const double rotary = z_plane ? mass.about_y : mass.about_z;
    const double phi = bends ? shear_ratio(p, z_plane) : 0;
    Matrix4d part = Matrix4d::Zero();
    for (std::size_t i = 0; i < kPoints.size(); ++i) {
      const double xi = kPoints[i], weight = kWeights[i] * L;
      BeamShape s = beam_shape(xi, L, phi);
      if (!bends) {  // a straight line between its ends
        s.w << 1 - xi, 0, xi, 0;
        s.psi.setZero();
      }
      part += weight * (mass.translation.at(xi) * s.w * s.w.transpose() +
                        rotary * s.psi * s.psi.transpose());
    }
    add_plane(part, z_plane, M);
  }
  return M;
}

Matrix12d end_motion(const Element& unloaded) {
  Matrix12d T;
  for (int i = 0; i < 12; ++i) {
    T.col(i) = Vector12d::Unit(i) + unloaded.joint_motion(Vector12d::Unit(i));
  }
  return T;
}

}  // namespace ulterix
