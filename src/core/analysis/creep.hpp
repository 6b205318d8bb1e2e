#pragma once

#include <vector>

#include "core/results/step.hpp"

namespace ulterix {

/// Share of the creep coefficient that counts for a stress which grows while days pass.
inline constexpr double kAgeing = 0.8;

/// True of members that creep: of concrete, which bend or carry N both ways.
bool creeps(const Model& model, MemberId id);

/// Why an erection with creep cannot be followed in a member that creeps, in words; empty: it can.
std::string creep_complaint(const Model& model, MemberId id);

/// The member whose concrete an erection compresses most beyond what φ holds for, 0.45·fck at the
/// elastic section, in words; empty: none. `steps`: of that analysis alone count.
std::string creep_remark(const Model& model, const AnalysisSpec& spec,
                         const std::vector<Step>& steps);

/// What bends members between their ends after stage `last`, as LoadSet::bends.
std::shared_ptr<const LoadCase> crept_loads(const Model& model, const AnalysisSpec& spec,
                                            std::size_t last);

/// Creep and shrinkage of an erection, stage by stage (EN 1992-1-1 Annex B): stresses that a stage
/// brings creep from then on by φ, those that grow while days pass by χ·φ, with the age-adjusted
/// effective modulus (Trost; Bažant 1972), exact for members whose stress is so made up.
class CreepHistory {
 public:
  /// The analysis outlives it.
  CreepHistory(const Model& model, const AnalysisSpec& spec);

  /// A stage's members arrive.
  void arrive(const Stage& stage);
  /// What a stage has brought, from its step.
  void note(const Step& step);
  /// The members of the situation as they resist while days pass.
  void begin(double days, Situation& now);
  /// The same after those days, found by `step`, which gets them as its own frame.
  void end(Situation& now, Step& step);

 private:
  /// A part of a member's elastic deformation that came at a time.
  struct Increment {
    double age = 0;    // of the concrete, days
    double share = 1;  // of φ
    Vector12d deformed;
  };
  struct Member {
    bool creeps = false, stands = false;
    double arrived = 0;                                                 // day
    Vector12d deformed = Vector12d::Zero(), shift = Vector12d::Zero();  // elastic; by creep
    std::vector<Increment> increments;
  };
  double age_of(const Member& m, double day) const;
  /// What a member would be deformed by between two days without more force.
  Vector12d free_creep(MemberId id, double from, double to) const;
  void add(MemberId id, const Vector12d& deformed, double day, double share);

  const Model& model_;
  const CreepKeys& keys_;
  IndexedVector<MemberId, Member> members_;
  double day_ = 0, passing_ = 0;
};

}  // namespace ulterix
