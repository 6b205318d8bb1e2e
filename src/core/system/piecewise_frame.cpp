#include "core/system/piecewise_frame.hpp"

#include <algorithm>
#include <cmath>

#include "core/model/local_axes.hpp"
#include "core/model/section_stress.hpp"
#include "core/parallel.hpp"
#include "core/system/equilibrium.hpp"

namespace ulterix {

namespace {

/// A rigid one-way support is a spring this much stiffer than the members at its node.
constexpr double kMuchStiffer = 1e4;
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
  /// A direction of a support that works one way.
  struct Contact {
    NodeId node;
    int direction = 0, only = 1;
    double stiffness = 0;  // N/m or N·m/rad
    bool rigid = false;
    double slack = 0, stands = 0, settle = 0;  // of the ground: from the start, with the factor
  };
  struct Size {
    double force = 0, moment = 0;
  };
  struct Moving {
    std::vector<Pose> nodes;
    std::vector<ReleaseMotion> releases;  // one a piece
    std::vector<Activity> failed;         // broken or yielding, one a piece
    // Of yielding pieces, m, at the most: N/(EA/l) without yielding; what a cable has gained.
    std::vector<double> longest;
    std::vector<double> pressed;  // force of rigid contacts before they give way, N or N·m
    double factor = 0;
  };

  Parts(const FrameSystem& d, const PathLoads& loads, int n) : drawn(d), cut_model(d.model()) {
    const AppliedLoads& scaled = loads.scaled;
    const AppliedLoads* constant = loads.constant;
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
      if (drawn.situation().present[id] != 0) add_member(id, loads, n);
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
      conditions.push_back({id, -1, m.yields ? ItemChange::yields : ItemChange::breaks});
    }
    make_system(loads);
    make_contacts(loads);
    measure_loads();
    if (loads.changed != nullptr) take_over_state(*loads.changed->parts_);
  }

  /// What stands in both goes on from where it is; what is new lies between its nodes.
  void take_over_state(const Parts& before) {
    const Model& model = drawn.model();
    for (const NodeId id : model.nodes.ids()) {
      if (drawn.situation().standing[id] == 0 || before.drawn.situation().standing[id] == 0)
        continue;
      const bool by_vector = pose(id).by_vector;
      pose(id) = before.pose(id);
      pose(id).by_vector = by_vector;
    }
    for (const MemberId id : model.members.ids()) {
      if (first_piece[id] < 0) continue;
      const auto own = static_cast<std::size_t>(first_piece[id]);
      const auto count = places[id].size() - 1;
      if (before.first_piece[id] < 0) {
        lay_between_nodes(id);
        continue;
      }
      const auto old = static_cast<std::size_t>(before.first_piece[id]);
      for (std::size_t i = 0; i < count; ++i) {
        now.releases[own + i] = before.now.releases[old + i];
        now.failed[own + i] = before.now.failed[old + i];
        now.longest[own + i] = before.now.longest[old + i];
        if (i > 0) pose(pieces[own + i].start) = before.pose(before.pieces[old + i].start);
      }
    }
    for (std::size_t i = 0; i < contacts.size(); ++i) {
      const Contact* old = before.contact(contacts[i].node, contacts[i].direction);
      if (old != nullptr) {
        now.pressed[i] = before.now.pressed[static_cast<std::size_t>(old - before.contacts.data())];
      }
    }
  }

  void lay_between_nodes(MemberId id) {
    const Member& m = drawn.model().members[id];
    const Pose a = pose(m.start), b = pose(m.end);
    const bool born = drawn.situation().birth(id) != nullptr;
    const Vector3d chord = drawn.situation().position(m.end) - drawn.situation().position(m.start);
    const Quaterniond turn = least_turn(chord, chord + b.displacement - a.displacement);
    const std::vector<double>& x = places[id];
    for (std::size_t i = 1; i + 1 < x.size(); ++i) {
      Pose& inner = pose(pieces[static_cast<std::size_t>(first_piece[id]) + i].start);
      const double part = x[i] / x.back();
      inner.displacement = (1 - part) * a.displacement + part * b.displacement;
      // The turn of a section is counted from where it was built in.
      if (born) continue;
      inner.rotation = turn;
      inner.vector = rotation_vector(turn, Vector3d::Zero());
    }
  }

  const Contact* contact(NodeId node, int direction) const {
    const auto [first, last] = contacts_at[static_cast<std::size_t>(node.value)];
    for (std::size_t i = first; i < last; ++i) {
      if (contacts[i].direction == direction) return &contacts[i];
    }
    return nullptr;
  }

  /// Where the ground under a direction of a node is; under none, and under rigid supports, where
  /// the node is.
  double ground_under(NodeId id, int d) const {
    if (const Contact* c = contact(id, d)) return c->stands + now.factor * c->settle;
    const SupportDirection& s = system->support(id)[static_cast<std::size_t>(d)];
    if (s.stiffness != 0 && s.stiffness != kRigid) {
      return springs_stand[static_cast<std::size_t>(id.value)][d] + now.factor * s.settle;
    }
    if (drawn.situation().standing[id] == 0) return 0;
    return d < 3 ? pose(id).displacement[d] : pose(id).vector[d - 3];
  }

  void add_member(MemberId id, const PathLoads& loads, int n) {
    const Member& m = drawn.model().members[id];
    const ElementProperties p = drawn.properties(id);
    const Matrix3d& R = drawn.axes(id);
    const MemberPieces whole(drawn, id);
    const Quaterniond& axes = whole.axes();
    const MemberLoading& loading = loads.scaled.on_member(id);
    const MemberLoading* stays =
        loads.constant != nullptr ? &loads.constant->on_member(id) : nullptr;
    const bool bends = p.kind == MemberKind::frame;
    std::vector<double>& x = places[id];
    first_piece[id] = static_cast<int>(pieces.size());
    const bool hangs = p.cable_length > 0;
    if (hangs || !bends) {
      x = {0, p.length};
    } else {
      std::vector<const MemberLoading*> all = {&loading};
      if (stays != nullptr) all.push_back(stays);
      for (const AppliedLoads* more : loads.cuts) all.push_back(&more->on_member(id));
      x = cut_places(all, p.length, n);
    }
    const MemberLoading own = cut_at_all(loading, x);
    const MemberLoading own_stays =
        stays != nullptr ? cut_at_all(*stays, x) : MemberLoading::none(p.length);
    const Vector3d from = drawn.situation().position(m.start);
    NodeId start = m.start;
    for (std::size_t i = 0; i + 1 < x.size(); ++i) {
      const bool last = i + 2 == x.size();
      NodeId end = m.end;
      if (!last) {
        Node inner;
        inner.position = from + whole.place(x[i + 1]);
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
      piece.properties = whole.part(x[i], x[i + 1]);
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
        const PieceLoad load = load_on_piece(own, i, piece.properties, axes);
        piece.properties.load_start = load.force_start;
        piece.properties.load_end = load.force_end;
        piece.properties.moment_start = load.moment_start;
        piece.properties.moment_end = load.moment_end;
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
          const PieceLoad stood = load_on_piece(own_stays, i, piece.properties, axes);
          piece.constant_start = stood.force_start;
          piece.constant_end = stood.force_end;
          piece.constant_moment_start = stood.moment_start;
          piece.constant_moment_end = stood.moment_end;
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

  /// How far the ground moves in a direction of a support: from the start, and with the factor.
  static std::pair<double, double> ground_at(const PathLoads& loads, const SupportDirection& s,
                                             NodeId node, Eigen::Index d) {
    const double standing =
        s.settle + (loads.constant != nullptr ? loads.constant->ground(node)[d] : 0);
    const double grows = loads.scaled.ground(node)[d];
    if (loads.changed != nullptr) {
      const double before = loads.changed->parts_->ground_under(node, static_cast<int>(d));
      return {before, standing + grows - before};
    }
    return loads.settled ? std::pair(standing, grows) : std::pair(0.0, standing + grows);
  }
  bool works_one_way(const SupportDirection& s) const {
    return drawn.situation().one_way && s.only != 0 && s.stiffness != 0;
  }

  void make_system(const PathLoads& loads) {
    Situation situation(cut_model);
    situation.supports = drawn.situation().supports;
    springs_stand = std::vector<Vector6d>(static_cast<std::size_t>(drawn.model().nodes.size()),
                                          Vector6d::Zero());
    for (Support& s : situation.supports) {
      for (Eigen::Index d = 0; d < 6; ++d) {
        SupportDirection& own = s.directions[static_cast<std::size_t>(d)];
        if (works_one_way(own)) own = {};
        if (own.stiffness == 0) continue;
        const auto [stands, grows] = ground_at(loads, own, s.node, d);
        own.settle = grows;
        if (own.stiffness != kRigid)
          springs_stand[static_cast<std::size_t>(s.node.value)][d] = stands;
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
    now.longest.assign(pieces.size(), 0.0);
    for (const NodeId id : drawn.model().nodes.ids()) {
      bool held = !dofs.dropped(id).empty();
      for (int d = 3; d < 6; ++d) {
        held = held || (drawn.model().uses_direction(d) && drawn.support(id)[d].stiffness != 0);
      }
      for (const ExtraRestraint& r : situation.restraints) {
        held = held || (r.node == id && !r.direction.tail<3>().isZero(0));
      }
      pose(id).by_vector = held;
      settles = settles || !system->settlement(id).isZero(0);
    }
  }

  void make_contacts(const PathLoads& loads) {
    const IndexedVector<MemberId, Member>& members = drawn.model().members;
    std::vector<Vector6d> around(now.nodes.size(), Vector6d::Zero());
    for (const MemberId id : members.ids()) {
      if (first_piece[id] < 0) continue;
      const Pose still;
      const PieceProperties whole = MemberPieces(drawn, id).whole();
      const Vector12d k =
          respond(whole, still, still, ReleaseMotion::Zero(), 0).stiffness.diagonal();
      around[static_cast<std::size_t>(members[id].start.value)] += k.head<6>();
      around[static_cast<std::size_t>(members[id].end.value)] += k.tail<6>();
    }
    contacts_at.assign(static_cast<std::size_t>(cut_model.nodes.size()), {0, 0});
    for (const NodeId id : drawn.model().nodes.ids()) {
      const std::size_t first = contacts.size();
      const Vector6d& stiff = around[static_cast<std::size_t>(id.value)];
      for (int d = 0; d < 6; ++d) {
        SupportDirection s = drawn.support(id)[static_cast<std::size_t>(d)];
        if (!works_one_way(s) || !drawn.model().uses_direction(d)) continue;
        s.settle += s.only * s.slack;  // the frame counts it to the ground
        Contact c;
        c.node = id;
        c.direction = d;
        c.only = s.only;
        c.slack = s.slack;
        c.rigid = s.stiffness == kRigid;
        std::tie(c.stands, c.settle) = ground_at(loads, s, id, d);
        const double most = d < 3 ? stiff.head<3>().maxCoeff() : stiff.tail<3>().maxCoeff();
        const double own = stiff[d] > kTrace * most ? stiff[d] : most;
        c.stiffness = c.rigid ? kMuchStiffer * own : s.stiffness;
        if (c.stiffness > 0) contacts.push_back(c);
      }
      contacts_at[static_cast<std::size_t>(id.value)] = {first, contacts.size()};
    }
    now.pressed.assign(contacts.size(), 0.0);
  }

  /// The largest force and moment of what stays and of what grows.
  void measure_loads() {
    const auto take = [](Size& largest, const std::vector<Vector6d>& nodal) {
      for (const Vector6d& f : nodal) {
        largest.force = std::max(largest.force, f.head<3>().cwiseAbs().maxCoeff());
        largest.moment = std::max(largest.moment, f.tail<3>().cwiseAbs().maxCoeff());
      }
    };
    take(standing, constant_nodal);
    take(growing, scaled_nodal);
    for (const Piece& piece : pieces) {
      const PieceProperties& p = piece.properties;
      const double L = piece.cable_length > 0 ? piece.cable_length : p.stiffness.length;
      const auto largest = [L](const Vector3d& a, const Vector3d& b) {
        return L * std::max(a.cwiseAbs().maxCoeff(), b.cwiseAbs().maxCoeff());
      };
      standing.force = std::max({standing.force, largest(piece.constant_start, piece.constant_end),
                                 piece.handed_constant.cwiseAbs().maxCoeff()});
      growing.force = std::max({growing.force, largest(p.load_start, p.load_end),
                                piece.handed_scaled.cwiseAbs().maxCoeff()});
    }
  }

  /// How far a support that works one way is pressed in; below 0: the gap.
  double penetration(const Contact& c) const {
    const Pose& p = pose(c.node);
    const double u = c.direction < 3 ? p.displacement[c.direction] : p.vector[c.direction - 3];
    return -c.only * (u - c.stands - now.factor * c.settle) - c.slack;
  }
  /// The reaction that it would give both ways, in its own sense.
  double pushes(std::size_t contact) const {
    const Contact& c = contacts[contact];
    return now.pressed[contact] + c.stiffness * penetration(c);
  }
  /// Reactions of the supports of a node that work one way; `rigid`: of those, or of the springs.
  Vector6d contact_force(NodeId id, bool rigid) const {
    Vector6d f = Vector6d::Zero();
    const auto [first, last] = contacts_at[static_cast<std::size_t>(id.value)];
    for (std::size_t i = first; i < last; ++i) {
      const Contact& c = contacts[i];
      if (c.rigid == rigid) f[c.direction] += c.only * std::max(0.0, pushes(i));
    }
    return f;
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
    const auto i = static_cast<std::size_t>(&piece - pieces.data());
    const double length = piece.cable_length + now.longest[i];
    const Vector3d load = (piece.constant_start + factor * p.load_start) *
                          (cut / longer * piece.cable_length / length);
    const Catenary hung(length * longer, p.stiffness.EA, load, chord);
    return now.failed[i] == Activity::yields ? hung.yielding(limit_of(i)) : hung;
  }
  /// What of its length without force a cable has gained by yielding, m.
  double gained(std::size_t i) const {
    const Piece& piece = pieces[i];
    const double longer = 1 + piece.constant_strain + now.factor * piece.cable_strain;
    return cable(piece, now.factor).length() / longer - piece.cable_length;
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
      if (elastic_elongation(i) >= now.longest[i]) {
        p.stiffness.EA = p.held_force = 0;
        p.stiffness.initial_force = limit_of(i);
      } else {
        p.stiffness.initial_force -= axial_stiffness(i) * permanent(i);
      }
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

  double axial_stiffness(std::size_t piece) const {
    const ElementProperties& s = pieces[piece].properties.stiffness;
    return s.EA / s.length;
  }
  /// How the chord of a piece has changed since it was built in.
  Vector3d grown_chord(std::size_t i) const {
    const Piece& piece = pieces[i];
    const std::array<Vector3d, 2>& moved = piece.properties.moved;
    return (pose(piece.end).displacement - moved[1]) - (pose(piece.start).displacement - moved[0]);
  }
  /// Elongation of a piece that carries N alone, and what it is strained by without: as long as it
  /// does not yield, N over its stiffness, m.
  double elastic_elongation(std::size_t i) const {
    const PieceProperties& p = pieces[i].properties;
    const Vector3d grown = grown_chord(i);
    const Vector3d chord = p.drawn + grown;
    const double elongation =
        (2 * p.drawn + grown).dot(grown) / (chord.norm() + p.stiffness.length);
    return elongation +
           (p.stiffness.initial_force + now.factor * p.held_force) / axial_stiffness(i);
  }
  /// What stays of a yielded piece's elongation without force, m.
  double permanent(std::size_t i) const {
    if (pieces[i].cable_length > 0) return now.longest[i];
    return now.longest[i] - limit_of(i) / axial_stiffness(i);
  }

  /// True of a yielded piece that carries less than its force.
  bool is_relieved(std::size_t i) const {
    constexpr double kRelieved = 1e-9;
    const double left = pieces[i].cable_length > 0
                            ? limit_of(i) - cable(pieces[i], now.factor).largest_tension()
                            : axial_stiffness(i) * (now.longest[i] - elastic_elongation(i));
    return left > kRelieved * limit_of(i);
  }

  Matrix6d springs(NodeId id) const {
    Matrix6d K = system->springs(id).asDiagonal();
    const auto [first, last] = contacts_at[static_cast<std::size_t>(id.value)];
    for (std::size_t i = first; i < last; ++i) {
      const Contact& c = contacts[i];
      if (presses(i) >= 0) K(c.direction, c.direction) += c.stiffness;
    }
    return K;
  }
  /// What springs put on a node.
  Vector6d spring_force(NodeId id) const {
    Vector6d f = contact_force(id, false);
    const Pose& p = pose(id);
    const Vector6d& stands = springs_stand[static_cast<std::size_t>(id.value)];
    const Vector6d stiffness = system->springs(id);
    for (int d = 0; d < 6; ++d) {
      if (stiffness[d] == 0) continue;
      const SupportDirection& s = system->support(id)[d];
      const double u = d < 3 ? p.displacement[d] : p.vector[d - 3];
      f[d] = stiffness[d] * (stands[d] + now.factor * s.settle - u);
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

  /// What loads and springs put on a node, as they work on its unknowns.
  NodeTerms node_terms(NodeId id) const {
    const auto n = static_cast<std::size_t>(id.value);
    NodeTerms terms;
    terms.acts = working(id, constant_nodal[n] + now.factor * scaled_nodal[n]);
    terms.gains = working(id, scaled_nodal[n]);
    if (id.value >= drawn.model().nodes.size()) return terms;  // between pieces
    terms.resists = -(spring_force(id) + contact_force(id, true));
    terms.tangent = springs(id);
    const Vector6d unmoved = Vector6d::Zero();
    terms.gains += system->spring_force(id, unmoved, unmoved);  // the ground alone
    const auto [first, last] = contacts_at[n];
    for (std::size_t i = first; i < last; ++i) {
      const Contact& c = contacts[i];
      if (presses(i) >= 0) terms.gains[c.direction] += c.stiffness * c.settle;
    }
    return terms;
  }

  MemberTangent piece_terms(std::size_t i) const {
    const PieceResponse r = response(i);
    MemberTangent terms;
    terms.resists = r.force;
    terms.gains = r.load;
    terms.tangent = r.stiffness;
    terms.negative_pivots = r.negative_pivots;
    if (!settles) return terms;
    Vector12d u0;
    u0 << system->settlement(pieces[i].start), system->settlement(pieces[i].end);
    if (!u0.isZero(0)) terms.gains -= r.stiffness * u0;
    return terms;
  }

  /// Of the present state; `Terms`: with the tangent, or without.
  template <class Terms>
  Equilibrium sum_up() const {
    Equilibrium sum = equilibrium(
        system->situation(),
        [this](MemberId id) -> Terms { return piece_terms(static_cast<std::size_t>(id.value)); },
        [this](NodeId id) { return node_terms(id); }, system->topology().get());
    // Loads that cancel leave the rounding of each.
    const double part = std::abs(now.factor);
    sum.force = std::max({sum.force, standing.force, part * growing.force});
    sum.moment = std::max({sum.moment, standing.moment, part * growing.moment});
    // A force has the frame for a lever: without bending, moments are only its rounding.
    sum.moment = std::max(sum.moment, sum.force * size);
    sum.force = std::max(sum.force, sum.moment / size);
    return sum;
  }

  double limit_of(std::size_t piece) const {
    const MemberId id(static_cast<int>(piece));
    return cut_model.members[id].breaks_at;
  }

  /// What is looked for along the path.
  struct Condition {
    MemberId member;
    int contact = -1;   // or a support's
    ItemChange change;  // where its value loses its positive sign
  };
  double value(const Condition& c) const {
    if (c.contact >= 0) return presses(static_cast<std::size_t>(c.contact));
    const auto first = static_cast<std::size_t>(first_piece[c.member]);
    const Piece& piece = pieces[first];
    if (c.change == ItemChange::reaches_fy) return left_of_fy(c.member);
    if (now.failed[first] != Activity::active) return 1;
    const ElementProperties& s = piece.properties.stiffness;
    if (piece.cable_length > 0) {
      const Catenary hung = cable(piece, now.factor);
      return 1 - hung.largest_tension() / limit_of(first);
    }
    const double mean = axial_stiffness(first) * elastic_elongation(first);
    const int sign = one_way_sign(s.kind);
    if (c.change == ItemChange::idle) {
      constexpr double kRounding = 1e-13;
      const double strain = sign * mean / s.EA;
      return std::abs(strain) < kRounding ? 0 : strain;
    }
    // N is largest at an end, where the loads along the member leave the most.
    const Vector12d handed = piece.handed_constant + now.factor * piece.handed_scaled;
    const Vector3d e = (piece.properties.drawn + grown_chord(first)).normalized();
    const bool idle = sign != 0 && sign * mean < 0;
    if (idle) return 1;
    const double at_start = mean + e.dot(handed.head<3>()),
                 at_end = mean - e.dot(handed.segment<3>(6));
    return 1 - std::max({mean, at_start, at_end}) / limit_of(first);
  }

  /// Above 0 where a support bears, by the displacement of its node that its force is worth, below
  /// by the gap; of the frame's size.
  double presses(std::size_t contact) const {
    constexpr double kNothing = 1e-15;
    const Contact& c = contacts[contact];
    const double force = pushes(contact);
    const double unit = c.direction < 3 ? size : 1;
    const double way = force > 0 ? force / c.stiffness * (c.rigid ? kMuchStiffer : 1)
                                 : std::min(penetration(c), 0.0);
    return std::abs(way) < kNothing * unit ? 0 : way / unit;
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
        stress = std::max(stress, std::abs(f[kN]) / s.A + bending_stress(s, f[kMy], f[kMz]));
      }
    }
    return 1 - stress / fy;
  }

  const FrameSystem& drawn;
  const double size = std::max(drawn.model().size(), 1e-9);  // of the frame, m
  Model cut_model;
  std::unique_ptr<FrameSystem> system;
  std::vector<Piece> pieces;  // in the order of the cut model's members
  IndexedVector<MemberId, std::vector<double>> places;
  IndexedVector<MemberId, int> first_piece;
  std::vector<Vector6d> scaled_nodal, constant_nodal;  // by node of the cut model
  std::vector<Vector6d> springs_stand;  // ground of springs from the start, by the engineer's node
  std::vector<Contact> contacts;
  std::vector<std::pair<std::size_t, std::size_t>> contacts_at;  // by node of the cut model
  Size standing, growing;                                        // loads
  VectorXd scale;
  Moving now;
  bool settles = false;
  std::vector<Condition> conditions;
  VectorXd fading;  // unbalanced forces at the start that fall with the factor; empty: none
};

PiecewiseFrame::PiecewiseFrame(const FrameSystem& drawn, const PathLoads& loads, int pieces)
    : parts_(std::make_unique<Parts>(drawn, loads, pieces)) {
  if (loads.changed != nullptr) parts_->fading = balance().rest;
}

PiecewiseFrame::~PiecewiseFrame() = default;

void PiecewiseFrame::start_from(const PiecewiseFrame& before) {
  parts_->now = before.parts_->now;
  parts_->now.factor = 0;
}

void PiecewiseFrame::look_for_events() {
  Parts& p = *parts_;
  const Model& model = p.drawn.model();
  for (std::size_t i = 0; i < p.contacts.size(); ++i) {
    p.conditions.push_back({{}, static_cast<int>(i), ItemChange::idle});
  }
  for (const MemberId id : model.members.ids()) {
    const Member& m = model.members[id];
    if (p.first_piece[id] < 0) continue;
    if (one_way_sign(m.kind) != 0) p.conditions.push_back({id, -1, ItemChange::idle});
    const SectionProperties& s = model.sections[m.section].properties;
    const bool bends = m.kind == MemberKind::frame;
    const bool known = !bends || (s.Wely > 0 && (s.Welz > 0 || model.plane != Plane::space));
    if (model.materials[m.material].fy > 0 && known && m.kind != MemberKind::cable) {
      p.conditions.push_back({id, -1, ItemChange::reaches_fy});
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

std::pair<CarryingItem, ItemChange> PiecewiseFrame::meaning(int condition) const {
  const Parts::Condition& c = parts_->conditions[static_cast<std::size_t>(condition)];
  if (c.contact < 0) return {{c.member, {}, 0}, c.change};
  const Parts::Contact& contact = parts_->contacts[static_cast<std::size_t>(c.contact)];
  return {{{}, contact.node, contact.direction}, c.change};
}

bool PiecewiseFrame::change_by(int condition) {
  const auto [item, change] = meaning(condition);
  if (change != ItemChange::breaks && change != ItemChange::yields) return false;
  Parts& p = *parts_;
  const auto piece = static_cast<std::size_t>(p.first_piece[item.member]);
  p.now.failed[piece] = change == ItemChange::breaks ? Activity::broken : Activity::yields;
  const bool hangs = p.pieces[piece].cable_length > 0;
  if (change == ItemChange::yields && !hangs) p.now.longest[piece] = p.elastic_elongation(piece);
  return true;
}

bool PiecewiseFrame::is_undecided() const {
  const Parts& p = *parts_;
  for (std::size_t i = 0; i < p.contacts.size(); ++i) {
    if (p.presses(i) == 0) return true;
  }
  const IndexedVector<MemberId, Member>& members = p.drawn.model().members;
  for (const MemberId id : members.ids()) {
    const bool one_way = p.first_piece[id] >= 0 && one_way_sign(members[id].kind) != 0;
    if (one_way && p.value({id, -1, ItemChange::idle}) == 0) return true;
  }
  return false;
}

void PiecewiseFrame::come_through() {
  Parts& p = *parts_;
  for (std::size_t i = 0; i < p.pieces.size(); ++i) {
    if (p.now.failed[i] != Activity::yields) continue;
    const bool hangs = p.pieces[i].cable_length > 0;
    p.now.longest[i] = std::max(p.now.longest[i], hangs ? p.gained(i) : p.elastic_elongation(i));
  }
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
  Equilibrium sum = p.sum_up<MemberTangent>();
  Balance b;
  b.rest = dofs.sum(sum.rest);
  b.load = dofs.sum(sum.gains);
  b.values = std::move(sum.tangent);
  b.inner_negative_pivots = sum.inner_negative_pivots;
  for (const NodeId id : p.cut_model.nodes.ids()) p.add_skew(id, b);
  if (p.fading.size() > 0) {
    b.rest -= (1 - p.now.factor) * p.fading;
    b.load -= p.fading;
  }
  for (int q = 0; q < dofs.size() && sum.force > 0; ++q) {
    const double scale = dofs.direction_of(q) < 3 ? sum.force : sum.moment;
    b.unbalanced = std::max(b.unbalanced, std::abs(b.rest[q]) / scale);
  }
  return b;
}

void PiecewiseFrame::move(const VectorXd& step, double factor) {
  Parts& p = *parts_;
  const DofMap& dofs = p.system->dofs();
  std::vector<Vector6d> steps(p.now.nodes.size(), Vector6d::Zero());
  for (const NodeId id : p.cut_model.nodes.ids()) {
    steps[static_cast<std::size_t>(id.value)] =
        (factor - p.now.factor) * p.system->settlement(id) + dofs.change(id, step);
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

bool PiecewiseFrame::take_over() {
  constexpr double kLeft = 1e-11;  // of the largest
  Parts& p = *parts_;
  std::vector<double> forces(p.contacts.size());
  double largest = 0;
  for (std::size_t i = 0; i < forces.size(); ++i) {
    forces[i] = std::max(0.0, p.pushes(i));
    largest = std::max(largest, forces[i]);
  }
  bool any = false;
  for (std::size_t i = 0; i < forces.size(); ++i) {
    if (!p.contacts[i].rigid || forces[i] == p.now.pressed[i]) continue;
    any = any || std::abs(forces[i] - p.now.pressed[i]) > kLeft * largest;
    p.now.pressed[i] = forces[i];
  }
  return any;
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

bool PiecewiseFrame::has_one_way() const {
  const IndexedVector<MemberId, Member>& members = parts_->drawn.model().members;
  return !parts_->contacts.empty() ||
         std::any_of(members.begin(), members.end(),
                     [](const Member& m) { return one_way_sign(m.kind) != 0; });
}

bool PiecewiseFrame::has_sharp_bends() const {
  if (!parts_->contacts.empty()) return true;
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
    const auto first = static_cast<std::size_t>(p.first_piece[id]);
    Activity activity = p.now.failed[first];
    const bool relieved = activity == Activity::yields && p.is_relieved(first);
    if (relieved) {
      activity = Activity::active;
      state.members[id].permanent = p.permanent(first);
    }
    if (one_way && activity == Activity::active && p.response(first).axial == 0) {
      activity = Activity::idle;
    }
    state.members[id].activity = activity;
  }
  for (std::size_t i = 0; i < p.contacts.size(); ++i) {
    if (!(p.pushes(i) > 0)) state.open.emplace_back(p.contacts[i].node, p.contacts[i].direction);
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
  const IndexedVector<NodeId, Vector6d> rest = p.sum_up<MemberTerms>().rest;
  IndexedVector<NodeId, Vector6d> reactions(model.nodes.size(), Vector6d::Zero());
  for (const NodeId id : model.nodes.ids()) {
    const Pose& pose = p.pose(id);
    const Vector6d pressed = p.contact_force(id, true);
    Vector6d held = Vector6d::Zero();
    const Vector6d& r = rest[id];
    bool any = !pressed.tail<3>().isZero(0);
    for (int d = 0; d < 6; ++d) {
      if (p.system->support(id)[d].stiffness != kRigid || !model.uses_direction(d)) continue;
      held[d] = r[d];
      any = any || d >= 3;
    }
    for (const ExtraRestraint& e : p.system->situation().restraints) {
      if (e.node == id) held += e.direction * e.direction.dot(r - held);
    }
    held += pressed;
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

}  // namespace ulterix
