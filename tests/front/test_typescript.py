"""The front end's own tests of its pure modules, in TypeScript: each a test of this run."""

import json
import subprocess
import unittest
from pathlib import Path

WEB = Path(__file__).parents[2] / "web"


class TypeScript(unittest.TestCase):
    def test_pure_modules(self):
        done = subprocess.run(
            ["npx", "--no-install", "vitest", "run", "--reporter=json"], cwd=WEB, capture_output=True, text=True, timeout=120, check=False
        )
        told = json.loads(done.stdout[done.stdout.index("{") :])
        seen = [case for file in told["testResults"] for case in file["assertionResults"]]
        for case in seen:
            with self.subTest(case["fullName"]):
                self.assertEqual((case["status"], case["failureMessages"]), ("passed", []))
        self.assertTrue(told["success"], done.stdout[-2000:])
        self.assertGreater(len(seen), 25)


if __name__ == "__main__":
    unittest.main()
