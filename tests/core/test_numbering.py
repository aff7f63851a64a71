"""Distinct whole numbers and their places, held against a library's own way."""

import unittest

import numpy as np

from nexorem.core.numbering import distinct, firsts_of, numbered, numbered_floats, spread_out


class Numbers(unittest.TestCase):
    def test_as_the_library_does(self):
        r = np.random.default_rng(5)
        for i in range(400):
            size = int(r.integers(0, 40)) if i % 10 else 3_000
            spread = (2, 50, 10**6, 2**40, 2**62)[i % 5]
            values = r.integers(-spread, spread, size)
            narrow = values.astype((np.int64, np.int32, np.uint8, np.uint32)[i % 4]) if spread < 2**40 else values
            for own in (values, narrow):
                with self.subTest(i=i, dtype=own.dtype):
                    wanted, firsts, index = np.unique(own, return_index=True, return_inverse=True)
                    found, places = numbered(own)
                    self.assertEqual((found.tolist(), places.tolist()), (wanted.tolist(), index.tolist()))
                    self.assertEqual((distinct(own).tolist(), distinct(own).dtype), (wanted.tolist(), own.dtype))
                    self.assertEqual([x.tolist() for x in firsts_of(own)], [index.tolist(), firsts.tolist()])

    def test_places_that_are_spread_out(self):
        for count, most in ((0, 5), (1, 5), (5, 5), (7, 1), (100, 9), (10**9, 4_096)):
            places = spread_out(count, most).tolist()
            self.assertEqual(places, sorted(set(places)))
            self.assertEqual(len(places), min(count, most))
            self.assertTrue(all(0 <= p < count for p in places))
            self.assertTrue(most < 2 or not count or (places[0], places[-1]) == (0, count - 1))

    def test_floats(self):
        r = np.random.default_rng(6)
        for size, spread in ((0, 1), (50, 3), (30_000, 40), (30_000, 10**9)):
            values = r.integers(-spread, spread, size) / 4
            found, places = numbered_floats(values)
            wanted, index = np.unique(values, return_inverse=True)
            self.assertEqual((found.tolist(), places.tolist()), (wanted.tolist(), index.tolist()))


if __name__ == "__main__":
    unittest.main()
