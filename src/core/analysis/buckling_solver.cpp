#include "core/analysis/buckling_solver.hpp"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "core/analysis/equal_modes.hpp"
#include "core/analysis/mode_precision.hpp"
#include "core/results/mode_kind.hpp"
#include "core/results/mode_recovery.hpp"

namespace ulterix {

namespace {

/// Accuracy of what is only an estimate beside another analysis.
constexpr double kEstimate = 1e-3;
/// More modes than this are looked for only where they do not crowd before.
constexpr int kManyModes = 40;
/// Below this part of the factor at which compression uses up a member's shear stiffness, modes are
/// apart from each other.
constexpr double kClear = 0.9;
/// Vectors that a search for an estimate may take: a factor far above that of the loads turned
/// round takes many.
constexpr int kFewVectors = 120, kFewVectorsLarge = 240;
/// Where no factor was found although something is compressed, none is proven to lie below this.
constexpr double kFarAway = 100;

class BucklingSolver {
 public:
  BucklingSolver(const ElasticFrame& frame, const AxialState& axial, const BucklingOptions& options)
      : elastic_(frame),
        frame_(*frame.system),
        model_(frame_.model()),
        axial_(axial),
        options_(options) {}

  BucklingResult solve(FoundBefore& before) {
    BucklingResult result;
    result.wanted = options_.wanted;
    if (!find(before.modes, true, options_.tolerance)) {
      result.remarks.emplace_back(
          "the constant part of the loads alone is above the critical load");
      result.constant_too_large = true;
      return result;
    }
    result.certificate = found_.certificate;
    result.unreliable = error_ > kReliable || !found_.converged || !found_.fine;
    if (found_.count() > 0 && !reversed_) {
      Eigen::MatrixXd all(found_.vectors.rows(), found_.count() + found_.beside.cols());
      all << found_.vectors, found_.beside;
      before.modes = {std::move(all), problem_->counts(), problem_->unknowns().count};
    }
    if (!before.lengths) before.lengths.emplace(frame_);
    if (reversed_) {
      if (compressed_) tell_why_none(result);
      if (found_.count() > 0) {
        result.negative = modes(1).front();
        result.negative->number = -1;
        result.negative->factor *= -1;
      }
      return result;
    }
    report(*before.lengths, result);
    return result;
  }

  std::optional<BucklingMode> lowest() {
    estimate_ = true;
    if (!find({}, !is_large(), is_large() ? kEstimate : options_.tolerance) || reversed_ ||
        !found_.converged)
      return std::nullopt;
    const TorsionLimit twist = torsion_limit();
    if (found_.count() > 0 && (twist.factor == 0 || found_.values[0] <= twist.factor)) {
      return modes(1).front();
    }
    if (twist.factor > 0) return torsion_mode(twist);
    return std::nullopt;
  }

 private:
  bool is_large() const { return frame_.dofs().size() >= kLargeFrame; }

  ModeSearchOptions search_options(bool proven, double tolerance) const {
    ModeSearchOptions search;
    search.wanted = options_.wanted;
    search.tolerance = tolerance;
    search.functions = options_.functions;
    search.proven = proven;
    search.limit = kClear * shear_limit().factor;
    if (estimate_) search.most_vectors = is_large() ? kFewVectorsLarge : kFewVectors;
    return search;
  }

  /// Planes of bending in which members are compressed between their nodes.
  static int compressed_planes(const ModeProblem::Input& input) {
    int planes = 0;
    for (const ModeMember& m : input.members) {
      const bool compressed = std::any_of(m.spans.begin(), m.spans.end(), [](const ModeSpan& s) {
        return std::min({s.grows[0], ModeSpan::at(s.grows, 0.5), ModeSpan::at(s.grows, 1)}) < 0;
      });
      if (!compressed) continue;
      for (const Family f : {Family::bending_z, Family::bending_y}) {
        planes += has_functions(m, Driver::compression, f) ? 1 : 0;
      }
    }
    return planes;
  }

  /// Families that have functions get as many as before, if there were any counts.
  static void raise(const ModeProblem::Counts& before, ModeProblem::Counts& counts) {
    for (const MemberId id : before.ids()) {
      for (std::size_t f = 0; f < counts[id].size(); ++f) {
        if (counts[id][f] > 0) counts[id][f] = std::max(counts[id][f], before[id][f]);
      }
    }
  }

  /// False if what stays alone is too much.
  bool search(int wanted, bool proven, double tolerance, const ModeProblem::Modes& before) {
    const ModeProblem::Input& input = problem_->input();
    int least = std::max(1, least_functions(frame_.dofs().size(), compressed_planes(input), wanted,
                                            options_.functions));
    ModeProblem::Counts counts = first_counts(input, least);
    if (!reversed_) raise(before.counts, counts);
    if (!problem_->build(counts)) return false;
    ModeSearchOptions options = search_options(proven && !reversed_, tolerance);
    options.wanted = wanted;
    found_ = find_modes(*problem_, options,
                        reversed_ ? Eigen::MatrixXd() : problem_->carried_over(before));
    // A compressed member has modes without end: more functions show more of them.
    while (found_.count() > 0 && found_.count() < wanted && least < kMostFunctions &&
           !found_.limited) {
      least = std::min(2 * least + 2, kMostFunctions);
      for (FunctionCounts& c : counts) {
        for (int& n : c) n = n > 0 ? std::max(n, least) : 0;
      }
      problem_->build(counts);
      found_ = find_modes(*problem_, options);
    }
    return true;
  }

  /// False if what stays alone is too much.
  bool find(const ModeProblem::Modes& before, bool proven, double tolerance) {
    AxialForces turned;
    for (;;) {
      const AxialForces* grows = axial_.grows;
      if (reversed_) {
        turned = reversed(*axial_.grows);
        grows = &turned;
      }
      problem_.emplace(buckling_input(elastic_, axial_.stays, *grows));
      const bool crowding = shear_limit().factor > 0;
      // Of the loads turned round only the lowest factor is told.
      const int asked = reversed_ ? 1 : options_.wanted;
      for (int wanted = crowding ? std::min(asked, kManyModes) : asked;; wanted = asked) {
        if (!search(wanted, proven, tolerance, before)) return false;
        if (found_.limited || wanted == asked) break;
      }
      if (found_.count() > 0 || found_.lowest_theta >= 0 || reversed_) break;
      compressed_ = compressed_planes(problem_->input()) > 0;
      if (compressed_ && !estimate_) missed_ = count_below(*problem_, kFarAway);
      reversed_ = true;  // nothing is compressed: look at the loads turned round
    }
    error_ = refine_by_deformations(elastic_, *problem_, found_);
    equal_ = turn_equal_modes(found_, sways());
    return true;
  }

  /// The sums of the nodes' displacements along x, y and z in every mode.
  Eigen::MatrixXd sways() const {
    Eigen::MatrixXd along = Eigen::MatrixXd::Zero(problem_->unknowns().frame_size(), 3);
    for (int d = 0; d < 3; ++d) {
      VectorXd sum = VectorXd::Zero(along.rows());
      for (const NodeId n : model_.nodes.ids()) {
        frame_.dofs().add_force(n, Vector6d::Unit(d), sum);
      }
      along.col(d) = sum;
    }
    return found_.vectors.topRows(along.rows()).transpose() * along;
  }

  /// The member whose compression reaches G·Av first, and the factor: below it an unlimited number
  /// of modes crowd, 1/P = 1/PE + 1/(G·Av). 0: no member has shear flexibility and compression.
  struct ShearLimit {
    MemberId member;
    double factor = 0;
  };
  ShearLimit shear_limit() const {
    ShearLimit limit;
    for (const MemberId id : model_.members.ids()) {
      const ModeMember& m = problem_->member(id);
      if (!frame_.situation().present[id]) continue;
      const ElementProperties& p = m.properties;
      double softest = 0;
      if (has_functions(m, Driver::compression, Family::bending_z)) softest = p.shear_flexibility_z;
      if (has_functions(m, Driver::compression, Family::bending_y))
        softest = std::max(softest, p.shear_flexibility_y);
      if (softest <= 0) continue;
      for (const ModeSpan& s : m.spans) {
        for (const double xi : {0.0, 0.5, 1.0}) {
          const double N = ModeSpan::at(s.grows, xi);
          if (N >= 0) continue;
          const double factor = (1 / softest + ModeSpan::at(s.stays, xi)) / -N;
          if (factor > 0 && (limit.factor == 0 || factor < limit.factor)) limit = {id, factor};
        }
      }
    }
    return limit;
  }

  /// The member whose torsion gives way first between its ends, and the factor; 0: none does.
  struct TorsionLimit {
    MemberId member;
    double factor = 0;
  };
  TorsionLimit torsion_limit() const {
    TorsionLimit limit;
    if (model_.plane != Plane::space) return limit;
    for (const MemberId id : model_.members.ids()) {
      const ModeMember& m = problem_->member(id);
      const ElementProperties& p = m.properties;
      if (p.kind != MemberKind::frame || p.r2 <= 0 || p.GJ <= 0) continue;
      if (!frame_.situation().present[id]) continue;
      for (const ModeSpan& s : m.spans) {
        for (const double xi : {0.0, 0.5, 1.0}) {
          const double N = ModeSpan::at(s.grows, xi) * (reversed_ ? -1 : 1);
          if (N >= 0) continue;
          const double factor = (p.GJ / p.r2 + ModeSpan::at(s.stays, xi)) / -N;
          const bool lower = limit.factor == 0 || factor < limit.factor * (1 - kSameValue);
          if (factor > 0 && lower) limit = {id, factor};
        }
      }
    }
    return limit;
  }

  /// Members are compressed in part, and what is pulled outweighs that.
  void tell_why_none(BucklingResult& result) const {
    if (missed_ == 0) {
      result.remarks.push_back(fmt::format(
          "what is compressed is little beside what is pulled: no buckling factor below {:g}",
          kFarAway));
      return;
    }
    result.unreliable = true;
    result.remarks.push_back(fmt::format(
        "the search found no buckling factor, and it is not proven that there is none below {:g}",
        kFarAway));
  }

  void report(const EffectiveLengths& lengths, BucklingResult& result) {
    int count = 0;
    while (count < found_.count() &&
           (count < options_.wanted || found_.values[count] < result.certificate.below)) {
      ++count;
    }
    result.modes = modes(count);
    tbb::parallel_for(0, count, [&](int i) {
      BucklingMode& mode = result.modes[static_cast<std::size_t>(i)];
      mode.lengths = lengths.in_mode(mode, forces_at(mode.factor));
    });
    remark_on_search(found_, result.remarks);
    result.limited = found_.limited;
    if (found_.limited) {
      const ShearLimit limit = shear_limit();
      result.remarks.push_back(fmt::format(
          "{} of {} modes requested: factors accumulate below {:.4g}, where the compression in {} "
          "reaches its shear stiffness G*Av; those below {:g} of it are given",
          count, options_.wanted, limit.factor, model_.members[limit.member].name, kClear));
    }
    if (error_ > kReliable) {
      result.remarks.push_back(fmt::format(
          "not sure to six digits: factors change by {:.0e} where strains are made from "
          "deformations; very stiff or very short members meet soft or long ones",
          error_));
    }
    add_torsion(result);
    recommend_lengths(result.modes);
  }

  BucklingMode torsion_mode(const TorsionLimit& limit) const {
    BucklingMode mode;
    mode.number = 1;
    mode.factor = limit.factor;
    mode.kind = fmt::format("torsional, {} between its ends", model_.members[limit.member].name);
    mode.torsional_limit = true;
    mode.shape.nodes = IndexedVector<NodeId, NodeMotion>(model_.nodes.size());
    mode.shape.only_rotations = true;
    mode.shares = IndexedVector<MemberId, MemberShare>(model_.members.size());
    mode.shares[limit.member].whole = mode.shares[limit.member].twist = 1;
    return mode;
  }

  /// Twist between a member's ends: every shape has the same factor, so it is reported once, in its
  /// place among the modes of the frame.
  void add_torsion(BucklingResult& result) {
    const TorsionLimit limit = torsion_limit();
    if (limit.factor == 0) return;
    result.torsion_limit = limit.factor;
    auto& modes = result.modes;
    const auto place = std::find_if(modes.begin(), modes.end(), [&](const BucklingMode& m) {
      return m.factor > limit.factor * (1 - kSameValue);
    });
    if (place == modes.end() && static_cast<int>(modes.size()) >= options_.wanted) return;
    const bool there = place != modes.end() && place->kind == "torsional" &&
                       place->factor < limit.factor * (1 + kSameValue);
    if (!there) {
      modes.insert(place, torsion_mode(limit));
      for (std::size_t i = 0; i < modes.size(); ++i) modes[i].number = static_cast<int>(i) + 1;
    }
    const Section& section = model_.sections[model_.members[limit.member].section];
    if (section.shape == Shape::numbers && section.properties.Iw == 0) {
      result.remarks.push_back(fmt::format(
          "torsion of {} at {:.4g}: section {} is given without Iw, so warping holds nothing",
          model_.members[limit.member].name, limit.factor, section.name));
    }
  }

  /// The first modes with their shapes.
  std::vector<BucklingMode> modes(int count) const {
    std::vector<RecoveredMode> recovered = recover_modes(*problem_, found_.vectors.leftCols(count));
    std::vector<BucklingMode> all(recovered.size());
    for (std::size_t k = 0; k < all.size(); ++k) {
      RecoveredMode& r = recovered[k];
      BucklingMode& mode = all[k];
      mode.number = static_cast<int>(k) + 1;
      mode.factor = found_.values[static_cast<Eigen::Index>(k)];
      mode.error = found_.errors[k];
      mode.residual = found_.residuals[static_cast<Eigen::Index>(k)];
      mode.equal = equal_[k];
      mode.shape = std::move(r.shape);
      mode.stiffness = r.scale * r.scale;
      mode.shares = std::move(r.shares);
      mode.kind = kind_of(frame_, mode, r.axis_of_main, r.main);
    }
    return all;
  }

  /// Mean axial force of every member at a factor.
  IndexedVector<MemberId, double> forces_at(double factor) const {
    IndexedVector<MemberId, double> N(model_.members.size(), 0.0);
    for (const MemberId id : model_.members.ids()) {
      N[id] = factor * mean_axial_force((*axial_.grows)[id]);
      if (axial_.stays != nullptr) N[id] += mean_axial_force((*axial_.stays)[id]);
    }
    return N;
  }

  const ElasticFrame& elastic_;
  const FrameSystem& frame_;
  const Model& model_;
  AxialState axial_;
  BucklingOptions options_;
  std::optional<ModeProblem> problem_;
  FoundModes found_;
  std::vector<int> equal_;
  double error_ = 0;
  bool reversed_ = false, estimate_ = false;
  bool compressed_ = false;    // something, though the loads turned round were looked at
  std::optional<int> missed_;  // factors below kFarAway then
};

}  // namespace

BucklingResult find_factors(const ElasticFrame& frame, const AxialState& axial,
                            const BucklingOptions& options, FoundBefore& before) {
  return BucklingSolver(frame, axial, options).solve(before);
}

std::optional<BucklingMode> find_lowest_mode(const ElasticFrame& frame, const AxialState& axial) {
  BucklingOptions options;
  options.wanted = 1;
  return BucklingSolver(frame, axial, options).lowest();
}

}  // namespace ulterix
