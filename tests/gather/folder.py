"""A folder of files to read, and files of kinds that are made by libraries."""

import datetime as dt
import decimal
import io
import tempfile
import unittest
import zipfile
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute
import pyarrow.feather
from openpyxl import Workbook

from nexorem.core.diagnostics import Refused
from nexorem.gather.read import read, sources_in


class Folder(unittest.TestCase):
    def setUp(self):
        found = tempfile.TemporaryDirectory()
        self.addCleanup(found.cleanup)
        self.folder = Path(found.name)

    def put(self, name, data):
        (self.folder / name).write_bytes(data.encode() if isinstance(data, str) else data)
        return self.folder / name

    def read(self, name, **source):
        """A file as it is found, with some settings."""
        found = sources_in(self.folder / name)[0][1]
        return read({**found, **source}, self.folder)

    def csv(self, data, **source):
        self.put("t.csv", data)
        return self.read("t.csv", **source)

    def refused(self, code, words, name="t.csv", **source):
        with self.assertRaises(Refused) as caught:
            self.read(name, **source)
        told = caught.exception.diagnostics
        self.assertEqual(told[0].code, code, told)
        self.assertIn(words, told[0].message)
        self.assertNotIn(str(self.folder), told[0].message)
        return told

    def rows(self, reading):
        return reading.frame.listed(np.arange(reading.frame.size))

    def types(self, reading):
        return " ".join(v.dtype for v in reading.frame.columns.values())


def workbook(**sheets):
    book = Workbook()
    book.remove(book.worksheets[0])
    for name, rows in sheets.items():
        sheet = book.create_sheet(name)
        for row in rows:
            sheet.append(row)
    return book


def saved(book):
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


ODS = """<?xml version="1.0" encoding="UTF-8"?><office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"
 xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.2">
<office:body><office:spreadsheet><table:table table:name="S">
<table:table-row><table:table-cell office:value-type="string"><text:p>code</text:p></table:table-cell><table:table-cell office:value-type="string"><text:p>n</text:p></table:table-cell></table:table-row>
<table:table-row><table:table-cell office:value-type="string"><text:p>A</text:p></table:table-cell><table:table-cell office:value-type="float" office:value="2.5"><text:p>2.5</text:p></table:table-cell></table:table-row>
</table:table></office:spreadsheet></office:body></office:document-content>"""


def ods():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr(
            "META-INF/manifest.xml",
            '<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"><manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/></manifest:manifest>',
        )
        packed.writestr("content.xml", ODS)
    return out.getvalue()


TABLE = pa.table(
    {
        "i": pa.array([1, None], pa.int32()),
        "u": pa.array([2**63, 1], pa.uint64()),
        "f": [0.5, float("nan")],
        "d": pa.array([decimal.Decimal("1.25"), None]),
        "s": ["x", ""],
        "day": pa.array([dt.date(2031, 1, 1), None]),
        "at": pa.array([dt.datetime(2031, 1, 1, 10), None], pa.timestamp("ns")),
        "b": [True, None],
        "c": pa.array(["p", "q"]).dictionary_encode(),
        "list": [[1, 2], None],
        "pair": [{"a": 1}, {"a": None}],
        "raw": pa.array([b"x", b"y"]),
        "time": pa.array([dt.time(10), None]),
    }
)
