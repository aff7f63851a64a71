"""Lines of axes as whole numbers: combinations, beginnings and places, held against a library's own way and against sets."""

import unittest

import numpy as np

from nexorem.core.engine.order import TOTAL, places_of, prefixes_of
from nexorem.core.values import combine

# Codes up to these: counted, in one number, in one number that has no room for places, and in none.
SIZES = ((3, 4), (1,), (2, 1, 3), (10**6, 10**7), (10**9, 10**9), (2**40, 2**30, 5), (2**50, 2**50))


def random_lines(r: np.random.Generator, sizes: tuple[int, ...]) -> np.ndarray:
    """A few lines, of which many begin alike."""
    count = int(r.integers(0, 60))
    return np.stack([r.choice(r.integers(0, size + 1, 4), count) for size in sizes], axis=1).astype(np.int64)


class Lines(unittest.TestCase):
    def cases(self):
        r = np.random.default_rng(11)
        for i in range(len(SIZES) * 40):
            sizes = SIZES[i % len(SIZES)]
            lines = random_lines(r, sizes)
            if i % 3 == 0 and len(lines):
                lines = np.unique(lines, axis=0)[: len(lines)]
            with self.subTest(i=i, sizes=sizes):
                yield r, sizes, lines

    def test_combinations(self):
        for _, sizes, lines in self.cases():
            numbers, firsts = combine([(lines[:, i], size) for i, size in enumerate(sizes)])
            wanted, first, index = np.unique(lines, axis=0, return_index=True, return_inverse=True)
            self.assertEqual(lines[firsts].tolist(), wanted.tolist())
            self.assertEqual((firsts.tolist(), numbers.tolist()), (first.tolist(), index.reshape(-1).tolist()))

    def test_beginnings_and_their_places(self):
        for r, _, lines in self.cases():
            depth = lines.shape[1]
            prefixes = prefixes_of(lines)
            wanted = sorted({(*line[:k], *[TOTAL] * (depth - k)) for line in lines.tolist() for k in range(1, depth + 1)})
            self.assertEqual([tuple(p) for p in prefixes.tolist()], wanted)
            self.assertEqual(prefixes_of(prefixes).tolist(), prefixes.tolist(), "those of beginnings are these")
            for among in (prefixes, r.permutation(prefixes)):
                self.assertEqual(among[places_of(lines, among)].tolist(), lines.tolist())
                half = among[: len(among) // 2]
                places = places_of(lines, half, missing=True)
                there = {tuple(x): i for i, x in enumerate(half.tolist())}
                self.assertEqual(places.tolist(), [there.get(tuple(x), -1) for x in lines.tolist()])


if __name__ == "__main__":
    unittest.main()
