#include "core/element/bending_chain.hpp"

#include <Eigen/LU>
#include <utility>

namespace ulterix {

namespace {

/// Carries a state through the piece to its end.
BendingState carry(const BendingPiece& piece, BendingState state, bool with_loads) {
  for (std::size_t i = 0; i < piece.segments.size(); ++i) {
    BendingSegment segment = piece.segments[i];
    if (!with_loads) {
      segment.q = segment.m = {0, 0};
      segment.slope = {0, 0};
      segment.curvature = 0;
    }
    state = BendingCurve(segment, state).at(1);
    if (with_loads && i < piece.actions.size()) {
      state.Q -= piece.actions[i][0];
      state.M -= piece.actions[i][1];
    }
  }
  return state;
}

bool has_axial_force(const BendingPiece& piece) {
  for (const BendingSegment& s : piece.segments) {
    if (s.has_axial_force()) return true;
  }
  return false;
}

bool has_load(const BendingPiece& piece) {
  for (const BendingSegment& s : piece.segments) {
    const bool pushed = s.has_axial_force() && (s.slope[0] != 0 || s.slope[1] != 0);
    const bool bent = s.curvature != 0 || pushed;
    if (bent || s.q[0] != 0 || s.q[1] != 0 || s.m[0] != 0 || s.m[1] != 0) return true;
  }
  for (const BendingAction& a : piece.actions) {
    if (!a.isZero(0)) return true;
  }
  return false;
}

/// Shear-flexible beam without axial force (Przemieniecki 1968, eq. 5.118), in (w, psi) at each
/// end.
Matrix4d first_order_stiffness(double L, double EI, double shear_flexibility) {
  const double phi = 12 * EI * shear_flexibility / (L * L);
  const double k = EI / (L * L * L * (1 + phi));
  Matrix4d K;
  K << 12, 6 * L, -12, 6 * L,                               //
      6 * L, (4 + phi) * L * L, -6 * L, (2 - phi) * L * L,  //
      -12, -6 * L, 12, -6 * L,                              //
      6 * L, (2 - phi) * L * L, -6 * L, (4 + phi) * L * L;
  return k * K;
}

/// Forces at the start that move the end from where the rest of the state takes it.
struct Transfer {
  Vector2d from_psi;    // (w2, psi2) per unit psi1, with M1 = Q1 = 0
  Matrix2d from_force;  // (w2, psi2) per unit (M1, Q1)
  Vector2d end_psi;     // (M2, Q2) per unit psi1
  Matrix2d end_force;   // (M2, Q2) per unit (M1, Q1)
};

Transfer transfer(const BendingPiece& piece) {
  Transfer t;
  const BendingState a = carry(piece, {0, 1, 0, 0}, false);
  const BendingState b = carry(piece, {0, 0, 1, 0}, false);
  const BendingState c = carry(piece, {0, 0, 0, 1}, false);
  t.from_psi << a.w, a.psi;
  t.from_force << b.w, c.w, b.psi, c.psi;
  t.end_psi << a.M, a.Q;
  t.end_force << b.M, c.M, b.Q, c.Q;
  return t;
}

/// End forces (order w1, psi1, w2, psi2) of the faces' (M1, Q1) and (M2, Q2).
Vector4d end_forces(const Vector2d& start, const Vector2d& end) {
  return {-start[1], -start[0], end[1], end[0]};
}

Matrix4d second_order_stiffness(const Transfer& t) {
  const Matrix2d inverse = t.from_force.inverse();
  Matrix4d K;
  for (int j = 0; j < 4; ++j) {
    const Vector4d e = Vector4d::Unit(j);
    // Where the end lies if nothing but the start's motion acts: w2 = w1 + a·psi1.
    const Vector2d free = Vector2d(e[0], 0) + t.from_psi * e[1];
    const Vector2d start = inverse * (Vector2d(e[2], e[3]) - free);
    const Vector2d end = t.end_force * start + t.end_psi * e[1];
    K.col(j) = end_forces(start, end);
  }
  return (K + K.transpose()) / 2;
}

int negative_eigenvalues(const Matrix2d& S) {
  const double determinant = S.determinant();
  if (determinant < 0) return 1;
  return S.trace() < 0 ? 2 : 0;
}

}  // namespace

double BendingPiece::length() const {
  double sum = 0;
  for (const BendingSegment& s : segments) sum += s.length;
  return sum;
}

BendingStiffness piece_stiffness(const BendingPiece& piece) {
  BendingStiffness result;
  const BendingSegment& first = piece.segments.front();
  const bool second_order = has_axial_force(piece), loaded = has_load(piece);
  if (!second_order) {
    result.K = first_order_stiffness(piece.length(), first.EI, first.shear_flexibility);
    if (!loaded) return result;
  }
  const Transfer t = transfer(piece);
  if (second_order) result.K = second_order_stiffness(t);
  if (!loaded) return result;
  const BendingState carried = carry(piece, {}, true);
  const Vector2d start = t.from_force.inverse() * Vector2d(-carried.w, -carried.psi);
  const Vector2d end = t.end_force * start + Vector2d(carried.M, carried.Q);
  result.f = end_forces(start, end);
  return result;
}

BendingChain::BendingChain(std::vector<BendingPiece> pieces,
                           const std::vector<BendingAction>& joints)
    : pieces_(std::move(pieces)) {
  for (const BendingPiece& piece : pieces_) matrices_.push_back(piece_stiffness(piece));
  whole_ = matrices_.front();
  for (std::size_t i = 1; i < matrices_.size(); ++i) join(matrices_[i], joints[i]);
  first_action_ = joints.front();
  whole_.f.head<2>() -= first_action_;
  whole_.f.tail<2>() -= joints.back();
}

void BendingChain::join(const BendingStiffness& next, const BendingAction& action) {
  const Matrix2d S = whole_.K.bottomRightCorner<2, 2>() + next.K.topLeftCorner<2, 2>();
  negative_pivots_ += negative_eigenvalues(S);
  Elimination e;
  e.S_inverse = S.inverse();
  e.A = whole_.K.bottomLeftCorner<2, 2>();
  e.B = next.K.topRightCorner<2, 2>();
  e.c = whole_.f.tail<2>() + next.f.head<2>() - action;
  BendingStiffness joined;
  const Matrix2d SA = e.S_inverse * e.A, SB = e.S_inverse * e.B;
  joined.K.topLeftCorner<2, 2>() = whole_.K.topLeftCorner<2, 2>() - e.A.transpose() * SA;
  joined.K.topRightCorner<2, 2>() = -e.A.transpose() * SB;
  joined.K.bottomLeftCorner<2, 2>() = joined.K.topRightCorner<2, 2>().transpose();
  joined.K.bottomRightCorner<2, 2>() = next.K.bottomRightCorner<2, 2>() - e.B.transpose() * SB;
  joined.f.head<2>() = whole_.f.head<2>() - e.A.transpose() * e.S_inverse * e.c;
  joined.f.tail<2>() = next.f.tail<2>() - e.B.transpose() * e.S_inverse * e.c;
  whole_ = joined;
  eliminated_.push_back(e);
}

std::vector<Vector2d> BendingChain::joint_motion(const Vector4d& ends) const {
  std::vector<Vector2d> motion(pieces_.size() + 1);
  motion.front() = ends.head<2>();
  motion.back() = ends.tail<2>();
  for (std::size_t i = eliminated_.size(); i-- > 0;) {
    const Elimination& e = eliminated_[i];
    motion[i + 1] = -e.S_inverse * (e.A * motion.front() + e.B * motion[i + 2] + e.c);
  }
  return motion;
}

std::vector<BendingCurve> BendingChain::curves(const Vector4d& ends, const Vector4d& forces) const {
  const std::vector<Vector2d> motion = joint_motion(ends);
  std::vector<BendingCurve> curves;
  for (std::size_t i = 0; i < pieces_.size(); ++i) {
    Vector4d e;
    e << motion[i], motion[i + 1];
    Vector2d p = (matrices_[i].K * e + matrices_[i].f).head<2>();
    if (i == 0) p = forces.head<2>() + first_action_;
    BendingState state{e[0], e[1], -p[1], -p[0]};
    for (std::size_t j = 0; j < pieces_[i].segments.size(); ++j) {
      curves.emplace_back(pieces_[i].segments[j], state);
      state = curves.back().at(1);
      if (j < pieces_[i].actions.size()) {
        state.Q -= pieces_[i].actions[j][0];
        state.M -= pieces_[i].actions[j][1];
      }
    }
  }
  return curves;
}

}  // namespace ulterix
