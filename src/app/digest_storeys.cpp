#include "app/digest_storeys.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "app/text.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

namespace {

class StoreyWords {
 public:
  StoreyWords(const RunResult& result, const UnitSystem& units, int width)
      : result_(result), units_(units), width_(width) {}

  const std::string& text() const { return text_; }

  /// The storey of the largest drift for its height, and the one nearest to trouble, a line each.
  void worst_storey() {
    const auto [in, rows, worst] = worst_drift();
    if (worst == nullptr || worst->drift == 0) return;
    line(fmt::format(" Storeys    largest drift {} {} in storey {}, h/{:.0f} ({}, along {}), {} x "
                     "first-order",
                     in_units(units_, Quantity::displacement, worst->drift),
                     units_.label(Quantity::displacement), worst->storey,
                     std::abs(1 / worst->ratio()), in->loads.name, kAxisNames[worst->direction],
                     ratio_text(worst->amplification)),
         12);
    std::string loads;
    const StoreyFormulas* opinion = nearest_to_trouble(loads);
    if (opinion == nullptr) return;
    line(fmt::format(
             "            hand formulas for storey {} in {}: alpha_cr {:.3g}, Q {:.3f}, B2 {}; "
             "computed {} (classes: run --full)",
             opinion->storey, loads, *opinion->alpha_cr, *opinion->index, ratio_text(opinion->B2),
             ratio_text(opinion->amplification)),
         12);
    beside_computed(*opinion, loads);
  }

  /// Storeys, from above, of the load that makes the largest drift.
  void storeys() {
    const auto [in, rows, worst] = worst_drift();
    if (worst == nullptr || worst->drift == 0) return;
    TextTable table({Align::left, Align::right, Align::left, Align::right, Align::right,
                     Align::right, Align::right, Align::right, Align::right});
    table.add({fmt::format("Storeys in {}", in->loads.name), "height", "", "drift", "h/drift",
               "shear", "gravity", "amplified", "index Q"});
    table.add({"", units_.label(Quantity::length), "", units_.label(Quantity::displacement), "",
               units_.label(Quantity::force), units_.label(Quantity::force), "", ""});
    const std::size_t most = 12;
    for (std::size_t i = rows->size(); i-- > 0 && rows->size() - i <= most;) {
      const StoreyRow& s = (*rows)[i];
      table.add(
          {"  " + s.storey, in_units(units_, Quantity::length, s.height),
           std::string(kAxisNames[s.direction]), in_units(units_, Quantity::displacement, s.drift),
           s.drift == 0 ? "-" : fmt::format("{:.0f}", std::abs(1 / s.ratio())),
           in_units(units_, Quantity::force, s.shear), in_units(units_, Quantity::force, s.gravity),
           ratio_text(s.amplification), s.index ? fmt::format("{:.3f}", *s.index) : "-"});
    }
    text_ += '\n' + table.print();
    standards();
  }

 private:
  void line(const std::string& words, int indent) {
    text_ += wrapped(words, width_, indent) + '\n';
  }

  struct WorstDrift {
    const Step* step = nullptr;
    const std::vector<StoreyRow>* rows = nullptr;  ///< all of that step
    const StoreyRow* row = nullptr;
  };

  /// The storey of the largest drift for its height over all second-order steps.
  WorstDrift worst_drift() const {
    WorstDrift worst;
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      if (result_.steps[i].kind != AnalysisKind::p_delta) continue;
      for (const StoreyRow& s : result_.storeys[i]) {
        if (worst.row != nullptr && std::abs(s.ratio()) <= std::abs(worst.row->ratio())) continue;
        worst = {&result_.steps[i], &result_.storeys[i], &s};
      }
    }
    return worst;
  }

  /// The storey of the largest index, which has the other hand formulas too, and its loads.
  const StoreyFormulas* nearest_to_trouble(std::string& loads) const {
    const StoreyFormulas* worst = nullptr;
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      for (const StoreyFormulas& o : result_.storey_formulas[i]) {
        if (!o.index || (worst != nullptr && *o.index <= *worst->index)) continue;
        worst = &o;
        loads = result_.steps[i].loads.name;
      }
    }
    return worst;
  }

  /// What the standards say of the storey that is nearest to trouble.
  void standards() {
    std::string loads;
    const StoreyFormulas* worst = nearest_to_trouble(loads);
    if (worst == nullptr) return;
    line(fmt::format(
             " Standards  storey {} along {} in {}, hand formulas: B2 {} (AISC 360), 1/(1 - Q) "
             "{} (ACI 318), computed {}",
             worst->storey, kAxisNames[static_cast<std::size_t>(worst->direction)], loads,
             ratio_text(worst->B2), ratio_text(worst->asce_factor),
             ratio_text(worst->amplification)),
         12);
    line(fmt::format("            EN 1993-1-1: alpha_cr {:.2f}, {}", *worst->alpha_cr,
                     worst->en_1993),
         12);
    line(fmt::format("            ACI 318: Q {:.3f}, {}", *worst->index, worst->aci_318), 12);
    line(fmt::format("            ASCE 7: theta {:.3f}, {}", *worst->theta, worst->asce_7), 12);
    if (!worst->aisc_360.empty()) line("            AISC 360: " + worst->aisc_360, 12);
    beside_computed(*worst, loads);
  }

  /// Where the hand formula and the eigenproblem part by more than a third, both are told.
  void beside_computed(const StoreyFormulas& storey, const std::string& loads) {
    constexpr double kFar = 4.0 / 3;
    const BucklingMode* sway = nullptr;
    for (const Step& step : result_.steps) {
      if (!step.buckling || step.loads.name != loads) continue;
      for (const BucklingMode& m : step.buckling->modes) {
        const bool sways = m.kind.starts_with("sway") || m.kind.starts_with("out of plane");
        if (sways && (sway == nullptr || m.factor < sway->factor)) sway = &m;
      }
    }
    if (sway == nullptr || !storey.alpha_cr) return;
    const double apart = *storey.alpha_cr / sway->factor;
    if (apart < kFar && apart > 1 / kFar) return;
    line(fmt::format(
             "            alpha_cr by hand {:.2f}, computed sway factor {:.4g} ({}): the hand "
             "formula takes one storey alone, by the drift of its worst column; where gravity "
             "makes a part of the drift, or storeys hold each other, trust the computed one",
             *storey.alpha_cr, sway->factor, sway->kind),
         12);
  }

  const RunResult& result_;
  const UnitSystem& units_;
  int width_;
  std::string text_;
};

}  // namespace

std::string storeys_digest(const RunResult& result, const UnitSystem& units, int width) {
  StoreyWords words(result, units, width);
  words.storeys();
  return words.text();
}

std::string worst_storey_digest(const RunResult& result, const UnitSystem& units, int width) {
  StoreyWords words(result, units, width);
  words.worst_storey();
  return words.text();
}

}  // namespace ulterix
