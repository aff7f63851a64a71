"""The cluster's client: what it is asked with, what is said of its errors, and that it ends in time. A session stands in for the cluster's."""

import threading
import unittest
from unittest import mock

import pyarrow as pa

from nexorem.core.diagnostics import Refused
from nexorem.core.model.model import Column, Model, Table
from nexorem.sql.build import Sent
from nexorem.store import spark as client
from nexorem.store.elsewhere import elsewhere, found_places
from tests.core.small import STAR
from tests.waiting import until

MODEL = Model(
    "m",
    (Table("Delay band", (Column("at least", "integer"), Column("label", "text"), Column("twice", "integer", formula='"at least" * 2'))),),
)


class Said(Exception):
    """An error as the client raises it."""

    def __init__(self, condition, text):
        super().__init__(text)
        self.getCondition = lambda: condition


class Session:
    """Answers with a table, an error, or nothing until it is interrupted."""

    def __init__(self, answer):
        self.answer, self.asked, self.tags, self.ended = answer, [], [], threading.Event()

    def sql(self, text, args=None):
        self.asked.append((text, args))
        return self

    def toArrow(self):
        if self.answer is None:
            self.ended.wait(60)
            raise Said("OPERATION_CANCELED", "ended")
        if isinstance(self.answer, Exception):
            raise self.answer
        return self.answer

    def addTag(self, tag):
        self.tags.append(tag)

    def removeTag(self, tag):
        self.tags.remove(tag)

    def interruptTag(self, tag):
        assert tag in self.tags
        self.ended.set()


class Client(unittest.TestCase):
    def refusal(self, answer, seconds=5):
        session = Session(answer)
        with self.assertRaises(Refused) as caught:
            client.Spark(session, seconds).rows("SELECT 1")
        self.assertEqual(session.tags, [])
        (said,) = caught.exception.diagnostics
        return said

    def test_lines_come_as_arrow_with_parameters(self):
        session = Session(pa.table({"a": [1, 2], "b": ["x", None]}))
        self.assertEqual(client.Spark(session, 5).rows("SELECT :p", {"p": 7}), [(1, "x"), (2, None)])
        self.assertEqual(session.asked, [("SELECT :p", {"p": 7})])

    def test_how_far_it_is_and_that_it_is_stopped(self):
        heard = []
        session = Session(None)
        session.registerProgressHandler = heard.append
        first = client.Spark(session, 60)
        first.follow()
        asking = first.again(60)
        refused = []

        def ask():
            try:
                asking.rows("SELECT 1")
            except Refused as error:
                refused.append(error.diagnostics[0].code)

        thread = threading.Thread(target=ask)
        thread.start()
        until(lambda: session.tags)
        stages = [mock.Mock(num_completed_tasks=3, num_tasks=8), mock.Mock(num_completed_tasks=1, num_tasks=2)]
        for given, progress in ((stages, (4, 10)), (None, (0, 0))):
            heard[0](stages=given, inflight_tasks=1, operation_id="one", done=False)
            self.assertEqual(asking.progress(), progress)
        heard[0](stages=stages, inflight_tasks=0, operation_id="one", done=True)
        self.assertEqual(asking.progress(), (0, 0))
        asking.stop()
        thread.join(60)
        self.assertEqual((refused, session.ended.is_set(), session.tags), (["limit_seconds"], True, []))

    def test_rows_that_go_along_become_a_view_once(self):
        views = []

        class Frame(Session):
            def createDataFrame(self, rows):
                self.rows = rows
                return self

            def createOrReplaceTempView(self, name):
                views.append((name, self.rows.to_pylist()))

        asking = client.Spark(Frame(pa.table({})), 5)
        table = Table("Port", (Column("code", "text"), Column("depth", "number")))
        sent = Sent(lambda: 2, lambda c: {"code": ["N", None], "depth": [1.5, 2.0]}[c])
        for _ in range(2):
            asking.send("nexorem_1", sent, table)
        rows = [{"code": "N", "depth": 1.5, "row_number": 0}, {"code": None, "depth": 2.0, "row_number": 1}]
        self.assertEqual(views, [("nexorem_1", rows)])

    def test_what_a_cluster_has(self):
        answers = {
            "SHOW SCHEMAS": [("lines",)],
            "SHOW TABLES IN `lines`": [("lines", "booking", False), ("", "of_a_session", True)],
            "DESCRIBE TABLE `lines`.`booking`": [("no", "bigint", None), ("# Partitioning", "", "")],
        }
        asking = client.Spark(Session(None), 5)
        with mock.patch.object(client.Spark, "rows", lambda self, text, values=None: answers[text]):
            listed = asking.listed()
        self.assertEqual(listed, [{"schema": "lines", "name": "booking", "kind": "table", "rows": None, "columns": ["no"]}])

    def test_errors_in_one_sentence(self):
        for answer, code, words in (
            (Said("TABLE_OR_VIEW_NOT_FOUND", "[TABLE_OR_VIEW_NOT_FOUND] No `x`.\nmore"), "no_table", "No `x`"),
            (Said("ARITHMETIC_OVERFLOW", "long overflow"), "overflow", "beyond its type"),
            (Said("", "failed to connect to all addresses; UNAVAILABLE"), "cluster", "does not answer"),
            (Said("PARSE_SYNTAX_ERROR", "Syntax error at 'x'.\nat line 1"), "cluster", "Syntax error at 'x'."),
        ):
            said = self.refusal(answer)
            self.assertEqual(said.code, code)
            self.assertIn(words, said.message)
            self.assertNotIn("\n", said.message)

    def test_what_takes_too_long_is_interrupted(self):
        self.assertEqual(self.refusal(None, 0.1).code, "limit_seconds")

    def test_ctrl_c_interrupts_it_there(self):
        session = Session(None)
        with mock.patch.object(Session, "toArrow", side_effect=KeyboardInterrupt), self.assertRaises(KeyboardInterrupt):
            client.Spark(session, 5).rows("SELECT 1")
        self.assertTrue(session.ended.is_set())

    def test_names_that_catalogs_take(self):
        session = Session(pa.table({"col_name": ["at_least", "label", "# Partitioning"], "data_type": ["int", "string", ""]}))
        there = client.Spark(session, 5).columns(["Delay band"], "hive.lines")
        self.assertEqual(there, {"delay_band": {"at_least": "int", "label": "string"}})
        self.assertEqual(session.asked[0][0], "DESCRIBE TABLE `hive`.`lines`.`delay_band`")
        places = found_places(MODEL, there, "hive.lines", client.Spark.kinds)
        self.assertEqual((places.tables, places.columns["Delay band", "at least"]), ({"Delay band": "delay_band"}, "at_least"))
        self.assertEqual((places.casts, places.computed), ({("Delay band", "at least")}, {("Delay band", "twice")}))

    def test_without_the_client(self):
        gone = mock.patch.dict("sys.modules", {"pyspark.sql.connect.session": None})
        with gone, self.assertRaises(Refused) as caught, elsewhere("sc://127.0.0.1:1", STAR.model, None, 5):
            self.fail("there is nobody to ask")
        self.assertEqual(caught.exception.diagnostics[0].code, "no_client")


if __name__ == "__main__":
    unittest.main()
