#include "core/element/loading.hpp"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

namespace ulterix {

namespace {

/// Two places closer than this fraction of the length are one.
constexpr double kSamePlace = 1e-12;

}  // namespace

MemberLoading MemberLoading::none(double length) {
  MemberLoading loading;
  loading.spans.resize(1);
  loading.spans[0].to = length;
  loading.actions.assign(2, Vector6d::Zero());
  return loading;
}

bool MemberLoading::empty() const {
  return std::all_of(spans.begin(), spans.end(),
                     [](const LoadSpan& s) { return s.at_from.isZero(0) && s.at_to.isZero(0); }) &&
         std::all_of(actions.begin(), actions.end(), [](const Vector6d& a) { return a.isZero(0); });
}

Vector6d MemberLoading::resultant() const {
  Vector6d sum = Vector6d::Zero();
  const auto add = [&sum](double x, const Vector3d& force) {
    sum.head<3>() += force;
    sum.tail<3>() += Vector3d(x, 0, 0).cross(force);
  };
  for (const LoadSpan& s : spans) {
    const double half = s.length() / 2;
    // A linear load is two triangles, each acting at a third of the span.
    add(s.from + s.length() / 3, half * s.at_from.head<3>());
    add(s.to - s.length() / 3, half * s.at_to.head<3>());
    sum.tail<3>() += half * (s.at_from + s.at_to).tail<3>();
  }
  for (std::size_t i = 0; i < actions.size(); ++i) {
    add(i == 0 ? 0 : spans[i - 1].to, actions[i].head<3>());
    sum.tail<3>() += actions[i].tail<3>();
  }
  return sum;
}

double MemberLoading::moment_of_axial() const {
  double sum = 0;
  for (const LoadSpan& s : spans) {
    const double third = s.length() / 3;
    sum += s.length() / 2 * (s.at_from[0] * (s.from + third) + s.at_to[0] * (s.to - third));
  }
  for (std::size_t i = 1; i < actions.size(); ++i) sum += actions[i][0] * spans[i - 1].to;
  return sum;
}

void MemberLoadingBuilder::add_distributed(double from, double to, const Vector6d& at_from,
                                           const Vector6d& at_to) {
  distributed_.push_back({from, to, at_from, at_to});
}

void MemberLoadingBuilder::add_point(double x, const Vector6d& action) {
  points_.emplace_back(x, action);
}

std::vector<double> MemberLoadingBuilder::breaks() const {
  std::vector<double> all = {0, length_};
  for (const LoadSpan& s : distributed_) {
    all.push_back(s.from);
    all.push_back(s.to);
  }
  for (const auto& [x, action] : points_) all.push_back(x);
  std::sort(all.begin(), all.end());
  std::vector<double> kept = {0};
  for (const double x : all) {
    if (x - kept.back() > kSamePlace * length_) kept.push_back(x);
  }
  if (kept.size() == 1) kept.push_back(length_);
  kept.back() = length_;
  return kept;
}

MemberLoading MemberLoadingBuilder::build() const {
  if (distributed_.empty() && points_.empty()) return MemberLoading::none(length_);
  const std::vector<double> at = breaks();
  MemberLoading loading;
  loading.actions.assign(at.size(), Vector6d::Zero());
  for (std::size_t i = 0; i + 1 < at.size(); ++i) {
    LoadSpan span{at[i], at[i + 1], Vector6d::Zero(), Vector6d::Zero()};
    const double middle = (span.from + span.to) / 2;
    for (const LoadSpan& s : distributed_) {
      if (s.from < middle && middle < s.to) {
        span.at_from += s.at(span.from);
        span.at_to += s.at(span.to);
      }
    }
    loading.spans.push_back(span);
  }
  for (const auto& [x, action] : points_) {
    const auto nearest = std::min_element(at.begin(), at.end(), [x = x](double a, double b) {
      return std::abs(a - x) < std::abs(b - x);
    });
    loading.actions[static_cast<std::size_t>(nearest - at.begin())] += action;
  }
  return loading;
}

MemberLoading cut_at(const MemberLoading& loading, const std::vector<double>& places) {
  MemberLoading cut = loading;
  cut.spans.clear();
  cut.actions.clear();
  cut.actions.push_back(loading.actions.front());
  const double tolerance = kSamePlace * loading.length();
  for (std::size_t i = 0; i < loading.spans.size(); ++i) {
    LoadSpan rest = loading.spans[i];
    for (const double x : places) {
      if (x <= rest.from + tolerance || x >= rest.to - tolerance) continue;
      LoadSpan head = rest;
      head.to = x;
      head.at_to = rest.at(x);
      rest.at_from = head.at_to;
      rest.from = x;
      cut.spans.push_back(head);
      cut.actions.push_back(Vector6d::Zero());
    }
    cut.spans.push_back(rest);
    cut.actions.push_back(loading.actions[i + 1]);
  }
  return cut;
}

}  // namespace ulterix
