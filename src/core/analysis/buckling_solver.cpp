#include "core/analysis/buckling_solver.hpp"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "core/analysis/mode_search.hpp"
#include "core/analysis/split_plan.hpp"
#include "core/parallel.hpp"
#include "core/system/mechanism_words.hpp"

namespace ulterix {

namespace {

using Counts = IndexedVector<MemberId, int>;

constexpr int kMostPasses = 4;
/// A piece of this length over the wave number is too stiff by a thousandth.
constexpr double kFinePiece = 0.92;
constexpr int kMostAtFirst = 6;

/// Wave number of bending about one axis: k² = P/EI.
double wave_number(double P, double EI) {
  return EI > 0 ? std::sqrt(std::abs(P) / EI) : 0;
}

/// Mean compression of a member by what stays and what grows, and what it carries hinged.
struct Compression {
  double stays = 0, grows = 0, hinged = 0;
};
Compression compression(const FrameSystem& frame, const AxialState& axial, MemberId id) {
  const auto mean = [id](const Recovery* r) {
    return r == nullptr ? 0 : -axial_along(r->line(id), {id, 0, 1}).mean();
  };
  const ElementProperties p = element_properties(frame.variant(), id);
  return {mean(axial.stays), mean(axial.grows),
          M_PI * M_PI * std::min(p.EIy, p.EIz) / (p.length * p.length)};
}

class BucklingSolver {
 public:
  BucklingSolver(const ElasticFrame& whole, const AxialState& axial, int wanted,
                 ModeAccuracy accuracy, const FirstCut& cut)
      : whole_(whole),
        frame_(*whole.system),
        model_(frame_.model()),
        axial_(axial),
        wanted_(wanted),
        accuracy_(accuracy),
        counts_(cut.counts),
        chosen_(cut.chosen),
        near_(cut.near) {}

  BucklingResult solve(FoundBefore& before) {
    BucklingResult result;
    if (is_large(frame_)) {
      start_ = before.modes;
      before_ = &before;
    }
    if (!find(result)) return result;
    if (before_ != nullptr) before.modes = search_->known();
    if (!before.lengths) before.lengths.emplace(frame_);
    if (!reversed_) {
      report(*before.lengths, result);
    } else if (lambdas_.size() > 0) {
      take_negative(result);
    }
    return result;
  }

  /// Only the lowest factor, on the frame as it is split for it.
  std::optional<double> lowest() {
    // A factor far above that of the loads reversed takes many vectors, and nobody waits for it.
    most_vectors_ = is_large(frame_) ? 240 : 120;
    // The first to come out is the lowest; a proof would take another factorisation.
    proven_ = !is_large(frame_);
    BucklingResult result;
    if (!find(result) || !converged_ || reversed_) return std::nullopt;
    const double twist = torsion_limit().factor;
    if (lambdas_.size() == 0) return twist > 0 ? std::optional(twist) : std::nullopt;
    return twist > 0 ? std::min(lambdas_[0], twist) : lambdas_[0];
  }

 private:
  /// The modes on a split that is fine enough for them, and their certificate; false if what stays
  /// alone is too much.
  bool find(BucklingResult& result) {
    result.wanted = wanted_;
    for (int pass = 0;; ++pass) {
      const std::shared_ptr<const EigenFrame> last = eigen_;
      build();
      if (!eigen_->definite) {
        result.remarks.push_back("the constant part of the loads alone is above the critical load");
        return false;
      }
      if (vectors_.cols() > 0) start_ = carried_over(model_, last->split, vectors_, eigen_->split);
      search_.emplace(*eigen_, softening_, most_vectors_, start_, near());
      take(proven_ ? search_->look(wanted_) : search_->look(wanted_, accuracy_.residual),
           wanted_ + 1);
      if (lambdas_.size() == 0 && lowest_theta_ < 0 && !reversed_) {
        reversed_ = true;  // nothing is compressed: look at the loads turned round
        continue;
      }
      if (lambdas_.size() == 0) break;
      if (!surely_fine(pass)) {
        plan_split();
        if (pass + 1 < kMostPasses && split_further()) continue;
      }
      if (!proven_) break;
      if (reversed_) {
        take(search_->find(wanted_, accuracy_.residual), wanted_ + 1);
        plan_split();
        break;
      }
      result.certificate = search_->settle(wanted_, accuracy_.residual);
      take(search_->pairs(), search_->pairs().theta.size());
      plan_split();
      if (pass + 1 == kMostPasses || !split_further()) break;
    }
    return true;
  }

  /// The highest factor asked for, or that there is. Precondition: there is one.
  double last_wanted() const {
    return lambdas_[std::min<Eigen::Index>(lambdas_.size(), wanted_) - 1];
  }

  /// A factor that those asked for are about as high as; 0: unknown.
  double near() const {
    if (reversed_) return 0;
    return lambdas_.size() > 0 ? last_wanted() : near_;
  }

  /// True if the pieces of the first pass were chosen for factors as high as those found.
  bool surely_fine(int pass) const { return pass == 0 && chosen_ && last_wanted() <= near_; }

  /// True if the frame has to be built again.
  bool split_further() {
    return !plan_->fine(accuracy_.split) && raise(counts_, plan_->counts(accuracy_.split));
  }

  void build() {
    const bool made_before =
        before_ != nullptr && before_->frame != nullptr &&
        std::equal(counts_.begin(), counts_.end(), before_->counts.begin(), before_->counts.end());
    if (made_before) {
      eigen_ = before_->frame;
      stays_ = before_->staying;
    } else {
      cut();
    }
    grows_ = piece_forces(*axial_.grows, eigen_->split);
    softening_ = geometric_values(eigen_->split, grows_);
    if (!reversed_) {
      for (double& v : softening_) v = -v;
    }
  }

  void cut() {
    const bool first = eigen_ == nullptr;
    eigen_ = std::make_shared<const EigenFrame>(
        make_eigen_frame(whole_, counts_, [this](const SplitFrame& split) {
          if (axial_.stays == nullptr) return std::vector<double>();
          stays_ = piece_forces(*axial_.stays, split);
          return geometric_values(split, stays_);
        }));
    if (axial_.stays == nullptr) {
      stays_ = IndexedVector<MemberId, LinearAlong>(eigen_->split.pieces.size());
    }
    if (before_ == nullptr || !first) return;
    before_->counts = counts_;
    before_->frame = eigen_;
    before_->staying = stays_;
  }

  /// The lowest `most` pairs are looked at; the vectors of all are kept.
  void take(const EigenPairs& pairs, Eigen::Index most) {
    const Eigen::Index count = std::min(most, pairs.theta.size());
    lambdas_ = pairs.theta.head(count).cwiseInverse();
    vectors_ = pairs.vectors;
    residuals_ = pairs.residuals;
    lowest_theta_ = pairs.lowest_theta;
    converged_ = pairs.converged;
    for (Eigen::Index i = 0; i < lambdas_.size(); ++i) {
      residuals_[i] *= lambdas_[i];  // relative to θ
    }
  }

  LinearAlong force_at(MemberId piece, double factor) const {
    const double f = reversed_ ? -factor : factor;
    return {stays_[piece].start + f * grows_[piece].start,
            stays_[piece].end + f * grows_[piece].end};
  }

  double wave_number_of(MemberId member, bool about_y, double factor) const {
    const ElementProperties p = element_properties(frame_.variant(), member);
    double P = 0;
    for (const MemberId piece : eigen_->split.pieces_of[member]) {
      const LinearAlong N = force_at(piece, factor);
      P = std::max({P, std::abs(N.start), std::abs(N.end)});
    }
    return wave_number(P, about_y ? p.EIy : p.EIz);
  }

  /// What a mode puts on every piece: q = P·w'', with EI·w''² from the bending energy.
  IndexedVector<MemberId, PieceLoad> piece_loads(Eigen::Index mode) const {
    const ModeEnergy& energy = energies_[static_cast<std::size_t>(mode)];
    IndexedVector<MemberId, PieceLoad> loads(eigen_->split.pieces.size());
    for (const MemberId piece : eigen_->split.model->members.ids()) {
      const ElementProperties p = element_properties(eigen_->system().variant(), piece);
      const double P = force_at(piece, lambdas_[mode]).mean();
      const MemberShare& s = energy.pieces[piece];
      const auto squared = [&](double share, double EI) {
        return EI > 0 ? P * P * std::max(share, 0.0) * energy.elastic / (EI * p.length) : 0;
      };
      loads[piece] = {squared(s.about_y - s.shear_y, p.EIy), squared(s.about_z - s.shear_z, p.EIz),
                      0};
    }
    return loads;
  }

  /// Errors of the modes by the present split, and the pieces that bring them to the tolerance.
  void plan_split() {
    energies_ = mode_energies(frame_, *eigen_, vectors_.leftCols(lambdas_.size()));
    SplitPlan& plan = plan_.emplace(*eigen_, counts_);
    std::vector<IndexedVector<MemberId, PieceLoad>> loads(energies_.size());
    tbb::parallel_for(std::size_t{0}, loads.size(),
                      [&](std::size_t i) { loads[i] = piece_loads(static_cast<int>(i)); });
    // Vectors have φᵀKφ = 1.
    errors_ = plan.add_modes(lambdas_, loads, VectorXd::Ones(lambdas_.size()), wanted_);
    if (lambdas_.size() == 0) return;
    for (const MemberId id : model_.members.ids()) {
      for (const bool about_y : {true, false}) {
        if (!frame_.bends(id, about_y)) continue;
        plan.keep_modes_of(id, wave_number_of(id, about_y, last_wanted()));
      }
    }
  }

  /// The member whose torsion gives way first between its ends, GJ + N·r² = 0 at its largest
  /// compression, and the factor; 0: none does.
  struct TorsionLimit {
    MemberId member;
    double factor = 0;
  };
  TorsionLimit torsion_limit() const {
    TorsionLimit limit;
    if (model_.plane != Plane::space) return limit;
    for (const MemberId id : model_.members.ids()) {
      const ElementProperties p = element_properties(frame_.variant(), id);
      if (p.kind != MemberKind::frame || p.r2 <= 0 || p.GJ <= 0) continue;
      for (const MemberId piece : eigen_->split.pieces_of[id]) {
        for (const auto end : {&LinearAlong::start, &LinearAlong::end}) {
          const double N = grows_[piece].*end, stays = stays_[piece].*end;
          if (N >= 0) continue;
          const double factor = (p.GJ / p.r2 + stays) / -N;
          const bool lower = limit.factor == 0 || factor < limit.factor * (1 - kSameValue);
          if (factor > 0 && lower) limit = {id, factor};
        }
      }
    }
    return limit;
  }

  void report(const EffectiveLengths& lengths, BucklingResult& result) {
    int count = 0;
    while (count < lambdas_.size() &&
           (count < wanted_ || lambdas_[count] < result.certificate.below)) {
      ++count;
    }
    result.modes.resize(static_cast<std::size_t>(count));
    tbb::parallel_for(0, count, [&](int i) {
      BucklingMode& mode = result.modes[static_cast<std::size_t>(i)];
      mode = mode_of(i, i + 1);
      mode.lengths = lengths.in_mode(mode, forces_at(mode.factor));
    });
    if (!converged_) result.remarks.emplace_back(kNotConverged);
    add_torsion(result);
    recommend_lengths(result.modes);
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
    if (place == modes.end() && static_cast<int>(modes.size()) >= wanted_) return;
    const bool there = place != modes.end() && place->kind == "torsional" &&
                       place->factor < limit.factor * (1 + kSameValue);
    if (!there) {
      BucklingMode mode;
      mode.factor = limit.factor;
      mode.kind = fmt::format("torsional, {} between its ends", model_.members[limit.member].name);
      mode.shape.nodes = IndexedVector<NodeId, NodeMotion>(model_.nodes.size());
      mode.shape.only_rotations = true;
      mode.shares = IndexedVector<MemberId, MemberShare>(model_.members.size());
      mode.shares[limit.member].whole = mode.shares[limit.member].twist = 1;
      modes.insert(place, mode);
      for (std::size_t i = 0; i < modes.size(); ++i) modes[i].number = static_cast<int>(i) + 1;
    }
    result.remarks.push_back(
        fmt::format("torsion of {} at {:.4g}: St. Venant alone, without warping, which holds open "
                    "sections more",
                    model_.members[limit.member].name, limit.factor));
  }

  BucklingMode mode_of(Eigen::Index i, int number) {
    BucklingMode mode;
    mode.number = number;
    mode.factor = lambdas_[i];
    mode.error = errors_[static_cast<std::size_t>(i)];
    mode.residual = residuals_[i];
    double scale = 1;
    mode.shape = mode_shape(frame_, *eigen_, vectors_.col(i), &scale);
    mode.stiffness = scale * scale;
    mode.shares = energies_[static_cast<std::size_t>(i)].shares;
    mode.kind = kind_of(mode);
    return mode;
  }

  /// The largest displacement of a node beside the largest of any axis.
  bool nodes_move(const ModeShape& shape) const {
    double along = 0;
    for (const auto& axis : shape.axes) {
      for (const Vector3d& u : axis) along = std::max(along, u.cwiseAbs().maxCoeff());
    }
    double nodes = 0;
    for (const NodeMotion& n : shape.nodes)
      nodes = std::max(nodes, n.translation.cwiseAbs().maxCoeff());
    return nodes > 0.3 * along;
  }

  /// The axis across a space frame that lies in one vertical plane; −1 if it does not.
  int normal_of_flat_frame() const {
    if (model_.plane != Plane::space) return -1;
    const double size = model_.size();
    for (const int axis : model_.horizontal_axes()) {
      double low = 1e300, high = -1e300;
      for (const Node& n : model_.nodes) {
        low = std::min(low, n.position[axis]);
        high = std::max(high, n.position[axis]);
      }
      if (high - low < 1e-6 * size) return axis;
    }
    return -1;
  }

  std::string kind_of(const BucklingMode& mode) const {
    double twist = 0, most = 0;
    MemberId main(0);
    for (const MemberId id : model_.members.ids()) {
      twist += mode.shares[id].twist;
      if (mode.shares[id].whole > most) {
        most = mode.shares[id].whole;
        main = id;
      }
    }
    if (mode.shape.only_rotations || twist > 0.8) return "torsional";
    const std::string axis(kAxisNames[static_cast<std::size_t>(mode.shape.direction)]);
    std::string words;
    if (!nodes_move(mode.shape)) {
      words = "no sway";
    } else if (mode.shape.direction == model_.vertical) {
      words = "snap along " + axis;
    } else {
      words = "sway along " + axis;
    }
    if (mode.shape.direction == normal_of_flat_frame() && nodes_move(mode.shape)) {
      words = "out of plane, along " + axis;
    }
    if (most > 0.8 && model_.members.size() > 1) {
      words += fmt::format(", {} alone", model_.members[main].name);
    }
    return words;
  }

  /// Mean axial force of every member at a factor.
  IndexedVector<MemberId, double> forces_at(double factor) const {
    IndexedVector<MemberId, double> N(model_.members.size(), 0.0);
    for (const MemberId id : model_.members.ids()) {
      const auto& pieces = eigen_->split.pieces_of[id];
      for (const MemberId piece : pieces) N[id] += force_at(piece, factor).mean();
      N[id] /= double(pieces.size());
    }
    return N;
  }

  /// The negative factor nearest to zero: the loads reversed.
  void take_negative(BucklingResult& result) {
    result.negative = mode_of(0, -1);
    result.negative->factor *= -1;
  }

  const ElasticFrame& whole_;
  const FrameSystem& frame_;
  const Model& model_;
  AxialState axial_;
  int wanted_;
  ModeAccuracy accuracy_;
  Counts counts_;
  bool chosen_;  // they are fine enough for factors up to near_
  double near_;  // the lowest factor of a single member, hinged at both ends; 0: none
  FoundBefore* before_ = nullptr;  // of large frames
  std::optional<SplitPlan> plan_;
  std::vector<double> errors_;  // of each mode, by the split
  std::shared_ptr<const EigenFrame> eigen_;
  IndexedVector<MemberId, LinearAlong> grows_, stays_;
  std::vector<double> softening_;  // −Kg at factor 1
  std::optional<ModeSearch> search_;
  Eigen::VectorXd lambdas_, residuals_;
  Eigen::MatrixXd vectors_, start_;
  double lowest_theta_ = 0;
  bool reversed_ = false, converged_ = true, proven_ = true;
  int most_vectors_ = LanczosOptions().most_vectors;
  std::vector<ModeEnergy> energies_;
};

}  // namespace

FirstCut first_cut(const ElasticFrame& elastic, const AxialState& axial) {
  const FrameSystem& frame = *elastic.system;
  const int count = frame.model().members.size();
  IndexedVector<MemberId, Compression> members(count);
  for_each_index(count,
                 [&](int i) { members[MemberId(i)] = compression(frame, axial, MemberId(i)); });
  double most = 0;
  for (const Compression& c : members) most = std::max(most, c.stays + c.grows);
  FirstCut cut{Counts(count, 1)};
  for (const MemberId id : frame.model().members.ids()) {
    const Compression& c = members[id];
    if (c.stays + c.grows <= kCompressed * most) continue;
    cut.counts[id] = 2;
    const double factor = c.grows > 0 ? (c.hinged - c.stays) / c.grows : 0;
    if (factor > 0 && (cut.near == 0 || factor < cut.near)) cut.near = factor;
  }
  cut.chosen = cut.near > 0 && is_large(frame);
  if (!cut.chosen) return cut;
  for (const MemberId id : frame.model().members.ids()) {
    const Compression& c = members[id];
    if (cut.counts[id] < 2 || c.hinged <= 0) continue;
    const double share = std::max(c.stays + cut.near * c.grows, 0.0) / c.hinged;
    const auto pieces = static_cast<int>(std::ceil(M_PI * std::sqrt(share) / kFinePiece));
    cut.counts[id] = std::clamp(pieces, 1, kMostAtFirst);
  }
  return cut;
}

BucklingResult find_factors(const ElasticFrame& frame, const AxialState& axial, int wanted,
                            ModeAccuracy accuracy, const FirstCut& cut, FoundBefore& before) {
  return BucklingSolver(frame, axial, wanted, accuracy, cut).solve(before);
}

std::optional<double> find_lowest_factor(const ElasticFrame& frame, const AxialState& axial,
                                         ModeAccuracy accuracy) {
  return BucklingSolver(frame, axial, 1, accuracy, first_cut(frame, axial)).lowest();
}

}  // namespace ulterix
