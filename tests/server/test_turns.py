"""Who goes first: the background waits for people, and whoever has asked for long for whoever has just come."""

import threading
import unittest

from nexorem.core.diagnostics import OverLimit
from nexorem.work.quiet import MOST_SECONDS, SHORT_SECONDS, Quiet, Turn


class Seconds:
    """A clock that goes on only while somebody waits, or when it is told to."""

    def __init__(self):
        self.now, self.waits, self.leaving = 100.0, [], {}

    def __call__(self):
        return self.now

    def wait(self, seconds):
        """Waits as a condition does; whoever is to leave by then leaves."""
        self.waits.append(round(seconds, 6))
        self.now += seconds
        for name in [n for n, at in self.leaving.items() if at <= self.now + 1e-9]:
            self.quiet._since.pop(name)
            del self.leaving[name]

    def wait_for(self, so, seconds):
        """The same, for something to be so."""
        if not so():
            self.wait(seconds)
        return so()


class Condition(Seconds):
    def __enter__(self):
        return self

    def __exit__(self, *_):
        return None

    def notify_all(self):
        """Nobody else is there."""


class Turns(unittest.TestCase):
    def setUp(self):
        self.clock = Condition()
        self.quiet = self.clock.quiet = Quiet(self.clock)
        self.quiet._changed = self.clock

    def comes(self, name, stays):
        """A request of another thread, which has its answer after so many seconds."""
        self.quiet._since[name] = self.clock.now
        self.clock.leaving[name] = self.clock.now + stays

    def worked(self, turn, seconds):
        """A block of work of so long; the seconds of the turn's clock behind it."""
        self.clock.now += seconds
        return round(turn.clock() - 100.0, 6)

    def test_a_long_request_lets_short_ones_pass(self):
        turn = Turn(self.quiet)
        self.comes("early", 0.1)
        self.assertEqual(self.worked(turn, 0.2), 0.2)  # it is a short one itself
        self.assertEqual(self.clock.waits, [])
        self.quiet._since.clear()
        self.clock.leaving.clear()
        self.assertEqual(self.worked(turn, 0.4), 0.6)  # nobody is there
        self.comes("short", 0.1)
        self.assertEqual(self.worked(turn, 0.05), 0.65)  # it has worked for 0.05 s, and waits no longer
        self.assertEqual(self.clock.waits, [0.05])
        self.assertEqual(self.worked(turn, 2.0), 2.65)  # what others took is not counted
        self.comes("long", 9.0)
        self.assertEqual(self.worked(turn, 2.0), 4.65)  # it waits for another only while that is a short one…
        self.assertEqual(self.clock.waits[1:], [])
        self.comes("other", 9.0)
        self.clock.now += 0.1
        self.assertEqual(self.worked(turn, 0.1), 4.85)
        self.assertEqual(self.clock.waits[1:], [round(SHORT_SECONDS - 0.2, 6)])  # …which it is until then

    def test_other_threads_of_a_long_request_do_not_wait(self):
        turn = Turn(self.quiet)
        self.comes("short", 9.0)
        self.clock.now += 5.0
        self.comes("shorter", 9.0)
        told = []
        thread = threading.Thread(target=lambda: told.append(turn.clock()))
        thread.start()
        thread.join()
        self.assertEqual((told, self.clock.waits), ([105.0], []))

    def test_a_budget_counts_work_and_not_waiting(self):
        budget = self.quiet.persons_budget()
        for turn in range(29):
            self.comes(turn, 0.2)
            self.clock.now += 1.0
            budget.check()
        self.comes("last", 0.2)
        self.clock.now += 1.5
        with self.assertRaises(OverLimit):
            budget.check()

    def test_the_background_waits_for_everybody_but_not_for_ever(self):
        self.comes("one", 0.5)
        self.quiet.wait()
        self.assertEqual(self.clock.waits, [MOST_SECONDS])
        with self.quiet:
            self.quiet.wait()
        self.quiet.wait()
        self.assertEqual(self.clock.waits, [MOST_SECONDS] * 2)
        self.assertEqual(self.quiet._since, {})


if __name__ == "__main__":
    unittest.main()
