#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "draw/figure_parts.hpp"
#include "draw/symbols.hpp"

namespace ulterix {

void draw_mechanism(Canvas& canvas, const std::shared_ptr<const MemberFrame>& frame,
                    const Mechanism& mechanism, int number, int count) {
  const Model& model = frame->model();
  double u = 0, turn = 0;
  for (const NodeMotion& n : mechanism.motion) {
    u = std::max(u, n.translation.norm());
    turn = std::max(turn, n.rotation.norm());
  }
  const double scale = u > 0 ? 0.08 * model.size() / u : 0.3 / std::max(turn, 1e-12);
  Step step;
  step.state = State(model);
  for (const NodeId n : model.nodes.ids()) step.state.nodes[n] = mechanism.motion[n];
  step.has_state = true;
  step.frame = frame;
  const Recovery motion(step);
  Scene scene(canvas, View(model, corners(model, model.members.ids()), default_view(model)), model);
  draw_heading(canvas, title_of(model),
               fmt::format("mechanism {} of {}: the motion that nothing resists, size arbitrary",
                           number, count));
  scene.draw_undeformed(kUndeformedStroke);
  scene.avoid_frame();
  const auto axes = deflected_axes(motion, scene.members(), scale);
  const auto curves = scene.draw_curves(axes, {palette::kSecondOrder, 2.4, {}});
  for (const auto& line : curves) scene.labels().avoid(line);
  draw_supports(scene);
  draw_hinges(scene, curves);
  for (std::size_t i = 0; i < mechanism.nodes.size() && i < 12; ++i) {
    const NodeId n = mechanism.nodes[i];
    const Vector2d from = scene(model.nodes[n].position);
    const Vector2d to =
        scene(Vector3d(model.nodes[n].position + scale * mechanism.motion[n].translation));
    if ((to - from).norm() > 6) draw_arrow(canvas, from, to, {palette::kInk, 1.2, {}});
    scene.labels().place(to, model.nodes[n].name, {13, true, palette::kInk});
  }
  // The sentence, broken to the page.
  const TextStyle style{14, false, palette::kInk};
  std::string line;
  double y = Canvas::kHeight - 62;
  std::istringstream words(mechanism.words);
  for (std::string word; words >> word;) {
    std::string longer = line;
    longer.append(" ").append(word);
    if (canvas.measure(longer, style)[0] > Canvas::kWidth - 80) {
      canvas.text({36, y}, line, style);
      line.clear();
      y += 19;
    }
    if (!line.empty()) line += ' ';
    line += word;
  }
  canvas.text({36, y}, line, style);
}

}  // namespace ulterix
