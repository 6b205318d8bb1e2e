// Timings of the phases of a run on regular buildings, beside CHOLMOD with METIS alone on the same
// matrix in the same run.
#include <benchmark/benchmark.h>
#include <cblas.h>
#include <cholmod.h>
#include <sys/resource.h>

#include <Eigen/Core>
#include <chrono>
#include <filesystem>
#include <functional>
#include <map>

#include "building.hpp"
#include "core/analysis/buckling.hpp"
#include "core/analysis/first_order.hpp"
#include "core/analysis/modal.hpp"
#include "core/analysis/p_delta.hpp"
#include "core/analysis/run.hpp"
#include "core/analysis/staged.hpp"
#include "core/results/recovery.hpp"
#include "core/sparse/buffer_pool.hpp"
#include "core/sparse/ordering.hpp"
#include "core/system/piecewise_frame.hpp"
#include "read/model_file.hpp"
#include "write/write_tables.hpp"

namespace ulterix::bench {
namespace {

struct Size {
  const char* name;
  int nx, ny, nz;
};
constexpr Size kSizes[] = {{"500", 3, 3, 5}, {"7000", 7, 7, 18}, {"100000", 20, 20, 38}};

const std::string& text_of(int size) {
  static std::map<int, std::string> texts;
  const Size& s = kSizes[size];
  if (!texts.contains(size)) texts[size] = building(s.nx, s.ny, s.nz, 1);
  return texts[size];
}

const Model& model_of(int size) {
  static std::map<int, Model> models;
  if (!models.contains(size)) models[size] = read_model(text_of(size), "building.toml").model;
  return models[size];
}

AnalysisSpec spec_of(const Model& model) {
  AnalysisSpec spec;
  spec.name = kBaseline;
  spec.loads = model.combinations;
  return spec;
}

void label(benchmark::State& state, int dofs) {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  state.counters["dofs"] = dofs;
  state.counters["peak_MB"] = static_cast<double>(usage.ru_maxrss) / 1024;
}

void read(benchmark::State& state) {
  const std::string& text = text_of(static_cast<int>(state.range(0)));
  for (auto _ : state)
    benchmark::DoNotOptimize(read_model(text, "building.toml").model.members.size());
  state.SetLabel(kSizes[state.range(0)].name);
}

void order(benchmark::State& state) {
  const Model& model = model_of(static_cast<int>(state.range(0)));
  for (auto _ : state) {
    const FrameSystem system{Situation(model)};
    benchmark::DoNotOptimize(system.pattern().size);
  }
}

void assemble(benchmark::State& state) {
  const Model& model = model_of(static_cast<int>(state.range(0)));
  const FrameSystem system{Situation(model)};
  const AppliedLoads loads(system.situation(), model.combinations[0]);
  for (auto _ : state) benchmark::DoNotOptimize(system.assemble(loads, State(model)).rhs.sum());
}

void factorise(benchmark::State& state) {
  const Model& model = model_of(static_cast<int>(state.range(0)));
  const FrameSystem system{Situation(model)};
  const AppliedLoads loads(system.situation(), model.combinations[0]);
  const Assembly a = system.assemble(loads, State(model));
  for (auto _ : state) {
    Factorisation f(system.pattern());
    const bool good = f.factorise(a.values) == FactorStatus::positive_definite;
    benchmark::DoNotOptimize(good);
    state.counters["GFlop"] = f.flops() / 1e9;
  }
}

void solve(benchmark::State& state) {
  const Model& model = model_of(static_cast<int>(state.range(0)));
  const ElasticFrame frame = make_elastic_frame(model);
  Eigen::MatrixXd x = Eigen::MatrixXd::Random(frame.system->dofs().size(), 1);
  for (auto _ : state) frame.factor->solve(x);
}

/// The same for a pack of eight.
void solve_eight(benchmark::State& state) {
  const Model& model = model_of(static_cast<int>(state.range(0)));
  const ElasticFrame frame = make_elastic_frame(model);
  Eigen::MatrixXd x = Eigen::MatrixXd::Random(frame.system->dofs().size(), 8);
  for (auto _ : state) frame.factor->solve(x);
}

void recover(benchmark::State& state) {
  const Model& model = model_of(static_cast<int>(state.range(0)));
  const ElasticFrame frame = make_elastic_frame(model);
  const std::vector<Step> steps = first_order(frame, spec_of(model));
  const Recovery recovery(steps[0]);
  for (auto _ : state) {
    for (const MemberId id : model.members.ids()) {
      benchmark::DoNotOptimize(recovery.line(id).stations().size());
    }
  }
}

void write(benchmark::State& state) {
  const auto size = static_cast<int>(state.range(0));
  AnalysisSpec only = spec_of(model_of(size));
  only.name = "linear";
  Model model = model_of(size);
  model.analyses = {only};
  const RunResult full = run(model);
  const auto folder = std::filesystem::temp_directory_path() / "ulterix-bench";
  std::filesystem::create_directories(folder / "tables");
  const UnitSystem units;
  for (auto _ : state) {
    std::filesystem::remove(folder / "results.sqlite");
    TablesWriter(folder).write(full, units, "", "");
  }
  std::filesystem::remove_all(folder);
}

/// First-order inside the core: from the model to displacements and reactions.
void whole_first_order(benchmark::State& state) {
  const Model& model = model_of(static_cast<int>(state.range(0)));
  int dofs = 0;
  for (auto _ : state) {
    const ElasticFrame frame = make_elastic_frame(model);
    benchmark::DoNotOptimize(first_order(frame, spec_of(model)).size());
    dofs = frame.system->dofs().size();
  }
  label(state, dofs);
}

/// Twelve modes of free vibration on a frame that is factorised already.
void twelve_modes(benchmark::State& state) {
  const Model& model = model_of(static_cast<int>(state.range(0)));
  const ElasticFrame frame = make_elastic_frame(model);
  AnalysisSpec spec;
  spec.become<ModalKeys>().modes = 12;
  int found = 0;
  for (auto _ : state) {
    const Step step = modal(frame, spec, nullptr);
    found = step.modal ? step.modal->certificate.found : 0;
  }
  label(state, frame.system->dofs().size());
  state.SetLabel(std::to_string(found) + " certified");
}

/// A frame that is factorised already, and its first-order result.
struct Solved {
  explicit Solved(std::int64_t size)
      : model(model_of(static_cast<int>(size))),
        frame(make_elastic_frame(model)),
        first(first_order(frame, spec_of(model))) {}

  std::vector<Step> second() const {
    AnalysisSpec spec = spec_of(model);
    spec.name = "p-delta";
    spec.become(AnalysisKind::p_delta);
    return p_delta(frame, spec, first);
  }

  const Model& model;
  ElasticFrame frame;
  std::vector<Step> first;
};

/// Twelve buckling factors of one combination.
void twelve_factors(benchmark::State& state) {
  const Solved solved(state.range(0));
  AnalysisSpec spec = spec_of(solved.model);
  spec.become<BucklingKeys>().modes = 12;
  int found = 0;
  for (auto _ : state) {
    const std::vector<Step> steps = buckling(solved.frame, spec, solved.first);
    found = steps[0].buckling ? steps[0].buckling->certificate.found : 0;
  }
  label(state, solved.frame.system->dofs().size());
  state.SetLabel(std::to_string(found) + " certified");
}

/// The factors of one more combination, with other wind.
void another_twelve_factors(benchmark::State& state) {
  const auto size = static_cast<int>(state.range(0));
  Model model = model_of(size);
  LoadSet other = model.combinations[0];
  other.name = "other";
  other.terms.back().second *= -0.5;
  model.combinations.push_back(other);
  const ElasticFrame frame = make_elastic_frame(model);
  AnalysisSpec spec = spec_of(model);
  const std::vector<Step> first = first_order(frame, spec);
  spec.become<BucklingKeys>().modes = 12;
  std::chrono::steady_clock::time_point begin;
  const auto at_second = [&begin](const std::string&, double done) {
    if (done > 0.4) begin = std::chrono::steady_clock::now();
  };
  int found = 0;
  for (auto _ : state) {
    const std::vector<Step> steps = buckling(frame, spec, first, at_second);
    state.SetIterationTime(
        std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count());
    found = steps[1].buckling ? steps[1].buckling->certificate.found : 0;
  }
  label(state, frame.system->dofs().size());
  state.SetLabel(std::to_string(found) + " certified");
}

/// P-Delta of one combination.
void p_delta_rounds(benchmark::State& state) {
  const Solved solved(state.range(0));
  for (auto _ : state) {
    state.counters["rounds"] = static_cast<double>(solved.second()[0].rounds.size());
  }
}

/// What P-Delta has in reserve: the lowest factor alone, on its axial forces.
void reserve(benchmark::State& state) {
  const Solved solved(state.range(0));
  const std::vector<Step> steps = solved.second();
  for (auto _ : state) {
    const auto mode = lowest_mode(solved.frame, steps[0]);
    state.counters["factor"] = mode ? mode->factor : 0;
  }
}

/// The yardstick: order + factorise + solve by CHOLMOD with METIS on the scalar matrix, and nothing
/// else.
void cholmod_alone(benchmark::State& state) {
  const Model& model = model_of(static_cast<int>(state.range(0)));
  const FrameSystem system{Situation(model)};
  const AppliedLoads loads(system.situation(), model.combinations[0]);
  const Assembly a = system.assemble(loads, State(model));
  openblas_set_num_threads(1);
  for (auto _ : state) {
    cholmod_common c;
    cholmod_l_start(&c);
    c.nmethods = 1;
    c.method[0].ordering = CHOLMOD_METIS;
    const SymmetricPattern& p = system.pattern();
    cholmod_sparse A{};
    A.nrow = A.ncol = static_cast<std::size_t>(p.size);
    A.nzmax = p.rows.size();
    A.p = const_cast<std::int64_t*>(p.column_start.data());
    A.i = const_cast<std::int64_t*>(p.rows.data());
    A.x = const_cast<double*>(a.values.data());
    A.stype = -1;
    A.itype = CHOLMOD_LONG;
    A.xtype = CHOLMOD_REAL;
    A.sorted = A.packed = 1;
    cholmod_factor* L = cholmod_l_analyze(&A, &c);
    cholmod_l_factorize(&A, L, &c);
    cholmod_dense* b = cholmod_l_ones(A.nrow, 1, CHOLMOD_REAL, &c);
    cholmod_dense* x = cholmod_l_solve(CHOLMOD_A, L, b, &c);
    state.counters["GFlop"] = c.fl / 1e9;
    cholmod_l_free_dense(&x, &c);
    cholmod_l_free_dense(&b, &c);
    cholmod_l_free_factor(&L, &c);
    cholmod_l_finish(&c);
  }
}

/// Ten combinations of a hall of 5 000 members with some 650 rods, P-Delta: rods that act both ways
/// (0) and one way (1).
void hall_of_rods(benchmark::State& state) {
  const Model model =
      read_model(hall(55, state.range(0) == 0 ? "axial" : "tension-only"), "hall.toml").model;
  for (auto _ : state) benchmark::DoNotOptimize(run(model).steps.size());
  state.counters["members"] = model.members.size();
}

double seconds_of(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// An iteration of Newton's in large displacement, one piece a member, over its assembly, one
/// factorisation and one solve of the same matrix, in one run.
void newton_step(benchmark::State& state) {
  const Model& model = model_of(static_cast<int>(state.range(0)));
  const FrameSystem system{Situation(model)};
  const AppliedLoads loads(system.situation(), model.combinations[0]);
  for (auto _ : state) {
    PiecewiseFrame frame(system, {loads}, 1);
    PathOptions options;
    options.steps = 1;
    options.to = 0.1;
    int iterations = 0;
    const double whole = seconds_of([&] {
      for (const PathState& s : follow_path(frame, options).states) iterations += s.iterations;
    });
    Balance balance;
    const double assembly = seconds_of([&] { balance = frame.balance(); });
    Factorisation factor(frame.pattern());
    const double factorised =
        seconds_of([&] { benchmark::DoNotOptimize(factor.factorise(balance.values)); });
    Eigen::MatrixXd x = balance.load;
    const double solved = seconds_of([&] { factor.solve(x); });
    state.SetIterationTime(whole / iterations);
    state.counters["dofs"] = frame.pattern().size;
    state.counters["iterations"] = iterations;
    state.counters["assembly_ms"] = 1e3 * assembly;
    state.counters["factorise_ms"] = 1e3 * factorised;
    state.counters["solve_ms"] = 1e3 * solved;
    state.counters["over_parts"] = whole / iterations / (assembly + factorised + solved);
  }
}

/// 100 storeys in as many stages, first-order, without tables, over the factorisations of the
/// growing frame alone.
void hundred_stages(benchmark::State& state) {
  const Model model = read_model(building(3, 4, 100, 1) +
                                     "[analyses.erection]\nkind = \"staged\"\nbrings = { G = 1 }\n"
                                     "stages = { by = \"levels\" }\n",
                                 "tower.toml")
                          .model;
  const AnalysisSpec& spec = *model.find_analysis("erection");
  const ElasticFrame whole = make_elastic_frame(model);
  for (auto _ : state) {
    std::vector<Step> steps;
    const double all = seconds_of([&] { steps = staged(whole, spec); });
    double factorised = 0, analysed = 0;
    for (const Step& step : steps) {
      const FrameSystem system(step.frame->situation(), whole.system->topology());
      const std::vector<double> values =
          system.assemble(AppliedLoads(system.situation(), LoadSet{}), State(model)).values;
      std::optional<Factorisation> factor;
      analysed += seconds_of([&] { factor.emplace(system.pattern()); });
      factorised += seconds_of([&] { benchmark::DoNotOptimize(factor->factorise(values)); });
    }
    state.SetIterationTime(all);
    state.counters["members"] = model.members.size();
    state.counters["stages"] = static_cast<double>(steps.size());
    state.counters["factorisations_ms"] = 1e3 * factorised;
    state.counters["analyses_ms"] = 1e3 * analysed;  // symbolic, by the one ordering
    state.counters["over_factorisations"] = all / factorised;
    state.counters["over_both"] = all / (analysed + factorised);
  }
}

#define PHASE(name) BENCHMARK(name)->DenseRange(0, 2)->Unit(benchmark::kMillisecond)
const bool as_in_the_program = (keep_freed_buffers(), true);

PHASE(read);
PHASE(order);
PHASE(assemble);
PHASE(factorise);
PHASE(solve);
PHASE(solve_eight);
PHASE(recover);
PHASE(write);
PHASE(cholmod_alone);
PHASE(whole_first_order);
PHASE(p_delta_rounds);
PHASE(reserve);
PHASE(twelve_modes);
PHASE(twelve_factors);
PHASE(another_twelve_factors)->UseManualTime();
PHASE(newton_step)->UseManualTime();
BENCHMARK(hundred_stages)->Unit(benchmark::kMillisecond)->UseManualTime();
BENCHMARK(hall_of_rods)->DenseRange(0, 1)->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace ulterix::bench
