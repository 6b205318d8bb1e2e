#include "core/element/corotational_piece.hpp"

#include <cmath>

#include "core/dense/symmetric_eigen.hpp"
#include "core/element/finite_rotation.hpp"

namespace ulterix {

using Eigen::VectorXd;

namespace {

using namespace finite_rotation;  // NOLINT: its names are those of the formulas below

/// Slopes within the chord's axes from the rotations of the sections at the two ends: w' and the
/// turn psi of the section are a·θ1 + b·θ2 at ξ. `phi`: 12·EI/(GAv·L²).
struct EndWeights {
  double a, b;
};
EndWeights section_turn(double phi, double xi) {
  return {((1 - 4 * xi + 3 * xi * xi) + phi * (1 - xi)) / (1 + phi),
          ((3 * xi * xi - 2 * xi) + phi * xi) / (1 + phi)};
}
/// The axis' distance from the chord over the length.
EndWeights distance(double phi, double xi) {
  const double x2 = xi * xi, x3 = x2 * xi;
  const double shear = phi / 2 * (xi - x2) / (1 + phi);
  return {(xi - 2 * x2 + x3) / (1 + phi) + shear, (x3 - x2) / (1 + phi) - shear};
}

// Gauss points of [0, 1] for polynomials up to degree 7.
constexpr std::array<double, 4> kPoints = {0.069431844202973712, 0.33000947820757187,
                                           0.66999052179242813, 0.93056815579702629};
constexpr std::array<double, 4> kWeights = {0.17392742256872693, 0.32607257743127307,
                                            0.32607257743127307, 0.17392742256872693};

/// ∫ w'² dξ as a quadratic form of the two rotations.
std::array<double, 3> bowing_form(double phi) {
  std::array<double, 3> form = {0, 0, 0};
  for (std::size_t g = 0; g < 4; ++g) {
    EndWeights s = section_turn(phi, kPoints[g]);
    const double shear = -phi / 2 / (1 + phi);
    s.a += shear;
    s.b += shear;
    form[0] += kWeights[g] * s.a * s.a;
    form[1] += kWeights[g] * 2 * s.a * s.b;
    form[2] += kWeights[g] * s.b * s.b;
  }
  return form;
}

template <class T>
T quadratic(const std::array<double, 3>& form, const T& a, const T& b) {
  return form[0] * square(a) + form[1] * (a * b) + form[2] * square(b);
}

double shear_ratio(double EI, double shear_flexibility, double length) {
  return 12 * EI * shear_flexibility / (length * length);
}

/// How a transverse load of 1 N/m deforms a piece between held ends, by bending or by shear:
/// products ∫ dξ of its slope with those of turned ends, and the energy that it brings.
struct HeldShape {
  double with_start = 0, with_end = 0, energy = 0;
};
/// `slope`: of that shape at ξ.
template <class Slope>
HeldShape held_shape(double phi, double energy, const Slope& slope) {
  HeldShape s;
  s.energy = energy;
  for (std::size_t g = 0; g < 4; ++g) {
    const EndWeights turn = section_turn(phi, kPoints[g]);
    s.with_start += kWeights[g] * slope(kPoints[g]) * turn.a;
    s.with_end += kWeights[g] * slope(kPoints[g]) * turn.b;
  }
  return s;
}
HeldShape held_bending(double EI, double phi, double L) {
  if (EI <= 0) return {};
  return held_shape(phi, L * L * L * L * L / (1440 * EI), [EI, L](double xi) {
    return (1 - 2 * xi) * L * L * L / (12 * EI) * xi * (1 - xi);
  });
}
HeldShape held_shear(double shear_flexibility, double phi, double L) {
  return held_shape(phi, L * L * L * shear_flexibility / 24, [shear_flexibility, L](double xi) {
    return (1 - 2 * xi) * L * shear_flexibility / 2;
  });
}

/// Curvatures and twist (1/m) of a piece over its length, by local axis, and the moments there.
template <class T>
struct MeanBending {
  Triple<T> curvature, moment;
};

/// Energy of fourth order beside coupling(), without which the error of a piece that is bent and
/// twisted falls with the square of its length only. Parabolas of θz and θy, of the means
/// −close_y/L and close_z/L, close the chord; against them, shear and a parabola of θx follow
/// M·(k×δ), what the moments M of the curvatures k work on further turns δ.
template <class T>
T coupling_of_fourth_order(const ElementProperties& s, double phi_z, double phi_y,
                           const MeanBending<T>& mean, const T& close_y, const T& close_z) {
  const double L = s.length;
  const Triple<T>& k = mean.curvature;
  const Triple<T> work = cross(mean.moment, k);
  const double in_y = 6 * s.EIz / (L * L * L * (1 + phi_y)),
               in_z = 6 * s.EIy / (L * L * L * (1 + phi_z));
  const T closed = in_y * square(close_y) + in_z * square(close_z) -
                   (1 / (1 + phi_y)) * (work[2] * close_y) +
                   (1 / (1 + phi_z)) * (work[1] * close_z);
  const auto followed = [L](const T& by, double stiffness) {
    return stiffness > 0 ? (L * L * L / (24 * stiffness)) * square(by) : T(0.0);
  };
  T less = followed(work[0], s.GJ);
  if (phi_y > 0) less += followed(work[2], s.EIz * (1 + 1 / phi_y));
  if (phi_z > 0) less += followed(work[1], s.EIy * (1 + 1 / phi_z));
  // No more than the energy there is, in a piece that is too long for this.
  const double nothing = 1e-25 * (s.EIy + s.EIz + s.GJ) / L;
  const T whole = (L / 2) * (s.GJ * square(k[0]) + s.EIy * square(k[1]) + s.EIz * square(k[2]));
  return closed - less * whole * reciprocal(less + whole + nothing);
}

/// Energy of third order that couples bending in the two planes and twist in a piece: curvatures
/// are θ' − θ×θ'/2 in the section's axes, and the slopes of the axis θz + θx·θy/2 and −θy + θx·θz/2
/// have to close the chord.
template <class T>
T coupling(const ElementProperties& s, double phi_z, double phi_y, const Triple<T>& start,
           const Triple<T>& end, const MeanBending<T>& mean) {
  const double L = s.length;
  // ∫ over the length of products of the shapes of θy, θz and θx at the two ends.
  std::array<std::array<double, 2>, 2> rate_y{}, rate_z{}, twist_y{}, twist_z{};
  std::array<std::array<std::array<double, 2>, 2>, 2> rates{};
  for (std::size_t g = 0; g < 4; ++g) {
    const double xi = kPoints[g], w = kWeights[g];
    const auto shapes = [xi](double phi) {
      const EndWeights t = section_turn(phi, xi);
      return std::array<double, 2>{t.a, t.b};
    };
    const auto slopes = [xi](double phi) {
      return std::array<double, 2>{(6 * xi - 4 - phi) / (1 + phi), (6 * xi - 2 + phi) / (1 + phi)};
    };
    const std::array<double, 2> y = shapes(phi_z), z = shapes(phi_y), dy = slopes(phi_z),
                                dz = slopes(phi_y), x = {1 - xi, xi};
    for (std::size_t i = 0; i < 2; ++i) {
      for (std::size_t j = 0; j < 2; ++j) {
        rate_y[i][j] += w * dy[i] * z[j];
        rate_z[i][j] += w * y[i] * dz[j];
        twist_y[i][j] += w * L * x[i] * y[j] / 2;
        twist_z[i][j] += w * L * x[i] * z[j] / 2;
        for (std::size_t k = 0; k < 2; ++k) rates[k][i][j] += w * x[k] * dy[i] * dz[j] / L;
      }
    }
  }
  const std::array<const Triple<T>*, 2> ends = {&start, &end};
  T P(0.0), Q(0.0), at_start(0.0), at_end(0.0), close_y(0.0), close_z(0.0);
  for (std::size_t i = 0; i < 2; ++i) {
    T with_y(0.0), with_z(0.0);
    for (std::size_t j = 0; j < 2; ++j) {
      const T yz = (*ends[i])[1] * (*ends[j])[2];
      P += rate_y[i][j] * yz;
      Q += rate_z[i][j] * yz;
      at_start += rates[0][i][j] * yz;
      at_end += rates[1][i][j] * yz;
      with_y += twist_y[i][j] * (*ends[j])[1];
      with_z += twist_z[i][j] * (*ends[j])[2];
    }
    close_y += (*ends[i])[0] * with_y;
    close_z += (*ends[i])[0] * with_z;
  }
  const T S = start[0] * at_start + end[0] * at_end;
  const T twist = (1 / L) * (end[0] - start[0]);
  const double in_y = 6 * s.EIz / (L * L * (1 + phi_y)), in_z = 6 * s.EIy / (L * L * (1 + phi_z));
  return (-0.5) * (twist * (s.EIy * P - s.EIz * Q + s.GJ * (Q - P)) + (s.EIz - s.EIy) * S) +
         in_y * ((start[2] + end[2]) * close_y) - in_z * ((start[1] + end[1]) * close_z) +
         coupling_of_fourth_order(s, phi_z, phi_y, mean, close_y, close_z);
}

/// The y and z axes that a quaternion turns global axes into.
template <class T>
std::array<Triple<T>, 2> across(const Quad<T>& m) {
  const Triple<T> ey = {2.0 * (m[0] * m[1] - m[3] * m[2]),
                        -2.0 * (square(m[0]) + square(m[2])) + 1.0,
                        2.0 * (m[1] * m[2] + m[3] * m[0])};
  const Triple<T> ez = {2.0 * (m[0] * m[2] + m[3] * m[1]), 2.0 * (m[1] * m[2] - m[3] * m[0]),
                        -2.0 * (square(m[0]) + square(m[1])) + 1.0};
  return {ey, ez};
}

/// One end of a piece: displacement and the turn of its section from global axes.
template <class T>
struct PieceEnd {
  Triple<T> u;
  Quad<T> section;
};

/// What the energy is made of.
template <class T>
struct Deformation {
  T elongation, strain_energy, load_work, mean_strain_force;
  Quad<T> chord;
  Triple<T> start, end;  // rotations of the sections against the chord, its axes
};

/// The chord's axes and the turns of the sections against them; `e`: along the chord.
template <class T>
void turn_from_chord(const PieceEnd<T>& a, const PieceEnd<T>& b, const Triple<T>& e,
                     Deformation<T>& d) {
  using std::sqrt;
  // The mean of the two sections, its x turned onto the chord.
  double cosine = 0;
  for (std::size_t i = 0; i < 4; ++i) cosine += number(a.section[i]) * number(b.section[i]);
  Quad<T> mean;
  for (std::size_t i = 0; i < 4; ++i) {
    mean[i] = a.section[i] + (cosine < 0 ? -1.0 : 1.0) * b.section[i];
  }
  const T size = square(mean[0]) + square(mean[1]) + square(mean[2]) + square(mean[3]);
  const T inverse = reciprocal(sqrt(size));
  for (T& m : mean) m = m * inverse;
  const Triple<T> r = {-2.0 * (square(mean[1]) + square(mean[2])) + 1.0,
                       2.0 * (mean[0] * mean[1] + mean[3] * mean[2]),
                       2.0 * (mean[0] * mean[2] - mean[3] * mean[1])};
  const T c = dot(r, e);
  const T half = reciprocal(sqrt(2.0 * (c + 1.0)));
  const Triple<T> axis = cross(r, e);
  const Quad<T> onto = {axis[0] * half, axis[1] * half, axis[2] * half, (c + 1.0) * half};
  d.chord = product(onto, mean);
  const Quad<T> back = conjugate(d.chord);
  d.start = logarithm(product(back, a.section));
  d.end = logarithm(product(back, b.section));
}

/// Axial kinds: one-way ones are nothing where the force has the other sign.
template <class T>
void strain_axial(const PieceProperties& p, double factor, Deformation<T>& d) {
  const ElementProperties& s = p.stiffness;
  d.mean_strain_force =
      (s.EA / s.length) * d.elongation + (s.initial_force + factor * p.held_force);
  d.strain_energy = s.initial_force * d.elongation + (s.EA / (2 * s.length)) * square(d.elongation);
  d.load_work = (-p.held_force) * d.elongation;
  const int sign = one_way_sign(s.kind);
  const bool gone = sign != 0 && !s.idle && sign * number(d.mean_strain_force) < 0;
  if (gone) d.mean_strain_force = d.strain_energy = d.load_work = T(0.0);
}

/// Curvatures of a piece as its strains know them, over its length: of w'' and v'', with the part
/// of second order by which bending in one plane and twist make curvature in the other.
template <class T>
std::array<T, 2> whole_curvatures(double phi_z, double phi_y, const Triple<T>& start,
                                  const Triple<T>& end) {
  const std::array<const Triple<T>*, 2> ends = {&start, &end};
  T of_y = end[1] - start[1], of_z = end[2] - start[2];
  for (std::size_t g = 0; g < 4; ++g) {
    const double xi = kPoints[g];
    const EndWeights y = section_turn(phi_z, xi), z = section_turn(phi_y, xi);
    const std::array<double, 2> shape_y = {y.a, y.b}, shape_z = {z.a, z.b}, shape_x = {1 - xi, xi};
    const std::array<double, 2> rate_y = {(6 * xi - 4 - phi_z) / (1 + phi_z),
                                          (6 * xi - 2 + phi_z) / (1 + phi_z)};
    const std::array<double, 2> rate_z = {(6 * xi - 4 - phi_y) / (1 + phi_y),
                                          (6 * xi - 2 + phi_y) / (1 + phi_y)};
    T x(0.0), ty(0.0), tz(0.0), dy(0.0), dz(0.0);
    for (std::size_t i = 0; i < 2; ++i) {
      x += shape_x[i] * (*ends[i])[0];
      ty += shape_y[i] * (*ends[i])[1];
      tz += shape_z[i] * (*ends[i])[2];
      dy += rate_y[i] * (*ends[i])[1];
      dz += rate_z[i] * (*ends[i])[2];
    }
    const T dx = end[0] - start[0];
    of_y += (-kWeights[g] / 2) * (tz * dx - x * dz);
    of_z += (-kWeights[g] / 2) * (x * dy - ty * dx);
  }
  return {-1.0 * of_y, of_z};
}

/// Work of the loads along a piece: on the chord, and on the distance of the axis from it.
template <class T>
T work_of_loads(const PieceProperties& p, const PieceEnd<T>& a, const PieceEnd<T>& b, const T& l,
                double phi_z, double phi_y, const Deformation<T>& d) {
  const double L = p.stiffness.length;
  const Vector3d sum = (p.load_start + p.load_end) * (L / 2);
  const Vector3d at_end = (p.load_start + 2 * p.load_end) * (L / 6);
  T work(0.0);
  for (std::size_t i = 0; i < 3; ++i) {
    const auto k = static_cast<Eigen::Index>(i);
    work += (sum[k] - at_end[k]) * a.u[i] + at_end[k] * b.u[i];
  }
  Vector3d w1 = Vector3d::Zero(), w2 = w1, v1 = w1, v2 = w1;
  for (std::size_t g = 0; g < 4; ++g) {
    const double xi = kPoints[g];
    const Vector3d q = kWeights[g] * L * L * ((1 - xi) * p.load_start + xi * p.load_end);
    const EndWeights w = distance(phi_z, xi), v = distance(phi_y, xi);
    w1 -= w.a * q;
    w2 -= w.b * q;
    v1 += v.a * q;
    v2 += v.b * q;
  }
  const auto [ey, ez] = across(d.chord);
  const auto along = [](const Vector3d& f, const Triple<T>& axis_of) {
    return f[0] * axis_of[0] + f[1] * axis_of[1] + f[2] * axis_of[2];
  };
  // The distance from the chord grows with the chord's own length.
  return work + (1 / L) * (l * (along(w1, ez) * d.start[1] + along(w2, ez) * d.end[1] +
                                along(v1, ey) * d.start[2] + along(v2, ey) * d.end[2]));
}

/// Work of moments along a piece on the turn of its sections against the chord, less that of their
/// shares at the nodes.
template <class T>
T work_of_moments(const PieceProperties& p, double phi_z, double phi_y, const Deformation<T>& d) {
  const double L = p.stiffness.length;
  const Vector3d at_start = (2 * p.moment_start + p.moment_end) * (L / 6);
  const Vector3d at_end = (p.moment_start + 2 * p.moment_end) * (L / 6);
  Vector3d y1 = -at_start, y2 = -at_end, z1 = y1, z2 = y2;
  for (std::size_t g = 0; g < 4; ++g) {
    const double xi = kPoints[g];
    const Vector3d m = kWeights[g] * L * ((1 - xi) * p.moment_start + xi * p.moment_end);
    const EndWeights about_y = section_turn(phi_z, xi), about_z = section_turn(phi_y, xi);
    y1 += about_y.a * m;
    y2 += about_y.b * m;
    z1 += about_z.a * m;
    z2 += about_z.b * m;
  }
  const auto [ey, ez] = across(d.chord);
  const auto along = [](const Vector3d& f, const Triple<T>& axis_of) {
    return f[0] * axis_of[0] + f[1] * axis_of[1] + f[2] * axis_of[2];
  };
  return along(y1, ey) * d.start[1] + along(y2, ey) * d.end[1] + along(z1, ez) * d.start[2] +
         along(z2, ez) * d.end[2];
}

template <class T>
Deformation<T> deform(const PieceProperties& p, const PieceEnd<T>& a, const PieceEnd<T>& b,
                      double factor) {
  const ElementProperties& s = p.stiffness;
  const double L = s.length;
  Deformation<T> d;
  Triple<T> du, x;
  for (std::size_t i = 0; i < 3; ++i) {
    du[i] = b.u[i] - a.u[i];
    x[i] = du[i] + p.drawn[static_cast<Eigen::Index>(i)];
  }
  using std::sqrt;
  const T l = sqrt(dot(x, x));
  // l − L without the cancellation of two lengths.
  const T grown =
      2 * p.drawn[0] * du[0] + 2 * p.drawn[1] * du[1] + 2 * p.drawn[2] * du[2] + dot(du, du);
  d.elongation = grown * reciprocal(l + L);
  const bool loaded = !p.load_start.isZero(0) || !p.load_end.isZero(0);
  d.load_work = T(0.0);
  if (s.kind != MemberKind::frame) {
    strain_axial(p, factor, d);
    return d;
  }
  const T inverse_l = reciprocal(l);
  const Triple<T> e = {x[0] * inverse_l, x[1] * inverse_l, x[2] * inverse_l};
  turn_from_chord(a, b, e, d);
  const T twist = d.end[0] - d.start[0];
  // Slope of the section psi is -θy in the z plane and θz in the y plane: the forms are even.
  const double phi_z = shear_ratio(s.EIy, s.shear_flexibility_z, L);
  const double phi_y = shear_ratio(s.EIz, s.shear_flexibility_y, L);
  const auto bowing = [&](const auto& at_start, const auto& at_end) {
    return quadratic(bowing_form(phi_z), at_start[1], at_end[1]) +
           quadratic(bowing_form(phi_y), at_start[2], at_end[2]);
  };
  const std::array<Vector3d, 2>& drawn = p.drawn_turns;
  T bow = bowing(d.start, d.end) + (s.r2 / (L * L)) * square(twist);
  if (p.bowed) bow += -bowing(drawn[0], drawn[1]);
  // Turns that bend it, and do not lie in how it is drawn.
  const auto bent_by = [](const Triple<T>& turn, const Vector3d& as_drawn) {
    return Triple<T>{turn[0] + -as_drawn[0], turn[1] + -as_drawn[1], turn[2] + -as_drawn[2]};
  };
  std::array<Triple<T>, 2> bent;
  if (p.bowed) bent = {bent_by(d.start, drawn[0]), bent_by(d.end, drawn[1])};
  const Triple<T>& bent_start = p.bowed ? bent[0] : d.start;
  const Triple<T>& bent_end = p.bowed ? bent[1] : d.end;
  // Between held ends the loads bend and shear the piece.
  T held(0.0);  // energy of that
  Triple<T> along_axes = {T(0.0), T(0.0), T(0.0)};
  if (loaded && factor != 0) {
    const Vector3d load = factor / 2 * (p.load_start + p.load_end);
    const auto [own_y, own_z] = across(d.chord);
    const auto along = [&load](const Triple<T>& axis_of) {
      return load[0] * axis_of[0] + load[1] * axis_of[1] + load[2] * axis_of[2];
    };
    along_axes = {along(e), along(own_y), along(own_z)};
    const HeldShape z = held_bending(s.EIy, phi_z, L), y = held_bending(s.EIz, phi_y, L);
    bow += -2.0 * (along_axes[2] * (z.with_start * d.start[1] + z.with_end * d.end[1])) +
           2.0 * (along_axes[1] * (y.with_start * d.start[2] + y.with_end * d.end[2]));
    held += (-z.energy) * square(along_axes[2]) + (-y.energy) * square(along_axes[1]);
    if (s.EA > 0) held += (-L * L * L / (24 * s.EA)) * square(along_axes[0]);
  }
  if (s.shear_flexibility_y > 0 || s.shear_flexibility_z > 0) {
    // Shear follows the loads and N on the curvature, which in turn makes the piece longer or
    // shorter: the two from each other, to second order. In bending that is of higher order.
    const HeldShape z = held_shear(s.shear_flexibility_z, phi_z, L);
    const HeldShape y = held_shear(s.shear_flexibility_y, phi_y, L);
    const double EA = s.EA / L;
    const T curve_z = (1 / L) * (d.start[1] - d.end[1]);
    const T curve_y = (1 / L) * (d.end[2] - d.start[2]);
    const T softer =
        (2 * EA * z.energy) * square(curve_z) + (2 * EA * y.energy) * square(curve_y) + 1.0;
    const double held_force = s.initial_force + factor * p.held_force;
    const T straight = EA * (d.elongation + (L / 2) * bow) + held_force -
                       (2 * EA * z.energy) * (curve_z * along_axes[2]) -
                       (2 * EA * y.energy) * (curve_y * along_axes[1]);
    const T N = straight * reciprocal(softer);
    const T shear_z = along_axes[2] + N * curve_z, shear_y = along_axes[1] + N * curve_y;
    bow += -2.0 * (shear_z * (z.with_start * d.start[1] + z.with_end * d.end[1])) +
           2.0 * (shear_y * (y.with_start * d.start[2] + y.with_end * d.end[2]));
    held += z.energy * (square(shear_z) - 2.0 * (shear_z * along_axes[2])) +
            y.energy * (square(shear_y) - 2.0 * (shear_y * along_axes[1]));
  }
  // EA·strain: the chord's elongation and half the mean square of the slopes.
  const T stretch = d.elongation + (L / 2) * bow;
  d.mean_strain_force = (s.EA / L) * stretch + (s.initial_force + factor * p.held_force);
  const auto bending = [L](double EI, double phi) {
    const double k = EI / (2 * L * (1 + phi));
    return std::array<double, 3>{k * (4 + phi), k * 2 * (2 - phi), k * (4 + phi)};
  };
  d.strain_energy = (s.EA / (2 * L)) * square(stretch) +
                    quadratic(bending(s.EIy, phi_z), bent_start[1], bent_end[1]) +
                    quadratic(bending(s.EIz, phi_y), bent_start[2], bent_end[2]) +
                    (s.GJ / (2 * L)) * square(twist) + held + s.initial_force * stretch;
  if (p.normal < 0) {
    const auto over_length = [L](const T& at_start, const T& at_end) {
      return (1 / L) * (at_end - at_start);
    };
    MeanBending<T> mean;
    for (std::size_t i = 0; i < 3; ++i) mean.curvature[i] = over_length(d.start[i], d.end[i]);
    mean.moment = {s.GJ * mean.curvature[0],
                   s.EIy * over_length(bent_start[1], bent_end[1]) +
                       -(factor * p.held_moments[0] + p.standing_moments[0]),
                   s.EIz * over_length(bent_start[2], bent_end[2]) +
                       (factor * p.held_moments[1] + p.standing_moments[1])};
    d.strain_energy += coupling(s, phi_z, phi_y, d.start, d.end, mean);
  }
  if (loaded) d.load_work = work_of_loads(p, a, b, l, phi_z, phi_y, d);
  if (!p.moment_start.isZero(0) || !p.moment_end.isZero(0)) {
    d.load_work += work_of_moments(p, phi_z, phi_y, d);
  }
  if (p.held_force != 0) d.load_work += (-p.held_force) * stretch;
  const auto bends = [](const std::array<double, 2>& m) { return m[0] != 0 || m[1] != 0; };
  if (bends(p.held_moments) || bends(p.standing_moments)) {
    const auto [z, y] = whole_curvatures(phi_z, phi_y, d.start, d.end);
    d.load_work += (-p.held_moments[0]) * z + (-p.held_moments[1]) * y;
    d.strain_energy += p.standing_moments[0] * z + p.standing_moments[1] * y;
  }
  return d;
}

Quad<double> plain(const Quaterniond& q) {
  return {q.x(), q.y(), q.z(), q.w()};
}

/// Which variable each motion of an end is; below 0: it is none, and stays.
using Variables = std::array<int, 6>;

Variables six_from(int first) {
  return {first, first + 1, first + 2, first + 3, first + 4, first + 5};
}

/// The pose of a node with its motions as variables.
template <int N>
PieceEnd<SecondOrder<N>> end_of(const Pose& pose, const Quaterniond& axes,
                                const Variables& variables) {
  using T = SecondOrder<N>;
  const auto motion = [&variables](double value, std::size_t d) {
    return variables[d] < 0 ? T(value) : T::variable(value, variables[d]);
  };
  PieceEnd<T> end;
  Triple<T> turn;
  for (std::size_t i = 0; i < 3; ++i) {
    const auto k = static_cast<Eigen::Index>(i);
    end.u[i] = motion(pose.displacement[k], i);
    turn[i] = motion(pose.by_vector ? pose.vector[k] : 0, 3 + i);
  }
  end.section =
      product(exponential(turn), pose.by_vector ? axes : Quaterniond(pose.rotation * axes));
  return end;
}

PieceEnd<double> end_of(const Pose& pose, const Quaterniond& axes) {
  const Quaterniond section = pose.rotation * axes;
  return {{pose.displacement[0], pose.displacement[1], pose.displacement[2]}, plain(section)};
}

/// Moves an end by its release: displacement and rotation vector in the section's axes.
template <class T>
void release_end(PieceEnd<T>& end, const std::array<T, 6>& r) {
  const Quad<T>& m = end.section;
  const Triple<T> v = {m[0], m[1], m[2]};
  const Triple<T> d = {r[0], r[1], r[2]};
  Triple<T> t = cross(v, d);
  for (T& x : t) x = 2.0 * x;
  const Triple<T> c = cross(v, t);
  for (std::size_t i = 0; i < 3; ++i) end.u[i] = end.u[i] + d[i] + m[3] * t[i] + c[i];
  end.section = product(m, exponential(Triple<T>{r[3], r[4], r[5]}));
}

double joint_energy(const EndJoint& joint, const std::array<double, 6>& r) {
  double sum = 0;
  for (std::size_t i = 0; i < 6; ++i) {
    if (joint[i] != kRigid && joint[i] != 0) sum += joint[i] / 2 * r[i] * r[i];
  }
  return sum;
}

/// First and second derivatives of the strain energy and of the loads' work by the 12 motions of
/// the own ends.
struct Derivatives {
  Vector12d strain = Vector12d::Zero(), work = Vector12d::Zero();
  Matrix12d strains = Matrix12d::Zero(), works = Matrix12d::Zero();
  double axial = 0;  // N
};

template <int N>
Derivatives derivatives_by(const std::array<Variables, 2>& variables, const PieceProperties& piece,
                           const Pose& start, const Pose& end, double factor) {
  const auto d = deform(piece, end_of<N>(start, piece.section(0), variables[0]),
                        end_of<N>(end, piece.section(1), variables[1]), factor);
  std::array<Eigen::Index, N> motions{};
  for (std::size_t m = 0; m < 12; ++m) {
    const int variable = variables[m / 6][m % 6];
    if (variable >= 0) {
      motions[static_cast<std::size_t>(variable)] = static_cast<Eigen::Index>(m);
    }
  }
  Derivatives all;
  all.axial = d.mean_strain_force.value;
  const auto strains = d.strain_energy.hessian(), works = d.load_work.hessian();
  for (Eigen::Index i = 0; i < N; ++i) {
    const Eigen::Index row = motions[static_cast<std::size_t>(i)];
    all.strain[row] = d.strain_energy.gradient[i];
    all.work[row] = d.load_work.gradient[i];
    for (Eigen::Index j = 0; j < N; ++j) {
      const Eigen::Index column = motions[static_cast<std::size_t>(j)];
      all.strains(row, column) = strains(i, j);
      all.works(row, column) = works(i, j);
    }
  }
  return all;
}

/// In a plane frame by the three motions of an end that it has.
Derivatives derivatives(const PieceProperties& piece, const Pose& start, const Pose& end,
                        double factor) {
  if (piece.normal < 0) {
    return derivatives_by<12>({six_from(0), six_from(6)}, piece, start, end, factor);
  }
  const auto normal = static_cast<std::size_t>(piece.normal);
  std::array<Variables, 2> variables{};
  int next = 0;
  for (Variables& of_end : variables) {
    of_end.fill(-1);
    for (std::size_t d = 0; d < 3; ++d) {
      if (d != normal) of_end[d] = next++;
    }
    of_end[3 + normal] = next++;
  }
  return derivatives_by<6>(variables, piece, start, end, factor);
}

PieceResponse respond_joined(const PieceProperties& piece, const Pose& start, const Pose& end,
                             double factor) {
  const Derivatives d = derivatives(piece, start, end, factor);
  PieceResponse r;
  r.force = d.strain;
  r.stiffness = d.strains - factor * d.works;
  r.load = d.work;
  r.axial = d.axial;
  return r;
}

/// Poses of the nodes with the displacements since the piece was built in.
std::array<Pose, 2> since_built_in(const PieceProperties& piece, Pose start, Pose end) {
  start.displacement -= piece.moved[0];
  end.displacement -= piece.moved[1];
  return {start, end};
}

/// How an own end of the piece moves (small further motions, global) with the motions of its node
/// and of its release (12).
std::array<SecondOrder<12>, 6> own_motion(const Quaterniond& section, const Pose& node,
                                          const Pose& own,
                                          const std::array<SecondOrder<12>, 6>& r) {
  PieceEnd<SecondOrder<12>> end = end_of<12>(node, section, six_from(0));
  release_end(end, r);
  const Quaterniond now = own.rotation * section;
  const Triple<SecondOrder<12>> turn = logarithm(product(end.section, now.conjugate()));
  return {end.u[0], end.u[1], end.u[2], turn[0], turn[1], turn[2]};
}

/// First and second derivatives by the motions of both nodes (12) and of both releases (12).
struct ByNodesAndReleases {
  Eigen::Matrix<double, 24, 1> gradient = Eigen::Matrix<double, 24, 1>::Zero();
  Eigen::Matrix<double, 24, 24> hessian = Eigen::Matrix<double, 24, 24>::Zero();

  /// A force on a motion of an end, whose second derivatives are by that end's own 12.
  void add_curvature(std::size_t end, double force, const Matrix12d& second) {
    const auto node = static_cast<Eigen::Index>(6 * end), release = node + 12;
    hessian.block<6, 6>(node, node) += force * second.topLeftCorner<6, 6>();
    hessian.block<6, 6>(node, release) += force * second.topRightCorner<6, 6>();
    hessian.block<6, 6>(release, node) += force * second.bottomLeftCorner<6, 6>();
    hessian.block<6, 6>(release, release) += force * second.bottomRightCorner<6, 6>();
  }
};

PieceResponse respond_released(const PieceProperties& piece, const Pose& start, const Pose& end,
                               const ReleaseMotion& release, double factor) {
  using T = SecondOrder<12>;
  // The energy by the motions of the own ends, and those by the motions of the nodes and releases:
  // the chain rule keeps the large derivatives few.
  const std::array<const Pose*, 2> nodes = {&start, &end};
  const std::array<Pose, 2> own = own_ends(piece, start, end, release);
  Derivatives d = derivatives(piece, own[0], own[1], factor);
  d.work.segment<3>(3) += piece.own_moment_start;
  d.work.segment<3>(9) += piece.own_moment_end;
  std::vector<int> free;
  ByNodesAndReleases strain, work;
  Eigen::Matrix<double, 12, 24> J = Eigen::Matrix<double, 12, 24>::Zero();
  for (std::size_t e = 0; e < 2; ++e) {
    std::array<T, 6> r;
    const auto first = static_cast<Eigen::Index>(6 * e);
    for (int i = 0; i < 6; ++i) {
      const double joint = piece.stiffness.joints[e][static_cast<std::size_t>(i)];
      if (joint == kRigid) continue;
      const Eigen::Index at = 12 + first + i;
      r[static_cast<std::size_t>(i)] = T::variable(release[first + i], 6 + i);
      free.push_back(static_cast<int>(at));
      strain.gradient[at] += joint * release[first + i];
      strain.hessian(at, at) += joint;
    }
    const auto motion = own_motion(piece.section(e), *nodes[e], own[e], r);
    for (std::size_t k = 0; k < 6; ++k) {
      const Eigen::Index row = first + static_cast<Eigen::Index>(k);
      J.block<1, 6>(row, first) = motion[k].gradient.head<6>();
      J.block<1, 6>(row, 12 + first) = motion[k].gradient.tail<6>();
      const Matrix12d curvature = motion[k].hessian();
      strain.add_curvature(e, d.strain[row], curvature);
      work.add_curvature(e, d.work[row], curvature);
    }
  }
  strain.gradient += J.transpose() * d.strain;
  strain.hessian += J.transpose() * d.strains * J;
  work.gradient += J.transpose() * d.work;
  work.hessian += J.transpose() * d.works * J;
  const Eigen::VectorXd g = strain.gradient - factor * work.gradient;
  const Eigen::MatrixXd H = strain.hessian - factor * work.hessian;
  PieceResponse response;
  response.axial = d.axial;
  const auto n = static_cast<Eigen::Index>(free.size());
  Eigen::MatrixXd Kzz(n, n), Kzq(n, 12);
  VectorXd rz(n), load_z(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const int at = free[static_cast<std::size_t>(i)];
    for (Eigen::Index j = 0; j < n; ++j) Kzz(i, j) = H(at, free[static_cast<std::size_t>(j)]);
    Kzq.row(i) = H.row(at).head<12>();
    rz[i] = g[at];
    load_z[i] = work.gradient[at];
  }
  // Motions that nothing resists stay as they are.
  const SymmetricEigen eigen = symmetric_eigen(Kzz);
  const double largest = eigen.values.cwiseAbs().maxCoeff();
  VectorXd inverse = VectorXd::Zero(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const double value = eigen.values[i];
    if (std::abs(value) <= kFreePivot * largest) continue;
    inverse[i] = 1 / value;
    if (value < 0) ++response.negative_pivots;
  }
  const Eigen::MatrixXd Kinv = eigen.vectors * inverse.asDiagonal() * eigen.vectors.transpose();
  const Eigen::MatrixXd follow = Kinv * Kzq;
  const VectorXd rest = Kinv * rz, rest_load = Kinv * load_z;
  // Condensed: what is left of the forces when the released motions have followed.
  response.force = strain.gradient.head<12>() - Kzq.transpose() * (rest + factor * rest_load);
  response.load = work.gradient.head<12>() - Kzq.transpose() * rest_load;
  response.stiffness = H.topLeftCorner<12, 12>() - Kzq.transpose() * follow;
  for (Eigen::Index i = 0; i < n; ++i) {
    const int at = free[static_cast<std::size_t>(i)] - 12;
    response.rest[at] = rest[i];
    response.follow.row(at) = follow.row(i);
  }
  return response;
}

}  // namespace

Quaterniond turn_by(const Vector3d& vector) {
  const auto q = exponential(Triple<double>{vector[0], vector[1], vector[2]});
  return {q[3], q[0], q[1], q[2]};
}

Vector3d rotation_vector(const Quaterniond& q, const Vector3d& near) {
  Vector3d v = q.vec();
  const double sine = v.norm();
  const double angle = 2 * std::atan2(sine, q.w());
  Vector3d axis = near.norm() > 0 ? Vector3d(near.normalized()) : Vector3d::UnitX();
  if (sine > 1e-12) axis = v / sine;
  Vector3d best = sine > 1e-12 ? Vector3d(angle * axis) : Vector3d(2 * v * (q.w() < 0 ? -1 : 1));
  const double turns = std::round((near.dot(axis) - best.dot(axis)) / (2 * M_PI));
  return best + 2 * M_PI * turns * axis;
}

void move(Pose& pose, const Vector6d& step) {
  pose.displacement += step.head<3>();
  if (pose.by_vector) {
    pose.vector += step.tail<3>();
    pose.rotation = turn_by(pose.vector);
    return;
  }
  pose.rotation = (turn_by(step.tail<3>()) * pose.rotation).normalized();
  pose.vector = rotation_vector(pose.rotation, pose.vector);
}

PieceResponse respond(const PieceProperties& piece, const Pose& from_drawn_start,
                      const Pose& from_drawn_end, const ReleaseMotion& release, double factor) {
  const auto [start, end] = since_built_in(piece, from_drawn_start, from_drawn_end);
  if (piece.has_releases() && piece.stiffness.kind == MemberKind::frame) {
    return respond_released(piece, start, end, release, factor);
  }
  return respond_joined(piece, start, end, factor);
}

std::array<Pose, 2> own_ends(const PieceProperties& piece, const Pose& start, const Pose& end,
                             const ReleaseMotion& release) {
  std::array<Pose, 2> own = {start, end};
  for (std::size_t e = 0; e < 2; ++e) {
    Pose& pose = own[e];
    pose.by_vector = false;
    const Eigen::Index at = 6 * static_cast<Eigen::Index>(e);
    const Vector6d r = release.segment<6>(at);
    if (r.isZero(0)) continue;
    const Quaterniond section = pose.rotation * piece.section(e);
    pose.displacement += section * Vector3d(r.head<3>());
    pose.rotation = section * turn_by(r.tail<3>()) * piece.section(e).conjugate();
    pose.vector = rotation_vector(pose.rotation, pose.vector);
  }
  return own;
}

void bow(PieceProperties& piece, const Quaterniond& start, const Quaterniond& end) {
  piece.bowed = true;
  piece.sections = {start, end};
  piece.drawn_turns = {Vector3d::Zero(), Vector3d::Zero()};
  const Pose still;
  const auto d = deform(piece, end_of(still, start), end_of(still, end), 0);
  for (std::size_t i = 0; i < 3; ++i) {
    piece.drawn_turns[0][static_cast<Eigen::Index>(i)] = d.start[i];
    piece.drawn_turns[1][static_cast<Eigen::Index>(i)] = d.end[i];
  }
  piece.drawn_chord = Quaterniond(d.chord[3], d.chord[0], d.chord[1], d.chord[2]);
}

double energy(const PieceProperties& piece, const Pose& from_drawn_start,
              const Pose& from_drawn_end, const ReleaseMotion& release, double factor) {
  const auto [start, end] = since_built_in(piece, from_drawn_start, from_drawn_end);
  PieceEnd<double> a = end_of(start, piece.section(0)), b = end_of(end, piece.section(1));
  double joints = 0;
  for (std::size_t e = 0; e < 2; ++e) {
    std::array<double, 6> r{};
    for (std::size_t i = 0; i < 6; ++i) r[i] = release[static_cast<Eigen::Index>(6 * e + i)];
    release_end(e == 0 ? a : b, r);
    joints += joint_energy(piece.stiffness.joints[e], r);
  }
  const auto d = deform(piece, a, b, factor);
  return d.strain_energy + joints - factor * d.load_work;
}

std::array<LinePoint, 5> sample(const PieceProperties& piece, const Pose& start, const Pose& end,
                                double factor, double from) {
  std::array<LinePoint, 5> points;
  const double L = piece.stiffness.length;
  const auto moved = since_built_in(piece, start, end);
  Pose a = moved[0], b = moved[1];
  a.by_vector = b.by_vector = false;
  const auto d = deform(piece, end_of(a, piece.section(0)), end_of(b, piece.section(1)), factor);
  const PieceResponse r = respond_joined(piece, a, b, factor);
  Vector12d forces = r.force - factor * r.load;
  forces.segment<3>(3) -= factor * L / 6 * (2 * piece.moment_start + piece.moment_end);
  const double phi_z = shear_ratio(piece.stiffness.EIy, piece.stiffness.shear_flexibility_z, L);
  const double phi_y = shear_ratio(piece.stiffness.EIz, piece.stiffness.shear_flexibility_y, L);
  const Quaterniond chord(d.chord[3], d.chord[0], d.chord[1], d.chord[2]);
  const ElementProperties& s = piece.stiffness;
  const Vector3d load =
      chord.conjugate() * Vector3d(factor / 2 * (piece.load_start + piece.load_end));
  const auto axis_at = [&](double xi) -> Vector3d {
    const EndWeights w = distance(phi_z, xi), v = distance(phi_y, xi);
    // With what the load along the piece adds between held ends.
    const double part = xi * (1 - xi) * L * L;
    const auto held = [part](double q, double EI, double shear_flexibility) {
      return EI > 0 ? q * part * (part / (24 * EI) + shear_flexibility / 2) : 0;
    };
    const Vector3d from_chord(
        s.EA > 0 ? load[0] * part / (2 * s.EA) : 0,
        L * (v.a * d.start[2] + v.b * d.end[2]) + held(load[1], s.EIz, s.shear_flexibility_y),
        -L * (w.a * d.start[1] + w.b * d.end[1]) + held(load[2], s.EIy, s.shear_flexibility_z));
    return (1 - xi) * a.displacement + xi * b.displacement + chord * from_chord;
  };
  /// Where the axis lies from the chord as drawn.
  const auto drawn_at = [&](double xi) -> Vector3d {
    if (!piece.bowed) return Vector3d::Zero();
    const EndWeights w = distance(phi_z, xi), v = distance(phi_y, xi);
    const auto& [start_turn, end_turn] = piece.drawn_turns;
    return piece.drawn_chord * Vector3d(0, L * (v.a * start_turn[2] + v.b * end_turn[2]),
                                        -L * (w.a * start_turn[1] + w.b * end_turn[1]));
  };
  for (std::size_t k = 0; k < points.size(); ++k) {
    const double xi = static_cast<double>(k) / 4;
    LinePoint& p = points[k];
    p.x = from + xi * L;
    const Vector3d u = axis_at(xi);
    p.displacement = piece.axes.conjugate() * (u - drawn_at(xi));
    // Loads between the start and here: their sum, and its moment about the place here.
    const Vector3d here = xi * piece.drawn + u;
    Vector3d sum = Vector3d::Zero(), moment = Vector3d::Zero();
    for (std::size_t g = 0; g < 4 && k > 0; ++g) {
      const double at = xi * kPoints[g];
      const Vector3d q =
          factor * kWeights[g] * xi * L * ((1 - at) * piece.load_start + at * piece.load_end);
      sum += q;
      moment += (at * piece.drawn + axis_at(at) - here).cross(q);
      moment +=
          factor * kWeights[g] * xi * L * ((1 - at) * piece.moment_start + at * piece.moment_end);
    }
    const Vector3d force = -(forces.head<3>() + sum);
    const Vector3d start_arm = a.displacement - here;
    const Vector3d turning =
        -(Vector3d(forces.segment<3>(3)) + start_arm.cross(Vector3d(forces.head<3>())) + moment);
    const EndWeights z = section_turn(phi_z, xi), y = section_turn(phi_y, xi);
    const Vector3d turn((1 - xi) * d.start[0] + xi * d.end[0], z.a * d.start[1] + z.b * d.end[1],
                        y.a * d.start[2] + y.b * d.end[2]);
    const Quaterniond section = chord * turn_by(turn);
    const Vector3d n = section.conjugate() * force, m = section.conjugate() * turning;
    p.forces << n[0], -n[1], -n[2], m[0], -m[1], m[2];
  }
  return points;
}

}  // namespace ulterix
