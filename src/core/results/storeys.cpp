#include "core/results/storeys.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/parallel.hpp"

namespace ulterix {

namespace {

/// A girder rises less than this over its length.
constexpr double kNearHorizontal = 1.0 / 20;
/// Elevations closer than this part of the frame's height are one level.
constexpr double kSameLevel = 1e-3;
/// Elevations closer than this part of the median storey height, or this, are one level too.
constexpr double kNearLevel = 0.1, kStep = 0.3;  // m
/// Shear below this part of the gravity load gives no index.
constexpr double kNoShear = 1e-9;
/// Drift below this part of the storey's height is none.
constexpr double kNoDrift = 1e-12;

double height_of(const Model& model) {
  double low = 1e300, high = -1e300;
  for (const Node& n : model.nodes) {
    low = std::min(low, n.position[model.vertical]);
    high = std::max(high, n.position[model.vertical]);
  }
  return high - low;
}

}  // namespace

bool is_column(const Model& model, MemberId id) {
  constexpr double kNearVertical = 1.0 / 5;
  const Member& m = model.members[id];
  const Vector3d along = model.nodes[m.end].position - model.nodes[m.start].position;
  const double rise = along[model.vertical], L = along.norm();
  const double run = std::sqrt(std::max(0.0, L * L - rise * rise));
  return std::abs(rise) >= 1e-9 * L && run <= kNearVertical * std::abs(rise) && L > 0;
}

std::vector<StoreyColumn> columns_between(const Model& model, double low, double high) {
  const double tolerance = kSameLevel * height_of(model);
  std::vector<StoreyColumn> parts;
  for (const MemberId id : model.members.ids()) {
    if (!is_column(model, id)) continue;
    const Member& m = model.members[id];
    const Vector3d a = model.nodes[m.start].position, b = model.nodes[m.end].position;
    const double rise = b[model.vertical] - a[model.vertical], L = (b - a).norm();
    const double bottom = std::min(a[model.vertical], b[model.vertical]);
    const double top = std::max(a[model.vertical], b[model.vertical]);
    if (bottom > low + tolerance || top < high - tolerance) continue;
    const auto x_at = [&](double z) {
      return std::clamp((z - a[model.vertical]) / rise, 0.0, 1.0) * L;
    };
    parts.push_back({id, x_at(low), x_at(high)});
  }
  return parts;
}

bool is_leaning(const MemberFrame& system, MemberId id, int direction) {
  const Member& m = system.model().members[id];
  if (m.kind != MemberKind::frame) return true;
  // A sway along local z bends about y, one along local y about z.
  const Matrix3d& R = system.axes(id);
  const int axis = std::abs(R(2, direction)) >= std::abs(R(1, direction)) ? 4 : 5;
  return m.joints[0][axis] == 0 && m.joints[1][axis] == 0;
}

namespace {

/// Largest relative displacement over the columns in each direction, signed.
Vector3d drifts_of(const Recovery& recovery, const std::vector<StoreyColumn>& columns) {
  Vector3d drifts = Vector3d::Zero();
  const auto drift = [&](int i) -> Vector3d {
    const StoreyColumn& c = columns[static_cast<std::size_t>(i)];
    const MemberLine& line = recovery.line(c.member);
    const Matrix3d& R = recovery.frame().axes(c.member);
    return R.transpose() * (line.at(c.x_high).displacement - line.at(c.x_low).displacement);
  };
  make_and_take(static_cast<int>(columns.size()), drift, [&drifts](int, const Vector3d& d) {
    for (int i = 0; i < 3; ++i) {
      if (std::abs(d[i]) > std::abs(drifts[i]) * (1 + 1e-9)) drifts[i] = d[i];
    }
  });
  return drifts;
}

/// Loads on and reactions of all nodes above an elevation.
Vector3d loads_above(const Recovery& recovery, const IndexedVector<NodeId, Vector3d>& at_nodes,
                     double elevation) {
  const Model& model = recovery.frame().model();
  Vector3d sum = Vector3d::Zero();
  for (const NodeId n : model.nodes.ids()) {
    if (model.nodes[n].position[model.vertical] <= elevation) continue;
    sum += at_nodes[n];
    if (n.value < recovery.step().reactions.size()) sum += recovery.step().reactions[n].head<3>();
  }
  return sum;
}

}  // namespace

namespace {

/// Elevations that are one level.
struct Cluster {
  double low = 0, high = 0, sum = 0;
  int count = 0;

  double middle() const { return sum / count; }
  void take(const Cluster& other) {
    high = std::max(high, other.high);
    sum += other.sum;
    count += other.count;
  }
};

std::vector<Cluster> joined(const std::vector<Cluster>& clusters, double reach) {
  std::vector<Cluster> result;
  for (const Cluster& c : clusters) {
    if (!result.empty() && c.low - result.back().high <= reach &&
        c.high - result.back().low <= 2 * reach) {
      result.back().take(c);
    } else {
      result.push_back(c);
    }
  }
  return result;
}

/// Elevations in rising order, those that are nearly one taken together: girders meet a column at
/// slightly different heights, and what is between them is no storey.
std::vector<Cluster> clusters_of(const std::vector<double>& elevations, double same) {
  std::vector<Cluster> single;
  for (const double z : elevations) single.push_back({z, z, z, 1});
  std::vector<Cluster> levels = joined(single, same);
  // The median without the steps that are no storeys.
  std::vector<double> heights;
  for (std::size_t i = 1; i < levels.size(); ++i) {
    const double height = levels[i].middle() - levels[i - 1].middle();
    if (height > kStep) heights.push_back(height);
  }
  if (heights.empty()) return levels;
  std::nth_element(heights.begin(),
                   heights.begin() + static_cast<std::ptrdiff_t>(heights.size() / 2),
                   heights.end());
  const double median = heights[heights.size() / 2];
  return joined(levels, std::min(std::max(kNearLevel * median, kStep), median / 3));
}

}  // namespace

std::vector<Level> find_levels(const Model& model) {
  if (!model.levels.empty()) {
    std::vector<Level> levels;
    for (const NamedLevel& l : model.levels) {
      levels.push_back({l.name, l.elevation, l.elevation, l.elevation});
    }
    std::sort(levels.begin(), levels.end(),
              [](const Level& a, const Level& b) { return a.elevation < b.elevation; });
    return levels;
  }
  const int up = model.vertical;
  std::vector<double> elevations;
  for (const Member& m : model.members) {
    const Vector3d a = model.nodes[m.start].position, b = model.nodes[m.end].position;
    if (std::abs(b[up] - a[up]) < kNearHorizontal * (b - a).norm()) {
      elevations.push_back((a[up] + b[up]) / 2);
    }
  }
  if (elevations.empty()) return {};
  double base = elevations.front();
  for (const Support& s : model.supports) base = std::min(base, model.nodes[s.node].position[up]);
  elevations.push_back(base);
  std::sort(elevations.begin(), elevations.end());
  std::vector<Level> levels;
  for (const Cluster& c : clusters_of(elevations, kSameLevel * height_of(model))) {
    levels.push_back(
        {levels.empty() ? "base" : fmt::format("{}", levels.size()), c.middle(), c.low, c.high});
  }
  return levels;
}

std::vector<StoreyRow> find_storeys(const Recovery& first_order, const Recovery& step) {
  const Model& model = step.frame().model();
  std::vector<StoreyRow> rows;
  if (!step.step().has_state || step.step().state.lambda != 1) return rows;
  const std::vector<Level> levels = find_levels(model);
  const IndexedVector<NodeId, Vector3d> at_nodes = step.loads().shared_to_nodes();
  const double tolerance = kSameLevel * height_of(model);
  const bool same = &first_order.step() == &step.step();
  const bool compares = !same && first_order.step().has_state;
  for (std::size_t i = 1; i < levels.size(); ++i) {
    const double low = levels[i - 1].elevation, high = levels[i].elevation;
    // Columns that end in the storey's levels, wherever in them.
    std::vector<StoreyColumn> columns = columns_between(model, levels[i - 1].high, levels[i].low);
    std::erase_if(columns, [&](const StoreyColumn& c) {
      return !stands_in(step.step(), c.member) || !stands_in(first_order.step(), c.member);
    });
    if (columns.empty()) continue;
    const Vector3d above = loads_above(step, at_nodes, levels[i - 1].high + tolerance);
    const Vector3d drifts = drifts_of(step, columns);
    Vector3d first_drifts = Vector3d::Zero();
    if (first_order.step().has_state) {
      first_drifts = same ? drifts : drifts_of(first_order, columns);
    }
    for (const int direction : model.horizontal_axes()) {
      StoreyRow row;
      row.storey = levels[i].name;
      row.direction = direction;
      row.height = high - low;
      row.drift = drifts[direction];
      row.shear = above[direction];
      row.gravity = -above[model.vertical];
      const double first = first_drifts[direction];
      row.first_drift = first;
      const bool pushed = std::abs(row.shear) > kNoShear * std::abs(row.gravity);
      if (pushed && std::abs(row.drift) > kNoDrift * row.height) {
        row.stiffness = row.shear / row.drift;
      }
      if (compares && std::abs(first) > kNoDrift * row.height) {
        row.amplification = row.drift / first;
      }
      if (pushed) row.index = row.gravity * first / (row.shear * row.height);
      rows.push_back(row);
    }
  }
  return rows;
}

}  // namespace ulterix
