#include "core/analysis/eigen_frame.hpp"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/parallel.hpp"
#include "core/results/recovery.hpp"
#include "core/solve/packs.hpp"

namespace ulterix {

namespace {

/// Axes of members are kept for figures up to this many members.
constexpr int kMostDrawn = 2500;
constexpr int kStations = 16;

template <class Factor>
void solve_pack_by(const InnerElimination& inner, const Factor& outer, Pack& pack) {
  inner.solve_pack(pack.row(0), [&outer](double* rest) { outer.solve_pack(rest); });
}

/// W and K·W of X: act(x, w, kw) sets them pack by pack.
template <class Act>
EigenProblem::Block applied_in_packs(const Eigen::MatrixXd& X, const Act& act) {
  EigenProblem::Block block{Eigen::MatrixXd(X.rows(), X.cols()),
                            Eigen::MatrixXd(X.rows(), X.cols())};
  for_each_pack(X.rows(), X.cols(), [&](Eigen::Index first, Eigen::Index width) {
    const Pack x(X, first, width);
    Pack w(X.rows()), kw(X.rows());
    act(x, w, kw);
    w.copy_to(block.W, first, width);
    kw.copy_to(block.KW, first, width);
  });
  return block;
}

/// A cubic with values and slopes at both ends of 0 .. 1, and its slope.
std::array<double, 2> cubic(double a, double slope_a, double b, double slope_b, double x) {
  const double c = 3 * (b - a) - 2 * slope_a - slope_b, d = 2 * (a - b) + slope_a + slope_b;
  return {a + x * (slope_a + x * (c + x * d)), slope_a + x * (2 * c + 3 * x * d)};
}

/// Global motion of a piece's axis at 0 .. 1 of its length, as if it were joined at its ends.
Vector6d motion_within(const FrameSystem& system, MemberId piece, const State& state, double x) {
  const Vector12d e = system.end_motion(piece, state).nodes;
  const double l = element_properties(system.variant(), piece).length;
  const auto v = cubic(e[1], l * e[5], e[7], l * e[11], x);
  const auto w = cubic(e[2], -l * e[4], e[8], -l * e[10], x);
  const auto between = [&](int i) { return e[i] + x * (e[i + 6] - e[i]); };
  const Matrix3d& R = system.axes(piece);
  Vector6d motion;
  motion << R.transpose() * Vector3d(between(0), v[0], w[0]),
      R.transpose() * Vector3d(between(3), -w[1] / l, v[1] / l);
  return motion;
}

/// Energy of the given end directions under a local stiffness.
template <std::size_t N>
double energy(const Matrix12d& K, const Vector12d& ends, const std::array<int, N>& directions) {
  double sum = 0;
  for (const int i : directions) {
    for (const int j : directions) sum += ends[i] * K(i, j) * ends[j];
  }
  return sum / 2;
}

MemberShare member_energy(const ElementProperties& p, const Matrix12d& K, const Vector12d& ends) {
  MemberShare e;
  const Vector12d force = K * ends;
  e.whole = ends.dot(force) / 2;
  if (p.kind != MemberKind::frame) return e;
  e.about_y = energy(K, ends, std::array<int, 4>{2, 4, 8, 10});
  e.about_z = energy(K, ends, std::array<int, 4>{1, 5, 7, 11});
  // The shear force is constant along an unloaded piece.
  e.shear_y = force[2] * force[2] * p.length * p.shear_flexibility_z / 2;
  e.shear_z = force[1] * force[1] * p.length * p.shear_flexibility_y / 2;
  e.twist = energy(K, ends, std::array<int, 2>{3, 9});
  return e;
}

/// Calls act(part of a, part of b) for every energy of a share.
template <class Act>
void each_part(MemberShare& a, const MemberShare& b, const Act& act) {
  act(a.whole, b.whole);
  act(a.about_y, b.about_y);
  act(a.about_z, b.about_z);
  act(a.shear_y, b.shear_y);
  act(a.shear_z, b.shear_z);
  act(a.twist, b.twist);
}

void divide(MemberShare& e, double whole) {
  if (whole <= 0) return;
  each_part(e, e, [whole](double& part, double) { part /= whole; });
}

/// Displacements along a member at equal stations, its inner nodes in between.
std::vector<Vector3d> axis_of(const EigenFrame& eigen, MemberId id, const State& unloaded,
                              const State& state) {
  const SplitFrame& split = eigen.split;
  const auto& pieces = split.pieces_of[id];
  const int count = static_cast<int>(pieces.size());
  const int each = std::max(1, kStations / count);
  std::vector<Vector3d> axis;
  for (const MemberId piece : pieces) {
    const ElementProperties p = element_properties(split.system->variant(), piece);
    const Element element = split.system->element(piece, MemberLoading::none(p.length), unloaded);
    const MemberLine line = element.line(split.system->end_motion(piece, state).nodes);
    const Matrix3d& R = split.system->axes(piece);
    for (int i = axis.empty() ? 0 : 1; i <= each; ++i) {
      axis.emplace_back(R.transpose() * line.at(p.length * i / each).displacement);
    }
  }
  return axis;
}

/// Node and direction (from `first`) of the largest component; reluctant, so that the first of
/// equals wins whatever the rounding.
void find_largest(const State& state, int nodes, int first, NodeId& node, int& direction,
                  double& size) {
  size = 0;
  for (int n = 0; n < nodes; ++n) {
    const Vector6d u = state.nodes[NodeId(n)].vector();
    for (int d = first; d < first + 3; ++d) {
      if (std::abs(u[d]) <= size * (1 + 1e-6)) continue;
      size = std::abs(u[d]);
      node = NodeId(n);
      direction = d;
    }
  }
}

}  // namespace

void EigenFrame::factorise() {
  inner_ = std::make_shared<InnerElimination>(pattern(), stiffness, system().inner_size());
  definite = inner_->definite();
  if (!definite) return;
  const SymmetricPattern& outer = whole->system->pattern();
  own_ = std::make_unique<Factorisation>(outer);
  definite =
      own_->factorise(inner_->rest(pattern(), stiffness, outer)) == FactorStatus::positive_definite;
}

void EigenFrame::solve(Eigen::MatrixXd& X) const {
  change_in_packs(X, [this](Pack& pack) { solve(pack); });
}

const Factorisation& EigenFrame::rest_factor() const {
  return own_ ? *own_ : *whole->factor;
}

void EigenFrame::solve(Pack& pack) const {
  solve_pack_by(*inner_, rest_factor(), pack);
}

void EigenFrame::solve_rest_nearly(Pack& pack) const {
  rest_factor().solve_pack_nearly(pack.row(0));
}

Condensed EigenFrame::condensed() const {
  if (!own_) return {inner_, whole->stiffness};
  return {inner_, inner_->rest(pattern(), stiffness, whole->system->pattern())};
}

Condensed condensed(const EigenFrame& frame, const std::vector<double>& values) {
  Condensed result;
  const auto inner =
      std::make_shared<InnerElimination>(frame.pattern(), values, frame.system().inner_size());
  if (inner->regular()) {
    result.rest = inner->rest(frame.pattern(), values, frame.whole->system->pattern());
  }
  result.inner = inner;
  return result;
}

std::optional<IndefiniteFrameFactor> IndefiniteFrameFactor::make(const EigenFrame& frame,
                                                                 const std::vector<double>& values,
                                                                 Keep keep) {
  IndefiniteFrameFactor factor;
  factor.condensed_ = ulterix::condensed(frame, values);
  const std::shared_ptr<const InnerElimination>& inner = factor.condensed_.inner;
  const std::vector<double>& rest = factor.condensed_.rest;
  if (!inner->regular()) return std::nullopt;
  const SymmetricPattern& outer = frame.whole->system->pattern();
  const auto analysis = frame.whole->factor->analysis();
  const auto make = [&](Precision precision) {
    factor.outer_ = IndefiniteFactor::make(outer, rest, precision, analysis);
  };
  if (is_large(*frame.whole->system)) make(Precision::single_numbers);
  if (!factor.outer_ && keep == Keep::factor) make(Precision::double_numbers);
  std::optional<int> negative;
  if (factor.outer_) {
    negative = factor.outer_->negative_eigenvalues();
  } else if (keep == Keep::count_only) {
    negative = ulterix::negative_eigenvalues(outer, rest, analysis);
  }
  if (!negative) return std::nullopt;
  factor.negative_ = inner->negative() + *negative;
  return factor;
}

void IndefiniteFrameFactor::solve(Pack& pack) const {
  solve_pack_by(*condensed_.inner, *outer_, pack);
}

EigenFrame make_eigen_frame(const ElasticFrame& frame, const IndexedVector<MemberId, int>& counts,
                            const std::function<std::vector<double>(const SplitFrame&)>& acting) {
  EigenFrame eigen;
  eigen.whole = &frame;
  eigen.split = split_frame(*frame.system, counts);
  const FrameSystem& system = *eigen.split.system;
  const AppliedLoads nothing(system.variant(), LoadSet{});
  eigen.elastic = system.assemble(nothing, State(system.model())).values;
  eigen.stiffness = eigen.elastic;
  const std::vector<double> added = acting ? acting(eigen.split) : std::vector<double>();
  if (added.empty()) {
    eigen.inner_ =
        std::make_shared<InnerElimination>(eigen.pattern(), eigen.elastic, system.inner_size());
    eigen.definite = frame.stands() && eigen.inner_->definite();
    return eigen;
  }
  for (std::size_t i = 0; i < added.size(); ++i) eigen.stiffness[i] += added[i];
  eigen.factorise();
  return eigen;
}

Eigen::MatrixXd carried_over(const Model& frame, const SplitFrame& from,
                             const Eigen::MatrixXd& vectors, const SplitFrame& to) {
  Eigen::MatrixXd carried = Eigen::MatrixXd::Zero(to.system->pattern().size, vectors.cols());
  tbb::parallel_for(0, static_cast<int>(vectors.cols()), [&](int i) {
    State state(*from.model);
    from.system->set_motion(vectors.col(i), state);
    VectorXd q = VectorXd::Zero(carried.rows());
    const auto give = [&](NodeId node, const Vector6d& motion) {
      to.system->dofs().add_force(node, motion, q);
    };
    for (const NodeId n : frame.nodes.ids()) give(n, state.nodes[n].vector());
    for (const MemberId id : to.pieces_of.ids()) {
      const auto &coarse = from.pieces_of[id], &fine = to.pieces_of[id];
      for (std::size_t k = 0; k + 1 < fine.size(); ++k) {
        const double at = to.pieces[fine[k]].to * double(coarse.size());
        const auto piece = std::min(static_cast<std::size_t>(at), coarse.size() - 1);
        give(to.model->members[fine[k]].end,
             motion_within(*from.system, coarse[piece], state, at - double(piece)));
      }
    }
    carried.col(i) = q;
  });
  return carried;
}

ModeAccuracy mode_accuracy(const FrameSystem& frame) {
  constexpr int kSmall = 500;
  const int size = frame.dofs().size();
  if (size < kSmall) return {5e-5, 1e-8};
  return {5e-4, size < kLargeFrame ? 1e-6 : 3e-5};
}

EigenProblem eigen_problem(const Pencil& pencil, const SolvePack& solve) {
  EigenProblem problem;
  problem.size = pencil.pattern.size;
  problem.multiply_K = [pencil](const Eigen::MatrixXd& X) {
    return multiply_block(pencil.pattern, pencil.K, X);
  };
  problem.apply = [pencil, solve](const Eigen::MatrixXd& X) {
    return applied_in_packs(X, [&](const Pack& x, Pack& w, Pack& kw) {
      multiply_pack(pencil.pattern, pencil.B, x.row(0), kw.row(0));
      std::copy(kw.row(0), kw.row(kw.rows()), w.row(0));
      solve(w);
    });
  };
  return problem;
}

EigenProblem shifted_problem(const Pencil& pencil, double shift, const SolvePack& solve) {
  EigenProblem problem = eigen_problem(pencil, solve);
  problem.renew = true;
  problem.apply = [pencil, shift, solve](const Eigen::MatrixXd& X) {
    return applied_in_packs(X, [&](const Pack& x, Pack& w, Pack& kw) {
      Pack bx(x.rows());
      multiply_pack(pencil.pattern, pencil.B, x.row(0), bx.row(0));
      std::transform(bx.row(0), bx.row(bx.rows()), w.row(0), std::negate<>());
      solve(w);
      // K·W by way of B: carried along from K·X it would drift.
      multiply_pack(pencil.pattern, pencil.B, w.row(0), kw.row(0));
      std::transform(kw.row(0), kw.row(kw.rows()), bx.row(0), kw.row(0),
                     [shift](double bw, double b) { return shift * bw - b; });
    });
  };
  return problem;
}

LinearAlong axial_along(const MemberLine& line, const PieceOf& piece) {
  constexpr double kGauss = 0.211324865405187;
  const double L = line.length(), l = (piece.to - piece.from) * L;
  const double a = line.at(piece.from * L + kGauss * l).forces[kN];
  const double b = line.at(piece.from * L + (1 - kGauss) * l).forces[kN];
  const double slope = (b - a) / (1 - 2 * kGauss), mean = (a + b) / 2;
  return {mean - slope / 2, mean + slope / 2};
}

IndexedVector<MemberId, LinearAlong> piece_forces(const Recovery& state, const SplitFrame& split) {
  IndexedVector<MemberId, LinearAlong> forces(split.pieces.size());
  IndexedVector<MemberId, LinearAlong> lines(state.frame().model().members.size());
  for_each_index(lines.size(), [&](int i) {
    const MemberId id(i);
    if (!state.frame().variant().present[id]) return;
    const MemberLine line = state.line(id);
    lines[id] = axial_along(line, {id, 0, 1});
    for (const MemberId piece : split.pieces_of[id]) {
      forces[piece] = axial_along(line, split.pieces[piece]);
    }
  });
  for (const MemberId piece : split.model->members.ids()) {
    if (split.pieces[piece].torsion_only) forces[piece] = lines[split.pieces[piece].member];
  }
  return forces;
}

std::vector<double> geometric_values(const SplitFrame& split,
                                     const IndexedVector<MemberId, LinearAlong>& axial) {
  const FrameSystem& system = *split.system;
  return system.assemble_matrix([&](MemberId id) -> Matrix12d {
    const LinearAlong& N = axial[id];
    if (N.start == 0 && N.end == 0) return Matrix12d::Zero();
    const ElementProperties p = element_properties(system.variant(), id);
    const PieceOf& piece = split.pieces[id];
    const bool bends = !piece.torsion_only;
    const ActiveMotions motions{bends && system.bends(id, true), bends && system.bends(id, false),
                                piece.carries_torsion && system.model().plane == Plane::space};
    return at_nodes(split, id, geometric_stiffness(p, N, motions));
  });
}

ModeShape mode_shape(const FrameSystem& frame, const EigenFrame& eigen, const VectorXd& phi,
                     double* scale) {
  const Model& model = frame.model();
  State state(*eigen.split.model);
  eigen.system().set_motion(phi, state);
  ModeShape shape;
  double translation = 0, rotation = 0, along = 0;
  find_largest(state, model.nodes.size(), 0, shape.furthest, shape.direction, translation);
  find_largest(state, model.nodes.size(), 3, shape.turning, shape.rotation, rotation);
  if (model.members.size() <= kMostDrawn) {
    shape.axes = IndexedVector<MemberId, std::vector<Vector3d>>(model.members.size());
    const State unloaded(*eigen.split.model);
    for (const MemberId id : model.members.ids()) {
      shape.axes[id] = axis_of(eigen, id, unloaded, state);
      for (const Vector3d& u : shape.axes[id]) along = std::max(along, u.cwiseAbs().maxCoeff());
    }
  }
  const double size = model.size();
  shape.only_rotations = std::max(translation, along) < 1e-7 * rotation * size;
  double unit = translation;
  if (translation < 1e-6 * along) unit = along;
  if (shape.only_rotations) unit = rotation;
  double factor = unit > 0 ? 1 / unit : 1;
  // The largest component is positive.
  if (shape.furthest.valid() && unit == translation &&
      state.nodes[shape.furthest].vector()[shape.direction] < 0) {
    factor = -factor;
  }
  shape.nodes = IndexedVector<NodeId, NodeMotion>(model.nodes.size());
  for (const NodeId n : model.nodes.ids()) {
    shape.nodes[n] = {factor * state.nodes[n].translation, factor * state.nodes[n].rotation};
  }
  for (auto& axis : shape.axes) {
    for (Vector3d& u : axis) u *= factor;
  }
  if (scale != nullptr) *scale = factor;
  return shape;
}

std::vector<ModeEnergy> mode_energies(const FrameSystem& frame, const EigenFrame& eigen,
                                      const Eigen::MatrixXd& vectors) {
  const auto count = static_cast<std::size_t>(vectors.cols());
  std::vector<ModeEnergy> results(count);
  std::vector<State> states(count, State(*eigen.split.model));
  std::vector<double> whole(count);
  const Eigen::MatrixXd forces = multiply_block(eigen.pattern(), eigen.elastic, vectors);
  tbb::parallel_for(std::size_t{0}, count, [&](std::size_t i) {
    const auto column = static_cast<Eigen::Index>(i);
    eigen.system().set_motion(vectors.col(column), states[i]);
    whole[i] = vectors.col(column).dot(forces.col(column)) / 2;
    results[i].elastic = 2 * whole[i];
    results[i].shares = IndexedVector<MemberId, MemberShare>(frame.model().members.size());
    results[i].pieces = IndexedVector<MemberId, MemberShare>(eigen.split.pieces.size());
  });
  const State unloaded(*eigen.split.model);
  const FrameSystem& system = eigen.system();
  const tbb::blocked_range<int> all(0, eigen.split.pieces.size());
  tbb::parallel_for(all, [&](const tbb::blocked_range<int>& range) {
    // Pieces one after the other are often alike.
    std::optional<ElementProperties> known;
    Matrix12d K;
    for (int piece = range.begin(); piece < range.end(); ++piece) {
      const MemberId id(piece);
      if (!system.variant().present[id]) continue;
      const ElementProperties p = element_properties(system.variant(), id);
      if (p != known) {
        K = system.element(id, MemberLoading::none(p.length), unloaded).stiffness();
        known = p;
      }
      for (std::size_t i = 0; i < count; ++i) {
        MemberShare e = member_energy(p, K, system.end_motion(id, states[i]).nodes);
        divide(e, whole[i]);
        results[i].pieces[id] = e;
      }
    }
  });
  tbb::parallel_for(std::size_t{0}, count, [&](std::size_t i) {
    ModeEnergy& mode = results[i];
    for (const MemberId id : eigen.split.model->members.ids()) {
      each_part(mode.shares[eigen.split.pieces[id].member], mode.pieces[id],
                [](double& part, double added) { part += added; });
    }
  });
  return results;
}

}  // namespace ulterix
