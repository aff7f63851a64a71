"""Where the cards of a star stand and how its lines run: under no card, over no name, in the shape of the window."""

import unittest
from dataclasses import replace

from nexorem.core.design.change import switched_off
from nexorem.core.design.layout.graph import CARD_HEIGHT, KEY_HEIGHT
from nexorem.core.model.model import link_from_json
from nexorem.core.model.specs import Place
from tests.core.stars import Drawn, generated
from tests.core.test_design import DEMO

FACTS = ("Booking", "Sailing", "Target", "Ledger", "Calendar")
SHAPES = (0.5, 1.0, 1.5, 2.6)


class Layout(unittest.TestCase):
    def clean(self, drawn, about):
        """No card stands on another, no line runs under one or over another's name, no marks touch; each line begins and ends at its
        cards' edges."""
        self.assertEqual((drawn.overlaps(), drawn.under_cards(), drawn.over_words(), drawn.marks_that_touch()), ([], [], [], []), about)
        for link, route in drawn.told.routes.items():
            for (x, y), name in zip((route.points[0], route.points[-1]), drawn.ends[link], strict=True):
                card = drawn.cards[name if name in drawn.cards else drawn.subjects[name]]
                beside = abs(abs(x - card.x) - card.width / 2), abs(abs(y - card.y) - card.height / 2)
                self.assertLess(min(beside), 0.2, (about, link, name))

    def test_the_demo(self):
        for fact in FACTS:
            for shape in SHAPES:
                drawn = Drawn(DEMO.model, fact, shape=shape)
                self.clean(drawn, (fact, shape))
                told = drawn.told
                self.assertEqual((len(told.boxes), told.shelf), (16, ("Delay band", "Price band")))
                self.assertEqual((told.boxes[fact].x, told.boxes[fact].y, told.boxes[fact].row), (0, 0, 0))
                self.assertEqual(set(told.routes), {k.name for k in DEMO.model.links})
                self.assertLess(drawn.crossings(), 7)
        self.assertEqual({n for n, r in told.routes.items() if r.label}, {"sails on", "booked on", "refunded on", "from port", "to port"})
        both = Drawn(DEMO.model, "Booking", beside="Sailing")
        self.clean(both, "both")
        self.assertEqual((both.told.key, both.told.boxes["Booking"].row, both.told.boxes["Sailing"].row), ("Booking + Sailing", 0, 0))

    def test_large_models(self):
        for count in (20, 60, 120):
            for seed in range(4):
                for shape in (0.8, 2.0):
                    self.clean(Drawn(generated(count, seed), "Fact 0", shape=shape), (count, seed, shape))

    def test_the_windows_shape_is_followed(self):
        for count in (16, 60, 120):
            model = DEMO.model if count == 16 else generated(count, 1)
            wide = []
            for shape in (0.5, 1.4, 3.0):
                cards = Drawn(model, "Booking" if count == 16 else "Fact 0", shape=shape).cards.values()
                across = max(c.x + c.width / 2 for c in cards) - min(c.x - c.width / 2 for c in cards)
                wide.append(across / (max(c.bottom for c in cards) - min(c.top for c in cards)))
            self.assertEqual(wide, sorted(wide))
            self.assertGreater(wide[-1], 1.4 * wide[0])

    def test_open_cards(self):
        for opened in (
            {"Booking": "keys"},
            dict.fromkeys([t.name for t in DEMO.model.tables], "keys"),
            {"Booking": "all", "Calendar": "all"},
        ):
            drawn = Drawn(DEMO.model, "Booking", opened=opened)
            self.clean(drawn, opened)
        box = drawn.told.boxes["Booking"]
        self.assertEqual(box.opened[:3], ("number", "sails_on", "booked_on"))
        self.assertEqual(set(box.opened), {c.name for c in DEMO.model.table("Booking").columns if not c.hidden} | set(box.opened[:9]))
        sailing = Drawn(DEMO.model, "Sailing", opened={"Sailing": "all"}).told.boxes["Sailing"].opened
        self.assertLess(sailing.index("minutes_late"), sailing.index("planned_departure"))  # what measures are made of before the rest
        for link in DEMO.model.links:  # from key to key
            if link.from_table == "Booking":
                row = box.opened.index(link.from_columns[0])
                height = box.y - box.height / 2 + CARD_HEIGHT + (row + 0.5) * KEY_HEIGHT
                self.assertAlmostEqual(drawn.told.routes[link.name].points[0][1], height, delta=0.2)

    def test_folded_subjects(self):
        model = generated(60, 3)
        drawn = Drawn(model, "Fact 0", folded=["a", "b"])
        self.clean(drawn, "folded")
        self.assertEqual(set(drawn.told.subjects), {"a", "b"})
        inside = [t.name for t in model.tables if t.subject in ("a", "b") and t.name != "Fact 0"]
        self.assertFalse(set(inside) & set(drawn.told.boxes))
        lines = [k for k in model.links if not (drawn.ends_of(k.name) <= {"a"} or drawn.ends_of(k.name) <= {"b"})]
        known = [k for k in lines if drawn.ends_of(k.name) <= set(drawn.cards)]
        self.assertEqual(sum(r.links for r in drawn.told.routes.values()), len(known))

    def test_what_stood_somewhere_stays_there(self):
        first = Drawn(DEMO.model, "Booking").told
        stood = {"before": {n: (b.x, b.row) for n, b in first.boxes.items()}, "rooms": first.rooms}
        late = {"name": "late", "from": "Sailing.minutes_late", "to": "Delay band.low", "cardinality": "many-to-many", "active": False}
        more = replace(DEMO.model, links=(*DEMO.model.links, link_from_json(DEMO.model, late)))
        less = replace(DEMO.model, links=tuple(k for k in DEMO.model.links if k.name not in ("agent", "island")))
        for model in (more, less, switched_off(DEMO.model, ["route", "sails on"])):
            drawn = Drawn(model, "Booking", **stood)
            self.clean(drawn, [k.name for k in model.links])
            there = {n: (b.x, b.y) for n, b in drawn.told.boxes.items() if n in first.boxes}
            self.assertEqual(there, {n: (b.x, b.y) for n, b in first.boxes.items() if n in there})
        self.assertIn("Delay band", Drawn(more, "Booking", **stood).told.boxes)
        self.assertIn("Agent", Drawn(less, "Booking", **stood).told.shelf)

    def test_pulled_and_hidden_tables(self):
        hidden = tuple(replace(t, hidden=t.name in ("Agent", "Price band")) for t in DEMO.model.tables)
        for place in (Place(-700, 33), Place(150, -120), Place(0, 90), Place(60, 10)):
            drawn = Drawn(replace(DEMO.model, places={"Booking/Island": place}, tables=hidden), "Booking")
            told = drawn.told
            self.assertEqual((told.boxes["Island"].x, told.boxes["Island"].y), (place.x, place.y))
            self.assertNotIn("Agent", told.boxes)
            self.assertEqual(told.shelf, ("Delay band",))
            if place.y != 10:  # on the fact nothing can help
                self.assertEqual((drawn.overlaps(), drawn.under_cards()), ([], []), place)
        self.assertIn("Agent", Drawn(replace(DEMO.model, tables=hidden), "Agent").told.boxes)


if __name__ == "__main__":
    unittest.main()
