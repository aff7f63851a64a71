"""Every example with a value on docs/language.md is what it says."""

import re
import unittest
from pathlib import Path

from tests.core.small import value

PAGE = Path(__file__).parents[2] / "docs" / "language.md"


def examples():
    """(formula, what it gives) for every line of a code block that says so."""
    inside = False
    for line in PAGE.read_text(encoding="utf-8").splitlines():
        if line.startswith("```"):
            inside = not inside
        elif inside and "--" in line:
            formula, _, given = line.rpartition(" -- ")
            yield formula.strip(), given.strip()


def told(found):
    if found is None:
        return "empty"
    if isinstance(found, bool):
        return str(found).lower()
    return str(int(found)) if isinstance(found, float) and found.is_integer() else str(found)


class Page(unittest.TestCase):
    def test_examples(self):
        listed = list(examples())
        self.assertGreater(len(listed), 50)
        for formula, given in listed:
            with self.subTest(formula):
                self.assertEqual(told(value(formula)), given)

    def test_every_word_of_the_language_is_on_it(self):
        text = PAGE.read_text(encoding="utf-8").lower()
        from nexorem.core.language.vocabulary import vocabulary

        for word in (x.name for x in vocabulary() if x.kind != "function"):
            self.assertTrue(re.search(rf"\b{word}\b", text), word)


if __name__ == "__main__":
    unittest.main()
