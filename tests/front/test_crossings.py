"""Lines of a star cross no more often than those of a layered layout by a library that does nothing else."""

import json
import subprocess
import unittest
from pathlib import Path

from tests.core.stars import Drawn, crossings, generated
from tests.core.test_design import DEMO

WEB = Path(__file__).parents[2] / "web"
LAYERED = """
import ELK from './node_modules/elkjs/lib/elk.bundled.js';
const options = { 'elk.algorithm': 'layered', 'elk.direction': 'DOWN', 'elk.edgeRouting': 'POLYLINE' };
let text = '';
for await (const part of process.stdin) text += part;
const elk = new ELK();
const drawn = [];
for (const { nodes, edges } of JSON.parse(text)) {
  const children = nodes.map(([id, width, height]) => ({ id, width, height }));
  const graph = { id: 'root', layoutOptions: options, children, edges: edges.map(([id, a, b]) => ({ id, sources: [a], targets: [b] })) };
  const told = await elk.layout(graph);
  const points = ({ startPoint, bendPoints = [], endPoint }) => [startPoint, ...bendPoints, endPoint].map(({ x, y }) => [x, y]);
  drawn.push(told.edges.map((edge) => [edge.id, edge.sections.flatMap(points)]));
}
process.stdout.write(JSON.stringify(drawn));
"""


class Crossings(unittest.TestCase):
    def test_no_more_than_a_layered_layout(self):
        asked = [("demo", DEMO.model, "Booking")]
        asked += [(f"{count} tables, seed {seed}", generated(count, seed), "Fact 0") for count in (20, 60, 120) for seed in range(3)]
        ours = [Drawn(model, fact) for _, model, fact in asked]
        graphs = [
            {
                "nodes": [[n, c.width, c.height] for n, c in drawn.cards.items()],
                "edges": [[link, *drawn.ends[link]] for link in drawn.told.routes],
            }
            for drawn in ours
        ]
        command = ["node", "--input-type=module", "-e", LAYERED]
        done = subprocess.run(command, input=json.dumps(graphs), capture_output=True, text=True, cwd=WEB, check=True, timeout=120)
        for (name, _, _), mine, theirs in zip(asked, ours, json.loads(done.stdout), strict=True):
            with self.subTest(name):
                self.assertEqual(len(theirs), len(mine.told.routes))
                self.assertLessEqual(mine.crossings(), crossings(theirs))


if __name__ == "__main__":
    unittest.main()
