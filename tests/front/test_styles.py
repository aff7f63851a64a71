"""The picture of a cell of a large matrix: drawn once, in the palette's colours and at the size of a cell."""

import base64
import re
import struct
import unittest
import zlib
from pathlib import Path

WEB = Path(__file__).parents[2] / "web" / "src"


def pixels(png):
    """Rows of (red, green, blue, alpha) of a picture of 8 bits without filters."""
    width, height = struct.unpack(">II", png[16:24])
    parts, at = b"", 8
    while at < len(png):
        size, kind = struct.unpack(">I4s", png[at : at + 8])
        parts += png[at + 8 : at + 8 + size] if kind == b"IDAT" else b""
        at += size + 12
    raw = zlib.decompress(parts)
    lines = [raw[y * (4 * width + 1) : (y + 1) * (4 * width + 1)] for y in range(height)]
    assert all(line[0] == 0 for line in lines)
    return [[tuple(line[1 + 4 * x : 5 + 4 * x]) for x in range(width)] for line in lines]


class Cell(unittest.TestCase):
    def test_a_dot_and_a_line_of_each_palette(self):
        styles = (WEB / "app" / "styles" / "base.css").read_text()
        window = (WEB / "features" / "link" / "matrixWindow.ts").read_text()
        column, row = (int(re.search(rf"const {name} = (\d+);", window)[1]) for name in ("COLUMN", "ROW"))
        palettes = [p for p in re.findall(r"\{([^{}]*)\}", styles) if "--cell:" in p]
        self.assertEqual(len(palettes), 2)
        for palette in palettes:
            dot, line = (bytes.fromhex(re.search(rf"--{name}: #(\w+);", palette)[1]) for name in ("faint", "line"))
            cell = pixels(base64.b64decode(re.search(r"--cell: url\('data:image/png;base64,([^']+)'\)", palette)[1]))
            self.assertEqual((len(cell), {len(x) for x in cell}), (row, {column}))
            self.assertEqual(set(cell[-1]), {(*line, 255)})
            shown = {x[:3] for y in cell[:-1] for x in y if x[3]}
            self.assertEqual(shown, {tuple(dot)})


if __name__ == "__main__":
    unittest.main()
