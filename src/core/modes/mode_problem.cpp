#include "core/modes/mode_problem.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "core/dense/dense_factors.hpp"
#include "core/dense/symmetric_eigen.hpp"

namespace ulterix {

namespace {

/// Columns of a member's shapes that motions of its nodes in global directions bring.
Eigen::MatrixXd to_global_rows(const Eigen::MatrixXd& local, const Matrix3d& R) {
  Eigen::MatrixXd rows(12, local.cols());
  for (int i = 0; i < 4; ++i) {
    rows.middleRows<3>(3 * i) = R.transpose() * local.middleRows<3>(3 * i);
  }
  return rows;
}

BorderedMatrix::Block block_of(const Eigen::MatrixXd& whole, const Matrix3d& R) {
  const Eigen::Index n = whole.rows() - 12;
  return {to_global_rows(whole.topRightCorner(12, n), R), whole.bottomRightCorner(n, n)};
}

void add_to(std::vector<double>& a, double factor, const std::vector<double>& b) {
  for (std::size_t i = 0; i < a.size(); ++i) a[i] += factor * b[i];
}

}  // namespace

ModeProblem::ModeProblem(Input input) : input_(std::move(input)) {
  for (const ModeMember& m : input_.members) {
    has_state_ = has_state_ || m.string > 0;
    for (const ModeSpan& s : m.spans) {
      has_state_ = has_state_ || s.stays[0] != 0 || s.stays[1] != 0 || s.stays[2] != 0;
    }
  }
}

InnerUnknowns ModeProblem::number(const Counts& counts) const {
  IndexedVector<MemberId, int> inner(input_.members.size(), 0);
  for_each_member([&](ShapeCache& shapes, MemberId id) {
    for (const int n : shapes.inner_counts(member(id), driver(), counts[id])) inner[id] += n;
  });
  return number_inner(*input_.frame, std::move(inner));
}

bool ModeProblem::build(const Counts& counts) {
  counts_ = counts;
  unknowns_ = number(counts);
  shift_ = 0;
  const FrameSystem& system = *input_.frame;
  const int members = input_.members.size();
  IndexedVector<MemberId, Matrix12d> drives(members, Matrix12d::Zero()), stays;
  if (has_state_) stays = drives;
  K_ = B_ = {};
  K_.frame = *input_.stiffness;
  B_.blocks = IndexedVector<MemberId, BorderedMatrix::Block>(members);
  if (has_state_) K_.blocks = IndexedVector<MemberId, BorderedMatrix::Block>(members);
  for_each_member([&](ShapeCache& cache, MemberId id) {
    const ModeMember& m = input_.members[id];
    MemberShapes& shapes = cache.of(m, input_.driver, counts[id]);
    const MemberShapes::Matrices& local = shapes.matrices(m);
    const Matrix3d& R = system.axes(id);
    const Eigen::MatrixXd driving = shapes.whole(local.drives);
    drives[id] = to_global(Matrix12d(driving.topLeftCorner<12, 12>()), R);
    B_.blocks[id] = block_of(driving, R);
    if (!has_state_) return;
    const Eigen::MatrixXd staying = shapes.whole(local.stays);
    stays[id] = to_global(Matrix12d(staying.topLeftCorner<12, 12>()), R);
    K_.blocks[id] = block_of(staying, R);
    K_.blocks[id].inner.diagonal().array() += 1;
  });
  B_.list_entries(unknowns_);
  B_.frame =
      system.assemble_global([&](MemberId id) { return drives[id]; },
                             [&](NodeId n) -> Matrix6d {
                               return input_.nodal.empty() ? Matrix6d::Zero() : input_.nodal[n];
                             });
  if (!has_state_) {
    factor_ = std::make_unique<BorderedFactor>(unknowns_, *input_.factor);
    return true;
  }
  add_to(K_.frame, 1, system.assemble_global([&](MemberId id) { return stays[id]; }));
  K_.list_entries(unknowns_);
  factor_ = BorderedFactor::definite(unknowns_, K_);
  return factor_ != nullptr;
}

bool ModeProblem::shift_by(double shift) {
  K_ = less(unknowns_, K_, -shift, B_);
  K_.list_entries(unknowns_);
  shift_ = shift;
  factor_ = BorderedFactor::definite(unknowns_, K_);
  return factor_ != nullptr;
}

Eigen::MatrixXd ModeProblem::carried_over(const Eigen::MatrixXd& vectors,
                                          const Counts& from) const {
  const InnerUnknowns old = number(from);
  Eigen::MatrixXd carried = Eigen::MatrixXd::Zero(unknowns_.size(), vectors.cols());
  carried.topRows(old.frame_size()) = vectors.topRows(old.frame_size());
  ShapeCache& shapes = shapes_.local();
  for (const MemberId id : unknowns_.count.ids()) {
    if (old.count[id] == 0) continue;
    const Eigen::Index a = old.frame_size() + old.first[id],
                       b = old.frame_size() + unknowns_.first[id];
    if (from[id] == counts_[id]) {
      carried.middleRows(b, old.count[id]) = vectors.middleRows(a, old.count[id]);
      continue;
    }
    const auto before = shapes.inner_counts(member(id), driver(), from[id]),
               now = shapes.inner_counts(member(id), driver(), counts_[id]);
    Eigen::Index i = a, j = b;
    for (const Family f : kFamilies) {
      const int n = std::min(before[at(f)], now[at(f)]);
      carried.middleRows(j, n) = vectors.middleRows(i, n);
      i += before[at(f)];
      j += now[at(f)];
    }
  }
  return carried;
}

Eigen::MatrixXd ModeProblem::carried_over(const Modes& modes) const {
  if (modes.vectors.cols() == 0) return {};
  const auto functions = std::accumulate(modes.inner.begin(), modes.inner.end(), 0);
  if (modes.vectors.rows() - functions != unknowns_.frame_size()) return {};
  const InnerUnknowns here = number(modes.counts);
  const bool alike = std::equal(modes.inner.begin(), modes.inner.end(), here.count.begin());
  if (alike) return carried_over(modes.vectors, modes.counts);
  return modes.vectors.topRows(unknowns_.frame_size());
}

void ModeProblem::set_motion(const VectorXd& phi, State& state) const {
  frame().set_increment(phi.head(unknowns_.frame_size()), state);
}

Eigen::MatrixXd ModeProblem::coefficients(MemberId id, const ByRows& vectors) const {
  const int n = unknowns_.count[id];
  Eigen::Matrix<double, 12, Eigen::Dynamic, Eigen::RowMajor> global;
  global.setZero(12, vectors.cols());
  const Member& m = frame().model().members[id];
  Eigen::Index row = 0;
  for (const NodeId node : {m.start, m.end}) {
    const NodeDofs& dofs = frame().dofs()[node];
    frame().dofs().for_each_column(node, [&](int q, const Vector6d& t) {
      const auto own = vectors.row(q);
      if (dofs.selection) {
        global.row(row + dofs.direction[q - dofs.first]) = own;
      } else {
        global.middleRows<6>(row) += t * own;
      }
    });
    row += 6;
  }
  const Matrix3d& R = frame().axes(id);
  Eigen::MatrixXd c(12 + n, vectors.cols());
  for (int i = 0; i < 12; i += 3) {
    c.middleRows<3>(i) = R.lazyProduct(global.middleRows<3>(i));
  }
  c.bottomRows(n) = vectors.middleRows(unknowns_.frame_size() + unknowns_.first[id], n);
  return c;
}

namespace {

/// The largest compression of a member at a value, N.
double compression(const ModeMember& m, Driver driver, double value) {
  double most = 0;
  for (const ModeSpan& s : m.spans) {
    for (const double xi : {0.0, 0.5, 1.0}) {
      double N = ModeSpan::at(s.stays, xi);
      if (driver == Driver::compression) N += value * ModeSpan::at(s.grows, xi);
      most = std::max(most, -N);
    }
  }
  return most;
}

/// (κL/2)² of the longest span, from EI·κ⁴ = P·κ² + ω²m, or ω²·m/EA, or ω²·ρIp/GJ.
double wave(const ModeMember& m, Driver driver, Family family, double value) {
  const ElementProperties& p = m.properties;
  double longest = 0, mass = 0;
  for (const ModeSpan& s : m.spans) {
    longest = std::max(longest, s.length());
    mass = std::max({mass, s.mass.start, s.mass.end});
  }
  const double square = driver == Driver::mass ? value : 0, half = longest * longest / 4;
  if (family == Family::along) return p.EA > 0 ? half * square * mass / p.EA : 0;
  if (family == Family::twist) return p.GJ > 0 ? half * square * m.about_x / p.GJ : 0;
  if (m.string > 0) return half * square * mass / m.string;
  const double EI = family == Family::bending_z ? p.EIy : p.EIz;
  if (EI <= 0) return 0;
  const double flexibility =
      family == Family::bending_z ? p.shear_flexibility_z : p.shear_flexibility_y;
  const double P = compression(m, driver, value);
  const double softened = std::max(1 - P * flexibility, 0.01);
  const double k2 = P / EI / softened, b4 = square * mass / EI;
  return half * (k2 + std::sqrt(k2 * k2 + 4 * b4)) / 2;
}

/// The functions after those that a member has, and their place beside them.
struct Extended {
  Extended(const ModeMember& m, Driver driver, const FunctionCounts& counts, ShapeCache& cache)
      : shapes(cache.of(m, driver, raised(m, driver, counts))) {
    int place = 12;
    for (const Family f : kFamilies) {
      const FamilyBasis& basis = shapes.basis(f);
      const bool moves = has_functions(m, driver, f) && basis.stiff();
      Part& part = parts[at(f)];
      part.now = basis.nodal() + (moves ? basis.inner_of(counts[at(f)]) : shapes.inner(f));
      part.next = basis.nodal() + shapes.inner(f) - part.now;
      part.pairs = after(counts[at(f)]) / 2;
      part.rows = basis.directions();
      for (int i = basis.nodal(); i < part.now; ++i) part.rows.push_back(place++);
    }
  }

  static FunctionCounts raised(const ModeMember& m, Driver driver, FunctionCounts counts) {
    for (const Family f : kFamilies) {
      if (has_functions(m, driver, f)) counts[at(f)] += after(counts[at(f)]);
    }
    return counts;
  }

  /// So many functions more on each span: where there are many already, modes die away within a
  /// part of it, and those that come next are not all that is left out.
  static int after(int count) { return count < kMany ? 2 : 4; }
  static constexpr int kMany = 6;

  struct Part {
    int now = 0, next = 0;  // shapes of the family that are there, and those that come next
    int pairs = 1;          // of those on each span
    std::vector<int> rows;  // of those that are there among the member's coefficients
  };
  MemberShapes& shapes;
  std::array<Part, 4> parts;
};

class Estimator {
 public:
  Estimator(const ModeProblem& problem, const VectorXd& values, const Eigen::MatrixXd& vectors)
      : problem_(problem), values_(values), vectors_(vectors) {}

  ModeErrors estimate() const {
    ModeErrors errors;
    errors.parts.resize(4 * static_cast<std::size_t>(problem_.unknowns().count.size()));
    errors.next.setZero(static_cast<Eigen::Index>(errors.parts.size()), values_.size());
    errors.rest = errors.next;
    problem_.for_each_member([&](ShapeCache& cache, MemberId id) {
      const ModeMember& m = problem_.member(id);
      if (m.properties.kind != MemberKind::frame && m.string == 0) return;
      of_member(id, m, Extended(m, problem_.driver(), problem_.counts()[id], cache), errors);
    });
    const Eigen::RowVectorXd total = errors.next.colwise().sum() + errors.rest.colwise().sum();
    errors.total.assign(total.begin(), total.end());
    return errors;
  }

 private:
  /// r = λ·B·φ − K₀·φ of the functions that come next, by family, a column each mode.
  using Residuals = std::array<Eigen::MatrixXd, 4>;
  void add_residuals(const std::vector<MemberShapes::Block>& blocks, const Extended& e,
                     const Eigen::MatrixXd& phi, Residuals& r) const {
    for (const MemberShapes::Block& block : blocks) {
      const Extended::Part &a = e.parts[at(block.a)], &b = e.parts[at(block.b)];
      if (a.next == 0) continue;
      Eigen::MatrixXd own(b.now, phi.cols());
      for (int i = 0; i < b.now; ++i) own.row(i) = phi.row(b.rows[static_cast<std::size_t>(i)]);
      r[at(block.a)] += block.values.bottomLeftCorner(a.next, b.now).lazyProduct(own);
    }
  }

  void of_member(MemberId id, const ModeMember& m, const Extended& e, ModeErrors& errors) const {
    const MemberShapes::Matrices& all = e.shapes.matrices(m);
    const Eigen::Index modes = values_.size();
    if (modes == 0 || (all.drives.empty() && all.stays.empty())) return;
    const Eigen::MatrixXd phi = problem_.coefficients(id, vectors_);
    Residuals r, held;
    for (const Family f : kFamilies) {
      r[at(f)] = held[at(f)] = Eigen::MatrixXd::Zero(e.parts[at(f)].next, modes);
    }
    add_residuals(all.drives, e, phi, r);
    add_residuals(all.stays, e, phi, held);
    const double last = values_[modes - 1];
    for (const Family f : kFamilies) {
      const int n = e.parts[at(f)].next;
      if (n == 0) continue;
      Eigen::MatrixXd drives = Eigen::MatrixXd::Zero(n, n), stays = drives;
      const auto corner = [&](const std::vector<MemberShapes::Block>& blocks, Eigen::MatrixXd& to) {
        for (const MemberShapes::Block& block : blocks) {
          if (block.a == f && block.b == f) to += block.values.bottomRightCorner(n, n);
        }
      };
      corner(all.drives, drives);
      corner(all.stays, stays);
      const std::size_t row = ModeErrors::row_of(id, f);
      ModeErrors::Part& part = errors.parts[row];
      part.wave = wave(m, problem_.driver(), f, last);
      // The next two on each span.
      const int pairs = e.parts[at(f)].pairs, two = n / pairs;
      part.too_few =
          too_few(m, f, last, drives.topLeftCorner(two, two), stays.topLeftCorner(two, two));
      if (n == 2) {
        share_modes<Matrix2d, Vector2d>(r[at(f)], held[at(f)], drives, stays, pairs, row, errors);
      } else {
        share_modes<Eigen::MatrixXd, VectorXd>(r[at(f)], held[at(f)], drives, stays, pairs, row,
                                               errors);
      }
    }
  }

  /// What the functions that come next bring each mode. Matrix, Vector: of their number, on the
  /// stack where it is known.
  template <class Matrix, class Vector>
  void share_modes(const Eigen::MatrixXd& r, const Eigen::MatrixXd& held, const Matrix& drives,
                   const Matrix& stays, int pairs, std::size_t row, ModeErrors& errors) const {
    const Eigen::Index modes = values_.size(), h = r.rows() / pairs / 2;
    const auto at_row = static_cast<Eigen::Index>(row);
    bool& too_few = errors.parts[row].too_few;
    for (Eigen::Index k = 0; k < modes; ++k) {
      const double value = values_[k];
      const Vector own = value * r.col(k) - held.col(k);
      const Matrix A = stays - value * drives;
      const Vector x = solved<Matrix, Vector>(A, own, too_few);
      // φᵀKφ = 1; with a shift the value's own part of it is value/(value + shift).
      const double whole = value > 0 ? value / (value + problem_.shift()) : 1;
      const auto of = [&](Eigen::Index first, Eigen::Index count) {
        double sum = 0;
        for (Eigen::Index i = first * h; i < (first + count) * h; ++i) sum += own[i] * x[i];
        return std::max(sum, 0.0) / whole;
      };
      const double first = of(0, 1), second = of(1, 1);
      const double rest = pairs > 1 ? with_rest(first + second, of(2, 2)) : 0;
      errors.next(at_row, k) = first;
      errors.rest(at_row, k) = second + rest;
    }
  }

  /// What a pair of functions and all those after it bring, each pair in the ratio to the one
  /// before that this one has: next to nothing, but where modes die away within a part of a span.
  static double with_rest(double before, double pair) {
    constexpr double kSlow = 0.9;
    return before > 0 ? pair / (1 - std::min(pair / before, kSlow)) : pair;
  }

  /// (I + A)⁻¹·r; r itself, and too few, where that is not positive definite.
  template <class Matrix, class Vector>
  static Vector solved(Matrix A, const Vector& r, bool& too_few) {
    A.diagonal().array() += 1;
    if (A.rows() == 2) {
      const double d = A(0, 0) * A(1, 1) - A(0, 1) * A(0, 1);
      too_few = too_few || d <= 0 || A(0, 0) <= 0;
      if (d <= 0) return r;
      Vector x = r;
      x[0] = (A(1, 1) * r[0] - A(0, 1) * r[1]) / d;
      x[1] = (A(0, 0) * r[1] - A(0, 1) * r[0]) / d;
      return x;
    }
    const DenseCholesky factor(A);
    if (factor.definite()) return factor.solve(r);
    too_few = true;
    return r;
  }

  bool too_few(const ModeMember& m, Family f, double value, const Eigen::MatrixXd& drives,
               const Eigen::MatrixXd& stays) const {
    constexpr double kClear = 0.3;
    const auto n = static_cast<int>(drives.rows());
    const Eigen::MatrixXd A = Eigen::MatrixXd::Identity(n, n) + stays - value * drives;
    // Gershgorin's bound settles it for most.
    double bound = std::numeric_limits<double>::max();
    for (int i = 0; i < n; ++i) {
      bound = std::min(bound, 2 * A(i, i) - A.row(i).cwiseAbs().sum());
    }
    const double flexibility = f == Family::bending_z   ? m.properties.shear_flexibility_z
                               : f == Family::bending_y ? m.properties.shear_flexibility_y
                                                        : 0;
    const double softened =
        1 - std::max(0.0, compression(m, problem_.driver(), value)) * flexibility;
    if (bound >= kClear * softened) return false;
    return symmetric_eigenvalues(A)[0] < kClear * softened;
  }

  const ModeProblem& problem_;
  const VectorXd& values_;
  const ModeProblem::ByRows vectors_;
};

}  // namespace

ModeErrors estimate_errors(const ModeProblem& problem, const VectorXd& values,
                           const Eigen::MatrixXd& vectors) {
  return Estimator(problem, values, vectors).estimate();
}

ModeProblem::Counts enough_functions(const ModeProblem& problem, const ModeErrors& errors,
                                     int wanted, double tolerance) {
  ModeProblem::Counts counts = problem.counts();
  const auto modes = std::min(errors.next.cols(), static_cast<Eigen::Index>(std::max(wanted, 0)));
  std::vector<int> added(errors.parts.size(), 0);
  const auto count_of = [&](std::size_t i) -> int& { return counts[MemberId(int(i / 4))][i % 4]; };
  /// What is left of a part in a mode after so many more functions: those that come next go, and
  /// the rest falls with the wave number.
  const auto left = [&](std::size_t i, Eigen::Index mode) {
    const auto row = static_cast<Eigen::Index>(i);
    const double first = errors.next(row, mode), second = errors.rest(row, mode);
    if (added[i] == 0) return first + second;
    const double n = count_of(i), wave = errors.parts[i].wave;
    const double q = std::clamp(std::pow(wave / ((2 * n + 7) * (2 * n + 9)), 2), 1e-6, 0.1);
    const double tail = q * (first + second);
    return added[i] == 1 ? second + tail : tail * std::pow(q, (added[i] - 2) / 2.0);
  };
  for (std::size_t i = 0; i < errors.parts.size(); ++i) {
    if (errors.parts[i].too_few) added[i] = 2;
  }
  for (Eigen::Index mode = 0; mode < modes; ++mode) {
    // Functions that were added only take off.
    if (errors.total[static_cast<std::size_t>(mode)] <= tolerance) continue;
    std::vector<std::pair<double, std::size_t>> worst;
    double sum = 0;
    for (std::size_t i = 0; i < errors.parts.size(); ++i) {
      const double part = left(i, mode);
      sum += part;
      if (part > 0) worst.emplace_back(part, i);
    }
    if (sum <= tolerance) continue;
    std::make_heap(worst.begin(), worst.end());
    while (sum > tolerance / 2 && !worst.empty()) {
      std::pop_heap(worst.begin(), worst.end());
      const std::size_t i = worst.back().second;
      worst.pop_back();
      const double before = left(i, mode);
      if (count_of(i) + added[i] >= kMostFunctions) continue;
      ++added[i];
      const double after = left(i, mode);
      sum += after - before;
      worst.emplace_back(after, i);
      std::push_heap(worst.begin(), worst.end());
    }
  }
  for (std::size_t i = 0; i < errors.parts.size(); ++i) {
    if (added[i] > 0) count_of(i) = std::min(count_of(i) + added[i], kMostFunctions);
  }
  return counts;
}

}  // namespace ulterix
