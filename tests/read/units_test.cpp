#include <gtest/gtest.h>
#include <rapidcheck.h>
#include <rapidcheck/gtest.h>

#include "units/for_people.hpp"
#include "units/unit_system.hpp"

namespace ulterix::testing::units_test {
namespace {

struct UnitCase {
  const char* text;
  double factor;
  Quantity quantity;
};

class Units : public ::testing::TestWithParam<UnitCase> {};

TEST_P(Units, FactorAndDimension) {
  const auto unit = parse_unit(GetParam().text);
  ASSERT_TRUE(unit.has_value()) << GetParam().text;
  EXPECT_NEAR(unit->factor / GetParam().factor, 1, 1e-13) << GetParam().text;
  EXPECT_TRUE(unit->dimension == dimension_of(GetParam().quantity)) << GetParam().text;
}

INSTANTIATE_TEST_SUITE_P(
    Table, Units,
    ::testing::Values(UnitCase{"kN", 1e3, Quantity::force}, UnitCase{"kN.m", 1e3, Quantity::moment},
                      UnitCase{"kNm", 1e3, Quantity::moment},
                      UnitCase{"kN*m", 1e3, Quantity::moment},
                      UnitCase{"kN·m/rad", 1e3, Quantity::rotational_spring},
                      UnitCase{"kip", 4448.2216152605, Quantity::force},
                      UnitCase{"kip-ft", 1355.8179483314004, Quantity::moment},
                      UnitCase{"kip/in", 175126.83524647637, Quantity::spring},
                      UnitCase{"ksi", 6894757.2931683613, Quantity::stress},
                      UnitCase{"psf", 47.880258980335842, Quantity::pressure},
                      UnitCase{"klf", 14593.902937206365, Quantity::force_per_length},
                      UnitCase{"pcf", 157.08746384624618, Quantity::weight},
                      UnitCase{"lb/ft^3", 16.018463373960142, Quantity::density},
                      UnitCase{"in4", 4.162314256e-7, Quantity::second_moment},
                      UnitCase{"mm^2", 1e-6, Quantity::area}, UnitCase{"mm²", 1e-6, Quantity::area},
                      UnitCase{"deg", 0.017453292519943295, Quantity::angle},
                      UnitCase{"1/K", 1, Quantity::expansion},
                      UnitCase{"m/s^2", 1, Quantity::acceleration}));

// Units that only the library knows.
INSTANTIATE_TEST_SUITE_P(Library, Units,
                         ::testing::Values(UnitCase{"dyne", 1e-5, Quantity::force},
                                           UnitCase{"millinewton", 1e-3, Quantity::force},
                                           UnitCase{"yard", 0.9144, Quantity::length},
                                           UnitCase{"kN m-1", 1e3, Quantity::force_per_length}));

TEST(Units, UnknownAndOffsetUnitsAreRefused) {
  for (const char* text : {"", "KN", "frob", "kN.", "/m", "degC", "celsius", "kN..m"}) {
    EXPECT_FALSE(parse_unit(text).has_value()) << text;
  }
}

TEST(Units, AReciprocalIsNotConvertible) {
  const auto flexibility = parse_unit("mm/kN");
  ASSERT_TRUE(flexibility.has_value());
  EXPECT_FALSE(flexibility->dimension == dimension_of(Quantity::spring));
}

TEST(Units, NumbersAreReadWholeAndFinite) {
  EXPECT_EQ(split_number("250 mm")->number, 250);
  EXPECT_EQ(split_number("250 mm")->unit, "mm");
  EXPECT_EQ(split_number(" -8mm ")->number, -8);
  EXPECT_EQ(split_number("29e3 ksi")->number, 29e3);
  EXPECT_EQ(split_number("+1.5")->unit, "");
  for (const char* bad : {"", "mm", "nan mm", "inf", "1e999 m", "--3"}) {
    EXPECT_FALSE(split_number(bad).has_value()) << bad;
  }
}

TEST(UnitSystem, DerivedUnitsFollow) {
  UnitSystem us = *UnitSystem::named("us-ft");
  EXPECT_EQ(us.label(Quantity::force_per_length), "kip/ft");
  EXPECT_EQ(us.label(Quantity::second_moment), "in^4");
  EXPECT_EQ(us.label(Quantity::rotational_spring), "kip.ft/rad");
  EXPECT_NEAR(us.to_si(Quantity::pressure, 1), 47880.258980335842, 1e-9);
  EXPECT_TRUE(us.set("force", "lbf"));
  EXPECT_EQ(us.label(Quantity::force_per_length), "lbf/ft");
  EXPECT_FALSE(us.set("force", "ft"));
  EXPECT_FALSE(us.set("weather", "ft"));
  EXPECT_FALSE(UnitSystem::named("imperial").has_value());
}

RC_GTEST_PROP(UnitSystem, ThereAndBack, (double value)) {
  const auto names = UnitSystem::names();
  const UnitSystem units = *UnitSystem::named(*rc::gen::elementOf(names));
  const auto q = static_cast<Quantity>(*rc::gen::inRange(0, kQuantities));
  RC_ASSERT(std::abs(units.from_si(q, units.to_si(q, value)) - value) <= 1e-15 * std::abs(value));
}

TEST(ForPeople, FourSignificantFigures) {
  EXPECT_EQ(significant(0), "0");
  EXPECT_EQ(significant(7.8912), "7.891");
  EXPECT_EQ(significant(-31.24), "-31.24");
  EXPECT_EQ(significant(842.61), "842.6");
  EXPECT_EQ(significant(12345.6), "12346");
  EXPECT_EQ(significant(0.012345), "0.01235");
  EXPECT_EQ(significant(1.5e-9), "1.5e-09");
}

}  // namespace
}  // namespace ulterix::testing::units_test
