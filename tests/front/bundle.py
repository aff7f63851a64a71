"""The front end's pure modules, called from here: bundled once a run, and asked in a process of Node."""

from __future__ import annotations

import json
import subprocess
import tempfile
from functools import cache
from pathlib import Path

ROOT = Path(__file__).parents[2]
MODULES = {
    "axes": "features/probe/axes",
    "client": "api/client",
    "format": "shared/format",
    "grid": "features/probe/gridState",
    "pasted": "features/probe/pasted",
    "series": "features/probe/pictures/series",
    "shapes": "app/shapes",
    "probes": "features/probe/store",
}
# A call is [module, function, arguments]; an argument {"$": n} is what call n gave, so that no answer travels twice; {"$": "names"} is a
# function that gives the names an item goes by: itself.
RUNNER = """
import { createInterface } from 'node:readline';
globalThis.localStorage = { getItem: () => null, setItem: () => {} };
globalThis.window = globalThis;
globalThis.addEventListener ??= () => {};
const modules = await import('./bundle.mjs');
const plain = (x) => (x instanceof Map || x instanceof Set ? [...x] : x);
for await (const line of createInterface({ input: process.stdin })) {
  const given = [];
  const told = JSON.parse(line).map(([module, name, args]) => {
    const read = (a) => (a === null || typeof a !== 'object' || !('$' in a) ? a : a.$ === 'names' ? (x) => [x] : given[a.$]);
    const found = modules[module][name](...args.map(read));
    given.push(found);
    return plain(found) ?? null;
  });
  process.stdout.write(JSON.stringify(told) + '\\n');
}
"""


class Node:
    """A process that holds the bundle; `calls` gives what a list of calls gives."""

    def __init__(self):
        self.folder = tempfile.TemporaryDirectory()
        here = Path(self.folder.name)
        entry = here / "entry.ts"
        entry.write_text("".join(f"export * as {name} from '{ROOT}/web/src/{path}';\n" for name, path in MODULES.items()))
        (here / "run.mjs").write_text(RUNNER)
        bundler = [
            "node",
            str(ROOT / "web/node_modules/rolldown/bin/cli.mjs"),
            str(entry),
            "--file",
            str(here / "bundle.mjs"),
            "--format",
            "esm",
        ]
        made = subprocess.run([*bundler, "--platform", "node"], cwd=ROOT / "web", capture_output=True, text=True, check=False)
        assert made.returncode == 0, made.stdout + made.stderr
        self.process = subprocess.Popen(["node", str(here / "run.mjs")], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)

    def calls(self, calls):
        """What each of some calls gives, as JSON gives it back."""
        self.process.stdin.write(json.dumps(calls) + "\n")
        self.process.stdin.flush()
        told = self.process.stdout.readline()
        assert told, "the front end's code failed: its error stands above"
        return json.loads(told)

    def close(self):
        """Ends the process."""
        self.process.stdin.close()
        self.process.wait()
        self.process.stdout.close()
        self.folder.cleanup()


@cache
def _node():
    return Node()


def calls(*some):
    """What some calls [module, function, arguments] give."""
    return _node().calls(some)


def call(module, name, *arguments):
    """What one call gives."""
    return calls([module, name, list(arguments)])[0]


def close():
    """Ends the process, once there is one."""
    if _node.cache_info().currsize:
        _node().close()
        _node.cache_clear()
