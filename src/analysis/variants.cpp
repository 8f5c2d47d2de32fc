#include "analysis/variants.h"

#include <fmt/format.h>

#include <cmath>
#include <utility>

#include "analysis/margins.h"
#include "analysis/springs.h"
#include "core/clock.h"

namespace avrenk {
namespace {

// Lends what is large to another analysis, and takes it back.
class Loan {
 public:
  Loan(Analysis& from, Analysis& to) : from_(from), to_(to) { change_hands(); }
  Loan(const Loan&) = delete;
  Loan& operator=(const Loan&) = delete;
  ~Loan() { change_hands(); }

 private:
  void change_hands() {
    std::swap(from_.system, to_.system);
    std::swap(from_.basis, to_.basis);
    std::swap(from_.preload, to_.preload);
    std::swap(from_.settled, to_.settled);
  }
  Analysis &from_, &to_;
};

}  // namespace

void judge_variants(Analysis& analysis, const AnalysisRequest& request, bool with_margins, const Progress& progress) {
  const StopWatch start;
  analysis.variants.clear();
  for (const std::string& name : analysis.plan.variants) {
    tell(progress, fmt::format("springs {}", name));
    VariantAnswers answers{name, {}, std::vector<double>(analysis.limits.size(), std::nan(""))};
    Analysis other;
    other.threads = analysis.threads;
    other.plan = analysis.plan;
    other.plan.variant = name;
    keep_what_is_judged(other.plan);
    other.damping = with_springs(analysis.damping, analysis.basis, nullptr);
    const Loan loan(analysis, other);
    take_springs(other.plan, other.system, other.basis, other.damping);
    answers.modes = other.damping.with_springs;
    if (with_margins && !analysis.limits.empty()) {
      judge(other, request);
      for (std::size_t i = 0; i < analysis.limits.size(); ++i)
        for (const LimitResult& each : other.limits)
          if (each.limit->name == analysis.limits[i].limit->name) {
            answers.margins[i] = each.deciding();
            answers.exceeded += each.met ? 0 : 1;
          }
    }
    analysis.variants.push_back(std::move(answers));
  }
  if (!analysis.variants.empty()) analysis.times.push_back({"variants of springs", start.seconds()});
}

}  // namespace avrenk
