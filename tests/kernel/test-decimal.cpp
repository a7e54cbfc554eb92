
#include <random>

#include "decimal.hpp"
#include "exact.hpp"

using namespace eggcrate;

TEST_CASE("a decimal is the smallest number of places within four ulp") {
  CHECK(places_of(3) == 0);
  CHECK(places_of(-0.0) == 0);
  CHECK(places_of(12.5) == 1);
  CHECK(places_of(0.1 + 0.2) == 1);
  CHECK(places_of(1234.567891) == 6);
  CHECK(places_of(1.0 / 3) == kNotDecimal);
  CHECK(places_of(kLimit) == kNotDecimal);
  CHECK(places_of(kLimit - 1) == 0);
  std::int64_t m = 0;
  REQUIRE(as_decimal(0.1 + 0.2, 1, m));
  CHECK(m == 3);
  REQUIRE(as_decimal(-7.25, 2, m));
  CHECK(m == -725);
}

TEST_CASE("division is rounded to the nearest double, however long the operands") {
  std::mt19937_64 random(7);
  for (int i = 0; i < 20000; ++i) {
    const auto a = static_cast<std::int64_t>(random()) >> (random() % 40);
    const auto b = (static_cast<std::int64_t>(random()) >> (random() % 40)) | 1;
    // long double has 64 bits: a quotient rounded to it and then to 53 is right
    // unless it lies within its last bit of a midpoint
    const long double wide = static_cast<long double>(a) / static_cast<long double>(b);
    const double q = ratio(a, b);
    const double down = std::nextafter(q, -INFINITY), up = std::nextafter(q, INFINITY);
    const long double slack = std::fabs(wide) * 0x1p-62L;
    CHECK(std::fabs(wide - q) <= std::fabs(wide - down) + slack);
    CHECK(std::fabs(wide - q) <= std::fabs(wide - up) + slack);
  }
  CHECK(ratio(1, 3) == 1.0 / 3);
  CHECK(ratio(-2, 8) == -0.25);
  const i128 big = i128(1) << 100;
  CHECK(ratio(big, big * 4) == 0.25);
  CHECK(ratio(big + 1, big) == 1.0);
  CHECK(ratio(0, -5) == 0.0);
  CHECK_FALSE(std::signbit(ratio(0, -5)));
  CHECK(nearest((i128(1) << 90) + 1) == std::ldexp(1.0, 90));
  CHECK(nearest(-(i128(1) << 90)) == -std::ldexp(1.0, 90));
}

TEST_CASE("items are ordered by cell and value, and ties span their places") {
  const i128 far = i128(1) << 80;
  const stored_i128 near_values[] = {5, -2, 5, 9, 0, 5};
  const stored_i128 far_values[] = {5 * far, -2 * far, 5 * far, 9 * far, 0, 5 * far};
  const std::int32_t cells[] = {1, 1, 2, 2, 1, 1};
  for (const stored_i128* v : {near_values, far_values}) {
    std::int32_t order[6], block[6], first[6], last[6];
    REQUIRE(order_items(v, cells, true, 6, order, block, first, last).ok());
    CHECK(std::vector<std::int32_t>(order, order + 6) ==
          std::vector<std::int32_t>({0, 5, 4, 1, 3, 2}));
    CHECK(std::vector<std::int32_t>(block, block + 6) ==
          std::vector<std::int32_t>({1, 1, 2, 3, 4, 5}));
    CHECK(std::vector<std::int32_t>(first, first + 6) ==
          std::vector<std::int32_t>({1, 1, 3, 4, 1, 2}));
    CHECK(std::vector<std::int32_t>(last, last + 6) ==
          std::vector<std::int32_t>({2, 2, 3, 4, 1, 2}));
    REQUIRE(order_items(v, nullptr, false, 6, order, block, first, last).ok());
    CHECK(std::vector<std::int32_t>(order, order + 6) ==
          std::vector<std::int32_t>({1, 4, 0, 2, 5, 3}));
    CHECK(last[2] == 5);
  }
}

TEST_CASE("a part of the base is compared in integers, or not at all") {
  int order = 9;
  REQUIRE(against_share(80, 100, 80, 2, order));
  CHECK(order == 0);
  REQUIRE(against_share(79, 100, 80, 2, order));
  CHECK(order == -1);
  CHECK_FALSE(against_share(i128(1) << 124, 1, 8, 1, order));
}

TEST_CASE("fractions are compared exactly, however long") {
  CHECK(compare_fractions(1, 3, 2, 6) == 0);
  CHECK(compare_fractions(-1, 3, -2, 6) == 0);
  CHECK(compare_fractions(-1, 3, 1, 4) == -1);
  const i128 big = (i128(1) << 120) + 1;
  CHECK(compare_fractions(big, big - 1, big + 1, big) == 1);
  CHECK(compare_fractions(-big, big - 1, -(big + 1), big) == -1);
  CHECK(compare_fractions(0, 5, 0, 7) == 0);
  const stored_i128 num[] = {2, 1, big, 3, -1}, den[] = {6, 3, big - 1, 2, 5};
  stored_i128 out[5];
  REQUIRE(number_fractions(num, den, 5, out).ok());
  CHECK((out[0] == out[1]));
  CHECK((out[4] < out[0]));
  CHECK((out[0] < out[2]));
  CHECK((out[2] < out[3]));
}
