"""A reader that stands ready is the next one's, and nobody's after a while."""

import threading
import unittest

from nexorem.gather.readers import Readers


class Ready(unittest.TestCase):
    def test_one_stands_ready(self):
        readers = Readers()
        self.addCleanup(readers.close)
        readers.make_ready()
        ready = readers._ready
        readers.make_ready()
        self.assertIs(readers._ready, ready)
        taken = readers.take()
        self.assertIs(taken, ready)
        taken.communicate("", timeout=60)
        self.assertEqual(taken.returncode, 0, "asked for nothing, it ends")
        readers.make_ready()
        readers._ready.kill()
        readers._ready.wait()
        other = readers.take()
        self.assertIsNone(other.poll(), "one that has ended is not given away")
        other.kill()
        other.communicate()

    def test_nobody_needs_it(self):
        readers = Readers(idle=0.05)
        ended = threading.Event()
        close = readers.close
        readers.close = lambda: (close(), ended.set())
        readers.make_ready()
        process = readers._ready
        self.assertTrue(ended.wait(60))
        self.assertIsNotNone(process.poll())


if __name__ == "__main__":
    unittest.main()
