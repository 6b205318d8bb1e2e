#include "core/system/member_pieces.hpp"

#include <algorithm>
#include <cmath>

#include "core/model/local_axes.hpp"

namespace ulterix {

namespace {

/// Boundaries of pieces closer than this part of a member are one.
constexpr double kSamePlace = 1e-9;

}  // namespace

MemberPieces::MemberPieces(const MemberFrame& drawn, MemberId id) {
  const Member& m = drawn.model().members[id];
  whole_.stiffness = drawn.properties(id);
  whole_.stiffness.joints = {kJoined, kJoined};
  length_ = whole_.stiffness.length;
  drawn_ = drawn.situation().position(m.end) - drawn.situation().position(m.start);
  axes_ = Quaterniond(Matrix3d(drawn.axes(id).transpose())).normalized();
  whole_.drawn = drawn_;
  whole_.axes = axes_;
  for (int d = 0; d < 3; ++d) {
    if (!drawn.model().uses_direction(d)) whole_.normal = d;
  }
  // Cables are told by where their ends are, and their length without force.
  if (whole_.stiffness.cable_length > 0) return;
  birth_ = drawn.situation().birth(id);
  if (birth_ == nullptr) return;
  // Straight between its nodes where they are, the section turned with its axis the short way.
  whole_.moved = {birth_->start.translation, birth_->end.translation};
  whole_.drawn += whole_.moved[1] - whole_.moved[0];
  whole_.stiffness.length = whole_.drawn.norm();
  whole_.axes = least_turn(drawn_, whole_.drawn) * axes_;
}

Vector3d MemberPieces::axis_at(double x, const Vector3d& chord, const Quaterniond& axes) const {
  const double part = x / length_;
  const std::array<double, 2>& bow = whole_.stiffness.bow;
  const double rise = 4 * part * (1 - part);
  return part * chord + rise * (axes * Vector3d(0, bow[0], bow[1]));
}

Vector3d MemberPieces::moved(double x) const {
  const double part = x / length_;
  return (1 - part) * whole_.moved[0] + part * whole_.moved[1];
}

PieceProperties MemberPieces::part(double from, double to) const {
  PieceProperties piece = whole_;
  const double part = (to - from) / length_;
  piece.stiffness.length = part * whole_.stiffness.length;
  piece.drawn = part * whole_.drawn;
  const bool bowed = whole_.stiffness.bow != std::array<double, 2>{0, 0};
  if (!bowed && birth_ == nullptr) return piece;
  if (bowed) {
    piece.drawn = axis_at(to, whole_.drawn, whole_.axes) - axis_at(from, whole_.drawn, whole_.axes);
    piece.stiffness.length = piece.drawn.norm();
  }
  // The section stands across the bowed axis.
  const auto section = [this](double x) -> Quaterniond {
    const double steep = 4 * (1 - 2 * x / length_);
    const std::array<double, 2>& off = whole_.stiffness.bow;
    const Vector3d tangent = whole_.drawn + steep * (whole_.axes * Vector3d(0, off[0], off[1]));
    return least_turn(whole_.drawn, tangent) * whole_.axes;
  };
  bow(piece, section(from), section(to));
  if (birth_ == nullptr) return piece;
  piece.moved = {moved(from), moved(to)};
  // Its ends were joined to nodes that had turned.
  const auto joined = [](const NodeMotion& node, const Quaterniond& free) {
    return turn_by(node.rotation).conjugate() * free;
  };
  if (from == 0) piece.sections[0] = joined(birth_->start, piece.sections[0]);
  if (to == length_) piece.sections[1] = joined(birth_->end, piece.sections[1]);
  return piece;
}

std::vector<double> cut_places(const std::vector<const MemberLoading*>& loadings, double length,
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

MemberLoading cut_at_all(const MemberLoading& loading, const std::vector<double>& places) {
  return cut_at(loading, std::vector<double>(places.begin() + 1, places.end() - 1));
}

PieceLoad load_on_piece(const MemberLoading& loading, std::size_t i, const PieceProperties& piece,
                        const Quaterniond& axes) {
  const LoadSpan& s = loading.spans[i];
  // Loads are per length of the chord.
  const double per_length = s.length() / piece.stiffness.length;
  const auto turned = [&](const Vector3d& local) -> Vector3d {
    return per_length * (axes * local);
  };
  return {turned(s.at_from.head<3>()), turned(s.at_to.head<3>()), turned(s.at_from.tail<3>()),
          turned(s.at_to.tail<3>())};
}

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

MemberLine line_from_poses(const MemberFrame& drawn, MemberId id, const MemberPoses& poses,
                           const MemberLoading& loading) {
  const MemberPieces pieces(drawn, id);
  PieceProperties whole = pieces.whole();
  strain(whole, loading, nullptr);
  const ElementProperties& p = whole.stiffness;
  const Quaterniond& axes = pieces.axes();
  MemberLine line;
  if (p.kind == MemberKind::frame) {
    const MemberLoading own = cut_at_all(loading, poses.x);
    for (std::size_t i = 0; i + 1 < poses.x.size(); ++i) {
      const double from = poses.x[i], to = poses.x[i + 1];
      PieceProperties piece = pieces.part(from, to);
      strain(piece, loading, nullptr);
      const PieceLoad load = load_on_piece(own, i, piece, axes);
      piece.load_start = load.force_start;
      piece.load_end = load.force_end;
      piece.moment_start = load.moment_start;
      piece.moment_end = load.moment_end;
      auto points = sample(piece, poses.poses[i], poses.poses[i + 1], 1, from);
      for (std::size_t k = 0; k < points.size(); ++k) {
        points[k].x = from + (to - from) * double(k) / double(points.size() - 1);
        if (!pieces.is_born()) continue;
        // From the drawn line, in the axes of that.
        const Vector3d since = whole.axes * points[k].displacement;
        points[k].displacement = axes.conjugate() * (since + pieces.moved(points[k].x));
      }
      line.add(MemberLine::Span::through(points));
    }
    return line;
  }
  if (p.cable_length > 0) {
    const Vector3d start = axes.conjugate() * poses.poses.front().displacement;
    const Vector3d end = axes.conjugate() * poses.poses.back().displacement;
    return hanging_line(hanging(p, loading, end - start), start, pieces.length());
  }
  // N alone: its mean from the elongation, and what the loads along the chord add and take.
  const Pose &a = poses.poses.front(), &b = poses.poses.back();
  const double mean = respond(whole, a, b, ReleaseMotion::Zero(), 1).axial;
  const Vector3d grown = b.displacement - a.displacement - (whole.moved[1] - whole.moved[0]);
  const Vector3d chord = (whole.drawn + grown).normalized();
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
      if (carries) points[k].forces[0] = mean + moment / pieces.length() - used[i][k];
      const double xi = points[k].x / pieces.length();
      Vector3d u = (1 - xi) * a.displacement + xi * b.displacement;
      if (carries && p.EA > 0)
        u += (points[k].x * moment / pieces.length() - used_up_to(i, k)) / p.EA * chord;
      points[k].displacement = axes.conjugate() * u;
    }
    line.add(MemberLine::Span::through(points));
  }
  return line;
}

}  // namespace ulterix
