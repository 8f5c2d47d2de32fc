/// results/answer_drawings.h: answers as they are drawn.
#pragma once

#include "analysis/analysis.h"
#include "analysis/queries.h"
#include "figures/curves_chart.h"
#include "figures/model_pictures.h"

namespace avrenk {

/// A curve in the units in which it is drawn. @param unit  of the quantity, or of its PSD
[[nodiscard]] PlottedCurve plotted_curve(const AnswerCurve& curve, const DisplayUnit& unit,
                                         const DisplayUnit& frequency);

/// What pictures of a model are made from, as somebody wants to see them.
[[nodiscard]] PictureSource picture_source(const DampedModel& model, const Surface& surface,
                                           const Viewpoint& sight = {});
[[nodiscard]] PictureSource picture_source(const Analysis& analysis, const Viewpoint& sight = {});

/// A field on the model. @param stations  of the answers: of fields of stress
[[nodiscard]] Image picture_of(const PictureSource& source, const AnswerField& field, const StressStations* stations);

}  // namespace avrenk
