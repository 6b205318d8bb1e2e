#include "core/analysis/modal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/analysis/equal_modes.hpp"
#include "core/analysis/mass_totals.hpp"
#include "core/analysis/mode_input.hpp"
#include "core/analysis/mode_precision.hpp"
#include "core/analysis/restraints.hpp"
#include "core/results/mode_recovery.hpp"

namespace ulterix {

namespace {

constexpr int kMostModes = 2000;
/// The error of ω² over that of ω.
constexpr double kTwice = 2;
/// ω² below this part of the shift is a rigid motion.
constexpr double kRigidMotion = 1e-6;
/// Mass in a direction below this part of the largest is none.
constexpr double kNoMass = 1e-12;
/// Frames with fewer unknowns try a hint of how many modes would be enough before they give it.
constexpr int kTriedFrame = 300;
/// ... up to so many, and give none beyond: the work grows with the third power of the number, and
/// an estimate from few functions is far too low there.
constexpr int kMostTried = 40;
/// Vectors for each direction that tell where its mass lies: as many as settle it.
constexpr std::array<int, 6> kMassVectors = {4, 6, 9, 14, 20, 30};
constexpr double kSettled = 1e-3;
/// The first of them tell already which directions need so many times more modes than is told.
constexpr std::array<int, 2> kOutOfReach = {2, 1};
/// Of more than so many times the modes asked for, and more than kMostTried, no number is told.
constexpr int kMostHinted = 10;

class ModalSolver {
 public:
  ModalSolver(const ElasticFrame& whole, const AnalysisSpec& spec, const Step* state)
      : whole_(whole),
        frame_(*whole.system),
        model_(frame_.model()),
        spec_(spec),
        mass_(frame_),
        wanted_(spec.modal().modes > 0 ? spec.modal().modes : kDefaultVibrationModes) {
    if (state != nullptr) state_ = axial_forces_along(Recovery(*state));
  }

  Outcome solve(ModalResult& result) {
    if (mass_.empty()) return {Verdict::no_mass, kNoMassWords, {}, 0, 0};
    result.nodal_mass = mass_.shared_to_nodes();
    Outcome outcome = prepare();
    if (!outcome.stands()) return outcome;
    const MassTotals totals = mass_totals(*problem_, mass_);
    result.total = totals.all;
    result.movable = totals.movable;
    if (asks_for_participation()) {
      find_until(result);
    } else {
      find();
    }
    certify(result);
    report(result);
    find_by_hand(result);
    look_further(result);
    if (model_.mass.lumped) compare_with_consistent(result);
    if (error_ > kReliable || !found_.converged) {
      return {
          Verdict::unreliable,
          error_ > kReliable
              ? fmt::format("not sure to six digits: frequencies change by {:.0e} where strains "
                            "are made from deformations",
                            error_ / kTwice)
              : std::string(kNotConverged),
          {},
          0,
          0};
    }
    return {};
  }

  /// Only the lowest ω; empty: there is none, or not to six digits.
  std::optional<double> lowest() {
    wanted_ = 1;
    if (mass_.empty() || !prepare().stands()) return std::nullopt;
    find();
    if (found_.count() == 0 || error_ > kReliable || !found_.converged) return std::nullopt;
    return omegas_[0];
  }

  /// Mass along the members, whatever the model says.
  void make_consistent() { consistent_ = true; }

 private:
  static constexpr const char* kNoMassWords =
      "nothing has mass: give density, [mass] nodes or from_loads";

  bool asks_for_participation() const {
    return spec_.modal().until[0] > 0 || spec_.modal().until[1] > 0 || spec_.modal().until[2] > 0;
  }

  /// Member-planes that vibrate between their nodes.
  int massive_planes(const ModeProblem::Input& input) const {
    int planes = 0;
    for (const MemberId id : input.members.ids()) {
      const ModeMember& m = input.members[id];
      if (m.lumped || mass_.on_member(id) <= 0) continue;
      for (const Family f : kFamilies) planes += has_functions(m, Driver::mass, f) ? 1 : 0;
    }
    return planes;
  }

  Outcome prepare() {
    ModeProblem::Input input =
        vibration_input(whole_, state_ ? &*state_ : nullptr, mass_, spec_.modal().strings);
    if (consistent_) {
      for (ModeMember& m : input.members) m.lumped = false;
    }
    planes_ = massive_planes(input);
    least_ = least_functions(frame_.dofs().size(), planes_, wanted_, spec_.modal().functions);
    counts_ = first_counts(input, least_);
    problem_.emplace(std::move(input));
    return build();
  }

  Outcome build() {
    const bool definite = problem_->build(counts_);
    if (state_ && !definite) {
      return {Verdict::above_critical_load,
              "the state is above the critical load: it does not vibrate, it buckles",
              {},
              0,
              0};
    }
    return whole_.stands() ? Outcome{} : shift_by_mass();
  }

  /// A free structure: K + σM holds where mass is.
  Outcome shift_by_mass() {
    double K = 0, M = 0;
    const SymmetricPattern& pattern = frame_.pattern();
    for (int q = 0; q < pattern.size; ++q) {
      if (frame_.dofs().direction_of(q) >= 3) continue;
      const auto at = static_cast<std::size_t>(pattern.column_start[static_cast<std::size_t>(q)]);
      K += problem_->K().frame[at];
      M += problem_->B().frame[at];
    }
    if (M > 0 && problem_->shift_by(1e-5 * K / M)) return {};
    return {
        Verdict::mechanism, "a part without mass moves freely: hold it, or give it mass", {}, 0, 0};
  }

  void find() {
    ModeSearchOptions options;
    options.wanted = wanted_;
    options.tolerance = kTwice * spec_.modal().tolerance;
    options.functions = spec_.modal().functions;
    found_ = find_modes(*problem_, options);
    // Mass along members has modes without end: more functions show more of them.
    while (found_.count() < wanted_ && planes_ > 0 && least_ < kMostFunctions) {
      least_ = std::min(2 * least_ + 2, kMostFunctions);
      for (const MemberId id : counts_.ids()) {
        if (mass_.on_member(id) <= 0) continue;
        for (const Family f : kFamilies) {
          if (!has_functions(problem_->member(id), Driver::mass, f)) continue;
          int& n = counts_[id][static_cast<std::size_t>(f)];
          n = std::max(n, least_);
        }
      }
      if (!build().stands()) break;
      found_ = find_modes(*problem_, options);
    }
    error_ = refine_by_deformations(whole_, *problem_, found_);
    excitation_ = excitations(*problem_, mass_);
    Eigen::MatrixXd works(found_.count(), 3);
    for (int d = 0; d < 3; ++d) {
      works.col(d) = found_.vectors.transpose() * excitation_[static_cast<std::size_t>(d)];
    }
    equal_ = turn_equal_modes(found_, works);
    omegas_.resize(found_.count());
    for (Eigen::Index i = 0; i < found_.count(); ++i) {
      const double shift = problem_->shift(), square = found_.values[i] - shift;
      omegas_[i] =
          shift > 0 && square < kRigidMotion * shift ? 0 : std::sqrt(std::max(square, 0.0));
    }
  }

  /// As many modes as reach the mass asked for, and no more than that takes.
  void find_until(const ModalResult& result) {
    for (;;) {
      find();
      const int needed = modes_that_reach(result);
      if (needed > 0) {
        wanted_ = needed;
        return;
      }
      if (found_.count() < wanted_ || wanted_ >= kMostModes) return;
      wanted_ = std::min(2 * wanted_, kMostModes);
      least_ = least_functions(frame_.dofs().size(), planes_, wanted_, spec_.modal().functions);
    }
  }

  /// The first number of modes that reach everything asked for; 0: those found do not.
  int modes_that_reach(const ModalResult& result) const {
    std::array<double, 3> sum = {};
    for (Eigen::Index i = 0; i < found_.count(); ++i) {
      bool all = true;
      for (std::size_t d = 0; d < 3; ++d) {
        sum[d] += effective_mass(d, i);
        const bool asked = spec_.modal().until[d] > 0 && result.total[d] > 0;
        all = all && (!asked || 100 * sum[d] >= spec_.modal().until[d] * result.total[d]);
      }
      if (all) return static_cast<int>(i) + 1;
    }
    return 0;
  }

  double effective_mass(std::size_t direction, Eigen::Index mode) const {
    return std::pow(excitation_[direction].dot(found_.vectors.col(mode)), 2) * found_.values[mode];
  }

  void certify(ModalResult& result) const {
    result.certificate = found_.certificate;
    result.certificate.below =
        std::sqrt(std::max(result.certificate.below - problem_->shift(), 0.0));
  }

  VibrationMode reported(Eigen::Index i, RecoveredMode recovered,
                         const std::array<double, 6>& total) const {
    VibrationMode mode;
    mode.number = static_cast<int>(i) + 1;
    mode.omega = omegas_[i];
    mode.error = found_.errors[static_cast<std::size_t>(i)] / kTwice;
    mode.residual = found_.residuals[i];
    mode.equal = equal_[static_cast<std::size_t>(i)];
    const double scale = recovered.scale;
    const VectorXd phi = found_.vectors.col(i);
    mode.shape = std::move(recovered.shape);
    mode.shares = std::move(recovered.shares);
    mode.modal_mass = scale * scale / found_.values[i];
    mode.rayleigh = std::sqrt(std::max(rayleigh_[i] - problem_->shift(), 0.0));
    const double most = *std::max_element(total.begin(), total.begin() + 3);
    for (std::size_t d = 0; d < 6; ++d) {
      const bool none = d < 3 ? total[d] <= kNoMass * most : total[d] <= 0;
      if (none || !model_.uses_direction(static_cast<int>(d))) continue;
      mode.mass[d] = effective_mass(d, i);
      // A mode that moves nothing that way has rounding for its work.
      if (*mode.mass[d] <= kNoMass * total[d]) mode.mass[d] = 0;
      const double work = *mode.mass[d] > 0 ? excitation_[d].dot(phi) : 0;
      mode.factor[d] = scale * work / mode.modal_mass;
    }
    return mode;
  }

  void report(ModalResult& result) {
    const double bound = result.certificate.below;
    int count = 0;
    const bool fewest = asks_for_participation();
    while (count < found_.count() &&
           (count < wanted_ || (!fewest && omegas_[count] < bound) || equal_to_last(count)))
      ++count;
    find_quotients(count);
    std::vector<RecoveredMode> recovered = recover_modes(*problem_, found_.vectors.leftCols(count));
    for (int i = 0; i < count; ++i) {
      result.modes.push_back(
          reported(i, std::move(recovered[static_cast<std::size_t>(i)]), result.total));
    }
    result.rigid = static_cast<int>((omegas_.head(count).array() == 0).count());
    remark_on_search(found_, result.remarks);
    if (static_cast<int>(result.modes.size()) < wanted_) {
      result.remarks.push_back(
          fmt::format("{} modes requested, only {} exist: no more mass can move", wanted_,
                      result.modes.size()));
    }
  }

  bool equal_to_last(int i) const {
    return i > 0 && found_.values[i] <= found_.values[i - 1] * (1 + kSameValue);
  }

  /// Rayleigh's quotient of the deflection under M·r: ω² = bᵀu/(uᵀMu) with K·u = b.
  void find_by_hand(ModalResult& result) const {
    if (problem_->shift() > 0) return;
    Eigen::MatrixXd b(problem_->unknowns().size(), 3);
    for (std::size_t d = 0; d < 3; ++d) b.col(static_cast<Eigen::Index>(d)) = excitation_[d];
    const Eigen::MatrixXd u = problem_->factor().solve(b);
    const Eigen::MatrixXd inertia = problem_->B().multiply(problem_->unknowns(), u);
    for (int d = 0; d < 3; ++d) {
      const auto at = static_cast<std::size_t>(d);
      const double mass = u.col(d).dot(inertia.col(d));
      if (result.movable[at] <= kNoMass * result.total[0] || mass <= 0) continue;
      result.by_hand[at] = std::sqrt(b.col(d).dot(u.col(d)) / mass);
    }
  }

  /// How many modes would reach enough mass where those asked for do not.
  void look_further(ModalResult& result) {
    std::vector<std::size_t> directions;
    if (static_cast<int>(result.modes.size()) < wanted_) return;
    for (std::size_t d = 0; d < 3; ++d) {
      double sum = 0;
      for (const VibrationMode& m : result.modes) sum += m.mass[d].value_or(0);
      const double enough = kEnoughMass / 100 * result.total[d];
      if (result.total[d] > 0 && sum < enough && result.movable[d] >= enough)
        directions.push_back(d);
    }
    // In large frames a count for a hint would take as long as the modes.
    if (directions.empty() || frame_.dofs().size() >= kLargeFrame) return;
    estimate_hints(directions, result);
    if (frame_.dofs().size() >= kTriedFrame) return;
    for (int& n : result.enough) n = n > kMostTried ? 0 : n;
    const int most = *std::max_element(result.enough.begin(), result.enough.end());
    if (most > 0) try_hints(most, result);
  }

  /// About how many modes have effective masses that sum to enough. Beyond the modes that are found
  /// a Lanczos process from K⁻¹·M·r meets only those that the rigid motions excite; its pairs tell
  /// up to which frequency they have to go, one pair further for safety, and a Sturm count there
  /// how many modes that are.
  void estimate_hints(std::vector<std::size_t> directions, ModalResult& result) const {
    const InnerUnknowns& u = problem_->unknowns();
    LanczosOptions options;
    options.known = found_.vectors;
    options.start.resize(u.size(), static_cast<Eigen::Index>(directions.size()));
    for (std::size_t k = 0; k < directions.size(); ++k) {
      options.start.col(static_cast<Eigen::Index>(k)) = excitation_[directions[k]];
    }
    options.start = problem_->factor().solve(options.start);
    options.start_reached = true;
    options.block = static_cast<int>(directions.size());
    BlockLanczos lanczos(eigen_problem(*problem_), options);
    PairsWanted ask;
    ask.tolerance = 0;
    std::array<double, 3> beyond = {};
    for (std::size_t step = 0; step < kMassVectors.size(); ++step) {
      ask.count = ask.most_vectors = kMassVectors[step] * options.block;
      const EigenPairs pairs = lanczos.find(ask);
      const std::array<double, 3> before = beyond;
      bool settled = true;
      for (const std::size_t d : directions) {
        beyond[d] = value_that_reaches(pairs, d, result.total[d]);
        settled =
            settled && before[d] > 0 && std::abs(beyond[d] - before[d]) <= kSettled * before[d];
      }
      if (step < kOutOfReach.size())
        give_up_far_ones(before, beyond, kOutOfReach[step], directions);
      if (settled || directions.empty()) break;
    }
    for (const std::size_t d : directions) {
      if (beyond[d] <= 0) continue;
      const int count = count_below(*problem_, beyond[d]).value_or(0);
      if (count <= most_hinted()) result.enough[d] = count;
    }
  }

  int most_hinted() const { return std::max(kMostTried, kMostHinted * wanted_); }

  /// Takes directions out that need so many times more modes than a hint is worth, by the last two
  /// estimates of ω².
  void give_up_far_ones(const std::array<double, 3>& before, const std::array<double, 3>& now,
                        int times, std::vector<std::size_t>& directions) const {
    const auto least = [&](std::size_t d) {
      return before[d] > 0 ? std::min(before[d], now[d]) : now[d];
    };
    std::sort(directions.begin(), directions.end(),
              [&](std::size_t a, std::size_t b) { return least(a) < least(b); });
    const auto far = std::find_if(directions.begin(), directions.end(), [&](std::size_t d) {
      return least(d) > 0 && count_below(*problem_, least(d)).value_or(0) > times * most_hinted();
    });
    directions.erase(far, directions.end());
  }

  /// ω² (the shift in) just above the pair after the one that brings enough mass of a direction
  /// with the modes found and the pairs before it; 0: all of them do not.
  double value_that_reaches(const EigenPairs& pairs, std::size_t d, double total) const {
    double sum = 0;
    for (Eigen::Index i = 0; i < found_.count(); ++i) sum += effective_mass(d, i);
    for (Eigen::Index k = 0; k < pairs.theta.size(); ++k) {
      sum += std::pow(excitation_[d].dot(pairs.vectors.col(k)), 2) / pairs.theta[k];
      if (sum < kEnoughMass / 100 * total) continue;
      const Eigen::Index next = std::min(k + 1, pairs.theta.size() - 1);
      return (1 + 1e-4) / std::max(pairs.theta[next], pairs.theta[k] / 2);
    }
    return 0;
  }

  /// Finds so many modes, and takes the numbers that do reach enough.
  void try_hints(int most, ModalResult& result) {
    AnalysisSpec more = spec_;
    ModalKeys& asked = more.become<ModalKeys>();
    asked.until = {};
    const std::array<int, 3> hinted = result.enough;
    const int limit = std::max(kMostTried, most + most / 4 + 2);
    for (int modes = most; modes <= limit; modes = modes + modes / 4 + 2) {
      asked.modes = modes;
      ModalSolver trial(whole_, more, nullptr);
      trial.state_ = state_;
      if (!trial.prepare().stands()) return;
      trial.find();
      bool all = true;
      std::array<int, 3> reached = {};
      for (std::size_t d = 0; d < 3; ++d) {
        if (hinted[d] == 0) continue;
        double sum = 0;
        for (Eigen::Index i = 0; i < trial.found_.count() && reached[d] == 0; ++i) {
          sum += trial.effective_mass(d, i);
          if (sum >= kEnoughMass / 100 * result.total[d]) reached[d] = static_cast<int>(i) + 1;
        }
        all = all && reached[d] > 0;
      }
      result.enough = reached;
      if (all || trial.found_.count() < modes) return;
    }
  }

  void compare_with_consistent(ModalResult& result) const {
    if (result.modes.empty() || result.modes.front().omega <= 0) return;
    AnalysisSpec one = spec_;
    one.become<ModalKeys>().modes = 1;
    one.become<ModalKeys>().until = {};
    ModalSolver consistent(whole_, one, nullptr);
    consistent.state_ = state_;
    consistent.make_consistent();
    const auto lowest = consistent.lowest();
    if (!lowest || *lowest <= 0) return;
    result.lumped_against_consistent = result.modes.front().omega / *lowest - 1;
  }

  /// Rayleigh's quotients of the first modes.
  void find_quotients(int count) {
    const InnerUnknowns& u = problem_->unknowns();
    const Eigen::MatrixXd phi = found_.vectors.leftCols(count);
    const Eigen::MatrixXd K = problem_->K().multiply(u, phi), M = problem_->B().multiply(u, phi);
    rayleigh_ =
        phi.cwiseProduct(K).colwise().sum().cwiseQuotient(phi.cwiseProduct(M).colwise().sum());
  }

  const ElasticFrame& whole_;
  const FrameSystem& frame_;
  const Model& model_;
  const AnalysisSpec& spec_;
  FrameMass mass_;
  std::optional<AxialForces> state_;
  int wanted_ = 0, least_ = 0, planes_ = 0;
  bool consistent_ = false;
  std::optional<ModeProblem> problem_;
  ModeProblem::Counts counts_;
  FoundModes found_;
  double error_ = 0;
  Excitations excitation_;  // M·r of the rigid motions
  std::vector<int> equal_;
  VectorXd omegas_, rayleigh_;
};

/// df/dk = φ²/(φᵀMφ)/(4π·ω); the best are held, with the axial forces as they are.
void find_gains(const ElasticFrame& frame, const AnalysisSpec& spec, const Step* state,
                ModalResult& result) {
  if (result.modes.empty() || result.modes.front().omega == 0) return;
  const VibrationMode& lowest = result.modes.front();
  result.gains = rank_restraints(*frame.system, lowest.shape,
                                 1 / (lowest.modal_mass * 4 * M_PI * lowest.omega));
  const auto tries =
      std::min<std::size_t>(result.gains.size(), std::size_t(spec.modal().try_restraints));
  for (std::size_t i = 0; i < tries; ++i) {
    const ElasticFrame held = with_restraint(frame, result.gains[i]);
    if (!held.stands()) continue;
    if (const auto omega = ModalSolver(held, spec, state).lowest()) {
      result.gains[i].held = *omega / (2 * M_PI);
    }
  }
}

}  // namespace

std::optional<double> lowest_omega(const ElasticFrame& frame, const Step& state) {
  AnalysisSpec spec;
  spec.become<ModalKeys>().strings = false;
  const auto about = frame_about(frame, state);
  return ModalSolver(about ? *about : frame, spec, &state).lowest();
}

Step modal(const ElasticFrame& given, const AnalysisSpec& spec, const Step* state,
           const Progress& progress) {
  if (progress) progress(spec.name, 0);
  const auto about = state != nullptr ? frame_about(given, *state) : std::nullopt;
  const ElasticFrame& frame = about ? *about : given;
  Step step;
  step.analysis = spec.name;
  step.kind = spec.kind();
  if (state != nullptr) step.loads = state->loads;
  step.label = state != nullptr ? state->loads.name : "no loads";
  auto result = std::make_shared<ModalResult>();
  step.outcome = ModalSolver(frame, spec, state).solve(*result);
  if (step.outcome.stands() || step.outcome.verdict == Verdict::unreliable) {
    find_gains(frame, spec, state, *result);
    step.modal = result;
  }
  return step;
}

}  // namespace ulterix
