#include "results/answer_drawings.h"

#include <fmt/format.h>

#include "files/table.h"

namespace avrenk {

PlottedCurve plotted_curve(const AnswerCurve& curve, const DisplayUnit& unit, const DisplayUnit& frequency) {
  PlottedCurve drawn{fmt::format("{}, {}", curve.in, curve.of), unit.text, curve.is_psd, {}, {}};
  for (std::size_t k = 0; k < curve.grid.size(); ++k) {
    drawn.frequency.push_back(frequency.from_si(curve.grid[k]));
    drawn.value.push_back(unit.from_si(curve.value[k]));
    if (!curve.phase.empty()) drawn.phase.push_back(degrees * curve.phase[k]);
  }
  if (!curve.peak) return drawn;
  drawn.peak = unit.from_si(curve.peak->value);
  drawn.peak_at = frequency.from_si(curve.peak->frequency);
  return drawn;
}

PictureSource picture_source(const DampedModel& model, const Surface& surface, const Viewpoint& sight) {
  const std::vector<ModeContent>& contents = model.modal->contents;
  return {model.assembly(),
          model.system(),
          model.basis(),
          *model.damping,
          model.plan().title,
          model.plan().show,
          &surface,
          contents.empty() ? nullptr : &contents,
          sight};
}

PictureSource picture_source(const Analysis& analysis, const Viewpoint& sight) {
  return picture_source(analysis.model(), analysis.surface, sight);
}

Image picture_of(const PictureSource& source, const AnswerField& field, const StressStations* stations) {
  if (field.stress || field.beams)
    return stress_picture(source, stations, field.stress ? &*field.stress : nullptr,
                          field.beams ? &*field.beams : nullptr, field.shape ? &*field.shape : nullptr);
  return field.shape ? shape_picture(source, *field.shape) : motion_picture(source, *field.motion);
}

}  // namespace avrenk
