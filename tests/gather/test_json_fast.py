"""The quick reader of JSON Lines gives what the one line by line gives, or leaves the file to it."""

import json
import random
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from nexorem.core.diagnostics import Refused
from nexorem.gather.sources import columnar, json_fast
from nexorem.gather.sources.bounds import Notes, silent
from nexorem.gather.sources.kinds import LinesSource

SOURCE = LinesSource(kind="json_lines", file="x", missing=["", "NA"])
PLAIN = (
    '{"a": NaN}\n{"a": 1.5}\n',
    '{"a": 1, "b": "x"}\n{"a": null}\n\n  \n{"b": "NA", "a": -9223372036854775808}\n',
    '{"a": 1}\n{"a": 2.5}\n{"a": 1e3}\n{"a": 9007199254740993}\n',
    '{"a": true, "A": "\\u00e9 \\"q\\" \\n", "": "é"}\r\n{"a": false, "A": "", "": ""}',
    '{"when": "2031-01-02"}\n{"when": "2031-01-02T10:00:00Z"}\n{"when": "7"}\n',
)
LEFT = (
    '{"a": 1}\n{"a": "x"}\n',
    '{"a": [1]}\n',
    '{"a": {"b": 1}}\n',
    '{"a": 9223372036854775808}\n',
    '{"a": 1} {"a": 2}\n',
    '{"a":\n1}\n',
    '{"a": 1, "a": 2}\n{"a": 3}\n',
    '{"a": "\\ud800"}\n',
    "[1]\n",
    '{"a": null}\n',
    '{"a": 1}\n{"a": }\n',
    '{"a": 1}\n' * 3 + '{"a": 1, "b": 2}\n',
    "",
)


class Lines(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "x.jsonl"

    def slow(self):
        """What the reader line by line gives, or its refusal."""
        with mock.patch.object(columnar, "read_plain", return_value=None):
            return self.read()

    def read(self):
        try:
            columns, rows, marked = columnar.read_lines(self.path, SOURCE, Notes(), silent)
        except Refused as refused:
            return refused.diagnostics[0].code
        return {n: (v.dtype, v.tolist()) for n, v in columns.items()}, list(columns), rows, marked

    def check(self, text):
        """Whether the quick reader took a file; what it gives then is the same."""
        self.path.write_text(text, newline="")
        taken = json_fast.read_plain(self.path) is not None
        if taken:
            self.assertEqual(self.read(), self.slow(), text)
        return taken

    def test_what_it_takes(self):
        for text in PLAIN:
            self.assertTrue(self.check(text), text)

    def test_what_it_leaves(self):
        with mock.patch.object(json_fast, "SAMPLED", 2):
            for text in LEFT:
                self.assertFalse(self.check(text), text)

    def test_random_files(self):
        r = random.Random(20310101)
        values = {
            "int": lambda: r.choice([0, -1, r.randrange(10**6), 2**53 + 1]),
            "number": lambda: r.choice([r.random(), 1e300, -0.0, 5]),
            "text": lambda: r.choice(["", "NA", "x", "é🛳", 'q"\\', "1", " a "]),
            "truth": lambda: r.random() < 0.5,
            "odd": lambda: r.choice([1, "x", None, [1], {"k": 1}, 10**30]),
        }
        taken = 0
        with mock.patch.multiple(json_fast, SAMPLED=3, PART=64, BLOCK=4_096):
            for _ in range(400):
                kinds = {f"c{i}": r.choice(["int", "number", "text", "truth"] * 5 + ["odd"]) for i in range(r.randrange(1, 5))}
                lines = []
                for _ in range(r.choice([1, 3, 40])):
                    line = {n: None if r.random() < 0.1 else values[kind]() for n, kind in kinds.items() if r.random() < 0.95}
                    lines.append(json.dumps(line, ensure_ascii=r.random() < 0.5) + r.choice(["\n", "\n", "\n\n", "\r\n", " \n"]))
                taken += self.check("".join(lines))
        self.assertGreater(taken, 100)


if __name__ == "__main__":
    unittest.main()
