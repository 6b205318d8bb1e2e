#include "core/results/standard_formulas.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace ulterix {

namespace {

/// Compression below this part of the largest is left out.
constexpr double kCounts = 0.01;

std::string en_class(double alpha_cr) {
  if (alpha_cr >= 10) return "non-sway: first-order will do, 5.2.1(3)";
  if (alpha_cr >= 3) return "sway: amplify by 1/(1 - 1/alpha_cr), 5.2.2(5)B";
  return "sway: second-order analysis, 5.2.2(4)";
}

std::string aisc_class(double amplification) {
  if (amplification <= 1.5) return "effective length method allowed, Appendix 7.2.1";
  return "direct analysis required, C1.1 and Appendix 7.2.1";
}

std::string aci_class(double Q) {
  if (Q <= 0.05) return "nonsway, 6.6.4.3(b)";
  if (1 / (1 - Q) <= 1.5 && Q < 1) return "sway: magnify by 1/(1 - Q), 6.6.4.6.2(a)";
  return "sway: second-order analysis or 6.6.4.6.2(b), (c)";
}

std::string asce_class(double theta) {
  if (theta <= 0.10) return "P-delta need not be considered, 12.8.7";
  if (theta <= 0.25) return "P-delta counts, 12.8.7";
  return "above the largest theta allowed, 0.25, 12.8.7";
}

/// RM = 1 − 0.15·Pmf/Pstory, AISC 360-22 (A-8-8): Pmf on the columns that resist the sway.
double frame_factor(const Recovery& step, const std::string& storey, int direction) {
  const Model& model = step.frame().model();
  const std::vector<Level> levels = find_levels(model);
  double resisting = 0, all = 0;
  for (std::size_t i = 1; i < levels.size(); ++i) {
    if (levels[i].name != storey) continue;
    for (const StoreyColumn& c : columns_between(model, levels[i - 1].high, levels[i].low)) {
      const double N = step.line(c.member).at((c.x_low + c.x_high) / 2).forces[kN];
      const double P = std::max(-N, 0.0);
      all += P;
      if (!is_leaning(step.frame(), c.member, direction)) resisting += P;
    }
  }
  return all > 0 ? 1 - 0.15 * resisting / all : 1;
}

/// Cm = 0.6 − 0.4·M1/M2 with the first-order end moments, M1 the smaller; positive in double
/// curvature, where our moments have opposite signs.
double equivalent_moment_factor(const MemberLine& line, int component, bool loaded) {
  if (loaded) return 1;
  const double a = line.at(0).forces[component], b = line.at(line.length()).forces[component];
  const double large = std::abs(a) > std::abs(b) ? a : b;
  const double small = std::abs(a) > std::abs(b) ? b : a;
  return large == 0 ? 1 : 0.6 + 0.4 * small / large;
}

double largest(const Extreme& e) {
  return std::max(std::abs(e.min), std::abs(e.max));
}

bool loaded_across(const MemberLoading& loading) {
  for (const LoadSpan& s : loading.spans) {
    for (const int d : {1, 2, 4, 5}) {
      if (s.at_from[d] != 0 || s.at_to[d] != 0) return true;
    }
  }
  for (std::size_t i = 1; i + 1 < loading.actions.size(); ++i) {
    for (const int d : {1, 2, 4, 5}) {
      if (loading.actions[i][d] != 0) return true;
    }
  }
  return false;
}

/// B2 by column and section axis: of the storey that it stands in, for the sway that bends it.
class StoreyFactors {
 public:
  StoreyFactors(const MemberFrame& system, const std::vector<StoreyFormulas>& storeys)
      : factors_(system.model().members.size()) {
    const Model& model = system.model();
    const std::vector<Level> levels = find_levels(model);
    for (std::size_t i = 1; i < levels.size(); ++i) {
      const auto columns = columns_between(model, levels[i - 1].high, levels[i].low);
      for (const StoreyFormulas& s : storeys) {
        if (s.storey != levels[i].name || !s.B2) continue;
        for (const StoreyColumn& c : columns) take(system.axes(c.member), c.member, s);
      }
    }
  }

  /// `axis`: 0 for bending about y, 1 about z; the largest where a column passes several storeys.
  std::optional<double> of(MemberId id, int axis) const {
    return factors_[id][static_cast<std::size_t>(axis)];
  }

 private:
  void take(const Matrix3d& axes, MemberId id, const StoreyFormulas& storey) {
    for (const int axis : {0, 1}) {
      const bool bends = std::abs(axes(axis == 0 ? 2 : 1, storey.direction)) >= 0.7;
      std::optional<double>& found = factors_[id][static_cast<std::size_t>(axis)];
      if (bends && (!found || *storey.B2 > *found)) found = storey.B2;
    }
  }

  IndexedVector<MemberId, std::array<std::optional<double>, 2>> factors_;
};

}  // namespace

std::vector<StoreyFormulas> storey_formulas(const Recovery& step,
                                            const std::vector<StoreyRow>& storeys) {
  std::vector<StoreyFormulas> opinions;
  for (const StoreyRow& row : storeys) {
    StoreyFormulas o;
    o.storey = row.storey;
    o.direction = row.direction;
    o.amplification = row.amplification;
    // Gravity alone makes a drift that no horizontal load explains: the formulas say nothing.
    const bool meaningful = row.index && *row.index > 0 && row.gravity > 0;
    if (meaningful) {
      const double Q = *row.index;
      o.index = o.theta = Q;
      o.alpha_cr = 1 / Q;
      if (Q < 1) o.asce_factor = 1 / (1 - Q);
      const double RM = frame_factor(step, row.storey, row.direction);
      const double elastic = RM * row.shear * row.height / row.first_drift;  // Pe,story
      if (row.gravity < elastic) o.B2 = 1 / (1 - row.gravity / elastic);
      o.en_1993 = en_class(*o.alpha_cr);
      o.aci_318 = aci_class(Q);
      o.asce_7 = asce_class(Q);
    }
    if (row.amplification) o.aisc_360 = aisc_class(*row.amplification);
    opinions.push_back(o);
  }
  return opinions;
}

std::vector<MemberFormulas> member_formulas(const Recovery& first_order, const Recovery& step,
                                            const StepExtremes& first_extremes,
                                            const StepExtremes& extremes,
                                            const std::vector<StoreyFormulas>& storeys) {
  const MemberFrame& system = step.frame();
  const Model& model = system.model();
  const auto N = system.mean_axial_forces(step.loads(), step.step().state);
  double most = 0;
  for (const double n : N) most = std::max(most, -n);
  const StoreyFactors factors(system, storeys);
  std::vector<MemberFormulas> opinions;
  for (const MemberId id : model.members.ids()) {
    const ElementProperties p = element_properties(system.situation(), id);
    if (p.kind != MemberKind::frame || N[id] > -kCounts * most || N[id] == 0) continue;
    const bool loaded = loaded_across(step.loads().on_member(id));
    for (int axis = 0; axis < 2; ++axis) {
      const double EI = axis == 0 ? p.EIy : p.EIz;
      if (EI <= 0 || !system.bends(id, axis == 0)) continue;
      const int component = axis == 0 ? kMy : kMz;
      MemberFormulas o;
      o.member = id;
      o.axis = axis;
      o.N = N[id];
      o.Pe1 = M_PI * M_PI * EI / (p.length * p.length);
      o.Cm = equivalent_moment_factor(first_order.line(id), component, loaded);
      if (-o.N < o.Pe1) o.B1 = std::max(1.0, o.Cm / (1 + o.N / o.Pe1));
      o.B2 = factors.of(id, axis);
      const double before = largest(first_extremes[id][component]);
      const double after = largest(extremes[id][component]);
      if (before > 1e-9 * after && before > 0) o.computed = after / before;
      opinions.push_back(o);
    }
  }
  return opinions;
}

}  // namespace ulterix
