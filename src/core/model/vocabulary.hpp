#pragma once

#include <array>
#include <optional>
#include <string_view>

namespace ulterix {

/// An enum value and the word for it; one table serves reader and writers.
template <class Enum>
struct Word {
  Enum value;
  std::string_view text;
};

template <class Enum, std::size_t N>
constexpr std::string_view word_of(const std::array<Word<Enum>, N>& table, Enum value) {
  for (const auto& word : table) {
    if (word.value == value) return word.text;
  }
  return "?";
}

template <class Enum, std::size_t N>
constexpr std::optional<Enum> value_of(const std::array<Word<Enum>, N>& table,
                                       std::string_view text) {
  for (const auto& word : table) {
    if (word.text == text) return word.value;
  }
  return std::nullopt;
}

/// Global directions of a node: translations 0..2, rotations 3..5.
inline constexpr int kDirections = 6;
inline constexpr std::array<std::string_view, 6> kDisplacementNames = {"ux", "uy", "uz",
                                                                       "rx", "ry", "rz"};
inline constexpr std::array<std::string_view, 6> kForceNames = {"fx", "fy", "fz", "mx", "my", "mz"};
inline constexpr std::array<std::string_view, 3> kAxisNames = {"x", "y", "z"};
/// Internal forces of a member, in the order of every table.
inline constexpr std::array<std::string_view, 6> kInternalForceNames = {"N",  "Vy", "Vz",
                                                                        "Mx", "My", "Mz"};
/// Deflections of a member from the chord between its ends, along its local y and z.
inline constexpr std::array<std::string_view, 2> kDeflectionNames = {"dy", "dz"};
enum InternalForce { kN, kVy, kVz, kMx, kMy, kMz };

enum class MemberKind { frame, axial, tension_only, compression_only, cable };
inline constexpr std::array<Word<MemberKind>, 5> kMemberKinds = {
    {{MemberKind::frame, "frame"},
     {MemberKind::axial, "axial"},
     {MemberKind::tension_only, "tension-only"},
     {MemberKind::compression_only, "compression-only"},
     {MemberKind::cable, "cable"}}};

/// +1 for a member that carries tension alone, -1 for compression alone, 0 for both ways.
constexpr int one_way_sign(MemberKind kind) {
  return kind == MemberKind::tension_only ? 1 : kind == MemberKind::compression_only ? -1 : 0;
}

enum class Action { none, dead, live, roof_live, snow, wind, seismic, rain, thermal, prestress };
inline constexpr std::array<Word<Action>, 10> kActions = {{{Action::none, "-"},
                                                           {Action::dead, "dead"},
                                                           {Action::live, "live"},
                                                           {Action::roof_live, "roof-live"},
                                                           {Action::snow, "snow"},
                                                           {Action::wind, "wind"},
                                                           {Action::seismic, "seismic"},
                                                           {Action::rain, "rain"},
                                                           {Action::thermal, "thermal"},
                                                           {Action::prestress, "prestress"}}};

enum class LoadAxes { global, local, projected };
inline constexpr std::array<Word<LoadAxes>, 3> kLoadAxes = {
    {{LoadAxes::global, "global"}, {LoadAxes::local, "local"}, {LoadAxes::projected, "projected"}}};

enum class AnalysisKind { first_order, p_delta, buckling, modal, large_displacement, staged };
inline constexpr std::array<Word<AnalysisKind>, 6> kAnalysisKinds = {
    {{AnalysisKind::first_order, "first-order"},
     {AnalysisKind::p_delta, "p-delta"},
     {AnalysisKind::buckling, "buckling"},
     {AnalysisKind::modal, "modal"},
     {AnalysisKind::large_displacement, "large-displacement"},
     {AnalysisKind::staged, "staged"}}};

/// Equilibrium is found on the displaced frame.
constexpr bool is_second_order(AnalysisKind kind) {
  return kind == AnalysisKind::p_delta || kind == AnalysisKind::large_displacement;
}

}  // namespace ulterix
