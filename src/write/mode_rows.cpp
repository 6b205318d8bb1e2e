#include "write/mode_rows.hpp"

#include <fmt/format.h>

#include <map>

#include "core/analysis/large_displacement.hpp"
#include "core/results/effective_lengths.hpp"
#include "core/results/event_words.hpp"

namespace ulterix {

namespace {

template <class Visit>
void each_buckling(const RunResult& result, const Visit& visit) {
  for (const Step& step : result.steps) {
    if (!step.buckling) continue;
    if (step.buckling->negative) visit(step, *step.buckling->negative);
    for (const BucklingMode& m : step.buckling->modes) visit(step, m);
  }
}

template <class Visit>
void each_vibration(const RunResult& result, const Visit& visit) {
  for (const Step& step : result.steps) {
    if (!step.modal) continue;
    for (const VibrationMode& m : step.modal->modes) visit(step, *step.modal, m);
  }
}

}  // namespace

namespace {

/// "E5.ux": where and how a mode moves most; a rotation where nothing is displaced.
std::string largest_motion(const Model& model, const ModeShape& shape) {
  const bool turns = shape.only_rotations || !shape.furthest.valid();
  const NodeId node = turns ? shape.turning : shape.furthest;
  if (!node.valid()) return {};
  const int direction = turns ? shape.rotation : shape.direction;
  return model.place_name(node, direction);
}

}  // namespace

void ModeRows::buckling() {
  each_buckling(result_, [this](const Step& step, const BucklingMode& m) {
    lead(step);
    sink_.integer(m.number);
    sink_.real(m.factor);
    sink_.real(step.buckling->vertical_stays + m.factor * step.buckling->vertical);
    sink_.real(m.error);
    sink_.text(m.kind);
    sink_.text(largest_motion(model_, m.shape));
    sink_.real(m.residual);
    sink_.end_row();
  });
}

void ModeRows::effective_lengths() {
  each_buckling(result_, [this](const Step& step, const BucklingMode& m) {
    for (const EffectiveLength& e : m.lengths) {
      lead(step);
      sink_.integer(m.number);
      sink_.text(model_.members[e.member].name);
      sink_.real(m.factor);
      sink_.real(e.N);
      for (const auto& v :
           {e.length_y, e.K_y, e.slenderness_y, e.length_z, e.K_z, e.slenderness_z}) {
        sink_.real(v);
      }
      sink_.real(e.euler_y);
      sink_.real(e.euler_z);
      for (const auto& v : {e.sway_y, e.held_y, e.sway_z, e.held_z}) sink_.real(v);
      sink_.text(e.concerns ? "yes" : "no");
      sink_.text(e.recommended_y && e.recommended_z ? "y, z"
                 : e.recommended_y                  ? "y"
                 : e.recommended_z                  ? "z"
                                                    : "no");
      sink_.end_row();
    }
  });
}

void ModeRows::buckling_lengths() {
  const IndexedVector<MemberId, double> runs = run_lengths(model_);
  struct Use {
    const EffectiveLength *y = nullptr, *z = nullptr;
    const BucklingMode *mode_y = nullptr, *mode_z = nullptr;
  };
  for (const Step& step : result_.steps) {
    if (!step.buckling) continue;
    std::map<MemberId, Use> uses;
    for (const BucklingMode& m : step.buckling->modes) {
      for (const EffectiveLength& e : m.lengths) {
        Use& use = uses[e.member];
        if (e.recommended_y) use.y = &e, use.mode_y = &m;
        if (e.recommended_z) use.z = &e, use.mode_z = &m;
      }
    }
    for (const auto& entry : uses) {
      const MemberId id = entry.first;
      const Use& use = entry.second;
      lead(step);
      sink_.text(model_.members[id].name);
      sink_.real(model_.length(id));
      sink_.real(runs[id]);
      const auto axis = [&](const std::optional<double>& L, const std::optional<double>& K,
                            const std::optional<double>& slenderness, const BucklingMode* mode) {
        sink_.real(L);
        sink_.real(K);
        sink_.real(L ? std::optional(*L / runs[id]) : std::nullopt);
        sink_.real(slenderness);
        sink_.real(mode != nullptr ? std::optional(mode->factor) : std::nullopt);
        sink_.text(mode != nullptr ? std::to_string(mode->number) : "");
      };
      const EffectiveLength none;
      const EffectiveLength &y = use.y != nullptr ? *use.y : none,
                            &z = use.z != nullptr ? *use.z : none;
      axis(y.length_y, y.K_y, y.slenderness_y, use.mode_y);
      axis(z.length_z, z.K_z, z.slenderness_z, use.mode_z);
      sink_.end_row();
    }
  }
}

void ModeRows::mode_shares() {
  each_buckling(result_, [this](const Step& step, const BucklingMode& m) {
    shares_of(step, m.number, m.shares);
  });
  each_vibration(result_, [this](const Step& step, const ModalResult&, const VibrationMode& m) {
    shares_of(step, m.number, m.shares);
  });
}

void ModeRows::restraints() {
  for (const Step& step : result_.steps) {
    if (!step.buckling && !step.modal) continue;
    int rank = 0;
    for (const RestraintGain& g : step.buckling ? step.buckling->gains : step.modal->gains) {
      lead(step);
      sink_.integer(++rank);
      sink_.text(model_.nodes[g.node].name);
      sink_.text(kDisplacementNames[static_cast<std::size_t>(g.direction)]);
      sink_.real(g.derivative * units_.to_si(Quantity::spring, 1));
      sink_.real(g.held);
      sink_.end_row();
    }
  }
}

void ModeRows::path() {
  for (const Step& step : result_.steps) {
    for (const ItemEvent& e : step.events) {
      lead(step);
      sink_.real(e.factor);
      sink_.integer(0);
      sink_.real(std::nullopt);
      sink_.real(std::nullopt);
      sink_.text(event_words(model_, e));
      sink_.end_row();
    }
    for (const PathPoint& p : step.path) {
      lead(step);
      sink_.real(p.factor);
      sink_.integer(p.iterations);
      sink_.real(p.residual);
      sink_.real(p.negative_pivots ? std::optional<double>(*p.negative_pivots) : std::nullopt);
      sink_.text(event_words(model_, p));
      sink_.end_row();
    }
    if (!step.buckling) continue;
    for (const LoadLevel& m : step.buckling->levels) {
      lead(step);
      sink_.real(m.factor);
      sink_.integer(m.rounds);
      sink_.real(m.residual);
      sink_.real(m.negative_pivots ? std::optional<double>(*m.negative_pivots) : std::nullopt);
      sink_.text(m.stands ? "stands" : "gives way");
      sink_.end_row();
    }
  }
}

void ModeRows::watched() {
  for (const Step& step : result_.steps) {
    for (std::size_t i = 0; i < step.path.size(); ++i) {
      for (const Watch& watch : model_.watches) {
        const auto value = value_on_path(*result_.model, step, step.path[i], watch.place);
        if (!value) continue;
        const Quantity q = quantity_of(watch.place);
        lead(step);
        sink_.integer(static_cast<int>(i) + 1);
        sink_.real(step.path[i].factor);
        sink_.text(watch.name);
        sink_.real(units_.from_si(q, *value));
        sink_.text(units_.label(q));
        sink_.end_row();
      }
    }
  }
}

void ModeRows::frequencies() {
  std::array<double, 6> sums{};
  each_vibration(result_, [&](const Step& step, const ModalResult& r, const VibrationMode& m) {
    if (m.number == 1) sums = {};
    lead(step);
    sink_.integer(m.number);
    sink_.real(m.omega);
    sink_.real(m.frequency());
    sink_.real(m.omega > 0 ? std::optional(m.period()) : std::nullopt);
    sink_.real(m.error);
    sink_.real(m.rayleigh);
    sink_.real(m.modal_mass);
    for (const auto& factor : m.factor) sink_.real(factor);
    for (std::size_t d = 0; d < 6; ++d) {
      sink_.real(m.mass[d] ? std::optional(100 * *m.mass[d] / r.total[d]) : std::nullopt);
    }
    for (std::size_t d = 0; d < 6; ++d) {
      sums[d] += m.mass[d].value_or(0);
      sink_.real(m.mass[d] ? std::optional(100 * sums[d] / r.total[d]) : std::nullopt);
    }
    sink_.real(m.residual);
    sink_.end_row();
  });
}

void ModeRows::mode_shapes() {
  each_buckling(result_, [this](const Step& step, const BucklingMode& m) {
    shape_of(step, m.number, m.shape);
  });
  each_vibration(result_, [this](const Step& step, const ModalResult&, const VibrationMode& m) {
    shape_of(step, m.number, m.shape);
  });
}

void ModeRows::mode_axes() {
  each_buckling(result_, [this](const Step& step, const BucklingMode& m) {
    axes_of(step, m.number, m.shape);
  });
  each_vibration(result_, [this](const Step& step, const ModalResult&, const VibrationMode& m) {
    axes_of(step, m.number, m.shape);
  });
}

void ModeRows::nodal_mass() {
  for (const Step& step : result_.steps) {
    if (!step.modal) continue;
    for (const NodeId n : model_.nodes.ids()) {
      lead(step);
      sink_.text(model_.nodes[n].name);
      for (const double m : step.modal->nodal_mass[n]) sink_.real(m);
      sink_.end_row();
    }
  }
}

void ModeRows::shares_of(const Step& step, int mode,
                         const IndexedVector<MemberId, MemberShare>& shares) {
  for (const MemberId id : model_.members.ids()) {
    lead(step);
    sink_.integer(mode);
    sink_.text(model_.members[id].name);
    for (const double v :
         {shares[id].whole, shares[id].about_y, shares[id].about_z, shares[id].twist}) {
      sink_.real(v);
    }
    sink_.end_row();
  }
}

void ModeRows::axes_of(const Step& step, int mode, const ModeShape& shape) {
  if (shape.axes.empty()) return;
  for (const MemberId id : model_.members.ids()) {
    const auto& axis = shape.axes[id];
    for (std::size_t i = 0; i < axis.size(); ++i) {
      lead(step);
      sink_.text(model_.members[id].name);
      sink_.integer(mode);
      sink_.real(model_.length(id) * double(i) / double(axis.size() - 1));
      for (const double u : axis[i]) sink_.real(u);
      sink_.end_row();
    }
  }
}

void ModeRows::shape_of(const Step& step, int mode, const ModeShape& shape) {
  for (const NodeId n : model_.nodes.ids()) {
    lead(step);
    sink_.integer(mode);
    sink_.text(model_.nodes[n].name);
    six(shape.nodes[n].vector());
    sink_.end_row();
  }
}

}  // namespace ulterix
