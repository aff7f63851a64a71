"""Models: paths, edits with their inverses, checks, reach, findings, trace."""

import random
import unittest
from dataclasses import replace

from nexorem.core.design.roles import role
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.candidates import candidate_keys
from nexorem.core.language.binder import Binder
from nexorem.core.model.check import check_model, check_shape
from nexorem.core.model.edits import KINDS, apply, title, touches
from nexorem.core.model.model import link_from_json, link_json, model_from_json, model_json
from nexorem.core.model.names import column_text, quoted, split_reference
from nexorem.core.model.paths import doubled_paths, model_state
from nexorem.core.model.star import Star
from nexorem.core.plan.dependence import reached_by
from nexorem.core.plan.reach import ChainStop, Way, reach
from tests.core.small import LINKS, MEASURES, STAR, TABLES, make_star
from tests.oracle.common import Filter
from tests.oracle.interpreter import Context
from tests.oracle.random_models import Maker
from tests.plain import blocked, bus_matrix, current, findings, profile

FACT = {
    "F": ("a:integer b:integer", [(1, 1)]),
    "A": ("k:integer c:integer", [(1, 1)]),
    "B": ("k:integer c:integer", [(1, 1)]),
    "C": ("k:integer", [(1,)]),
}


def linked(*links):
    return make_star(FACT, [dict(zip(("name", "from", "to"), k[:3], strict=True)) | (k[3] if len(k) > 3 else {}) for k in links], {})


class Paths(unittest.TestCase):
    def test_one_path(self):
        base = (("fa", "F.a", "A.k"), ("fb", "F.b", "B.k"), ("ac", "A.c", "C.k"))
        self.assertEqual(check_model(linked(*base)), [])
        for extra, sentence in (
            (("bc", "B.c", "C.k"), "A filter on C would reach F over two paths: ac › fa; and bc › fb."),
            (("fc", "F.a", "C.k"), "A filter on C would reach F over two paths: fc; and ac › fa."),
            (("again", "F.b", "A.k"), "A filter on A would reach F over two paths: fa; and again."),
        ):
            self.assertIn(sentence, [d.message for d in check_model(linked(*base, extra))])
            self.assertEqual(check_model(linked(*base, (*extra, {"active": False}))), [])

    def test_rings_are_refused(self):
        two = {"flow": "two-way"}
        self.assertTrue(check_model(linked(("fa", "F.a", "A.k", two), ("ac", "A.c", "C.k", two), ("cf", "F.b", "C.k", two))))
        self.assertEqual(check_model(linked(("fa", "F.a", "A.k", two), ("ac", "A.c", "C.k", two))), [])
        ring = linked(("ab", "A.c", "B.k"), ("ba", "B.c", "A.k"))
        self.assertIn("in a ring", check_model(ring)[0].message)

    def test_a_table_linked_to_itself_opens_inactive(self):
        star = linked(("self", "A.c", "A.k"))
        self.assertFalse(star.model.links[0].active)
        with self.assertRaises(Refused):
            apply(star.model, {"kind": "change_link", "name": "self", "set": {"active": True}})

    def test_random_models_hold_the_invariants(self):
        for seed in range(40):
            maker = Maker(seed)
            self.assertEqual(doubled_paths(maker.model, model_state(maker.model)), [])
            self.assertEqual(check_shape(maker.model), [])
            self.assertEqual(model_from_json(model_json(maker.model)), maker.model)


class Names(unittest.TestCase):
    def test_references(self):
        for table, column in (("Port", "name"), ("A b", "c.d"), ('q"q', "x"), ("case", "end"), ("ü", "1")):
            self.assertEqual(split_reference(column_text(table, column)), (table, column))
        self.assertEqual(quoted("case"), '"case"')
        self.assertEqual(split_reference("My table.my column"), ("My table", "my column"))
        for bad in ("Port", "", ".x", 'A."b', '"A"b.c', "A."):
            self.assertRaises(Refused, split_reference, bad)


class Edits(unittest.TestCase):
    def edits(self, r, model):
        """Edits that can be made of a model as it stands."""
        link, measure = r.choice(model.links or (None,)), r.choice(model.measures or (None,))
        made = [
            {
                "kind": "add_link",
                "link": {
                    "from": "Booking.note",
                    "to": "Crew.name",
                    "cardinality": "many-to-many",
                    "active": r.random() < 0.5,
                    "name": f"n{r.randint(0, 9)}",
                },
            },
            {"kind": "add_measure", "measure": {"name": f"m{r.randint(0, 9)}", "formula": "1", "folder": "f"}},
            {"kind": "put_probe", "probe": {"name": f"p{r.randint(0, 2)}", "rows": [r.choice(["Port.name", "Cal.year"])]}},
            {"kind": "remove_probe", "name": f"p{r.randint(0, 2)}"},
            {
                "kind": "put_hierarchy",
                "hierarchy": {
                    "name": f"h{r.randint(0, 1)}",
                    "levels": r.choice([["Port.region", "Port.name"], ["Cal.year", "Cal.week", "Cal.day"]]),
                },
            },
            {"kind": "remove_hierarchy", "name": f"h{r.randint(0, 1)}"},
            {
                "kind": "put_check",
                "check": {"name": f"k{r.randint(0, 1)}", "rows": "every Port", "must": {"count": {"at_most": r.randint(0, 9)}}},
            },
            {"kind": "remove_check", "name": f"k{r.randint(0, 1)}"},
            {"kind": "put_folio", "folio": {"name": f"f{r.randint(0, 2)}", "tiles": [{"kind": "probe", "probe": "p1"}]}},
            {"kind": "remove_folio", "name": f"f{r.randint(0, 2)}"},
            {"kind": "accept_finding", "code": f"c{r.randint(0, 2)}", "about": "table Port", "reason": f"r{r.random()}"},
            {"kind": "reopen_finding", "code": f"c{r.randint(0, 2)}", "about": "table Port"},
            {"kind": "put_renamed", "renamed": [{"kind": "table", "was": "a", "now": f"b{r.random()}"}]},
            {"kind": "place_tables", "places": {"Booking/Port": r.choice([None, {"x": r.randint(0, 9), "y": 1}])}},
        ]
        if link:
            made += [
                {
                    "kind": "change_link",
                    "name": link.name,
                    "set": r.choice([{"active": not link.active}, {"flow": "two-way"}, {"firm": False}, {"description": "d"}]),
                },
                {"kind": "remove_link", "name": link.name},
            ]
        spare = model.table("Spare")
        made += [
            {"kind": "remove_table", "name": "Spare"}
            if spare
            else {
                "kind": "add_table",
                "table": {"name": "Spare", "columns": [{"name": "a", "dtype": "text"}], "key": ["a"]},
                "at": r.choice([0, 1, None]),
            },
            {
                "kind": "change_table",
                "name": r.choice(model.tables).name,
                "set": {
                    "description": f"d{r.random()}",
                    "role": r.choice(["", "fact"]),
                    "grain": "g",
                    "grain_columns": r.choice([[], ["a", "b"]]),
                    "hidden": r.random() < 0.5,
                    "subject": "s",
                    "steps": r.choice([[], [{"kind": "trim", "columns": ["a"]}]]),
                },
            },
            {
                "kind": "change_table",
                "name": "Spare",
                "set": {"columns": [{"name": "b", "dtype": "date"}], "key": None, "load": 3, "origin": {"kind": "csv"}},
            },
            {
                "kind": "together",
                "edits": [
                    {"kind": "change_table", "name": "Port", "set": {"description": "x"}},
                    *(
                        [{"kind": "change_link", "name": link.name, "set": {"active": False}}, {"kind": "remove_link", "name": link.name}]
                        if link
                        else []
                    ),
                ],
                "title": r.choice(["", "some at once"]),
            },
        ]
        name = f"near {r.randint(0, 2)}"
        made += [
            {"kind": "put_clearance", "clearance": {"name": name, "rules": [f"Port.depth > {r.randint(0, 9)}"]}},
            {"kind": "remove_clearance", "name": name},
        ]
        if measure:
            made += [
                {"kind": "change_measure", "name": measure.name, "set": {"formula": str(r.random()), "trial": True, "variant_of": "m1"}},
                {"kind": "change_measure", "name": measure.name, "set": {"name": f"m{r.randint(0, 9)}"}},
                {"kind": "remove_measure", "name": measure.name},
            ]
        return r.choice(made)

    def test_every_edit_has_an_inverse_and_a_refused_one_changes_nothing(self):
        done = set()
        for seed in range(60):
            r = random.Random(seed)
            model = STAR.model
            states, inverses = [model], []
            for _ in range(25):
                edit = self.edits(r, model)
                try:
                    changed, inverse = apply(model, edit)
                except Refused:
                    self.assertEqual(model, states[-1])
                    continue
                if check_model(STAR.with_model(changed)):
                    continue  # as the server would refuse it
                done.add(edit["kind"])
                self.assertTrue(title(edit) and touches(edit))
                self.assertEqual(model_from_json(model_json(changed)), changed)
                again, _ = apply(apply(changed, inverse)[0], edit)
                self.assertEqual(again, changed)
                model = changed
                states.append(model)
                inverses.append(inverse)
            for inverse, before in zip(reversed(inverses), reversed(states[:-1]), strict=True):
                model, _ = apply(model, inverse)
                self.assertEqual(model, before)
        self.assertEqual(done, set(KINDS))

    def test_bad_edits(self):
        for edit, code in (
            ({"kind": "x"}, "bad_edit"),
            ({"kind": "add_link"}, "bad_edit"),
            ({"kind": "add_link", "link": {"from": "Port.code", "to": "Nope.x"}}, "unknown_table"),
            ({"kind": "add_link", "link": {"from": "Booking.no", "to": "Port.code"}}, "bad_link"),
            ({"kind": "add_link", "link": LINKS[0]}, "repeated_name"),
            ({"kind": "add_link", "link": {"from": ["Booking.no", "Port.code"], "to": "Cal.day"}}, "bad_link"),
            ({"kind": "add_measure", "measure": {"name": "SEATS", "formula": "1"}}, "repeated_name"),
            ({"kind": "add_measure", "measure": {"name": " ", "formula": "1"}}, "bad_name"),
            ({"kind": "change_link", "name": "port", "set": {"flow": "up"}}, "bad_link"),
            ({"kind": "change_measure", "name": "seats", "set": {"name": " "}}, "bad_name"),
            ({"kind": "remove_link", "name": "prt"}, "unknown_link"),
        ):
            with self.subTest(edit), self.assertRaises(Refused) as caught:
                apply(STAR.model, edit)
            self.assertEqual(caught.exception.diagnostics[0].code, code)

    def test_links_are_judged_together_and_the_rest_apart(self):
        self.assertTrue(touches({"kind": "remove_link", "name": "a"}) & touches({"kind": "change_link", "name": "b", "set": {}}))
        self.assertFalse(touches({"kind": "remove_measure", "name": "a"}) & touches({"kind": "remove_measure", "name": "b"}))


class Checks(unittest.TestCase):
    def test_repeated_keys_are_named(self):
        """An edit that claims what the rows disprove is told so; a model that comes with it is not, and what it claimed before stays."""
        bare = make_star(links=[])
        star = make_star(links=[{"name": "bad", "from": "Booking.port", "to": "Crew.port"}])
        found = check_model(star, bare)
        self.assertEqual([d.code for d in found], ["repeated_key"])
        self.assertIn("Crew.port is not unique: a stand", found[0].message)
        self.assertEqual((check_model(star), check_model(star, star), star.firm), ([], [], frozenset()))
        again = make_star(links=[{"name": "bad", "from": "Booking.port", "to": "Crew.port", "flow": "two-way"}])
        self.assertEqual(check_model(again, star), [])
        one = make_star(links=[{"from": "Crew.port", "to": "Port.code", "cardinality": "one-to-one"}])
        self.assertEqual(check_model(one, bare)[0].code, "repeated_key")

    def test_calendars(self):
        for rows, word in (([1, 1, 2], "twice"), ([1, 3], "leaves out"), ([1, None], "empty"), ([], "")):
            days = [(None if d is None else TABLES["Cal"][1][d - 1][0],) for d in rows]
            found = check_model(make_star({"Cal": ("day:date", days)}, [], {}))
            self.assertEqual(bool(found), bool(word))
            self.assertTrue(not word or word in found[0].message)

    def test_findings(self):
        found = {(f["code"], f["about"]) for f in findings(STAR)}
        self.assertLessEqual(
            {
                ("orphans", "link port"),
                ("orphans", "link crew"),
                ("unused_link", "link refund"),
                ("empty_table", "table Nobody"),
                ("disconnected", "table Nobody"),
            },
            found,
        )
        broken = STAR.with_model(replace(STAR.model, links=()))
        self.assertEqual([f["about"] for f in findings(broken) if f["code"] == "broken_measure"], [])
        looks_up = make_star(measures=MEASURES | {"deep": "sum(Booking.seats * Port.depth)"})
        self.assertIn(
            ("broken_measure", "measure deep"),
            {(f["code"], f["about"]) for f in findings(looks_up.with_model(replace(looks_up.model, links=())))},
        )
        near = make_star(
            {"F": ("k:text", [("A ",), ("b",), ("a",)]), "D": ("k:text", [("a",), ("c",)])},
            [{"from": "F.k", "to": "D.k"}],
            {"n": "rows(F)"},
        )
        self.assertIn("1 of them differ", next(f["sentence"] for f in findings(near) if f["code"] == "orphans"))


class Reach(unittest.TestCase):
    def test_who_filters_whom(self):
        self.assertEqual(reach(STAR, STAR.state, "Crew", "Booking"), Way(("crew", "port")))
        self.assertEqual(reach(STAR, STAR.state, "Booking", "Port").stops, (ChainStop("port", "Port", "one-way"),))
        self.assertEqual(reach(STAR, STAR.state, "Tag", "Port").stops, (ChainStop("tag", "Port", "inactive"),))
        self.assertEqual(reach(STAR, STAR.state, "Nobody", "Port"), Way())

    def test_reach_agrees_with_the_oracle(self):
        for seed in range(60):
            maker = Maker(seed)
            oracle = maker.oracle()
            active = [k.name for k in maker.model.links if k.active]
            for a in maker.names:
                context = Context([Filter(a, ("g",), [])], active)
                for b in maker.names:
                    if a != b:
                        self.assertEqual(
                            bool(reach(maker.star, maker.star.state, a, b).path), oracle.filtered(context, b, None), f"{seed} {a} {b}"
                        )

    def test_roles_matrix_and_currents(self):
        roles = {t.name: role(STAR, t) for t in STAR.model.tables}
        self.assertEqual(
            roles, {"Booking": "fact", "Port": "dimension", "Cal": "calendar", "Tag": "dimension", "Crew": "fact", "Nobody": "disconnected"}
        )
        cells = bus_matrix(STAR)["cells"]["Booking"]
        self.assertEqual({k: v["kind"] for k, v in cells.items()}, {"Port": "direct", "Cal": "direct"})
        self.assertEqual(cells["Cal"]["links"], ["day", "refund"])
        self.assertEqual([r["to"] for r in current(STAR, "Crew", STAR.state)["runs"]], ["Port", "Booking"])
        self.assertEqual(blocked(STAR, STAR.state, ["Nobody"], set()), [{"link": None, "from": "Nobody", "to": None, "reason": "no link"}])

    def test_what_reaches_a_measure(self):
        told = reached_by(STAR, Binder(STAR, {"x": 'seats given (clear Port, via link "refund") + sum(Port.depth)'}).measure("x"))
        self.assertEqual({s.grain: s.tables for s in told.scans}["Booking"]["Crew"], ("crew", "port"))
        self.assertIn("Port.name", told.overrides)
        self.assertEqual(next(s for s in told.scans if s.grain == "Booking").tables["Cal"], ("refund",))


class Profiles(unittest.TestCase):
    def test_profile_and_keys(self):
        told = profile(STAR, "Booking", "seats")
        self.assertEqual((told["distinct"], told["empty"], told["smallest"], told["largest"], sum(told["histogram"])), (6, 1, 1, 32, 6))
        self.assertEqual(profile(STAR, "Booking", "note")["commonest"][0], {"value": "x", "count": 3})
        self.assertEqual(profile(STAR, "Nobody", "y")["histogram"], [])
        self.assertEqual(candidate_keys(STAR, "Port"), [("code",), ("name",)])
        self.assertEqual(candidate_keys(make_star({"T": ("a:integer b:text", [(1, "x"), (1, "y"), (2, "x")])}, [], {}), "T"), [("a", "b")])
        self.assertEqual(candidate_keys(STAR, "Nobody"), [])

    def test_link_json_is_read_back(self):
        for link in STAR.model.links:
            self.assertEqual(link_from_json(STAR.model, link_json(link)), link)
        self.assertIsInstance(Star(STAR.model, STAR.rows), Star)


if __name__ == "__main__":
    unittest.main()
