#include "files/rest_tables.h"

#include <cmath>

namespace avrenk {
namespace {

void put_place(const Vector3& point, const DisplayUnit& length, std::vector<Cell>& row) {
  for (const double each : point) row.emplace_back(length.from_si(std::abs(each) < 1e-12 ? 0.0 : each));
}

}  // namespace

Table bolt_table(const std::string& environment, const std::vector<BoltAtRest>& bolts, const Assembly& assembly,
                 const Show& show) {
  const DisplayUnit force = show.unit(kind::force), length = show.unit(kind::length);
  Table table{environment + ".bolts",
              "Bolts in " + environment + ": tension when all are tightened, and when everything acts",
              {{"joint", ""},
               {"x", length.text, 4},
               {"y", length.text, 4},
               {"z", length.text, 4},
               {"wanted", force.text},
               {"tightened", force.text},
               {"finally", force.text},
               {"shortened by", length.text}},
              {}};
  for (const BoltAtRest& bolt : bolts) {
    const Spring& spring = assembly.springs[static_cast<std::size_t>(bolt.spring)];
    std::vector<Cell> row{spring.joint};
    put_place(spring.point, length, row);
    for (const double each : {bolt.wanted, bolt.tightened, bolt.finally}) row.emplace_back(force.from_si(each));
    row.emplace_back(length.from_si(bolt.shortened));
    table.rows.push_back(std::move(row));
  }
  return table;
}

Table contact_table(const std::string& environment, const std::vector<ContactAtRest>& contacts,
                    const std::vector<ContactUnderLoad>& loads, const Assembly& assembly, const Show& show) {
  const DisplayUnit force = show.unit(kind::force), length = show.unit(kind::length);
  Table table{environment + ".contacts",
              "Contacts in " + environment + ", and how much of the pressing force or gap the worst other case takes",
              {{"joint", ""},
               {"x", length.text, 4},
               {"y", length.text, 4},
               {"z", length.text, 4},
               {"state", ""},
               {"pressing", force.text, 3},
               {"sideways", force.text, 3},
               {"gap", length.text, 3},
               {"takes most", "%", 3},
               {"case", ""},
               {"slides at", "%", 3, false}},
              {}};
  for (std::size_t k = 0; k < contacts.size(); ++k) {
    const ContactAtRest& contact = contacts[k];
    const Spring& spring = assembly.springs[static_cast<std::size_t>(contact.spring)];
    double use = 0, slides = 0;
    std::string worst;
    for (const ContactUnderLoad& load : loads) {
      const double own = use_of_contact(contact, load.loads[k]);
      slides = std::max(slides, use_of_friction(contact, load.loads[k], assembly));
      if (own <= use) continue;
      use = own;
      worst = load.excitation->name();
    }
    std::vector<Cell> row{spring.joint};
    put_place(spring.point, length, row);
    row.emplace_back(std::string(contact.closed ? "closed" : "open"));
    row.emplace_back(contact.closed ? force.from_si(contact.pressing) : 0.0);
    row.emplace_back(force.from_si(contact.tangential));
    row.emplace_back(contact.closed ? 0.0 : length.from_si(contact.gap));
    row.emplace_back(worst.empty() ? std::nan("") : 100 * use);
    row.emplace_back(worst);
    row.emplace_back(spring.unilateral->friction_holds && contact.closed ? 100 * slides : std::nan(""));
    table.rows.push_back(std::move(row));
  }
  return table;
}

}  // namespace avrenk
