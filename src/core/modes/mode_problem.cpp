#include "core/modes/mode_problem.hpp"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <limits>

#include "core/parallel.hpp"

namespace ulterix {

namespace {

constexpr std::size_t at(Family family) {
  return static_cast<std::size_t>(family);
}

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
    for (const ModeSpan& s : m.spans) {
      has_state_ = has_state_ || s.stays[0] != 0 || s.stays[1] != 0 || s.stays[2] != 0;
    }
  }
}

InnerUnknowns ModeProblem::number(const Counts& counts) const {
  InnerUnknowns u;
  const int members = input_.members.size();
  u.frame = input_.frame;
  u.first = u.count = IndexedVector<MemberId, int>(members, 0);
  for_each_range(members, [&](int begin, int end) {
    std::optional<MemberShapes> shapes;
    for (int i = begin; i < end; ++i) {
      const MemberId id(i);
      const ModeMember& m = input_.members[id];
      if (!u.frame->variant().present[id]) continue;
      if (!shapes || !shapes->fit(m, counts[id])) shapes.emplace(m, input_.driver, counts[id]);
      u.count[id] = shapes->inner();
    }
  });
  for (const MemberId id : u.count.ids()) {
    u.first[id] = u.total;
    u.total += u.count[id];
  }
  return u;
}

bool ModeProblem::build(const Counts& counts) {
  counts_ = counts;
  unknowns_ = number(counts);
  shift_ = 0;
  const FrameSystem& system = *input_.frame;
  const int members = input_.members.size();
  IndexedVector<MemberId, Matrix12d> drives(members, Matrix12d::Zero()), stays;
  if (has_state_) stays = drives;
  K_ = {*input_.stiffness, {}};
  B_ = {{}, IndexedVector<MemberId, BorderedMatrix::Block>(members)};
  if (has_state_) K_.blocks = IndexedVector<MemberId, BorderedMatrix::Block>(members);
  for_each_range(members, [&](int begin, int end) {
    std::optional<MemberShapes> shapes;  // members one after the other are often alike
    for (int i = begin; i < end; ++i) {
      const MemberId id(i);
      const ModeMember& m = input_.members[id];
      if (!system.variant().present[id]) continue;
      if (!shapes || !shapes->fit(m, counts[id])) shapes.emplace(m, input_.driver, counts[id]);
      const MemberShapes::Matrices local = shapes->matrices(m);
      const Matrix3d& R = system.axes(id);
      drives[id] = to_global(Matrix12d(local.drives.topLeftCorner<12, 12>()), R);
      B_.blocks[id] = block_of(local.drives, R);
      if (!has_state_) continue;
      stays[id] = to_global(Matrix12d(local.stays.topLeftCorner<12, 12>()), R);
      K_.blocks[id] = block_of(local.stays, R);
      K_.blocks[id].inner.diagonal().array() += 1;
    }
  });
  B_.frame = system.assemble_global([&](MemberId id) { return drives[id]; });
  if (!input_.nodal.empty()) {
    add_to(B_.frame, 1,
           system.assemble_matrix([](MemberId) -> Matrix12d { return Matrix12d::Zero(); },
                                  [&](NodeId n) { return input_.nodal[n]; }));
  }
  if (!has_state_) {
    factor_ = std::make_unique<BorderedFactor>(unknowns_, *input_.factor);
    return true;
  }
  add_to(K_.frame, 1, system.assemble_global([&](MemberId id) { return stays[id]; }));
  factor_ = BorderedFactor::definite(unknowns_, K_);
  return factor_ != nullptr;
}

bool ModeProblem::shift_by(double shift) {
  K_ = less(unknowns_, K_, -shift, B_);
  shift_ = shift;
  factor_ = BorderedFactor::definite(unknowns_, K_);
  return factor_ != nullptr;
}

Eigen::MatrixXd ModeProblem::carried_over(const Eigen::MatrixXd& vectors,
                                          const Counts& from) const {
  const InnerUnknowns old = number(from);
  Eigen::MatrixXd carried = Eigen::MatrixXd::Zero(unknowns_.size(), vectors.cols());
  carried.topRows(old.frame_size()) = vectors.topRows(old.frame_size());
  for (const MemberId id : unknowns_.count.ids()) {
    if (old.count[id] == 0) continue;
    const Eigen::Index a = old.frame_size() + old.first[id],
                       b = old.frame_size() + unknowns_.first[id];
    if (from[id] == counts_[id]) {
      carried.middleRows(b, old.count[id]) = vectors.middleRows(a, old.count[id]);
      continue;
    }
    const MemberShapes before(member(id), driver(), from[id]),
        now(member(id), driver(), counts_[id]);
    for (const Family f : kFamilies) {
      const int n = std::min(before.inner(f), now.inner(f));
      if (n == 0) continue;
      carried.middleRows(b + now.first_inner(f) - 12, n) =
          vectors.middleRows(a + before.first_inner(f) - 12, n);
    }
  }
  return carried;
}

void ModeProblem::set_motion(const VectorXd& phi, State& state) const {
  frame().set_increment(phi.head(unknowns_.frame_size()), state);
}

VectorXd ModeProblem::coefficients(MemberId id, const State& state, const VectorXd& phi) const {
  VectorXd c(12 + unknowns_.count[id]);
  c.head<12>() = frame().end_motion(id, state).nodes;
  c.tail(unknowns_.count[id]) =
      phi.segment(unknowns_.frame_size() + unknowns_.first[id], unknowns_.count[id]);
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
  Extended(const ModeMember& m, Driver driver, const FunctionCounts& counts)
      : more(counts), shapes(m, driver, raise(m, driver)) {
    for (int i = 0; i < 12; ++i) kept.push_back(i);
    for (const Family f : kFamilies) {
      if (!has_functions(m, driver, f)) continue;
      const int now = shapes.basis(f).inner_of(counts[at(f)]), all = shapes.inner(f);
      const int first = shapes.first_inner(f);
      for (int i = 0; i < now; ++i) kept.push_back(first + i);
      begin[at(f)] = static_cast<int>(next.size());
      half[at(f)] = (all - now) / 2;
      for (int i = now; i < all; ++i) next.push_back(first + i);
      end[at(f)] = static_cast<int>(next.size());
    }
  }

  const FunctionCounts& raise(const ModeMember& m, Driver driver) {
    for (const Family f : kFamilies) {
      if (has_functions(m, driver, f)) more[at(f)] += 2;
    }
    return more;
  }

  FunctionCounts more;
  MemberShapes shapes;
  std::vector<int> kept, next;
  std::array<int, 4> begin = {}, end = {}, half = {};
};

class Estimator {
 public:
  Estimator(const ModeProblem& problem, const VectorXd& values, const Eigen::MatrixXd& vectors)
      : problem_(problem), values_(values), vectors_(vectors) {
    states_.assign(static_cast<std::size_t>(values.size()), State(problem.frame().model()));
    for_each_index(static_cast<int>(values.size()), [&](int i) {
      problem.set_motion(vectors.col(i), states_[static_cast<std::size_t>(i)]);
    });
  }

  ModeErrors estimate() const {
    const int members = problem_.unknowns().count.size();
    std::vector<std::vector<ModeErrors::Part>> by_member(static_cast<std::size_t>(members));
    for_each_range(members, [&](int begin, int end) {
      std::optional<Extended> extended;
      for (int i = begin; i < end; ++i) {
        const MemberId id(i);
        const ModeMember& m = problem_.member(id);
        const FunctionCounts& counts = problem_.counts()[id];
        if (!problem_.frame().variant().present[id]) continue;
        if (m.properties.kind != MemberKind::frame) continue;
        if (!extended || !same(*extended, m, counts)) {
          extended.emplace(m, problem_.driver(), counts);
        }
        by_member[static_cast<std::size_t>(i)] = of_member(id, m, *extended);
      }
    });
    ModeErrors errors;
    errors.total.assign(static_cast<std::size_t>(values_.size()), 0);
    for (auto& parts : by_member) {
      for (ModeErrors::Part& part : parts) {
        for (std::size_t k = 0; k < part.of_mode.size(); ++k) {
          errors.total[k] += part.of_mode[k][0] + part.of_mode[k][1];
        }
        errors.parts.push_back(std::move(part));
      }
    }
    return errors;
  }

 private:
  bool same(const Extended& e, const ModeMember& m, const FunctionCounts& counts) const {
    FunctionCounts more = counts;
    for (const Family f : kFamilies) {
      if (has_functions(m, problem_.driver(), f)) more[at(f)] += 2;
    }
    return e.shapes.fit(m, more);
  }

  std::vector<ModeErrors::Part> of_member(MemberId id, const ModeMember& m,
                                          const Extended& e) const {
    const MemberShapes::Matrices all = e.shapes.matrices(m);
    const Eigen::MatrixXd drives = all.drives(e.next, e.kept), stays = all.stays(e.next, e.kept);
    const Eigen::MatrixXd drives_ff = all.drives(e.next, e.next),
                          stays_ff = all.stays(e.next, e.next);
    const auto modes = static_cast<std::size_t>(values_.size());
    const auto count = static_cast<Eigen::Index>(e.next.size());
    std::vector<ModeErrors::Part> parts;
    if (count == 0 || modes == 0) return parts;
    if (drives.isZero(0) && stays.isZero(0) && drives_ff.isZero(0)) return parts;
    for (const Family f : kFamilies) {
      if (e.begin[at(f)] == e.end[at(f)]) continue;
      ModeErrors::Part part;
      part.member = id;
      part.family = f;
      part.of_mode.resize(modes);
      const double last = values_[values_.size() - 1];
      part.wave = wave(m, problem_.driver(), f, last);
      part.too_few = too_few(m, f, e, last, drives_ff, stays_ff);
      parts.push_back(part);
    }
    for (std::size_t k = 0; k < modes; ++k) {
      const auto column = static_cast<Eigen::Index>(k);
      const double value = values_[column];
      const VectorXd phi = problem_.coefficients(id, states_[k], vectors_.col(column));
      const VectorXd r = value * (drives * phi) - stays * phi;
      const Eigen::MatrixXd A =
          Eigen::MatrixXd::Identity(count, count) + stays_ff - value * drives_ff;
      const Eigen::LLT<Eigen::MatrixXd> llt(A);
      const bool good = llt.info() == Eigen::Success;
      const VectorXd x = good ? VectorXd(llt.solve(r)) : r;
      for (ModeErrors::Part& part : parts) {
        part.too_few = part.too_few || !good;
        const int b = e.begin[at(part.family)], h = e.half[at(part.family)];
        part.of_mode[k] = {r.segment(b, h).dot(x.segment(b, h)),
                           r.segment(b + h, h).dot(x.segment(b + h, h))};
        // φᵀKφ = 1; with a shift the value's own part of it is value/(value + shift).
        const double whole = value > 0 ? value / (value + problem_.shift()) : 1;
        for (double& v : part.of_mode[k]) v = std::max(v, 0.0) / whole;
      }
    }
    return parts;
  }

  bool too_few(const ModeMember& m, Family f, const Extended& e, double value,
               const Eigen::MatrixXd& drives, const Eigen::MatrixXd& stays) const {
    constexpr double kClear = 0.3;
    const int b = e.begin[at(f)], n = e.end[at(f)] - b;
    const Eigen::MatrixXd A = Eigen::MatrixXd::Identity(n, n) + stays.block(b, b, n, n) -
                              value * drives.block(b, b, n, n);
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
    const double lowest =
        Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd>(A, Eigen::EigenvaluesOnly).eigenvalues()[0];
    return lowest < kClear * softened;
  }

  const ModeProblem& problem_;
  const VectorXd& values_;
  const Eigen::MatrixXd& vectors_;
  std::vector<State> states_;
};

}  // namespace

ModeErrors estimate_errors(const ModeProblem& problem, const VectorXd& values,
                           const Eigen::MatrixXd& vectors) {
  return Estimator(problem, values, vectors).estimate();
}

ModeProblem::Counts enough_functions(const ModeProblem& problem, const ModeErrors& errors,
                                     int wanted, double tolerance) {
  ModeProblem::Counts counts = problem.counts();
  const auto modes = std::min(errors.total.size(), static_cast<std::size_t>(std::max(wanted, 0)));
  std::vector<int> added(errors.parts.size(), 0);
  /// What is left of a part in a mode after so many more functions: those that come next go, and
  /// the rest falls with the wave number.
  const auto left = [&](std::size_t i, std::size_t mode) {
    const ModeErrors::Part& p = errors.parts[i];
    const auto& [first, second] = p.of_mode[mode];
    if (added[i] == 0) return first + second;
    const double n = counts[p.member][at(p.family)];
    const double q = std::clamp(std::pow(p.wave / ((2 * n + 7) * (2 * n + 9)), 2), 1e-6, 0.1);
    const double tail = q * (first + second);
    return added[i] == 1 ? second + tail : tail * std::pow(q, (added[i] - 2) / 2.0);
  };
  for (std::size_t i = 0; i < errors.parts.size(); ++i) {
    if (errors.parts[i].too_few) added[i] = 2;
  }
  for (std::size_t mode = 0; mode < modes; ++mode) {
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
      const ModeErrors::Part& p = errors.parts[i];
      if (counts[p.member][at(p.family)] + added[i] >= kMostFunctions) continue;
      ++added[i];
      const double after = left(i, mode);
      sum += after - before;
      worst.emplace_back(after, i);
      std::push_heap(worst.begin(), worst.end());
    }
  }
  for (std::size_t i = 0; i < errors.parts.size(); ++i) {
    int& count = counts[errors.parts[i].member][at(errors.parts[i].family)];
    count = std::min(count + added[i], kMostFunctions);
  }
  return counts;
}

}  // namespace ulterix
