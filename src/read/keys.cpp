#include "read/keys.hpp"

#include <fmt/format.h>

#include <array>

namespace ulterix {

namespace {

using Q = Quantity;

constexpr std::array kKeys = {
    Key{"top", "title", Q::number, "", "what the frame is; the heading of every output", true},
    Key{"top", "plane", Q::number, "space", "\"xz\" (or \"xy\" with vertical y): a plane frame",
        true},
    Key{"top", "vertical", Q::number, "z", "the axis that points up: \"z\" or \"y\"", true},
    Key{"top", "units", Q::number, "metric", "name of a unit set, or a table [units]", true},
    Key{"top", "gravity", Q::acceleration, "9.80665 m/s^2", "acceleration of free fall", true},
    Key{"top", "materials", Q::number, "", "table of materials", true},
    Key{"top", "sections", Q::number, "", "table of sections", true},
    Key{"top", "defaults", Q::number, "", "keys of members, for all or by pattern", true},
    Key{"top", "nodes", Q::number, "", "NAME = [x, y, z]; two numbers in a plane frame", true},
    Key{"top", "members", Q::number, "", "NAME = [from, to, section] or a table", true},
    Key{"top", "supports", Q::number, "", "SELECTION = \"fixed\" | \"pinned\" | list | table",
        true},
    Key{"top", "groups", Q::number, "", "NAME = { members, nodes, except }", true},
    Key{"top", "loads", Q::number, "", "one table a load case", true},
    Key{"top", "combinations", Q::number, "", "NAME = { CASE = factor }", true},
    Key{"top", "watch", Q::number, "", "NAME = PLACE: what the engineer reads first", true},
    Key{"top", "analyses", Q::number, "", "one table an analysis", true},
    Key{"top", "files", Q::number, "", "CSV files added to the tables", false},
    Key{"top", "floors", Q::number, "", "NAME = { level } or { nodes }: rigid in their plane",
        true},
    Key{"top", "levels", Q::number, "elevations of girders", "NAME = elevation: where storeys end",
        true},
    Key{"top", "copies", Q::number, "", "copies of a part", false},
    Key{"top", "mass", Q::number, "self = true", "mass: own, of loads, of nodes", true},
    Key{"top", "checks", Q::number, "", "member checks of the standards", false},

    Key{"material", "E", Q::stress, "", "modulus of elasticity", true},
    Key{"material", "nu", Q::number, "0.3", "Poisson's ratio, for G where that is not given", true},
    Key{"material", "G", Q::stress, "E/(2(1 + nu))", "shear modulus", true},
    Key{"material", "density", Q::density, "0", "mass per volume", true},
    Key{"material", "weight", Q::weight, "", "weight per volume, instead of density", true},
    Key{"material", "alpha", Q::expansion, "12e-6 1/K", "coefficient of expansion", true},
    Key{"material", "fy", Q::stress, "", "yield strength", true},
    Key{"material", "fu", Q::stress, "", "tensile strength", true},
    Key{"material", "concrete", Q::number, "",
        "strength class of EN 1992-1-1: E of its table 3.1, 25 kN/m^3", true},
    Key{"material", "fc", Q::stress, "", "compressive strength, with standard", true},
    Key{"material", "standard", Q::number, "", "\"ACI 318\": E = 57000 sqrt(fc) in psi", true},

    Key{"section", "shape", Q::number, "",
        "a designation of the catalogue, or I, rectangle, box, pipe, circle", true},
    Key{"section", "h", Q::section, "", "height, along local z", true},
    Key{"section", "b", Q::section, "", "width, along local y", true},
    Key{"section", "tw", Q::section, "", "thickness of the web or of the side walls", true},
    Key{"section", "tf", Q::section, "", "thickness of the flanges", true},
    Key{"section", "r", Q::section, "0", "root radius", true},
    Key{"section", "d", Q::section, "", "outer diameter", true},
    Key{"section", "t", Q::section, "", "wall thickness", true},
    Key{"section", "A", Q::area, "", "area", true},
    Key{"section", "Iy", Q::second_moment, "", "second moment about y, the major axis", true},
    Key{"section", "Iz", Q::second_moment, "", "second moment about z", true},
    Key{"section", "J", Q::second_moment, "", "torsion constant", true},
    Key{"section", "Avy", Q::area, "stiff in shear", "shear area along y", true},
    Key{"section", "Avz", Q::area, "stiff in shear", "shear area along z", true},
    Key{"section", "Wely", Q::modulus, "", "elastic modulus about y", true},
    Key{"section", "Welz", Q::modulus, "", "elastic modulus about z", true},
    Key{"section", "Wply", Q::modulus, "", "plastic modulus about y", true},
    Key{"section", "Wplz", Q::modulus, "", "plastic modulus about z", true},
    Key{"section", "stiffness", Q::number, "1", "factors on the stiffness: { A, I, Iy, Iz, J, Av }",
        true},
    Key{"section", "Iw", Q::warping, "0; of the flanges for an I", "warping constant", true},
    Key{"section", "hw", Q::section, "", "web depth", false},
    Key{"section", "hf", Q::section, "", "slab depth", false},
    Key{"section", "taper", Q::number, "", "two sections", false},

    Key{"stiffness", "A", Q::number, "1", "factor on EA", true},
    Key{"stiffness", "I", Q::number, "1", "factor on EIy and EIz", true},
    Key{"stiffness", "Iy", Q::number, "1", "factor on EIy", true},
    Key{"stiffness", "Iz", Q::number, "1", "factor on EIz", true},
    Key{"stiffness", "J", Q::number, "1", "factor on GJ", true},
    Key{"stiffness", "Av", Q::number, "1", "factor on GAv", true},

    Key{"member", "from", Q::number, "", "node at the start", true},
    Key{"member", "to", Q::number, "", "node at the end", true},
    Key{"member", "through", Q::number, "", "a run of nodes: members NAME.1, NAME.2, …", true},
    Key{"member", "section", Q::number, "", "name of a section", true},
    Key{"member", "material", Q::number, "", "name of a material", true},
    Key{"member", "kind", Q::number, "frame",
        "frame, axial, tension-only, compression-only or cable", true},
    Key{"member", "roll", Q::angle, "0", "turn of the section about the member's axis", true},
    Key{"member", "hinge", Q::number, "", "{ start = [\"my\"], end = { my = spring } }", true},
    Key{"member", "facing", Q::number, "", "instead of roll: node or [x, y, z] that local z faces",
        true},
    Key{"member", "rigid", Q::number, "", "rigid end parts", false},
    Key{"member", "offset", Q::number, "", "ends off their nodes", false},
    Key{"member", "bow", Q::displacement, "0",
        "of the axis at mid length, towards local z (in a plane frame in its plane), or { y, z }; "
        "\"L/500\": of the length; it acts under N, in p-delta and large-displacement",
        true},
    Key{"member", "slack", Q::displacement, "0",
        "one-way kinds: travel before it acts; cable: length beyond the distance drawn", true},
    Key{"member", "preload", Q::force, "0",
        "axial kinds: force at the drawn geometry; cable: along its chord", true},
    Key{"member", "lack_of_fit", Q::displacement, "0", "length it is short of", true},
    Key{"member", "cut_length", Q::length, "the distance drawn",
        "length of a cable without force, or \"99.8 %\" of the distance drawn", true},
    Key{"member", "strength", Q::stress, "", "axial kinds: tensile stress at which it breaks",
        true},
    Key{"member", "breaks_at", Q::force, "", "axial kinds: tension at which it breaks", true},
    Key{"member", "on_break", Q::number, "drop",
        "drop: it is gone then; yield: it keeps that force", true},
    Key{"member", "split", Q::number, "", "pieces of this member", false},

    Key{"support-direction", "spring", Q::spring, "rigid", "spring to the ground", true},
    Key{"support-direction", "only", Q::number, "both",
        "positive or negative: the sign of the reaction that it can give", true},
    Key{"support-direction", "slack", Q::displacement, "0", "with only: travel before it bears",
        true},

    Key{"floor", "level", Q::length, "", "elevation: all nodes there", true},
    Key{"floor", "nodes", Q::number, "", "names, patterns, groups", true},

    Key{"group", "members", Q::number, "", "names, patterns, groups", true},
    Key{"group", "nodes", Q::number, "", "names, patterns, groups", true},
    Key{"group", "except", Q::number, "", "names, patterns, groups taken out", true},
    Key{"group", "between", Q::number, "",
        "{ z = [0, 3.6] }: what lies wholly inside, nodes too; in lengths", true},
    Key{"group", "parallel", Q::number, "", "members along x, y or z", true},

    Key{"load", "action", Q::number, "",
        "dead, live, roof-live, snow, wind, seismic, rain, thermal, prestress", true},
    Key{"load", "self_weight", Q::number, "0", "factor, or { SELECTION = factor }", true},
    Key{"load", "nodes", Q::number, "", "list of { on, fx, fy, fz, mx, my, mz }", true},
    Key{"load", "members", Q::number, "", "list of loads along members", true},
    Key{"load", "category", Q::number, "", "category of EN 1990", false},
    Key{"load", "areas", Q::number, "", "loads on panels", false},
    Key{"load", "settle", Q::number, "", "list of { on, ux..rz }: movement of supports", true},

    Key{"settle", "on", Q::number, "", "selection of nodes that are held", true},
    Key{"settle", "ux", Q::displacement, "0", "movement along global x", true},
    Key{"settle", "uy", Q::displacement, "0", "movement along global y", true},
    Key{"settle", "uz", Q::displacement, "0", "movement along global z", true},
    Key{"settle", "rx", Q::rotation, "0", "turn about global x", true},
    Key{"settle", "ry", Q::rotation, "0", "turn about global y", true},
    Key{"settle", "rz", Q::rotation, "0", "turn about global z", true},

    Key{"nodal-load", "on", Q::number, "", "selection of nodes", true},
    Key{"nodal-load", "fx", Q::force, "0", "force along global x", true},
    Key{"nodal-load", "fy", Q::force, "0", "force along global y", true},
    Key{"nodal-load", "fz", Q::force, "0", "force along global z", true},
    Key{"nodal-load", "mx", Q::moment, "0", "moment about global x", true},
    Key{"nodal-load", "my", Q::moment, "0", "moment about global y", true},
    Key{"nodal-load", "mz", Q::moment, "0", "moment about global z", true},

    Key{"member-load", "on", Q::number, "", "selection of members", true},
    Key{"member-load", "qx", Q::force_per_length, "0",
        "load along x: a number, or [at from, at to]", true},
    Key{"member-load", "qy", Q::force_per_length, "0", "load along y", true},
    Key{"member-load", "qz", Q::force_per_length, "0", "load along z", true},
    Key{"member-load", "mqx", Q::moment_per_length, "0", "moment about x along the member", true},
    Key{"member-load", "mqy", Q::moment_per_length, "0", "moment about y along the member", true},
    Key{"member-load", "mqz", Q::moment_per_length, "0", "moment about z along the member", true},
    Key{"member-load", "over", Q::length, "[0, 1]",
        "part loaded: fractions, or lengths with a unit", true},
    Key{"member-load", "axes", Q::number, "global", "global, local or projected", true},
    Key{"member-load", "fx", Q::force, "0", "point force along x", true},
    Key{"member-load", "fy", Q::force, "0", "point force along y", true},
    Key{"member-load", "fz", Q::force, "0", "point force along z", true},
    Key{"member-load", "mx", Q::moment, "0", "point moment about x", true},
    Key{"member-load", "my", Q::moment, "0", "point moment about y", true},
    Key{"member-load", "mz", Q::moment, "0", "point moment about z", true},
    Key{"member-load", "at", Q::length, "",
        "place of the point load: a fraction, or a length with a unit", true},
    Key{"member-load", "warm", Q::temperature, "0", "temperature change", true},
    Key{"member-load", "gradient", Q::temperature_gradient, "0",
        "{ y, z }: growth of the temperature along local y and z", true},
    Key{"member-load", "preload", Q::force, "0",
        "axial kinds: force at the drawn geometry; cable: along its chord", true},
    Key{"member-load", "lack_of_fit", Q::displacement, "0", "length the member is short of", true},

    Key{"combination", "notional", Q::number, "", "{ x, y }: fraction of gravity pushed sideways",
        true},
    Key{"combination", "generate", Q::number, "", "combinations of a standard", false},
    Key{"combination", "equation", Q::number, "", "equation of EN 1990", false},

    Key{"notional", "x", Q::number, "0", "fraction along x", true},
    Key{"notional", "y", Q::number, "0", "fraction along y", true},

    Key{"mass", "self", Q::number, "true", "own mass of the members", true},
    Key{"mass", "from_loads", Q::number, "", "{ CASE = factor }: its downward part over gravity",
        true},
    Key{"mass", "nodes", Q::number, "", "NODE = { m } or { w }", true},
    Key{"mass", "form", Q::number, "consistent", "consistent or lumped", true},
    Key{"mass", "directions", Q::number, "all", "only these: [\"x\"]", true},
    Key{"mass", "rotary", Q::number, "false", "rotary inertia of bending", true},

    Key{"nodal-mass", "m", Q::mass, "", "mass: one number, or three for x, y, z", true},
    Key{"nodal-mass", "w", Q::force, "", "the same given as weight", true},

    Key{"hold", "nodes", Q::number, "", "nodes, patterns and groups too", true},
    Key{"hold", "ux", Q::number, "false", "held along x", true},
    Key{"hold", "uy", Q::number, "false", "held along y", true},
    Key{"hold", "uz", Q::number, "false", "held along z", true},
    Key{"hold", "rx", Q::number, "false", "held about x", true},
    Key{"hold", "ry", Q::number, "false", "held about y", true},
    Key{"hold", "rz", Q::number, "false", "held about z", true},

    Key{"until", "x", Q::number, "", "per cent of the mass along x", true},
    Key{"until", "y", Q::number, "", "per cent of the mass along y", true},
    Key{"until", "z", Q::number, "", "per cent of the mass along z", true},

    Key{"analysis", "kind", Q::number, "",
        "first-order, p-delta, buckling, modal, large-displacement or staged", true},
    Key{"analysis", "loads", Q::number, "all combinations", "cases and combinations, patterns too",
        true},
    Key{"analysis", "split", Q::number, "auto",
        "p-delta: pieces of every member; results do not depend on it", true},
    Key{"analysis", "tolerance", Q::number, "1e-8, modes 1e-6",
        "p-delta: last change of displacements and axial forces; buckling and modal: error of "
        "factors and frequencies",
        true},
    Key{"analysis", "functions", Q::number, "auto",
        "buckling and modal: inner functions of every member and plane at the least", true},
    Key{"analysis", "iterations", Q::number, "50", "p-delta: at most", true},
    Key{"analysis", "between_nodes", Q::number, "true", "p-delta: P-δ along members too", true},
    Key{"analysis", "iterate", Q::number, "false",
        "first-order: one-way members and supports act one way", true},
    Key{"analysis", "events", Q::number, "false",
        "at which part of the load ties go slack or taut; large-displacement (there true): and "
        "members reach fy",
        true},
    Key{"analysis", "hold", Q::number, "",
        "[ { nodes, ux = true } ], restraints for this analysis only", true},
    Key{"analysis", "modes", Q::number, "5, modal 10", "buckling and modal: how many", true},
    Key{"analysis", "method", Q::number, "linear",
        "buckling: linear, or incremental in steps of the load", true},
    Key{"analysis", "constant", Q::number, "",
        "buckling, large-displacement: { CASE = factor } that stay", true},
    Key{"analysis", "scaled", Q::number, "",
        "buckling, large-displacement: { CASE = factor } that grow", true},
    Key{"analysis", "try_restraints", Q::number, "0",
        "buckling and modal: so many of the best restraints are re-analysed", true},
    Key{"analysis", "until", Q::number, "", "modal: { x = 90 }, as many modes as reach it", true},
    Key{"analysis", "after", Q::number, "",
        "\"ANALYSIS:LOADS\", a P-Delta state, or \"ANALYSIS:STAGE\": modal: about it; p-delta, "
        "buckling, large-displacement: its loads stay; staged: further stages",
        true},
    Key{"analysis", "axial_from", Q::number, "each its own",
        "p-delta: the loads whose axial forces act on the bent shape", true},
    Key{"analysis", "control", Q::number, "auto",
        "large-displacement: auto, load, arc-length, or { place = \"B5.ux\", to = \"200 mm\" }",
        true},
    Key{"analysis", "steps", Q::number, "10",
        "large-displacement: of the load to begin with; they shrink and grow", true},
    Key{"analysis", "branch", Q::number, "stop",
        "large-displacement: stop at a branch point, or follow the second path", true},
    Key{"analysis", "stop", Q::number, "",
        "large-displacement: { limit = true }, { factor = 0.8 }, { steps = 50 }", true},
    Key{"analysis", "pieces", Q::number, "auto", "large-displacement: of every member that bends",
        true},
    Key{"analysis", "start_shape", Q::number, "",
        "large-displacement: { from = \"ANALYSIS\", mode, loads, at = \"B5.ux\", size = \"H/500\" "
        "}",
        true},
    Key{"analysis", "history", Q::number, "",
        "large-displacement: legs [ { G = 1 }, { W = 1, steps = 20 }, { W = 0 } ], factors reached "
        "at the end of each",
        true},

    Key{"analysis", "stages", Q::number, "", "staged: a list of stages, or { by = \"levels\" }",
        true},
    Key{"analysis", "brings", Q::number, "",
        "staged: { CASE = factor } that members and nodes bring along when they are erected", true},
    Key{"analysis", "theory", Q::number, "first-order",
        "staged: first-order, p-delta or large-displacement", true},
    Key{"analysis", "position", Q::number, "displaced",
        "staged: new members fit between the displaced nodes, or the drawn ones", true},
    Key{"analysis", "creep", Q::number, "",
        "staged: concrete creeps and shrinks while days pass, EN 1992-1-1 Annex B", true},

    Key{"creep", "humidity", Q::number, "60", "of the air, per cent", true},
    Key{"creep", "class", Q::number, "N", "of the cement: S, N or R", true},
    Key{"creep", "age", Q::number, "7",
        "of the concrete when its member arrives, days: it is loaded and dries from then on", true},
    Key{"creep", "shrinkage", Q::number, "true", "or false: creep alone", true},

    Key{"bow", "y", Q::displacement, "0", "towards local y; or \"L/500\"", true},
    Key{"bow", "z", Q::displacement, "0", "towards local z; or \"L/500\"", true},

    Key{"stages", "by", Q::number, "", "levels: one stage a level", true},
    Key{"stages", "days", Q::number, "0", "from one level to the next, with creep", true},

    Key{"stage", "name", Q::number, "its number", "of the stage", true},
    Key{"stage", "erect", Q::number, "", "members that arrive", true},
    Key{"stage", "strike", Q::number, "", "members that go", true},
    Key{"stage", "support", Q::number, "", "supports that arrive, as in [supports]", true},
    Key{"stage", "free", Q::number, "", "nodes, or { NODE = [\"uz\"] }: supports that go", true},
    Key{"stage", "settle", Q::number, "", "{ NODE = { uz = \"-8 mm\" } }, beside what was before",
        true},
    Key{"stage", "brings", Q::number, "that of the analysis", "in this stage", true},
    Key{"stage", "add", Q::number, "", "{ CASE = factor } on everything that stands", true},
    Key{"stage", "take_off", Q::number, "", "{ CASE = factor } off everything that stands", true},
    Key{"stage", "theory", Q::number, "that of the analysis",
        "from this stage on: first-order or p-delta", true},
    Key{"stage", "position", Q::number, "that of the analysis", "of new members", true},
    Key{"stage", "days", Q::number, "0", "from the stage before, with creep", true},

    Key{"stop", "limit", Q::number, "false", "at the first limit point", true},
    Key{"stop", "factor", Q::number, "", "at this factor on the loads", true},
    Key{"stop", "steps", Q::number, "2000", "after so many", true},

    Key{"control", "place", Q::number, "", "displacement of a node that is led", true},
    Key{"control", "to", Q::displacement, "", "how far", true},

    Key{"start_shape", "from", Q::number, "", "an analysis above", true},
    Key{"start_shape", "mode", Q::number, "1", "of buckling or vibration", true},
    Key{"start_shape", "loads", Q::number, "the same", "of that analysis", true},
    Key{"start_shape", "at", Q::number, "", "displacement of a node, ux to uz", true},
    Key{"start_shape", "size", Q::displacement, "",
        "of that displacement; \"H/500\": of the height of the frame", true},
};

/// Keys of analyses that are not built yet, refused by name whatever the kind.
constexpr std::array<std::string_view, 2> kLaterAnalysisKeys = {"design", "notional"};

const Key kLaterKey{"analysis", "", Q::number, "", "", false};

/// Kinds of analysis that take a key; keys that are not here belong to all.
struct KindsOfKey {
  std::string_view key;
  std::vector<std::string_view> kinds;
};
const std::array<KindsOfKey, 27> kKindsOfKeys = {
    {{"stages", {"staged"}},
     {"creep", {"staged"}},
     {"brings", {"staged"}},
     {"theory", {"staged"}},
     {"position", {"staged"}},
     {"iterate", {"first-order"}},
     {"events", {"first-order", "p-delta", "large-displacement"}},
     {"split", {"p-delta"}},
     {"iterations", {"p-delta"}},
     {"between_nodes", {"p-delta"}},
     {"axial_from", {"p-delta"}},
     {"tolerance", {"p-delta", "buckling", "modal"}},
     {"functions", {"buckling", "modal"}},
     {"modes", {"buckling", "modal"}},
     {"try_restraints", {"buckling", "modal"}},
     {"method", {"buckling"}},
     {"constant", {"buckling", "large-displacement"}},
     {"scaled", {"buckling", "large-displacement"}},
     {"control", {"large-displacement"}},
     {"steps", {"large-displacement"}},
     {"branch", {"large-displacement"}},
     {"stop", {"large-displacement"}},
     {"pieces", {"large-displacement"}},
     {"start_shape", {"large-displacement"}},
     {"history", {"large-displacement"}},
     {"after", {"p-delta", "buckling", "modal", "large-displacement", "staged"}},
     {"until", {"modal"}}}};

}  // namespace

std::span<const Key> all_keys() {
  return kKeys;
}

const Key* find_key(std::string_view table, std::string_view name) {
  for (const Key& key : kKeys) {
    if (key.table == table && key.name == name) return &key;
  }
  if (table == "analysis") {
    for (const std::string_view later : kLaterAnalysisKeys) {
      if (later == name) return &kLaterKey;
    }
  }
  return nullptr;
}

std::vector<std::string_view> kinds_of_key(std::string_view name) {
  for (const KindsOfKey& k : kKindsOfKeys) {
    if (k.key == name) return k.kinds;
  }
  return {};
}

std::vector<std::string> key_names(std::string_view table) {
  std::vector<std::string> names;
  for (const Key& key : kKeys) {
    if (key.table == table && key.supported) names.emplace_back(key.name);
  }
  return names;
}

std::string keys_as_markdown() {
  std::string page =
      "# Every key of the model file\n\n"
      "Written by the program from its own table of keys (`ulterix check --keys`).\n";
  std::string_view table;
  for (const Key& key : kKeys) {
    if (key.table != table) {
      table = key.table;
      page += fmt::format(
          "\n## {}\n\n| key | bare number means | default | what |\n| --- | --- | --- | --- |\n",
          table);
    }
    const bool plain = key.quantity == Quantity::number;
    page += fmt::format("| `{}` | {} | {} | {}{} |\n", key.name,
                        plain ? std::string_view("") : words_of(key.quantity), key.fallback,
                        key.doc, key.supported ? "" : " (not supported yet)");
  }
  return page;
}

}  // namespace ulterix
