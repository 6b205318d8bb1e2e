#include "app/stored_paths.hpp"

#include <algorithm>
#include <map>

namespace ulterix {

namespace {

/// The curve of an analysis on the chart of a place, made where it is not there yet.
PathCurve& curve_of(std::vector<PathChart>& charts, const PathChart& like,
                    const std::string& name) {
  auto chart = std::find_if(charts.begin(), charts.end(),
                            [&like](const PathChart& c) { return c.place == like.place; });
  if (chart == charts.end()) chart = charts.insert(charts.end(), like);
  for (PathCurve& c : chart->curves) {
    if (c.name == name) return c;
  }
  chart->curves.push_back({name, {}, {}});
  return chart->curves.back();
}

}  // namespace

std::vector<PathChart> stored_paths(const Results& results, const std::string& loads) {
  const std::vector<Results::Filter> filters = {{"load", "loads", {loads}}};
  std::map<std::string, std::vector<std::string>> events;  // of each analysis, in order
  for (const auto& row : results.table("path", filters).rows) {
    events[text_in(row[0])].push_back(text_in(row[7]));
  }
  std::vector<PathChart> charts;
  PathChart like;
  like.title = results.model().model.title;
  like.loads = loads;
  for (const auto& row : results.table("watched", filters).rows) {
    like.place = text_in(row[5]);
    like.unit = text_in(row[7]);
    PathCurve& curve = curve_of(charts, like, text_in(row[0]));
    curve.points.emplace_back(number_in(row[6]), number_in(row[4]));
    const auto& own = events[curve.name];
    const auto at = static_cast<std::size_t>(number_in(row[3])) - 1;
    curve.events.push_back(at < own.size() ? own[at] : "");
  }
  for (const auto& row : results.table("comparison", filters).rows) {
    for (PathChart& chart : charts) {
      if (chart.place != text_in(row[3])) continue;
      chart.first_order = number_in(row[6]);
      const Model& model = results.model().model;
      for (const AnalysisSpec& a : model.analyses) {
        if (a.name != text_in(row[0]) || a.kind() != AnalysisKind::p_delta) continue;
        chart.p_delta = Vector2d(number_in(row[7]), 1);
      }
    }
  }
  for (const auto& row : results.table("buckling", filters).rows) {
    const double factor = number_in(row[4]);
    for (PathChart& chart : charts) {
      if (number_in(row[3]) >= 1 && (!chart.buckling || factor < *chart.buckling)) {
        chart.buckling = factor;
      }
    }
  }
  return charts;
}

}  // namespace ulterix
