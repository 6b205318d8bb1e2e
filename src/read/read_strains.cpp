// Loads that strain members and move supports.
#include "core/model/local_axes.hpp"
#include "read/reading.hpp"

namespace ulterix {

namespace {

/// Warmth that grows across a member bends it: in its plane, if it is one of a plane frame.
void read_gradient(Reading& r, const Value& t, const std::string& who, MemberStrain& strain) {
  const Value* v = t.find("gradient");
  if (v == nullptr || !r.is_table(*v, who + ": gradient")) return;
  for (const Entry& entry : v->entries) {
    if (entry.key != "y" && entry.key != "z") {
      r.complain(entry.at, "{}: gradient is {{ y, z }}, along the local axes, not \"{}\"", who,
                 entry.key);
      continue;
    }
    const auto value =
        r.quantity(entry.value, Quantity::temperature_gradient, who + ": gradient " + entry.key);
    if (value) strain.gradient[entry.key == "y" ? 0 : 1] = *value;
  }
}

void check_strain(Reading& r, const Value& t, const std::string& who, const MemberStrain& strain) {
  const Member& m = r.model.members[strain.member];
  const bool bent = strain.gradient[0] != 0 || strain.gradient[1] != 0;
  if (bent && m.kind != MemberKind::frame) {
    r.complain(t.find("gradient")->at, "{}: {} is axial and does not bend", who, m.name);
  }
  if (r.model.plane != Plane::space && m.kind == MemberKind::frame) {
    const int normal = r.model.plane == Plane::xz ? 1 : 2;
    const Matrix3d axes = local_axes(r.model, strain.member);
    for (const std::size_t i : {0U, 1U}) {
      const bool out = std::abs(axes(static_cast<Eigen::Index>(i) + 1, normal)) > 0.5;
      if (!out || strain.gradient[i] == 0) continue;
      r.complain(t.find("gradient")->at, "{}: gradient {} bends {} out of the plane of the frame",
                 who, i == 0 ? "y" : "z", m.name);
    }
  }
  if (strain.preload == 0) return;
  const int sign = m.kind == MemberKind::cable ? 1 : one_way_sign(m.kind);
  if (m.kind == MemberKind::frame) {
    r.complain(t.find("preload")->at,
               "{}: preload is for axial, tension-only and compression-only members and cables; {} "
               "is none",
               who, m.name);
  } else if (strain.preload * sign < 0) {
    r.complain(t.find("preload")->at, "{}: {} is {} and cannot be preloaded in {}", who, m.name,
               word_of(kMemberKinds, m.kind), sign > 0 ? "compression" : "tension");
  }
}

}  // namespace

bool read_member_strain(Reading& r, const Value& t, const std::string& who, LoadCase& load_case) {
  bool any = false;
  for (const char* key : {"warm", "gradient", "preload", "lack_of_fit"}) {
    any = any || t.find(key) != nullptr;
  }
  if (!any) return false;
  MemberStrain strain;
  strain.warm = r.quantity(t, "warm", Quantity::temperature, who).value_or(0);
  strain.preload = r.quantity(t, "preload", Quantity::force, who).value_or(0);
  strain.lack_of_fit = r.quantity(t, "lack_of_fit", Quantity::displacement, who).value_or(0);
  read_gradient(r, t, who, strain);
  for (const MemberId id : r.select_members(*t.find("on"), who)) {
    strain.member = id;
    check_strain(r, t, who, strain);
    load_case.strains.push_back(strain);
  }
  return true;
}

void read_settlement(Reading& r, const Value& t, const std::string& who, LoadCase& load_case) {
  const std::string place = who + ": settle";
  if (!r.is_table(t, place) || !r.check_keys(t, "settle", place)) return;
  const Value* on = t.find("on");
  if (on == nullptr) return r.complain(t.at, "{}: on is missing", place);
  bool any = false;
  for (int d = 0; d < 6; ++d) {
    const std::string_view key = kDisplacementNames[static_cast<std::size_t>(d)];
    const Value* v = t.find(key);
    if (v == nullptr) continue;
    any = true;
    const auto amount = r.quantity(*v, d < 3 ? Quantity::displacement : Quantity::rotation, place);
    if (!amount) continue;
    for (const NodeId id : r.select_nodes(*on, place)) {
      load_case.ground.push_back({id, d, *amount});
      r.settled.push_back({id, d, v->at, place});
    }
  }
  if (!any) r.complain(t.at, "{}: no movement given", place);
}

}  // namespace ulterix
