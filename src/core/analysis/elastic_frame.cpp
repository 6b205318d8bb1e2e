#include "core/analysis/elastic_frame.hpp"

#include <fmt/format.h>

#include <cmath>

#include "core/eigen/null_space.hpp"
#include "core/results/cables.hpp"

namespace ulterix {

namespace {

/// Below this pivot ratio the matrix may be singular: look for mechanisms.
constexpr double kSuspiciousPivot = 1e-9;

void report(const Progress& progress, const std::string& phase, double done) {
  if (progress) progress(phase, done);
}

/// Assembles and factorises; on doubt looks for mechanisms.
void factorise(ElasticFrame& frame, const Progress& progress) {
  const Situation& situation = frame.system->situation();
  report(progress, "assemble", 0);
  const AppliedLoads nothing(situation, LoadSet{});
  frame.stiffness = frame.system->assemble(nothing, State(*situation.model)).values;
  report(progress, "factorise", 0);
  frame.factor = std::make_unique<Factorisation>(frame.system->factor_structure());
  const FactorStatus status = frame.factor->factorise(frame.stiffness);
  if (status == FactorStatus::not_finite) {
    frame.trouble = "the stiffness overflows: look for lengths or sections in the wrong unit";
    return;
  }
  const bool held = status == FactorStatus::positive_definite;
  if (held && frame.factor->smallest_pivot() > kSuspiciousPivot) return;
  report(progress, "look for mechanisms", 0);
  for (Mechanism& m : find_mechanisms(*frame.system, frame.stiffness)) {
    (m.spin ? frame.spins : frame.mechanisms).push_back(std::move(m));
  }
  if (held || !frame.mechanisms.empty() || !frame.spins.empty()) return;
  // Rounding alone has made it indefinite. Refinement by deformations mends that, or tells.
  const VectorXd scale = stiffness_scale(*frame.system, frame.stiffness);
  if (!factorise_shifted(frame.system->pattern(), frame.stiffness, scale, *frame.factor)) {
    frame.trouble =
        "stiff and soft parts differ so much that nothing is left of the digits: look for a very "
        "soft spring, a very slender member, or lengths in the wrong unit";
  }
}

}  // namespace

std::optional<ElasticFrame> frame_about(const ElasticFrame& frame, const Step& step) {
  if (frame.system->cables().empty() || !step.has_state) return std::nullopt;
  Situation situation = frame.system->situation();
  situation.cable_rests =
      IndexedVector<MemberId, std::optional<CableRest>>(situation.model->members.size());
  const Recovery recovery(step);
  for (const MemberId id : frame.system->cables()) {
    const auto cable = cable_in(recovery, id);
    const Vector3d straight(frame.system->properties(id).length, 0, 0);
    // The frame may have its nodes where a finite motion left them.
    const Matrix3d turn = frame.system->axes(id) * step.frame->axes(id).transpose();
    situation.cable_rests[id] =
        CableRest{cable->length(), turn * cable->load(), turn * cable->chord() - straight};
  }
  std::optional<ElasticFrame> about(
      make_elastic_frame(std::move(situation), {}, frame.system->topology()));
  about->spins = frame.spins;
  return about;
}

ElasticFrame make_elastic_frame(const Model& model, const Progress& progress) {
  return make_elastic_frame(Situation(model), progress);
}

ElasticFrame make_elastic_frame(Situation situation, const Progress& progress,
                                const std::shared_ptr<const Topology>& near) {
  ElasticFrame frame;
  report(progress, "order", 0);
  frame.system = std::make_shared<FrameSystem>(situation, near);
  factorise(frame, progress);
  if (!frame.spins.empty() && frame.mechanisms.empty()) {
    // A spin strains nothing and no force works on it: holding one node of each changes no result.
    for (const Mechanism& spin : frame.spins) {
      Vector6d direction = Vector6d::Zero();
      direction.tail<3>() = spin.spin_axis;
      situation.restraints.push_back({spin.nodes.front(), direction});
    }
    const std::vector<Mechanism> spins = std::move(frame.spins);
    frame.spins.clear();
    frame.system = std::make_shared<FrameSystem>(situation, frame.system->topology());
    factorise(frame, progress);
    frame.spins = spins;
  }
  return frame;
}

std::string loads_on_free_motions(
    const ElasticFrame& frame, const AppliedLoads& loads,
    const std::vector<std::pair<MemberId, int>>& loaded_free_motions) {
  const Model& model = frame.system->model();
  if (!loaded_free_motions.empty()) {
    const auto& [member, direction] = loaded_free_motions.front();
    return fmt::format(
        "member {}: its hinges leave it free ({} at both ends), and a load works on that motion",
        model.members[member].name, kForceNames[direction]);
  }
  const auto complaint = [&](NodeId n) {
    return fmt::format(
        "node {}: a moment acts on a rotation that nothing holds: every member end "
        "there is hinged or axial",
        model.nodes[n].name);
  };
  for (const NodeId n : model.nodes.ids()) {
    const Vector3d moment = loads.on_node(n).tail<3>();
    if (moment.isZero(0)) continue;
    for (const Vector3d& axis : frame.system->dofs().dropped(n)) {
      if (std::abs(axis.dot(moment)) > 1e-9 * moment.norm()) return complaint(n);
    }
  }
  for (const Mechanism& spin : frame.spins) {
    double work = 0, largest = 0;
    for (const NodeId n : spin.nodes) {
      const Vector3d moment = loads.on_node(n).tail<3>();
      work += spin.motion[n].rotation.dot(moment);
      largest = std::max(largest, moment.norm());
    }
    if (std::abs(work) > 1e-9 * largest) return complaint(spin.nodes.front());
  }
  return {};
}

}  // namespace ulterix
