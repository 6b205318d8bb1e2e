#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/model/model.hpp"
#include "read/document.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// A model file as read: the model, the units of its numbers and results, its text, and what was
/// noticed on the way. With complaints the model is not to be used.
struct ModelFile {
  std::string path;  ///< as the user gave it
  std::string text;
  Model model;
  UnitSystem units;
  std::vector<Complaint> complaints;  ///< in the order of the file
  std::vector<Complaint> warnings;    ///< things that are allowed and to be checked

  bool good() const { return complaints.empty(); }
};

/// Reads a model from its text; `path` serves messages only.
ModelFile read_model(const std::string& text, const std::string& path);

/// Reads the file; a file that cannot be opened is a complaint too.
ModelFile read_model_file(const std::string& path);

/// `pier.toml:41:18: member R1: …` with the line of the file and a caret under it.
std::string format_complaint(const ModelFile& file, const Complaint& complaint);

/// Reads `B1.ux`, `CA.My@0.5`, `G.*.My@max`; on failure the complaint in words.
std::optional<Place> parse_place(const Model& model, const std::string& text,
                                 std::string& complaint);

}  // namespace ulterix
