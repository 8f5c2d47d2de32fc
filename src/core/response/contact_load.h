/// core/response/contact_load.h: what an environment does to contacts that a static state presses or leaves open.
#pragma once

#include "core/response/case_response.h"
#include "core/response/channels.h"
#include "core/system/contact_equilibrium.h"

namespace avrenk {

/// Amplitudes at one contact beside the static state: the largest over phase and frequency of a sine, three standard
/// deviations of a random load, what a static load adds.
struct ContactLoad {
  double lifting = 0;     ///< N, off the pressing force of a closed one
  double tangential = 0;  ///< N, of a closed one: the root of the sum of squares of its two directions
  double closing = 0;     ///< m, of an open one
  double frequency = 0;   ///< Hz, of the lifting or closing of a sine; else 0
};

struct ContactUnderLoad {
  std::shared_ptr<const Excitation> excitation;
  std::vector<ContactLoad> loads;  ///< in the order of the contacts
};

/// As many standard deviations of a random load are its amplitude.
inline constexpr double deviations_of_contact = 3;

/// Sines are taken on the grid, whose largest may be lower by its shortfall; that which comes nearest to what it must
/// not reach is located exactly.
[[nodiscard]] ContactUnderLoad load_contacts(const std::vector<ContactAtRest>& contacts, const Assembly& assembly,
                                             const Channels& channels, const CaseResponse& load);

/// How near a contact is to what it must not do: the amplitude over what presses, or over the gap that is left.
[[nodiscard]] double use_of_contact(const ContactAtRest& contact, const ContactLoad& load);
/// The same of sliding, tangential force over what friction bears at the worst instant; 0 where that is not known, and
/// where it opens.
[[nodiscard]] double use_of_friction(const ContactAtRest& contact, const ContactLoad& load, const Assembly& assembly);

}  // namespace avrenk
