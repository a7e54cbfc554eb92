// One question of columns in memory.
#pragma once

#include "tally.hpp"

inline eggcrate::Status count(eggcrate::Question& q, std::vector<eggcrate::Column> columns, std::size_t n, eggcrate::Tally& out, int threads = 1,
                              eggcrate::Poll poll = eggcrate::Poll()) {
  std::vector<eggcrate::Question> questions{q};
  std::vector<eggcrate::Tally> tallies;
  eggcrate::InMemory supply(std::move(columns), n, threads);
  const eggcrate::Status s = eggcrate::tally(questions, supply, tallies, poll);
  q = questions[0];
  if (s.ok()) out = tallies[0];
  return s;
}
