#include "core/modes/family_basis.hpp"

#include <algorithm>
#include <cmath>

#include "core/dense/dense_factors.hpp"
#include "core/dense/orthogonal.hpp"

namespace ulterix {

namespace {

/// Energy below this part of that of the same motion with held neighbours is none.
constexpr double kStrainless = 1e-12;

std::vector<int> directions_of(Family family) {
  switch (family) {
    case Family::bending_z:
      return {2, 4, 8, 10};
    case Family::bending_y:
      return {1, 5, 7, 11};
    case Family::along:
      return {0, 6};
    case Family::twist:
      break;
  }
  return {3, 9};
}

/// EI, EA or GJ; 0 where the member does not resist that motion by itself.
double stiffness_of(Family family, const ElementProperties& p) {
  const bool frame = p.kind == MemberKind::frame;
  switch (family) {
    case Family::bending_z:
      return frame ? p.EIy : 0;
    case Family::bending_y:
      return frame ? p.EIz : 0;
    case Family::along:
      return p.EA;
    case Family::twist:
      break;
  }
  return frame ? p.GJ : 0;
}

double shear_ratio(double EI, double flexibility, double length) {
  return 12 * EI * flexibility / (length * length);
}

/// Shear-flexible beam in (w, psi) at each end (Przemieniecki 1968, eq. 5.118).
Matrix4d beam_stiffness(double L, double EI, double flexibility) {
  const double phi = shear_ratio(EI, flexibility, L);
  Matrix4d K;
  K << 12, 6 * L, -12, 6 * L,                               //
      6 * L, (4 + phi) * L * L, -6 * L, (2 - phi) * L * L,  //
      -12, -6 * L, 12, -6 * L,                              //
      6 * L, (2 - phi) * L * L, -6 * L, (4 + phi) * L * L;
  return EI / (L * L * L * (1 + phi)) * K;
}

}  // namespace

FamilyBasis::FamilyBasis(Family family, const ElementProperties& p, const std::vector<double>& cuts,
                         const Matrix12d& ends, const Options& options)
    : family_(family),
      length_(p.length),
      stiffness_(stiffness_of(family, p)),
      flexibility_(family == Family::bending_z   ? p.shear_flexibility_z
                   : family == Family::bending_y ? p.shear_flexibility_y
                                                 : 0),
      joints_{0},
      directions_(directions_of(family)) {
  const bool across = family == Family::bending_z || family == Family::bending_y;
  if (across && options.string > 0) {
    string_ = true;
    stiffness_ = options.string;
    flexibility_ = 0;
  }
  joints_.insert(joints_.end(), cuts.begin(), cuts.end());
  joints_.push_back(length_);
  spans_ = static_cast<int>(joints_.size()) - 1;
  const int nodes = nodal();
  signs_ = Eigen::VectorXd::Ones(nodes);
  if (family == Family::bending_z) signs_[1] = signs_[3] = -1;  // psi = −θy
  end_motion_.resize(nodes, nodes);
  for (int i = 0; i < nodes; ++i) {
    for (int j = 0; j < nodes; ++j)
      end_motion_(i, j) = signs_[i] * ends(directions_[i], directions_[j]);
  }
  if (!stiff() || !options.inner) return;
  K_joints_ = joint_stiffness();
  for (int i = 0; i < nodes && !string_; ++i) {
    const double spring = p.joints[i * 2 / nodes][directions_[i] % 6];
    if (spring == kRigid) continue;
    released_.push_back(i < nodes / 2 ? i : static_cast<int>(K_joints_.rows()) - nodes + i);
    springs_.conservativeResize(springs_.size() + 1);
    springs_[springs_.size() - 1] = spring;
  }
  find_releases();
  add_joint_shapes();
  add_functions(options);
  orthonormalise();
}

int FamilyBasis::inner_of(int functions) const {
  return stiff() ? joint_shapes_ + functions * spans_ * each_ : 0;
}

Eigen::MatrixXd FamilyBasis::joint_stiffness() const {
  const int each = per_joint(), size = each * static_cast<int>(joints_.size());
  Eigen::MatrixXd K = Eigen::MatrixXd::Zero(size, size);
  for (int s = 0; s < spans_; ++s) {
    const double l = span_length(s);
    if (bending()) {
      K.block<4, 4>(2 * s, 2 * s) += beam_stiffness(l, stiffness_, flexibility_);
    } else {
      Matrix2d k;
      k << 1, -1, -1, 1;
      K.block<2, 2>(s, s) += stiffness_ / l * k;
    }
  }
  return K;
}

/// A motion that hinges leave free altogether has no part in any response.
void FamilyBasis::find_releases() {
  const auto n = static_cast<Eigen::Index>(released_.size());
  if (n == 0) return;
  Eigen::MatrixXd K(n, n);
  Eigen::VectorXd unit(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    for (Eigen::Index j = 0; j < n; ++j) K(i, j) = K_joints_(released_[i], released_[j]);
    unit[i] = 1 / std::sqrt(K(i, i));
    K(i, i) += springs_[i];
  }
  const Eigen::MatrixXd scaled = unit.asDiagonal() * K * unit.asDiagonal();
  release_ = unit.asDiagonal() * pseudo_inverse(scaled, 1e-12) * unit.asDiagonal();
}

/// Ends behind hinges go where the forces at the joints drive them, e_r = −(K_rr + c)⁻¹·p_r.
void FamilyBasis::follow_releases(Function& f, const Eigen::VectorXd& joint_forces) const {
  const auto n = static_cast<Eigen::Index>(released_.size());
  if (n == 0) return;
  Eigen::VectorXd p(n);
  for (Eigen::Index i = 0; i < n; ++i) p[i] = joint_forces[released_[i]];
  const Eigen::VectorXd e = -release_ * p;
  for (Eigen::Index i = 0; i < n; ++i) f.joints[released_[i]] = e[i];
}

void FamilyBasis::add_joint_shapes() {
  const int each = per_joint();
  const auto size = K_joints_.rows();
  for (int unknown = each; unknown < size - each; ++unknown) {
    Function f;
    f.joints = Eigen::VectorXd::Unit(size, unknown);
    follow_releases(f, K_joints_.col(unknown));
    // Hinges may let a joint move without any strain, as a shaft spins: that is no shape.
    const double energy = f.joints.dot(K_joints_ * f.joints);
    if (energy > kStrainless * K_joints_(unknown, unknown)) functions_.push_back(f);
  }
  joint_shapes_ = static_cast<int>(functions_.size());
}

void FamilyBasis::add_functions(const Options& options) {
  const bool bubbles = options.bubbles && bending() && flexibility_ > 0;
  each_ = bubbles ? 2 : 1;
  const int first = bending() ? 2 : 1;
  degree_ = std::max(3, first + options.functions + 1);
  for (int degree = first; degree < first + options.functions; ++degree) {
    for (int span = 0; span < spans_; ++span) {
      Function f;
      f.joints = Eigen::VectorXd::Zero(K_joints_.rows());
      f.span = span;
      f.degree = degree;
      follow_releases(f, clamped_end_forces(span, degree));
      functions_.push_back(f);
      if (!bubbles) continue;
      Function bubble;
      bubble.joints = Eigen::VectorXd::Zero(K_joints_.rows());
      bubble.span = span;
      bubble.degree = degree - 1;
      bubble.bubble = true;
      // Its shear angle P_j has no mean, so it puts nothing on its ends.
      functions_.push_back(bubble);
    }
  }
}

/// What the joints put on a span that holds a clamped function.
Eigen::VectorXd FamilyBasis::clamped_end_forces(int span, int degree) const {
  Eigen::VectorXd p = Eigen::VectorXd::Zero(K_joints_.rows());
  Function f;
  f.span = span;
  f.degree = degree;
  const Local a = clamped(f, {{span, -1}, degree_}), b = clamped(f, {{span, 1}, degree_});
  if (bending()) {
    const double h = span_length(span) / 2;
    // Q = −M′: P_j′(±1) = ±1^{j+1}·j(j + 1)/2.
    const double phi = shear_ratio(stiffness_, flexibility_, span_length(span));
    const double beta = degree % 2 == 1 ? phi / (1 + phi) : 0;
    const double slope = degree * (degree + 1) / 2.0;
    const double Qa = -((degree % 2 == 1 ? slope : -slope) - beta) / h, Qb = -(slope - beta) / h;
    p.segment<4>(2 * span) << -Qa, -a.force, Qb, b.force;
  } else {
    p.segment<2>(span) << -a.force, b.force;
  }
  return p;
}

FamilyBasis::Local FamilyBasis::clamped(const Function& f, const Place& at) const {
  Local v;
  const double l = span_length(f.span), h = l / 2;
  const int j = f.degree;
  const auto& P = at.P.value;
  if (!bending()) {
    v.w = h / stiffness_ * (P[j + 1] - P[j - 1]) / (2 * j + 1);
    v.slope = P[j] / stiffness_;
    v.force = P[j];
    return v;
  }
  if (f.bubble) {
    v.w = h * (P[j + 1] - P[j - 1]) / (2 * j + 1);
    v.slope = v.shear_angle = P[j];
    return v;
  }
  const double EI = stiffness_, phi = shear_ratio(EI, flexibility_, l);
  const double b = j % 2 == 1 ? phi / (1 + phi) : 0;
  v.force = P[j] - b * P[1];
  v.shear_angle = -(at.P.slope[j] - b) / h * flexibility_;
  v.psi = h / EI * ((P[j + 1] - P[j - 1]) / (2 * j + 1) - b * (P[2] - P[0]) / 3);
  v.w = h * h / EI *
        ((P[j + 2] - P[j]) / ((2 * j + 1) * (2 * j + 3)) -
         (P[j] - P[j - 2]) / ((2 * j + 1) * (2 * j - 1)) - b * (P[3] - 6 * P[1]) / 15 -
         phi / 3 * (P[j] - (j % 2 == 0 ? P[0] : b * P[1])));
  v.slope = v.psi + v.shear_angle;
  return v;
}

FamilyBasis::Local FamilyBasis::by_joints(const Eigen::VectorXd& joints,
                                          const SpanPoint& at) const {
  Local v;
  const double l = span_length(at.span), xi = (at.s + 1) / 2;
  if (!bending()) {
    const double a = joints[at.span], b = joints[at.span + 1];
    v.w = a + (b - a) * xi;
    v.slope = (b - a) / l;
    v.force = stiffness_ * v.slope;
    return v;
  }
  const Vector4d e = joints.segment<4>(2 * at.span);
  if (e.isZero(0)) return v;
  const BeamShape shape = beam_shape(xi, l, shear_ratio(stiffness_, flexibility_, l));
  const Vector4d p = beam_stiffness(l, stiffness_, flexibility_) * e;
  v.w = shape.w.dot(e);
  v.slope = shape.slope.dot(e);
  v.psi = shape.psi.dot(e);
  v.force = -p[1] + p[0] * xi * l;
  v.shear_angle = -p[0] * flexibility_;
  return v;
}

FamilyBasis::Local FamilyBasis::local(const Function& f, const Place& at) const {
  Local v = by_joints(f.joints, at);
  if (f.span != at.span) return v;
  const Local own = clamped(f, at);
  v.w += own.w;
  v.slope += own.slope;
  v.psi += own.psi;
  v.force += own.force;
  v.shear_angle += own.shear_angle;
  return v;
}

void FamilyBasis::orthonormalise() {
  const auto count = static_cast<Eigen::Index>(functions_.size());
  const GaussRule& rule = gauss_rule(degree_ + 1);
  Eigen::MatrixXd K = Eigen::MatrixXd::Zero(count, count);
  Eigen::VectorXd force(count), angle(count);
  for (int span = 0; span < spans_; ++span) {
    for (std::size_t g = 0; g < rule.points.size(); ++g) {
      const double weight = rule.weights[g] * span_length(span) / 2;
      const Place place({span, rule.points[g]}, degree_);
      for (Eigen::Index i = 0; i < count; ++i) {
        const Local v = local(functions_[static_cast<std::size_t>(i)], place);
        force[i] = v.force;
        angle[i] = v.shear_angle;
      }
      K += weight / stiffness_ * force * force.transpose();
      if (flexibility_ > 0) K += weight / flexibility_ * angle * angle.transpose();
    }
  }
  for (std::size_t r = 0; r < released_.size(); ++r) {
    for (Eigen::Index i = 0; i < count; ++i) {
      force[i] = functions_[static_cast<std::size_t>(i)].joints[released_[r]];
    }
    K += springs_[static_cast<Eigen::Index>(r)] * force * force.transpose();
  }
  const Eigen::VectorXd unit = K.diagonal().cwiseSqrt().cwiseInverse();
  const DenseCholesky factor(unit.asDiagonal() * K * unit.asDiagonal());
  combine_ = factor.solve_lower(unit.asDiagonal());
}

/// The response to the motion of the nodes has no joints of its own.
void FamilyBasis::nodal_values(const std::vector<SpanPoint>& points, FamilyValues& values) const {
  const double phi = stiff() ? shear_ratio(stiffness_, flexibility_, length_) : 0;
  for (std::size_t k = 0; k < points.size(); ++k) {
    const auto column = static_cast<Eigen::Index>(k);
    const double from = joints_[points[k].span], l = span_length(points[k].span);
    const double xi = (from + (points[k].s + 1) / 2 * l) / length_;
    if (!bending() || !stiff()) {
      const int last = nodal() / 2;  // of the end
      const Eigen::RowVectorXd a = end_motion_.row(0), b = end_motion_.row(last);
      values.w.col(column).head(nodal()) = ((1 - xi) * a + xi * b).transpose();
      values.slope.col(column).head(nodal()) = ((b - a) / length_).transpose();
      continue;
    }
    const BeamShape shape = beam_shape(xi, length_, phi);
    values.w.col(column).head<4>() = end_motion_.transpose() * shape.w;
    values.slope.col(column).head<4>() = end_motion_.transpose() * shape.slope;
    values.psi.col(column).head<4>() = end_motion_.transpose() * shape.psi;
  }
}

FamilyValues FamilyBasis::at(const std::vector<SpanPoint>& points) const {
  const Eigen::Index rows = nodal() + inner(), columns = static_cast<Eigen::Index>(points.size());
  FamilyValues values{Eigen::MatrixXd::Zero(rows, columns), Eigen::MatrixXd::Zero(rows, columns),
                      Eigen::MatrixXd::Zero(rows, columns)};
  nodal_values(points, values);
  if (inner() == 0) return values;
  Eigen::MatrixXd w(inner(), columns), slope = w, psi = w;
  for (Eigen::Index k = 0; k < columns; ++k) {
    const Place place(points[static_cast<std::size_t>(k)], degree_);
    for (int i = 0; i < inner(); ++i) {
      const Local v = local(functions_[static_cast<std::size_t>(i)], place);
      w(i, k) = v.w;
      slope(i, k) = v.slope;
      psi(i, k) = v.psi;
    }
  }
  values.w.bottomRows(inner()) = combine_ * w;
  values.slope.bottomRows(inner()) = combine_ * slope;
  values.psi.bottomRows(inner()) = combine_ * psi;
  return values;
}

}  // namespace ulterix
