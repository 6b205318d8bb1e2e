#include "core/results/effective_lengths.hpp"

#include <algorithm>
#include <cmath>

#include "core/parallel.hpp"

namespace ulterix {

namespace {

/// Energy shares that count, as a part of the largest.
constexpr double kConcerns = 0.1;

}  // namespace

EffectiveLengths::EffectiveLengths(const MemberFrame& frame)
    : frame_(frame), alignment_(frame.model().members.size()) {
  for_each_index(alignment_.size(), [&](int i) {
    const MemberId id(i);
    if (frame.model().members[id].kind != MemberKind::frame) return;
    alignment_[id] = {alignment_factors(frame, id, true), alignment_factors(frame, id, false)};
  });
}

std::vector<EffectiveLength> EffectiveLengths::in_mode(
    const BucklingMode& mode, const IndexedVector<MemberId, double>& N) const {
  const Model& model = frame_.model();
  double most = 0, share = 0;
  for (const MemberId id : model.members.ids()) {
    most = std::max(most, -N[id]);
    share = std::max(share, mode.shares[id].whole);
  }
  std::vector<EffectiveLength> lengths;
  for (const MemberId id : model.members.ids()) {
    const bool frame = model.members[id].kind == MemberKind::frame;
    if (!frame || -N[id] < kCompressed * most || N[id] >= 0) continue;
    const ElementProperties p = element_properties(frame_.variant(), id);
    const SectionProperties& s = model.sections[model.members[id].section].properties;
    EffectiveLength e;
    e.member = id;
    e.N = N[id];
    const auto fill = [&](double EI, bool bends, double I, std::optional<double>& length,
                          std::optional<double>& K, std::optional<double>& slenderness,
                          std::optional<double>& euler) {
      if (EI <= 0 || !bends) return;
      euler = M_PI * M_PI * EI / (p.length * p.length);
      length = M_PI * std::sqrt(EI / -N[id]);
      K = *length / p.length;
      if (s.A > 0 && I > 0) slenderness = *length / std::sqrt(I / s.A);
    };
    fill(p.EIy, frame_.bends(id, true), s.Iy, e.length_y, e.K_y, e.slenderness_y, e.euler_y);
    fill(p.EIz, frame_.bends(id, false), s.Iz, e.length_z, e.K_z, e.slenderness_z, e.euler_z);
    if (const auto& k = alignment_[id].about_y) e.sway_y = k->sway, e.held_y = k->held;
    if (const auto& k = alignment_[id].about_z) e.sway_z = k->sway, e.held_z = k->held;
    e.concerns = mode.shares[id].whole >= kConcerns * share;
    lengths.push_back(e);
  }
  return lengths;
}

void recommend_lengths(std::vector<BucklingMode>& modes) {
  if (modes.empty()) return;
  IndexedVector<MemberId, char> done(modes.front().shares.size(), 0);
  for (BucklingMode& mode : modes) {
    for (EffectiveLength& e : mode.lengths) {
      if (!e.concerns || done[e.member]) continue;
      e.recommended = true;
      done[e.member] = 1;
    }
  }
}

}  // namespace ulterix
