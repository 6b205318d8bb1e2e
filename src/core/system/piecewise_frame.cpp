#include "core/system/piecewise_frame.hpp"

#include <algorithm>
#include <cmath>

#include "core/parallel.hpp"

namespace ulterix {

namespace {

/// Boundaries of pieces closer than this part of a member are one.
constexpr double kSamePlace = 1e-9;
constexpr double kTrace = 1e-6;

/// How a node's turn follows from a change of its rotation vector (from the left).
Matrix3d turn_of_vector(const Vector3d& v) {
  const double t = v.norm();
  Matrix3d S;
  S << 0, -v[2], v[1], v[2], 0, -v[0], -v[1], v[0], 0;
  const double a = t < 1e-3 ? 0.5 - t * t / 24 : (1 - std::cos(t)) / (t * t);
  const double b = t < 1e-3 ? 1.0 / 6 - t * t / 120 : (t - std::sin(t)) / (t * t * t);
  return Matrix3d::Identity() + a * S + b * S * S;
}

/// Where a member is cut: its ends, the junctions of its loads, and equal parts between.
std::vector<double> boundaries(const std::vector<const MemberLoading*>& loadings, double length,
                               int pieces) {
  std::vector<double> junctions = {0, length};
  for (const MemberLoading* l : loadings) {
    for (const LoadSpan& s : l->spans) junctions.push_back(s.to);
  }
  std::sort(junctions.begin(), junctions.end());
  std::vector<double> all = {0};
  for (const double to : junctions) {
    const double from = all.back();
    if (to - from < kSamePlace * length) continue;
    const int parts =
        std::max(1, static_cast<int>(std::ceil((to - from) / length * pieces - 1e-9)));
    for (int i = 1; i <= parts; ++i) all.push_back(from + (to - from) * i / parts);
  }
  all.back() = length;
  return all;
}

MemberLoading cut(const MemberLoading& loading, const std::vector<double>& x) {
  return cut_at(loading, std::vector<double>(x.begin() + 1, x.end() - 1));
}

/// The load along one piece of a loading that is cut like the pieces, global.
std::pair<Vector3d, Vector3d> along_piece(const MemberLoading& loading, std::size_t i,
                                          const Quaterniond& axes) {
  const LoadSpan& s = loading.spans[i];
  return {axes * Vector3d(s.at_from.head<3>()), axes * Vector3d(s.at_to.head<3>())};
}

std::pair<Vector3d, Vector3d> moments_along_piece(const MemberLoading& loading, std::size_t i,
                                                  const Quaterniond& axes) {
  const LoadSpan& s = loading.spans[i];
  return {axes * Vector3d(s.at_from.tail<3>()), axes * Vector3d(s.at_to.tail<3>())};
}

/// A whole member as one piece without joints or loads.
PieceProperties whole_member(const MemberFrame& drawn, MemberId id) {
  const Member& m = drawn.model().members[id];
  PieceProperties piece;
  piece.stiffness = drawn.properties(id);
  piece.stiffness.joints = {kJoined, kJoined};
  piece.drawn = drawn.situation().position(m.end) - drawn.situation().position(m.start);
  piece.axes = Quaterniond(Matrix3d(drawn.axes(id).transpose())).normalized();
  piece.in_plane = drawn.model().plane != Plane::space;
  return piece;
}

/// A part of it, from one place to another (m).
PieceProperties part_of(const PieceProperties& whole, double from, double to) {
  PieceProperties piece = whole;
  piece.stiffness.length = to - from;
  piece.drawn = (to - from) / whole.stiffness.length * whole.drawn;
  return piece;
}

/// What loads strain a piece by; what stays is there from the start.
void strain(PieceProperties& p, const MemberLoading& loading, const MemberLoading* stays) {
  if (p.stiffness.EA == 0) return;  // it carries what it carries
  const auto force = [&p](const MemberLoading& l) { return l.preload - p.stiffness.EA * l.strain; };
  const auto moments = [&p](const MemberLoading& l) {
    return std::array<double, 2>{-p.stiffness.EIy * l.curvature[0],
                                 -p.stiffness.EIz * l.curvature[1]};
  };
  p.held_force = force(loading);
  p.held_moments = moments(loading);
  if (stays == nullptr) return;
  p.stiffness.initial_force += force(*stays);
  p.standing_moments = moments(*stays);
}

/// Forces that a loading on an axial member hands to its nodes, global (12).
Vector12d handed_to_ends(ElementProperties p, MemberLoading loading, const Matrix3d& R) {
  p.initial_force = loading.preload = loading.strain = 0;
  return -to_global(Element(p, loading, {}).fixed_end_forces(), R);
}

}  // namespace

struct PiecewiseFrame::Parts {
  struct Piece {
    PieceProperties properties;  // with the scaled loads
    Vector3d constant_start = Vector3d::Zero(), constant_end = Vector3d::Zero();
    Vector3d constant_moment_start = Vector3d::Zero(), constant_moment_end = Vector3d::Zero();
    Vector3d constant_own_start = Vector3d::Zero(), constant_own_end = Vector3d::Zero();
    NodeId start, end;  // of the cut model
    bool constant = false;
    Vector12d handed_scaled = Vector12d::Zero(), handed_constant = Vector12d::Zero();  // global
    double cable_length = 0;  // without force, of a cable; its loads are per that length, global
    // By which loads make it longer, and the part of that which is cut.
    double cable_strain = 0, constant_strain = 0, cable_cut = 0, constant_cut = 0;
  };
  struct Moving {
    std::vector<Pose> nodes;
    std::vector<ReleaseMotion> releases;  // one a piece
    std::vector<Activity> failed;         // broken or yielding, one a piece
    double factor = 0;
  };

  Parts(const FrameSystem& d, const AppliedLoads& scaled, const AppliedLoads* constant, int n)
      : drawn(d), cut_model(d.model()) {
    cut_model.cases = {};
    cut_model.members = {};
    for (const NodeId id : drawn.model().nodes.ids()) {
      cut_model.nodes[id].position = drawn.situation().position(id);
    }
    const int nodes = cut_model.nodes.size();
    std::vector<Vector6d> zero(static_cast<std::size_t>(nodes), Vector6d::Zero());
    scaled_nodal = constant_nodal = zero;
    const IndexedVector<MemberId, Member>& members = drawn.model().members;
    places = IndexedVector<MemberId, std::vector<double>>(members.size());
    first_piece = IndexedVector<MemberId, int>(members.size(), -1);
    for (const MemberId id : members.ids()) {
      if (drawn.situation().present[id] != 0) add_member(id, scaled, constant, n);
    }
    for (const NodeId id : drawn.model().nodes.ids()) {
      scaled_nodal[static_cast<std::size_t>(id.value)] += scaled.on_node(id);
      if (constant != nullptr) {
        constant_nodal[static_cast<std::size_t>(id.value)] += constant->on_node(id);
      }
    }
    for (const MemberId id : members.ids()) {
      const Member& m = members[id];
      if (m.breaks_at <= 0 || first_piece[id] < 0) continue;
      conditions.push_back({id, m.yields ? ItemChange::yields : ItemChange::breaks});
    }
    make_system(scaled, constant);
  }

  void add_member(MemberId id, const AppliedLoads& scaled, const AppliedLoads* constant, int n) {
    const Member& m = drawn.model().members[id];
    const ElementProperties p = drawn.properties(id);
    const Matrix3d& R = drawn.axes(id);
    const PieceProperties whole = whole_member(drawn, id);
    const Quaterniond& axes = whole.axes;
    const MemberLoading& loading = scaled.on_member(id);
    const MemberLoading* stays = constant != nullptr ? &constant->on_member(id) : nullptr;
    const bool bends = p.kind == MemberKind::frame;
    std::vector<double>& x = places[id];
    first_piece[id] = static_cast<int>(pieces.size());
    const bool hangs = p.cable_length > 0;
    if (hangs) {
      x = {0, p.length};
    } else if (!bends) {
      x = {0, p.length};
    } else {
      std::vector<const MemberLoading*> all = {&loading};
      if (stays != nullptr) all.push_back(stays);
      x = boundaries(all, p.length, n);
    }
    const MemberLoading own = cut(loading, x);
    const MemberLoading own_stays =
        stays != nullptr ? cut(*stays, x) : MemberLoading::none(p.length);
    const Vector3d from = drawn.situation().position(m.start);
    NodeId start = m.start;
    for (std::size_t i = 0; i + 1 < x.size(); ++i) {
      const bool last = i + 2 == x.size();
      NodeId end = m.end;
      if (!last) {
        Node inner;
        inner.position = from + x[i + 1] / p.length * whole.drawn;
        end = cut_model.nodes.push_back(inner);
        scaled_nodal.push_back(Vector6d::Zero());
        constant_nodal.push_back(Vector6d::Zero());
      }
      Member part = m;
      part.name.clear();
      part.start = start;
      part.end = end;
      part.joints = {i == 0 ? m.joints[0] : kJoined, last ? m.joints[1] : kJoined};
      cut_model.members.push_back(part);
      Piece piece;
      piece.start = start;
      piece.end = end;
      piece.properties = part_of(whole, x[i], x[i + 1]);
      piece.properties.stiffness.joints = part.joints;
      strain(piece.properties, loading, stays);
      if (!bends && !hangs) {
        piece.handed_scaled = handed_to_ends(p, loading, R);
        if (stays != nullptr) piece.handed_constant = handed_to_ends(p, *stays, R);
      }
      if (hangs) {
        piece.cable_length = p.cable_length;
        piece.cable_strain = loading.strain;
        piece.cable_cut = loading.cut_strain;
        if (stays != nullptr) piece.constant_strain = stays->strain;
        if (stays != nullptr) piece.constant_cut = stays->cut_strain;
        const auto per_length = [&](const MemberLoading& l) -> Vector3d {
          return axes * Vector3d(l.resultant().head<3>()) / (p.cable_length * (1 + l.cut_strain));
        };
        piece.properties.load_start = per_length(loading);
        if (stays != nullptr) piece.constant_start = per_length(*stays);
      }
      if (bends) {
        std::tie(piece.properties.load_start, piece.properties.load_end) =
            along_piece(own, i, axes);
        std::tie(piece.properties.moment_start, piece.properties.moment_end) =
            moments_along_piece(own, i, axes);
        const std::array<bool, 2> turns = {i == 0 && turns_freely(m.joints[0]),
                                           last && turns_freely(m.joints[1])};
        const auto to = [&](std::vector<Vector6d>& nodal, Vector3d& own_start, Vector3d& own_end) {
          return MomentPlaces{nodal[static_cast<std::size_t>(start.value)],
                              nodal[static_cast<std::size_t>(end.value)],
                              turns[0] ? &own_start : nullptr, turns[1] ? &own_end : nullptr};
        };
        add_moments(
            own, i, axes, last,
            to(scaled_nodal, piece.properties.own_moment_start, piece.properties.own_moment_end));
        if (stays != nullptr) {
          std::tie(piece.constant_start, piece.constant_end) = along_piece(own_stays, i, axes);
          std::tie(piece.constant_moment_start, piece.constant_moment_end) =
              moments_along_piece(own_stays, i, axes);
          piece.constant = !piece.constant_start.isZero(0) || !piece.constant_end.isZero(0) ||
                           !piece.constant_moment_start.isZero(0) ||
                           !piece.constant_moment_end.isZero(0);
          add_moments(own_stays, i, axes, last,
                      to(constant_nodal, piece.constant_own_start, piece.constant_own_end));
          piece.constant = piece.constant || !piece.constant_own_start.isZero(0) ||
                           !piece.constant_own_end.isZero(0);
        }
      }
      pieces.push_back(piece);
      start = end;
    }
  }

  static bool turns_freely(const EndJoint& joint) {
    return joint[3] != kRigid || joint[4] != kRigid || joint[5] != kRigid;
  }

  /// Where moments at the ends of a piece go: to its nodes, or to its own ends behind hinges.
  struct MomentPlaces {
    Vector6d &start, &end;
    Vector3d *own_start, *own_end;
  };

  /// Moments along a piece and what acts at its start (and, of the last, its end).
  static void add_moments(const MemberLoading& loading, std::size_t i, const Quaterniond& axes,
                          bool last, const MomentPlaces& to) {
    const LoadSpan& s = loading.spans[i];
    const Vector3d a = axes * Vector3d(s.at_from.tail<3>()), b = axes * Vector3d(s.at_to.tail<3>());
    const double h = s.length();
    const auto turned = [&axes](const Vector6d& action) {
      Vector6d global;
      global << axes * Vector3d(action.head<3>()), axes * Vector3d(action.tail<3>());
      return global;
    };
    const auto put = [](const Vector6d& action, Vector6d& node, Vector3d* own) {
      node.head<3>() += action.head<3>();
      if (own != nullptr) {
        *own += action.tail<3>();
      } else {
        node.tail<3>() += action.tail<3>();
      }
    };
    Vector6d at_start = turned(loading.actions[i]), at_end = Vector6d::Zero();
    if (last) at_end = turned(loading.actions[i + 1]);
    at_start.tail<3>() += (2 * a + b) * h / 6;
    at_end.tail<3>() += (a + 2 * b) * h / 6;
    put(at_start, to.start, to.own_start);
    put(at_end, to.end, to.own_end);
  }

  void make_system(const AppliedLoads& scaled, const AppliedLoads* constant) {
    Situation situation(cut_model);
    situation.supports = drawn.situation().supports;
    for (Support& s : situation.supports) {
      Vector6d ground = scaled.ground(s.node);
      if (constant != nullptr) ground += constant->ground(s.node);
      for (std::size_t d = 0; d < 6; ++d) {
        if (s.directions[d].stiffness != 0) {
          s.directions[d].settle += ground[static_cast<Eigen::Index>(d)];
        }
      }
    }
    situation.restraints = drawn.situation().restraints;
    for (const NodeId id : drawn.model().nodes.ids()) {
      situation.standing[id] = drawn.situation().standing[id];
    }
    system = std::make_unique<FrameSystem>(situation);
    const DofMap& dofs = system->dofs();
    scale = VectorXd::Constant(dofs.size(), size);
    for (int q = 0; q < dofs.size(); ++q) {
      if (dofs.direction_of(q) >= 3) scale[q] = 1;
    }
    now.nodes.resize(static_cast<std::size_t>(cut_model.nodes.size()));
    now.releases.assign(pieces.size(), ReleaseMotion::Zero());
    now.failed.assign(pieces.size(), Activity::active);
    for (const NodeId id : drawn.model().nodes.ids()) {
      bool held = !dofs.dropped(id).empty();
      for (int d = 3; d < 6; ++d) {
        held = held || (drawn.model().uses_direction(d) && system->support(id)[d].stiffness != 0);
      }
      for (const ExtraRestraint& r : situation.restraints) {
        held = held || (r.node == id && !r.direction.tail<3>().isZero(0));
      }
      pose(id).by_vector = held;
      settles = settles || !dofs[id].u0.isZero(0);
    }
  }

  Pose& pose(NodeId id) { return now.nodes[static_cast<std::size_t>(id.value)]; }
  const Pose& pose(NodeId id) const { return now.nodes[static_cast<std::size_t>(id.value)]; }

  PieceProperties loaded(const Piece& piece) const {
    PieceProperties p = piece.properties;
    p.load_start = piece.constant_start + now.factor * p.load_start;
    p.load_end = piece.constant_end + now.factor * p.load_end;
    p.moment_start = piece.constant_moment_start + now.factor * p.moment_start;
    p.moment_end = piece.constant_moment_end + now.factor * p.moment_end;
    p.own_moment_start = piece.constant_own_start + now.factor * p.own_moment_start;
    p.own_moment_end = piece.constant_own_end + now.factor * p.own_moment_end;
    p.held_force *= now.factor;
    for (double& m : p.held_moments) m *= now.factor;
    return p;
  }

  Catenary cable(const Piece& piece, double factor) const {
    const PieceProperties& p = piece.properties;
    const Vector3d chord = p.drawn + pose(piece.end).displacement - pose(piece.start).displacement;
    const double longer = 1 + piece.constant_strain + factor * piece.cable_strain;
    const double cut = 1 + piece.constant_cut + factor * piece.cable_cut;
    return {piece.cable_length * longer, p.stiffness.EA,
            (piece.constant_start + factor * p.load_start) * (cut / longer), chord};
  }

  PieceResponse cable_response(const Piece& piece) const {
    const Catenary hung = cable(piece, now.factor);
    const auto put = [](const Catenary& c) {
      Vector12d force = Vector12d::Zero();
      force.head<3>() = -c.start_tension();
      force.segment<3>(6) = c.end_tension();
      return force;
    };
    PieceResponse r;
    r.force = put(hung);
    r.axial = hung.chord_force();
    Matrix3d k = hung.stiffness();
    if (k.isZero(0)) {
      // Slack and without load: the tangent that its own weight would give it leads on, or that
      // of a cable just taut in a trace, which disturbs no frame that stands.
      const Vector3d weight = piece.properties.axes * piece.properties.stiffness.cable_load;
      k = Catenary(piece.cable_length, hung.EA(), weight, hung.chord()).stiffness();
      if (k.isZero(0)) {
        const Vector3d t = hung.chord().normalized();
        k = kTrace * hung.EA() / piece.cable_length * t * t.transpose();
      }
    }
    r.stiffness.setZero();
    for (const int a : {0, 6}) {
      for (const int b : {0, 6}) r.stiffness.block<3, 3>(a, b) = a == b ? k : Matrix3d(-k);
    }
    // What a little more of the scaled load does, the ends held.
    constexpr double kLittle = 1e-5;
    r.load.setZero();
    if (!piece.properties.load_start.isZero(0) || piece.cable_strain != 0) {
      const double h = kLittle * std::max(1.0, std::abs(now.factor));
      r.load = (put(cable(piece, now.factor - h)) - put(cable(piece, now.factor + h))) / (2 * h);
    }
    return r;
  }

  /// The response with force less all loads in `force`, and the scaled load alone in `load`.
  PieceResponse response(std::size_t i) const {
    const Piece& piece = pieces[i];
    if (now.failed[i] == Activity::broken) return {};
    PieceResponse r = own_response(i);
    r.force -= piece.handed_constant + now.factor * piece.handed_scaled;
    r.load += piece.handed_scaled;
    return r;
  }

  /// The same without what an axial member hands to its ends.
  PieceResponse own_response(std::size_t i) const {
    const Piece& piece = pieces[i];
    const Pose &a = pose(piece.start), &b = pose(piece.end);
    const ReleaseMotion& z = now.releases[i];
    if (piece.cable_length > 0) return cable_response(piece);
    if (now.failed[i] == Activity::yields) {
      PieceProperties p = piece.properties;
      p.stiffness.EA = p.held_force = 0;
      p.stiffness.initial_force = limit_of(i);
      return respond(p, a, b, z, now.factor);
    }
    if (!piece.constant) {
      PieceResponse r = respond(piece.properties, a, b, z, now.factor);
      r.force -= now.factor * r.load;
      return r;
    }
    PieceResponse r = respond(loaded(piece), a, b, z, 1);
    r.force -= r.load;
    r.load = respond(piece.properties, a, b, z, 0).load;
    return r;
  }

  /// Loads at a node as they work on its unknowns, global.
  Vector6d working(NodeId id, const Vector6d& load) const {
    const Pose& p = pose(id);
    if (!p.by_vector || p.vector.isZero(0)) return load;
    Vector6d w = load;
    w.tail<3>() = turn_of_vector(p.vector).transpose() * load.tail<3>();
    return w;
  }

  Matrix6d springs(NodeId id) const {
    Matrix6d K = Matrix6d::Zero();
    for (int d = 0; d < 6; ++d) {
      const double k = system->support(id)[d].stiffness;
      if (k != kRigid) K(d, d) = k;
    }
    return K;
  }
  /// What springs put on a node.
  Vector6d spring_force(NodeId id) const {
    Vector6d f = Vector6d::Zero();
    const Pose& p = pose(id);
    for (int d = 0; d < 6; ++d) {
      const SupportDirection& s = system->support(id)[d];
      if (s.stiffness == 0 || s.stiffness == kRigid) continue;
      const double u = d < 3 ? p.displacement[d] : p.vector[d - 3];
      f[d] = s.stiffness * (now.factor * s.settle - u);
    }
    return f;
  }

  /// The derivative of what a node puts against a moment M, by a small further turn, is that of the
  /// energy less [M]×/2.
  void add_skew(NodeId id, Balance& b) const {
    const auto n = static_cast<std::size_t>(id.value);
    const Vector3d M = (constant_nodal[n] + now.factor * scaled_nodal[n]).tail<3>();
    const NodeDofs& node = system->dofs()[id];
    if (pose(id).by_vector || M.isZero(0) || !node.selection || drawn.model().plane != Plane::space)
      return;
    SkewBlock block;
    block.unknowns.fill(-1);
    for (int j = 0; j < node.count; ++j) {
      const int d = node.direction[static_cast<std::size_t>(j)];
      if (d >= 3) block.unknowns[static_cast<std::size_t>(d - 3)] = node.first + j;
    }
    if (std::find(block.unknowns.begin(), block.unknowns.end(), -1) != block.unknowns.end()) return;
    block.values << 0, M[2], -M[1], -M[2], 0, M[0], M[1], -M[0], 0;
    block.values *= 0.5;
    b.skew.push_back(block);
  }

  /// Unbalanced forces at every node (of pieces less loads and springs), as they work on the
  /// unknowns; the largest force and moment that take part.
  struct Rest {
    std::vector<Vector6d> at;
    double force = 0, moment = 0;
  };
  Rest rest(const std::vector<PieceResponse>& all) const {
    Rest result;
    std::vector<Vector6d>& sum = result.at;
    sum.assign(now.nodes.size(), Vector6d::Zero());
    const auto take = [&result](const Vector6d& f) {
      result.force = std::max(result.force, f.head<3>().cwiseAbs().maxCoeff());
      result.moment = std::max(result.moment, f.tail<3>().cwiseAbs().maxCoeff());
    };
    for (std::size_t i = 0; i < pieces.size(); ++i) {
      sum[static_cast<std::size_t>(pieces[i].start.value)] += all[i].force.head<6>();
      sum[static_cast<std::size_t>(pieces[i].end.value)] += all[i].force.tail<6>();
      take(all[i].force.head<6>());
      take(all[i].force.tail<6>());
    }
    for (const NodeId id : cut_model.nodes.ids()) {
      const auto n = static_cast<std::size_t>(id.value);
      const Vector6d load = constant_nodal[n] + now.factor * scaled_nodal[n];
      take(load);
      sum[n] -= working(id, load);
      if (id.value < drawn.model().nodes.size()) sum[n] -= spring_force(id);
    }
    // A force has the frame for a lever: without bending, moments are only its rounding.
    result.moment = std::max(result.moment, result.force * size);
    result.force = std::max(result.force, result.moment / size);
    return result;
  }

  double limit_of(std::size_t piece) const {
    const MemberId id(static_cast<int>(piece));
    return cut_model.members[id].breaks_at;
  }

  /// What is looked for along the path.
  struct Condition {
    MemberId member;
    ItemChange change;  // where its value loses its positive sign
  };
  double value(const Condition& c) const {
    const auto first = static_cast<std::size_t>(first_piece[c.member]);
    const Piece& piece = pieces[first];
    if (c.change == ItemChange::reaches_fy) return left_of_fy(c.member);
    if (now.failed[first] != Activity::active) return 1;
    const ElementProperties& s = piece.properties.stiffness;
    if (piece.cable_length > 0) {
      const Catenary hung = cable(piece, now.factor);
      return 1 - std::max(hung.start_tension().norm(), hung.end_tension().norm()) / limit_of(first);
    }
    const Vector3d grown = pose(piece.end).displacement - pose(piece.start).displacement;
    const Vector3d chord = piece.properties.drawn + grown;
    const double elongation =
        (2 * piece.properties.drawn + grown).dot(grown) / (chord.norm() + s.length);
    const double mean =
        s.EA / s.length * elongation + s.initial_force + now.factor * piece.properties.held_force;
    const int sign = one_way_sign(s.kind);
    if (c.change == ItemChange::idle) {
      constexpr double kNoStrain = 1e-13;
      const double strain = sign * mean / s.EA;
      return std::abs(strain) < kNoStrain ? 0 : strain;
    }
    // N is largest at an end, where the loads along the member leave the most.
    const Vector12d handed = piece.handed_constant + now.factor * piece.handed_scaled;
    const Vector3d e = chord.normalized();
    const bool idle = sign != 0 && sign * mean < 0;
    if (idle) return 1;
    const double at_start = mean + e.dot(handed.head<3>()),
                 at_end = mean - e.dot(handed.segment<3>(6));
    return 1 - std::max({mean, at_start, at_end}) / limit_of(first);
  }

  /// What is left of fy at the most stressed section, |N|/A + |My|/Wy + |Mz|/Wz, relative.
  double left_of_fy(MemberId id) const {
    const Member& m = drawn.model().members[id];
    const SectionProperties& s = drawn.model().sections[m.section].properties;
    const double fy = drawn.model().materials[m.material].fy;
    double stress = 0;
    const std::size_t count = places[id].size() - 1;
    for (std::size_t i = 0; i < count; ++i) {
      const std::size_t at = static_cast<std::size_t>(first_piece[id]) + i;
      const Piece& piece = pieces[at];
      if (now.failed[at] != Activity::active) return 1;
      if (m.kind != MemberKind::frame) {
        stress = std::max(stress, std::abs(own_response(at).axial) / s.A);
        continue;
      }
      const PieceProperties p = loaded(piece);
      const auto own = own_ends(p, pose(piece.start), pose(piece.end), now.releases[at]);
      for (const LinePoint& point : sample(p, own[0], own[1], 1, 0)) {
        const Vector6d& f = point.forces;
        const auto bending = [](double M, double W) { return W > 0 ? std::abs(M) / W : 0; };
        stress = std::max(
            stress, std::abs(f[kN]) / s.A + bending(f[kMy], s.Wely) + bending(f[kMz], s.Welz));
      }
    }
    return 1 - stress / fy;
  }

  std::vector<PieceResponse> responses() const {
    std::vector<PieceResponse> all(pieces.size());
    for_each_index(static_cast<int>(pieces.size()), [&](int i) {
      all[static_cast<std::size_t>(i)] = response(static_cast<std::size_t>(i));
    });
    return all;
  }

  const FrameSystem& drawn;
  const double size = std::max(drawn.model().size(), 1e-9);  // of the frame, m
  Model cut_model;
  std::unique_ptr<FrameSystem> system;
  std::vector<Piece> pieces;  // in the order of the cut model's members
  IndexedVector<MemberId, std::vector<double>> places;
  IndexedVector<MemberId, int> first_piece;
  std::vector<Vector6d> scaled_nodal, constant_nodal;  // by node of the cut model
  VectorXd scale;
  Moving now;
  bool settles = false;
  std::vector<Condition> conditions;
};

PiecewiseFrame::PiecewiseFrame(const FrameSystem& drawn, const AppliedLoads& scaled,
                               const AppliedLoads* constant, int pieces)
    : parts_(std::make_unique<Parts>(drawn, scaled, constant, pieces)) {}

PiecewiseFrame::~PiecewiseFrame() = default;

void PiecewiseFrame::look_for_events() {
  Parts& p = *parts_;
  const Model& model = p.drawn.model();
  for (const MemberId id : model.members.ids()) {
    const Member& m = model.members[id];
    if (p.first_piece[id] < 0) continue;
    if (one_way_sign(m.kind) != 0) p.conditions.push_back({id, ItemChange::idle});
    const SectionProperties& s = model.sections[m.section].properties;
    const bool bends = m.kind == MemberKind::frame;
    const bool known = !bends || (s.Wely > 0 && (s.Welz > 0 || model.plane != Plane::space));
    if (model.materials[m.material].fy > 0 && known && m.kind != MemberKind::cable) {
      p.conditions.push_back({id, ItemChange::reaches_fy});
    }
  }
}

std::vector<double> PiecewiseFrame::conditions() const {
  std::vector<double> values(parts_->conditions.size());
  for_each_index(static_cast<int>(values.size()), [&](int i) {
    const auto k = static_cast<std::size_t>(i);
    values[k] = parts_->value(parts_->conditions[k]);
  });
  return values;
}

std::pair<MemberId, ItemChange> PiecewiseFrame::meaning(int condition) const {
  const Parts::Condition& c = parts_->conditions[static_cast<std::size_t>(condition)];
  return {c.member, c.change};
}

bool PiecewiseFrame::change_by(int condition) {
  const auto [member, change] = meaning(condition);
  if (change != ItemChange::breaks && change != ItemChange::yields) return false;
  parts_->now.failed[static_cast<std::size_t>(parts_->first_piece[member])] =
      change == ItemChange::breaks ? Activity::broken : Activity::yields;
  return true;
}

const SymmetricPattern& PiecewiseFrame::pattern() const {
  return parts_->system->pattern();
}
double PiecewiseFrame::factor() const {
  return parts_->now.factor;
}
const VectorXd& PiecewiseFrame::scale() const {
  return parts_->scale;
}

Balance PiecewiseFrame::balance() const {
  const Parts& p = *parts_;
  const DofMap& dofs = p.system->dofs();
  Balance b;
  const std::vector<PieceResponse> all = p.responses();
  const Parts::Rest rest = p.rest(all);
  b.rest = b.load = VectorXd::Zero(dofs.size());
  for (const NodeId id : p.cut_model.nodes.ids()) {
    const auto n = static_cast<std::size_t>(id.value);
    dofs.add_force(id, rest.at[n], b.rest);
    Vector6d load = p.working(id, p.scaled_nodal[n]);
    if (id.value < p.drawn.model().nodes.size()) {
      for (int d = 0; d < 6; ++d) {
        const SupportDirection& s = p.system->support(id)[d];
        if (s.stiffness != kRigid) load[d] += s.stiffness * s.settle;
      }
    }
    dofs.add_force(id, load, b.load);
    p.add_skew(id, b);
  }
  for (std::size_t i = 0; i < p.pieces.size(); ++i) {
    Vector12d load = all[i].load;
    if (p.settles) {
      Vector12d u0;
      u0 << dofs[p.pieces[i].start].u0, dofs[p.pieces[i].end].u0;
      if (!u0.isZero(0)) load -= all[i].stiffness * u0;
    }
    dofs.add_force(p.pieces[i].start, load.head<6>(), b.load);
    dofs.add_force(p.pieces[i].end, load.tail<6>(), b.load);
    b.inner_negative_pivots += all[i].negative_pivots;
  }
  for (int q = 0; q < dofs.size() && rest.force > 0; ++q) {
    const double scale = dofs.direction_of(q) < 3 ? rest.force : rest.moment;
    b.unbalanced = std::max(b.unbalanced, std::abs(b.rest[q]) / scale);
  }
  b.values = p.system->assemble_global(
      [&all](MemberId id) { return all[static_cast<std::size_t>(id.value)].stiffness; },
      [&p](NodeId id) { return p.springs(id); });
  return b;
}

void PiecewiseFrame::move(const VectorXd& step, double factor) {
  Parts& p = *parts_;
  const DofMap& dofs = p.system->dofs();
  std::vector<Vector6d> steps(p.now.nodes.size(), Vector6d::Zero());
  for (const NodeId id : p.cut_model.nodes.ids()) {
    steps[static_cast<std::size_t>(id.value)] =
        (factor - p.now.factor) * dofs[id].u0 + dofs.change(id, step);
  }
  for_each_index(static_cast<int>(p.pieces.size()), [&](int at) {
    const auto i = static_cast<std::size_t>(at);
    const Parts::Piece& piece = p.pieces[i];
    const bool bends = piece.properties.stiffness.kind == MemberKind::frame;
    if (!bends || !piece.properties.has_releases()) return;
    const PieceResponse r =
        respond(p.loaded(piece), p.pose(piece.start), p.pose(piece.end), p.now.releases[i], 1);
    Vector12d u;
    u << steps[static_cast<std::size_t>(piece.start.value)],
        steps[static_cast<std::size_t>(piece.end.value)];
    p.now.releases[i] -= r.rest + r.follow * u;
  });
  for (std::size_t n = 0; n < steps.size(); ++n) ulterix::move(p.now.nodes[n], steps[n]);
  p.now.factor = factor;
}

std::shared_ptr<const void> PiecewiseFrame::state() const {
  return std::make_shared<const Parts::Moving>(parts_->now);
}

void PiecewiseFrame::restore(const std::shared_ptr<const void>& state) {
  parts_->now = *static_cast<const Parts::Moving*>(state.get());
}

double PiecewiseFrame::motion() const {
  double largest = 0;
  for (const Pose& p : parts_->now.nodes) {
    largest = std::max({largest, p.displacement.cwiseAbs().maxCoeff() / parts_->size,
                        p.vector.cwiseAbs().maxCoeff()});
  }
  return largest;
}

bool PiecewiseFrame::has_sharp_bends() const {
  return std::any_of(parts_->pieces.begin(), parts_->pieces.end(),
                     [](const Parts::Piece& p) { return p.cable_length > 0; });
}

bool PiecewiseFrame::is_loose() const {
  const Parts& p = *parts_;
  for (std::size_t i = 0; i < p.pieces.size(); ++i) {
    if (p.pieces[i].cable_length == 0 || p.now.failed[i] == Activity::broken) continue;
    if (p.cable(p.pieces[i], p.now.factor).start_tension().isZero(0)) return true;
  }
  return false;
}

State PiecewiseFrame::node_state() const {
  const Parts& p = *parts_;
  State state = state_at_rest(p.drawn.situation());
  state.lambda = p.now.factor;
  for (const NodeId id : p.drawn.model().nodes.ids()) {
    state.nodes[id].translation = p.pose(id).displacement;
    state.nodes[id].rotation = p.pose(id).vector;
  }
  state.poses = poses();
  for (const MemberId id : p.drawn.model().members.ids()) {
    const MemberKind kind = p.drawn.model().members[id].kind;
    const bool one_way = one_way_sign(kind) != 0 || kind == MemberKind::cable;
    if (p.first_piece[id] < 0) continue;
    const Activity failed = p.now.failed[static_cast<std::size_t>(p.first_piece[id])];
    state.members[id].activity = failed;
    if (!one_way || failed != Activity::active) continue;
    if (p.response(static_cast<std::size_t>(p.first_piece[id])).axial == 0) {
      state.members[id].activity = Activity::idle;
    }
  }
  return state;
}

IndexedVector<MemberId, MemberPoses> PiecewiseFrame::poses() const {
  const Parts& p = *parts_;
  const Model& model = p.drawn.model();
  IndexedVector<MemberId, MemberPoses> all(model.members.size());
  for (const MemberId id : model.members.ids()) {
    if (p.first_piece[id] < 0) continue;
    MemberPoses& own = all[id];
    own.x = p.places[id];
    const auto first = static_cast<std::size_t>(p.first_piece[id]);
    const std::size_t count = own.x.size() - 1;
    own.poses.resize(count + 1);
    for (std::size_t i = 0; i < count; ++i) {
      const Parts::Piece& piece = p.pieces[first + i];
      const auto ends = own_ends(piece.properties, p.pose(piece.start), p.pose(piece.end),
                                 p.now.releases[first + i]);
      if (i == 0) own.poses[0] = ends[0];
      own.poses[i + 1] = ends[1];
    }
  }
  return all;
}

IndexedVector<NodeId, Vector6d> PiecewiseFrame::reactions() const {
  const Parts& p = *parts_;
  const Model& model = p.drawn.model();
  const std::vector<Vector6d> rest = p.rest(p.responses()).at;
  IndexedVector<NodeId, Vector6d> reactions(model.nodes.size(), Vector6d::Zero());
  for (const NodeId id : model.nodes.ids()) {
    const Pose& pose = p.pose(id);
    Vector6d held = Vector6d::Zero();
    const Vector6d& r = rest[static_cast<std::size_t>(id.value)];
    bool any = false;
    for (int d = 0; d < 6; ++d) {
      if (p.system->support(id)[d].stiffness != kRigid || !model.uses_direction(d)) continue;
      held[d] = r[d];
      any = any || d >= 3;
    }
    for (const ExtraRestraint& e : p.system->situation().restraints) {
      if (e.node == id) held += e.direction * e.direction.dot(r - held);
    }
    if (any && pose.by_vector) {
      // A moment on the vector's components as a moment about the axes.
      held.tail<3>() = turn_of_vector(pose.vector).transpose().inverse() * held.tail<3>();
    }
    reactions[id] = held + p.spring_force(id);
  }
  return reactions;
}

double PiecewiseFrame::unbalanced() const {
  return balance().unbalanced;
}

int PiecewiseFrame::unknown_of(NodeId node, int direction) const {
  const NodeDofs& dofs = parts_->system->dofs()[node];
  for (int j = 0; j < dofs.count; ++j) {
    if (dofs.T(direction, j) == 1) return dofs.first + j;
  }
  return -1;
}

IndexedVector<NodeId, NodeMotion> PiecewiseFrame::motion_of(const VectorXd& unknowns) const {
  const Parts& p = *parts_;
  IndexedVector<NodeId, NodeMotion> motion(p.drawn.model().nodes.size());
  for (const NodeId id : p.drawn.model().nodes.ids()) {
    const Vector6d u = p.system->dofs().change(id, unknowns);
    motion[id].translation = u.head<3>();
    motion[id].rotation = u.tail<3>();
  }
  return motion;
}

MemberLine line_from_poses(const MemberFrame& drawn, MemberId id, const MemberPoses& poses,
                           const MemberLoading& loading) {
  PieceProperties whole = whole_member(drawn, id);
  strain(whole, loading, nullptr);
  const ElementProperties& p = whole.stiffness;
  const Quaterniond& axes = whole.axes;
  MemberLine line;
  if (p.kind == MemberKind::frame) {
    const MemberLoading own = cut(loading, poses.x);
    for (std::size_t i = 0; i + 1 < poses.x.size(); ++i) {
      PieceProperties piece = part_of(whole, poses.x[i], poses.x[i + 1]);
      std::tie(piece.load_start, piece.load_end) = along_piece(own, i, axes);
      std::tie(piece.moment_start, piece.moment_end) = moments_along_piece(own, i, axes);
      line.add(MemberLine::Span::through(
          sample(piece, poses.poses[i], poses.poses[i + 1], 1, poses.x[i])));
    }
    return line;
  }
  if (p.cable_length > 0) {
    const Vector3d start = axes.conjugate() * poses.poses.front().displacement;
    const Vector3d end = axes.conjugate() * poses.poses.back().displacement;
    return hanging_line(hanging(p, loading, end - start), start, p.length);
  }
  // N alone: its mean from the elongation, and what the loads along the chord add and take.
  const Pose &a = poses.poses.front(), &b = poses.poses.back();
  const double mean = respond(whole, a, b, ReleaseMotion::Zero(), 1).axial;
  const Vector3d chord = (whole.drawn + b.displacement - a.displacement).normalized();
  const auto along = [&](const Vector6d& q) { return chord.dot(axes * Vector3d(q.head<3>())); };
  const bool carries = mean != 0;
  double sum = along(loading.actions.front()), moment = 0;
  std::vector<std::array<double, 5>> used;
  for (std::size_t i = 0; i < loading.spans.size(); ++i) {
    const LoadSpan& s = loading.spans[i];
    std::array<double, 5> values;
    const double qa = along(s.at_from), qb = along(s.at_to), h = s.length();
    for (std::size_t k = 0; k < 5; ++k) {
      const double xi = double(k) / 4;
      values[k] = sum + h * xi * (qa + (qb - qa) * xi / 2);
    }
    moment += h * (sum + h * (qa / 2 + (qb - qa) / 6));
    sum = values[4] + along(loading.actions[i + 1]);
    used.push_back(values);
  }
  // ∫ of what is used up from the start to a place of a span.
  const auto used_up_to = [&](std::size_t span, std::size_t k) {
    double integral = 0;
    for (std::size_t i = 0; i <= span; ++i) {
      const LoadSpan& s = loading.spans[i];
      const double part = i < span ? 1 : double(k) / 4, qa = along(s.at_from);
      const double rate = (along(s.at_to) - qa) / s.length(), h = part * s.length();
      integral += h * (used[i][0] + h * (qa / 2 + h * rate / 6));
    }
    return integral;
  };
  for (std::size_t i = 0; i < loading.spans.size(); ++i) {
    const LoadSpan& s = loading.spans[i];
    std::array<LinePoint, 5> points;
    for (std::size_t k = 0; k < 5; ++k) {
      points[k].x = s.from + s.length() * double(k) / 4;
      if (carries) points[k].forces[0] = mean + moment / p.length - used[i][k];
      const double xi = points[k].x / p.length;
      Vector3d u = (1 - xi) * a.displacement + xi * b.displacement;
      if (carries && p.EA > 0)
        u += (points[k].x * moment / p.length - used_up_to(i, k)) / p.EA * chord;
      points[k].displacement = axes.conjugate() * u;
    }
    line.add(MemberLine::Span::through(points));
  }
  return line;
}

}  // namespace ulterix
