#include "core/element/element.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace ulterix {

namespace {

// Ends of one bending plane within the 12 directions, and the sign that turns θ into psi.
constexpr std::array<int, 4> kZPlane = {2, 4, 8, 10};
constexpr std::array<int, 4> kYPlane = {1, 5, 7, 11};

Vector4d plane_signs(bool z_plane) {
  return z_plane ? Vector4d(1, -1, 1, -1) : Vector4d(1, 1, 1, 1);
}

const std::array<int, 4>& plane_directions(bool z_plane) {
  return z_plane ? kZPlane : kYPlane;
}

/// Force along w and moment on psi of a local action or load (6).
BendingAction plane_action(const Vector6d& a, bool z_plane) {
  return z_plane ? BendingAction(a[2], -a[4]) : BendingAction(a[1], a[5]);
}

/// A force that a linear load q eats up along each span, starting from zero: coefficients in ξ.
std::vector<std::array<double, 3>> used_up(const MemberLoading& loading, int component) {
  std::vector<std::array<double, 3>> all;
  double value = -loading.actions.front()[component];
  for (std::size_t i = 0; i < loading.spans.size(); ++i) {
    const LoadSpan& s = loading.spans[i];
    const double a = s.at_from[component], b = s.at_to[component], l = s.length();
    all.push_back({value, -l * a, -l * (b - a) / 2});
    value += -l * (a + b) / 2 - loading.actions[i + 1][component];
  }
  return all;
}

double span_mean(const std::array<double, 3>& c) {
  return c[0] + c[1] / 2 + c[2] / 3;
}

double span_end(const std::array<double, 3>& c) {
  return c[0] + c[1] + c[2];
}

double vertex(const std::array<double, 3>& c) {
  const double xi = c[2] == 0 ? 0 : std::clamp(-c[1] / (2 * c[2]), 0.0, 1.0);
  return c[0] + xi * (c[1] + xi * c[2]);
}

}  // namespace

namespace {

/// Mean over the member of the axial force that its loads take up.
double mean_axial_load(const MemberLoading& loading,
                       const std::vector<std::array<double, 3>>& N_load) {
  double mean = 0;
  for (std::size_t i = 0; i < N_load.size(); ++i)
    mean += loading.spans[i].length() * span_mean(N_load[i]);
  return mean / loading.length();
}

}  // namespace

double mean_axial_load(const MemberLoading& loading) {
  return mean_axial_load(loading, used_up(loading, 0));
}

Vector3d reach_of(const EndMotion& motion, double length) {
  return {motion.deformed[6] + motion.born[6], length * motion.turn[1], length * motion.turn[0]};
}

double initial_force(const ElementProperties& properties, const MemberLoading& loading) {
  if (properties.EA == 0) return properties.initial_force;  // of an idle member nothing
  return properties.initial_force + loading.preload - properties.EA * loading.strain;
}

double cable_length(const ElementProperties& properties, const MemberLoading& loading) {
  return properties.cable_length * (1 + loading.strain);
}

Catenary hanging(const ElementProperties& properties, const MemberLoading& loading,
                 const Vector3d& reach) {
  const double length = cable_length(properties, loading);
  const Vector3d load = loading.resultant().head<3>() / length;
  const Catenary cable(length, properties.EA, load, Vector3d(properties.length, 0, 0) + reach);
  return properties.cable_limit > 0 ? cable.yielding(properties.cable_limit) : cable;
}

MemberLine hanging_line(const Catenary& cable, const Vector3d& start, double drawn_length) {
  constexpr int kSpans = 16;
  MemberLine line;
  for (int i = 0; i < kSpans; ++i) {
    std::array<LinePoint, 5> points;
    for (std::size_t k = 0; k < points.size(); ++k) {
      const double part = (i + double(k) / 4) / kSpans;
      LinePoint& p = points[k];
      p.x = part * cable.length();
      p.forces[0] = cable.tension(p.x).norm();
      p.displacement = start + cable.position(p.x) - Vector3d(part * drawn_length, 0, 0);
    }
    line.add(MemberLine::Span::through(points));
  }
  return line;
}

double axial_force_at_start(const ElementProperties& properties, const MemberLoading& loading,
                            const EndMotion& motion) {
  if (properties.cable_length > 0) {
    return hanging(properties, loading, reach_of(motion, properties.length)).chord_force() -
           mean_axial_load(loading);
  }
  return properties.EA / properties.length * motion.deformed[6] +
         initial_force(properties, loading) - mean_axial_load(loading);
}

std::array<double, 3> Element::acting(const std::array<double, 3>& from_loads) const {
  if (!geometric_.follows_loads) return {geometric_.axial_start, 0, 0};
  return {from_loads[0] + geometric_.axial_start, from_loads[1], from_loads[2]};
}

Element::Element(const ElementProperties& properties, const MemberLoading& loading,
                 const GeometricEffect& geometric, int split)
    : properties_(properties),
      geometric_(geometric),
      loading_(loading),
      pieces_(std::max(split, 1)) {
  choose_pieces();
  std::vector<double> cuts;
  for (int i = 1; i < pieces_; ++i) cuts.push_back(properties_.length * i / pieces_);
  if (!cuts.empty()) loading_ = cut_at(loading_, cuts);
  N_load_ = used_up(loading_, 0);
  T_load_ = used_up(loading_, 3);
  if (properties_.cable_length > 0) {
    hang();
    return;
  }
  add_axial_and_twist();
  if (properties_.kind == MemberKind::frame) {
    add_bending(true);
    add_bending(false);
    if (geometric_.acts && !geometric_.between_nodes) add_chord_turn();
  } else {
    spread_loads_to_ends();
    if (geometric_.acts) add_chord_turn();
  }
  K_joined_ = K_;
  f_joined_ = f_;
  release_joints();
}

/// Pieces short enough for the series; also finds out whether the section itself gives way.
void Element::choose_pieces() {
  const ElementProperties& p = properties_;
  if (!geometric_.acts || p.kind != MemberKind::frame) return;
  double lowest = std::numeric_limits<double>::max(), largest = 0;
  for (const auto& load : used_up(loading_, 0)) {
    const auto N = acting(load);
    for (const double value : {N[0], span_end(N), vertex(N)}) {
      lowest = std::min(lowest, value);
      largest = std::max(largest, std::abs(value));
    }
  }
  const auto softened = [lowest](double EI, double shear_flexibility) {
    return EI * std::min(1.0, 1 + lowest * shear_flexibility);
  };
  double softest = std::numeric_limits<double>::max();
  if (geometric_.bends_in_z) softest = softened(p.EIy, p.shear_flexibility_z);
  if (geometric_.bends_in_y) softest = std::min(softest, softened(p.EIz, p.shear_flexibility_y));
  const bool twist_gone = geometric_.twists && p.GJ + lowest * p.r2 <= 0;
  if (softest <= 0 || twist_gone) {
    section_unstable_ = true;
    geometric_.acts = false;
  } else if (geometric_.between_nodes) {
    const double reach = largest * p.length * p.length / softest / BendingCurve::kSeriesReach;
    pieces_ = std::max(pieces_, static_cast<int>(std::ceil(std::sqrt(reach))));
  }
}

void Element::add_axial_and_twist() {
  const ElementProperties& p = properties_;
  const double EA = p.EA / p.length;
  double twist_flexibility = 0, twist_load = 0;
  for (std::size_t i = 0; i < loading_.spans.size(); ++i) {
    const double l = loading_.spans[i].length();
    const bool twists = geometric_.acts && geometric_.twists;
    const double GJ = p.GJ + (twists ? span_mean(acting(N_load_[i])) * p.r2 : 0);
    if (GJ > 0) {
      twist_flexibility += l / GJ;
      twist_load += l * span_mean(T_load_[i]) / GJ;
    }
  }
  const auto add = [this](int a, int b, double k, double first, double last) {
    K_(a, a) += k;
    K_(b, b) += k;
    K_(a, b) -= k;
    K_(b, a) -= k;
    f_[a] -= first;
    f_[b] += last;
  };
  // Held ends: the start's force makes the total stretch vanish.
  const double N_start = initial_force(p, loading_) - mean_axial_load(loading_, N_load_);
  const double end_action = loading_.actions.back()[0];
  add(0, 6, EA, N_start, N_start + span_end(N_load_.back()) - end_action);
  if (p.kind != MemberKind::frame) return;
  twist_stiffness_ = twist_flexibility > 0 ? 1 / twist_flexibility : 0;
  const double T_start = -twist_load * twist_stiffness_;
  add(3, 9, twist_stiffness_, T_start,
      T_start + span_end(T_load_.back()) - loading_.actions.back()[3]);
}

BendingChain Element::make_chain(bool z_plane, bool with_axial_force) const {
  const ElementProperties& p = properties_;
  std::vector<BendingPiece> pieces(1);
  std::vector<BendingAction> joints = {plane_action(loading_.actions.front(), z_plane)};
  int piece = 1;
  for (std::size_t i = 0; i < loading_.spans.size(); ++i) {
    const LoadSpan& span = loading_.spans[i];
    BendingSegment segment;
    segment.length = span.length();
    segment.EI = z_plane ? p.EIy : p.EIz;
    segment.shear_flexibility = z_plane ? p.shear_flexibility_z : p.shear_flexibility_y;
    segment.curvature = loading_.curvature[z_plane ? 0 : 1];
    if (with_axial_force) {
      segment.N = acting(N_load_[i]);
      const double steepest = 4 * p.bow[z_plane ? 1 : 0] / p.length;
      segment.slope = {steepest * (1 - 2 * span.from / p.length),
                       steepest * (1 - 2 * span.to / p.length)};
    }
    const BendingAction from = plane_action(span.at_from, z_plane);
    const BendingAction to = plane_action(span.at_to, z_plane);
    segment.q = {from[0], to[0]};
    segment.m = {from[1], to[1]};
    pieces.back().segments.push_back(segment);
    const BendingAction action = plane_action(loading_.actions[i + 1], z_plane);
    const bool last = i + 1 == loading_.spans.size();
    const double boundary = p.length * piece / pieces_;
    if (last || std::abs(span.to - boundary) < 1e-9 * p.length) {
      joints.push_back(action);
      if (!last) pieces.emplace_back();
      ++piece;
    } else {
      pieces.back().actions.push_back(action);
    }
  }
  return {std::move(pieces), joints};
}

void Element::add_bending(bool z_plane) {
  const bool acts = geometric_.acts && geometric_.between_nodes &&
                    (z_plane ? geometric_.bends_in_z : geometric_.bends_in_y);
  if ((z_plane ? properties_.EIy : properties_.EIz) <= 0) return;
  const BendingChain& chain = chains_[z_plane ? 0 : 1].emplace(make_chain(z_plane, acts));
  if (acts) negative_pivots_ += chain.negative_pivots();
  const auto& directions = plane_directions(z_plane);
  const Vector4d sign = plane_signs(z_plane);
  for (int i = 0; i < 4; ++i) {
    f_[directions[i]] += sign[i] * chain.stiffness().f[i];
    for (int j = 0; j < 4; ++j) {
      K_(directions[i], directions[j]) += sign[i] * sign[j] * chain.stiffness().K(i, j);
    }
  }
  if (!acts) return;
  const Vector4d turn = chain_turns_[z_plane ? 0 : 1] = chain_turn(chain);
  for (int i = 0; i < 4; ++i) turn_(directions[i], z_plane ? 0 : 1) += sign[i] * turn[i];
}

/// What a rigid turn of the chord by 1 rad puts on the ends of a bending plane: N turns with it.
Vector4d Element::chain_turn(const BendingChain& chain) const {
  const double N = acting(N_load_.front())[0];
  bool constant = true;
  for (const auto& load : N_load_) {
    const auto along = acting(load);
    constant = constant && along[0] == N && along[1] == 0 && along[2] == 0;
  }
  if (constant) return {-N, 0, N, 0};
  return chain.stiffness().K * Vector4d(0, 1, properties_.length, 1);
}

/// The mean axial force turning with the chord: N/L across the member.
void Element::add_chord_turn() {
  const double mean =
      geometric_.axial_start + (geometric_.follows_loads ? mean_axial_load(loading_, N_load_) : 0);
  const double k = mean / properties_.length;
  for (const int a : {1, 2}) {
    const bool acts = a == 2 ? geometric_.bends_in_z : geometric_.bends_in_y;
    if (!acts) continue;
    K_(a, a) += k;
    K_(a + 6, a + 6) += k;
    K_(a, a + 6) -= k;
    K_(a + 6, a) -= k;
    turn_(a, 2 - a) -= mean;
    turn_(a + 6, 2 - a) += mean;
  }
}

/// The tangent of a cable, and its forces less what the tangent makes of its reach.
void Element::hang() {
  const ElementProperties& p = properties_;
  const Vector3d reach = geometric_.reach.value_or(p.cable_reach);
  const Catenary cable = geometric_.reach ? hanging(p, loading_, reach)
                                          : Catenary(p.cable_length, p.EA, p.cable_load,
                                                     Vector3d(p.length, 0, 0) + p.cable_reach);
  Matrix3d k = cable.stiffness();
  const bool drawn = !geometric_.reach && !p.cable_placed;
  if (k.isZero(0) && (geometric_.slack_resists || drawn)) {
    const Vector3d t = cable.chord().normalized();
    k = p.EA / p.cable_length * t * t.transpose();
  }
  for (const int i : {0, 6}) {
    for (const int j : {0, 6}) K_.block<3, 3>(i, j) = i == j ? k : Matrix3d(-k);
  }
  turn_.block<3, 1>(6, 0) = p.length * k.col(2);
  turn_.block<3, 1>(6, 1) = p.length * k.col(1);
  turn_.block<3, 2>(0, 0) = -turn_.block<3, 2>(6, 0);
  if (!geometric_.reach) return;
  const Vector3d linear = k * reach;
  f_.head<3>() = linear - cable.start_tension();
  f_.segment<3>(6) = cable.end_tension() - linear;
}

/// Axial kinds hand loads across them to their ends by simple-beam statics.
void Element::spread_loads_to_ends() {
  const Vector6d sum = loading_.resultant();
  const double L = properties_.length;
  const double to_end_y = sum[5] / L, to_end_z = -sum[4] / L;
  f_[1] -= sum[1] - to_end_y;
  f_[7] -= to_end_y;
  f_[2] -= sum[2] - to_end_z;
  f_[8] -= to_end_z;
}

void Element::release_joints() {
  for (int end = 0; end < 2; ++end) {
    for (int d = 0; d < 6; ++d) {
      const double spring = properties_.joints[end][d];
      const int direction = 6 * end + d;
      if (spring != kRigid) release(direction, spring, K_joined_(direction, direction));
    }
  }
}

/// Eliminates the member's own end motion behind a hinge or end spring.
void Element::release(int r, double spring, double scale) {
  const double pivot = K_(r, r) + spring;
  if (std::abs(pivot) <= kFreePivot * std::abs(scale)) {
    if (std::abs(f_[r]) > kFreePivot * f_joined_.cwiseAbs().maxCoeff()) loaded_free_motion_ = r % 6;
    K_.row(r).setZero();
    K_.col(r).setZero();
    f_[r] = 0;
    turn_.row(r).setZero();
    return;
  }
  if (pivot < 0) ++negative_pivots_;
  Vector12d row = K_.row(r);
  row[r] = 0;
  const double load = f_[r], own = K_(r, r);
  const Eigen::RowVector2d turn = turn_.row(r);
  releases_.push_back({r, spring, pivot, load, turn.transpose(), row});
  K_ -= row * row.transpose() / pivot;
  f_ -= row * (load / pivot);
  turn_ -= row * turn / pivot;
  const double share = spring / pivot;
  K_.row(r) = share * row;
  K_.col(r) = share * row;
  K_(r, r) = share * own;
  f_[r] = share * load;
  turn_.row(r) = share * turn;
}

Vector12d Element::member_ends(const EndMotion& motion) const {
  Vector12d e = motion.deformed;
  for (std::size_t i = releases_.size(); i-- > 0;) {
    const Release& r = releases_[i];
    const double rest = r.row.dot(e) + r.turn.dot(motion.turn) + r.load;
    e[r.direction] = (r.spring * motion.deformed[r.direction] - rest) / r.pivot;
  }
  return e;
}

Vector12d Element::joint_motion(const EndMotion& motion) const {
  return member_ends(motion) - motion.deformed;
}

Vector12d Element::end_forces(const EndMotion& motion) const {
  if (properties_.cable_length > 0) {
    const Catenary cable = hanging(properties_, loading_, reach_of(motion, properties_.length));
    Vector12d p = Vector12d::Zero();
    p.head<3>() = -cable.start_tension();
    p.segment<3>(6) = cable.end_tension();
    return p;
  }
  return resistance(motion) + f_;
}

double Element::axial_force_at_start(const EndMotion& motion) const {
  if (properties_.cable_length > 0) {
    return ulterix::axial_force_at_start(properties_, loading_, motion);
  }
  const Vector12d e = member_ends(motion);
  return K_joined_(0, 0) * (e[6] - e[0]) - f_joined_[0];
}

MemberLine Element::line(const EndMotion& motion) const {
  if (properties_.cable_length > 0) {
    const Catenary cable = hanging(properties_, loading_, reach_of(motion, properties_.length));
    return hanging_line(cable, motion.nodes.head<3>(), properties_.length);
  }
  const Vector12d deformed = member_ends(motion);
  Vector12d e = motion.nodes + (deformed - motion.deformed);
  for (const int rotation : {4, 5, 10, 11}) e[rotation] -= motion.born[rotation];
  const double N_start = axial_force_at_start(motion);
  const double T_start = twist_stiffness_ * (deformed[9] - deformed[3]) - f_joined_[3];
  const double flexibility = properties_.EA > 0 ? 1 / properties_.EA : 0;
  std::array<std::vector<BendingCurve>, 2> curves;
  for (std::size_t c = 0; c < chains_.size(); ++c) {
    const bool z_plane = c == 0;
    const auto& directions = plane_directions(z_plane);
    if (!chains_[c]) continue;
    Vector4d ends, strained;
    for (int i = 0; i < 4; ++i) {
      ends[i] = e[directions[i]];
      strained[i] = deformed[directions[i]];
    }
    const Vector4d sign = plane_signs(z_plane);
    const BendingStiffness& chain = chains_[c]->stiffness();
    const Vector4d forces = chain.K * strained.cwiseProduct(sign) +
                            chain_turns_[c] * motion.turn[static_cast<Eigen::Index>(c)] + chain.f;
    curves[c] = chains_[c]->curves(ends.cwiseProduct(sign), forces);
  }
  // What stretches the axis without force: the lack of length that a preload stands for, or all of
  // the motion of a member whose force does not depend on it.
  const double strain = properties_.EA == 0
                            ? (e[6] - e[0]) / properties_.length
                            : motion.born[6] / properties_.length -
                                  flexibility * initial_force(properties_, loading_);
  MemberLine line;
  double u = e[0];
  const double L = properties_.length;
  for (std::size_t i = 0; i < loading_.spans.size(); ++i) {
    const LoadSpan& s = loading_.spans[i];
    const auto straight = [&](int d) {
      const double slope = (e[d + 6] - e[d]) / L;
      return BendingCurve::straight(s.length(), e[d] + slope * s.from, slope);
    };
    MemberLine::Span span{s.from, s.to, !chains_[0] ? straight(2) : curves[0][i],
                          !chains_[1] ? straight(1) : curves[1][i]};
    span.N = N_load_[i];
    span.N[0] += N_start;
    if (properties_.kind == MemberKind::frame) {
      span.T = T_load_[i];
      span.T[0] += T_start;
    }
    if (properties_.idle) span.N = {0, 0, 0};
    span.u_start = u;
    span.axial_flexibility = flexibility;
    span.strain = strain;
    u += strain * s.length() + flexibility * s.length() * span_mean(span.N);
    line.add(span);
  }
  return line;
}

}  // namespace ulterix
