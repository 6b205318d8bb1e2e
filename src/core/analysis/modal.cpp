#include "core/analysis/modal.hpp"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "core/analysis/eigen_frame.hpp"
#include "core/analysis/mass.hpp"
#include "core/analysis/mode_search.hpp"
#include "core/analysis/restraints.hpp"
#include "core/analysis/split_plan.hpp"
#include "core/parallel.hpp"
#include "core/solve/conjugate_gradients.hpp"
#include "core/system/mechanism_words.hpp"

namespace ulterix {

namespace {

using Counts = IndexedVector<MemberId, int>;

constexpr int kDefaultModes = 10, kMostModes = 300;
constexpr int kMostPasses = 4, kMostVectors = 600;
/// Modes that are looked through for how many would be enough, and how well.
constexpr int kMostTold = 60;
constexpr double kTellTolerance = 1e-2;
/// The error of ω² over that of ω.
constexpr double kTwice = 2;
/// ω² below this part of the shift is a rigid motion.
constexpr double kRigidMotion = 1e-6;
/// Mass in a direction below this part of the largest is none.
constexpr double kNoMass = 1e-12;

class ModalSolver {
 public:
  ModalSolver(const ElasticFrame& whole, const AnalysisSpec& spec, const Step* state)
      : whole_(whole),
        frame_(*whole.system),
        model_(frame_.model()),
        spec_(spec),
        mass_(frame_),
        accuracy_(mode_accuracy(frame_)) {
    if (state != nullptr) stressed_.emplace(frame_, *state);
    wanted_ = spec.modes > 0 ? spec.modes : kDefaultModes;
  }

  Outcome solve(ModalResult& result) {
    if (mass_.empty())
      return {
          Verdict::no_mass, "nothing has mass: give density, [mass] nodes or from_loads", {}, 0, 0};
    find_totals(result);
    counts_ = first_counts();
    for (;;) {
      Outcome outcome = settle_on_split();
      if (!outcome.stands()) return outcome;
      excitation_ = excitations();
      if (!asks_for_participation() || reached(result) || wanted_ >= kMostModes || exhausted_)
        break;
      wanted_ = std::min(2 * wanted_, kMostModes);
    }
    certify(result);
    report(result);
    find_by_hand(result);
    look_further(result);
    return {};
  }

  /// Only the lowest frequency, Hz.
  std::optional<double> lowest() {
    wanted_ = 1;
    if (mass_.empty()) return std::nullopt;
    counts_ = first_counts();
    if (!settle_on_split().stands() || omegas_.size() == 0) return std::nullopt;
    return omegas_[0] / (2 * M_PI);
  }

 private:
  bool asks_for_participation() const {
    return spec_.until[0] > 0 || spec_.until[1] > 0 || spec_.until[2] > 0;
  }

  void find_totals(ModalResult& result) const {
    const SplitFrame whole = split_frame(frame_, Counts(model_.members.size(), 1));
    const auto force = mass_.inertia(whole);
    for (const NodeId n : whole.model->nodes.ids()) {
      const Matrix6d u = rigid_motions(whole.system->variant().position(n));
      for (std::size_t d = 0; d < force.size(); ++d) {
        result.total[d] += u.col(static_cast<Eigen::Index>(d)).dot(force[d][n]);
      }
    }
    result.nodal_mass = mass_.shared_to_nodes();
  }

  /// As many pieces as give some free motions a mode.
  Counts first_counts() const {
    const int free = std::max(1, frame_.dofs().size());
    const int pieces = std::clamp(3 * wanted_ / free + 1, 1, 16);
    Counts counts(model_.members.size(), 1);
    for (const MemberId id : model_.members.ids()) {
      if (mass_.along(id, 0, 1).translation.mean() > 0) counts[id] = pieces;
    }
    return counts;
  }

  Outcome settle_on_split() {
    for (int pass = 0;; ++pass) {
      if (!search_) {
        Outcome outcome = build();
        if (!outcome.stands()) return outcome;
        search_.emplace(eigen_, mass_values_, kMostVectors);
      }
      // The first look is only to tell how to split.
      take(pass == 0 ? search_->look(wanted_) : search_->find(wanted_, accuracy_.residual));
      const bool fine = omegas_.size() >= wanted_ && plan_->fine(kTwice * accuracy_.split);
      if (pass + 1 < kMostPasses && !fine && split_further()) continue;
      if (pass == 0) take(search_->find(wanted_, accuracy_.residual));
      return {};
    }
  }

  /// True if the frame has to be built again.
  bool split_further() {
    Counts needed = plan_->counts(kTwice * accuracy_.split);
    const bool few = omegas_.size() < wanted_ && can_be_split();
    for (const MemberId id : model_.members.ids()) {
      const bool frame = model_.members[id].kind == MemberKind::frame;
      if (few && frame) needed[id] = std::min(2 * needed[id], kMostPieces);
    }
    exhausted_ = omegas_.size() < wanted_ && !few;
    if (!raise(counts_, needed)) return false;
    search_.reset();
    return true;
  }

  /// Splitting brings modes only where mass lies along members.
  bool can_be_split() const {
    for (const MemberId id : model_.members.ids()) {
      const bool massive = mass_.along(id, 0, 1).translation.mean() > 0;
      if (massive && model_.members[id].kind == MemberKind::frame && counts_[id] < kMostPieces) {
        return true;
      }
    }
    return false;
  }

  Outcome build() {
    eigen_ = make_eigen_frame(whole_, counts_, [this](const SplitFrame& split) {
      if (!stressed_) return std::vector<double>();
      axial_ = piece_forces(*stressed_, split);
      return geometric_values(split, axial_);
    });
    mass_values_ = mass_.values(eigen_.split);
    shift_ = 0;
    if (eigen_.definite) return {};
    if (stressed_) {
      return {Verdict::above_critical_load,
              "the state is above the critical load: it does not vibrate, it buckles",
              {},
              0,
              0};
    }
    return shift_by_mass();
  }

  /// A free structure: K + σM holds where mass is.
  Outcome shift_by_mass() {
    double K = 0, M = 0;
    for (int q = 0; q < eigen_.pattern().size; ++q) {
      if (eigen_.system().dofs().direction_of(q) >= 3) continue;
      const auto at =
          static_cast<std::size_t>(eigen_.pattern().column_start[static_cast<std::size_t>(q)]);
      K += eigen_.stiffness[at];
      M += mass_values_[at];
    }
    shift_ = M > 0 ? 1e-5 * K / M : 0;
    for (std::size_t i = 0; i < mass_values_.size(); ++i) {
      eigen_.stiffness[i] += shift_ * mass_values_[i];
    }
    eigen_.factorise();
    if (eigen_.definite) return {};
    return {
        Verdict::mechanism, "a part without mass moves freely: hold it, or give it mass", {}, 0, 0};
  }

  void take(const EigenPairs& pairs) {
    theta_ = pairs.theta;
    converged_ = pairs.converged;
    vectors_ = pairs.vectors;
    residuals_ = pairs.residuals.cwiseQuotient(pairs.theta);
    omegas_.resize(theta_.size());
    for (Eigen::Index i = 0; i < theta_.size(); ++i) {
      const double square = 1 / theta_[i] - shift_;
      omegas_[i] =
          shift_ > 0 && square < kRigidMotion * shift_ ? 0 : std::sqrt(std::max(square, 0.0));
    }
    energies_ = mode_energies(frame_, eigen_, vectors_);
    plan_split();
  }

  /// κ of bending about one axis, from EI·κ⁴ = |N|·κ² + ω²m.
  static double wave_number(double omega, double mass, double N, double EI) {
    if (EI <= 0) return 0;
    const double k2 = std::abs(N) / EI, b4 = omega * omega * mass / EI;
    return std::sqrt((k2 + std::sqrt(k2 * k2 + 4 * b4)) / 2);
  }

  /// What every mode puts on every piece: ω²·m·w, and N·w'' with EI·w''² from the bending energy.
  std::vector<IndexedVector<MemberId, PieceLoad>> piece_loads() const {
    const SplitFrame& split = eigen_.split;
    const auto count = static_cast<std::size_t>(omegas_.size());
    std::vector<State> states(count, State(*split.model));
    tbb::parallel_for(std::size_t{0}, count, [&](std::size_t i) {
      eigen_.system().set_motion(vectors_.col(static_cast<Eigen::Index>(i)), states[i]);
    });
    std::vector<IndexedVector<MemberId, PieceLoad>> loads(
        count, IndexedVector<MemberId, PieceLoad>(split.pieces.size()));
    LineMass unit;
    unit.translation = {1, 1};
    for_each_index(split.model->members.size(), [&](int index) {
      const MemberId piece(index);
      const PieceOf& place = split.pieces[piece];
      if (place.torsion_only || !eigen_.system().variant().present[piece]) return;
      const ElementProperties p = element_properties(eigen_.system().variant(), piece);
      // Mean squares of displacement.
      const Matrix12d M = at_nodes(split, piece, mass_matrix(p, unit, false) / p.length);
      const double mass = mass_.along(place.member, place.from, place.to).translation.mean();
      const double N = stressed_ ? axial_[piece].mean() : 0;
      for (std::size_t i = 0; i < count; ++i) {
        const Vector12d ends = eigen_.system().end_motion(piece, states[i]).nodes;
        const double inertia = std::pow(omegas_[static_cast<Eigen::Index>(i)], 2) * mass;
        const MemberShare& s = energies_[i].pieces[piece];
        const auto squared = [&](std::initializer_list<int> directions, double share, double EI) {
          double displaced = 0;
          for (const int a : directions) {
            for (const int b : directions) displaced += ends[a] * M(a, b) * ends[b];
          }
          const double curved =
              EI > 0 ? N * N * std::max(share, 0.0) * energies_[i].elastic / (EI * p.length) : 0;
          return std::pow(inertia * std::sqrt(std::max(displaced, 0.0)) + std::sqrt(curved), 2);
        };
        loads[i][piece] = {squared({2, 4, 8, 10}, s.about_y - s.shear_y, p.EIy),
                           squared({1, 5, 7, 11}, s.about_z - s.shear_z, p.EIz),
                           squared({0, 6}, 0, 0)};
      }
    });
    return loads;
  }

  /// Errors of the modes by the present split, and the pieces that bring them to the tolerance.
  void plan_split() {
    SplitPlan& plan = plan_.emplace(eigen_, counts_);
    // φᵀKφ = ω²·φᵀMφ.
    const VectorXd strains = omegas_.array().square() * theta_.array();
    errors_ = plan.add_modes(omegas_, piece_loads(), strains, wanted_);
    for (double& error : errors_) error /= kTwice;
    const Eigen::Index last = std::min<Eigen::Index>(omegas_.size(), wanted_) - 1;
    if (last < 0) return;
    for (const MemberId id : model_.members.ids()) {
      const ElementProperties p = element_properties(frame_.variant(), id);
      const LineMass line = mass_.along(id, 0, 1);
      const double mass = std::max(line.translation.start, line.translation.end);
      const double N = stressed_ ? axial_along(stressed_->line(id), {id, 0, 1}).mean() : 0;
      if (frame_.bends(id, true)) {
        plan.keep_modes_of(id, wave_number(omegas_[last], mass, N, p.EIy));
      }
      if (frame_.bends(id, false)) {
        plan.keep_modes_of(id, wave_number(omegas_[last], mass, N, p.EIz));
      }
    }
  }

  /// M·r of the rigid motions on the unknowns.
  std::array<VectorXd, 6> excitations() const {
    const auto force = mass_.inertia(eigen_.split);
    std::array<VectorXd, 6> b;
    for (std::size_t d = 0; d < b.size(); ++d) {
      b[d] = VectorXd::Zero(eigen_.pattern().size);
      for (const NodeId n : eigen_.split.model->nodes.ids()) {
        eigen_.system().dofs().add_force(n, force[d][n], b[d]);
      }
    }
    return b;
  }

  bool reached(const ModalResult& result) const {
    const Eigen::Index count = std::min<Eigen::Index>(omegas_.size(), wanted_);
    for (int d = 0; d < 3; ++d) {
      const auto at = static_cast<std::size_t>(d);
      if (spec_.until[at] <= 0 || result.total[at] <= 0) continue;
      double sum = 0;
      for (Eigen::Index i = 0; i < count; ++i) {
        sum += std::pow(excitation_[at].dot(vectors_.col(i)), 2) / theta_[i];
      }
      if (100 * sum < spec_.until[at] * result.total[at]) return false;
    }
    return true;
  }

  void certify(ModalResult& result) {
    result.certificate = search_->prove(wanted_);
    result.certificate.below = std::sqrt(std::max(result.certificate.below - shift_, 0.0));
    if (search_->pairs().theta.size() != theta_.size()) take(search_->pairs());
  }

  VibrationMode reported(Eigen::Index i, const std::array<double, 6>& total) const {
    VibrationMode mode;
    mode.number = static_cast<int>(i) + 1;
    mode.omega = omegas_[i];
    mode.error = errors_[static_cast<std::size_t>(i)];
    mode.residual = residuals_[i];
    double scale = 1;
    mode.shape = mode_shape(frame_, eigen_, vectors_.col(i), &scale);
    mode.shares = energies_[static_cast<std::size_t>(i)].shares;
    mode.modal_mass = scale * scale * theta_[i];
    mode.rayleigh = rayleigh(vectors_.col(i));
    const double most = *std::max_element(total.begin(), total.begin() + 3);
    for (std::size_t d = 0; d < 6; ++d) {
      const bool none = d < 3 ? total[d] <= kNoMass * most : total[d] <= 0;
      if (none || !model_.uses_direction(static_cast<int>(d))) continue;
      const double work = excitation_[d].dot(vectors_.col(i));
      mode.factor[d] = scale * work / mode.modal_mass;
      mode.mass[d] = work * work / theta_[i];
    }
    return mode;
  }

  void report(ModalResult& result) {
    find_movable(result);
    const double bound = result.certificate.below;
    int count = 0;
    while (count < omegas_.size() && (count < wanted_ || omegas_[count] < bound)) ++count;
    result.modes.resize(static_cast<std::size_t>(count));
    tbb::parallel_for(0, count, [&](int i) {
      result.modes[static_cast<std::size_t>(i)] = reported(i, result.total);
    });
    result.rigid = static_cast<int>((omegas_.head(count).array() == 0).count());
    if (!converged_) result.remarks.emplace_back(kNotConverged);
    if (static_cast<int>(result.modes.size()) < wanted_) {
      result.remarks.push_back(fmt::format("{} modes asked, {} there are: no more mass can move",
                                           wanted_, result.modes.size()));
    }
  }

  /// Rayleigh's quotient of the deflection under M·r: ω² = bᵀu/(uᵀMu) with K·u = b.
  void find_by_hand(ModalResult& result) const {
    if (shift_ > 0) return;
    Eigen::MatrixXd b(eigen_.pattern().size, 3);
    for (std::size_t d = 0; d < 3; ++d) b.col(static_cast<Eigen::Index>(d)) = excitation_[d];
    Eigen::MatrixXd u = b;
    eigen_.solve(u);
    const Eigen::MatrixXd inertia = multiply_block(eigen_.pattern(), mass_values_, u);
    for (int d = 0; d < 3; ++d) {
      const auto at = static_cast<std::size_t>(d);
      const double mass = u.col(d).dot(inertia.col(d));
      if (result.movable[at] <= kNoMass * result.total[0] || mass <= 0) continue;
      result.by_hand[at] = std::sqrt(b.col(d).dot(u.col(d)) / mass);
    }
  }

  /// How many modes would reach enough mass where those asked for do not: told only where it is
  /// found at once.
  void look_further(ModalResult& result) {
    constexpr int kFewUnknowns = 20000;
    if (eigen_.pattern().size > kFewUnknowns || exhausted_) return;
    std::array<double, 3> short_of = {};
    bool any = false;
    for (std::size_t d = 0; d < 3; ++d) {
      double sum = 0;
      for (const VibrationMode& m : result.modes) sum += m.mass[d].value_or(0);
      const double enough = kEnoughMass / 100 * result.total[d];
      if (result.total[d] <= 0 || sum >= enough || result.movable[d] < enough) continue;
      short_of[d] = enough;
      any = true;
    }
    if (!any) return;
    const EigenPairs& pairs = search_->find(kMostTold, kTellTolerance);
    for (std::size_t d = 0; d < 3; ++d) {
      double sum = 0;
      for (Eigen::Index i = 0; i < pairs.theta.size() && short_of[d] > 0; ++i) {
        sum += std::pow(excitation_[d].dot(pairs.vectors.col(i)), 2) / pairs.theta[i];
        if (sum < short_of[d]) continue;
        result.enough[d] = static_cast<int>(i) + 1;
        break;
      }
    }
  }

  double rayleigh(const VectorXd& phi) const {
    const double stiffness = phi.dot(multiply(eigen_.pattern(), eigen_.stiffness, phi));
    const double mass = phi.dot(multiply(eigen_.pattern(), mass_values_, phi));
    return std::sqrt(std::max(stiffness / mass - shift_, 0.0));
  }

  /// bᵀ·M⁺·b.
  void find_movable(ModalResult& result) {
    const Preconditioner inverse = inverse_diagonal(eigen_.pattern(), mass_values_);
    CgOptions options;
    options.iterations = 300;
    options.tolerance = 1e-7;
    tbb::parallel_for(std::size_t{0}, std::size_t{3}, [&](std::size_t d) {
      VectorXd x = VectorXd::Zero(eigen_.pattern().size);
      conjugate_gradients(eigen_.pattern(), mass_values_, inverse, excitation_[d], x, options);
      result.movable[d] = excitation_[d].dot(x);
    });
  }

  const ElasticFrame& whole_;
  const FrameSystem& frame_;
  const Model& model_;
  const AnalysisSpec& spec_;
  FrameMass mass_;
  ModeAccuracy accuracy_;
  std::optional<Recovery> stressed_;
  int wanted_ = 0;
  bool exhausted_ = false, converged_ = true;
  Counts counts_;
  std::optional<SplitPlan> plan_;
  std::vector<double> errors_;  // of each mode, by the split
  EigenFrame eigen_;
  IndexedVector<MemberId, LinearAlong> axial_;
  std::vector<double> mass_values_;
  std::array<VectorXd, 6> excitation_;  // M·r of the rigid motions on the present split
  std::optional<ModeSearch> search_;
  double shift_ = 0;
  Eigen::VectorXd theta_, omegas_, residuals_;
  Eigen::MatrixXd vectors_;
  std::vector<ModeEnergy> energies_;
};

/// df/dk = φ²/(φᵀMφ)/(4π·ω); the best are really held, with the axial forces as they are.
void find_gains(const ElasticFrame& frame, const AnalysisSpec& spec, const Step* state,
                ModalResult& result) {
  if (result.modes.empty() || result.modes.front().omega == 0) return;
  const VibrationMode& lowest = result.modes.front();
  result.gains = rank_restraints(*frame.system, lowest.shape,
                                 1 / (lowest.modal_mass * 4 * M_PI * lowest.omega));
  const auto tries = std::min<std::size_t>(result.gains.size(), std::size_t(spec.try_restraints));
  for (std::size_t i = 0; i < tries; ++i) {
    const ElasticFrame held = with_restraint(frame, result.gains[i]);
    if (held.stands()) result.gains[i].held = ModalSolver(held, spec, state).lowest();
  }
}

}  // namespace

Step modal(const ElasticFrame& frame, const AnalysisSpec& spec, const Step* state,
           const Progress& progress) {
  if (progress) progress(spec.name, 0);
  Step step;
  step.analysis = spec.name;
  step.kind = spec.kind;
  if (state != nullptr) step.loads = state->loads;
  step.label = state != nullptr ? state->loads.name : "unstressed";
  auto result = std::make_shared<ModalResult>();
  step.outcome = ModalSolver(frame, spec, state).solve(*result);
  if (step.outcome.stands()) {
    find_gains(frame, spec, state, *result);
    step.modal = result;
  }
  return step;
}

}  // namespace ulterix
