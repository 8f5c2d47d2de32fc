#include "core/response/contact_load.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

// Amplitude of each row, and where a sine has it.
struct Amplitudes {
  Eigen::VectorXd value, frequency;
};

Amplitudes amplitudes_of(const MatrixXcd& rows, const CaseResponse& load) {
  Amplitudes amplitudes{Eigen::VectorXd::Zero(rows.rows()), Eigen::VectorXd::Zero(rows.rows())};
  if (load.sine) {
    const MatrixXd curves = load.sine->curves(rows).cwiseAbs();
    for (Index r = 0; r < rows.rows(); ++r) {
      Index at = 0;
      amplitudes.value[r] = curves.row(r).maxCoeff(&at);
      amplitudes.frequency[r] = load.sine->grid()[static_cast<std::size_t>(at)];
    }
  } else if (load.covariance) {
    const Eigen::VectorXd variance =
        (rows * load.covariance->gamma).cwiseProduct(rows.conjugate()).rowwise().sum().real();
    amplitudes.value = deviations_of_contact * variance.cwiseMax(0).cwiseSqrt();
  } else {
    amplitudes.value = (rows * load.still).real();
  }
  return amplitudes;
}

}  // namespace

double use_of_contact(const ContactAtRest& contact, const ContactLoad& load) {
  const double amplitude = contact.closed ? load.lifting : load.closing;
  const double left = contact.closed ? contact.pressing : contact.gap;
  if (!(amplitude > 0)) return 0;
  return left > 0 ? amplitude / left : std::numeric_limits<double>::infinity();
}

double use_of_friction(const ContactAtRest& contact, const ContactLoad& load, const Assembly& assembly) {
  const auto& holds = assembly.springs[static_cast<std::size_t>(contact.spring)].unilateral->friction_holds;
  const double asked = contact.tangential + load.tangential;
  if (!holds || !contact.closed || !(asked > 0)) return 0;
  const double bears = *holds * (contact.pressing - load.lifting);
  return bears > 0 ? asked / bears : 0;  // it opens
}

ContactUnderLoad load_contacts(const std::vector<ContactAtRest>& contacts, const Assembly& assembly,
                               const Channels& channels, const CaseResponse& load) {
  ContactUnderLoad contact_under_load{load.excitation, std::vector<ContactLoad>(contacts.size())};
  constexpr std::size_t at_once = 256;
  const auto row_of = [&](const ContactAtRest& contact) -> MatrixXcd {  // which grows as the contact opens or closes
    const UnilateralContact& side = *assembly.springs[static_cast<std::size_t>(contact.spring)].unilateral;
    return contact.closed ? MatrixXcd(side.sign * channels.spring_force(contact.spring).row(side.axis))
                          : MatrixXcd(-side.sign * channels.spring_travel(contact.spring).row(side.axis));
  };
  for (std::size_t first = 0; first < contacts.size(); first += at_once) {
    const std::size_t now = std::min(at_once, contacts.size() - first);
    MatrixXcd rows, across;
    for (std::size_t k = 0; k < now; ++k) {
      const ContactAtRest& contact = contacts[first + k];
      const MatrixXcd normal = row_of(contact);
      if (k == 0) {
        rows.resize(static_cast<Index>(now), normal.cols());
        across = MatrixXcd::Zero(2 * static_cast<Index>(now), normal.cols());
      }
      rows.row(static_cast<Index>(k)) = normal;
      if (!contact.closed) continue;
      const UnilateralContact& side = *assembly.springs[static_cast<std::size_t>(contact.spring)].unilateral;
      const MatrixXcd force = channels.spring_force(contact.spring);
      for (Index i = 1; i <= 2; ++i) across.row(2 * static_cast<Index>(k) + i - 1) = force.row((side.axis + i) % 3);
    }
    const Amplitudes normal = amplitudes_of(rows, load), tangential = amplitudes_of(across, load);
    for (std::size_t k = 0; k < now; ++k) {
      const auto at = static_cast<Index>(k);
      ContactLoad& contact_load = contact_under_load.loads[first + k];
      (contacts[first + k].closed ? contact_load.lifting : contact_load.closing) = normal.value[at];
      contact_load.frequency = normal.frequency[at];
      contact_load.tangential = tangential.value.segment<2>(2 * at).norm();
    }
  }
  if (load.sine && !contacts.empty()) {
    std::size_t worst = 0;
    for (std::size_t k = 1; k < contacts.size(); ++k)
      if (use_of_contact(contacts[k], contact_under_load.loads[k]) >
          use_of_contact(contacts[worst], contact_under_load.loads[worst]))
        worst = k;
    const SinePeak peak = load.sine->peak({"", row_of(contacts[worst])});
    (contacts[worst].closed ? contact_under_load.loads[worst].lifting : contact_under_load.loads[worst].closing) =
        peak.value;
    contact_under_load.loads[worst].frequency = peak.frequency;
  }
  return contact_under_load;
}

}  // namespace avrenk
